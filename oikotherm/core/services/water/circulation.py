"""Hot water kept moving: what each loop loses, how much flows, how the loops are balanced, the pump that does it."""

from __future__ import annotations

from dataclasses import dataclass

from ...layout import Layout
from ...network.tree import length_mm
from ...pipe_loss import pipe_loss_w_m_k
from .network import HOT_C, WaterNetwork, WaterSection, loss_pa
from .pumps import PumpDuty, serve

AIR_C = 20.0
COOLS_K = 5.0
BACK_C = {"british": 50.0, "continental": 55.0, "north-american": 50.0}  # typ: what comes back is at least this warm
LONG_WAIT_S = 30.0


@dataclass(frozen=True, slots=True)
class Loop:
    """A circulation: from the heater by hot pipe (out) and home by its return (home). loss_w: its share of the heat;
    throttle_pa: what its balancing valve takes off; kv: of that valve, None where it stays open."""

    run: str
    out: tuple[str, ...]
    home: tuple[str, ...]
    flow_l_s: float
    loss_w: float
    drop_pa: float
    throttle_pa: float
    kv: float | None


@dataclass(frozen=True, slots=True)
class Circulation:
    """The loops of a network. flow_l_s: all of them; pump: what moves it."""

    source: str
    loops: tuple[Loop, ...]
    loss_w: float
    flow_l_s: float
    drop_pa: float
    store_c: float
    back_c: float
    pump: PumpDuty


def heat_loss_w(design: Layout, one: WaterSection) -> float:
    """What a section loses to a room at 20 C [W], by its lagging as drawn (typ films)."""
    row = design.context.catalogue.pipe(one.pipe.code, one.pipe.size)
    if row is None or row.od_mm is None:
        return 0.0
    warm = HOT_C - AIR_C
    work = design.pipework
    return sum(
        pipe_loss_w_m_k(row.od_mm, work.straights[key].lag_mm, warm) * warm * length_mm(design.fitted, key) / 1000
        for key in one.keys
    )


def circulation(design: Layout, net: WaterNetwork) -> Circulation | None:
    """The circulation of a network as drawn; None where no pipe brings hot water home. The flow holds the heat lost at
    5 K; at each parting it divides as the heat that is lost behind it, and every loop is throttled to the worst."""
    own = {one.id: one for one in net.sections}
    last = [
        one for one in net.sections if one.role == "recirc" and not any(other.above == one.id for other in net.sections)
    ]
    ways: list[tuple[tuple[str, ...], tuple[str, ...]]] = []
    for end in last:
        warm: list[str] = []
        cooled: list[str] = []
        at = end.id
        while at and own[at].role != "cold":
            (cooled if own[at].role == "recirc" else warm).append(at)
            at = own[at].above
        ways.append((tuple(reversed(warm)), tuple(reversed(cooled))))
    if not ways:
        return None
    medium = own[ways[0][1][0]].medium
    moving = dict.fromkeys(ident for out, home in ways for ident in (*out, *home))
    heat = {ident: heat_loss_w(design, own[ident]) for ident in moving}
    loss_w = sum(heat.values())
    total_l_s = loss_w / (medium.heat_j_kg_k * COOLS_K) / medium.density_kg_m3 * 1000
    behind = {ident: _behind(ident, ways, heat) for ident in moving}
    flows = {}
    for ident in moving:  # in the order of the sections: what feeds one comes before it
        above = own[ident].above
        if above not in behind:
            rest = sum(behind[one] for one in moving if own[one].above not in behind)
            flows[ident] = total_l_s * (behind[ident] / rest if rest else 1.0)
            continue
        beside = [one for one in moving if own[one].above == above]
        share = behind[ident] / (sum(behind[one] for one in beside) or 1.0)
        flows[ident] = flows[above] * (share if len(beside) > 1 else 1.0)
    drops = [sum(loss_pa(own[ident], flows[ident]) for ident in (*out, *home)) for out, home in ways]
    worst = max(drops)
    loops = []
    for (out, home), drop in zip(ways, drops, strict=True):
        flow, throttle = flows[home[-1]], worst - drop
        kv = flow * 3.6 / (throttle / 1e5) ** 0.5 * (medium.density_kg_m3 / 1000) ** 0.5 if throttle > 1 else None
        loops.append(
            Loop(own[home[0]].run, out, home, flow, sum(heat[ident] for ident in (*out, *home)), drop, throttle, kv)
        )
    return Circulation(
        net.source,
        tuple(loops),
        loss_w,
        total_l_s,
        worst,
        HOT_C,
        BACK_C[design.job.practice],
        serve("recirculation", max(total_l_s, 1e-6), 0.0, worst),
    )


def _behind(ident: str, ways: list[tuple[tuple[str, ...], tuple[str, ...]]], heat: dict[str, float]) -> float:
    """The heat lost in a section and in all that moves behind it [W]."""
    found: set[str] = set()
    for out, home in ways:
        whole = (*out, *home)
        if ident in whole:
            found.update(whole[whole.index(ident) :])
    return sum(heat[one] for one in found)
