"""Whether pipe and fittings go together: sizes, figures, short legs, odd angles."""

from __future__ import annotations

import difflib
import math
from collections.abc import Iterable, Iterator
from typing import Any

from ..catalogue.loader import size_order
from ..job.model import Crossover, DeviceItem, Leg, Pipe, PipeChange, Run
from ..job.writing import item_text
from ..joints.fitted import Trouble
from ..making.bends import crossover_angles_deg, crossover_rise_mm, crossover_straight_mm, gain_mm
from ..practice import TURNS, chosen
from ..quantity import length_text
from .registry import Remedy, Said, View, rule


def pipes_of(run: Run) -> Iterator[tuple[str | None, Pipe]]:
    """The pipes a run names: (None, its first pipe), then (item id, each change)."""
    yield None, run.pipe
    for item in run.items:
        if isinstance(item, PipeChange):
            yield item.id, item.pipe


def _troubles(view: View, kind: str) -> list[Trouble]:
    return [trouble for trouble in view.fitted.troubles if trouble.kind == kind]


def _told(view: View, kind: str, words: str, *cures: str) -> Iterator[Said]:
    """What the fitter could not solve, in words that name its facts in braces."""
    for trouble in _troubles(view, kind):
        says = words.format(run=trouble.run, **dict(trouble.facts))
        yield Said((trouble.run, trouble.key), says, at=trouble.at, cures=cures)


@rule(
    "size-unknown",
    "stop",
    "a size the system does not have",
    "Pipe and fittings come in the sizes of their system only.",
    "std of each pipe system",
)
def size_unknown(view: View) -> Iterable[Said]:
    catalogue = view.context.catalogue
    for run in view.job.runs:
        for item, pipe in pipes_of(run):
            if pipe.size == "?" or catalogue.pipe(pipe.code, pipe.size):
                continue
            sizes = catalogue.sizes(pipe.code)
            if sizes:
                says = f"{run.id}: {pipe.code} has no size {pipe.size}."
                near = [Pipe(code=pipe.code, size=size) for size in _near_sizes(pipe.size, sizes)]
            else:
                says = f"{run.id}: there is no pipe system {pipe.code}."
                codes = difflib.get_close_matches(pipe.code, catalogue.systems, n=2, cutoff=0.3)
                near = [Pipe(code=code, size=pipe.size) for code in codes if catalogue.pipe(code, pipe.size)]
            remedies = [
                Remedy(
                    f"Make it {new}",
                    ({"do": "set_pipe", "run": run.id, "item": item, "code": new.code, "size": new.size},),
                    f"{pipe} becomes {new}",
                )
                for new in near
            ]
            yield Said(
                (run.id,), says, tuple(remedies), cures=(f"sizes of {pipe.code}: {', '.join(sizes)}",) if sizes else ()
            )


def _near_sizes(said: str, sizes: tuple[str, ...]) -> list[str]:
    """The size below and the size above what was said."""
    try:
        wanted = size_order(said)
    except ValueError:
        return list(sizes[:2])
    below = [size for size in sizes if size_order(size) <= wanted]
    above = [size for size in sizes if size_order(size) > wanted]
    return below[-1:] + above[:1]


@rule(
    "size-open",
    "mind",
    "a pipe without a size",
    "Nothing can be cut or ordered until the size is chosen.",
    "rule of the model",
    stage="make",
)
def size_open(view: View) -> Iterable[Said]:
    for run in view.job.runs:
        for _, pipe in pipes_of(run):
            if pipe.size == "?":
                yield Said((run.id,), f"{run.id}: {pipe.code} has no size yet.", cures=("type the size in place of ?",))


@rule(
    "leg-short",
    "stop",
    "a leg shorter than its fittings allow",
    "The pipe left between the two fittings would be shorter than both joints need: it cannot be made.",
    "std socket depth and thread engagement; typ press distance",
    stage="make",
)
def leg_short(view: View) -> Iterable[Said]:
    unit = view.job.pace_unit
    for trouble in _troubles(view, "leg-short"):
        cut, least, need = (float(trouble.fact(name)) for name in ("cut", "least", "need"))
        says = (
            f"{trouble.run}: between {trouble.fact('ends')} {length_text(max(cut, 0), unit, with_unit=True)} of pipe "
            "is left; "
            f"the least is {length_text(least, unit, with_unit=True)}, {trouble.fact('why')}."
        )
        if cut < 0:
            says = (
                f"{trouble.run}: {trouble.fact('ends')} overlap by {length_text(-cut, unit, with_unit=True)}; "
                f"the least piece is {length_text(least, unit, with_unit=True)}, {trouble.fact('why')}."
            )
        yield Said(
            (trouble.run, trouble.key),
            says,
            (*_street(view, trouble), *_lengthen(view, trouble, need)),
            trouble.at,
            ("a longer leg there", "fittings that take less: a street elbow, a bend"),
        )


