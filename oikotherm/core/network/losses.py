"""What the fittings and devices of a section cost, by K on the velocity in the pipe or by Kv."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Mapping
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..catalogue.ends import End
from ..catalogue.parts import end_bore_mm
from ..job.model import Pipe
from ..joints.fitted import Fitted, Fitting
from ..joints.takeoff import fitting_angle
from ..matter import Fluid
from ..pipework.geometry import Straight
from ..quantity import leading_number
from .friction import Drop, valve_drop_pa
from .graph import has_trait, hub_port
from .section import Local

INSERTED = {
    "press-mlc": "press",
    "expansion": "exp",
    "push-fit": "push",
    "compression-plastic": "comp",
    "compression-mlc": "comp",
}


def bore_mm(catalogue: Catalogue, pipe: Pipe) -> float | None:
    """Bore of a pipe [mm]; None where the catalogue does not know it."""
    row = catalogue.pipe(pipe.code, pipe.size)
    return row.bore_mm if row else None


@dataclass(frozen=True, slots=True)
class Losses:
    """Local losses on a fitted job. settings: what devices were set to, by item; mixing: manifolds whose Kv is that of
    their mixing valve, not of their bars."""

    fitted: Fitted
    catalogue: Catalogue
    medium: Fluid
    settings: Mapping[str, str]
    mixing: Collection[str] = ()

    def of(
        self, group: list[Straight], flows: dict[str, float], drop: Drop, diverting: Collection[str] = ()
    ) -> tuple[Local, ...]:
        """What the fittings within a section and at its ends cost: a tee is charged to the arms that part from
        the full flow. flows: along each straight [kg/s]; diverting: tees of a single-pipe ring where water comes
        home."""
        local: list[Local] = []
        inside = {straight.to_node for straight in group[:-1]}
        od = self.catalogue.pipe(group[0].pipe.code, group[0].pipe.size) or None
        od_mm = od.od_mm if od and od.od_mm else 0.0

        def add_k(fitting: Fitting, arm: str, name: str, title: str) -> None:
            if name == "elbow" and self._insert_of(fitting, arm):
                name = "elbow-insert"
            k = round(self.catalogue.loss(name, od_mm).k * self._narrowed(fitting, arm, group[0].pipe), 3)
            local.append(Local(fitting.key, title, k, None, k * drop.dynamic_pa))

        for straight in group:
            for number in itertools.count(1):  # over a stick
                joint = self.fitted.fittings.get(f"{straight.key}/join{number}")
                if joint is None:
                    break
                name = "coupling-insert" if self._insert_of(joint, "in") else "coupling"
                k = self.catalogue.loss(name, od_mm).k
                local.append(Local(joint.key, joint.title, k, None, k * drop.dynamic_pa))
            for node, arm in ((straight.from_node, straight.from_arm), (straight.to_node, straight.to_arm)):
                fitting = self.fitted.fittings.get(node)
                if fitting is None or node == straight.from_node and node in inside:
                    continue
                if fitting.kind == "port":
                    local += self._bar_loss(node, flows.get(straight.key, 0.0))
                if fitting.kind in ("elbow", "elbow45", "bend"):
                    if node in inside or self._charged_here(fitting, arm):
                        add_k(fitting, arm, fitting.kind, fitting.title)
                elif fitting.kind == "device" and (node in inside or node == straight.to_node):
                    local += self._device_loss(fitting, straight, flows.get(straight.key, 0.0), drop)
                    if self._insert_of(fitting, arm):
                        add_k(fitting, arm, "coupling-insert", f"{fitting.title}, its inserts")
                elif fitting.kind == "reducer" and self._smaller_here(fitting, arm):
                    add_k(fitting, arm, "reducer", fitting.title)
                elif fitting.kind == "coupling" and node in inside:
                    name = "coupling-insert" if self._insert_of(fitting, arm) else "coupling"
                    add_k(fitting, arm, name, fitting.title)
                elif fitting.kind == "port" and self._straight_in(fitting) and self._insert_of(fitting, arm):
                    add_k(fitting, arm, "coupling-insert", f"{fitting.title}, its insert")
                elif fitting.chains and (fitting.kind == "port" or node == straight.from_node):
                    local += self._chain_losses(fitting, group[0].pipe, drop)
                elif fitting.kind == "tee" and len(fitting.arms) >= 2:
                    local += self._tee_loss(fitting, arm, flows, drop, od_mm, diverting, node in inside)
        return tuple(local)

    def _straight_in(self, fitting: Fitting) -> bool:
        """Whether a pipe goes into its port without parts between."""
        return not any(chain.links for _, chain in fitting.chains)

    def _insert_of(self, fitting: Fitting, arm: str) -> float | None:
        """The bore of an insert fitting at an arm [mm]; None for a fitting of full bore."""
        pipe, mating = fitting.pipes.get(arm), fitting.matings.get(arm)
        prefix = INSERTED.get(mating.method) if mating else None
        if pipe is None or prefix is None or fitting.kind == "bend":
            return None
        family = self.catalogue.systems[pipe.code].family if pipe.code in self.catalogue.systems else ""
        bore, found = (
            bore_mm(self.catalogue, pipe),
            end_bore_mm(self.catalogue, End(f"{prefix}-{family}", pipe.size, "socket")),
        )
        return found if found and bore and found < bore - 0.05 else None

    def _narrowed(self, fitting: Fitting, arm: str, pipe: Pipe) -> float:
        """What a K on the velocity in the pipe grows by where the fitting's bore is smaller: (bore / insert)^4."""
        insert, bore = self._insert_of(fitting, arm), bore_mm(self.catalogue, pipe)
        return (bore / insert) ** 4 if insert and bore else 1.0

    def insert_mm(self, group: list[Straight]) -> float | None:
        """The narrowest bore of insert fittings in a section [mm]; None where all have the bore of the pipe."""
        found = [
            insert
            for straight in group
            for node, arm in ((straight.from_node, straight.from_arm), (straight.to_node, straight.to_arm))
            if (fitting := self.fitted.fittings.get(node)) is not None and (insert := self._insert_of(fitting, arm))
        ]
        return min(found, default=None)

    def _chain_losses(self, fitting: Fitting, pipe: Pipe, drop: Drop) -> list[Local]:
        """The parts of a transition, each K brought from its own bore to the velocity in the pipe."""
        found = []
        bore = bore_mm(self.catalogue, pipe)
        for _, chain in fitting.chains:
            for n, link in enumerate(chain.links):
                if link.part is not None and link.part.k:
                    k = link.part.k * (
                        (bore / link.part.bore_mm) ** 4
                        if bore and link.part.bore_mm and link.part.bore_mm < bore
                        else 1.0
                    )
                    found.append(Local(f"{fitting.key}/t{n + 1}", link.title, round(k, 3), None, k * drop.dynamic_pa))
        return found

    def _smaller_here(self, fitting: Fitting, arm: str) -> bool:
        """Whether this arm has the smaller bore: a fitting between two sections is charged there."""
        own = bore_mm(self.catalogue, fitting.pipes[arm]) or 0.0
        others = [bore_mm(self.catalogue, pipe) or 0.0 for other, pipe in fitting.pipes.items() if other != arm]
        return bool(others) and own < min(others)

    def _charged_here(self, fitting: Fitting, arm: str) -> bool:
        """Whether a turn between two sections is charged to this arm: the smaller bore, of two alike the first."""
        bores = {name: bore_mm(self.catalogue, pipe) or 0.0 for name, pipe in fitting.pipes.items()}
        return arm == min(bores, key=lambda name: (bores[name], name))

    def _bar_loss(self, node: str, flow: float) -> list[Local]:
        """What a way through the bar of a manifold costs, at the outlet it leads to, where its label says a Kv."""
        work = self.fitted.pipework
        station = work.ports[work.nodes[node].part].station
        kv = station.data.kv
        if not kv or not has_trait(station, "bars") or station.id in self.mixing or hub_port(work, node):
            return []
        return [
            Local(f"{node}/bar", f"{station.id}, a way through its bar", None, kv, valve_drop_pa(flow, kv, self.medium))
        ]

    def _device_loss(self, fitting: Fitting, straight: Straight, flow: float, drop: Drop) -> list[Local]:
        node = self.fitted.pipework.nodes[fitting.key]
        row = self.catalogue.device(node.part, straight.pipe.code, straight.pipe.size)
        if row is None:
            return []
        said = leading_number(self.settings.get(node.item, "")) if node.part == "balance" else None
        kv = min(said, row.kv) if said and row.kv else row.kv
        if kv:
            title = f"{fitting.title}, Kv {kv:g}" if said else fitting.title
            steady = row.opens_pa if flow else 0.0
            lost = valve_drop_pa(flow, kv, self.medium) + steady
            return [Local(fitting.key, title, None, kv, lost, steady_pa=steady)]
        return [Local(fitting.key, fitting.title, row.k, None, row.k * drop.dynamic_pa)] if row.k else []

    def _tee_loss(
        self,
        fitting: Fitting,
        arm: str,
        flows: dict[str, float],
        drop: Drop,
        od_mm: float,
        diverting: Collection[str],
        passed: bool,
    ) -> list[Local]:
        """passed: the section goes on through it, as through a tee whose third end is shut."""
        by_arm = {name: flows.get(self.fitted.pipework.arms[fitting.key][name], 0.0) for name, _ in fitting.arms}
        full = max(by_arm, key=lambda name: by_arm[name])
        ways = dict(fitting.arms)
        through = fitting_angle(ways[full], ways[arm]) < 10
        if fitting.key in diverting and arm != full and through:
            k = self.catalogue.loss("tee-divert", od_mm).k
            return [Local(fitting.key, f"{fitting.title}, diverting", k, None, k * drop.dynamic_pa)]
        if passed:
            others = [name for name in ways if name != arm and by_arm[name] > 0]
            through = bool(others) and fitting_angle(ways[others[0]], ways[arm]) < 10
        elif arm == full or by_arm[arm] == 0:
            return []
        name = "through" if through else "branch"
        rest = [one for one in ways if one not in (full, arm) and by_arm[one] > 0]
        if not passed and not through and rest and fitting_angle(ways[rest[0]], ways[arm]) < 10:
            name = "counter"  # what parts at it goes both ways of one line, or comes from both
        k = round(self.catalogue.loss(f"tee-{name}", od_mm).k * self._narrowed(fitting, arm, fitting.pipes[arm]), 3)
        said = {"counter": "counter-flow"}.get(name, name)
        return [Local(fitting.key, f"{fitting.title}, {said}", k, None, k * drop.dynamic_pa)]
