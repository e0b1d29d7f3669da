"""The Bench: every calculation alone. The same registry serves the pages, /api/calc and the command line."""

from __future__ import annotations

import typing
from typing import Any

from flask import Blueprint, jsonify, render_template, request

from ..core.bench import TOOLS, Tool, find_tool
from ..core.errors import Refused
from ..drawing.charts import bend

bp = Blueprint("bench", __name__)


def fields_of(tool: Tool) -> list[dict[str, Any]]:
    """The inputs of a tool as form fields: name, description, options (of a choice), required."""
    fields = []
    for name, field in tool.input.model_fields.items():
        options: list[str] = []
        for part in (field.annotation, *typing.get_args(field.annotation)):
            if typing.get_origin(part) is typing.Literal:
                options = list(typing.get_args(part))
        label = field.alias or name
        fields.append(
            {"name": label, "description": field.description or "", "options": options, "required": field.is_required()}
        )
    return fields


SHOWN = ("text", "working", "allowances", "centre_line", "items")


def figures_of(result: dict[str, Any] | None) -> list[tuple[str, str, str]]:
    """What a result holds beside its chief figure: (name in words, value, unit)."""
    found = []
    units = {"mm": "mm", "deg": "°", "pa": "Pa", "l": "L", "bar": "bar", "w": "W", "k": "K"}
    for name, value in (result or {}).items():
        if name in SHOWN or value is None or value == []:
            continue
        words, _, tail = name.rpartition("_")
        unit = (
            "kg/s"
            if name.endswith("kg_s")
            else "m/s"
            if name.endswith("m_s")
            else "Pa/m"
            if name.endswith("pa_m")
            else units.get(tail, "")
        )
        label = (
            name.removesuffix("_kg_s").removesuffix("_pa_m").removesuffix("_m_s")
            if "/" in unit
            else words
            if unit
            else name
        )
        text = ", ".join(str(one) for one in value) if isinstance(value, list) else str(value)
        found.append((label.replace("_", " "), text, unit))
    return found


@bp.get("/bench")
def index() -> str:
    """The tools."""
    return render_template("bench.html", tools=TOOLS.values(), tool=None)


@bp.get("/bench/<name>")
def page(name: str) -> Any:
    """One tool: its form, and below it what the form gives."""
    if name not in TOOLS:
        return render_template("error.html", title="No such tool", words=f"The Bench has {', '.join(TOOLS)}."), 404
    tool = TOOLS[name]
    fields = fields_of(tool)
    typed = {field["name"]: request.args.get(field["name"], "").strip() for field in fields}
    result, error = None, None
    if any(typed.values()):
        try:
            result = tool.run({key: value for key, value in typed.items() if value})
        except Refused as refused:
            error = refused
    else:
        typed = {key: str(value) for key, value in tool.example.items()}
    drawing = (
        bend(result["centre_line"], result["marks_mm"], result["cut_mm"]) if result and "centre_line" in result else ""
    )
    html = render_template(
        "bench.html",
        tools=TOOLS.values(),
        tool=tool,
        fields=fields,
        typed=typed,
        result=result,
        drawing=drawing,
        figures=figures_of(result),
        error=error,
    )
    return html, 422 if error else 200


@bp.post("/api/calc/<name>")
def api_calc(name: str) -> Any:
    """One JSON object in, one out; the error object with status 422 for what cannot be taken."""
    try:
        return jsonify(find_tool(name).run(request.get_json(silent=True)))
    except Refused as refused:
        return jsonify(error=refused.as_dict()), 422