def _street(view: View, trouble: Trouble) -> Iterable[Remedy]:
    """A street elbow joins the two fittings without pipe; the leg takes its length, another leg the difference."""
    if trouble.fact("street"):
        for remedy in _lengthen(view, trouble, float(trouble.fact("street")) - float(trouble.fact("centre")), up=False):
            yield Remedy("Join them by a street elbow", remedy.commands, remedy.effect)


def _lengthen(view: View, trouble: Trouble, need_mm: float, *, up: bool = True) -> Iterable[Remedy]:
    """Give the short leg what it lacks and take it from a leg the same way that has it to spare: the end stays put."""
    run = view.job.run(trouble.run)
    if run is None or not trouble.fact("leg"):
        return
    lengths = view.fitted.pipework.runs[run.id].lengths
    legs = [item for item in run.items if isinstance(item, Leg) and item.length_mm is not None]
    short = next((leg for leg in legs if leg.id == trouble.fact("leg")), None)
    if short is None:
        return
    spare = {
        leg
        for piece in view.fitted.pieces.values()
        for leg in piece.legs
        if piece.centre_mm > 300 + abs(need_mm) and piece.key != trouble.key
    }
    giver = next(
        (leg for leg in sorted(legs, key=lambda leg: -lengths[leg.id]) if leg.dir == short.dir and leg.id in spare),
        None,
    )
    if giver is None:
        return
    unit = view.job.pace_unit
    more = float(-(-need_mm // 1)) if up else round(need_mm, 1)
    changes = [(short, lengths[short.id] + more), (giver, lengths[giver.id] - more)]
    commands: list[dict[str, Any]] = [
        {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": round(new, 3)} for leg, new in changes
    ]
    said = "; ".join(
        f"{leg.dir}{length_text(lengths[leg.id], unit)} becomes {leg.dir}{length_text(new, unit)}"
        for leg, new in changes
    )
    yield Remedy(f"Lengthen it and shorten another {short.dir} leg", tuple(commands), said)


@rule(
    "turn-no-fitting",
    "stop",
    "a turn no fitting makes",
    "Fittings turn 90 or 45 degrees; anything else is a bend or two fittings.",
    "std fittings",
)
def turn_no_fitting(view: View) -> Iterable[Said]:
    words = "{run} turns {angle} degrees in {pipe}: no fitting does."
    return _told(view, "turn-no-fitting", words, "turn 45 or 90 degrees", "two fittings that add up")


@rule(
    "tee-shape",
    "stop",
    "a tee no fitting makes",
    "A tee has two ends in one line and a third square to them.",
    "std fittings",
)
def tee_shape(view: View) -> Iterable[Said]:
    words = "Tee {run}.{name}: {why}."
    return _told(view, "tee-shape", words, "move the tee off the corner", "start the branch square to the run")


@rule(
    "port-end",
    "stop",
    "no lawful way into the port",
    "A joint that is not allowed there leaks or is condemned. No parts in the catalogue take this pipe into this port "
    "as it lies.",
    "rule of the trade",
    stage="joints",
)
def port_end(view: View) -> Iterable[Said]:
    for trouble in _troubles(view, "port-end"):
        yield Said(
            (trouble.run, trouble.fact("port")),
            f"{trouble.fact('port')} offers {trouble.fact('end')}; no lawful parts take {trouble.fact('pipe')} there: "
            f"{trouble.fact('why')}",
            at=trouble.at,
            cures=_ways(trouble),
        )


@rule(
    "no-transition",
    "stop",
    "no lawful way from one pipe to the other",
    "A joint that is not allowed there leaks or is condemned. No parts in the catalogue join these two pipes as they "
    "lie.",
    "rule of the trade",
    stage="joints",
)
def no_transition(view: View) -> Iterable[Said]:
    for trouble in _troubles(view, "no-transition"):
        says = (
            f"{trouble.run}: no lawful parts take {trouble.fact('end').removesuffix(' pipe')} to "
            f"{trouble.fact('pipe')} there: {trouble.fact('why')}"
        )
        yield Said((trouble.run, trouble.key), says, at=trouble.at, cures=_ways(trouble))


def _ways(trouble: Trouble) -> tuple[str, ...]:
    """What would work there, as the finder tells."""
    works = trouble.fact("works")
    return (works,) if works else ("another pipe", "another end on the port")


@rule(
    "joint-unlawful",
    "stop",
    "no lawful joint",
    "A joint that is not allowed for what runs through it leaks or is condemned: there is none until the pipe, the "
    "place or the part is another.",
    "rule of the trade; local code",
    stage="joints",
)
def joint_unlawful(view: View) -> Iterable[Said]:
    for trouble in _troubles(view, "joint-unlawful"):
        instead = trouble.fact("instead")
        cures = (f"{instead} on pipe that takes it", "another pipe") if instead else ("another pipe", "another place")
        says = f"{trouble.run}: no lawful joint on {trouble.fact('pipe')} there. {trouble.fact('why')}"
        yield Said((trouble.run, trouble.key), says, at=trouble.at, cures=cures)
    for trouble in _troubles(view, "device-unlawful"):
        says = (
            f"{trouble.run}: {trouble.fact('part')} on {trouble.fact('pipe')} is joined by "
            f"{trouble.fact('method')} there. {trouble.fact('why')}"
        )
        yield Said(
            (trouble.run, trouble.key), says, at=trouble.at, cures=("a part with other ends", "another pipe there")
        )


@rule(
    "kit-end",
    "stop",
    "a part on a port that does not fit it",
    "What is screwed into the wrong thread, or onto the wrong metal, starts by hand and leaks or eats through later.",
    "rule of the trade",
    stage="joints",
)
def kit_end(view: View) -> Iterable[Said]:
    for trouble in _troubles(view, "kit-end"):
        says = (
            f"{trouble.fact('port')}: {trouble.fact('part')} ({trouble.fact('inner')}) does not go on "
            f"{trouble.fact('before')} ({trouble.fact('end')}). {trouble.fact('why')}"
        )
        yield Said(
            (trouble.run, trouble.key),
            says,
            at=trouble.at,
            cures=("another part on the port", "the port's end as it is by label"),
        )


@rule(
    "override",
    "stop",
    "a joint set by hand that is not lawful or does not fit",
    "What somebody chose by hand is never changed in silence: it stands in the job, is not fitted, and is to be "
    "chosen anew.",
    "rule of the model",
    stage="joints",
)
def override(view: View) -> Iterable[Said]:
    work, fittings = view.fitted.pipework, view.fitted.fittings

    def back(target: str, field: str) -> Remedy:
        return Remedy(
            "Take the choice back",
            ({"do": "remove_override", "target": target, "field": field},),
            "the house's own choice stands there again",
        )

    for trouble in _troubles(view, "override"):
        row = view.context.catalogue.methods.get(trouble.fact("method"))
        title = row.title if row else trouble.fact("method")
        pipe = f" on {trouble.fact('pipe')}" if trouble.fact("pipe") else ""
        says = f"{trouble.run}: {title}{pipe} was set by hand there. {trouble.fact('why')}"
        yield Said(
            (trouble.run, trouble.key), says, (back(trouble.key, trouble.fact("field") or "method"),), trouble.at
        )
    for one in view.job.overrides:
        if one.field not in ("method", "chain") or one.target in fittings or one.target in work.nodes:
            continue
        straight = work.straights.get(one.target.rpartition("/")[0])
        if straight is not None and "/join" in one.target:
            continue  # a coupling there may come and go with the length
        yield Said(
            (one.target, one.target),
            f"{one.value} was set by hand at {one.target}, which is no longer there.",
            (back(one.target, one.field),),
            severity="mind",
        )


@rule(
    "no-figures",
    "mind",
    "no figures for a fitting",
    "Without the fitting's measures nothing is taken off: the cut length there is only centre to centre.",
    "rule of the catalogue",
    stage="make",
)
def no_figures(view: View) -> Iterable[Said]:
    words = "{run}: no figures for {part} in {pipe}."
    return _told(view, "no-figures", words, "measure the fitting and take it off by hand")


@rule(
    "long-piece",
    "mind",
    "a piece longer than the stick",
    "A straight longer than the stock length needs a coupling, or a longer stick.",
    "std stock lengths",
    stage="make",
)
def long_piece(view: View) -> Iterable[Said]:
    unit = view.job.pace_unit
    for piece in view.fitted.pieces.values():
        system = view.context.catalogue.systems.get(piece.pipe.code)
        length = piece.centre_mm - piece.from_mating.take_off_mm - piece.to_mating.take_off_mm
        length -= sum(gain_mm(bend.radius_mm, bend.angle_deg) for bend in piece.bends)
        if system and system.stick_mm and length > system.stick_mm + 1e-3:
            yield Said(
                (piece.run, piece.key),
                f"{piece.run}: a piece of {length_text(length, unit, with_unit=True)} is longer than a stick of "
                f"{length_text(system.stick_mm, unit, with_unit=True)}.",
                at=piece.a,
                cures=("a coupling where it can be reached",),
            )


@rule(
    "no-room",
    "stop",
    "a set or crossover without room",
    "A set takes height / tan t of the leg beside it, a crossover twice that; where the leg is shorter, or runs the "
    "same way as the side, it cannot be made.",
    "geometry of bends",
)
def no_room(view: View) -> Iterable[Said]:
    for trace in view.fitted.pipework.runs.values():
        for item in trace.run.items:
            if item.id in trace.no_room:
                yield Said(
                    (trace.run.id, item.id),
                    f"{trace.run.id}: {item_text(item, view.style)} has no room in the legs beside it.",
                    at=trace.start,
                    cures=("a steeper angle, such as @45", "a longer leg beside it"),
                )


@rule(
    "crossover-bends",
    "mind",
    "a crossover that cannot be pulled",
    "Between its bends a crossover needs straight pipe: rise / sin t less what both bends take. Where they overlap it "
    "is made of fittings, or pulled less steeply, or with a flat top.",
    "geometry of bends",
    stage="make",
)
def crossover_bends(view: View) -> Iterable[Said]:
    catalogue = view.context.catalogue
    bent_up_to = float(chosen(view.job, TURNS)[0].acts[0])
    for trace in view.fitted.pipework.runs.values():
        pipe = trace.run.pipe
        for item in trace.run.items:
            pipe = item.pipe if isinstance(item, PipeChange) else pipe
            if not isinstance(item, Crossover) or item.id in trace.no_room:
                continue
            radius, row = catalogue.bend_radius_mm(pipe.code, pipe.size), catalogue.pipe(pipe.code, pipe.size)
            if not radius or row is None or not row.od_mm or row.od_mm > bent_up_to:
                continue
            moves = {move.key: move for move in trace.moves if move.item == item.id}
            up = moves.get(f"{item.id}/up")
            if up is None:
                continue
            flat = f"{item.id}/top" in moves
            rise = up.length_mm * math.sin(math.radians(item.angle_deg))
            straight = crossover_straight_mm(rise, item.angle_deg, radius, flat=flat)
            if straight >= -1e-6:
                continue
            less = crossover_rise_mm(0.0, item.angle_deg, radius, rounded=bool(item.over) and not flat)
            yield Said(
                (trace.run.id, item.id),
                f"{trace.run.id}: {item_text(item, view.style)} cannot be pulled: its bends overlap by "
                f"{-straight:.1f} mm.",
                at=up.a,
                cures=("fittings there", "a bender of smaller radius"),
                remedies=tuple(_other_crossovers(view, trace.run.id, item, rise - less, radius)),
            )


def _other_crossovers(view: View, run: str, item: Crossover, clear_mm: float, radius_mm: float) -> Iterator[Remedy]:
    """The same crossover at an angle that can be pulled, and with a flat top."""
    for flat in (False, True):
        angles = crossover_angles_deg(clear_mm, radius_mm, flat=flat, rounded=bool(item.over))
        if not angles:
            continue
        least_mm = math.ceil(2 * radius_mm * math.tan(math.radians(angles[0]) / 2) / 10) * 10.0
        new = item.model_copy(update={"angle_deg": angles[0], "flat_mm": least_mm if flat else None})
        text = item_text(new, view.style)
        title = f"Four bends with a flat top, at {angles[0]:g} degrees" if flat else f"Pull it at {angles[0]:g} degrees"
        yield Remedy(title, ({"do": "retype_item", "run": run, "item": item.id, "text": text},), text)


@rule(
    "against-flow",
    "stop",
    "a part set against the flow",
    "A check valve, filter or pump the wrong way round shuts the pipe or catches nothing: its arrow goes with the "
    "water.",
    "rule of the trade",
)
def against_flow(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    directional = {part for (part, _, _), row in view.context.catalogue.devices.items() if row.directional}
    for key, node in work.nodes.items():
        if node.kind != "device" or node.part not in directional or node.arrow == "none":
            continue
        flow = view.flow.get(work.arms[key].get("out", ""), 0)
        if flow * (1 if node.arrow == "with" else -1) >= 0:
            continue
        run = view.job.run(node.run)
        item = next((item for item in run.items if item.id == node.item), None) if run else None
        if not isinstance(item, DeviceItem):
            continue
        sign = "<" if node.arrow == "with" else ">"
        words = [
            item.part,
            item.name or "",
            sign,
            f"handle {item.handle}" if item.handle else "",
            f"set {item.setting}" if item.setting else "",
        ]
        text = f"[{' '.join(word for word in words if word)}]"
        remedy = Remedy(
            "Turn it round",
            ({"do": "retype_item", "run": node.run, "item": node.item, "text": text},),
            f"{text} on {node.run}, with the water",
        )
        yield Said(
            (node.run, key),
            f"{node.run}: {item.part}{' ' + item.name if item.name else ''} stands against the flow.",
            (remedy,),
            node.at,
        )
