"""Survey: levels and stations with their ports, by plain forms."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import date
from typing import Any, get_args

from flask import Blueprint, jsonify, redirect, request, url_for

from ..core.errors import Refused
from ..core.job.houseline import EXAMPLES, corners_of, drawn_part, part_text
from ..core.job.model import Job, Metal, Port, Station
from ..core.quantity import length_text, number, parse, parse_length_mm
from ..core.services import spec
from ..core.services.heating.behind import behind_text, read_behind
from ..core.services.heating.series import PANEL, emitter_of
from ..core.services.heating.templates import checks
from ..core.services.heating.valves import curve_of_points
from ..drawing.projection import Projection
from ..store import jobs as jobs_store
from . import db, incoming
from .blocks import MOST_ROWS, in_blocks
from .flows import flow_facts, two_pipes
from .frame import Frame, page_data
from .job import edit_job

bp = Blueprint("survey", __name__, url_prefix="/jobs/<uid>/survey")
FACINGS = ("left", "right", "out", "back", "up", "down")


@bp.get("")
def index(uid: str) -> str:
    """Levels, stations and their ports."""
    return _page(uid)


def _page(uid: str, **more: Any) -> str:
    frame = Frame(uid, "survey")
    known: dict[str, Any] = {"typed": {}, "typed_in": "", "error": None, "message": ""}
    return frame.render("survey.html", **{**known, **more})


@page_data("survey")
def _survey(frame: Frame) -> dict[str, Any]:
    """Kinds, stations with what is known of them, and the level the plan shows."""
    level, job = plan_level(frame), frame.job
    marked = flow_facts(job)
    by_level = sorted(job.stations, key=lambda one: [level.id for level in job.house.levels].index(one.level))
    asked = request.args.get("station") or (request.form.get("form", "").split("-") + [""])[1]
    stations = by_level if len(by_level) > MOST_ROWS else job.stations
    listed = in_blocks(stations, lambda one: one.level, frame.part, lambda one: one.id == asked)
    return {
        "to_see": checks(job),
        "kinds": spec.kinds().values(),
        "role_ids": [role.id for role in spec.roles()],
        "metals": list(get_args(Metal)),
        "used_ports": {anchor for run in job.runs for anchor in (run.start, run.finish)},
        "kit_parts": db.catalogue().kits,
        "facings": FACINGS,
        "house_example": EXAMPLES["room"],
        "shown": level,
        "plan": survey_plan(frame, level),
        "lines": house_lines(frame, level),
        "list": listed,
        "open_station": asked if listed.blocks else request.args.get("station", ""),
        "folded": bool(listed.blocks),
        "stations": [
            {
                "station": station,
                "title": kind_title(station, job.practice),
                "known": known_of(frame, station),
                "kits": {port.name: kit_text(port) for port in station.ports},
                "two_pipes": two_pipes(station),
                "flow_is": marked.get(station.id),
            }
            for station in listed.rows
        ],
    }


@bp.post("/drawn")
def drawn(uid: str) -> Any:
    """The line of the house for what was drawn on the plan: {kind, level, from, to} in mm. Nothing is stored."""
    body = incoming.body()
    job = Frame(uid, "survey").job
    a, b = (_corner(body.get(name), name) for name in ("from", "to"))
    level = job.level(str(body.get("level", "")))
    if level is None:
        raise Refused(
            "level", body.get("level"), "a level of the job", job.house.levels[0].id if job.house.levels else "L0"
        )
    part = drawn_part(job, str(body.get("kind", "")), level.id, a, b)
    return jsonify(text=part_text(part, job.pace_unit, comma=job.practice == "continental"))


def _corner(said: Any, field: str) -> tuple[float, float]:
    good = (
        isinstance(said, list) and len(said) == 2 and all(type(one) in (int, float) and abs(one) < 1e6 for one in said)
    )
    if not good:
        raise Refused(field, said, "a corner on the plan, x and y in mm", "[0, 4200]")
    return float(said[0]), float(said[1])


@bp.post("")
def change(uid: str) -> Any:
    """One form of the page: its commands applied, or the page again with what was typed and why it was refused."""
    form = request.form
    name = form.get("form", "")
    try:
        job = Frame(uid, "survey").job
        commands = _commands(job, name, form)
        edit_job(uid, incoming.rev_of(form.get("rev", "")), commands)
    except Refused as error:
        return _page(uid, typed=form, typed_in=name, error=error), 422
    except jobs_store.Stale as stale:
        words = (
            f"Somebody changed this job meanwhile (now revision {stale.head}). Yours was not stored; what you "
            "typed is kept below."
        )
        return _page(uid, typed=form, typed_in=name, message=words), 409
    back = form.get("back", name)
    many = len(job.stations) > MOST_ROWS and job.station(back) is not None
    more: dict[str, Any] = {"level": form.get("level_shown") or None, "station": back if many else None}
    return redirect(url_for(".index", uid=uid, done=name, **more) + incoming.anchor(back), 303)


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
            name=form.get("name", "").strip(),
            level=form.get("level", ""),
            faces=form.get("faces", ""),
            state=form.get("state", "new"),
            at=(length("east"), length("north"), length("height")),
            serial=form.get("serial", "").strip() or None,
        )
        return [{"do": "put_station", "station": kept}]
    if name.startswith("check."):
        if name not in {check.path for check in checks(job)}:
            raise Refused("check", name, "a check of this job", "check.photo")
        done = form.get("done") == "yes"
        fact = {
            "path": name,
            "value": done,
            "basis": "measured" if done else "assumed",
            "by_role": form.get("by_role", "site lead")[:60],
        }
        return [{"do": "put_fact", "fact": {**fact, "on": date.today().isoformat()}}]
    if name == "house":
        return [{"do": "put_house", "text": form.get("text", "")}]
    if name.startswith("house-remove-"):
        return [{"do": "remove_house", "id": name.removeprefix("house-remove-")}]
    if name.startswith("known-"):
        return [_known_of(job, _known(job, name.removeprefix("known-")), form, comma)]
    for start in ("port-", "portadd-"):
        if name.startswith(start):
            return [_port(job, name.removeprefix(start), form, length)]
    if name.startswith("portremove-"):
        ident, _, port = name.removeprefix("portremove-").partition("-")
        return [{"do": "remove_port", "station": ident, "port": port}]
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


def _output(said: str, kind: str, comma: bool) -> dict[str, float]:
    """An output as said: watts, or for an emitter its series and size, which bring its body, water and exponent too
    (typ)."""
    if kind == "emitter" and PANEL.fullmatch(said.strip()):
        found = emitter_of(said)
        known = {
            "output_w": found.output_w,
            "exponent": found.exponent,
            "rated_at_k": found.rated_at_k,
            "width_mm": found.width_mm,
            "height_mm": found.height_mm,
        }
        return known | ({"loop_m": found.loop_m} if found.loop_m else {"volume_l": found.litres})
    return {"output_w": parse(said, "power", "W", field="output", decimal_comma=comma)}


def _new_station(form: Mapping[str, str], length: Any, comma: bool) -> dict[str, Any]:
    """A station as picked: "boiler", or with its variant "boiler/combi"."""
    ident, _, variant = form.get("kind", "").partition("/")
    kind = spec.kind(ident)
    one_port = all(len(rows) <= 1 for rows in kind.ports.values())
    command: dict[str, Any] = {
        "do": "add_station",
        "kind": ident,
        "variant": variant,
        "level": form.get("level", ""),
        "name": form.get("name", "").strip(),
        "at": (length("east"), length("north"), length("height", kind.variant(variant).floor_mm)),
        "faces": form.get("faces", "S"),
        "data": {},
    }
    if form.get("id", "").strip():
        command["id"] = form["id"].strip().upper()
    if form.get("output", "").strip() and "output_w" in kind.model.model_fields:
        command["data"] |= _output(form["output"], kind.id, comma)
    elif form.get("output", "").strip() and "gas" in kind.loads:
        command["data"][kind.loads["gas"]] = parse(form["output"], "power", "W", field="input", decimal_comma=comma)
    if one_port:
        command.update(
            {field: form[field].strip() for field in ("end", "role", "facing") if form.get(field, "").strip()}
        )
    if kind.variant(variant).width_mm:
        for field in ("width", "tall"):
            if form.get(field, "").strip():
                command["data"][{"width": "width_mm", "tall": "height_mm"}[field]] = length(field)
    return command


# what a field of a station's data is read as: kind of quantity, unit of a bare number; none: a plain number
_READ: dict[str, tuple[str, str]] = {
    "output_w": ("power", "W"),
    "least_output_w": ("power", "W"),
    "input_w": ("power", "W"),
    "coil_w": ("power", "W"),
    "volume_l": ("volume", "L"),
    "store_c": ("temperature", "C"),
    "supply_pa": ("pressure", "Pa"),
    "outlet_pa": ("pressure", "Pa"),
    "set_pa": ("pressure", "Pa"),
    "precharge_pa": ("pressure", "Pa"),
    "least_inlet_pa": ("pressure", "Pa"),
    "most_inlet_pa": ("pressure", "Pa"),
    "least_pa": ("pressure", "Pa"),
    "relief_pa": ("pressure", "Pa"),
}
YES_NO = ("input_is_net", "own_regulator", "protected")
WORDS = ("room", "gas", "series", "material")


def data_fields(station: Station) -> list[str]:
    """The facts that can be typed for a station, in the order of the model."""
    return [name for name in spec.kind(station.kind).model.model_fields if name != "behind_pa"]


def _known_of(job: Job, station: Station, form: Mapping[str, str], comma: bool) -> dict[str, Any]:
    """The station with the facts and the parts inside it as typed; an empty field is not known."""
    typed = data_fields(station)
    data = {name: value for name, value in station.data.model_dump(exclude_none=True).items() if name not in typed}
    for name in typed:
        text = form.get(name, "").strip()
        if not text:
            continue
        if name == "pump_curve":
            data[name] = _curve(text, comma)
        elif name == "behind":
            data[name] = [one.model_dump(exclude_none=True) for one in read_behind(text, job.pace_unit)]
        elif name in WORDS:
            data[name] = text.upper() if name == "room" else text
        elif name.endswith("_mm"):
            data[name] = parse_length_mm(text, job.pace_unit, field=name, decimal_comma=comma)
        elif name in YES_NO:
            data[name] = _yes(text, name)
        elif name == "capacity_m3_h":
            data[name] = round(parse(text, "volume-flow", "m3/h", field=name, decimal_comma=comma) * 3600, 6)
        elif name in _READ:
            kind, unit = _READ[name]
            data[name] = parse(text, kind, unit, field=name, decimal_comma=comma)
        else:
            data[name] = number(text, name, decimal_comma=comma)
    brings: dict[str, Any] = {
        name: form.get(f"brings_{name}") == "yes" for name in ("pump", "filling", "vents", "drains")
    }
    for name in ("vessel_l", "safety_valve_bar"):
        text = form.get(f"brings_{name}", "").strip()
        if text:
            brings[name] = number(text, name, decimal_comma=comma)
    kept = station.model_dump(exclude_none=True, exclude={"data", "brings"})
    return {"do": "put_station", "station": {**kept, "data": data, "brings": brings}}


def _yes(text: str, name: str) -> bool:
    if text.lower() not in ("yes", "no"):
        raise Refused(name, text, "yes or no, or nothing where nobody knows", "yes")
    return text.lower() == "yes"


CURVE_EXAMPLE = "0 45; 250 43; 500 38"


def _curve(text: str, comma: bool) -> tuple[tuple[float, float], ...]:
    """A pump's curve as its label gives it, "L/h kPa; L/h kPa", as (kg/s, Pa). Raises Refused."""
    points = []
    for pair in text.split(";"):
        words, asked = pair.split(), "flow in L/h and head in kPa, pairs with ; between"
        if len(words) != 2:
            raise Refused("pump_curve", pair.strip(), asked, CURVE_EXAMPLE)
        flow, head = (number(word, "pump_curve", asked, CURVE_EXAMPLE, decimal_comma=comma) for word in words)
        points.append((round(flow / 3600, 6), round(head * 1000, 3)))
    curve_of_points(points)
    return tuple(points)


