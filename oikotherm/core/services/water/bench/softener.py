"""calc softener: load, capacity, interval, salt, sodium and pressure drop."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from ....bench.registry import Input, Quantity
from ....quantity import parse
from ..softening import IRON_AS_HARDNESS, fortnight, softening
from .box import tool


class SoftenerIn(Input):
    people: float = Field(gt=0, le=10_000, description="how many people it serves")
    hardness: Quantity = Field(description="of the raw water; mg/L as CaCO3, or text with a unit such as 18 gpg, 17 dH")
    resin: Quantity = Field(description="how much resin; L, or text with a unit such as 1 ft3")
    salt: float = Field(description="salt of a regeneration, g a litre of resin, 100 to 240")
    litres_day: float | None = Field(
        default=None, gt=0, le=10_000, description="softened water a person and day, L (150)"
    )
    iron: float | None = Field(default=None, ge=0, le=50, description="iron and manganese, mg/L (0)")
    blend: Quantity | None = Field(
        default=None, description="hardness its blend valve leaves; mg/L, or text with a unit (none)"
    )
    raw_sodium: float | None = Field(default=None, ge=0, le=10_000, description="sodium of the raw water, mg/L (0)")
    flow: Quantity | None = Field(default=None, description="at the peak; L/s, or text with a unit (not asked)")
    kv: float | None = Field(default=None, gt=0, le=1000, description="of the softener, m3/h at 1 bar (not known)")
    every_days: int | None = Field(
        default=None, ge=1, le=30, description="regenerates by time, every so many days (by demand)"
    )


@tool(
    "Softener",
    "how long a softener's resin lasts, its salt, and the sodium it adds",
    {"people": 4, "hardness": "300 mg/L", "resin": 20, "salt": 160},
    "Boiler filling: ask the boiler's maker before softened water goes in.",
)
def softener(said: SoftenerIn) -> dict[str, Any]:
    """{load_g_day, capacity_g, interval_days, salt_kg_year, sodium_mg_l, drop_pa, notes, fortnight, hard_l, text,
    working}. fortnight: [hour, left_g, 1 where it was made new]. Raises Refused."""
    given = {"litres_day": said.litres_day, "iron_mg_l": said.iron, "raw_sodium_mg_l": said.raw_sodium}
    flow = None if said.flow is None else parse(said.flow, "volume-flow", "L/s", field="flow") * 3600
    hardness = parse(said.hardness, "hardness", "mg/L", field="hardness")
    blend = 0.0 if said.blend is None else parse(said.blend, "hardness", "mg/L", field="blend")
    found = softening(
        said.people,
        hardness,
        parse(said.resin, "volume", "L", field="resin") * 1000,
        said.salt,
        blend_mg_l=blend,
        flow_m3_h=flow,
        kv=said.kv,
        **{name: value for name, value in given.items() if value is not None},
    )
    hours = fortnight(
        found.load_g_day,
        found.capacity_g,
        (hardness + IRON_AS_HARDNESS * (said.iron or 0.0)) * (1 - blend / hardness),
        every_days=said.every_days,
    )
    hard_l = sum(one.hard_l for one in hours)
    said_notes = [*found.notes, *([f"{hard_l:.0f} L pass hard in a fortnight"] if hard_l > 0.5 else [])]
    notes = f"; {'; '.join(said_notes)}" if said_notes else ""
    return {
        "load_g_day": round(found.load_g_day, 3),
        "capacity_g": round(found.capacity_g, 2),
        "interval_days": round(found.interval_days, 3),
        "salt_kg_year": round(found.salt_kg_year, 2),
        "sodium_mg_l": round(found.sodium_mg_l, 2),
        "drop_pa": None if found.drop_pa is None else round(found.drop_pa),
        "notes": said_notes,
        "fortnight": [[one.day * 24 + one.hour, round(one.left_g, 1), int(one.regenerated)] for one in hours],
        "hard_l": round(hard_l, 1),
        "text": f"every {found.interval_days:.1f} days, {found.salt_kg_year:.0f} kg of salt a year, "
        f"{found.sodium_mg_l:.0f} mg/L of sodium{notes}",
        "working": [step.as_dict() for step in found.working],
    }
