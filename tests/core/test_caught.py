"""Faults that a fitter would see at once, planted one by one: found at their spot, once, with words and a way out."""

from __future__ import annotations

import math
import unittest
from typing import Any

from oikotherm.core.context import Context
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.model import Job
from oikotherm.core.services.heating.behind import behind_text, read_behind
from oikotherm.core.services.heating.simulate import simulate
from oikotherm.core.services.heating.sizing import heating_of

from ..jobs import CATALOGUE, FLOW, RETURN, circuit, edit, paced, port, retyped, said, station, whole
from .gas import faults as gas
from .heating.test_network import hung
from .water import faults as water

LOCK, OLMO, FERN = whole("lockhouse"), whole("olmo-vecchio"), whole("fernhollow")


def gone(*idents: str) -> tuple[dict[str, Any], ...]:
    return tuple({"do": "remove_run", "id": ident} for ident in idents)


def two_pipe(*extra: str) -> Job:
    """A boiler with two radiators, its flow and return joined by whatever is typed on top."""
    made = hung(900, 1400)
    texts = (
        "F1 from BLR.flow cu-m 22: U400 W500 *T1 W1200 *T9 W300 D? S? -> R1.left",
        "RT1 from BLR.return cu-m 22: U460 N60 W400 *T1 W1100 *T9 W300 D? S? -> R1.right",
        *extra,
    )
    return edit(made, *({"do": "put_run", "text": text} for text in texts))


