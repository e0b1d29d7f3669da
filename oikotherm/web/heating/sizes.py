"""Sizes: flows, drops, the index path as a staircase, volume and vessel."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import get_template_attribute, jsonify, redirect, render_template, request, url_for
from markupsafe import Markup

from ...core.design import Design
from ...core.errors import Refused
from ...core.job.model import Job
from ...core.network.graph import has_trait
from ...core.network.section import PipeSection
from ...core.quantity import number, parse
from ...core.services.heating.circuits import is_source, mixing_sets
from ...core.services.heating.simulate import Balance, balance, running_of
from ...core.services.heating.sized import Heating
from ...core.services.heating.sizing import heating_of
from ...core.services.heating.valves import corrected_turns
from ...core.work.records import in_order
from ...drawing.charts import staircase
from ...drawing.pump_charts import pump_drawing
from ...exchange.heating.simulation import run
from ...exchange.heating.sizes import sizes_of
from ...store import jobs as jobs_store
from ...store import records as records_store
from ...store.database import now, writing
from .. import db, incoming
from ..blocks import MOST_ROWS, Shown, in_blocks
from ..frame import Frame
from ..job import edit_job
from ..records import records_here
from ..sizes import bp, page, service_data

LEAST_SURPLUS_PA = 500.0
MANY_SECTIONS = 120  # beyond it rows come in blocks, workings when they are opened
MOST_SECTIONS, MOST_EMITTERS = 25, 15


@service_data("heating")
def _circuits(frame: Frame) -> dict[str, Any]:
    """Each circuit as the command line gives it, with its drawings and what it gives at lower flow temperatures. Of a
    circuit of many sections rows come in blocks, and workings and lower temperatures when they are asked for."""
    found: list[dict[str, Any]] = []
    lists = {heating.circuit.source.id: _list_of(heating) for heating in heating_of(frame.design)}
    rows = sizes_of(frame.design, lambda heating: {one.id for one in lists[heating.circuit.source.id].rows})
    for row, heating in zip(rows, heating_of(frame.design), strict=True):
        how = {one.station: one for one in balance(heating)}
        for load in row["emitters"]:
            load["how"] = how_set(how[load["id"]], load["flow_l_h"] / 60)
        listed = lists[row["source"]]
        many = bool(listed.blocks)
        more: dict[str, Any] = {"stair": staircase(heating), "heating": heating, "at_flow": [], "many": many}
        more |= {"list": listed, "loads": _loads(frame, row) if many else Shown(row["emitters"])}
        if row["emitters"]:
            look = frame.look(width=330, height=300, findings=False, measures=False)
            more["drawing"] = (
                frame.pipes_alone(look, "drawing")
                if many
                else frame.drawing(width=330, height=300, findings=False, measures=False)
            )
            for number, pump in enumerate(row["pumps"]):
                pump["drawing"] = Markup(pump_drawing(heating, number))  # noqa: S704 - our own drawing
            more["at_flow"] = [] if many else at_flow_temperatures(frame, row["source"])
        found.append({**row, **more})
    return {"circuits": found, "could_mix": could_mix(frame)}


def _list_of(heating: Heating) -> Shown[PipeSection]:
    """The sections of a circuit that are shown."""
    most = MOST_SECTIONS if len(heating.sections) > MANY_SECTIONS else MANY_SECTIONS
    return in_blocks(heating.sections, lambda one: one.run, request.args.get("sections", ""), most=most)


def _loads(frame: Frame, row: dict[str, Any]) -> Shown[dict[str, Any]]:
    """The emitters of a large circuit that are shown: those of a level."""
    job = frame.job
    level = {station.id: station.level for station in job.stations}
    order = [one.id for one in job.house.levels]
    emitters = sorted(row["emitters"], key=lambda one: order.index(level[one["id"]]))
    return in_blocks(emitters, lambda one: level[one["id"]], frame.part, most=MOST_EMITTERS)


def _circuit_of(frame: Frame, source: str, section: str = "") -> dict[str, Any] | None:
    """A circuit by its source, with the row of one section at most."""
    return next((row for row in sizes_of(frame.design, lambda _: {section}) if row["source"] == source), None)


@bp.get("/at-flow/<source>")
def at_lower_flow(uid: str, source: str) -> Any:
    """What a large circuit gives at lower flow temperatures. Not found: status 404."""
    frame = Frame(uid, "sizes")
    if _circuit_of(frame, source) is None:
        return jsonify(rev=frame.rev), 404
    table = get_template_attribute("heating/_working.html", "at_flow_table")(at_flow_temperatures(frame, source))
    html = Markup('<div id="at-flow-{}">{}</div>').format(source, table)
    return jsonify(rev=frame.rev, fragments={f"at-flow-{source}": html})


@bp.get("/working/<source>/<what>/<path:ident>")
def one_working(uid: str, source: str, what: str, ident: str) -> Any:
    """How the figures of a section or an emitter of a circuit come about. Not found: status 404."""
    frame = Frame(uid, "sizes")
    row = _circuit_of(frame, source, ident)
    rows = row[what] if row is not None and what in ("sections", "emitters") else []
    found = next((one for one in rows if one["id"] == ident), None)
    if found is None:
        return jsonify(rev=frame.rev), 404
    key = f"work-{source}-{what}-{ident}"
    html = Markup('<div id="{}">{}</div>').format(key, get_template_attribute("heating/_working.html", what)(found))
    return jsonify(rev=frame.rev, fragments={key: html})


def at_flow_temperatures(frame: Frame, source: str) -> list[dict[str, Any]]:
    """What the balanced circuit gives at lower flow temperatures, its pump as designed. Remembered: it is asked for by
    every look at the page."""
    design = frame.design
    found: list[dict[str, Any]] = design.context.memory.keep(
        "at flow temperatures",
        (design.job, design.context.catalogue),
        (design.context.mark, source),
        lambda: _at_flow_temperatures(design, source),
        most=8,
    )
    return found


def _at_flow_temperatures(design: Design, source: str) -> list[dict[str, Any]]:
    found = []
    for flow_c in (75, 65, 55, 45, 35):
        try:
            row = run(design, {"circuit": source, "flow_c": flow_c})
        except Refused:
            continue
        found.append(
            {
                "flow_c": flow_c,
                "return_c": row["return_c"],
                "output_w": sum(one["output_w"] for one in row["emitters"]),
                "rooms": len(row["rooms"]),
                "short": [room["name"] for room in row["rooms"] if room["short"]],
            }
        )
    return found


def how_set(one: Balance, flow_l_min: float) -> str:
    """In words how an emitter without a lockshield gets its flow."""
    if one.valve == "manifold":
        return f"{flow_l_min:.1f} L/min at the manifold"
    if one.valve == "self":
        return "its mixing valve sets itself"
    return f"balancing valve, Kv {one.kv:.2g}" if one.surplus_pa > LEAST_SURPLUS_PA else "none needed"


def balance_sheet(frame: Frame) -> list[dict[str, Any]]:
    """A row an emitter: turns to set, the difference to expect, what was measured last, and the turns that follow from
    it."""
    measured = {
        record.key: record
        for record in in_order(records_here(frame.uid))
        if record.kind == "note" and record.key.startswith("balance:")
    }
    rows = []
    for heating in heating_of(frame.design):
        if not heating.loads:
            continue
        running = running_of(frame.design)[heating.circuit.source.id]
        for one in balance(heating):
            run_ = running.emitter(one.station)
            record = measured.get(f"balance:{one.station}")
            row: dict[str, Any] = {
                "id": one.station,
                "name": next(load.name for load in heating.loads if load.station == one.station),
                "turns": round(one.turns * 20) / 20 if one.lockshield else None,
                "how": how_set(one, run_.wanted_kg_s / heating.medium.density_kg_m3 * 6e4),
                "expect_k": run_.flow_c - run_.return_c,
                "last": None,
            }
            if record is not None and {"turns", "flow_c", "return_c"} <= record.body.keys():
                body = record.body
                row["last"] = {**body, "by": record.by_role, "at": record.made_at}
                if row["turns"] is not None:
                    row["last"]["corrected"] = corrected_turns(
                        body["turns"], body["flow_c"] - body["return_c"], row["expect_k"]
                    )
            rows.append(row)
    return rows


def _balance(
    frame: Frame, rows: list[dict[str, Any]], typed: Mapping[str, str] | None = None, error: Any = None
) -> str:
    level = {station.id: station.level for station in frame.job.stations}
    ranked = {one.id: n for n, one in enumerate(frame.job.house.levels)}
    asked = (typed or {}).get("emitter", frame.of)
    by_level = sorted(rows, key=lambda row: ranked[level[row["id"]]]) if len(rows) > MOST_ROWS else rows
    listed = in_blocks(by_level, lambda row: level[row["id"]], frame.part, lambda row: row["id"] == asked)
    return render_template("heating/balance.html", frame=frame, list=listed, typed=typed or {}, error=error)


@bp.get("/balance")
def balance_page(uid: str) -> str:
    """The balance sheet, for the phone."""
    frame = Frame(uid, "sizes")
    return _balance(frame, balance_sheet(frame))


@bp.post("/balance")
def keep_measured(uid: str) -> Any:
    """Keep what was measured at one emitter; the corrected turns follow from it."""
    frame, form = Frame(uid, "sizes"), request.form
    rows = balance_sheet(frame)
    try:
        row = next((one for one in rows if one["id"] == form.get("emitter")), None)
        if row is None:
            raise Refused("emitter", form.get("emitter"), "an emitter of the job", "R1")
        flow_c = parse(form.get("flow_c", ""), "temperature", "C", field="flow_c")
        return_c = parse(form.get("return_c", ""), "temperature", "C", field="return_c")
        turns = _turns(form.get("turns", ""), row["turns"], frame.job.practice == "continental")
        corrected_turns(turns, flow_c - return_c, row["expect_k"])
        record = {
            "uuid": form.get("uuid", ""),
            "job": uid,
            "kind": "note",
            "key": f"balance:{row['id']}",
            "label": f"balance {row['id']}",
            "rev": frame.rev,
            "made_at": now(),
            "by_role": form.get("by_role", "site lead"),
            "body": {"flow_c": flow_c, "return_c": return_c, "turns": turns},
        }
        with writing(db.get()):
            records_store.add_once(db.get(), record)
    except Refused as error:
        return _balance(frame, rows, form, error), 422
    back = url_for(".balance_page", uid=uid, of=form.get("emitter") if len(rows) > MOST_ROWS else None)
    return redirect(back + incoming.anchor(f"b-{form.get('emitter')}"), 303)


def _turns(text: str, set_: float | None, comma: bool) -> float:
    """Turns as typed, or as the sheet has them. Raises Refused."""
    if not text.strip():
        return set_ or 4.0
    turns = number(text, "turns", "turns open, from 0.25 to 4", "1.5", decimal_comma=comma)
    if not 0.25 <= turns <= 20:
        raise Refused("turns", text, "turns open, from 0.25 to 4", "1.5")
    return turns


@bp.post("/simulate")
def simulation(uid: str) -> Any:
    """The circuit at the settings of the simulator; nothing is stored."""
    frame = Frame(uid, "sizes")
    return jsonify(rev=frame.rev, **run(frame.design, incoming.body("settings", '{"emitters": {"R1": {"trv": 0}}}')))


def could_mix(frame: Frame) -> list[str]:
    """Manifolds on a circuit that have no temperatures of their own yet."""
    mixed = mixing_sets(frame.job)
    return [
        station.id
        for heating in heating_of(frame.design)
        if heating.circuit.own
        for station in heating.circuit.stations
        if has_trait(station, "bars") and station.id not in mixed and station.state != "remove"
    ]


@bp.post("/terms")
def set_terms(uid: str) -> Any:
    """Set a circuit's temperatures and what runs in it; with no temperatures a mixing set becomes a plain manifold
    again."""
    form = request.form
    try:
        frame = Frame(uid, "sizes")
        edit_job(uid, incoming.rev_of(form.get("rev", "")), _terms(frame.job, form))
    except Refused as error:
        return page(uid, typed=form, error=error), 422
    except jobs_store.Stale as stale:
        words = (
            f"Somebody changed this job meanwhile (now revision {stale.head}). Yours was not stored; what you "
            "typed is kept below."
        )
        return page(uid, typed=form, message=words), 409
    return redirect(url_for(".index", uid=uid, done="terms") + incoming.anchor(f"circuit-{form.get('source')}"), 303)


def _terms(job: Job, form: Mapping[str, str]) -> list[dict[str, Any]]:
    source = job.station(form.get("source", ""))
    if source is None or not (is_source(source) or has_trait(source, "bars")):
        raise Refused("source", form.get("source"), "a boiler or manifold of the job", "BLR")
    comma = job.practice == "continental"
    temps = {
        name: parse(form[name], "temperature", "C", field=name, decimal_comma=comma)
        for name in ("flow_c", "return_c", "cold_c")
        if form.get(name, "").strip()
    }
    old = next((circuit for circuit in job.circuits if circuit.source == source.id), None)
    if "flow_c" not in temps or "return_c" not in temps:
        raise Refused("flow_c", form.get("flow_c", ""), "flow and return, the return lower", "70 and 50")
    if not temps["return_c"] < temps["flow_c"]:
        raise Refused(
            "return_c",
            form.get("return_c"),
            f"a return below the flow of {temps['flow_c']:g} C",
            f"{temps['flow_c'] - 20:g}",
        )
    if not 20 < temps["flow_c"] <= 110:
        raise Refused("flow_c", form.get("flow_c"), "a flow from 20 to 110 C", "70")
    share = form.get("glycol", "").strip().rstrip("%").strip()
    asked = "propylene glycol in percent by mass, 0 to 60; empty for water"
    percent = number(share, "glycol", asked, "30", decimal_comma=comma) if share else 0.0
    if not 0 <= percent <= 60:
        raise Refused("glycol", share, asked, "30")
    medium = {"medium": "mpg", "mass_fraction": percent / 100} if percent else {"medium": "water", "mass_fraction": 0}
    fill = form.get("fill_bar", "").strip()
    bar = parse(fill, "pressure", "bar", field="fill_bar", decimal_comma=comma) / 1e5 if fill else None
    if bar is not None and not 0.3 <= bar <= 6:
        raise Refused("fill_bar", fill, "a cold pressure from 0.3 to 6 bar; empty for what the vessel needs", "1.2")
    circuit = {
        **(
            old.model_dump(exclude_none=True)
            if old
            else {"id": job.free_id("UF" if has_trait(source, "bars") else "CH"), "source": source.id}
        ),
        **temps,
        **medium,
        "fill_bar": bar,
    }
    return [{"do": "put_circuit", "circuit": circuit}]
