"""What is remembered from one edit to the next must be what would be made afresh."""

import ast
import contextlib
import random
import sys
import threading
import unittest
from dataclasses import replace
from pathlib import Path

from benchmarks.building import building
from oikotherm.core.catalogue import parse_end, standard
from oikotherm.core.catalogue.measured import BookRow, overlay
from oikotherm.core.context import Context
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply
from oikotherm.core.job.model import Leg, Measured, Tee
from oikotherm.core.joints.chain import Ask
from oikotherm.core.joints.finder import find
from oikotherm.core.memory import ENTRY_BYTES, Memory, size_bytes
from oikotherm.core.pipework.water import traps
from oikotherm.core.services import rooms, spec
from oikotherm.core.services.heating.sizing import heating_of
from oikotherm.core.services.rooms import ServiceRoom
from tests.counts import cases
from tests.jobs import CATALOGUE, edit, paced, port, station, whole


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
    yield {"do": "put_house", "text": "room XYZ on L0 Store: 0,0 9000x9000 flameless"}
    if tee:
        override = {"target": f"{tee.id}/tee", "field": "method", "value": "compression", "reason": "trial"}
        yield {"do": "put_override", "override": override}
        yield {"do": "remove_override", "target": f"{tee.id}/tee", "field": "method"}
    yield {"do": "remove_run", "id": other.id}


def seen(job, context=None):
    """All that an edit is answered with, but the objects it shares with the pipework."""
    design = derive(job, context)
    fitted = design.fitted
    catalogue = design.context.catalogue
    return {
        "pieces": fitted.pieces,
        "joints": fitted.joints,
        "fittings": fitted.fittings,
        "troubles": sorted(map(repr, fitted.troubles)),
        "cuts": design.cuts,
        "findings": [(one.rule, one.where, one.says) for one in design.findings],
        "flow": design.flow,
        "traps": traps(design.pipework, frozenset(design.pipework.nodes), fitted.spans, catalogue),
        "heating": [
            (one.sections, one.loads, one.pressure_steps, one.volume, one.vessel, one.pump_head_pa)
            for one in heating_of(design)
        ],
    }