def _port(job: Job, name: str, form: Mapping[str, str], length: Any) -> dict[str, Any]:
    """R1-left: the port as typed, its kit as words such as "tail-g12 trv-angle-15:down"; R1 alone: a new one."""
    ident, _, port_name = name.partition("-")
    station = _known(job, ident)
    kit = [
        {"part": part, "turn": turn or None}
        for part, _, turn in (word.partition(":") for word in form.get("kit", "").split())
    ]
    unknown = [part["part"] for part in kit if part["part"] not in db.catalogue().kits]
    if unknown:
        raise Refused(
            "kit", unknown[0], f"parts such as {', '.join(list(db.catalogue().kits)[:3])}", "tail-g12 trv-angle-15:down"
        )
    old = next((port for port in station.ports if port.name == port_name), None)
    kept: dict[str, Any] = old.model_dump() if old else {}
    kept.update(
        {
            field: form[field].strip()
            for field in ("name", "role", "way", "facing", "end")
            if form.get(field, "").strip()
        }
    )
    kept.update(offset=(length("right"), length("out"), length("up")), kit=kit)
    if "metal" in form:
        kept["metal"] = form["metal"] or None
    if old is None and any(port.name == kept.get("name") for port in station.ports):
        raise Refused(
            "name", kept.get("name", ""), f"a name no port of {ident} has yet", f"{kept.get('name', 'port')}-2"
        )
    return {"do": "put_port", "station": ident, "port": kept, **({"was": port_name} if old else {})}


