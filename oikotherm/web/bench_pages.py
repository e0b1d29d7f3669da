"""The Bench: every calculation alone. The same registry serves the pages, /api/calc and the command line."""

from __future__ import annotations

from typing import Any

from flask import jsonify, render_template, request

from ..core.bench import find_tool
from ..core.bench import tools as calc_tools
from ..core.design import derive
from ..core.errors import Refused
from ..core.job.commands import apply_all
from ..core.job.document import blank
from ..core.making.bends import bend90
from ..core.quantity import parse_length_mm, trim
from ..drawing import charts, svg
from ..drawing.isometric import draw
from ..drawing.look import Look
from . import db, incoming
from .bench_fields import fields_of, grouped, read, shown
from .joint_pages import finder_page, recipe_page

SHOWN = (
    "text",
    "working",
    "allowances",
    "centre_line",
    "fortnight",  # drawn
    "curve",
    "system",
    "directions",
    "items",
    "cures",
    "ways",
    "swings",
    "says",
    "canonical",
    "candidates",
    "chains",
    "rejected",
    "cautions",
    "steps",
    "proof",
    "tools",
    "quantities",
    "drain",
    "fill",
    "look_at",
    "emitters",
    "order",
    "again",
    "stubs",
    "marks",
    "row",
    "last_at_mm",
)


# longest first: the unit a name ends in
UNIT_OF_TAIL = {
    "mg_l": "mg/L",
    "g_day": "g/day",
    "kg_s": "kg/s",
    "l_s": "L/s",
    "pa_m": "Pa/m",
    "m_s": "m/s",
    "mm": "mm",
    "deg": "°",
    "pa": "Pa",
    "bar": "bar",
    "l": "L",
    "w": "W",
    "k": "K",
}


def figures_of(result: dict[str, Any] | None) -> list[tuple[str, str, str]]:
    """What a result holds beside its chief figure: (name in words, value, unit)."""
    found = []
    for name, value in (result or {}).items():
        if name in SHOWN and not isinstance(value, bool) or value is None or value == []:
            continue
        if name == "why" and isinstance(value, list):
            continue  # a list of its own
        tail, unit = next(((t, u) for t, u in UNIT_OF_TAIL.items() if name.endswith("_" + t)), ("", ""))
        label = name.removesuffix("_" + tail) if tail else name
        label = label.replace("_", " ")
        if isinstance(value, list) and all(isinstance(one, dict) for one in value):
            found += [(f"{label} {n}", _said(one), "") for n, one in enumerate(value, 1)]
        else:
            found.append((label, _said(value), unit))
    return found


def _said(value: Any) -> str:
    """A figure as it is read: a tenth is enough of a length. Lists and objects in words."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        said = [_said(one) for one in value]
        return (" " if all(one.endswith(".") for one in said) else ", ").join(said)
    if isinstance(value, dict):
        rows = ((name, one) for name, one in value.items() if name not in SHOWN and one not in ([], "", None))
        return "; ".join(f"{name.replace('_', ' ')} {_said(one)}" for name, one in rows)
    return trim(value, 3 if abs(value) < 10 else 1) if isinstance(value, float) else str(value)


def sketch(name: str, typed: dict[str, str], result: dict[str, Any]) -> str:
    """The drawing of a tool's answer; empty for those that are figures only."""

    def said(field: str, default: float = 0.0) -> float:
        return parse_length_mm(typed[field], "mm", field=field) if typed.get(field) else default

    if "centre_line" in result:
        return charts.bend(result["centre_line"], result["marks_mm"], result["cut_mm"])
    if name == "calibrate_bender":
        card = bend90(said("first"), said("second"), result["radius_mm"])
        return charts.bend([list(point) for point in card.centre_line()], list(card.marks_mm), card.cut_mm)
    if name == "clips":
        return charts.clip_line(said("length"), result["at_mm"])
    if name == "joist_hole":
        depth = said("depth")
        notch = typed.get("kind") == "notch"
        return charts.joist(
            depth,
            said("span"),
            said("from_bearing"),
            said("size"),
            said("from_edge", depth / 2),
            notch=notch,
            allowed=result["allowed"],
            practice=typed.get("practice") or "british",
        )
    if name == "closing":
        return charts.gap(said("leg", 1000.0), abs(said("side")))
    if name == "stubs" and result["ways"]:
        return charts.gap(said("gap"), said("side"), stubs=True)
    if name == "radiator_fit":
        return charts.radiator(
            said("ports"), result["valve_centres_mm"], said("pipe_centres", result["valve_centres_mm"])
        )
    if result.get("row"):
        return charts.row(result["row"], result["last_at_mm"])
    if name == "softener":
        return charts.capacity(result["fortnight"], result["capacity_g"])
    if name == "booster" and result["curve"]:
        return charts.pump_curve(result["curve"], result["system"], (result["runs_l_s"], result["runs_pa"]))
    if name == "pace":
        return _paced(result["canonical"], typed)
    return ""


def _paced(items: str, typed: dict[str, str]) -> str:
    """The items walked from a port of their own, isometric."""
    practice, unit = typed.get("practice") or "british", typed.get("unit") or "mm"
    port = {"name": "out", "role": "flow", "way": "out", "offset": (0, 0, 0), "facing": "up", "end": "cu-m 15 pipe"}
    station = {"id": "A", "kind": "stub", "level": "L0", "at": (0, 0, 0), "ports": [port]}
    commands = [
        {"do": "put_station", "station": station},
        {"do": "put_run", "text": f"F1 from A.out cu-m 15: {items} -> stub"},
    ]
    try:
        empty = blank("bench", "Bench", practice, unit)
        job = apply_all(empty, commands, db.catalogue(), db.memory())
    except Refused:
        return ""
    return svg.write(draw(derive(job, db.firm()), Look(width=520, height=300, findings=False)))


def index() -> str:
    """The tools."""
    return render_template("bench.html", groups=grouped(), tool=None)


def page(name: str) -> Any:
    """One tool: its form, and below it what the form gives."""
    if name not in calc_tools():
        return render_template(
            "error.html", title="No such tool", words=f"The Bench has {', '.join(calc_tools())}."
        ), 404
    if name in ("transition", "recipe"):
        return finder_page() if name == "transition" else recipe_page()
    tool = calc_tools()[name]
    fields = fields_of(tool)
    typed = {field.name: request.args.get(field.name, "").strip() for field in fields}
    result, error = None, None
    if any(typed.values()):
        try:
            result = tool.run(read(tool, typed), db.firm())
        except Refused as refused:
            error = refused
    else:
        typed = shown(tool, tool.example)
    drawing = sketch(name, typed, result) if result else ""
    html = render_template(
        "bench.html",
        groups=grouped(),
        tool=tool,
        fields=fields,
        typed=typed,
        result=result,
        drawing=drawing,
        figures=figures_of(result),
        error=error,
    )
    return html, 422 if error else 200


def api_calc(name: str) -> Any:
    """One JSON object in, one out; the error object with status 422 for what cannot be taken."""
    try:
        return jsonify(find_tool(name).run(incoming.body("input", "{}"), db.firm()))
    except Refused as refused:
        return jsonify(error=refused.as_dict()), 422
