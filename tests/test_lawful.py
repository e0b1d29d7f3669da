"""What a fitter would refuse to do, asked as a user asks: by calc, by check and takeoff, and by the documents
themselves.

Nothing of the program is imported but its command line, so that this file tells the same of any version of it.
Documents are of version 1.
"""

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path

from oikotherm.cli import main


def command(*words):
    """(exit status, what was printed, what was said as an error)."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        status = main(list(words))
    return status, out.getvalue(), err.getvalue()


def calc(tool, said):
    """The answer of a calc tool; a refusal comes as {"error": ...}."""
    status, out, err = command("calc", tool, json.dumps(said))
    return json.loads(out) if status == 0 else json.loads(err)


def port(name, role, end, at=(0, 0, 0), facing="right", way="out", kit=()):
    return {
        "name": name,
        "role": role,
        "way": way,
        "offset": at,
        "facing": facing,
        "end": end,
        "kit": [{"part": part} for part in kit],
    }


def stub(*ports, ident="B", kind="stub"):
    return {"id": ident, "kind": kind, "level": "L0", "at": [0, 0, 500], "faces": "S", "ports": list(ports)}


SERVICE = {
    "flow": "heating",
    "cold": "water",
    "hot": "water",
    "gas": "gas",
    "condensate": "discharge",
    "discharge": "discharge",
}


def run(ident, role, start, pipe, *legs, finish="cap"):
    """A run paced in legs such as E900; other words are devices."""
    code, _, size = pipe.partition(" ")
    items = []
    for number, leg in enumerate(legs, 1):
        item = {"id": f"i{ident[-1]}{number}"}
        if leg[0].isupper():
            item |= {"kind": "leg", "dir": leg.rstrip("0123456789"), "length_mm": float(leg.lstrip("NESWUD"))}
        elif leg.startswith("="):
            new, _, to = leg[1:].partition(" ")
            item |= {"kind": "pipe", "pipe": {"code": new, "size": to}}
        elif leg.startswith("{"):
            item |= {"kind": "lie", "place": leg.strip("{}")}
        else:
            item |= {"kind": "device", "part": leg}
        items.append(item)
    return {
        "id": ident,
        "service": SERVICE[role],
        "role": role,
        "start": start,
        "pipe": {"code": code, "size": size},
        "items": items,
        "finish": finish,
    }


def document(stations, runs, practice="british", **more):
    return {
        "format": "oikotherm-job",
        "version": 1,
        "uid": "trial",
        "title": "Trial",
        "practice": practice,
        "house": {"levels": [{"id": "L0", "name": "Ground floor", "floor_mm": 0, "ceiling_mm": 2400}]},
        "stations": stations,
        "runs": runs,
        "next_item": 1000,
        "choices": {"changes-of-direction": {"option": "fittings", "origin": "job"}, **more.pop("choices", {})},
        **more,
    }


def told(which, found):
    """What a command tells of a document."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "trial.oikotherm.json"
        path.write_text(json.dumps(found), "utf-8")
        _, out, err = command(which, str(path))
    assert not err, err
    return json.loads(out)


def stops(found):
    return [one["says"] for one in told("check", found)["findings"] if one["severity"] == "stop"]


def between(found):
    """What stands at the ends of the pieces of a document."""
    return " ".join(f"{cut['from']} {cut['to']}" for cut in told("takeoff", found)["cuts"])


def overridden(target, method):
    return [{"target": target, "field": "method", "value": method, "reason": "trial"}]


