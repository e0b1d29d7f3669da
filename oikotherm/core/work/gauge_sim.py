"""A stand-in for a pressure gauge with a logger: what a real one reads on a pipe that leaks, warms up or is let by.

Simulated, and marked so wherever its readings are shown.
"""

from __future__ import annotations

import math
import random
from collections.abc import Sequence
from dataclasses import dataclass, field

from ..errors import Refused

STANDARD_PA, ZERO_C_K = 101_325.0, 273.15


@dataclass(frozen=True, slots=True)
class SimReading:
    """What the gauge shows at a time: pressure [Pa gauge] to its last digit, pipe temperature [C], barometer [Pa]."""

    seconds: float
    pressure_pa: float
    temp_c: float
    baro_pa: float


@dataclass
class GaugeSim:
    """A closed pipe with air in it. volume_l; start_pa: gauge; leak_l_h: of free air at the start pressure, less as it
    falls; let_by_l_h: that a valve at the boundary lets in; temps: (seconds, C) of the pipe, straight between;
    resolution_pa: last digit; noise_pa: standard deviation before it; baro_pa: of the air, baro_fall_pa_h: how it
    falls. The same seed gives the same readings."""

    volume_l: float
    start_pa: float
    leak_l_h: float = 0.0
    let_by_l_h: float = 0.0
    temps: Sequence[tuple[float, float]] = ((0.0, 20.0),)
    resolution_pa: float = 10.0
    noise_pa: float = 0.0
    baro_pa: float = STANDARD_PA
    baro_fall_pa_h: float = 0.0
    temp_resolution_k: float = 0.1
    seed: int = 1
    _at: float = field(default=0.0, init=False)
    _amount: float = field(default=0.0, init=False)

    def __post_init__(self) -> None:
        if not 0.05 <= self.volume_l <= 1e6:
            raise Refused("volume", f"{self.volume_l:g} L", "0.05 L to 1,000 m3", "20")
        if not 0 < self.resolution_pa <= 1e6:
            raise Refused("resolution", f"{self.resolution_pa:g} Pa", "above 0 and up to 10 bar", "0.1 mbar")
        if self.leak_l_h < 0 or self.let_by_l_h < 0 or self.noise_pa < 0:
            raise Refused("leak", "less than 0", "leak, let-by and noise of 0 or more", "0.5")
        self._random = random.Random(self.seed)
        self._amount = (self.start_pa + self.baro_pa) * self.volume_l / self._kelvin(0.0)

    def _kelvin(self, seconds: float) -> float:
        return self.temp_c(seconds) + ZERO_C_K

    def temp_c(self, seconds: float) -> float:
        """The pipe's temperature at a time."""
        points = self.temps
        if seconds <= points[0][0]:
            return points[0][1]
        for (a, low), (b, high) in zip(points, points[1:], strict=False):
            if seconds <= b:
                return low + (high - low) * (seconds - a) / (b - a)
        return points[-1][1]

    def baro_at(self, seconds: float) -> float:
        """The barometer at a time [Pa]."""
        return self.baro_pa - self.baro_fall_pa_h * seconds / 3600

    def gauge_pa(self, seconds: float) -> float:
        """The true pressure at a time, not before one asked for earlier [Pa gauge]."""
        while self._at < seconds - 1e-9:
            step = min(5.0, seconds - self._at)
            now = self._amount * self._kelvin(self._at) / self.volume_l - self.baro_at(self._at)
            share = max(now, 0.0) / self.start_pa if self.start_pa > 0 else 0.0
            flow = (self.let_by_l_h - self.leak_l_h * share) * step / 3600  # litres of free air
            self._amount += flow * self.baro_at(self._at) / self._kelvin(self._at)
            self._at += step
        return self._amount * self._kelvin(seconds) / self.volume_l - self.baro_at(seconds)

    def read(self, seconds: float) -> SimReading:
        """What the gauge shows at a time."""
        shown = self.gauge_pa(seconds) + self._random.gauss(0.0, self.noise_pa)
        digits = round(shown / self.resolution_pa) * self.resolution_pa
        temp = round(self.temp_c(seconds) / self.temp_resolution_k) * self.temp_resolution_k
        return SimReading(seconds, round(digits, 6), round(temp, 3), round(self.baro_at(seconds), 1))


def read_temps(text: str) -> tuple[tuple[float, float], ...]:
    """A temperature file: lines "minutes, C". Raises Refused with the line."""
    found = []
    for number, line in enumerate(text.splitlines(), 1):
        cells = [cell.strip() for cell in line.replace(";", ",").split(",")]
        if not any(cells) or number == 1 and not any(sign.isdigit() for sign in cells[0]):
            continue
        try:
            minute, temp = (float(cell) for cell in cells)
        except ValueError:
            raise Refused(f"line {number}", line[:60], "minutes, temperature", "30, 18.5") from None
        if not -50 <= temp <= 120 or not math.isfinite(minute):
            raise Refused(f"line {number}", line[:60], "a temperature from -50 to 120 C", "30, 18.5")
        found.append((minute * 60, temp))
    if not found:
        raise Refused("temperature-file", "", "lines of minutes, temperature", "0, 20")
    return tuple(sorted(found))
