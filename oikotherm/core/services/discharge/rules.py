"""Rules of what runs off: it falls all the way."""

from __future__ import annotations

from collections.abc import Iterable

from ...job.model import DeviceItem, Leg, PipeChange
from ...job.writing import item_text
from ...network.graph import SHUTS
from ...network.losses import bore_mm
from ...quantity import length_text
from ...rules.registry import Remedy, RuleBook, Said, View
from .. import spec

rule = RuleBook("discharge")


@rule(
    "no-fall",
    "stop",
    "a discharge or condensate pipe that does not fall",
    "Condensate falls 44 mm a metre, a discharge 1 in 200 and never uphill: what stands in it freezes, corrodes, or "
    "holds a safety valve back.",
    "typ; local code",
)
def no_fall(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for trace in work.runs.values():
        least = spec.role(trace.run.role).falls
        if least is None or not trace.moves:
            continue
        worst = min(trace.moves, key=lambda move: -move.way.z)
        flat = [move for move in trace.moves if -move.way.z < least / (1 + least * least) ** 0.5 - 1e-6]
        if not flat:
            continue
        remedies = []
        ends_free = "." not in trace.run.finish or any(
            isinstance(item, Leg) and item.dir == "D" and item.length_mm is None for item in trace.run.items
        )
        if all(abs(move.way.z) < 1e-9 for move in flat) and ends_free and trace.run.items:
            first = trace.run.items[0]
            said = f"1:{int(1 / least)}"
            text = f"{{fall {said}}} {item_text(first, view.style)}"
            if first.kind == "lie":
                text = item_text(first.model_copy(update={"fall": round(1 / float(said[2:]), 6)}), view.style)
            remedies = [
                Remedy(
                    f"Let it fall {said}",
                    ({"do": "retype_item", "run": trace.run.id, "item": first.id, "text": text},),
                    f"{text} on {trace.run.id}",
                )
            ]
        uphill = worst.way.z > 1e-6
        says = (
            f"{trace.run.id}, {trace.run.role}, {'goes uphill' if uphill else 'lies too flat'} over "
            f"{length_text(sum(move.length_mm for move in flat), view.job.pace_unit, with_unit=True)}."
        )
        yield Said(
            (trace.run.id, trace.run.id),
            says,
            tuple(remedies),
            flat[0].a,
            ("a lower end", "a shorter way"),
            None if uphill or trace.run.role == "condensate" else "mind",
        )


@rule(
    "relief-shut",
    "stop",
    "a relief valve whose discharge goes nowhere",
    "A relief valve that cannot let off is no relief valve: the heater behind it bursts. Its pipe runs open to where "
    "it is seen and scalds nobody.",
    "std; local code",
)
def relief_shut(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for station in view.job.stations:
        if station.state == "remove":
            continue
        for port in station.ports:
            key = f"{station.id}.{port.name}"
            if port.role != "discharge" or port.way != "out":
                continue
            place = work.ports.get(key)
            run = next((run for run in view.job.runs if key in (run.start, run.finish) and run.state != "remove"), None)
            if run is None and station.kind == "tundish" and station.state == "keep":
                continue  # a drain that was there before has its pipe
            if run is None:
                what = "The outlet" if station.kind == "tundish" else "The relief valve"
                yield Said(
                    (station.id, key),
                    f"{what} of {station.id} has no discharge pipe.",
                    at=place.mouth if place else None,
                    cures=(f"pace it: D1 from {key}, open at its end",),
                )
            elif run.finish in ("cap", "plug"):
                command = {"do": "set_finish", "run": run.id, "finish": "stub"}
                yield Said(
                    (station.id, run.id),
                    f"{run.id}, the discharge of {station.id}, is shut at its end by a {run.finish}.",
                    (Remedy("Leave it open", (command,), f"{run.id} ends open"),),
                    work.runs[run.id].end if run.id in work.runs else None,
                )


@rule(
    "discharge-valve",
    "stop",
    "a valve in a discharge",
    "Nothing that shuts stands between a relief valve and the open air, nor a check valve that can stick.",
    "std; local code",
)
def discharge_valve(view: View) -> Iterable[Said]:
    titles = view.context.catalogue.device_titles()
    for run in view.job.runs:
        if run.role != "discharge" or run.state == "remove":
            continue
        for item in run.items:
            if isinstance(item, DeviceItem) and item.part in SHUTS:
                node = view.fitted.pipework.nodes.get(f"{item.id}/device")
                yield Said(
                    (run.id, item.id),
                    f"{run.id} has a valve in it, {titles.get(item.part, item.part)}: what a relief valve gives off "
                    "must never be shut in.",
                    (
                        Remedy(
                            "Take it out",
                            ({"do": "retype_item", "run": run.id, "item": item.id, "text": ""},),
                            f"[{item.part}] leaves {run.id}",
                        ),
                    ),
                    node.at if node else None,
                )


@rule(
    "discharge-reduced",
    "stop",
    "a discharge that narrows",
    "A narrower pipe behind a relief valve holds it back just when it has to let off.",
    "std; local code",
)
def discharge_reduced(view: View) -> Iterable[Said]:
    catalogue = view.context.catalogue
    for run in view.job.runs:
        if run.role != "discharge" or run.state == "remove":
            continue
        pipe = run.pipe
        for item in run.items:
            if not isinstance(item, PipeChange):
                continue
            before, after = bore_mm(catalogue, pipe), bore_mm(catalogue, item.pipe)
            if before and after and after < before - 0.05:
                node = view.fitted.pipework.nodes.get(f"{item.id}/change")
                command = {"do": "retype_item", "run": run.id, "item": item.id, "text": ""}
                yield Said(
                    (run.id, item.id),
                    f"{run.id} narrows from {pipe} to {item.pipe}: a discharge keeps its size or grows.",
                    (Remedy(f"Keep it {pipe}", (command,), f"{run.id} stays {pipe} to its end"),),
                    node.at if node else None,
                )
            pipe = item.pipe


RULES = tuple(rule.rules.values())