class GasTest(unittest.TestCase):
    def test_barrier_plastic_on_gas_is_a_stop_at_its_joints(self):
        found = stops(
            document(
                [stub(port("out", "gas", "pb-m 22 pipe"))],
                [run("G1", "gas", "B.out", "pb-m 22", "E900", "N900", "U400")],
            )
        )
        self.assertTrue(any("G1" in one and "not for gas" in one for one in found), found)

    def test_press_on_gas_is_fitted_with_fittings_marked_for_gas_only(self):
        choice = {"metal-joining": {"option": "press", "origin": "job"}}
        made = document(
            [stub(port("out", "gas", "cu-m 22 pipe"))],
            [run("G1", "gas", "B.out", "cu-m 22", "E900", "N900", "U400")],
            "continental",
            choices=choice,
        )
        words = between(made)
        self.assertIn("elbow", words)
        self.assertIn("gas press", words)
        self.assertNotRegex(words, r"elbow press")

    def test_push_fit_on_gas_by_override_is_stored_stopped_and_not_fitted(self):
        made = document(
            [stub(port("out", "gas", "cu-m 22 pipe"))],
            [run("G1", "gas", "B.out", "cu-m 22", "E900", "N900", "U400")],
            overrides=overridden("i11/turn", "push-fit"),
        )
        self.assertTrue(any("Push-fit is not for gas" in one for one in stops(made)), stops(made))
        self.assertNotIn("push-fit", between(made))

    def test_no_recipe_and_no_gas_proof_for_what_is_not_lawful_on_gas(self):
        for method, pipe, practice in (
            ("push-fit", "cu-m 22", "british"),
            ("push-fit", "pb-m 22", "british"),
            ("compression-plastic", "pb-m 22", "british"),
            ("capillary", "cu-l 3/4", "north-american"),
            ("capillary", "cu-m 22", "continental"),
            ("push-fit-metal", "cu-l 3/4", "north-american"),
            ("expansion", "pexa 3/4", "north-american"),
        ):
            with self.subTest(f"{method} {pipe} {practice}"):
                found = calc("recipe", {"method": method, "pipe": pipe, "service": "gas", "practice": practice})
                self.assertIn("error", found)
                self.assertRegex(found["error"]["expected"], "gas")
        british = calc("recipe", {"method": "capillary", "pipe": "cu-m 22", "service": "gas", "practice": "british"})
        self.assertIn("leak fluid", " ".join(british["proof"]))

    def test_brazing_on_north_american_gas_takes_silver_and_no_phosphor_copper(self):
        found = calc("recipe", {"method": "braze", "pipe": "cu-l 3/4", "service": "gas", "practice": "north-american"})
        words = " ".join([*found["steps"], *found["quantities"], *found["tools"]])
        self.assertIn("0.05 %", words)
        self.assertNotIn("With phosphor-copper filler copper to copper takes no flux", words)
        heating = calc(
            "recipe", {"method": "braze", "pipe": "cu-l 3/4", "service": "heating", "practice": "north-american"}
        )
        self.assertIn("phosphor-copper", " ".join(heating["steps"]))

    def test_the_reason_is_the_one_that_matters(self):
        flare = calc(
            "mate", {"a": "cu-mm 1/2 pipe", "b": "flare-45 5/8 male", "service": "gas", "practice": "north-american"}
        )
        self.assertRegex(flare["why"], "Type M copper is too thin for gas")
        chain = calc(
            "transition",
            {"from": "cu-mm 1/2 pipe", "to": "NPT 1/2 female", "service": "gas", "practice": "north-american"},
        )
        self.assertEqual(chain["chains"], [])
        self.assertIn("Type M", chain["text"])
        self.assertNotIn("splits", chain["text"])
        steel = calc("mate", {"a": "fe-m 3/4 pipe", "b": "press-cu 22 socket", "service": "heating"})
        self.assertNotIn("it is  threaded", steel["why"])
        self.assertIn("it is threaded", steel["why"])


class WaterTest(unittest.TestCase):
    def test_thin_steel_on_drinking_water_is_a_stop(self):
        found = stops(
            document(
                [stub(port("out", "cold", "fe-press 22 pipe"))],
                [run("C1", "cold", "B.out", "fe-press 22", "E900", "N900")],
                "continental",
            )
        )
        self.assertTrue(any("Thin-wall steel rusts through" in one for one in found), found)

    def test_copper_before_galvanised_is_a_stop_and_after_it_is_not(self):
        """The water meets copper first, then zinc: the copper it carries eats the zinc, brass between or not."""
        tap = stub(port("in", "cold", "Rp 3/4 female", (3000, 0, 0), "left", "in"), ident="K", kind="outlet")
        before = document(
            [stub(port("out", "cold", "comp-cu 22 socket"), kind="supply"), tap],
            [run("C1", "cold", "B.out", "cu-m 22", "E1500", "=galv 3/4", "E1500", finish="K.in")],
        )
        after = document(
            [
                stub(port("out", "cold", "Rp 3/4 female"), kind="supply"),
                {**tap, "ports": [port("in", "cold", "comp-cu 22 socket", (3000, 0, 0), "left", "in")]},
            ],
            [run("C1", "cold", "B.out", "galv 3/4", "E1500", "=cu-m 22", "E1500", finish="K.in")],
        )
        self.assertTrue(
            any("copper" in one.lower() and "galvanised" in one.lower() for one in stops(before)), stops(before)
        )
        self.assertFalse(
            any("upstream" in one or "before galvanised" in one.lower() for one in stops(after)), stops(after)
        )


