"""calc gas_tightness, purge, test_plan: what a tightness test says, what it can say, and what it takes to clear air."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any, Literal

from pydantic import Field

from ....bench.registry import Input, Quantity, in_force, mm
from ....errors import Refused
from ....quantity import parse
from ....work.readings import Reading, as_read, digit_step_k, read_time
from ....work.verdict import LOGGED_K, STANDARD_PA, Evidence, Gauge, TestRule, judge, prevents, smallest_leak_l_h
from .. import tightness as proof
from ..capacity import gas_bore_mm
from .box import tool
from .pipes import LICENSED, pascal, read_gas_pipe

TestName = Literal["british", "continental", "code", "inspector", "overnight", "procedure"]
MeterName = Literal["none", "ultrasonic", "diaphragm-6", "diaphragm-16"]
GaugeName = Literal["water", "electronic", "mechanical"]
START = datetime(2000, 1, 1)


class ReadingIn(Input):
    at: float | str = Field(description="when: minutes from the start of the hold, or a time such as 2026-03-01T10:00")
    pressure: Quantity = Field(description="what the gauge shows; mbar, or text with a unit such as 15 psi")
    temp_c: int | float | str | None = Field(
        default=None, description="the pipe's temperature, its digits as read; C, or text with a unit (not read)"
    )
    baro: Quantity | None = Field(default=None, description="the barometer; mbar, or text with a unit (not read)")


class GaugeIn(Input):
    resolution: Quantity = Field(description="its last digit or smallest step; mbar, or text with a unit")
    range: Quantity | None = Field(default=None, description="how far it goes; mbar, or text with a unit (not known)")
    kind: GaugeName = Field(default="electronic", description="water, electronic or mechanical (electronic)")

    def read(self) -> Gauge:
        """The gauge in pascal. Raises Refused."""
        step = pascal(self.resolution, "resolution")
        if not 0 < step <= 1e6:
            raise Refused("resolution", self.resolution, "above 0 and up to 10 bar", "0.1 mbar")
        return Gauge(step, 0.0 if self.range is None else pascal(self.range, "range"), self.kind)


class ProcedureIn(Input):
    """Another procedure, as the licensed person says it."""

    name: str = Field(description="what it is called")
    pressure: Quantity = Field(description="test pressure; mbar, or text with a unit")
    hold: Quantity = Field(description="how long it is held; minutes, or text with a unit")
    drop: Quantity = Field(description="what may be lost; mbar, or text with a unit")

    def read(self) -> proof.Procedure:
        """Pressure and drop in pascal, minutes. Raises Refused."""
        minutes = parse(self.hold, "time", "min", field="hold") / 60
        return proof.Procedure(self.name, pascal(self.pressure, "pressure"), minutes, pascal(self.drop, "drop"))


class AskedIn(Input):
    test: TestName = Field(description="british, continental, code, inspector, overnight or procedure")
    volume: Quantity = Field(description="of the pipe and meter under test; L, or text with a unit")
    gauge: GaugeIn = Field(description="resolution, range, kind")
    largest_mm: Quantity | None = Field(default=None, description="largest pipe outside; mm, or text with a unit (28)")
    meter: MeterName = Field(default="none", description="none, ultrasonic, diaphragm-6 or diaphragm-16 (none)")
    existing: bool = Field(default=False, description="true for existing pipe with its appliances on it (false)")
    working: Quantity | None = Field(
        default=None, description="working pressure, for the code minimum; mbar, or text with a unit (low pressure)"
    )
    procedure: ProcedureIn | None = Field(default=None, description="of the test procedure: name, pressure, hold, drop")
    thermometer: Quantity | None = Field(default=None, description="its step; K, or text with a unit (the digits read)")

    def rule(self) -> TestRule:
        """What the test asks. Raises Refused."""
        volume_l = parse(self.volume, "volume", "L", field="volume") * 1000
        if not 0 < volume_l <= 1e6:
            raise Refused("volume", f"{volume_l:g} L", "above 0 and up to 1,000 m3", "20 L")
        if self.test == "procedure" and self.procedure is None:
            raise Refused(
                "procedure", "nothing", proof.UNSAID, '{"name": "P7", "pressure": 37, "hold": 2, "drop": 0.25}'
            )
        return proof.rule_of(
            "existing" if self.existing and self.test == "british" else self.test,
            volume_l,
            0.0 if self.working is None else pascal(self.working, "working"),
            meter=self.meter,
            largest_mm=28.0 if self.largest_mm is None else mm(self.largest_mm, "largest_mm"),
            procedure=self.procedure.read() if self.procedure else None,
        )

    def step_k(self) -> float | None:
        """Of the thermometer; None where its entry says none. Raises Refused."""
        if self.thermometer is None:
            return None
        step = parse(self.thermometer, "difference", "K", field="thermometer")
        if not 0 < step <= 10:
            raise Refused("thermometer", self.thermometer, "a step above 0 and up to 10 K", "0.1")
        return step


class TightnessIn(AskedIn):
    readings: tuple[ReadingIn, ...] = Field(description="the hold, its settling over: at, pressure, temp_c, baro")
    medium: str = Field(default="air", description="air, nitrogen, carbon dioxide, inert gas or gas (air)")
    let_by: tuple[ReadingIn, ...] = Field(default=(), description="the let-by check at 7 to 10 mbar, a minute (none)")
    no_supply: bool = Field(
        default=False, description="true where no supply is connected, so nothing can let by (false)"
    )


@tool(
    "Gas tightness",
    "the verdict on a gas tightness test, corrected for temperature and barometer",
    {
        "test": "british",
        "volume": 12,
        "readings": [{"at": 0, "pressure": 20.5}, {"at": 2, "pressure": 20.5}],
        "gauge": {"resolution": 0.1, "range": 100, "kind": "electronic"},
        "let_by": [{"at": 0, "pressure": 8.0}, {"at": 1, "pressure": 8.0}],
    },
    LICENSED,
)
def gas_tightness(said: TightnessIn) -> dict[str, Any]:
    """{verdict: pass|fail|proves nothing, corrected_drop_pa, permitted_drop_pa, least_drop_pa, sight_pa,
    smallest_leak_l_h, why, text, working}. Raises Refused."""
    proof.check_medium(said.medium)
    readings = _readings(said.readings, "readings")
    if len(readings) < 2:
        raise Refused("readings", f"{len(readings)}", "two readings or more of the hold", "0 and 2 minutes")
    rule = replace(said.rule(), settle_min=0.0)
    let_by = _readings(said.let_by, "let_by") if said.let_by else []
    found = judge(
        rule,
        Evidence(
            readings,
            said.gauge.read(),
            said.step_k(),
            [((one.at - let_by[0].at).total_seconds() / 60, one.pressure_pa) for one in let_by],
            said.no_supply,
            said.medium,
        ),
    )
    baro_pa = next((one.baro_pa for one in readings if one.baro_pa), STANDARD_PA)
    leak = smallest_leak_l_h(rule.volume_l, found.least_drop_pa, found.hold_min, baro_pa)
    why = "; ".join((*found.reasons, *found.remarks))
    return {
        "verdict": found.outcome,
        "corrected_drop_pa": round(found.drop_pa, 4),
        "permitted_drop_pa": round(found.permitted_pa, 4),
        "least_drop_pa": round(found.least_drop_pa, 4),
        "sight_pa": round(found.sight_pa, 4),
        "smallest_leak_l_h": round(leak, 6) if math.isfinite(leak) else None,
        "why": why,
        "text": f"{found.outcome}: {why}",
        "working": [step.as_dict() for step in found.steps],
    }


def _readings(said: Sequence[ReadingIn], field: str) -> list[Reading]:
    """Readings by the time they were made; minutes count from a start of their own. Raises Refused."""
    found: list[Reading] = []
    timed = [isinstance(one.at, str) and not _number(one.at) for one in said]
    if any(timed) and not all(timed):
        raise Refused(field, "minutes and times mixed", "all in minutes, or all as times", "0 and 2")
    for one, time in zip(said, timed, strict=True):
        if time:
            at = read_time(str(one.at), found[-1].at if found else None, None, field)
        else:
            minutes = float(one.at)
            if not 0 <= minutes <= 1e6:
                raise Refused(field, one.at, "minutes from 0 to a million", "2")
            at = START + timedelta(minutes=minutes)
        found.append(
            Reading(
                at,
                pascal(one.pressure, "pressure"),
                None if one.temp_c is None else parse(one.temp_c, "temperature", "C", field="temp_c"),
                None if one.baro is None else pascal(one.baro, "baro"),
                None if one.temp_c is None else digit_step_k(as_read(one.temp_c)),
            )
        )
    return sorted(found, key=lambda one: one.at)


def _number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


class PurgeIn(Input):
    pipe: str = Field(description="pipe and size, such as fe-40 1/2, cu-m 22")
    length: Quantity = Field(description="of the pipe that is cleared of air; mm, or text with a unit such as 12 ft")
    meter: MeterName = Field(default="none", description="none, ultrasonic, diaphragm-6 or diaphragm-16 (none)")
    burner: Literal["pilot", "range"] | None = Field(
        default=None, description="what it goes out through: pilot or range, where no rate is said"
    )
    rate: Quantity | None = Field(default=None, description="at which it goes out; m3/h, or text with a unit")


@tool(
    "Purging",
    "how much and how long until a gas pipe is clear of air",
    {"pipe": "fe-40 1/2", "length": "12 ft", "burner": "pilot"},
    LICENSED,
)
def purge(said: PurgeIn) -> dict[str, Any]:
    """{volume_l, minutes, text, working}. Raises Refused."""
    pipe, catalogue = read_gas_pipe(said.pipe, in_force()), in_force()
    row = catalogue.pipe(pipe.code, pipe.size)
    held_l_m = row.holds_l_m if row else None  # of corrugated tube
    litres_m = held_l_m or math.pi / 4 * gas_bore_mm(catalogue, pipe)[0] ** 2 / 1000
    length_mm = mm(said.length, "length")
    if not 0 < length_mm <= 1e6:
        raise Refused("length", said.length, "above 0 and up to 1 km", "12 ft")
    if said.rate is not None:
        rate = parse(said.rate, "volume-flow", "m3/h", field="rate") * 3.6e6
    elif said.burner is not None:
        rate = proof.BURNER_L_H[said.burner]
    else:
        raise Refused("rate", "", "a rate, or a burner: pilot or range", "9 ft3/h")
    litres, minutes, steps = proof.purge(litres_m * length_mm / 1000, said.meter, rate)
    text = f"{litres:.2f} L, {minutes:.1f} minutes. A gas indicator tells when it is there, never the nose."
    return {
        "volume_l": round(litres, 4),
        "minutes": round(minutes, 3),
        "text": text,
        "working": [step.as_dict() for step in steps],
    }


class TestPlanIn(AskedIn):
    hours: float | None = Field(default=None, description="how long it is meant to stand (what the practice asks)")
    temp_swing_k: float = Field(default=0.0, description="how far the pipe's temperature may move unread, K (0)")


@tool(
    "Test plan",
    "the smallest leak a gas test can see, and what a swing of the temperature could hide",
    {
        "test": "overnight",
        "volume": 40,
        "gauge": {"resolution": "0.1 psi", "range": "200 psi"},
        "hours": 14,
        "temp_swing_k": 6,
    },
    LICENSED,
)
def test_plan(said: TestPlanIn) -> dict[str, Any]:
    """{smallest_leak_l_h, hidden_leak_l_h, hold_min, prevents, text, working}; prevents: why no pass is possible,
    whatever is read. Raises Refused."""
    rule, gauge = said.rule(), said.gauge.read()
    found = proof.planned(rule, gauge, said.hours, said.temp_swing_k)
    step_k = said.step_k()
    amiss = list(prevents(rule, gauge, LOGGED_K if step_k is None else step_k))
    if said.hours is not None and said.hours * 60 < rule.hold_min:
        amiss.append(f"{said.hours:g} hours are shorter than the {rule.hold_min:.0f} minutes of the hold")
    stands = f"it stands {found.hold_min:.0f} minutes after {found.settle_min:.0f}"
    text = f"Sees {found.smallest_leak_l_h:.3g} L/h and more; {stands}"
    if said.temp_swing_k:
        text += f"; a swing of {said.temp_swing_k:g} K that nobody reads could hide {found.hidden_leak_l_h:.3g} L/h"
    text += f". No pass is possible so: {'; '.join(amiss)}" if amiss else ""
    return {
        "smallest_leak_l_h": round(found.smallest_leak_l_h, 6),
        "hidden_leak_l_h": round(found.hidden_leak_l_h, 6),
        "hold_min": found.hold_min,
        "prevents": amiss,
        "text": f"{text}.",
        "working": [step.as_dict() for step in found.working],
    }
