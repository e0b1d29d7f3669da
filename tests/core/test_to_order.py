"""To order: all pipe of the cut list, all fittings of the joints, all that is used up, counted again here."""

from __future__ import annotations

import math
import re
import unittest
from collections import Counter

from oikotherm.core.design import Design, derive
from oikotherm.core.making.order import alternatives
from oikotherm.core.services import spec
from oikotherm.core.supply import Price, Supply
from oikotherm.core.work.variants import joining_ways, variant_of
from oikotherm.demo import documents

from ..jobs import CATALOGUE, design, edit, paced

COUNTED = ("elbow", "elbow45", "tee", "coupling", "reducer", "cap", "plug", "device", "kit")
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
        (coil,) = made.materials.pipes
        self.assertAlmostEqual(coil.total_mm, sum(cut.cut_mm for cut in made.cuts), delta=0.5)
        self.assertEqual((coil.pieces, coil.form, coil.bought), (2, "coil", ((30480.0, 1),)))

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
                ordered = {one.pipe: one.total_mm for one in made.materials.pipes}
                self.assertEqual(set(ordered), set(pipe_mm))
                for pipe, total in pipe_mm.items():
                    self.assertAlmostEqual(ordered[pipe], total, delta=0.5 * len(made.cuts))
                lying = [key for one in made.materials.pipes for bar in one.layout.bars for key in bar.pieces]
                lying += [key for one in made.materials.pipes for key in (*one.layout.too_long, *one.layout.ready)]
                self.assertEqual(sorted(lying), sorted(cut.key for cut in made.cuts))
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

    def test_the_order_is_cut_list_joints_supports_and_consumables(self) -> None:
        """Every line counted again: pipe bought holds the pieces; fittings, clips and what is used up as the joints and
        supports have them; stations that are hung; nothing twice, nothing beside."""
        for job in documents():
            made = derive(job)
            order = made.order(Supply())
            groups = dict(order.groups)
            with self.subTest(job=job.uid):
                self.assertEqual(len({(line.group, line.item) for line in order.lines}), len(order.lines))
                pieces_mm: Counter[str] = Counter()
                for cut in made.cuts:
                    pieces_mm[str(cut.pipe)] += max(cut.cut_mm, 0.0)  # type: ignore[assignment]
                bought_mm: Counter[str] = Counter()
                for line in groups["Pipe"]:
                    if not line.item.startswith("floor coil"):
                        bought_mm[line.title] += line.order * line.pack * 1000  # type: ignore[assignment]
                nipples_mm: Counter[str] = Counter()
                for line in groups.get("Ready nipples", ()):
                    _, code, size, length = line.item.split()
                    nipples_mm[f"{code} {size}"] += float(length) * line.order  # type: ignore[assignment]
                self.assertEqual(set(pieces_mm), set(bought_mm) | set(nipples_mm))
                for pipe, need_mm in pieces_mm.items():
                    self.assertGreaterEqual(bought_mm[pipe] + nipples_mm[pipe], need_mm - 1)
                counted: Counter[str] = Counter()
                for fitting in made.fitted.fittings.values():
                    if fitting.new and fitting.kind in COUNTED:
                        counted[fitting.title] += 1
                    for _, chain in fitting.chains if fitting.new else ():
                        for link in chain.links:
                            counted[link.title if link.part else "stub"] += 1
                listed: Counter[str] = Counter()
                for group in ("Fittings", "Valves and devices", "Transitions"):
                    for line in groups.get(group, ()):
                        listed["stub" if " stub of " in line.title else line.title] += round(line.takes)
                self.assertEqual(listed, counted)
                for line in (*groups["Fittings"], *groups.get("Valves and devices", ())):
                    self.assertGreaterEqual(line.order * line.pack, line.takes + line.spare)
                    self.assertLess((line.order - 1) * line.pack, line.takes + line.spare)
                clips = sum(line.takes for line in groups["Supports"] if not line.item.startswith("screw"))
                self.assertEqual(clips, sum(run.count for run in made.supports))
                used = {
                    line.item: line.takes
                    for group in ("Used up", "Lagging", "Supports")
                    for line in groups.get(group, ())
                }
                self.assertEqual(used, {one.title: one.count for one in made.materials.consumables})
                hung = sum(line.takes for line in groups["Appliances and emitters"])
                new = [one for one in job.stations if one.state == "new"]
                fitted = [one for one in new if one.kind not in ("supply", "stub", "outlet")]
                self.assertEqual(hung, sum(spec.kind(one.kind).set_up != "" for one in fitted))

    def test_van_prices_and_packs(self) -> None:
        """Seven elbows and one spare, five on the van: a pack of ten; at 1.20 a piece 12.00."""
        made = design("F1 from A.out cu-m 22: U500 E500 N500 W500 U500 E500 N500 W500 -> cap", end="cap-cu 22 socket")
        line = next(one for one in made.order(Supply()).lines if one.item == "cap-elbow-22")
        self.assertEqual((line.takes, line.spare, line.order, line.pack, line.cost), (7, 1, 1, 10, None))
        supply = Supply(
            on_van=(("cap-elbow-22", 5),),
            prices=(Price("cap-elbow-22", 1.2), Price("stick cu-m 22 3000", 30.0, in_stock=False, days=3)),
        )
        order = made.order(supply)
        line = next(one for one in order.lines if one.item == "cap-elbow-22")
        self.assertEqual((line.on_van, line.order, line.cost), (5, 1, 12.0))
        stick = next(one for one in order.lines if one.item == "stick cu-m 22 3000")
        self.assertEqual((stick.order, stick.cost, stick.missing), (2, 60.0, True))
        self.assertEqual(order.cost, 72.0)
        enough = made.order(Supply(on_van=(("cap-elbow-22", 8),)))
        self.assertEqual(next(one for one in enough.lines if one.item == "cap-elbow-22").order, 0)
        self.assertIn("press-elbow-22", alternatives(CATALOGUE, "cap-elbow-22"))

    def test_one_way_beside_another(self) -> None:
        """Solder and press of the same run: as many fittings, solder takes longer (6 against 2 minutes a joint)."""
        made = design("F1 from A.out cu-m 22: U500 E500 N500 -> cap", end="cap-cu 22 socket")
        found = joining_ways(made, lambda job: derive(job, made.context))
        ways = {title: variant_of(one, Supply(hour=60.0), title, present=mine) for title, one, mine in found}
        self.assertEqual(sum(one.present for one in ways.values()), 1)
        solder, press = ways["solder"], ways["press"]
        self.assertGreater(solder.minutes, press.minutes)
        self.assertAlmostEqual(solder.work or 0, solder.minutes, places=2)
        self.assertEqual(solder.joints, press.joints)


if __name__ == "__main__":
    unittest.main()
