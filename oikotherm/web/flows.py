"""Which pipe of a station is its flow, as it was marked."""

from __future__ import annotations

from ..core.job.model import Job, Station


def two_pipes(station: Station) -> tuple[str, str] | None:
    """The flow and the return port of a station, left first; None for one that has not just one of each."""
    ports = [port for port in sorted(station.ports, key=lambda port: port.offset[0]) if port.role in ("flow", "return")]
    if sorted(port.role for port in ports) != ["flow", "return"]:
        return None
    return ports[0].name, ports[1].name


def flow_facts(job: Job) -> dict[str, str]:
    """Station -> the port that was found to be its flow."""
    return {fact.path.removesuffix(".flow-is"): str(fact.value) for fact in job.facts if fact.path.endswith(".flow-is")}
