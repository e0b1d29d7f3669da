"""The network file of a job, checked by the friction of another library: flows balance at every node, pressures along
every branch."""

import contextlib
import io
import json
import math
import unittest
from pathlib import Path

from fluids.friction import friction_factor

from oikotherm.cli import main
from oikotherm.core.design import derive
from oikotherm.exchange.network import network_json
from tests.jobs import circuit, job, whole

ROOT = Path(__file__).parents[2]
TRANSITION_RE = (2000, 4000)  # between them every law is a blend of its own


def loss_pa(branch, flow_kg_s, fluid):
    """What a branch loses along a flow [Pa], its pump not counted; None where the flow is neither laminar nor
    turbulent."""
    rho, mu = fluid["density_kg_m3"], fluid["viscosity_pa_s"]
    area = math.pi / 4 * (branch["bore_mm"] / 1000) ** 2
    speed = abs(flow_kg_s) / rho / area
    reynolds = rho * speed * branch["bore_mm"] / 1000 / mu
    if branch["length_m"] and TRANSITION_RE[0] < reynolds < TRANSITION_RE[1]:
        return None
    lost = branch["k"] * rho * speed**2 / 2
    if branch["length_m"] and reynolds > 0:
        factor = friction_factor(Re=reynolds, eD=branch["roughness_mm"] / branch["bore_mm"], Method="Colebrook")
        lost += factor * branch["length_m"] / (branch["bore_mm"] / 1000) * rho * speed**2 / 2
    if "kv" in branch:
        lost += 1e5 * (flow_kg_s / rho * 3600 / branch["kv"]) ** 2 * rho / 1000
    return math.copysign(lost, flow_kg_s)


def raised_pa(branch, flow_kg_s):
    """What the pump of a branch raises [Pa], by the file's own words."""
    curve = branch.get("curve")
    if curve is None:
        return 0.0
    full = (
        curve["h0_pa"] * (curve["speed"] ** 2 if curve["mode"] == "fixed" else 1.0)
        - curve["a_pa_s2_kg2"] * flow_kg_s**2
    )
    return min(full, curve["set_pa"]) if curve["mode"] == "constant" else full


class NetworkFileTest(unittest.TestCase):
    def check(self, made, least):
        found = json.loads(network_json(derive(made)))
        self.assertEqual((found["format"], found["version"]), ("oikotherm-network", 1))
        checked = 0
        for net in found["networks"]:
            pressure, flow = net["solution"]["pressure_pa"], net["solution"]["flow_kg_s"]
            names = {node["id"] for node in net["nodes"]}
            self.assertEqual(len(names), len(net["nodes"]))
            self.assertEqual([pressure[node["id"]] for node in net["nodes"] if "fixed_pa" in node], [0.0])
            self.assertTrue(all(node["xyz_mm"] and len(node["xyz_mm"]) == 3 for node in net["nodes"]), net["circuit"])
            balance = dict.fromkeys(names, 0.0)
            for branch in net["branches"]:
                self.assertIn(branch["kind"], ("pipe", "pump", "check", "valve"))
                balance[branch["from"]] -= flow[branch["id"]]
                balance[branch["to"]] += flow[branch["id"]]
                lost = loss_pa(branch, flow[branch["id"]], net["fluid"])
                if lost is not None:
                    checked += 1
                    drop = pressure[branch["from"]] - pressure[branch["to"]]
                    self.assertAlmostEqual(
                        drop,
                        lost - raised_pa(branch, flow[branch["id"]]),
                        delta=max(2.0, 0.005 * abs(lost)),
                        msg=branch["id"],
                    )
            self.assertLess(max(map(abs, balance.values())), 1e-6)
        self.assertGreaterEqual(checked, least)

    def test_the_demos_hold_by_another_library(self):
        self.check(whole(), 30)
        self.check(whole("olmo-vecchio"), 15)
        self.check(circuit(), 3)

    def test_a_job_without_networks_gives_an_empty_file(self):
        self.assertEqual(json.loads(network_json(derive(job())))["networks"], [])

    def test_the_command_line_gives_it_for_a_document(self):
        out = io.StringIO()
        path = ROOT / "oikotherm" / "demo" / "lockhouse.oikotherm.json"
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["export", str(path), "--network"]), 0)
        self.assertEqual(out.getvalue(), network_json(derive(whole())))