class MemoryTest(unittest.TestCase):
    def test_it_makes_once_and_forgets_what_was_not_asked_for_longest(self):
        made = []
        memory = Memory(40_000)
        one, other = object(), object()

        def ask(thing, value):
            return memory.keep("test", (thing,), value, lambda: made.append((thing, value)) or "x" * 1_000)

        for value in (1, 1, 2):
            ask(one, value)
        self.assertEqual(made, [(one, 1), (one, 2)])
        for value in range(3, 80):
            ask(one, 1)  # in use all the time
            ask(other, value)
        self.assertEqual(made.count((one, 1)), 1)
        self.assertLessEqual(memory.held_bytes, 40_000)
        self.assertGreater(len(memory), 20)
        ask(one, 2)  # not asked for since: made again
        self.assertEqual(made.count((one, 2)), 2)
        memory.forget()
        self.assertEqual((len(memory), memory.held_bytes), (0, 0))
        ask(one, 1)
        self.assertEqual(made.count((one, 1)), 2)

    def test_what_gives_nothing_is_remembered_and_what_fails_is_not(self):
        made = []
        memory = Memory()
        for _ in range(2):
            self.assertIsNone(memory.keep("test", (made,), "none", lambda: made.append("none")))
            with self.assertRaises(ZeroDivisionError):
                memory.keep("test", (made,), "fails", lambda: made.append("fails") or 1 / 0)
        self.assertEqual(made, ["none", "fails", "fails"])

    def test_an_input_is_held_so_that_what_comes_after_is_not_taken_for_it(self):
        memory = Memory()
        for number in range(2_000):  # each list may well lie where the one before it lay
            self.assertEqual(memory.keep("test", ([number],), None, lambda number=number: number), number)

    def test_its_estimate_is_near_what_is_held(self):
        memory, rng = Memory(), random.Random(5)
        for number in range(500):
            memory.keep("lists", (), number, lambda: [rng.random() for _ in range(rng.randrange(40))])
        held = sum(size_bytes(entry.result) for entry in memory._entries.values()) + 500 * ENTRY_BYTES
        self.assertAlmostEqual(memory.held_bytes / held, 1.0, delta=0.25)

    def test_a_long_collection_is_measured_by_a_sample_of_its_members(self):
        rng = random.Random(11)
        for thing in (
            [[rng.random() for _ in range(rng.randrange(60))] for _ in range(4_000)],
            {number: (str(number), [rng.random()]) for number in range(4_000)},
            tuple({"name": f"{number}", "at": (rng.random(),) * 3} for number in range(4_000)),
        ):
            members = thing.items() if isinstance(thing, dict) else [(0, one) for one in thing]
            whole = sys.getsizeof(thing) + sum(size_bytes(one) for pair in members for one in pair)
            self.assertAlmostEqual(size_bytes(thing) / whole, 1.0, delta=0.2)

    def test_threads_get_the_same_object(self):
        memory, thing, found = Memory(), object(), []
        gate = threading.Barrier(8)

        def ask():
            gate.wait()
            for value in range(200):
                found.append(memory.keep("test", (thing,), value, lambda value=value: [value]))

        threads = [threading.Thread(target=ask) for _ in range(8)]
        for one in threads:
            one.start()
        for one in threads:
            one.join()
        for value in range(200):
            self.assertEqual(len({id(one) for one in found if one == [value]}), 1)

    def test_a_copy_of_a_job_has_an_index_of_its_own(self):
        job = whole()
        other = job.model_copy(update={"runs": job.runs[:1]})
        gone = job.runs[-1].id
        self.assertIsNotNone(job.run(gone))
        self.assertIsNone(other.run(gone))

    def test_no_module_keeps_what_is_derived(self):
        for path in sorted((Path(__file__).parents[2] / "oikotherm").rglob("*.py")):
            tree = ast.parse(path.read_text("utf-8"))
            for node in ast.walk(tree):
                if isinstance(node, ast.FunctionDef) and any(
                    "cache" in ast.unparse(one) for one in node.decorator_list
                ):
                    named = [ast.unparse(one) for one in node.decorator_list]
                    if named not in (["cached_property"], ["functools.cached_property"]):
                        takes = node.args.args + node.args.kwonlyargs + node.args.posonlyargs
                        self.assertEqual(takes, [], f"{path.name}: {node.name} is cached by the module")
                if isinstance(node, ast.Call) and ast.unparse(node.func) == "id" and path.name != "memory.py":
                    self.fail(f"{path.name}:{node.lineno} asks for an id()")

    def check(self, uid, found):
        """Jobs by what was done to them, as they were seen while the memory was warm: the same when nothing is
        remembered."""
        for did, made, warm in found:
            cold = seen(made)
            for what, one in warm.items():
                self.assertEqual(one == cold[what], True, f"{uid} after {did}: {what}")

    def test_after_a_day_of_edits_all_is_as_if_made_afresh(self):
        for uid in ("lockhouse", "fernhollow", "olmo-vecchio"):
            rng = random.Random(uid)
            job, found, context = whole(uid), [], Context()
            for _ in range(cases(1, 3)):
                for command in edits(job, rng):
                    job = apply(job, command, CATALOGUE)
                    found.append((command["do"], job, seen(job, context)))
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
            context = Context()
            seen(before, context)
            after = edit(before, command)
            self.assertEqual([item.id for item in after.runs[0].items], [item.id for item in before.runs[0].items])
            self.check("renamed", [(command["do"], after, seen(after, context))])

    def test_so_it_is_after_runs_are_cut_joined_and_taken_out(self):
        done = set()
        for start in (whole("lockhouse"), whole("fernhollow"), whole("olmo-vecchio"), building(4)):
            rng = random.Random(start.uid)
            job, found, context = start, [], Context()
            for _ in range(cases(1, 2)):
                for command in rarer_edits(job, rng):
                    try:
                        job = apply(job, command, CATALOGUE)
                    except Refused:
                        continue  # not every command fits every run
                    found.append((command["do"], job, seen(job, context)))
                    done.add(command["do"])
            self.check(start.uid, found)
        self.assertGreaterEqual(len(done), 9)


TOY = spec.ServiceSpec(
    "air",
    "Air",
    (spec.Role("air", "A", "air", 30.0, 8e5, ("#3b7a78", "#7fd0cc"), (6, 3), "A", phase="gas"),),
    like="gas",
)
BOOK_ROWS = (
    ("socket cu 15 capillary", "z_mm"),
    ("socket cu 22 capillary", "z_mm"),
    ("socket cu 22 press", "insertion_mm"),
    ("socket cu 15 compression", "z_mm"),
    ("bender cu-m 15", "radius_mm"),
    ("device iso cu 22", "reach_mm"),
    ("device drain cu 15", "reach_mm"),
    ("thread npt 3/4", "made_up_mm"),
    ("kit tail-g12", "reach_out_mm"),
    ("part comp-reducer-22x15", "gap_mm"),
    ("part cap-reducer-22x15", "gap_mm"),
)
TRANSITIONS = (
    ("cu-m 22 pipe", "cu-m 15 pipe"),
    ("cu-m 22 pipe", "G 3/4 male flat"),
    ("fe-40 3/4 pipe", "cu-l 3/4 pipe"),
)