def survey_plan(frame: Frame, level: str) -> str:
    """The plan of a level, beside the forms."""
    return frame.drawing(
        projection=Projection("plan"),
        width=440.0,
        height=360.0,
        findings=False,
        pipes=False,
        levels=frozenset({level} if level else ()),
        head=34.0,
    )


def plan_level(frame: Frame) -> str:
    """The level the plan shows: as asked for, else the lowest."""
    asked = request.args.get("level", "")
    levels = frame.job.house.levels
    return asked if frame.job.level(asked) else (levels[0].id if levels else "")


def house_lines(frame: Frame, level: str) -> list[dict[str, str]]:
    """What stands on a level, each as the line that says it."""
    house = frame.job.house
    comma = frame.job.practice == "continental"
    parts = [
        part
        for group in (house.rooms, house.walls, house.joists, house.obstacles)
        for part in group
        if part.level == level
    ]
    unit = frame.job.pace_unit
    return [
        {
            "id": part.id,
            "text": part_text(part, unit, comma=comma),
            "corners": json.dumps([list(corner) for corner in corners_of(part)]),
        }
        for part in parts
    ]


def kind_title(station: Station, practice: str) -> str:
    """What the trade calls the station: its variant, or its kind."""
    kind = spec.kind(station.kind)
    return kind.variant(station.variant).title if station.variant else kind.title(practice)


