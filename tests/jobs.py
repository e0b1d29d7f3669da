"""Small jobs the tests build on."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from oikotherm.core.catalogue import standard
from oikotherm.core.design import Design, derive
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.document import blank, read, read_as
from oikotherm.core.job.model import Choice, Job, Station
from oikotherm.core.job.words import Style
from oikotherm.core.job.writing import run_text
from oikotherm.demo import documents

CATALOGUE = standard()
STYLE = Style(CATALOGUE)


def job(practice: str = "british", unit: str = "mm", turns: str = "fittings") -> Job:
    """An empty job. turns: an option of the topic changes-of-direction; with fittings every corner can be reckoned by
    table."""
    made = blank("test-job", "Test job", practice, unit)
    return made.model_copy(update={"choices": {"changes-of-direction": Choice(option=turns, origin="job")}})


def edit(start: Job, *commands: dict[str, Any]) -> Job:
    return apply_all(start, commands, CATALOGUE)


def port(
    name: str, end: str, at: tuple[float, float, float], facing: str = "up", role: str = "flow", way: str = "out"
) -> dict[str, Any]:
    return {"name": name, "role": role, "way": way, "offset": at, "facing": facing, "end": end}


def station(
    id_: str, ports: list[dict[str, Any]], kind: str = "stub", faces: str = "S", state: str = "new"
) -> dict[str, Any]:
    """A station at the origin of the ground floor that faces south, so that right is east and up is up."""
    made = read_as(
        Station,
        {"id": id_, "kind": kind, "level": "L0", "at": (0, 0, 0), "faces": faces, "state": state, "ports": ports},
    )
    return {"do": "put_station", "station": made}


def paced(
    *texts: str, end: str = "comp-cu 15 socket", practice: str = "british", unit: str = "mm", turns: str = "fittings"
) -> Job:
    """A job with one port A.out at the origin (house x, y, z = 0) and the runs given."""
    first = station("A", [port("out", end, (0, 0, 0))])
    return edit(job(practice, unit, turns), first, *({"do": "put_run", "text": text} for text in texts))


def design(*texts: str, **more: Any) -> Design:
    return derive(paced(*texts, **more))


def demo() -> Job:
    """The first part of the Lockhouse: boiler, three radiators on two levels; RT3 misses its radiator by 15 mm."""
    return read((Path(__file__).parent / "data" / "first-part.oikotherm.json").read_bytes())


def whole(uid: str = "lockhouse") -> Job:
    """A demo job that ships with the program."""
    return next(found for found in documents() if found.uid == uid)


FLOW = "F1 from BLR.flow cu-m 22: U300 W443 [vent] W400 D500 [safety-valve set 3] D1390 S2790 =cu-m 15 U71 -> R1.left"
RETURN = (
    "RT1 from BLR.return cu-m 22: U300 E200 [vent] E200 D600 [filling] D600 [vessel set 8] D720 W2557 S1000 [drain] "
    "S1790 "
    "=cu-m 15 U101 -> R1.right"
)


def circuit(
    flow: str = FLOW, back: str = RETURN, *more: dict[str, Any], output_w: float = 1500, said: bool = True
) -> Job:
    """A boiler and one radiator with all that a closed circuit must have; parts are left out of the lines to make it
    fail."""
    boiler = {
        "do": "add_station",
        "kind": "boiler",
        "level": "L0",
        "at": (2000, 3000, 1000),
        "data": {"output_w": 12000},
    }
    data = {"output_w": output_w, "rated_at_k": 50, "exponent": 1.3, "volume_l": 5.0}
    radiator = {"do": "add_station", "kind": "emitter", "level": "L0", "at": (500, 0, 150), "faces": "N", "data": data}
    terms = {"do": "put_circuit", "circuit": {"id": "CH", "source": "BLR", "flow_c": 75, "return_c": 65}}
    texts = [{"do": "put_run", "text": text} for text in (flow, back) if text]
    made = edit(job(), boiler, radiator, *([terms] if said else []))
    source = made.stations[0].model_dump(exclude_none=True)
    source["brings"] = {**source.get("brings", {}), "drains": True}
    return edit(made, {"do": "put_station", "station": source}, *texts, *more)


def retyped(job: Job, run: str, *pairs: tuple[str, str]) -> dict[str, Any]:
    """The run typed again with words changed."""
    found = job.run(run)
    assert found is not None
    text = run_text(found, Style(CATALOGUE, job.practice, job.pace_unit))
    for old, new in pairs:
        assert old in text, (old, text)
        text = text.replace(old, new, 1)
    return {"do": "put_run", "text": text}


def said(job: Job, ident: str, **data: Any) -> dict[str, Any]:
    """A station with other data."""
    found = job.station(ident)
    assert found is not None
    kept = found.model_dump(exclude_none=True)
    return {"do": "put_station", "station": {**kept, "data": {**kept.get("data", {}), **data}}}
