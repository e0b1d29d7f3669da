"""Whether what is installed can be served: shut off, drained, fed without a neck, and falls where it must fall."""

from __future__ import annotations

from collections.abc import Iterable

from ..catalogue import Catalogue
from ..heating.losses import bore_mm
from ..job.model import Leg
from ..memo import Remembered
from ..pipework.geometry import Pipework, Straight
from ..pipework.water import dead_ends, traps
from ..quantity import length_text, trim
from .circuit import SHUTS
from .legs import put_in_leg
from .registry import Remedy, Said, View, rule

SEEN_L = 0.1
CONDENSATE_FALL = 0.044  # 44 mm per metre, 1 in 22.7
DISCHARGE_FALL = 1 / 200
DEAD_LEG_DIAMETERS = 5.0
UNSHUT = ("safety-valve", "vessel")
SERVED = ("boiler", "cylinder", "heater", "softener", "pump", "manifold", "appliance")


_BORES: Remembered[tuple[str, ...]] = Remembered(8)


def _uneven(work: Pipework, catalogue: Catalogue) -> tuple[str, ...]:
    """The nodes where pipes of different bores meet."""
    bores = {key: bore_mm(catalogue, one.pipe) for key, one in work.straights.items()}
    return tuple(key for key, arms in work.arms.items() if len({bores[name] for name in arms.values()}) > 1)


@rule(
    "neck", "mind", "a section narrower than the one it feeds",
    "A narrow section before a wide one throttles all that follows, and the wide one is paid for in vain.", "rule of the trade",
)  # fmt: skip
def neck(view: View) -> Iterable[Said]:
    work = view.fitted.pipework

    def bore(one: Straight) -> float:
        return bore_mm(view.context.catalogue, one.pipe) or 0.0

    forms = (part.form for part in work.parts.values())
    for key in _BORES(
        (view.context.catalogue, work.graph, *forms), None, lambda: _uneven(work, view.context.catalogue)
    ):
        arms = work.arms[key]
        into: list[Straight] = []
        out: list[Straight] = []
        for straight in (work.straights[name] for name in arms.values()):
            sign = view.flow.get(straight.key, 0) * (1 if straight.to_node == key else -1)
            (into if sign > 0 else out if sign < 0 else []).append(straight)
        if not into or not out:
            continue
        role = work.runs[into[0].run].run.role
        near, far = (out, into) if role in ("return", "discharge", "condensate") else (into, out)
        narrow, wide = max(near, key=bore), max(far, key=bore)
        if not 0 < bore(narrow) < bore(wide) - 0.05:
            continue
        remedies = []
        if narrow.pipe.code == wide.pipe.code and "@" not in "".join(narrow.legs):
            command = {
                "do": "set_pipe",
                "run": narrow.run,
                "item": _pipe_item(view, narrow),
                "code": wide.pipe.code,
                "size": wide.pipe.size,
            }
            remedies = [Remedy(f"Make it {wide.pipe}", (command,), f"{narrow.run}: {narrow.pipe} becomes {wide.pipe}")]
        says = (
            f"{narrow.run}: {narrow.pipe} feeds {wide.pipe} of {wide.run}."
            if role != "return"
            else f"{narrow.run}: {wide.pipe} of {wide.run} goes home through {narrow.pipe}."
        )
        yield Said((narrow.run, key), says, tuple(remedies), work.nodes[key].at)


def _pipe_item(view: View, straight: Straight) -> str | None:
    found: str | None = None
    for item in view.fitted.pipework.runs[straight.run].run.items:
        if item.id in straight.legs:
            break
        if item.kind == "pipe":
            found = item.id
    return found


def _can_shut(view: View, port_key: str) -> bool:
    """Whether a valve stands between a port and the first branch."""
    work = view.fitted.pipework
    place = work.ports[port_key]
    if any(kit.row.kv is not None and kit.row.turns for kit in place.kit):
        return True
    at, came = port_key, ""
    for _ in range(len(work.nodes)):
        arms = [key for key in work.arms.get(at, {}).values() if key != came]
        node = work.nodes[at]
        if node.kind == "device" and node.part in SHUTS:
            return True
        if at != port_key and node.kind == "port":
            return any(kit.row.kv is not None and kit.row.turns for kit in work.ports[node.part].kit)
        if len(arms) != 1:
            return False
        came = arms[0]
        straight = work.straights[came]
        at = straight.to_node if straight.from_node == at else straight.from_node
    return False


