"""calc gas_tightness, purge, test_plan: what a tightness test says, what it can say, and what it takes to clear air."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime
from typing import Any, Literal

from pydantic import Field

from ....bench.registry import Input, Quantity, in_force, mm
from ....errors import Refused
from ....quantity import parse
from .. import tightness as proof
from ..capacity import gas_bore_mm
from .box import tool
from .pipes import LICENSED, pascal, read_gas_pipe

TestName = Literal["british", "continental", "code", "inspector", "overnight"]
MeterName = Literal["none", "ultrasonic", "diaphragm-6", "diaphragm-16"]


class ReadingIn(Input):
    at: float | str = Field(description="when: minutes from the start of the hold, or a time such as 2026-03-01T10:00")
    pressure: Quantity = Field(description="what the gauge shows; mbar, or text with a unit such as 15 psi")
    temp_c: Quantity | None = Field(
        default=None, description="the pipe's temperature; C, or text with a unit (not read)"
    )
    baro: Quantity | None = Field(default=None, description="the barometer; mbar, or text with a unit (not read)")


class GaugeIn(Input):
    resolution: Quantity = Field(description="its last digit or smallest step; mbar, or text with a unit")
    range: Quantity | None = Field(default=None, description="how far it goes; mbar, or text with a unit (not known)")
    kind: Literal["water", "electronic"] = Field(default="electronic", description="water or electronic (electronic)")

    def read(self) -> proof.Gauge:
        """The gauge in pascal. Raises Refused."""
        step = pascal(self.resolution, "resolution")
        if not 0 < step <= 1e6:
            raise Refused("resolution", self.resolution, "above 0 and up to 10 bar", "0.1 mbar")
        return proof.Gauge(step, 0.0 if self.range is None else pascal(self.range, "range"), self.kind)


class TightnessIn(Input):
    test: TestName = Field(description="british, continental, code, inspector or overnight")
    volume: Quantity = Field(description="of the pipe and meter under test; L, or text with a unit")
    readings: tuple[ReadingIn, ...] = Field(description="the hold, its settling over: at, pressure, temp_c, baro")
    gauge: GaugeIn = Field(description="resolution, range, kind")
    medium: str = Field(default="air", description="air, nitrogen, carbon dioxide, inert gas or gas (air)")
    largest_mm: Quantity | None = Field(default=None, description="largest pipe outside; mm, or text with a unit (28)")
    meter: MeterName = Field(default="none", description="none, ultrasonic, diaphragm-6 or diaphragm-16 (none)")
    existing: bool = Field(default=False, description="true for existing pipe with its appliances on it (false)")
    let_by: tuple[ReadingIn, ...] = Field(default=(), description="the let-by check at 7 to 10 mbar, a minute (none)")
    working: Quantity | None = Field(
        default=None, description="working pressure, for the code minimum; mbar, or text with a unit (low pressure)"
    )


@tool(
    "Gas tightness",
    "the verdict on a gas tightness test, corrected for temperature and barometer",
    {
        "test": "british",
        "volume": 12,
        "readings": [{"at": 0, "pressure": 20.5}, {"at": 2, "pressure": 20.5}],
        "gauge": {"resolution": 0.1, "range": 100, "kind": "electronic"},
    },
    LICENSED,
)
def gas_tightness(said: TightnessIn) -> dict[str, Any]:
    """{verdict: pass|fail|proves nothing, corrected_drop_pa, permitted_drop_pa, smallest_leak_l_h, why, text, working}.
    Raises Refused."""
    found = proof.tightness(
        said.test,
        parse(said.volume, "volume", "L", field="volume") * 1000,
        _points(said.readings, "readings"),
        said.gauge.read(),
        medium=said.medium,
        largest_mm=28.0 if said.largest_mm is None else mm(said.largest_mm, "largest_mm"),
        meter=said.meter,
        existing=said.existing,
        let_by=_points(said.let_by, "let_by") if said.let_by else (),
        working_pa=0.0 if said.working is None else pascal(said.working, "working"),
    )
    why = "; ".join(found.why)
    return {
        "verdict": found.outcome,
        "corrected_drop_pa": round(found.corrected_drop_pa, 4),
        "permitted_drop_pa": round(found.permitted_drop_pa, 4),
        "smallest_leak_l_h": round(found.smallest_leak_l_h, 6) if math.isfinite(found.smallest_leak_l_h) else None,
        "why": why,
        "text": f"{found.outcome}: {why}",
        "working": [step.as_dict() for step in found.working],
    }


def _points(readings: Sequence[ReadingIn], field: str) -> list[proof.Point]:
    """Readings with minutes from the first. Raises Refused."""
    found: list[tuple[float, ReadingIn]] = []
    timed = [isinstance(one.at, str) and not _number(one.at) for one in readings]
    if any(timed) and not all(timed):
        raise Refused(field, "minutes and times mixed", "all in minutes, or all as times", "0 and 2")
    for one in readings:
        if isinstance(one.at, str) and not _number(one.at):
            try:
                at = datetime.fromisoformat(one.at.replace("Z", "+00:00"))
            except ValueError:
                raise Refused(field, one.at, "minutes, or a time", "2026-03-01T10:00") from None
            found.append((at.timestamp() / 60 if at.tzinfo else (at - datetime(2000, 1, 1)).total_seconds() / 60, one))
        else:
            found.append((float(one.at), one))
    start = min((at for at, _ in found), default=0.0)
    return [
        proof.Point(
            at - start,
            pascal(one.pressure, "pressure"),
            None if one.temp_c is None else parse(one.temp_c, "temperature", "C", field="temp_c"),
            None if one.baro is None else pascal(one.baro, "baro"),
        )
        for at, one in sorted(found, key=lambda pair: pair[0])
    ]


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


class TestPlanIn(Input):
    test: TestName = Field(description="british, continental, code, inspector or overnight")
    volume: Quantity = Field(description="of the pipe under test; L, or text with a unit")
    gauge: GaugeIn = Field(description="resolution, range, kind")
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
    """{smallest_leak_l_h, hidden_leak_l_h, hold_min, text, working}. Raises Refused."""
    volume = parse(said.volume, "volume", "L", field="volume") * 1000
    found = proof.planned(said.test, volume, said.gauge.read(), said.hours, said.temp_swing_k)
    stands = f"it stands {found.hold_min:.0f} minutes after {found.settle_min:.0f}"
    text = f"Sees {found.smallest_leak_l_h:.3g} L/h and more; {stands}"
    if said.temp_swing_k:
        text += f"; a swing of {said.temp_swing_k:g} K that nobody reads could hide {found.hidden_leak_l_h:.3g} L/h"
    return {
        "smallest_leak_l_h": round(found.smallest_leak_l_h, 6),
        "hidden_leak_l_h": round(found.hidden_leak_l_h, 6),
        "hold_min": found.hold_min,
        "text": f"{text}.",
        "working": [step.as_dict() for step in found.working],
    }
