"""Edits: pure, refused with reason, and careful of what hangs on what they change."""

import random
import unittest

from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply, summary
from oikotherm.core.job.complete import complete
from oikotherm.core.job.document import write
from tests.jobs import CATALOGUE, STYLE, demo, edit, job, paced


def keys(found):
    """Every stable key of a design; couplings come and go with the length of a straight."""
    every = {*found.fitted.pieces, *found.fitted.fittings, *found.fitted.joints}
    return {key for key in every if "/join" not in key and not key.split("/pipe/")[1:]}


class RunTest(unittest.TestCase):
    def test_ids_and_roles_come_from_the_anchor(self):
        made = demo()
        self.assertEqual(
            [(run.id, run.role, run.service) for run in made.runs][:2],
            [("F1", "flow", "heating"), ("F2", "flow", "heating")],
        )
        again = edit(
            demo(), {"do": "remove_run", "id": "F2"}, {"do": "put_run", "text": "from F1.T1 cu-m 15: S500 -> stub"}
        )
        self.assertEqual(again.runs[-1].id, "F2")

    def test_a_bare_name_must_be_the_only_one(self):
        with self.assertRaises(Refused) as caught:
            edit(demo(), {"do": "put_run", "text": "from T1 cu-m 15: S500 -> stub"})
        self.assertIn("F1.T1, RT1.T1", caught.exception.expected)
        self.assertEqual(caught.exception.where, (5, 7))

    def test_unknown_anchor_part_and_id_in_use_are_refused_at_their_word(self):
        for text, word in (
            ("from BLR.flaw cu-m 22: U5", "BLR.flaw"),
            ("F9 from BLR.flow cu-m 22: U5 [isso] U5", "[isso]"),
            ("from BLR.flow cu-m 22: U5 -> R9.left", "R9.left"),
        ):
            with self.subTest(text=text), self.assertRaises(Refused) as caught:
                edit(demo(), {"do": "put_run", "text": text})
            self.assertEqual(text[slice(*caught.exception.where)], word)
        with self.assertRaises(Refused):
            edit(demo(), {"do": "put_run", "run": "F2", "text": "F3 from F1.T1 cu-m 15: S500"})

    def test_losing_a_used_tee_leaves_the_child_adrift_where_it_was(self):
        before = derive(demo())
        at = before.pipework.runs["F2"].start
        made = edit(demo(), {"do": "put_run", "run": "F1", "text": before.texts["F1"].replace("*T1 ", "")})
        child = made.run("F2")
        self.assertEqual(child.last_start, tuple(at))
        found = derive(made)
        self.assertEqual(found.pipework.runs["F2"].adrift, "start")
        self.assertEqual(tuple(found.pipework.runs["F2"].start), tuple(at))
        # retyping the run that is adrift does not need its start to exist
        again = edit(made, {"do": "retype_item", "run": "F2", "item": child.items[1].id, "text": "S2900"})
        self.assertEqual(again.run("F2").start, "F1.T1")
        # and when the tee is back, the run is home
        home = edit(again, {"do": "put_run", "run": "F1", "text": before.texts["F1"]})
        self.assertIsNone(home.run("F2").last_start)
        self.assertEqual(derive(home).pipework.runs["F2"].adrift, "")

    def test_a_run_renamed_takes_its_children_along(self):
        line = derive(demo()).texts["F1"].replace("F1 from", "F7 from")
        made = edit(demo(), {"do": "put_run", "run": "F1", "text": line})
        self.assertEqual([run.start for run in made.runs[:3]], ["BLR.flow", "F7.T1", "F7.T2"])

    def test_a_tee_goes_in_so_far_along(self):
        made = edit(
            paced("from A.out cu-m 15: U500 E2000 N300 -> cap"), {"do": "put_tee_at", "run": "F1", "at": "1.85 m"}
        )
        self.assertEqual(derive(made).texts["F1"], "F1 from A.out cu-m 15: U500 E1350 *T1 E650 N300 -> cap")
        for at in (500, 0, 99999, "x"):
            with self.subTest(at=at), self.assertRaises(Refused):
                edit(made, {"do": "put_tee_at", "run": "F1", "at": at})

    def test_chips_can_be_typed_over_taken_out_and_multiplied(self):
        made = paced("from A.out cu-m 15: U500 E2000 N300 -> cap")
        item = made.runs[0].items[1].id
        for text, line in (
            ("E1900", "U500 E1900 N300"),
            ("", "U500 N300"),
            ("E900 [iso] E1100", "U500 E900 [iso] E1100 N300"),
            ("# low beam", "U500 # low beam; N300"),
        ):
            changed = edit(made, {"do": "retype_item", "run": "F1", "item": item, "text": text})
            self.assertEqual(derive(changed).texts["F1"], f"F1 from A.out cu-m 15: {line} -> cap")
        with self.assertRaises(Refused) as caught:
            edit(made, {"do": "retype_item", "run": "F1", "item": item, "text": "E90 X2"})
        self.assertEqual(caught.exception.where, (4, 6))
        put = edit(made, {"do": "insert_item", "run": "F1", "after": None, "text": "[iso]"})
        self.assertIn(": [iso] U500", derive(put).texts["F1"])


