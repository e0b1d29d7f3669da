"""Writes a scene as DXF (ezdxf): millimetres of the house, a layer for each role and kind, text at its place."""

from __future__ import annotations

import io
from typing import Any

from ..core.services import spec
from .palette import line_type, true_colour
from .scene import XY, Scene, Stroke

LAYERS: dict[str, tuple[int, str]] = {
    "FITTINGS": (7, "CONTINUOUS"),
    "STATIONS": (7, "CONTINUOUS"),
    "HOUSE": (9, "CONTINUOUS"),
    "OBSTACLES": (42, "CONTINUOUS"),
    "DIMENSIONS": (5, "CONTINUOUS"),
    "LABELS": (7, "CONTINUOUS"),
    "SYMBOLS": (7, "CONTINUOUS"),
}
_KIND = {
    "station": "STATIONS",
    "level": "HOUSE",
    "room": "HOUSE",
    "wall": "HOUSE",
    "joist": "HOUSE",
    "compass": "HOUSE",
    "obstacle": "OBSTACLES",
    "dimension": "DIMENSIONS",
    "band": "DIMENSIONS",
    "fitting": "FITTINGS",
    "closing": "FITTINGS",
}
TEXT_UNITS = 9.0  # height of text in sheet units


def layer_of(stroke: Stroke) -> str:
    """The layer a stroke goes on."""
    if stroke.layer == "pipe":
        return f"PIPE-{stroke.role.upper()}"
    return _KIND.get(stroke.layer, "HOUSE")


def write(scene: Scene) -> str:
    """The scene as DXF text (R2010), in millimetres: on a plan or elevation as in the house, on an isometric true along
    its axes.

    Pipes are whole, without the gaps of the drawing. The same scene gives the same bytes.
    """
    import ezdxf
    from ezdxf.enums import TextEntityAlignment

    ezdxf.options.write_fixed_meta_data_for_testing = True  # type: ignore[attr-defined]
    doc: Any = ezdxf.new("R2010", setup=["linetypes"])  # type: ignore[attr-defined]
    doc.header["$INSUNITS"] = 4  # millimetres
    space = doc.modelspace()
    for role in spec.roles():
        doc.layers.add(f"PIPE-{role.id.upper()}", linetype=line_type(role), true_color=true_colour(role.colour[0]))
    for name, (colour, line) in LAYERS.items():
        doc.layers.add(name, color=colour, linetype=line)
    longest = max((axis[0] ** 2 + axis[1] ** 2) ** 0.5 for axis in scene.axes) or 1.0
    scale = 1000 / longest
    ox, oy = scene.origin

    def at(point: XY) -> XY:
        return round((point[0] - ox) * scale, 4), round((oy - point[1]) * scale, 4)

    strokes = [stroke for stroke in scene.strokes if stroke.layer != "pipe"]
    for stroke in (*strokes, *scene.pipes):
        points = [at(point) for point in stroke.points]
        attribs = {"layer": layer_of(stroke)}
        if len(points) == 2 and not stroke.closed:
            space.add_line(*points, dxfattribs=attribs)
        else:
            space.add_lwpolyline(points, close=stroke.closed, dxfattribs=attribs)
    for symbol in scene.symbols:
        if symbol.shape != "flow":
            space.add_circle(at(symbol.at), 5 * scale, dxfattribs={"layer": "SYMBOLS"})
    for label in scene.labels:
        if not label.tight:
            text = space.add_text(label.text, height=TEXT_UNITS * scale, dxfattribs={"layer": "LABELS"})
            text.set_placement(at(label.at), align=TextEntityAlignment.MIDDLE_CENTER)
    out = io.StringIO()
    doc.write(out)
    return out.getvalue()
