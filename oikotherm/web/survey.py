"""Survey: levels and stations with their ports, by plain forms."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from ..core.catalogue import standard
from ..core.errors import Refused
from ..core.job.model import Job, Port, Station
from ..core.quantity import parse, parse_length_mm
from ..drawing.projection import Projection
from ..store import jobs as jobs_store
from .frame import Frame
from .job import _rev, edit_job

bp = Blueprint("survey", __name__, url_prefix="/jobs/<uid>/survey")
FACINGS = ("left", "right", "out", "back", "up", "down")


@bp.get("")
def index(uid: str) -> str:
    """Levels, stations and their ports."""
    return _page(uid)


def _page(uid: str, **more: Any) -> str:
    frame = Frame(uid, "survey")
    known = {"typed": {}, "typed_in": "", "error": None, "message": ""}
    return render_template(
        "survey.html",
        frame=frame,
        kinds=standard().stations.values(),
        kit_parts=standard().kits,
        facings=FACINGS,
        **{**known, **more},
    )


@bp.post("")
def change(uid: str) -> Any:
    """One form of the page: its commands applied, or the page again with what was typed and why it was refused."""
    form = request.form
    name = form.get("form", "")
    try:
        job = Frame(uid, "survey").job
        commands = _commands(job, name, form)
        edit_job(uid, _rev(form.get("rev", "")), commands)
    except Refused as error:
        return _page(uid, typed=form, typed_in=name, error=error), 422
    except jobs_store.Stale as stale:
        words = f"Somebody changed this job meanwhile (now revision {stale.head}). Yours was not stored; what you typed is kept below."
        return _page(uid, typed=form, typed_in=name, message=words), 409
    return redirect(url_for(".index", uid=uid, done=name) + f"#{form.get('back', name)}", 303)


def _commands(job: Job, name: str, form: Mapping[str, str]) -> list[dict[str, Any]]:
    """The commands of a form. Raises Refused for what cannot be read."""
    comma = job.practice == "continental"

    def length(field: str, default: float | None = None) -> float:
        text = form.get(field, "").strip()
        if not text and default is not None:
            return default
        return parse_length_mm(text, job.pace_unit, field=field, decimal_comma=comma)

    if name == "level":
        ident = form.get("id", "").strip().upper() or job.free_id("L")
        level = {
            "id": ident,
            "name": form.get("name", "").strip() or ident,
            "floor_mm": length("floor"),
            "ceiling_mm": length("ceiling"),
        }
        return [{"do": "put_level", "level": level}]
    if name.startswith("level-remove-"):
        return [{"do": "remove_level", "id": name.removeprefix("level-remove-")}]
    if name == "station":
        return [_new_station(form, length, comma)]
    if name.startswith("station-remove-"):
        return [{"do": "remove_station", "id": name.removeprefix("station-remove-")}]
    if name.startswith("station-"):
        station = _known(job, name.removeprefix("station-"))
        kept = station.model_dump(exclude_none=True)
        kept.update(
            name=form.get("name", "").strip(), level=form.get("level", ""), faces=form.get("faces", ""), state=form.get("state", "new"),
            at=(length("east"), length("north"), length("height")), serial=form.get("serial", "").strip() or None,
        )  # fmt: skip
        return [{"do": "put_station", "station": kept}]
    if name.startswith("port-"):
        return [_port(job, name, form, length)]
    if name == "job":
        return [
            {
                "do": "set_job",
                **{field: form[field] for field in ("title", "place", "practice", "pace_unit") if field in form},
            }
        ]
    raise Refused("form", name, "a form of this page", "station")


def _known(job: Job, ident: str) -> Station:
    station = job.station(ident)
    if station is None:
        raise Refused("station", ident, "a station that is still there", "BLR")
    return station


def _new_station(form: Mapping[str, str], length: Any, comma: bool) -> dict[str, Any]:
    kind = standard().stations.get(form.get("kind", ""))
    command: dict[str, Any] = {
        "do": "add_station", "kind": form.get("kind", ""), "level": form.get("level", ""), "name": form.get("name", "").strip(),
        "at": (length("east"), length("north"), length("height", kind.floor_mm if kind else 0)), "faces": form.get("faces", "S"), "data": {},
    }  # fmt: skip
    if form.get("id", "").strip():
        command["id"] = form["id"].strip().upper()
    if form.get("output", "").strip() and kind and kind.kind in ("boiler", "emitter"):
        command["data"]["output_w"] = parse(form["output"], "power", "W", field="output", decimal_comma=comma)
    if kind and kind.kind == "stub":
        command.update(
            {field: form[field].strip() for field in ("end", "role", "facing") if form.get(field, "").strip()}
        )
    else:
        for field in ("width", "tall"):
            if form.get(field, "").strip():
                command["data"][{"width": "width_mm", "tall": "height_mm"}[field]] = length(field)
    return command


def _port(job: Job, name: str, form: Mapping[str, str], length: Any) -> dict[str, Any]:
    """port-R1-left: the port as typed, its kit as words such as "tail-g12 trv-angle-15:down"."""
    _, ident, port_name = name.split("-", 2)
    station = _known(job, ident)
    kit = [
        {"part": part, "turn": turn or None}
        for part, _, turn in (word.partition(":") for word in form.get("kit", "").split())
    ]
    unknown = [part["part"] for part in kit if part["part"] not in standard().kits]
    if unknown:
        raise Refused(
            "kit", unknown[0], f"parts such as {', '.join(list(standard().kits)[:3])}", "tail-g12 trv-angle-15:down"
        )
    ports: list[Any] = []
    for port in station.ports:
        kept: dict[str, Any] = port.model_dump()
        if port.name == port_name:
            kept.update(
                role=form.get("role", port.role), way=form.get("way", port.way), facing=form.get("facing", port.facing),
                offset=(length("right"), length("out"), length("up")), end=form.get("end", port.end), kit=kit,
            )  # fmt: skip
        ports.append(kept)
    return {"do": "put_station", "station": {**station.model_dump(exclude_none=True), "ports": ports}}


@bp.app_template_global()
def plan_view() -> Projection:
    """The small plan beside the forms."""
    return Projection("plan")


@bp.app_template_global()
def kit_text(port: Port) -> str:
    """A port's kit as it is typed."""
    return " ".join(part.part + (f":{part.turn}" if part.turn else "") for part in port.kit)