class KeysTest(unittest.TestCase):
    def test_an_edit_of_one_item_keeps_every_other_key(self):
        rng = random.Random(7)
        pool = ["N500", "E600", "S700", "W800", "U450", "D350", "[iso]", "*T#", "(wall 220)", "{floor}", "NE900"]
        for _ in range(250):
            words = [rng.choice(pool).replace("#", str(n)) for n in range(rng.randrange(2, 12))]
            made = paced(
                f"F1 from A.out cu-m 15: U1000 {' '.join(words)} E1000 -> cap",
                "F2 from A.out cu-m 15: N600 E300 -> cap",
            )
            run = made.run("F1")
            before = keys(derive(made))
            target = rng.choice(run.items)
            kind = rng.choice(("change", "insert", "delete"))
            if kind == "change":
                legs = [item for item in run.items if item.kind == "leg"]
                target = rng.choice(legs)
                after = edit(
                    made, {"do": "set_leg", "run": "F1", "item": target.id, "length_mm": target.length_mm + 137}
                )
                self.assertEqual(keys(derive(after)), before)
                continue
            if kind == "insert":
                after = edit(
                    made,
                    {
                        "do": "insert_item",
                        "run": "F1",
                        "after": target.id,
                        "text": rng.choice(("[iso]", "# here", "*X1", ".P1")),
                    },
                )
            else:
                after = edit(made, {"do": "retype_item", "run": "F1", "item": target.id, "text": ""})
            kept = {item.id for item in after.run("F1").items}
            self.assertEqual(
                kept,
                {item.id for item in run.items} - ({target.id} if kind == "delete" else set())
                | (kept - {i.id for i in run.items}),
            )
            now = keys(derive(after))
            spot = _neighbours(run.items, target)
            # what vanished belongs to the item itself or stands at the very spot that was edited
            for gone in before - now:
                self.assertIn(
                    gone.split("/")[0], {target.id, *spot}, f"{kind} of {target} in {derive(made).texts['F1']}"
                )
            self.assertTrue({key for key in before if key.startswith(("A.", "F2"))} <= now)


def _neighbours(items, target):
    """Ids of the items from the leg before a spot to the leg after it: their turn, close piece or joint may go with an
    edit there."""
    at = items.index(target)
    low = at
    while low > 0 and (items[low].kind != "leg" or low == at):
        low -= 1
    high = at
    while high < len(items) - 1 and (items[high].kind != "leg" or high == at):
        high += 1
    return {item.id for item in items[low : high + 1]}


