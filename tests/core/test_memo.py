"""What is remembered from one edit to the next must be what would be made afresh."""

import gc
import random
import unittest

from oikotherm.core.design import derive
from oikotherm.core.job.commands import apply
from oikotherm.core.job.model import Leg
from oikotherm.core.memo import Remembered
from tests.jobs import CATALOGUE, whole


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
    east, north, up = station.at
    yield {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": leg.length_mm + rng.choice((-15, 20, 250))}
    yield {
        "do": "choose",
        "topic": "metal-joining",
        "option": rng.choice(("press", "solder", "compression")),
        "origin": "job",
        "reason": "trial",
    }
    yield {
        "do": "choose",
        "topic": "changes-of-direction",
        "option": rng.choice(("fittings", "bends-15", "bends-22")),
        "origin": "job",
        "reason": "trial",
    }
    document = {**station.model_dump(exclude_none=True), "at": (east + rng.choice((-50, 100)), north, up)}
    yield {"do": "put_station", "station": document}
    yield {"do": "set_state", "run": run.id, "state": rng.choice(("new", "keep", "remove"))}


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
        "heating": [
            (one.sections, one.loads, one.treads, one.volume, one.vessel, one.pump_head_pa) for one in design.heating
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

    def test_after_a_day_of_edits_all_is_as_if_made_afresh(self):
        for uid in ("lockhouse", "fernhollow", "olmo-vecchio"):
            rng = random.Random(uid)
            job, found = whole(uid), []
            for _ in range(3):
                for command in edits(job, rng):
                    job = apply(job, command, CATALOGUE)
                    found.append((command["do"], job, seen(job)))
            for did, made, warm in found:
                self.assertGreater(forget(), 5)
                cold = seen(made)
                for what, one in warm.items():
                    self.assertEqual(one == cold[what], True, f"{uid} after {did}: {what}")