BY_PIPE = "F3 from F1.T1 cu-m 15: N30 {} N? W? U? -> RT1.T1"
FAULTS: dict[str, tuple[Job, tuple[dict[str, Any], ...], str, str, str]] = {
    # what is planted: job, commands, rule, the first of where it is found, words
    "flow and return changed over at the boiler": (
        LOCK,
        (retyped(LOCK, "F1", ("BLR.flow", "BLR.return")), retyped(LOCK, "RT1", ("BLR.return", "BLR.flow"))),
        "swapped",
        "BLR",
        "BLR: flow and return are changed over: F1 is a flow and comes to its return",
    ),
    "flow and return changed over at an emitter": (
        LOCK,
        (retyped(LOCK, "F7", ("R4.left", "R4.right")), retyped(LOCK, "RT7", ("R4.right", "R4.left"))),
        "swapped",
        "R4",
        "R4: flow and return are changed over: F7 is a flow and comes to its return",
    ),
    "plain pipe from flow to return": (
        LOCK,
        (
            {"do": "put_tee_at", "run": "F7", "at": 600, "name": "T7"},
            {"do": "put_tee_at", "run": "RT7", "at": 600, "name": "T7"},
            {"do": "put_run", "text": "F12 from F7.T7 cu-m 15: E? S? -> RT7.T7"},
        ),
        "bridge",
        "F12",
        "F12 joins flow and return by open pipe, past every emitter",
    ),
    "radiator without pipe": (LOCK, gone("F9", "RT9"), "unpiped", "R6", "R6, a radiator, is joined to nothing"),
    "station joined to nothing": (
        LOCK,
        ({"do": "add_station", "kind": "emitter", "level": "L1", "at": (4000, 3000, 150)},),
        "unpiped",
        "R10",
        "joined to nothing",
    ),
    "room with a need and no emitter": (
        LOCK,
        (*gone("F9", "RT9"), {"do": "remove_station", "id": "R6"}),
        "room-unheated",
        "HAL",
        "Hall needs 400 W and has no emitter",
    ),
    "filter on the flow only": (
        LOCK,
        (retyped(LOCK, "RT1", ("[filter] ", "")), retyped(LOCK, "F1", ("D1510", "D600 [filter] D910"))),
        "filter-on-flow",
        "F1",
        "The filter of BLR stands on F1, the flow",
    ),
    "plastic rising through a floor into view": (
        LOCK,
        (retyped(LOCK, "F9", ("cu-m 15", "pb-m 15")),),
        "plastic-in-view",
        "F9",
        "F9 comes out into view in pb-m 15",
    ),
    "gas pipe too small for what hangs on it": (
        LOCK,
        (retyped(LOCK, "G2", ("cu-m 22", "cu-m 15")),),
        "gas-short",
        "RNG",
        "RNG gets 1\\d.\\d\\d mbar with all appliances on: \\d.\\d\\d mbar are lost from MTR.out, 1.00 mbar may be",
    ),
    "a meter too small for its appliances": (
        LOCK,
        (said(LOCK, "MTR", capacity_m3_h=4),),
        "gas-meter-small",
        "MTR",
        "MTR passes 4.0 m3/h; what hangs on it burns 5.3 m3/h",
    ),
    "a cylinder regulator fed with house pressure": (
        LOCK,
        (
            {"do": "set_finish", "run": "G3", "finish": "none"},
            {"do": "remove_station", "id": "URN"},
            {
                "do": "add_station",
                "kind": "regulator",
                "variant": "cylinder",
                "id": "REG",
                "level": "L0",
                "at": (3600, 1200, 100),
            },
            {
                "do": "add_station",
                "kind": "appliance",
                "id": "FIRE",
                "level": "L0",
                "at": (4200, 300, 0),
                "data": {"input_w": 4000},
            },
            {"do": "set_finish", "run": "G3", "finish": "REG.in"},
            {"do": "put_run", "text": "G4 from REG.out cu-m 15: E? D? S? -> FIRE.gas"},
        ),
        "gas-regulator-series",
        "REG",
        "REG, a cylinder regulator, is fed 21.00 mbar: it needs far more",
    ),
    "unvented heaters above their limit": (
        LOCK,
        (
            {
                "do": "add_station",
                "kind": "appliance",
                "variant": "heater-unvented",
                "id": "UH1",
                "level": "L0",
                "at": (2000, 300, 100),
                "data": {"input_w": 13000},
            },
        ),
        "gas-unvented",
        "UH1",
        "UH1 burn 44,[0-9]{3} BTU/h without a flue; 40,000 is the most for a room",
    ),
    "an appliance set for propane on natural gas": (
        LOCK,
        (said(LOCK, "MTR", gas="natural"), said(LOCK, "URN", gas="propane")),
        "gas-mismatch",
        "URN",
        "URN is set for propane and fed natural: 0.65 times its heat",
    ),
    "gas through masonry without sleeve": (
        LOCK,
        (retyped(LOCK, "G1", ("(wall 100 sleeve)", "(wall 100)")),),
        "gas-sleeve",
        "G1",
        "G1 goes through W1 without a sleeve",
    ),
    "relief capped": (
        FERN,
        (retyped(FERN, "D1", ("-> stub", "-> cap")),),
        "relief-shut",
        "WH",
        "shut at its end by a cap",
    ),
    "relief without discharge": (FERN, gone("D1"), "relief-shut", "WH", "The relief valve of WH has no discharge pipe"),
    "valve in a discharge": (
        FERN,
        (retyped(FERN, "D1", ("D45-1/2", "D20 [iso] D25")),),
        "discharge-valve",
        "D1",
        "D1 has a valve in it, isolating valve",
    ),
    "discharge reduced": (
        FERN,
        (retyped(FERN, "D1", ("D45-1/2", "D20 =cu-l 1/2 D25")),),
        "discharge-reduced",
        "D1",
        "D1 narrows from cu-l 3/4 to cu-l 1/2",
    ),
    "a wall crossed unsaid": (
        LOCK,
        (retyped(LOCK, "G1", ("E910 (wall 100) E2700", "E3610")),),
        "wall-unsaid",
        "G1",
        "G1 goes through W3, which its line does not say",
    ),
    "a wall said that is not there": (
        LOCK,
        (retyped(LOCK, "F7", ("E898", "E400 (wall 100) E498")),),
        "wall-not-there",
        "F7",
        r"F7 says \(wall 100\) where the house has no wall",
    ),
    "a tee inside a wall": (
        LOCK,
        (retyped(LOCK, "G1", ("*T1 =cu-m 22 (wall 100 sleeve) E910", "(wall 100 sleeve) E50 *T1 =cu-m 22 E860")),),
        "joint-in-wall",
        "G1",
        "tee capillary T1 lies inside W1",
    ),
    "boiler below its load": (
        LOCK,
        (said(LOCK, "BLR", output_w=5000),),
        "boiler-small",
        "BLR",
        "BLR gives 5.0 kW; its emitters",
    ),
    "safety valve above the boiler's limit": (
        LOCK,
        (said(LOCK, "BLR", most_bar=2.5),),
        "safety-high",
        "BLR",
        "opens at 3 bar; its plate says 2.5 bar",
    ),
    "union before its valve": (
        FERN,
        (retyped(FERN, "G2", ("D6 [iso] D6 [union]", "D6 [union] D6 [iso]")),),
        "union-before-valve",
        "G2",
        "G2 has its union before the isolating valve",
    ),
    "all thermostatic valves and no bypass": (
        LOCK,
        (*gone("F6", "RT6"),),
        "all-thermostatic",
        "BLR",
        "Every emitter of BLR has a thermostatic valve, and there is no bypass",
    ),
    "bypass the wrong way round": (
        two_pipe(),
        ({"do": "put_run", "text": BY_PIPE.format("[bypass < set 15]")},),
        "bypass-reversed",
        "F3",
        "The bypass on F3 points from the return to the flow: it never opens",
    ),
    "bypass set too low": (
        two_pipe(),
        ({"do": "put_run", "text": BY_PIPE.format("[bypass > set 0.1]")},),
        "bypass-low",
        "F3",
        "The bypass on F3 opens at 0.1 kPa",
    ),
}


