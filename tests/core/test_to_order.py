"""To order: all pipe of the cut list, all fittings of the joints, all that is used up, counted again here."""

from __future__ import annotations

import math
import re
import unittest
from collections import Counter

from oikotherm.core.design import Design, derive
from oikotherm.demo import documents

from ..jobs import CATALOGUE, design, edit, paced

# every kind of joint once; figures by hand below
PLASTIC = "F1 from A.out cu-m 15: U500 =pb-m 15 U500 E500 N500 -> stub"


def by_title(made: Design) -> dict[str, float]:
    return {one.title: one.count for one in made.materials.consumables}


class ByHandTest(unittest.TestCase):
    def test_copper_to_plastic(self) -> None:
        """Port by compression, a transition of two push-fit ends or one of compression, two plastic elbows."""
        made = design(PLASTIC, end="comp-cu 15 socket")
        joints = Counter((joint.method, joint.pipe) for joint in made.fitted.joints.values())
        self.assertEqual(joints["push-fit", "pb-m 15"] + joints["compression-plastic", "pb-m 15"], 5)
        count = by_title(made)
        self.assertEqual(count["15 pipe insert for pb-m"], 5)
        self.assertEqual(count["15 olive, brass"], joints["compression", "cu-m 15"])
        self.assertEqual(count.get("15 olive, copper", 0), joints["compression-plastic", "pb-m 15"])
        self.assertEqual(count["temporary cap for pb-m 15"], 1)

    def test_solder_is_a_diameter_a_socket(self) -> None:
        made = design("F1 from A.out cu-m 22: U500 E500 N500 -> cap", end="cap-cu 22 socket")
        # one at the port, two at each of two elbows, one at the cap: six of 22 mm
        self.assertAlmostEqual(by_title(made)["solder"], 6 * 0.022, places=6)

    def test_tape_is_turns_round_the_pipe(self) -> None:
        job = paced("F1 from A.out fe-m 3/4: U500 E500 -> cap", end="Rp 3/4 female")
        made = derive(edit(job, {"do": "choose", "topic": "water-thread-seal", "option": "tape"}))
        # port, elbow twice, cap: four, five turns round 26.9 mm
        self.assertAlmostEqual(by_title(made)["thread tape"], 4 * 5 * math.pi * 0.0269, places=4)

    def test_sleeves_nuts_and_clamp_sets(self) -> None:
        expansion = design(
            "F1 from A.out pexa 3/4: U500 E500 -> stub", end="exp-pexa 3/4 socket", practice="north-american"
        )
        self.assertEqual(by_title(expansion)["3/4 expansion sleeve"], 3)
        flare = derive(paced("W1 from A.out cu-soft 15: U500 E500 -> stub", end="flare-45 15 male"))
        made = [joint for joint in flare.fitted.joints.values() if joint.method == "flare"]
        self.assertEqual(by_title(flare).get("15 flare nut", 0), len(made))

    def test_lagging_sleeves_and_coils(self) -> None:
        made = design(
            "F1 from A.out pexa 3/4: {loft lag 13} U2000 (wall 100 sleeve) E3000 -> stub",
            end="exp-pexa 3/4 socket",
            practice="north-american",
        )
        count = by_title(made)
        self.assertEqual(count["lagging 13 mm for 22 mm pipe"], 5)  # 2 + 3 m
        self.assertEqual(count["sleeve for pexa 3/4"], 1)
        (coil,) = made.materials.lengths
        self.assertAlmostEqual(coil.total_mm, sum(cut.cut_mm for cut in made.cuts), delta=0.5)
        self.assertEqual((coil.pieces, coil.coil_m, coil.coils), (2, 30.48, 1))

    def test_what_shuts_a_tee(self) -> None:
        made = design(
            "F1 from A.out fe-40 3/4: U500 *T1:E plug U500 -> cap", end="NPT 3/4 female", practice="north-american"
        )
        self.assertEqual(by_title(made)["3/4 plug for a tee"], 1)


class DemosTest(unittest.TestCase):
    """Counted again from the joints and pieces of every demo."""

    def test_everything_of_the_cut_list_is_ordered(self) -> None:
        for job in documents():
            made = derive(job)
            with self.subTest(job=job.uid):
                pipe_mm: Counter[str] = Counter()
                for cut in made.cuts:
                    pipe_mm[str(cut.pipe)] += max(cut.cut_mm, 0.0)  # type: ignore[assignment]
                ordered = {one.pipe: one.total_mm for one in (*made.materials.sticks, *made.materials.lengths)}
                self.assertEqual(set(ordered), set(pipe_mm))
                for pipe, total in pipe_mm.items():
                    self.assertAlmostEqual(ordered[pipe], total, delta=0.5 * len(made.cuts))
                self.assertEqual(
                    sum(len(bar) for one in made.materials.sticks for bar in one.bars)
                    + sum(len(one.too_long) for one in made.materials.sticks)
                    + sum(one.pieces for one in made.materials.lengths),
                    len(made.cuts),
                )
                made_of = Counter(fitting.kind for fitting in made.fitted.fittings.values() if fitting.new)
                links = sum(
                    len(chain.links)
                    for fitting in made.fitted.fittings.values()
                    if fitting.new
                    for _, chain in fitting.chains
                )
                plain = sum(
                    made_of[kind]
                    for kind in ("elbow", "elbow45", "tee", "coupling", "reducer", "cap", "plug", "device", "kit")
                )
                self.assertEqual(sum(line.count for line in made.materials.parts), plain + links)

    def test_what_is_used_up_follows_from_the_joints(self) -> None:
        for job in documents():
            made = derive(job)
            count = by_title(made)
            joints = list(made.fitted.joints.values())
            with self.subTest(job=job.uid):
                olives = sum(number for title, number in count.items() if "olive, brass" in title)
                self.assertEqual(olives, sum(joint.method == "compression" for joint in joints))
                washers = sum(number for title, number in count.items() if "washer" in title)
                self.assertEqual(washers, sum(joint.method == "washer" for joint in joints))
                wire = sum(
                    math.ceil(CATALOGUE.pipe(*joint.pipe.split()).od_mm)  # type: ignore[union-attr, arg-type]
                    for joint in joints
                    if joint.method == "capillary"
                )
                self.assertAlmostEqual(count.get("solder", 0.0), wire / 1000, places=6)
                clips = sum(number for title, number in count.items() if re.search("clip|hook|strap", title))
                self.assertEqual(clips, sum(run.count for run in made.supports))
                lagged = sum(number for title, number in count.items() if title.startswith("lagging"))
                metres = sum(
                    made.fitted.spans[key][1].minus(made.fitted.spans[key][0]).length / 1000
                    for key, straight in made.pipework.straights.items()
                    if straight.lag_mm and next(run for run in job.runs if run.id == straight.run).state == "new"
                )
                self.assertGreaterEqual(lagged, metres)
                self.assertLess(lagged, metres + 6)


if __name__ == "__main__":
    unittest.main()
