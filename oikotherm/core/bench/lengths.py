"""calc cut_length: how long to cut a pipe between two fittings."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ..catalogue import Catalogue
from ..catalogue.loader import size_order
from ..errors import Refused
from ..job.model import Pipe
from ..joints.fitted import Mating
from ..joints.least import least_piece_mm
from ..joints.takeoff import part_mating, reducer_mating
from ..making.cut import cut_working, round_to_mark
from ..quantity import PaceUnit, Practice, length_text, parse_length_mm
from ..working import Step
from .registry import Input, Quantity, in_force, tool

Method = Literal[
    "capillary",
    "braze",
    "compression",
    "compression-plastic",
    "compression-mlc",
    "press",
    "press-mlc",
    "push-fit",
    "push-fit-metal",
    "expansion",
    "solvent",
    "thread",
]
Part = Literal["elbow", "45", "tee", "coupling", "reducer"]


class CutLength(Input):
    pipe: str = Field(description="pipe system and size, such as cu-m 15 or fe-40 3/4")
    method: Method = Field(
        description="capillary, braze, compression, compression-plastic, compression-mlc, press, press-mlc, push-fit, "
        "push-fit-metal, expansion, solvent or thread"
    )
    from_: Part = Field(
        default="elbow", alias="from", description="elbow, 45, tee, coupling or reducer at the start (elbow)"
    )
    to: Part = Field(default="elbow", description="elbow, 45, tee, coupling or reducer at the end (elbow)")
    centre_to_centre: Quantity | None = Field(
        default=None, description="between the centres of the two fittings; mm, or text with a unit"
    )
    mouth_to_mouth: Quantity | None = Field(
        default=None, description="instead: the gap between their mouths, or faces of threads; mm"
    )
    stop_to_stop: Quantity | None = Field(
        default=None, description="instead: between the stops their pipe comes to; mm. Threads have none"
    )
    round_to: Literal["mm", "in"] | None = Field(
        default=None, description="mm: whole millimetres, in: sixteenths; else by the pipe"
    )
    reduces_to: str | None = Field(default=None, description="other size of a reducer; else the next size down")


MEASURES = ("centre_to_centre", "mouth_to_mouth", "stop_to_stop")


@tool(
    "Cut length",
    "pipe between two fittings, from centre to centre, mouth to mouth or stop to stop",
    {"pipe": "cu-m 15", "method": "capillary", "from": "elbow", "to": "tee", "centre_to_centre": 500},
)
def cut_length(said: CutLength) -> dict[str, Any]:
    """{cut_mm, text, allowances, working}. Sockets: less centre-to-stop z; threads: less A, plus made-up thread. From
    mouth to mouth: plus both depths; from stop to stop: as it is.

    One measure above 0 [mm or with unit]. Raises Refused: unknown pipe or method, no figures, no or two measures, too
    short to make.
    """
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    given = [name for name in MEASURES if getattr(said, name) is not None]
    if len(given) != 1:
        was = " and ".join(given) or "none"
        raise Refused("centre_to_centre", was, f"one measure: {', '.join(MEASURES[:2])} or {MEASURES[2]}", "500")
    measure = given[0]
    measured_mm = parse_length_mm(getattr(said, measure), "mm", field=measure)
    if not 0 < measured_mm <= 1e6:
        raise Refused(measure, getattr(said, measure), "a length above 0 and up to 1 km", "500")
    if measure == "stop_to_stop" and said.method == "thread":
        raise Refused(measure, "thread", "a socket: a thread has no stop; measure from face to face", "mouth_to_mouth")
    ends = tuple(_mating(catalogue, pipe, said.method, part, said.reduces_to) for part in (said.from_, said.to))
    if measure == "centre_to_centre":
        exact_mm, steps = cut_working(measured_mm, (ends[0], ends[1]))
    else:
        exact_mm, steps = _from_mouths(measured_mm, (ends[0], ends[1]), stops=measure == "stop_to_stop")
    least_mm, why = least_piece_mm(
        catalogue, pipe, (said.method, said.method), (ends[0].insertion_mm, ends[1].insertion_mm)
    )
    unit: PaceUnit = said.round_to or ("in" if pipe.code in ("cu-l", "cu-mm", "cu-k", "fe-40", "pexa") else "mm")
    if exact_mm < least_mm - 1e-6:
        need_mm = measured_mm + least_mm - exact_mm
        raise Refused(
            measure,
            getattr(said, measure),
            f"at least {length_text(need_mm, unit, with_unit=True)} here: {why}; or a street fitting",
            f"{need_mm + 1:.0f}",
        )
    cut_mm = round_to_mark(exact_mm, unit)
    allowances = [
        {
            "at": name,
            "part": part,
            "take_off_mm": round(end.take_off_mm, 3),
            "insertion_mm": round(end.insertion_mm, 3),
            "face_mm": round(end.face_mm, 3),
            "source": end.source,
        }
        for name, part, end in zip(("from", "to"), (said.from_, said.to), ends, strict=True)
    ]
    return {
        "cut_mm": cut_mm,
        "text": length_text(cut_mm, unit, with_unit=True),
        "exact_mm": exact_mm,
        "allowances": allowances,
        "loose_end_mm": round(ends[0].loose_mm + ends[1].loose_mm, 1),
        "working": [step.as_dict() for step in steps],
    }


def _from_mouths(measured_mm: float, ends: tuple[Mating, Mating], *, stops: bool) -> tuple[float, tuple[Step, ...]]:
    """The exact cut length [mm] from the gap between stops, or between mouths, and its steps."""
    if stops:
        step = Step("cut = gap between the stops", (("gap_mm", measured_mm),), measured_mm, "mm", "said")
        return measured_mm, (step,)
    depths = [end.insertion_mm for end in ends]
    exact_mm = round(measured_mm + sum(depths), 6)
    inputs = ("gap_mm", measured_mm), ("depth_start_mm", depths[0]), ("depth_end_mm", depths[1])
    source = "; ".join(dict.fromkeys(end.source for end in ends))
    return exact_mm, (Step("cut = gap between the mouths + both depths", inputs, exact_mm, "mm", source),)


def read_pipe(said: str, catalogue: Catalogue, practice: Practice = "british") -> Pipe:
    """ "cu-m 15" or "copper 15" as a pipe of the catalogue. Raises Refused."""
    words = said.replace('"', " ").split()
    if not words:
        raise Refused("pipe", said, "a pipe system and size", "cu-m 15")
    code = catalogue.system_code(words[0], practice)
    size = "-".join(words[1:]).upper()
    if catalogue.pipe(code, size) is None:
        sizes = catalogue.sizes(code)
        raise Refused("pipe", said, f"a size of {code}: {', '.join(sizes)}", f"{code} {sizes[min(2, len(sizes) - 1)]}")
    return Pipe(code=code, size=size)


def _mating(catalogue: Catalogue, pipe: Pipe, method: str, part: Part, reduces_to: str | None) -> Mating:
    if catalogue.method_figures(pipe.code, pipe.size, method) is None:
        methods = [m for m in catalogue.systems[pipe.code].methods if catalogue.method_figures(pipe.code, pipe.size, m)]
        expected = (
            f"a method with figures for {pipe}: {', '.join(methods)}"
            if methods
            else f"another pipe: no figures for {pipe}"
        )
        raise Refused("method", method, expected, methods[0] if methods else "cu-m 15")
    if part != "reducer":
        found = part_mating(catalogue, pipe, method, part)
    else:
        found = reducer_mating(catalogue, pipe, _other_size(catalogue, pipe, method, reduces_to), method)
    if found is None:
        raise Refused("part", part, f"a part with figures for {pipe} by {method}", "elbow")
    return found


def _other_size(catalogue: Catalogue, pipe: Pipe, method: str, said: str | None) -> Pipe:
    """The other end of a reducer: as said, else the next size down (for the smallest: up) with figures."""
    sizes = sorted(
        (s for s in catalogue.sizes(pipe.code) if s != pipe.size and catalogue.method_figures(pipe.code, s, method)),
        key=size_order,
    )
    if said is not None:
        if said not in sizes:
            raise Refused("reduces_to", said, f"another size of {pipe.code}: {', '.join(sizes)}", sizes[0])
        return Pipe(code=pipe.code, size=said)
    below = [size for size in sizes if size_order(size) < size_order(pipe.size)]
    if not sizes:
        raise Refused("part", "reducer", "a pipe with a second size", "cu-m 22")
    return Pipe(code=pipe.code, size=below[-1] if below else sizes[0])