PUMPED = circuit(
    FLOW.replace("W443 [vent]", "W100 [pump >] W343 [vent]"),
    RETURN,  # the vessel of its return is before the pump
)
FAULTS["vessel on the pump's pressure side"] = (
    PUMPED,
    (
        retyped(PUMPED, "RT1", ("[vessel set 8] ", "")),
        retyped(PUMPED, "F1", ("W343 [vent]", "W200 [vessel set 8] W143 [vent]")),
    ),
    "vessel-pressure-side",
    "F1",
    "The vessel on F1 stands behind the pump on F1",
)
PAIR = edit(
    two_pipe(),
    {"do": "add_station", "kind": "boiler", "level": "L0", "at": (8000, 3000, 1000), "data": {"output_w": 9000}},
)
SECOND = next(one.id for one in PAIR.stations if one.kind == "boiler" and one.id != "BLR")
FAULTS["two boilers on one circuit without their check valves"] = (
    PAIR,
    tuple(
        {"do": "put_run", "text": f"from {SECOND}.{role} cu-m 22: U{up} N{off} W? N? U? -> {run}.T1"}
        for role, up, off, run in (("flow", 700, 200, "F1"), ("return", 860, 300, "RT1"))
    ),
    "two-sources",
    SECOND,
    "feed one circuit; .* have no check valve",
)


FAULTS |= gas.FAULTS | water.FAULTS