class ChangingContextTest(unittest.TestCase):
    """One memory under many firms: what it gives is what an empty one gives, whatever was asked before."""

    def book(self, rng):
        rows = rng.sample(BOOK_ROWS, rng.randint(1, 4))
        return tuple(BookRow(part, field, round(rng.uniform(8, 70), 1)) for part, field in rows)

    def answers(self, context):
        """What the finder says of some ends."""
        for one, other in TRANSITIONS:
            ask = Ask(parse_end(one), parse_end(other), "heating", stock=context.stock)
            yield find(ask, context.catalogue, context.memory, explain=False)

    def test_many_books_in_a_row(self):
        rng = random.Random(40)
        memory, jobs = Memory(), [whole("olmo-vecchio"), whole("fernhollow")]
        count = cases(4, 40)
        books = [self.book(rng) for _ in range(count)]
        first = {}
        for number, rows in enumerate((*books, *books[:3])):
            warm = Context(overlay(CATALOGUE, rows, memory), memory=memory)
            answers, job = list(self.answers(warm)), jobs[number % 2]
            cuts = [cut.cut_mm for cut in derive(job, warm).cuts]
            if number % 4 == 0 or number > count - 4:
                cold = Context(overlay(CATALOGUE, rows))
                self.assertEqual(answers, list(self.answers(cold)), f"book {number}")
                self.assertEqual(cuts, [cut.cut_mm for cut in derive(job, cold).cuts], f"book {number}")
            first.setdefault((rows, job.uid), cuts)
            self.assertEqual(cuts, first[rows, job.uid])
            self.assertLessEqual(memory.held_bytes, memory.most_bytes)
        self.assertGreater(len({tuple(cuts) for cuts in first.values()}), count // 4)

    def change(self, job, context, rng):
        """One change of what a job is worked out with: the book, own rows, the van, choices, practice, a run's service,
        an edit."""
        what = rng.choice(("book", "own", "van", "practice", "service", "edit", "edit"))
        if what == "book":
            context = replace(context, catalogue=overlay(CATALOGUE, self.book(rng), context.memory))
        elif what == "own":
            rows = tuple(Measured(part=row.part, field=row.field, value=row.value) for row in self.book(rng))
            job = job.model_copy(update={"measured": rows if rng.random() < 0.7 else ()})
        elif what == "van":
            parts = rng.sample(sorted(CATALOGUE.parts), 40)
            context = replace(context, stock=tuple(sorted((part, rng.randint(1, 9)) for part in parts)))
        elif what == "practice":
            job = job.model_copy(update={"practice": rng.choice(("british", "continental", "north-american"))})
        elif what == "service":
            roles = [role.id for role in spec.roles()]
            number = rng.randrange(len(job.runs))
            run = job.runs[number].model_copy(update={"role": rng.choice(roles)})
            run = run.model_copy(update={"service": spec.service_of(run.role)})
            job = job.model_copy(update={"runs": (*job.runs[:number], run, *job.runs[number + 1 :])})
        else:
            command = rng.choice(list(edits(job, rng)))
            with contextlib.suppress(Refused):
                job = apply(job, command, context.catalogue, context.memory)
            what = command["do"]
        return what, job, context

    def test_random_changes_of_all_a_job_is_worked_out_with(self):
        memory = Memory(30_000_000)  # small enough that it has to forget on the way
        for uid in ("lockhouse", "fernhollow", "olmo-vecchio"):
            rng = random.Random(f"context {uid}")
            job, context = whole(uid), Context(memory=memory)
            done = set()
            for number in range(9):
                what, job, context = self.change(job, context, rng)
                done.add(what)
                warm = seen(job, context), list(self.answers(context))
                if number % 2:
                    continue
                cold = Context(
                    overlay(standard(), ()) if context.catalogue is CATALOGUE else context.catalogue,
                    stock=context.stock,
                )
                again = seen(job, cold), list(self.answers(cold))
                for name, one in warm[0].items():
                    self.assertEqual(one == again[0][name], True, f"{uid} after {what}: {name}")
                self.assertEqual(warm[1], again[1], f"{uid} after {what}")
            self.assertGreaterEqual(len(done), 5)
        self.assertLessEqual(memory.held_bytes, memory.most_bytes)

    def test_a_service_that_comes_and_goes_leaves_nothing_behind(self):
        memory = Memory()
        context, job = Context(memory=memory), whole("fernhollow")
        before = seen(job, context)
        for _ in range(2):
            take_back = rooms.register(ServiceRoom(spec=TOY))
            self.addCleanup(take_back)
            self.assertEqual(seen(job, context)["cuts"], before["cuts"])
            take_back()
            again = seen(job, context)
            self.assertEqual({name: one == again[name] for name, one in before.items()}, dict.fromkeys(before, True))


if __name__ == "__main__":
    unittest.main()
