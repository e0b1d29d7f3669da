"""A hydraulic network solved for flows and pressures: pipes, valves and pumps between nodes, trees and loops alike.

Method: the global gradient algorithm (Todini and Pilati 1988), Newton's method on the flows of all branches and the
pressures of all nodes at once, with a sparse system in the pressures. The friction law is that of friction.py, on whole
arrays.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from ..errors import Refused
from ..matter import Fluid
from .friction import LAMINAR_RE, TURBULENT_RE

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
PRESSURE_PA, FLOW_KG_S = 0.1, 1e-6  # how near is near enough
MOST_STEPS = 100
REST_RE = 1.0  # below this Reynolds number the slope is taken as that of creeping flow


@dataclass(frozen=True, slots=True)
class PumpCurve:
    """A pump in a branch: head [Pa] = h0 - a m^2 at full speed (a in Pa s2/kg2), kept to a mode.

    mode: fixed (speed is a share of full speed, by the affinity laws), constant (keeps set_pa while it can) or
    proportional (set_pa at the flow where that meets the full curve, half of it at rest).
    """

    h0_pa: float
    a_pa_s2_kg2: float
    mode: str = "fixed"
    speed: float = 1.0
    set_pa: float = 0.0

    def head_pa(self, flow_kg_s: float) -> tuple[float, float]:
        """Head [Pa] at a flow and its slope [Pa s/kg]; against the flow it gives its head at rest."""
        m = max(flow_kg_s, 0.0)
        full, full_slope = self.h0_pa - self.a_pa_s2_kg2 * m * m, -2 * self.a_pa_s2_kg2 * m
        if self.set_pa < 0:  # a spring that holds against the flow
            return self.set_pa, 0.0
        if self.mode == "fixed":
            return self.speed**2 * self.h0_pa - self.a_pa_s2_kg2 * m * m, full_slope
        kept, slope = self.set_pa, 0.0
        if self.mode == "proportional":
            reach = math.sqrt(max(self.h0_pa - self.set_pa, 1e-9) / self.a_pa_s2_kg2)
            kept, slope = (
                self.set_pa * (0.5 + 0.5 * min(m / reach, 1.0)),
                0.5 * self.set_pa / reach if m < reach else 0.0,
            )
        return (full, full_slope) if full < kept else (kept, slope)


@dataclass(frozen=True, slots=True)
class Branch:
    """One way between two nodes. Pipe: length_m, bore_mm, roughness_mm (length 0: none). k on the velocity in that
    bore; kvs of the valves in a row [m3/h]; a closed branch carries nothing. Flow counts from a to b; a pump raises
    pressure towards b. one_way: a check valve lets nothing flow from b to a. opens_pa: a differential valve opens above
    that pressure from a to b, and keeps it over itself."""

    key: str
    a: str
    b: str
    length_m: float = 0.0
    bore_mm: float = 20.0
    roughness_mm: float = 0.0
    k: float = 0.0
    kvs: tuple[float, ...] = ()
    pump: PumpCurve | None = None
    closed: bool = False
    one_way: bool = False
    opens_pa: float | None = None


@dataclass(frozen=True, slots=True)
class Solved:
    """Flows and pressures that satisfy the network. residual_pa: the worst branch; residual_kg_s: the worst node;
    steps: iterations."""

    flow_kg_s: dict[str, float]
    pressure_pa: dict[str, float]
    drop_pa: dict[str, float]
    residual_pa: float
    residual_kg_s: float
    steps: int
    converged: bool


@dataclass(slots=True)
class _Arrays:
    area: Floats
    bore: Floats
    rough: Floats
    length: Floats
    k: Floats
    valve: Floats
    rho: float
    mu: float

    def drop(self, m: Floats) -> tuple[Floats, Floats]:
        """Pressure lost [Pa] and its slope [Pa s/kg] at these flows."""
        import numpy as np  # not before it is needed: a page without a network starts without it

        size = np.abs(m)
        per_velocity = 1.0 / (self.rho * self.area)
        reynolds = size * per_velocity * self.bore * self.rho / self.mu
        creeping = reynolds < REST_RE
        flow = np.where(creeping, REST_RE * self.mu / (per_velocity * self.bore * self.rho), size)
        re = np.maximum(reynolds, REST_RE)
        factor, rise = _factor(re, self.rough)
        v = flow * per_velocity
        dynamic = self.rho * v * v / 2
        friction = factor * self.length / self.bore * dynamic
        # d(factor m^2)/dm = factor' Re/m m^2 + 2 factor m
        slope_pipe = (2 + rise) * friction / flow
        rest = self.k * self.rho * (size * per_velocity) ** 2 / 2 + self.valve * size * size
        slope_rest = 2 * (self.k * self.rho * per_velocity**2 / 2 + self.valve) * size
        linear = friction / flow  # below REST_RE: straight through rest
        lost = np.where(creeping, linear * size, friction) + rest
        slope = np.where(creeping, linear, slope_pipe) + slope_rest
        return np.sign(m) * lost, np.maximum(slope, 1e-3)


def _factor(re: Floats, rough: Floats) -> tuple[Floats, Floats]:
    """Darcy friction factor and d ln(factor) / d ln(Re), as friction.friction_factor, on arrays."""
    import numpy as np

    turbulent = np.maximum(re, LAMINAR_RE)
    a, b = rough / 3.7, 2.51 / turbulent
    x = -1.8 * np.log10(a**1.11 + 6.9 / turbulent)
    for _ in range(5):
        inside = a + b * x
        x = x - (x + 2 * np.log10(inside)) / (1 + 2 * b / (inside * math.log(10)))
    inside = a + b * x
    colebrook = 1 / (x * x)
    # x = -2 log10(a + b x): dx/dlnRe = (2/ln10) b x / inside / (1 + 2 b / (inside ln 10))
    dx = (2 / math.log(10)) * b * x / inside / (1 + 2 * b / (inside * math.log(10)))
    rise_turbulent = -2 * dx / x
    share = np.clip((re - LAMINAR_RE) / (TURBULENT_RE - LAMINAR_RE), 0.0, 1.0)
    smooth = share * share * (3 - 2 * share)
    smooth_slope = 6 * share * (1 - share) / (TURBULENT_RE - LAMINAR_RE) * re
    laminar = 64 / re
    factor = laminar * (1 - smooth) + colebrook * smooth
    rise = (
        -laminar * (1 - smooth) + colebrook * rise_turbulent * smooth + (colebrook - laminar) * smooth_slope
    ) / factor
    return factor, rise


def solve(
    branches: Sequence[Branch],
    fluid: Fluid,
    reference: str,
    demands_kg_s: Mapping[str, float] | None = None,
    start: Mapping[str, float] | None = None,
) -> Solved:
    """Flows and pressures of a network. reference: the node of pressure 0; demands: what leaves the network at a node
    (negative: enters).

    Closed branches carry nothing; parts of the network that hang on nothing rest at pressure 0. start: flows to begin
    from. Check valves and differential valves are tried open or shut until each stands as its flow and pressure ask.
    Raises Refused for a branch without bore or with a Kv of 0, and for a reference that is no node.
    """
    valves = [branch for branch in branches if not branch.closed and (branch.one_way or branch.opens_pa is not None)]
    if not valves:
        return _solve(branches, fluid, reference, demands_kg_s, start)
    shut = {branch.key for branch in valves if branch.opens_pa is not None}
    seen: set[frozenset[str]] = set()
    while True:
        seen.add(frozenset(shut))
        now = [
            replace(branch, closed=True)
            if branch.key in shut
            else replace(branch, pump=PumpCurve(0.0, 0.0, "constant", 1.0, -branch.opens_pa))
            if branch.opens_pa is not None
            else branch
            for branch in branches
        ]
        found = _solve(now, fluid, reference, demands_kg_s, start)
        # a valve that opened gives way by its own spring, a shut one by what stands over it
        turned = {
            branch.key
            for branch in valves
            if (
                _over(branch, found) > (branch.opens_pa or 0.0) + PRESSURE_PA
                if branch.key in shut
                else found.flow_kg_s[branch.key] < -FLOW_KG_S
            )
        }
        shut = shut ^ turned
        if not turned or frozenset(shut) in seen:
            return found


def _over(branch: Branch, found: Solved) -> float:
    """Pressure over a shut branch, from a to b, its own pump with it [Pa]."""
    lift = branch.pump.head_pa(0.0)[0] if branch.pump else 0.0
    return found.pressure_pa[branch.a] - found.pressure_pa[branch.b] + lift


def _solve(
    branches: Sequence[Branch],
    fluid: Fluid,
    reference: str,
    demands_kg_s: Mapping[str, float] | None,
    start: Mapping[str, float] | None,
) -> Solved:
    """solve() for a network whose valves stand still."""
    import numpy as np
    from scipy.sparse import coo_matrix, csc_matrix
    from scipy.sparse.linalg import splu

    for branch in branches:
        if branch.bore_mm <= 0 or any(kv <= 0 for kv in branch.kvs):
            raise Refused("branch", branch.key, "a bore and Kv values above 0; shut it with closed", "kvs 0.5")
    used = [branch for branch in branches if not branch.closed]
    names = list(dict.fromkeys(name for branch in branches for name in (branch.a, branch.b)))
    if reference not in names:
        raise Refused("reference", reference, "a node of the network", names[0] if names else "BLR.return")
    index = {name: n for n, name in enumerate(names)}
    free = np.array([n for n, name in enumerate(names) if name != reference], dtype=np.intp)
    count, nodes = len(used), len(names)
    demand = np.zeros(nodes)
    for name, leaves in (demands_kg_s or {}).items():
        if name not in index:
            raise Refused("demands", name, "a node that a branch of the network ends at", names[0] if names else "")
        demand[index[name]] += leaves
    if not count:
        return Solved(
            {b.key: 0.0 for b in branches},
            dict.fromkeys(names, 0.0),
            {b.key: 0.0 for b in branches},
            0.0,
            float(np.abs(demand).max(initial=0.0)),
            0,
            True,
        )
    tail, head = np.array([index[b.a] for b in used]), np.array([index[b.b] for b in used])
    rows = np.concatenate([np.arange(count)] * 2)
    incidence: Any = coo_matrix(
        (np.concatenate([np.ones(count), -np.ones(count)]), (rows, np.concatenate([tail, head]))), shape=(count, nodes)
    ).tocsc()[:, free]
    arrays = _Arrays(
        np.array([math.pi / 4 * (b.bore_mm / 1000) ** 2 for b in used]),
        np.array([b.bore_mm / 1000 for b in used]),
        np.array([b.roughness_mm / b.bore_mm for b in used]),
        np.array([b.length_m for b in used]),
        np.array([b.k for b in used]),
        np.array(
            [
                1e5 * (3600 / fluid.density_kg_m3) ** 2 * fluid.density_kg_m3 / 1000 * sum(1 / kv**2 for kv in b.kvs)
                for b in used
            ]
        ),
        fluid.density_kg_m3,
        fluid.viscosity_pa_s,
    )
    pumps = [(n, b.pump) for n, b in enumerate(used) if b.pump is not None]
    flow = np.array([(start or {}).get(b.key, 0.01) for b in used])
    pressure = np.zeros(len(free))
    converged, steps = False, 0
    transposed = incidence.T.tocsc()
    for steps in range(1, MOST_STEPS + 1):
        lost, slope = arrays.drop(flow)
        for n, pump in pumps:
            raised, steep = pump.head_pa(float(flow[n]))
            lost[n] -= raised
            slope[n] = max(slope[n] - steep, 1e-3)
        weight = 1.0 / slope
        matrix = csc_matrix(transposed @ incidence.multiply(weight[:, None]))
        matrix.setdiag(matrix.diagonal() + 1e-13)
        right = -demand[free] - transposed @ (flow - lost * weight)
        pressure = splu(matrix).solve(right)
        change = (incidence @ pressure - lost) * weight
        if steps > 25:
            change = change * 0.6  # a pump that changes its mode can hunt between two
        flow = flow + change
        if float(np.abs(change).max()) < FLOW_KG_S:
            lost, _ = arrays.drop(flow)
            for n, pump in pumps:
                lost[n] -= pump.head_pa(float(flow[n]))[0]
            if float(np.abs(incidence @ pressure - lost).max()) < PRESSURE_PA:
                converged = True
                break
    lost, _ = arrays.drop(flow)
    net = lost.copy()
    for n, pump in pumps:
        net[n] -= pump.head_pa(float(flow[n]))[0]
    residual_pa = float(np.abs(incidence @ pressure - net).max())
    residual_kg = float(np.abs(transposed @ flow + demand[free]).max(initial=0.0))
    flows = {b.key: 0.0 for b in branches} | {b.key: float(flow[n]) for n, b in enumerate(used)}
    drops = {b.key: 0.0 for b in branches} | {b.key: float(lost[n]) for n, b in enumerate(used)}
    found = {reference: 0.0} | {names[n]: float(pressure[at]) for at, n in enumerate(free.tolist())}
    return Solved(flows, found, drops, residual_pa, residual_kg, steps, converged)
