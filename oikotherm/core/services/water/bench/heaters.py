"""calc heater_swap, booster."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ....bench.lengths import read_pipe
from ....bench.registry import Input, Quantity, in_force, mm
from ....quantity import PA_PER_BAR, parse
from ....working import Step
from .. import pumps
from ..heater_change import (
    USUAL_CENTRES_MM,
    USUAL_FITTING_MM,
    Heater,
    swap,
)
from .box import tool

Kind = Literal["storage", "electric", "tankless", "heat-pump", "indirect"]


class HeaterIn(Input):
    kind: Kind = Field(
        default="storage", description="storage (gas), electric, tankless, heat-pump or indirect (storage)"
    )
    height: Quantity = Field(default=1400, description="floor to its cold and hot ports; mm (1400)")
    centres: Quantity = Field(default=USUAL_CENTRES_MM, description="between cold and hot; mm (203)")
    diameter: Quantity = Field(default=500, description="across; mm (500)")
    volume: Quantity = Field(default=0, description="what it holds; L, or text such as 40 gal (0: not said)")
    weight: float = Field(default=0, description="empty, kg (0: not said)")
    input: Quantity = Field(default=0, description="input; W, or text such as 40000 BTU/h (0: not said)")
    flue: Quantity = Field(default=0, description="vent across; mm (0: none)")
    gap: Quantity = Field(default=300, description="of the old: its ports up to where its pipes are cut; mm (300)")
    base: Quantity = Field(default=0, description="of the new: what it stands on; mm (0)")
    fitting: Quantity = Field(
        default=USUAL_FITTING_MM,
        description="of the new: on its ports, union or nipple, before the pipe; mm (60)",
    )
    shift: Quantity = Field(default=0, description="of the new: its axis right of the old one's; mm (0)")
    lean: float = Field(default=0, description="of the new: to the right, mm a metre (0)")
    vent: Quantity = Field(default=0, description="floor to its vent collar; mm (0: not said)")
    least_flow: Quantity = Field(default=0, description="of a tankless one: fires from; L/min (0: not said)")


class SwapIn(Input):
    old: HeaterIn = Field(description="the old heater")
    new: HeaterIn = Field(description="the new heater")
    pipe: str = Field(default="cu-m 22", description="pipe system and size of the risers (cu-m 22)")
    method: str = Field(default="", description="how it is joined, such as capillary or press (the usual of the pipe)")


def _heater(said: HeaterIn, field: str) -> Heater:
    def length(name: str) -> float:
        value = getattr(said, name)
        if isinstance(value, int | float) and value <= 0:
            return float(value)
        text = str(value).strip()
        return -mm(text[1:], f"{field}.{name}") if text.startswith("-") else mm(value, f"{field}.{name}")

    def figure(name: str, kind: str, unit: str, times: float = 1.0) -> float:
        value = getattr(said, name)
        return 0.0 if value in (0, "0", "") else parse(value, kind, unit, field=f"{field}.{name}") * times

    return Heater(
        said.kind,
        length("height"),
        length("centres"),
        length("diameter"),
        figure("volume", "volume", "L", 1000),
        said.weight,
        figure("input", "power", "W"),
        length("flue"),
        length("gap"),
        length("base"),
        length("fitting"),
        length("shift"),
        said.lean,
        length("vent"),
        figure("least_flow", "volume-flow", "L/min", 60_000),
    )


@tool(
    "Heater changed",
    "the new heater over the old: risers to the old pipes, and what else differs",
    {
        "old": {"kind": "storage", "height": 1400, "centres": 203, "gap": 300, "volume": 150},
        "new": {"kind": "storage", "height": 1490, "centres": 203, "shift": 40, "volume": 190, "weight": 60},
        "pipe": "cu-m 22",
        "method": "capillary",
    },
    "Cut old pipes long and trim them when the new heater stands. Gas, unvented hot water and vents are licensed work.",
)
def heater_swap(said: SwapIn) -> dict[str, Any]:
    """{risers: [{port, rise_mm, aside_mm, out_mm, cut_back_mm, parts, pieces_mm, turns_deg}], notes, out_l, stays_l,
    full_kg, text, working}. Raises Refused."""
    catalogue = in_force()
    pipe = read_pipe(said.pipe, catalogue)
    found = swap(_heater(said.old, "old"), _heater(said.new, "new"), catalogue, pipe, said.method)
    risers = [
        {
            "port": one.port,
            "rise_mm": round(one.rise_mm, 2),
            "aside_mm": round(one.aside_mm, 2),
            "out_mm": round(one.out_mm, 2),
            "cut_back_mm": round(one.cut_mm, 2),
            "parts": list(one.way.parts) if one.way else [],
            "pieces_mm": [round(piece, 2) for piece in one.way.pieces_mm] if one.way else [],
            "turns_deg": [round(turn, 2) for turn in one.way.turns_deg] if one.way else [],
        }
        for one in found.risers
    ]
    words = "; ".join(
        f"{one.port}: {' + '.join(one.way.parts) or 'straight'}, "
        f"{', '.join(f'{piece:.0f}' for piece in one.way.pieces_mm if piece)} mm"
        if one.way
        else f"{one.port}: no elbows do it"
        for one in found.risers
    )
    return {
        "risers": risers,
        "notes": list(found.notes),
        "out_l": round(found.out_l, 2),
        "stays_l": round(found.stays_l, 2),
        "full_kg": round(found.full_kg, 1),
        "text": words,
        "working": [step.as_dict() for step in found.working],
    }


class BoosterIn(Input):
    flow: Quantity = Field(description="peak flow; L/s, or text with a unit")
    needed: Quantity = Field(description="pressure wanted at the worst outlet; bar, or text with a unit")
    losses: Quantity = Field(description="what the pipe loses at that flow; bar, or text with a unit")
    supply: Quantity = Field(description="what comes in while it runs; bar, or text with a unit")
    height: Quantity = Field(default=0, description="from the supply up to the worst outlet; mm, or 9 m (0)")
    kind: Literal["booster", "recirculation", "transfer", "condensate"] = Field(
        default="booster", description="booster, recirculation, transfer or condensate (booster)"
    )


@tool(
    "Booster pump",
    "what a pump on fresh water has to add, and the smallest that does",
    {"flow": 0.5, "needed": 1.0, "losses": 0.6, "supply": 0.8, "height": "9 m"},
    "A break tank where the water company wants one; check valve, low-pressure and dry-run cut-out, soft mounts.",
)
def booster(said: BoosterIn) -> dict[str, Any]:
    """{duty_pa, pump, runs_l_s, runs_pa, curve, system, text, working}. Raises Refused."""
    flow_l_s = parse(said.flow, "volume-flow", "L/s", field="flow") * 1000

    def pressure(name: str) -> float:
        value = getattr(said, name)
        return 0.0 if value in (0, "0") else parse(value, "pressure", "bar", field=name)

    needed, losses, supply = pressure("needed"), pressure("losses"), pressure("supply")
    height_m = 0.0 if said.height in (0, "0") else mm(said.height, "height") / 1000
    static = needed + pumps.lift_pa(height_m) - supply
    found = pumps.serve(said.kind, flow_l_s, static, losses)
    points = [flow_l_s * share / 4 for share in range(7)]
    pump = found.pump
    if found.duty_pa <= 0:
        words = "no pump is needed: the supply does it alone"
    elif pump is None:
        words = f"{found.duty_pa / PA_PER_BAR:.2f} bar at {flow_l_s:.2f} L/s: no pump of the list does it"
    else:
        words = (
            f"{found.duty_pa / PA_PER_BAR:.2f} bar at {flow_l_s:.2f} L/s: {pump.name}, which runs at "
            f"{found.runs_l_s:.2f} L/s and {found.runs_pa / PA_PER_BAR:.2f} bar"
        )
    steps = (
        Step(
            "duty = needed + height + losses - supply",
            (
                ("needed_bar", needed / PA_PER_BAR),
                ("height_m", height_m),
                ("losses_bar", losses / PA_PER_BAR),
                ("supply_bar", supply / PA_PER_BAR),
            ),
            found.duty_pa / PA_PER_BAR,
            "bar",
        ),
    )
    return {
        "duty_pa": round(found.duty_pa, 1),
        "pump": pump.name if pump else None,
        "runs_l_s": round(found.runs_l_s, 4),
        "runs_pa": round(found.runs_pa, 1),
        "curve": [[round(at, 4), round(pump.head_pa(at), 1)] for at in points] if pump else [],
        "system": [[round(at, 4), round(static + losses * (at / flow_l_s) ** 2, 1)] for at in points],
        "text": words,
        "working": [step.as_dict() for step in steps],
    }
