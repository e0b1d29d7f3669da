"""Whether what is installed can be served: shut off, drained, fed without a neck, and falls where it must fall."""

from __future__ import annotations

from collections.abc import Iterable

from ..catalogue import Catalogue
from ..job.model import Leg
from ..network.graph import SHUTS, has_trait
from ..network.losses import bore_mm
from ..pipework.geometry import Pipework, Straight
from ..quantity import length_text
from ..services import spec
from .legs import put_in_leg
from .registry import Remedy, Said, View, rule

LEAST_LEG_MM = 260.0  # room for a valve in the middle of it
UNSHUT = ("safety-valve", "vessel")


def _uneven(work: Pipework, catalogue: Catalogue) -> tuple[str, ...]:
    """The nodes where pipes of different bores meet."""
    bores = {key: bore_mm(catalogue, one.pipe) for key, one in work.straights.items()}
    return tuple(key for key, arms in work.arms.items() if len({bores[name] for name in arms.values()}) > 1)


@rule(
    "neck",
    "mind",
    "a section narrower than the one it feeds",
    "A narrow section before a wide one throttles all that follows, and the wide one is paid for in vain.",
    "rule of the trade",
)
def neck(view: View) -> Iterable[Said]:
    work = view.fitted.pipework

    def bore(one: Straight) -> float:
        return bore_mm(view.context.catalogue, one.pipe) or 0.0

    forms = (part.shape for part in work.by_run.values())
    for key in work.memory.keep(
        "uneven bores",
        (view.context.catalogue, work.graph, *forms),
        None,
        lambda: _uneven(work, view.context.catalogue),
        most=4,
    ):
        arms = work.arms[key]
        into: list[Straight] = []
        out: list[Straight] = []
        for straight in (work.straights[name] for name in arms.values()):
            sign = view.flow.get(straight.key, 0) * (1 if straight.to_node == key else -1)
            (into if sign > 0 else out if sign < 0 else []).append(straight)
        if not into or not out:
            continue
        role = work.runs[into[0].run].run.role
        if spec.service(work.runs[into[0].run].run.service).runs_off:
            continue  # what runs off has rules of its own
        collects = spec.role(role).collects
        near, far = (out, into) if collects else (into, out)
        narrow, wide = max(near, key=bore), max(far, key=bore)
        if not 0 < bore(narrow) < bore(wide) - 0.05:
            continue
        remedies = []
        if narrow.pipe.code == wide.pipe.code and "@" not in "".join(narrow.legs):
            command = {
                "do": "set_pipe",
                "run": narrow.run,
                "item": _pipe_item(view, narrow),
                "code": wide.pipe.code,
                "size": wide.pipe.size,
            }
            remedies = [Remedy(f"Make it {wide.pipe}", (command,), f"{narrow.run}: {narrow.pipe} becomes {wide.pipe}")]
        says = (
            f"{narrow.run}: {narrow.pipe} feeds {wide.pipe} of {wide.run}."
            if not collects
            else f"{narrow.run}: {wide.pipe} of {wide.run} goes home through {narrow.pipe}."
        )
        yield Said((narrow.run, key), says, tuple(remedies), work.nodes[key].at)


def _pipe_item(view: View, straight: Straight) -> str | None:
    found: str | None = None
    for item in view.fitted.pipework.runs[straight.run].run.items:
        if item.id in straight.legs:
            break
        if item.kind == "pipe":
            found = item.id
    return found


def _can_shut(view: View, port_key: str) -> bool:
    """Whether a valve stands between a port and the first branch."""
    work = view.fitted.pipework
    place = work.ports[port_key]
    if any(kit.row.kv is not None and kit.row.turns for kit in place.kit):
        return True
    at, came = port_key, ""
    for _ in range(len(work.nodes)):
        arms = [key for key in work.arms.get(at, {}).values() if key != came and not work.straights[key].piece_mm]
        node = work.nodes[at]
        if node.kind == "device" and node.part in SHUTS:
            return True
        if at != port_key and node.kind == "port":
            return any(kit.row.kv is not None and kit.row.turns for kit in work.ports[node.part].kit)
        if len(arms) != 1:
            return False
        came = arms[0]
        straight = work.straights[came]
        at = straight.to_node if straight.from_node == at else straight.from_node
    return False


def place_for_part(view: View, run_id: str, port: str) -> tuple[Leg, float] | None:
    """The first leg from a port on, before any branch, that is long enough for a part, and how far along it goes [mm].
    A valve goes behind what is never shut off, never between that and the boiler."""
    trace = view.fitted.pipework.runs[run_id]
    backwards = trace.run.finish == port
    before_branch: list[Leg] = []
    branched = False
    for item in reversed(trace.run.items) if backwards else trace.run.items:
        branched = branched or item.kind in ("tee", "point")
        if item.kind == "device" and item.part in UNSHUT:
            before_branch.clear()
        if isinstance(item, Leg) and not branched:
            before_branch.append(item)
    leg = next((one for one in before_branch if trace.lengths[one.id] >= LEAST_LEG_MM), None)
    if leg is None:
        return None
    return leg, round(trace.lengths[leg.id] - LEAST_LEG_MM / 2 if backwards else LEAST_LEG_MM / 2)


def _valve_there(view: View, run_id: str, leg: Leg, at_mm: float) -> Remedy:
    unit = view.job.pace_unit
    length = length_text(view.fitted.pipework.runs[run_id].lengths[leg.id], unit)
    effect = f"[iso] on {run_id}, {length_text(at_mm, unit, with_unit=True)} along {leg.dir}{length}"
    return Remedy("Put an isolating valve there", (put_in_leg(view, run_id, leg, "[iso]", at_mm),), effect)


@rule(
    "no-isolation",
    "mind",
    "cannot be shut off alone",
    "Without a valve of its own each repair drains the whole system.",
    "rule of the trade",
)
def no_isolation(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for station in view.job.stations:
        if not has_trait(station, "served") or station.state == "remove":
            continue
        for port in station.ports:
            key = f"{station.id}.{port.name}"
            outlet = port.role in spec.kind(station.kind).sources and spec.service_of(port.role) == "water"
            loop = has_trait(station, "bars") and port.way != ("out" if spec.role(port.role).collects else "in")
            if (
                loop  # a manifold's loops have their valves in its bars
                or spec.service(spec.service_of(port.role)).runs_off
                or key not in work.nodes
                or outlet
                or _can_shut(view, key)
            ):
                continue
            run_id = work.nodes[key].run
            remedies = [_valve_there(view, run_id, *place)] if (place := place_for_part(view, run_id, key)) else []
            yield Said(
                (station.id, key),
                f"{station.id} cannot be shut off at its {port.name}.",
                tuple(remedies),
                work.ports[key].mouth,
                (f"a valve on {run_id} before its first branch",),
            )
