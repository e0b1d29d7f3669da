"""Job templates: what a usual kind of job starts with, as commands on a blank job: stations, choices, and checks to
tick in the survey."""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import Any

from ...errors import Refused, nearest
from ...job.model import Job
from ...tables import read_rows
from .. import spec

BESIDE_MM = 700.0  # where what hangs beside the boiler is put until the tape says better
HEIGHT_MM = 1200.0
USUAL_SAFETY_BAR = 3.0  # typ, a safety valve that stands apart
CHECK = "check."


@dataclass(frozen=True, slots=True)
class Template:
    """A kind of job. boiler: what the new boiler is, where there is one."""

    id: str
    title: str
    says: str
    boiler: str = ""


TEMPLATES = {
    one.id: one
    for one in (
        Template(
            "heat-only",
            "Boiler change, heat-only boiler",
            "pump, vessel, safety valve and filling point stand apart",
            "heat-only",
        ),
        Template(
            "system",
            "Boiler change, system boiler",
            "pump, vessel and safety valve are inside; the filling point stands apart",
            "system",
        ),
        Template(
            "combi",
            "Boiler change, combi boiler",
            "pump, vessel, safety valve and filling are inside; it makes hot water as well",
            "combi",
        ),
    )
}


@dataclass(frozen=True, slots=True)
class Check:
    """Something to see to in the survey. done: by whom and when, None while it is open."""

    path: str
    says: str
    source: str
    done: tuple[str, str] | None = None


@functools.cache
def _checks() -> tuple[dict[str, str], ...]:
    return tuple(read_rows(__package__, "checks.csv"))


def checks(job: Job) -> tuple[Check, ...]:
    """The checks a job's template brought, in their order."""
    facts = {fact.path: fact for fact in job.facts}
    found = []
    for row in _checks():
        fact = facts.get(CHECK + row["id"])
        if fact is not None:
            done = (fact.by_role or "", fact.on or "") if fact.value is True else None
            found.append(Check(fact.path, row["says"], row["source"], done))
    return tuple(found)


def commands_of(ident: str, practice: str) -> list[dict[str, Any]]:
    """What a template does to a blank job with a ground floor: edits, in order. Raises Refused for a template there is
    not.

    The new boiler hangs on the north wall with the old one (to be removed) in its place, stubs of the pipes that stay
    come out below; everything is moved to where the tape says. Pipes at the boiler are made in the usual order, gas
    first.
    """
    template = TEMPLATES.get(ident)
    if template is None:
        raise Refused("template", ident, f"a template such as {nearest(ident, TEMPLATES)}", "combi")
    east = 1500.0
    combi = template.boiler == "combi"
    found: list[dict[str, Any]] = [
        _station("boiler", "OLD", "Old boiler", (east, 3000, HEIGHT_MM), state="remove"),
        _station("boiler", "BLR", "New boiler", (east, 3000, HEIGHT_MM), variant=template.boiler),
    ]
    pipes = [("OF", "Old flow", "flow"), ("ORT", "Old return", "return"), ("OG", "Old gas", "gas")]
    pipes += [("OH", "Hot to the house", "hot"), ("OC", "Cold from the main", "cold")] if combi else []
    inch = practice == "north-american"
    end = {
        "gas": "fe-40 3/4 pipe" if inch else "cu-m 22 pipe",
        "hot": "cu-l 1/2 pipe" if inch else "cu-m 15 pipe",
        "cold": "cu-l 3/4 pipe" if inch else "cu-m 15 pipe",
    }
    for n, (name, title, role) in enumerate(pipes):
        usual = "cu-l 3/4 pipe" if inch else "cu-m 22 pipe"
        found.append(
            _station(
                "stub",
                name,
                title,
                (east - 160 + 80 * n, 2950, 0),
                state="keep",
                end=end.get(role, usual),
                role=role,
                facing="up",
            )
        )
    apart = {"heat-only": ("pump", "vessel", "safety-valve", "filling"), "system": ("filling",), "combi": ()}[
        template.boiler
    ]
    for n, kind in enumerate(apart):
        data = {"vessel": {"volume_l": 18}, "safety-valve": {"set_pa": USUAL_SAFETY_BAR * 1e5}}.get(kind, {})
        found.append(_station(kind, None, "", (east + BESIDE_MM + 300 * n, 2980, None), data=data))
    found.append(
        {
            "do": "choose",
            "topic": "boiler-pipes",
            "option": "gas-first",
            "origin": "job",
            "reason": "usual order of a boiler change",
        }
    )
    found += [
        {"do": "put_fact", "fact": {"path": CHECK + row["id"], "value": False, "basis": "assumed"}}
        for row in _checks()
        if row["template"] == "boiler-change" and (not row["when"] or template.boiler in row["when"].split())
    ]
    for command in found:
        if command["do"] == "add_station" and command["at"][2] is None:
            command["at"] = (*command["at"][:2], spec.kind(command["kind"]).variants[0].floor_mm)
    return found


def _station(
    kind: str, ident: str | None, name: str, at: tuple[float, float, float | None], **more: Any
) -> dict[str, Any]:
    return {
        "do": "add_station",
        "kind": kind,
        **({"id": ident} if ident else {}),
        "name": name,
        "level": "L0",
        "at": at,
        "faces": "S",
        **more,
    }