class CaughtTest(unittest.TestCase):
    def test_each_fault_is_found_once_at_its_spot(self) -> None:
        context = Context()  # what is worked out of a sound job is remembered from fault to fault
        for name, (job, commands, rule, where, words) in FAULTS.items():
            with self.subTest(fault=name):
                before = [found for found in derive(job, context).open_findings if found.rule == rule]
                self.assertEqual([one.where for one in before if one.where[0] == where], [])
                after = derive(edit(job, *commands), context).open_findings
                found = [one for one in after if one.rule == rule]
                self.assertEqual(len(found), 1, [one.says for one in found])
                self.assertEqual(found[0].where[0], where)
                self.assertRegex(found[0].says, words)
                self.assertTrue(found[0].why and found[0].source)
                self.assertTrue(found[0].remedies or found[0].cures, found[0].says)

    def test_demos_are_clean_but_for_their_planted_faults(self) -> None:
        rules = {rule for _, _, rule, _, _ in FAULTS.values()}
        for job in (LOCK, OLMO, FERN):
            self.assertEqual({one.rule for one in derive(job).open_findings} & rules, set(), job.uid)

    def test_swapped_emitters_are_not_said_twice(self) -> None:
        job, commands, *_ = FAULTS["flow and return changed over at an emitter"]
        rules = [one.rule for one in derive(edit(job, *commands)).findings if "R4" in one.where[0]]
        self.assertEqual(rules, ["swapped"])

    def test_a_ring_is_no_ring_where_a_pipe_joins_flow_and_return(self) -> None:
        job, commands, *_ = FAULTS["plain pipe from flow to return"]
        self.assertNotIn("single-pipe", {one.rule for one in derive(edit(job, *commands)).findings})

    def test_nothing_circulates_is_said_once(self) -> None:
        """The flow of the whole house ends in a cap: ten emitters stand still, one finding says so."""
        made = derive(
            edit(
                LOCK,
                *gone("F2", "F3", "F4", "F5", "F6", "F7", "F8", "F9", "F10"),
                retyped(LOCK, "F1", ("-> R2.left", "-> cap")),
            )
        )
        words = [one.says for one in made.findings if one.rule == "left-out"]
        self.assertEqual(len(words), 1, words)
        self.assertRegex(words[0], "Nothing circulates from BLR: none of its 1?[0-9] emitters is joined both ways")

    def test_floor_without_mixing(self) -> None:
        kept = tuple(circuit for circuit in OLMO.circuits if circuit.id != "UF1")
        found = [
            one for one in derive(OLMO.model_copy(update={"circuits": kept})).findings if one.rule == "floor-unmixed"
        ]
        self.assertEqual([one.where[0] for one in found], ["U1"])
        self.assertRegex(found[0].says, "U1, U2: 70 C would go into the floor")
        (remedy,) = found[0].remedies
        mended = apply_all(OLMO.model_copy(update={"circuits": kept}), list(remedy.commands), CATALOGUE)
        self.assertNotIn("floor-unmixed", {one.rule for one in derive(mended).findings})

    def test_a_bypass_the_wrong_way_round_never_opens(self) -> None:
        """Simulated with the valves of both radiators shut far down: the right one passes water, the reversed none."""
        flows = {}
        for sign in (">", "<"):
            made = derive(edit(two_pipe(), {"do": "put_run", "text": BY_PIPE.format(f"[bypass {sign} set 1]")}))
            (heating,) = heating_of(made)
            found = simulate(made.job, made.fitted, made.context.catalogue, heating)
            flows[sign] = next(flow for key, flow in found.sections.items() if key.startswith("F3"))
        self.assertGreater(abs(flows[">"]), 1e-4)
        self.assertLess(abs(flows["<"]), 1e-6)


STUB = station("B", [port("end", "cu-m 15 pipe", (700, -400, 0), facing="left")], kind="stub", state="keep")


