"""Each finding has a job that fails it and one that passes; a remedy clears its finding and brings no new stop."""

import unittest

from oikotherm.core.context import Context
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.model import Pipe
from oikotherm.core.rules import RULES
from tests.jobs import CATALOGUE, FLOW, RETURN, circuit, demo, edit, job, paced, port, station

B = station("B", [port("in", "comp-cu 15 socket", (1000, 0, 500), way="in", facing="left")], kind="emitter")


def meets(text, *more):
    return edit(paced(), B, {"do": "put_run", "text": text}, *more)


def replaced(made, run, **changes):
    """The job with fields of a run changed past the commands, as an imported document might have them."""
    runs = tuple(one.model_copy(update=changes) if one.id == run else one for one in made.runs)
    return made.model_copy(update={"runs": runs})


GOOD = "F1 from A.out cu-m 15: U500 E1000 -> B.in"
LOST = edit(
    demo(),
    {
        "do": "retype_item",
        "run": "F1",
        "item": next(i.id for i in demo().run("F1").items if i.kind == "tee"),
        "text": "",
    },
)
FAILING = {
    "closing-error": [
        meets("F1 from A.out cu-m 15: U500 E980 -> B.in"), meets("F1 from A.out cu-m 15: U480 E940? -> B.in"), demo(),
        meets("F1 from A.out cu-m 15: U500 N30 E1000 S10 -> B.in"),
    ],
    "open-end": [paced("F1 from A.out cu-m 15: U500 E900"), paced("F1 from A.out cu-m 15: U500 *T1 U300 -> cap"), meets("F1 from A.out cu-m 15: U500 E1000")],
    "adrift": [
        LOST, edit(demo(), {"do": "remove_station", "id": "R3"}), edit(demo(), {"do": "remove_station", "id": "BLR"}),
        replaced(meets(GOOD), "F1", start="F9.T1", last_start=(0.0, 0.0, 0.0)),
    ],
    "port-twice": [meets(GOOD, {"do": "put_run", "text": "F2 from A.out cu-m 15: U300 N500 -> cap"})],
    "until-level": [paced("F1 from A.out cu-m 15: U500 E? -> cap"), meets("F1 from A.out cu-m 15: U500 W? -> B.in"), meets("F1 from A.out cu-m 15: U500 E? E? -> B.in")],
    "size-unknown": [
        paced("F1 from A.out cu-m 22: U500 -> cap", end="comp-cu 22 socket").model_copy(
            update={"runs": (paced("F1 from A.out cu-m 15: U500 -> cap").runs[0].model_copy(update={"pipe": Pipe(code="cu-m", size="16")}),)}
        ),
        paced("F1 from A.out cu-m 20: U500 E400 -> cap"),
        replaced(meets(GOOD), "F1", pipe=Pipe(code="cu-x", size="15")),
    ],
    "size-open": [paced("F1 from A.out cu-m ?: U500 -> cap")],
    "leg-short": [
        paced("F1 from A.out cu-m 15: U500 E30 N400 -> cap"), paced("F1 from A.out cu-m 15: U500 E10 N400 E1000 -> cap"),
        paced("F1 from A.out fe-40 3/4: U500mm E60mm N400mm -> cap", end="NPT 3/4 female", practice="north-american", unit="in"),
    ],
    "turn-no-fitting": [paced("F1 from A.out cu-m 15: U500 U+60E500 -> cap")],
    "tee-shape": [
        paced("F1 from A.out cu-m 15: U500 E500 *T1 N500 -> cap", "F2 from F1.T1 cu-m 15: U400 -> cap"),
        paced("F1 from A.out cu-m 15: U500 *T1 U500 -> cap", "F2 from F1.T1 cu-m 15: NE400 -> cap", "F3 from F1.T1 cu-m 15: S400 -> cap"),
    ],
    "port-end": [paced("F1 from A.out cu-m 22: U500 -> cap"), paced("F1 from A.out cu-m 15: U500 -> cap", end="G 1 male flat")],
    "no-figures": [paced("F1 from A.out csst EHD18: U500 E300 -> stub"), paced("F1 from A.out cu-m 54: U500 [iso] U500 -> stub")],
    "long-piece": [paced("F1 from A.out cu-m 15: U3500 -> cap")],
    "not-worked": [paced("F1 from A.out cu-m 15: {fall 1:40} U500 E400 -> cap")],
}  # fmt: skip
BRINGS = circuit(back=RETURN.replace("[vessel set 8] ", ""))
BRINGS = edit(
    BRINGS,
    {"do": "put_station", "station": {**BRINGS.stations[0].model_dump(exclude_none=True), "brings": {"vessel_l": 1.0}}},
)
EXV = circuit(back=RETURN.replace("[vessel set 8]", "*T1"))
EXV = edit(
    EXV,
    {"do": "add_station", "kind": "vessel", "level": "L0", "at": (3000, 3000, 800), "data": {"volume_l": 2.0}},
    {"do": "put_run", "text": "from RT1.T1 cu-m 22: E495 S10 -> EXV.in"},
)
FAILING |= {
    "no-safety-valve": [circuit(FLOW.replace("[safety-valve set 3] ", ""))],
    "no-vessel": [circuit(back=RETURN.replace("[vessel set 8] ", ""))],
    "no-filling": [circuit(back=RETURN.replace("[filling] ", ""))],
    "no-drain": [circuit(back=RETURN.replace("[drain] ", ""))],
    "no-vent": [circuit(FLOW.replace("[vent] ", "")), circuit(back=RETURN.replace("[vent] ", ""))],
    "vessel-small": [circuit(back=RETURN.replace("[vessel set 8]", "[vessel V1 set 1]")), BRINGS, EXV],
    "section-over": [circuit(output_w=14000)],
    "left-out": [circuit(FLOW, ""), circuit(output_w=0)],
    "terms-assumed": [circuit(said=False)],
}
FAILING["against-flow"] = [
    circuit(FLOW.replace("D500", "D200 [check <] D300")), circuit(back=RETURN.replace("S1790", "S895 [filter F9 > handle U] S895")),
]  # fmt: skip
PRESS = edit(circuit(), {"do": "choose", "topic": "metal-joining", "option": "press"})
FAILING["record-changed"] = [PRESS, circuit()]
RECORDED = Context(
    recorded=(("i1/turn:in", "F1-02", "capillary", "cu-m 22"), ("i99/turn:in", "F1-77", "capillary", "cu-m 22"))
)


