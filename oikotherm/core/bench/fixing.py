"""calc clips, joist_hole, pace."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ..errors import Refused
from ..job.notation import parse_run
from ..job.words import Style
from ..job.writing import item_text
from ..making import joists, supports
from ..quantity import PaceUnit, Practice
from .lengths import read_pipe
from .registry import Input, Quantity, in_force, mm, tool


class ClipsSum(Input):
    pipe: str = Field(description="pipe system and size, such as cu-m 15")
    length: Quantity = Field(description="straight between two changes of direction; mm, or text with a unit")
    direction: Literal["horizontal", "vertical"] = Field(default="horizontal", description="horizontal or vertical")
    spacing: Quantity | None = Field(default=None, description="your own distance; mm")
    service: str = Field(default="", description="gas has distances of its own for inch copper")


@tool("Clips", "how many and where on a straight", {"pipe": "cu-m 15", "length": 3000, "direction": "horizontal"})
def clips(said: ClipsSum) -> dict[str, Any]:
    """{count, every_mm, spacing_mm, at_mm, source, wider_than_mm?}. Raises Refused."""
    catalogue = in_force()
    own = None if said.spacing is None else mm(said.spacing, "spacing")
    found = supports.clips(
        catalogue, read_pipe(said.pipe, catalogue), mm(said.length, "length"), said.direction, own, said.service
    )
    text = f"{found.count} clips, every {found.every_mm:.0f} mm" if found.count > 1 else "1 clip, in the middle"
    if found.wider_than_mm:
        text += f"; the table allows {found.wider_than_mm:.0f} mm"
    return {
        "count": found.count,
        "every_mm": round(found.every_mm, 1),
        "spacing_mm": found.spacing_mm,
        "at_mm": list(found.at_mm),
        "source": found.source,
        **({"wider_than_mm": found.wider_than_mm} if found.wider_than_mm else {}),
        "text": text,
    }


class JoistHole(Input):
    practice: Literal["british", "continental", "north-american"] = Field(
        default="british", description="british, continental or north-american"
    )
    kind: Literal["hole", "notch"] = Field(default="hole", description="hole or notch")
    depth: Quantity = Field(description="depth of the joist; mm, or text with a unit")
    span: Quantity = Field(description="its span between bearings; mm, or text with a unit")
    from_bearing: Quantity = Field(description="where along the span; mm, or text with a unit")
    size: Quantity = Field(description="diameter of the hole, or depth of the notch; mm, or text with a unit")
    from_edge: Quantity | None = Field(default=None, description="edge to the centre of the hole; mm (the middle)")
    joist: Literal["solid", "i-joist", "truss"] = Field(default="solid", description="solid, i-joist or truss")


@tool(
    "Hole in a joist",
    "whether a joist takes it",
    {"practice": "british", "kind": "hole", "depth": 200, "span": 4000, "from_bearing": 1200, "size": 18},
)
def joist_hole(said: JoistHole) -> dict[str, Any]:
    """{allowed, most_mm, reasons, plate, text}. Raises Refused."""
    found = joists.joist_hole(
        said.practice,
        said.kind,
        mm(said.depth, "depth"),
        mm(said.span, "span"),
        mm(said.from_bearing, "from_bearing"),
        mm(said.size, "size"),
        None if said.from_edge is None else mm(said.from_edge, "from_edge"),
        said.joist,
    )
    text = "allowed" if found.allowed else "not allowed: " + "; ".join(found.reasons)
    text += ", with a steel plate over it" if found.allowed and found.plate else ""
    return {
        "allowed": found.allowed,
        "most_mm": round(found.most_mm, 1),
        "reasons": list(found.reasons),
        "plate": found.plate,
        "text": text,
    }


class Pace(Input):
    text: str = Field(description="a line of pacing, or its items alone")
    unit: PaceUnit = Field(default="mm", description="unit of a bare number: mm or in")
    practice: Practice = Field(default="british", description="british, continental or north-american")


@tool("Pace", "read a line of pacing", {"text": "from BLR.flow cu-m 22: D350 [iso] W1850 (wall 220) W400 *T1"})
def pace(said: Pace) -> dict[str, Any]:
    """{items, canonical, length_mm}: each item with its kind and canonical text. Raises Refused with the span."""
    style = Style(in_force(), said.practice, said.unit)
    ahead = "" if ":" in said.text and "from" in said.text.lower().split(":")[0] else "from X.x cu-m 15: "
    try:
        parsed = parse_run(ahead + said.text, style)
    except Refused as refused:
        raise refused.moved(-len(ahead)) from None
    texts = [item_text(item, style) for item in parsed.items]
    items = [
        {**item.model_dump(mode="json", exclude_none=True, exclude={"id"}), "text": text}
        for item, text in zip(parsed.items, texts, strict=True)
    ]
    length = sum(item.length_mm or 0.0 for item in parsed.items if item.kind == "leg")
    return {"items": items, "canonical": " ".join(texts), "length_mm": round(length, 3), "text": " ".join(texts)}