@rule(
    "no-isolation", "mind", "cannot be shut off alone",
    "Without a valve of its own each repair drains the whole system.", "rule of the trade",
)  # fmt: skip
def no_isolation(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for station in view.job.stations:
        if station.kind not in SERVED or station.state == "remove":
            continue
        for port in station.ports:
            key = f"{station.id}.{port.name}"
            outlet = station.kind in ("softener", "heater") and port.way == "out" and port.role in ("hot", "cold")
            loop = station.kind == "manifold" and (port.role, port.way) not in (("flow", "in"), ("return", "out"))
            if (
                loop  # a manifold's loops have their valves in its bars
                or port.role in ("discharge", "condensate", "flue")
                or key not in work.nodes
                or outlet
                and station.kind != "softener"
                or _can_shut(view, key)
            ):
                continue
            run_id = work.nodes[key].run
            trace = work.runs[run_id]
            legs = [item for item in trace.run.items if isinstance(item, Leg)]
            backwards = trace.run.finish == key
            before_branch: list[str] = []
            branched = False
            for item in reversed(trace.run.items) if backwards else trace.run.items:
                if item.kind == "device" and item.part in UNSHUT:
                    before_branch.clear()  # a valve goes behind these, never between them and the boiler
                branched = branched or item.kind in ("tee", "point")
                if not branched:
                    before_branch.append(item.id)
            leg = next(
                (
                    leg
                    for leg in (reversed(legs) if backwards else legs)
                    if trace.lengths[leg.id] >= 260 and leg.id in before_branch
                ),
                None,
            )
            remedies = []
            if leg is not None:
                length = trace.lengths[leg.id]
                at = round(length - 130 if backwards else 130.0)
                effect = f"[iso] on {run_id}, {length_text(at, view.job.pace_unit, with_unit=True)} along {leg.dir}{length_text(length, view.job.pace_unit)}"
                remedies = [
                    Remedy("Put an isolating valve there", (put_in_leg(view, run_id, leg, "[iso]", at),), effect)
                ]
            yield Said(
                (station.id, key),
                f"{station.id} cannot be shut off at its {port.name}.",
                tuple(remedies),
                work.ports[key].mouth,
                (f"a valve on {run_id} before its first branch",),
            )


@rule(
    "no-fall", "stop", "a discharge or condensate pipe that does not fall",
    "Condensate falls 44 mm a metre, a discharge 1 in 200 and never uphill: what stands in it freezes, corrodes, or holds a safety valve back.", "typ; local code",
)  # fmt: skip
def no_fall(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for trace in work.runs.values():
        if trace.run.role not in ("discharge", "condensate") or not trace.moves:
            continue
        least = CONDENSATE_FALL if trace.run.role == "condensate" else DISCHARGE_FALL
        worst = min(trace.moves, key=lambda move: -move.way.z)
        flat = [move for move in trace.moves if -move.way.z < least / (1 + least * least) ** 0.5 - 1e-6]
        if not flat:
            continue
        remedies = []
        ends_free = "." not in trace.run.finish or any(
            isinstance(item, Leg) and item.dir == "D" and item.length_mm is None for item in trace.run.items
        )
        if all(abs(move.way.z) < 1e-9 for move in flat) and ends_free and trace.run.items:
            from ..job.writing import item_text

            first = trace.run.items[0]
            said = "1:22" if trace.run.role == "condensate" else "1:200"
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
        says = f"{trace.run.id}, {trace.run.role}, {'goes uphill' if uphill else 'lies too flat'} over {length_text(sum(move.length_mm for move in flat), view.job.pace_unit, with_unit=True)}."
        yield Said(
            (trace.run.id, trace.run.id),
            says,
            tuple(remedies),
            flat[0].a,
            ("a lower end", "a shorter way"),
            None if uphill or trace.run.role == "condensate" else "mind",
        )


@rule(
    "trapped-water", "note", "water that the drains do not reach",
    "Dips and drops below the drain keep their water: it runs out when they are cut, spoils a soldered joint, and freezes.", "geometry",
)  # fmt: skip
def trapped_water(view: View) -> Iterable[Said]:
    for heating in view.heating:
        for trap in traps(view.fitted.pipework, heating.circuit.nodes, view.fitted.spans, view.context.catalogue):
            if trap.litres < SEEN_L:
                continue
            runs = list(dict.fromkeys(view.fitted.pipework.straights[key].run for key in trap.straights))
            cold = any(view.fitted.pipework.straights[key].place in ("loft", "outside") for key in trap.straights)
            named = ", ".join(runs[:4]) + (f" and {len(runs) - 4} more" if len(runs) > 4 else "")
            says = f"{trim(trap.litres, 1)} L stay in {named} below the drains{', where it freezes' if cold else ''}."
            yield Said(
                (trap.run, trap.straights[0]),
                says,
                tuple(_drain_remedies(view, trap.straights)),
                trap.at,
                ("have a tub there",),
                "mind" if cold else None,
            )


def _drain_remedies(view: View, straights: tuple[str, ...]) -> Iterable[Remedy]:
    """A drain cock in the lowest leg of a trap with room for it."""
    work = view.fitted.pipework
    low = sorted(straights, key=lambda key: view.fitted.spans[key][0].z + view.fitted.spans[key][1].z)
    for key in low:
        straight = work.straights[key]
        trace = work.runs[straight.run]
        leg = next(
            (
                item
                for item in trace.run.items
                if isinstance(item, Leg) and item.id in straight.legs and trace.lengths[item.id] >= 260
            ),
            None,
        )
        if leg is None or abs(straight.way.z) > 0.01:
            continue
        at = round(trace.lengths[leg.id] / 2)
        effect = f"[drain] on {straight.run}, {length_text(at, view.job.pace_unit, with_unit=True)} along {leg.dir}"
        yield Remedy(
            "Put a drain cock at its lowest leg", (put_in_leg(view, straight.run, leg, "[drain]", at),), effect
        )
        return


@rule(
    "dead-leg", "mind", "a dead leg on fresh water",
    "Water that stands grows legionella: no blind end longer than 5 pipe diameters on fresh water.", "typ",
)  # fmt: skip
def dead_leg(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    if not any(run.service == "water" for run in view.job.runs):
        return
    for group in dead_ends(work, view.flow):
        first = work.straights[group[0]]
        ends = {node for key in group for node in (work.straights[key].from_node, work.straights[key].to_node)}
        stations = {work.ports[work.nodes[node].part].station.kind for node in ends if work.nodes[node].kind == "port"}
        if work.runs[first.run].run.service != "water" or stations & {"vessel", "safety-valve"}:
            continue
        length = sum(view.fitted.span_mm[key] for key in group)
        row = view.context.catalogue.pipe(first.pipe.code, first.pipe.size)
        least = DEAD_LEG_DIAMETERS * (row.od_mm or 0.0) if row else 0.0
        if length > least > 0:
            unit = view.job.pace_unit
            says = f"{first.run}: {length_text(length, unit, with_unit=True)} of dead leg; {length_text(least, unit, with_unit=True)} is the most."
            litres = length / 1000 * 3.1416e-3 / 4 * ((row.bore_mm or 0.0) if row else 0.0) ** 2
            yield Said(
                (first.run, group[0]),
                f"{says[:-1]}, {trim(litres, 2)} L stand there.",
                at=first.a,
                cures=("take it back to the tee", "an outlet in daily use at its end"),
            )


@rule(
    "copper-upstream", "stop", "copper before galvanised pipe",
    "Fresh water carries copper along and plates it on the zinc further on: the zinc is eaten from inside, brass between or not. Galvanised comes first, copper after it.",
    "rule of the trade",
)  # fmt: skip
def copper_upstream(view: View) -> Iterable[Said]:
    work, systems = view.fitted.pipework, view.context.catalogue.systems
    zinc = [
        one for one in work.straights.values() if one.pipe.code == ZINC and work.runs[one.run].run.service == "water"
    ]
    if not zinc:
        return
    told: set[tuple[str, str]] = set()
    for straight in zinc:
        for key in _upstream(work, view.flow, straight):
            before = work.straights[key]
            system = systems.get(before.pipe.code)
            if system is None or system.material != "copper" or (straight.run, before.run) in told:
                continue
            told.add((straight.run, before.run))
            says = f"Copper {before.pipe} of {before.run} comes before galvanised {straight.pipe} of {straight.run}, along the water."
            yield Said(
                (straight.run, straight.key, before.run),
                says,
                at=straight.a,
                cures=(
                    f"plastic or steel in place of the copper on {before.run}",
                    "new pipe in place of the galvanised",
                ),
            )


ZINC = "galv"


def _upstream(work: Pipework, flow: dict[str, int], straight: Straight) -> list[str]:
    """The straights whose water comes to this one, by the directions that are known, the nearest first."""
    found: list[str] = []
    waiting = [straight]
    for one in waiting:
        way = flow.get(one.key, 0)
        if not way:
            continue
        node = one.from_node if way > 0 else one.to_node
        for key in work.arms.get(node, {}).values():
            other = work.straights[key]
            comes = flow.get(key, 0) * (1 if other.to_node == node else -1) > 0
            if comes and key not in found and key != straight.key:
                found.append(key)
                waiting.append(other)
    return found
