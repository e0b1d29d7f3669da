"""A section: pipe of one size that carries one flow, with what its fittings cost; every service's sizes are made of
them."""

from __future__ import annotations

from dataclasses import dataclass

from ..catalogue import Limit
from ..job.model import Pipe
from ..matter import Fluid
from ..working import Step, Worked
from .friction import Drop


@dataclass(frozen=True, slots=True)
class Local:
    """A loss in one place [Pa], by K on the pipe's velocity or by Kv. acts: what a valve there does: thermostatic,
    lockshield, "" for others; steady_pa: what of it is lost whatever flows, as by the springs of an assembly."""

    key: str
    title: str
    k: float | None
    kv: float | None
    drop_pa: float
    acts: str = ""
    steady_pa: float = 0.0


@dataclass(frozen=True, slots=True)
class PipeSection:
    """Pipe of one size that carries one flow. drop_pa: friction and local losses. over: limits it passes, in words.
    along: the water goes the way it was paced."""

    id: str
    run: str
    role: str
    pipe: Pipe
    item: str | None
    keys: tuple[str, ...]
    length_m: float
    flow_kg_s: float
    drop: Drop
    locals: tuple[Local, ...]
    drop_pa: float
    limit: Limit | None
    over: tuple[str, ...]
    slow: bool
    proposed: Pipe | None
    medium: Fluid
    bore_mm: float
    roughness_mm: float
    along: bool = True
    insert_mm: float | None = None
    """The narrowest bore of insert fittings within it [mm]; None where there are none."""

    @property
    def worked(self) -> Worked:
        """Its drop [Pa], step by step."""
        drop, medium = self.drop, self.medium
        said = ("flow_kg_s", self.flow_kg_s), ("rho_kg_m3", medium.density_kg_m3), ("bore_mm", self.bore_mm)
        steps = [
            Step("v = flow / (rho x pi / 4 x bore^2)", said, drop.velocity_m_s, "m/s", medium.source),
            Step(
                "Re = v x bore x rho / mu",
                (("mu_mpa_s", medium.viscosity_pa_s * 1000),),
                drop.reynolds,
                "",
                medium.source,
            ),
            Step(
                "f: 64/Re, Colebrook-White above Re 4000",
                (("roughness_mm", self.roughness_mm),),
                drop.factor,
                "",
                "Colebrook 1939",
            ),
            Step("gradient = f / bore x rho v^2 / 2", (("f", drop.factor),), drop.gradient_pa_m, "Pa/m"),
            Step(
                "friction = gradient x length", (("length_m", self.length_m),), drop.gradient_pa_m * self.length_m, "Pa"
            ),
            *(
                Step(
                    f"{one.title}: {'K x rho v^2 / 2' if one.k is not None else 'by Kv'}",
                    (("K", one.k),) if one.k is not None else (("Kv_m3_h", one.kv or 0.0),),
                    one.drop_pa,
                    "Pa",
                    "typ",
                )
                for one in self.locals
            ),
            Step("drop = friction + local losses", (), self.drop_pa, "Pa"),
        ]
        return Worked(self.drop_pa, "Pa", tuple(steps))
