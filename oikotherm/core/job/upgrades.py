"""Documents of older versions made those of today: pure steps from dict to dict, one a version, on reading and never in
storage."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from .model import VERSION


def upgrade(found: dict[str, Any]) -> dict[str, Any]:
    """A document as read, made one of the present version. What cannot be one is left for the model to refuse."""
    version = found.get("version", 1)
    while isinstance(version, int) and 1 <= version < VERSION:
        found = {**_UPGRADES[version](found), "version": version + 1}
        version += 1
    return found


def _list(owner: Any, name: str) -> list[dict[str, Any]]:
    """The objects of a list, for a document nobody has checked yet."""
    found = owner.get(name) if isinstance(owner, dict) else None
    return [one for one in found if isinstance(one, dict)] if isinstance(found, list) else []


def upgrade_1(found: dict[str, Any]) -> dict[str, Any]:
    """Version 1 to 2: the overflow of a tank and the drain of a softener are cold and have a role of their own; clamped
    multilayer joints have a method of their own."""
    return _clamps(_overflows(found))


_COLD = {("tank", "overflow"), ("softener", "drain")}


def _overflows(found: dict[str, Any]) -> dict[str, Any]:
    cold: set[str] = set()  # anchors whose pipe is an overflow
    stations = []
    for station in found["stations"] if isinstance(found.get("stations"), list) else []:
        names = {
            port.get("name")
            for port in _list(station, "ports")
            if (_word(station, "kind"), port.get("name")) in _COLD and port.get("role") == "discharge"
        }
        if names:
            ports = [
                {**port, "role": "overflow"} if isinstance(port, dict) and port.get("name") in names else port
                for port in station["ports"]
            ]
            station = {**station, "ports": ports}
            cold |= {f"{station.get('id')}.{name}" for name in names}
        stations.append(station)
    if not cold or not isinstance(found.get("runs", []), list):
        return found
    runs = list(found.get("runs", []))
    turned = True
    while turned:
        turned = False
        for n, run in enumerate(runs):
            if (
                not isinstance(run, dict)
                or run.get("role") != "discharge"
                or not {_word(run, "start"), _word(run, "finish")} & cold
            ):
                continue
            runs[n] = {**run, "role": "overflow"}
            cold |= {
                f"{run.get('id')}.{item.get('name')}"
                for item in _list(run, "items")
                if item.get("kind") in ("tee", "point")
            }
            turned = True
    return {**found, "stations": stations, "runs": runs}


def _word(owner: Any, name: str) -> str:
    said = owner.get(name) if isinstance(owner, dict) else None
    return said if isinstance(said, str) else ""


def _clamps(found: dict[str, Any]) -> dict[str, Any]:
    pipe_of: dict[str, str] = {}  # item id -> the pipe system it stands in
    for run in _list(found, "runs"):
        code = _word(run.get("pipe"), "code")
        for item in _list(run, "items"):
            pipe_of[_word(item, "id")] = code
            if item.get("kind") == "pipe":
                code = _word(item.get("pipe"), "code")
    if not isinstance(found.get("overrides"), list):
        return found
    rows = [
        {**row, "value": "compression-mlc"}
        if isinstance(row, dict)
        and row.get("field") == "method"
        and row.get("value") == "compression"
        and pipe_of.get(_word(row, "target").partition("/")[0]) == "mlc"
        else row
        for row in found["overrides"]
    ]
    return {**found, "overrides": rows}


_UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: upgrade_1}