def derived(rule, made):
    """The design of a failing job, with records where the rule is about them."""
    return derive(made, RECORDED if rule == "record-changed" else None)


PASSING = [
    circuit(FLOW.replace("D500", "D200 [check >] D300"), RETURN.replace("S1790", "S895 [filter <] S895")),
    circuit(FLOW.replace("D500", "D200 [check] D300")),
    circuit(),
    meets(GOOD),
    paced("F1 from A.out cu-m 15: U500 *T1 E500 -> cap", "F2 from F1.T1 cu-m 15: W400 -> stub"),
]


def rules_of(made):
    return {finding.rule for finding in derive(made).findings}


def stops(made):
    return {(finding.rule, finding.where) for finding in derive(made).findings if finding.severity == "stop"}


class RulesTest(unittest.TestCase):
    def test_every_rule_has_failing_jobs_here(self):
        self.assertEqual(set(FAILING), set(RULES))

    def test_failing_jobs_are_found_and_sound_ones_are_not(self):
        for rule, jobs in FAILING.items():
            for number, made in enumerate(jobs):
                with self.subTest(rule=rule, number=number):
                    found = [finding for finding in derived(rule, made).findings if finding.rule == rule]
                    self.assertTrue(found)
                    self.assertTrue(
                        all(finding.says and finding.why and finding.source and finding.where for finding in found)
                    )
        for made in PASSING:
            self.assertEqual(rules_of(made), set())

    def test_each_remedy_clears_its_finding_and_brings_no_new_stop(self):
        tried = 0
        for rule, jobs in FAILING.items():
            for number, made in enumerate(jobs):
                for finding in (f for f in derive(made).findings if f.rule == rule):
                    for remedy in finding.remedies:
                        with self.subTest(rule=rule, number=number, remedy=remedy.title):
                            after = apply_all(made, list(remedy.commands), CATALOGUE)
                            left = {(f.rule, f.where) for f in derive(after).findings}
                            self.assertTrue((rule, finding.where) not in left or rule in ("open-end", "adrift"), left)
                            new = {one for one in stops(after) - stops(made) if one[0] not in _owed(remedy.title)}
                            self.assertEqual(new, set())
                            self.assertTrue(remedy.effect)
                            tried += 1
        self.assertGreater(tried, 20)

    def test_a_miss_of_three_millimetres_springs_in(self):
        for miss, severity in ((0.4, None), (2.9, "note"), (3.1, "stop")):
            made = meets(f"F1 from A.out cu-m 15: U500 E{1000 - miss} -> B.in")
            found = [finding.severity for finding in derive(made).findings if finding.rule == "closing-error"]
            self.assertEqual(found, [severity] if severity else [])

    def test_the_closing_error_names_the_leg_in_doubt(self):
        finding = next(f for f in derive(demo()).findings if f.rule == "closing-error")
        self.assertEqual(finding.says, "RT3 ends 15 mm from R3.right: S 15 to go.")
        self.assertEqual(finding.remedies[0].effect, "S2875 becomes S2890")

    def test_the_station_moves_only_when_no_other_run_is_on_it(self):
        titles = {
            remedy.title for finding in derive(FAILING["closing-error"][0]).findings for remedy in finding.remedies
        }
        self.assertIn("Move B to the end of the run", titles)
        titles = {remedy.title for finding in derive(demo()).findings for remedy in finding.remedies}
        self.assertNotIn("Move R3 to the end of the run", titles)

    def test_a_waived_finding_stays_with_its_reason_and_goes_last(self):
        made = circuit(FLOW.replace("[safety-valve set 3] ", ""), RETURN.replace("[vent] ", ""))
        with self.assertRaises(Refused):
            edit(made, {"do": "waive", "rule": "no-safety-valve", "where": "BLR", "reason": " "})
        waived = edit(
            made, {"do": "waive", "rule": "no-safety-valve", "where": "BLR", "reason": "in the boiler's own group"}
        )
        found = derive(waived)
        self.assertEqual(found.findings[-1].waived, "in the boiler's own group")
        self.assertNotIn("no-safety-valve", {finding.rule for finding in found.open_findings})
        back = edit(waived, {"do": "unwaive", "rule": "no-safety-valve", "where": "BLR"})
        self.assertIn("no-safety-valve", {finding.rule for finding in derive(back).open_findings})

    def test_an_empty_job_has_nothing_to_say(self):
        self.assertEqual(rules_of(job()), set())


def _owed(title):
    """Taking a run out leaves its tee, or the runs that hung on it, for the next finding: that is said, not hidden."""
    return {"open-end", "adrift"} if title == "Take the run out" else set()
