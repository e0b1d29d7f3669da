"""The order of assembly as plain data: for the command line, and for whoever else asks."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..core.design import Design, derive
from ..core.making.assembly.planner import Step
from ..core.work.assembling import Ordered, order_of_run, orders
from ..core.work.assembly_cures import BY_HAND, AssemblyCure, Stops, cures

VERDICTS = ("impossible", "not proven", "order")  # the worst first


def assembly_rows(design: Design, run: str = "", *, tried: bool = True) -> dict[str, Any]:
    """{steps, clusters, verdict, blocking, cures} of a job's new pipe, service by service, or of one run. tried: cures
    are looked for where there is no order. Raises Refused for a run that is not there."""
    found = (order_of_run(design, run),) if run else orders(design)
    ways = [(one, cure) for one in found if tried and one.plan.verdict != "order" for cure in ways_out(design, one)]
    verdicts = {one.plan.verdict for one in found}
    return {
        "steps": [row for one in found for row in _steps(one)],
        "clusters": [row for one in found for row in _clusters(one)],
        "verdict": next((verdict for verdict in VERDICTS if verdict in verdicts), "order"),
        "blocking": [row for one in found for row in _blocking(one)],
        "cures": [_cure(one, cure) for one, cure in ways],
    }


def ways_out(design: Design, one: Ordered) -> tuple[AssemblyCure, ...]:
    """What helps an assembly without an order, each way tried; none that brings a stop."""

    def stops(changed: Design) -> Stops:
        return frozenset((row.rule, row.where) for row in changed.findings if row.severity == "stop")

    return cures(design, one, lambda job: derive(job, design.context), stops)


def _titles(one: Ordered) -> dict[str, str]:
    return {part.key: part.title for part in one.assembly.parts}


def _labels(one: Ordered) -> dict[str, str]:
    return {joint.key: joint.title for joint in one.assembly.joints}


def _steps(one: Ordered) -> Iterator[dict[str, Any]]:
    titles, labels = _titles(one), _labels(one)
    for number, step in enumerate(one.plan.steps, 1):
        yield {
            "n": number,
            "service": one.service,
            "joint": labels[step.joint],
            "key": step.joint,
            "where": step.where,
            "moves": [titles[key] for key in step.moves],
            "turns": step.turns,
            "holds": titles.get(step.holds, ""),
            "soaped": [labels[key] for key in step.soaped],
        }


def _clusters(one: Ordered) -> Iterator[dict[str, Any]]:
    """What is put together on the bench and carried to its place as one: its parts and joints."""
    titles, labels = _titles(one), _labels(one)
    ends = {joint.key: {joint.a, joint.b} for joint in one.assembly.joints}
    bench: list[Step] = [step for step in one.plan.steps if step.where == "bench"]
    for step in one.plan.steps:
        if step.where == "bench" or len(step.moves) < 2:
            continue
        moved = set(step.moves)
        own = [row for row in bench if ends[row.joint] <= moved]
        yield {
            "service": one.service,
            "parts": [titles[key] for key in step.moves],
            "joints": [labels[row.joint] for row in own],
            "goes_on_with": labels[step.joint],
        }


def _blocking(one: Ordered) -> Iterator[dict[str, Any]]:
    labels = _labels(one)
    for row in one.plan.blocking:
        yield {
            "service": one.service,
            "joint": labels[row.joint],
            "key": row.joint,
            "why": row.why,
            "by": list(row.by),
            "by_hand": list(BY_HAND[row.why]),
        }


def _cure(one: Ordered, cure: AssemblyCure) -> dict[str, Any]:
    return {
        "service": one.service,
        "joint": _labels(one)[cure.joint],
        "title": cure.title,
        "effect": cure.effect,
        "part": cure.part,
        "price": cure.price,
        "works": cure.works,
        "cuts_mm": list(cure.cuts_mm),
        "commands": list(cure.commands),
    }
