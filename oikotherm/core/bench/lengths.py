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
from .registry import Input, in_force, tool

Part = Literal["elbow", "45", "tee", "coupling", "reducer"]


class CutLength(Input):
    pipe: str = Field(description="pipe system and size, such as cu-m 15 or fe-40 3/4")
    method: Literal["capillary", "compression", "press", "thread"] = Field(
        description="capillary, compression, press or thread"
    )
    from_: Part = Field(alias="from", description="elbow, 45, tee, coupling or reducer at the start")
    to: Part = Field(description="elbow, 45, tee, coupling or reducer at the end")
    centre_to_centre: float | str = Field(
        description="between the centres of the two fittings; mm, or text with a unit"
    )
    round_to: Literal["mm", "in"] | None = Field(
        default=None, description="mm: whole millimetres, in: sixteenths; else by the pipe"
    )
    reduces_to: str | None = Field(default=None, description="other size of a reducer; else the next size down")


@tool(
    "Cut length",
    "pipe between two fittings, from centre to centre",
    {"pipe": "cu-m 15", "method": "capillary", "from": "elbow", "to": "tee", "centre_to_centre": 500},
)
def cut_length(said: CutLength) -> dict[str, Any]:
    """{cut_mm, text, allowances, working}. Sockets: less centre-to-stop z; threads: less A, plus made-up thread.

    centre_to_centre above 0 [mm or with unit]. Raises Refused: unknown pipe or method, no figures, too short to make.
    """
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    centre_mm = parse_length_mm(said.centre_to_centre, "mm", field="centre_to_centre")
    if not 0 < centre_mm <= 1e6:
        raise Refused("centre_to_centre", said.centre_to_centre, "a length above 0 and up to 1 km", "500")
    ends = tuple(_mating(catalogue, pipe, said.method, part, said.reduces_to) for part in (said.from_, said.to))
    exact_mm, steps = cut_working(centre_mm, (ends[0], ends[1]))
    least_mm, why = least_piece_mm(
        catalogue, pipe, (said.method, said.method), (ends[0].insertion_mm, ends[1].insertion_mm)
    )
    unit: PaceUnit = said.round_to or ("in" if pipe.code in ("cu-l", "cu-mm", "cu-k", "fe-40", "pexa") else "mm")
    if exact_mm < least_mm - 1e-6:
        need_mm = centre_mm + least_mm - exact_mm
        raise Refused(
            "centre_to_centre",
            said.centre_to_centre,
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