class HouseTest(unittest.TestCase):
    def test_stations_come_with_the_ports_of_the_practice(self):
        for practice, end in (
            ("british", "comp-cu 22 socket"),
            ("continental", "press-cu 22 socket"),
            ("north-american", "NPT 3/4 female"),
        ):
            made = edit(job(practice), {"do": "add_station", "kind": "boiler", "level": "L0", "at": (0, 0, 1000)})
            self.assertEqual(derive(made).pipework.ports["BLR.flow"].end, end)
        stub = {
            "do": "add_station",
            "kind": "stub",
            "level": "L0",
            "at": (0, 0, 0),
            "end": "cu-m 22 pipe",
            "role": "cold",
            "facing": "up",
        }
        made = edit(job(), stub, {"do": "put_run", "text": "from STB.end cu-m 22: U300 -> cap"})
        self.assertEqual(made.runs[0].id, "C1")
        self.assertEqual([cut.exact_mm for cut in derive(made).cuts], [300 - 1.5])  # less the gap in the coupling

    def test_what_cannot_be_is_refused_and_nothing_changes(self):
        made = demo()
        before = write(made)
        for command in (
            {"do": "remove_level", "id": "L0"},
            {"do": "remove_level", "id": "L9"},
            {"do": "add_station", "kind": "boiler", "level": "L9", "at": (0, 0, 0)},
            {"do": "add_station", "kind": "boiler", "level": "L0", "at": (0, 0, 0), "id": "F1"},
            {"do": "dance"},
            {"do": "put_run"},
            [],
            None,
            "put_run",
            {"do": "put_level", "level": {"id": "L2", "name": "x", "floor_mm": 100, "ceiling_mm": 50}},
            {"do": "choose", "topic": "metal-joining", "option": "glue"},
            {"do": "set_leg", "run": "F1", "item": "i3", "length_mm": 5},
            {"do": "set_job", "practice": "martian"},
            {"do": "set_job", "title": ""},
            {"do": "put_run", "text": "from F1.T1 cu-m 15: S1", "run": "F1"},
            {"do": "move_station", "id": "BLR", "by": [1e9, 0, 0]},
        ):
            with self.subTest(command=command), self.assertRaises(Refused):
                apply(made, command, CATALOGUE)
        self.assertEqual(write(made), before)

    def test_summaries_say_what_was_done(self):
        self.assertEqual(
            summary([{"do": "remove_run", "id": "F2"}, {"do": "put_run", "text": "F3 from A.b cu-m 15: N1"}]),
            "remove run F2; put run F3 from A.b cu-m 15",
        )


class CompleteTest(unittest.TestCase):
    def words(self, text, caret=None):
        return [one.text for one in complete(demo_without_f2(), text, len(text) if caret is None else caret, STYLE)]

    def test_what_could_come_next(self):
        self.assertEqual(self.words("from F")[0], "F1.T1")
        self.assertIn("cu-m", self.words("from F1.T1 c"))
        self.assertIn("15:", self.words("from F1.T1 cu-m "))
        self.assertEqual(self.words("from F1.T1 cu-m 15: S500 [is"), ["iso]"])
        self.assertIn("R1.left", self.words("from F1.T1 cu-m 15: S500 -> R"))
        self.assertEqual(self.words("from F1.T1 cu-m 15: S500 {lo"), ["loft}", "floor}"])
        self.assertIn("22", self.words("from F1.T1 cu-m 15: S500 =cu-m "))
        self.assertEqual(self.words("from F1.T1 cu-m 15: S500 "), ["-> R1.left"])  # the one free flow port

    def test_no_text_upsets_it(self):
        rng, made = random.Random(3), demo()
        for _ in range(2000):
            text = "".join(rng.choice("from FT1.:=->[]{}()*cu-m 15 W850é") for _ in range(rng.randrange(40)))
            for one in complete(made, text, rng.randrange(50), STYLE):
                self.assertTrue(0 <= one.start <= one.end <= len(text))


def demo_without_f2():
    return edit(demo(), {"do": "remove_run", "id": "F2"})
