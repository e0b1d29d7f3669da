"""Which pipe is the flow: two temperatures logged at an emitter while the house warms up, by hand or by the stand-in
thermometers."""

from __future__ import annotations

from datetime import date
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for
from markupsafe import Markup

from ...core.errors import Refused
from ...core.job.model import Job, Station
from ...core.quantity import number
from ...core.services.heating.circuit_water import clamp_thermometers, flow_finder
from ...core.services.heating.simulate import running_of
from ...drawing.charts import warm_up
from ...store import jobs as jobs_store
from .. import incoming
from ..flows import flow_facts, two_pipes
from ..frame import Frame
from ..job import edit_job

bp = Blueprint("flow", __name__, url_prefix="/jobs/<uid>/survey/flow")
EVERY_S, READINGS = 30.0, 30


def _station(job: Job, ident: str) -> tuple[Station, tuple[str, str]]:
    station = job.station(ident)
    pipes = two_pipes(station) if station else None
    if station is None or pipes is None:
        raise Refused("station", ident, "an emitter, coil or boiler with a flow and a return", "R1")
    return station, pipes


@bp.get("/<station>")
def page(uid: str, station: str) -> str:
    """The log, empty or as the stand-in thermometers give it."""
    frame = Frame(uid, "survey")
    one, pipes = _station(frame.job, station)
    log = _stand_in(frame, one, pipes, request.args.get("fed", "")) if "fed" in request.args else ""
    return _render(frame, one, pipes, log)


@bp.post("/<station>")
def keep(uid: str, station: str) -> Any:
    """Weigh a log; with mark, keep what it says as a fact of the job."""
    frame = Frame(uid, "survey")
    one, pipes = _station(frame.job, station)
    log = request.form.get("log", "")
    try:
        times, a, b = read_log(log)
        found = flow_finder(times, a, b)
        if not request.form.get("mark"):
            return _render(frame, one, pipes, log)
        if not found.flow:
            raise Refused("log", "not told", "a log that tells the two pipes apart", "")
        port = pipes[0] if found.flow == "a" else pipes[1]
        fact = {
            "path": f"{one.id}.flow-is",
            "value": port,
            "basis": "measured",
            "by_role": request.form.get("by_role", "site lead")[:60],
            "on": date.today().isoformat(),
        }
        edit_job(uid, incoming.rev_of(request.form.get("rev", "")), [{"do": "put_fact", "fact": fact}])
    except Refused as error:
        return _render(frame, one, pipes, log, error=error), 422
    except jobs_store.Stale as stale:
        words = (
            f"Somebody changed this job meanwhile (now revision {stale.head}). Nothing was marked; look again and mark."
        )
        return _render(frame, one, pipes, log, message=words), 409
    return redirect(url_for("survey.index", uid=uid, done="flow") + f"#{one.id}", 303)


def _render(frame: Frame, one: Station, pipes: tuple[str, str], log: str, **more: Any) -> str:
    found, chart, error = None, "", more.pop("error", None)
    if log and error is None:
        try:
            times, a, b = read_log(log)
            found = flow_finder(times, a, b)
            lines = [(pipes[0], a), (pipes[1], b)]
            chart = Markup(warm_up(times, lines[::-1] if found.flow == "b" else lines))  # noqa: S704 - our own drawing
        except Refused as refused:
            error = refused
    side = {"a": pipes[0], "b": pipes[1], "": ""}
    return render_template(
        "heating/flow.html",
        frame=frame,
        station=one,
        pipes=pipes,
        log=log,
        found=found,
        flow_port=side[found.flow] if found else "",
        chart=chart,
        error=error,
        says=_says(found.says, pipes) if found else "",
        known=flow_facts(frame.job).get(one.id, ""),
        drawn=next(port.name for port in one.ports if port.role == "flow"),
        **{"message": "", **more},
    )


def _says(says: str, pipes: tuple[str, str]) -> str:
    """The verdict with the pipes by their names."""
    return says.replace("Pipe a ", f"The {pipes[0]} pipe ").replace("Pipe b ", f"The {pipes[1]} pipe ")


def read_log(text: str) -> tuple[list[float], list[float], list[float]]:
    """Lines of "seconds left right" in C, with a point or comma for decimals. Raises Refused with the line that cannot
    be read."""
    times, a, b = [], [], []
    for line in text.splitlines():
        words = line.replace(";", " ").split()
        if not words:
            continue
        expected, example = "seconds, left and right in C on each line", "30 21.5 18.2"
        if len(words) != 3:
            raise Refused("log", line, expected, example)
        t, left, right = (number(word.rstrip(","), "log", expected, example) for word in words)
        if not (0 <= t <= 1e5 and -40 <= left <= 150 and -40 <= right <= 150):
            raise Refused("log", line, "seconds from 0, temperatures from -40 to 150 C", "30 21.5 18.2")
        times.append(t)
        a.append(left)
        b.append(right)
    return times, a, b


def _stand_in(frame: Frame, one: Station, pipes: tuple[str, str], fed: str) -> str:
    """What a pair of clamp thermometers would log there: driven by the solved warm-up of the circuit, with some
    noise."""
    running = next(
        (
            found
            for simulation in running_of(frame.design).values()
            for found in simulation.emitters
            if found.station == one.id
        ),
        None,
    )
    arrives, leaves, flow_c, return_c = (60.0, 300.0, 70.0, 50.0)
    if running is not None and running.flow_kg_s > 0:
        arrives, leaves, flow_c, return_c = (
            running.arrival_s,
            running.return_arrival_s,
            running.flow_c,
            running.return_c,
        )
    times, a, b = clamp_thermometers(
        arrives,
        leaves,
        flow_c,
        return_c,
        every_s=EVERY_S,
        count=READINGS,
        crossed=fed == pipes[1],
        seed=sum(map(ord, frame.uid + one.id)),
    )
    return "\n".join(f"{t:.0f} {left:.1f} {right:.1f}" for t, left, right in zip(times, a, b, strict=True))
