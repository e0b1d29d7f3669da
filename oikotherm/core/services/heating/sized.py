"""What a circuit comes to when it is sized: its sections, loads, steps of pressure and water."""

from __future__ import annotations

from dataclasses import dataclass

from ...job.ways import Vec
from ...matter import Fluid
from ...network.section import Local, PipeSection
from ...working import Worked
from .circuits import Closed
from .pumps import PumpDuty
from .vessel import Vessel


@dataclass(frozen=True, slots=True)
class Load:
    """An emitter, coil or mixing set as the circuit feeds it. path: sections there and back; path_pa: what they and its
    own valves cost; surplus_pa: what its pumps give beyond that; pumps: keys of those on its way; loop_m: pipe laid
    within it; regulates: it throttles itself; manifold: the one it hangs on, whose bars have valves; flow_c, return_c:
    of its water as sized."""

    station: str
    name: str
    nominal_w: float
    output_w: float
    room_c: float
    flow_kg_s: float
    worked: Worked
    locals: tuple[Local, ...]
    path: tuple[str, ...]
    path_pa: float
    surplus_pa: float = 0.0
    pumps: tuple[str, ...] = ()
    loop_m: float = 0.0
    regulates: bool = False
    manifold: str = ""
    flow_c: float = 0.0
    return_c: float = 0.0

    @property
    def trv_authority(self) -> float | None:
        """Share of the pressure over its way that its thermostatic valve takes open; None without one."""
        valve = sum(one.drop_pa for one in self.locals if one.acts == "thermostatic")
        whole = self.path_pa + self.surplus_pa
        return valve / whole if valve and whole > 0 else None


@dataclass(frozen=True, slots=True)
class PressureStep:
    """One step of the pressure staircase: a section, an emitter or the boiler."""

    key: str
    title: str
    role: str
    keys: tuple[str, ...]
    length_m: float
    drop_pa: float


@dataclass(frozen=True, slots=True)
class VolumeRow:
    what: str
    litres: float
    source: str


@dataclass(frozen=True, slots=True)
class Heating:
    """A circuit worked out. pump_head_pa and flow_kg_s: its duty; pumps: each of them, one where one moves all.
    single_pipe: loads hang on one ring. vessel: None with the reason in vessel_why, or behind a mixing set, where it is
    that of the circuit before."""

    circuit: Closed
    medium: Fluid
    sections: tuple[PipeSection, ...]
    loads: tuple[Load, ...]
    left_out: tuple[str, ...]
    index: str
    pressure_steps: tuple[PressureStep, ...]
    flow_kg_s: float
    pump_head_pa: float
    volume: tuple[VolumeRow, ...]
    volume_l: float
    vessel: Vessel | None
    vessel_why: str
    vessel_here_l: float | None
    safety_bar: float
    safety_assumed: bool
    height_m: float
    at: Vec
    """A port of its source: where findings of the whole circuit stand."""
    pumps: tuple[PumpDuty, ...] = ()
    single_pipe: bool = False
    residual_pa: float | None = None
    """What a pump within the source leaves at its ports, at the design flow."""

    def section(self, ident: str) -> PipeSection:
        return next(section for section in self.sections if section.id == ident)