class PortTest(unittest.TestCase):
    def test_a_kit_is_mated_with_its_port(self):
        for end, kit, role, pipe in (
            ("Rp 3/4 female", "sweat-adaptor-3/4", "cold", "cu-l 3/4"),
            ("G 1/2 female", "adaptor-22x3/4", "flow", "cu-m 22"),
            ("G 3/4 female", "adaptor-22x3/4", "flow", "cu-m 22"),
        ):
            with self.subTest(f"{kit} in {end}"):
                found = stops(
                    document([stub(port("out", role, end, kit=[kit]))], [run("X1", role, "B.out", pipe, "E900")])
                )
                self.assertTrue(any("B.out" in one and "does not" in one for one in found), found)
        sound = document(
            [stub(port("out", "flow", "Rp 3/4 female", kit=["adaptor-22x3/4"]))],
            [run("F1", "flow", "B.out", "cu-m 22", "E900")],
        )
        self.assertEqual(stops(sound), [])


class OverrideTest(unittest.TestCase):
    def test_an_override_that_does_not_fit_is_said(self):
        made = document(
            [stub(port("out", "flow", "pb-m 22 pipe"))],
            [run("F1", "flow", "B.out", "pb-m 22", "E900", "N900")],
            overrides=overridden("i11/turn", "press"),
        )
        self.assertTrue(any("F1" in one and "set by hand" in one for one in stops(made)), stops(made))
        self.assertNotIn("elbow press", between(made))

    def test_solder_by_override_in_a_flameless_room_is_stopped_and_not_fitted(self):
        made = document(
            [stub(port("out", "flow", "comp-cu 22 socket"))],
            [run("F1", "flow", "B.out", "cu-m 22", "E900", "N900", "U500")],
            overrides=overridden("i11/turn", "capillary"),
        )
        made["house"]["rooms"] = [
            {
                "id": "Q1",
                "level": "L0",
                "name": "Flour store",
                "outline": [[-2000, -2000], [4000, -2000], [4000, 4000], [-2000, 4000]],
                "flame_allowed": False,
            }
        ]
        self.assertTrue(any("flame" in one.lower() for one in stops(made)), stops(made))
        self.assertNotIn("capillary", between(made))


class DischargeTest(unittest.TestCase):
    def test_condensate_in_plastic_has_its_joints_and_metal_is_a_stop(self):
        made = document(
            [stub(port("out", "condensate", "waste 21.5 pipe"))],
            [run("D1", "condensate", "B.out", "waste 21.5", "D300", "E900", finish="stub")],
        )
        self.assertRegex(between(made), "solvent|push-fit")
        metal = document(
            [stub(port("out", "condensate", "comp-cu 22 socket"))],
            [run("D1", "condensate", "B.out", "cu-m 22", "D300", "E900", finish="stub")],
        )
        self.assertTrue(any("Condensate eats metal" in one for one in stops(metal)), stops(metal))

    def test_condensate_is_not_kept_from_the_heat(self):
        boiler = stub(
            port("out", "condensate", "waste 21.5 pipe", facing="down"),
            port("flow", "flow", "comp-cu 22 socket", (100, 0, 0)),
            kind="boiler",
        )
        made = document([boiler], [run("D1", "condensate", "B.out", "waste 21.5", "D300", "E900", finish="stub")])
        self.assertFalse(any("mm from" in one or "the heat" in one for one in stops(made)), stops(made))

    def test_a_relief_valve_never_discharges_into_overflow_pipe(self):
        made = document(
            [stub(port("out", "discharge", "waste 21.5 pipe"), kind="tundish")],
            [run("D1", "discharge", "B.out", "waste 21.5", "D300", "E900", finish="stub")],
        )
        self.assertTrue(any("hot" in one for one in stops(made)), stops(made))


class MultilayerTest(unittest.TestCase):
    def test_a_clamped_multilayer_joint_has_a_recipe_of_its_own(self):
        found = calc("recipe", {"method": "compression-mlc", "pipe": "mlc 20"})
        words = " ".join(found["steps"])
        self.assertIn("split ring", words.lower())
        self.assertIn("O-rings", words)


if __name__ == "__main__":
    unittest.main()