class RemediesTest(unittest.TestCase):
    """A run that misses its end: every way out lands it there."""

    def ways(self, items: str) -> dict[str, float]:
        """Remedy -> what the run misses by once it is carried out [mm]. The old stub's end lies E 700, N 400."""
        made = edit(paced("F9 from A.out cu-m 15: U10 -> cap"), STUB, *gone("F9"))
        made = edit(made, {"do": "put_run", "text": f"F1 from A.out cu-m 15: {items} -> B.end"})
        found = {}
        for finding in derive(made).findings:
            if finding.rule in ("closing-error", "until-level"):
                for remedy in finding.remedies:
                    after = derive(apply_all(made, list(remedy.commands), CATALOGUE))
                    closing = after.pipework.runs["F1"].closing
                    found[remedy.title] = math.inf if closing is None else round(closing.length, 3)
        return found

    def test_an_old_stub_is_trimmed_pushed_or_shifted(self) -> None:
        proud = self.ways("E720 N400")
        self.assertEqual((proud["Trim B by 20 mm"], proud["Push B back by 20 mm"]), (0, 0))
        self.assertNotIn("Push B back by 60 mm", self.ways("E760 N400"))
        self.assertEqual(self.ways("E760 N400")["Trim B by 60 mm"], 0)
        self.assertEqual(self.ways("E700 N395")["Shift B by 5 mm"], 0)
        short = self.ways("E680 N400")  # a stub cannot grow
        self.assertFalse([title for title in short if "B" in title and "level" not in title])

    def test_an_open_leg_the_wrong_way_and_a_forgotten_one(self) -> None:
        self.assertEqual(self.ways("W? N400")["Go E"], 0)
        self.assertEqual(self.ways("E700")["Go on N until level with B.end"], 0)

    def test_a_miss_of_two_axes_takes_one_rolling_set(self) -> None:
        ways = self.ways("U1000 E640 N320 D1000")
        self.assertEqual(ways["A set of 100 mm to E and N"], 0)

    def test_the_leg_below_a_tee_is_corrected_not_the_one_above(self) -> None:
        made = edit(paced("F9 from A.out cu-m 15: U10 -> cap"), STUB, *gone("F9"))
        made = edit(
            made,
            {"do": "put_run", "text": "F1 from A.out cu-m 15: E500 *T1 E215 N400 -> B.end"},
            {"do": "put_run", "text": "F2 from F1.T1 cu-m 15: S300 -> cap"},
        )
        (finding,) = [one for one in derive(made).findings if one.rule == "closing-error"]
        after = derive(apply_all(made, list(finding.remedies[0].commands), CATALOGUE))
        self.assertEqual(after.pipework.runs["F2"].start, derive(made).pipework.runs["F2"].start)
        self.assertEqual(after.texts["F1"].split(": ")[1], "E500 *T1 E200 N400 -> B.end")


class BehindTest(unittest.TestCase):
    def test_what_stands_behind_a_stub_counts(self) -> None:
        """Three doubles of 1.2 m at 5.8 L, a towel rail of 5 L, 12 m of 15 mm pipe at 0.145 L: 20.88 + 5 + 1.74."""
        behind = read_behind("3 double panel 1200; towel rail")
        stub = {
            **station("STB", [port("end", "cu-m 15 pipe", (0, 2400, 0))], kind="stub", state="keep")[
                "station"
            ].model_dump(exclude_none=True),
            "data": {"behind": [one.model_dump(exclude_none=True) for one in behind], "behind_pipe_m": 12},
        }
        start = two_pipe()
        joined = {"do": "put_run", "text": "F4 from F1.T9 cu-m 15: N200 -> STB.end"}
        bare = {**stub, "data": {}}
        volumes: list[float] = []
        drained: list[float] = []
        for one in (bare, stub):
            made = derive(edit(start, {"do": "put_station", "station": one}, joined))
            (heating,) = heating_of(made)
            volumes.append(heating.volume_l)
            drained.append(sum(storey.litres for work in made.water_work for storey in work.storeys))
        self.assertAlmostEqual(volumes[1] - volumes[0], 3 * 5.8 * 1.2 + 5 + 12 * math.pi / 4 * 0.136**2 * 10, places=3)
        self.assertAlmostEqual(drained[1] - drained[0], volumes[1] - volumes[0], places=1)  # and out again
        rows = [row for row in heating.volume if row.what.startswith("STB")]
        self.assertEqual([row.what for row in rows], ["STB: 3 double panel", "STB: 1 towel rail", "STB: 12 m of pipe"])
        self.assertTrue(all("assumed" in row.source for row in rows))

    def test_it_is_typed_and_read_back(self) -> None:
        for text in ("3 double panel 1200mm; towel rail", "2 other 7 L", "12 column section"):
            self.assertEqual(behind_text(read_behind(text)), text)
        self.assertEqual(read_behind("single panel 3 ft")[0].length_mm, 914.4)
        for bad in ("3 elephants", "double", "0 towel rail"):
            with self.assertRaises(Refused):
                read_behind(bad)


if __name__ == "__main__":
    unittest.main()
