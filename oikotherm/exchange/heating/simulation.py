"""A circuit's simulation as plain data, and its settings from plain data: page, command line and tests take them from
here."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from ...core.design import Design
from ...core.errors import Refused, nearest
from ...core.job.document import read_as
from ...core.network.solver import PumpCurve
from ...core.services.heating.rooms_heated import RoomHeat, outputs_w, rooms_heated
from ...core.services.heating.simulate import Balance, Setting, Settings, Simulation, balance, running_of, simulate
from ...core.services.heating.sized import Heating
from ...core.services.heating.sizing import heating_of
from ...core.services.heating.valves import circulators


class _Closed(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class EmitterIn(_Closed):
    turns: float | None = Field(default=None, ge=0, le=20)
    trv: float = Field(default=1.0, ge=0, le=1)
    kv: float | None = Field(default=None, gt=0, le=100)


class PumpIn(_Closed):
    circulator: str = ""
    mode: Literal["fixed", "constant", "proportional"] = "constant"
    speed: float = Field(default=1.0, gt=0, le=1)
    head_pa: float | None = Field(default=None, gt=0, le=200_000)


class SettingsIn(_Closed):
    """What `oikotherm size --simulate` and the simulator take. start: what emitters that are not named are set to."""

    circuit: str = ""
    start: Literal["balanced", "open"] = "balanced"
    emitters: dict[str, EmitterIn] = {}
    pump: PumpIn | None = None
    flow_c: float | None = Field(default=None, ge=20, le=110)


def circuit_of(design: Design, source: str) -> Heating:
    """The circuit of a source, or the first with emitters. Raises Refused."""
    found = [heating for heating in heating_of(design) if heating.loads and source in ("", heating.circuit.source.id)]
    if not found:
        known = [heating.circuit.source.id for heating in heating_of(design) if heating.loads]
        raise Refused(
            "circuit",
            source,
            f"a heat source with emitters: {', '.join(known) or 'none is joined both ways yet'}",
            known[0] if known else "BLR",
        )
    return found[0]


def read_settings(heating: Heating, said: Any) -> Settings:
    """Settings from plain data. Raises Refused."""
    given = read_as(SettingsIn, said)
    base = {one.station: one.setting if given.start == "balanced" else Setting() for one in balance(heating)}
    for name, one in given.emitters.items():
        if name not in base:
            raise Refused("emitters", name, f"an emitter such as {nearest(name, base)}", '{"R1": {"turns": 1.5}}')
        old = base[name]
        base[name] = Setting(
            old.turns if one.turns is None else one.turns, one.trv, old.kv if one.kv is None else one.kv
        )
    return Settings(base, _pump(heating, given.pump) if given.pump else None, given.flow_c)


def _pump(heating: Heating, said: PumpIn) -> PumpCurve:
    known = {one.name: one for one in circulators()}
    if said.circulator and said.circulator not in known:
        raise Refused("circulator", said.circulator, f"one of {', '.join(known)}", next(iter(known)))
    head = said.head_pa or heating.pump_head_pa
    fits = next(
        (one for one in known.values() if one.curve(heating.medium).head_pa(heating.flow_kg_s)[0] >= head),
        list(known.values())[-1],
    )
    chosen = known.get(said.circulator, fits)
    return chosen.curve(heating.medium, said.mode, said.speed, head)


def run(design: Design, said: Any) -> dict[str, Any]:
    """Settings in, the running circuit out. Raises Refused."""
    source = said.get("circuit", "") if isinstance(said, dict) else ""
    heating = circuit_of(design, source if isinstance(source, str) else "")
    found = simulate(design.job, design.fitted, design.context.catalogue, heating, read_settings(heating, said))
    return {"circuit": heating.circuit.source.id, **simulation_row(found, heating, design)}


def simulation_row(found: Simulation, heating: Heating, design: Design) -> dict[str, Any]:
    """A simulation, rounded to what can be used."""
    given = outputs_w(heating_of(design))
    for run_now in (*running_of(design).values(), found):
        given |= {one.station: one.output_w for one in run_now.emitters}
    per_litre = 3.6e6 / heating.medium.density_kg_m3
    emitters = []
    for one in found.emitters:
        emitters.append(
            {
                "id": one.station,
                "flow_kg_s": round(one.flow_kg_s, 5),
                "flow_l_h": round(one.flow_kg_s * per_litre, 1),
                "share": round(one.share, 4),
                "flow_c": round(one.flow_c, 2),
                "return_c": round(one.return_c, 2),
                "output_w": round(one.output_w, 1),
                "wanted_w": round(one.wanted_w, 1),
                "kv": round(one.kv, 3),
                "turns": round(one.turns, 3),
                "trv": one.trv,
                "trv_pa": round(one.trv_pa, 1),
                "noisy": one.trv_pa > 20_000,
            }
        )
    return {
        "emitters": emitters,
        "rooms": [
            room_row(room)
            for room in rooms_heated(design.job, given)
            if any(one.station in room.emitters for one in found.emitters)
        ],
        "sections": {key: round(flow, 6) for key, flow in found.sections.items()},
        "section_c": {key: [round(a, 2), round(b, 2)] for key, (a, b) in found.section_c.items()},
        "flow_kg_s": round(found.flow_kg_s, 5),
        "flow_l_h": round(found.flow_kg_s * per_litre, 1),
        "head_pa": round(found.head_pa, 1),
        "flow_c": found.flow_c,
        "return_c": round(found.return_c, 2),
        "boiler_w": round(found.boiler_w, 1),
        "pipe_w": round(found.pipe_w, 1),
        "residuals": {
            "pressure_pa": found.residual_pa,
            "flow_kg_s": found.residual_kg_s,
            "energy_share": found.energy_gap,
            "steps": found.steps,
            "converged": found.converged,
        },
    }


def room_row(one: RoomHeat) -> dict[str, Any]:
    """What a room gets of what it needs."""
    return {
        "id": one.room,
        "name": one.name,
        "room_c": one.room_c,
        "need_w": round(one.need_w, 1),
        "given_w": round(one.given_w, 1),
        "short": one.short,
    }


def balance_row(one: Balance) -> dict[str, Any]:
    """How an emitter is set, for the balance sheet."""
    return {
        "id": one.station,
        "kv": round(one.kv, 3),
        "turns": round(one.turns, 2) if one.lockshield else None,
        "surplus_pa": round(one.surplus_pa, 1),
        "possible": one.possible,
        "lockshield": one.lockshield,
        "valve": one.valve,
        "index": one.index,
    }