def known_of(frame: Frame, station: Station) -> list[dict[str, str]]:
    """The facts of a station as fields: name, what is known, its unit in words."""
    found = []
    for name in data_fields(station):
        value = getattr(station.data, name)
        words, _, unit = name.rpartition("_")
        if name == "pump_curve":
            text = "; ".join(f"{flow * 3600:g} {head / 1000:g}" for flow, head in value or ())
        elif name == "behind":
            text = behind_text(value)
        elif name.endswith("_mm"):
            text = "" if value is None else length_text(value, frame.job.pace_unit)
        else:
            text = "" if value is None else f"{value:g}" if isinstance(value, float | int) else str(value)
        if isinstance(value, bool):
            text = "yes" if value else "no"
        units = {
            "w": "W",
            "l": "L",
            "c": "°C",
            "pa": "Pa",
            "k": "K",
            "s": "kg/s",
            "mm": frame.job.pace_unit,
            "m": "m",
            "curve": "L/h kPa; ...",
            "years": "years",
        }
        if name == "capacity_m3_h":
            words, unit, units = "capacity", "m3_h", {**units, "m3_h": "m3/h"}
        elif name in YES_NO:
            words, unit, units = name, "yes", {**units, "yes": "yes or no"}
        label = words if unit in units and words else name
        found.append(
            {
                "name": name,
                "label": label.removesuffix("_kg").replace("_", " "),
                "text": text,
                "unit": units.get(unit, "") if label != name or name in YES_NO else "",
            }
        )
    return found


def kit_text(port: Port) -> str:
    """A port's kit as it is typed."""
    return " ".join(part.part + (f":{part.turn}" if part.turn else "") for part in port.kit)
