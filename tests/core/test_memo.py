"""What is remembered from one edit to the next must be what would be made afresh."""

import gc
import random
import unittest

from benchmarks.building import building
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply
from oikotherm.core.job.model import Leg, Tee
from oikotherm.core.memo import Remembered
from oikotherm.core.pipework.water import traps
from oikotherm.core.services.heating.sizing import heating_of
from tests.jobs import CATALOGUE, edit, paced, port, station, whole


def forget():
    """Empty every memory of the program."""
    memories = [one for one in gc.get_objects() if isinstance(one, Remembered)]
    for one in memories:
        one.forget()
    return len(memories)


def edits(job, rng):
    """Commands such as are given in a day's work, at random."""
    run = rng.choice([one for one in job.runs if any(isinstance(item, Leg) and item.length_mm for item in one.items)])
    leg = rng.choice([item for item in run.items if isinstance(item, Leg) and item.length_mm])
    station = rng.choice(job.stations)
    turns, joints = ("fittings", "bends-15", "bends-22"), ("press", "solder", "compression")
    yield {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": leg.length_mm + rng.choice((-15, 20, 250))}
    for topic, options in (("metal-joining", joints), ("changes-of-direction", turns)):
        yield {"do": "choose", "topic": topic, "option": rng.choice(options), "origin": "job", "reason": "trial"}
    yield {"do": "move_station", "id": station.id, "by": (rng.choice((-50, 100)), 0, 0)}
    yield {"do": "set_state", "run": run.id, "state": rng.choice(("new", "keep", "remove"))}


def rarer_edits(job, rng):
    """Commands that change how the runs hang together, what stands at one fitting, or where a flame is allowed."""
    legs = [
        (run, item) for run in job.runs for item in run.items if isinstance(item, Leg) and (item.length_mm or 0) > 400
    ]
    (run, leg), (other, _) = rng.choice(legs), rng.choice(legs)
    tee = next((item for one in job.runs for item in one.items if isinstance(item, Tee)), None)
    yield {"do": "cut_run", "run": run.id, "at": rng.choice((250, 333.3))}
    yield {"do": "put_tee_at", "run": other.id, "at": 180}
    yield {
        "do": "insert_item",
        "run": run.id,
        "after": leg.id,
        "text": rng.choice(("[iso]", "~U60", ".P9", "[iso] [check]")),
    }
    yield {"do": "put_run", "text": f"from {other.id}.P9 {other.pipe}: U300 E200 -> cap"}
    yield {
        "do": "set_pipe",
        "run": other.id,
        "item": None,
        "code": other.pipe.code,
        "size": rng.choice(("15", "22", "3/4")),
    }
    yield {"do": "set_finish", "run": run.id, "finish": rng.choice(("cap", "none", "stub"))}
    yield {"do": "put_house", "text": "room XYZ on L0 Store: 0,0 9000x9000 no flame"}
    if tee:
        override = {"target": f"{tee.id}/tee", "field": "method", "value": "compression", "reason": "trial"}
        yield {"do": "put_override", "override": override}
        yield {"do": "remove_override", "target": f"{tee.id}/tee", "field": "method"}
    yield {"do": "remove_run", "id": other.id}


def seen(job):
    """All that an edit is answered with, but the objects it shares with the pipework."""
    design = derive(job)
    fitted = design.fitted
    return {
        "pieces": fitted.pieces,
        "joints": fitted.joints,
        "fittings": fitted.fittings,
        "troubles": sorted(map(repr, fitted.troubles)),
        "cuts": design.cuts,
        "findings": [(one.rule, one.where, one.says) for one in design.findings],
        "flow": design.flow,
        "traps": traps(design.pipework, frozenset(design.pipework.nodes), fitted.spans, CATALOGUE),
        "heating": [
            (one.sections, one.loads, one.treads, one.volume, one.vessel, one.pump_head_pa)
            for one in heating_of(design)
        ],
    }


class MemoTest(unittest.TestCase):
    def test_it_makes_once_and_keeps_what_is_in_use(self):
        made = []
        memory = Remembered(2)
        one, other = object(), object()

        def ask(thing, value):
            return memory((thing,), value, lambda: made.append((thing, value)) or value)

        for value in (1, 1, 2):
            self.assertEqual(ask(one, value), value)
        self.assertEqual(made, [(one, 1), (one, 2)])
        for value in range(3, 40):
            ask(one, 1)  # in use all the time
            ask(other, value)
        self.assertEqual(made.count((one, 1)), 1)
        self.assertLessEqual(len(memory.new) + len(memory.old), 4)
        ask(one, 2)  # not asked for since: made again
        self.assertEqual(made.count((one, 2)), 2)
        memory.forget()
        ask(one, 1)
        self.assertEqual(made.count((one, 1)), 2)

    def test_what_gives_nothing_is_remembered_and_what_fails_is_not(self):
        made = []
        memory = Remembered(9)
        for _ in range(2):
            self.assertIsNone(memory((made,), "none", lambda: made.append("none")))
            with self.assertRaises(ZeroDivisionError):
                memory((made,), "fails", lambda: made.append("fails") or 1 / 0)
        self.assertEqual(made, ["none", "fails", "fails"])

    def check(self, uid, found):
        """Jobs by what was done to them, as they were seen while the memory was warm: the same when nothing is remembered."""
        for did, made, warm in found:
            self.assertGreater(forget(), 5)
            cold = seen(made)
            for what, one in warm.items():
                self.assertEqual(one == cold[what], True, f"{uid} after {did}: {what}")

    def test_after_a_day_of_edits_all_is_as_if_made_afresh(self):
        for uid in ("lockhouse", "fernhollow", "olmo-vecchio"):
            rng = random.Random(uid)
            job, found = whole(uid), []
            for _ in range(3):
                for command in edits(job, rng):
                    job = apply(job, command, CATALOGUE)
                    found.append((command["do"], job, seen(job)))
            self.check(uid, found)

    def test_so_it_is_after_a_run_is_renamed_or_an_arrow_turned(self):
        line = "from A.out cu-m 15: U300 E300 [drain] E200 [check >] E500 U400 -> B.in"
        other = station("B", [port("in", "comp-cu 15 socket", (1000, 0, 700), way="in")], kind="emitter")
        before = edit(paced(), other, {"do": "put_run", "text": f"F1 {line}"})
        check = next(item for item in before.runs[0].items if item.kind == "device" and item.part == "check")
        for command in (
            {"do": "put_run", "run": "F1", "text": f"F7 {line}"},
            {"do": "retype_item", "run": "F1", "item": check.id, "text": "[check <]"},
        ):
            forget()
            seen(before)
            after = edit(before, command)
            self.assertEqual([item.id for item in after.runs[0].items], [item.id for item in before.runs[0].items])
            self.check("renamed", [(command["do"], after, seen(after))])

    def test_so_it_is_after_runs_are_cut_joined_and_taken_out(self):
        done = set()
        for start in (whole("lockhouse"), whole("fernhollow"), whole("olmo-vecchio"), building(4)):
            rng = random.Random(start.uid)
            job, found = start, []
            for _ in range(2):
                for command in rarer_edits(job, rng):
                    try:
                        job = apply(job, command, CATALOGUE)
                    except Refused:
                        continue  # not every command fits every run
                    found.append((command["do"], job, seen(job)))
                    done.add(command["do"])
            self.check(start.uid, found)
        self.assertGreaterEqual(len(done), 9)


if __name__ == "__main__":
    unittest.main()
