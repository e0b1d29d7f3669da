"""Pieces on stock lengths against full enumeration, ready nipples, the dry-fit ruler, hand calculation."""

from __future__ import annotations

import itertools
import random
import time
import unittest

from oikotherm.core.bench import find_tool
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.making.nipples import mix_of
from oikotherm.core.making.sticks import Layout, Part, Stock, lay_out
from oikotherm.core.quantity import INCH_MM
from oikotherm.core.supply import Offcut, Supply, stock_lengths
from oikotherm.demo import documents
from tests.jobs import design, whole
from tests.jobs import edit as edited


def least_cost(pieces: list[float], stock: list[Stock], kerf_mm: float) -> float:
    """The least cost by trying every way to put the pieces into lengths, one after the other."""
    best = float("inf")
    pieces = sorted(pieces, reverse=True)
    bars: list[tuple[int, list[float]]] = []
    left = [one.count for one in stock]

    def put(number: int, cost: float) -> None:
        nonlocal best
        if cost >= best:
            return
        if number == len(pieces):
            best = cost
            return
        tried = set()
        for which, inside in bars:
            if (which, tuple(inside)) in tried:
                continue
            tried.add((which, tuple(inside)))
            used = sum(inside) + len(inside) * kerf_mm + pieces[number]
            if used <= stock[which].length_mm + 1e-9:
                inside.append(pieces[number])
                put(number + 1, cost)
                inside.pop()
        for which, one in enumerate(stock):
            if pieces[number] > one.length_mm + 1e-9 or left[which] == 0:
                continue
            left[which] = None if left[which] is None else left[which] - 1  # type: ignore[operator]
            bars.append((which, [pieces[number]]))
            put(number + 1, cost + one.cost)
            bars.pop()
            left[which] = None if left[which] is None else left[which] + 1  # type: ignore[operator]

    put(0, 0.0)
    return best


CASES: tuple[tuple[list[float], list[Stock], float], ...] = (
    ([1500, 1500, 1500, 1500], [Stock(3000, 3000)], 0),
    ([1500, 1500, 1500, 1500], [Stock(3000, 3000)], 2),  # the saw makes two of them too long together
    ([2000, 1800, 1200, 1000, 1000, 900, 800], [Stock(3000, 3000)], 0),
    ([2400, 1900, 1100, 600, 600, 400], [Stock(3000, 3000)], 2),
    ([2900, 100, 2800, 200, 2700, 300], [Stock(3000, 3000)], 0),
    ([1850, 1120, 980, 640, 410], [Stock(3000, 3000), Stock(700, 0, 1, True)], 0),
    ([1400, 1300, 900, 700, 500, 300], [Stock(3000, 3000), Stock(1450, 0, 2, True)], 2),
    ([2500, 2500, 2500, 900, 800], [Stock(3000, 30), Stock(6000, 56)], 0),
    ([3048, 1524, 1524, 762, 762, 762], [Stock(3048, 32), Stock(6400.8, 61)], 0),
    ([482.6, 482.6, 317.5, 1143, 2006.6, 2540, 901.7], [Stock(3048, 3048), Stock(6400.8, 6400.8)], 0),
    ([1001, 1001, 999, 999, 1000, 1000], [Stock(3000, 3000)], 0),
    ([760, 760, 760, 740, 740, 740, 1500, 1500], [Stock(3000, 3000), Stock(800, 0, 1, True)], 0),
)


def random_case(rng: random.Random, many: int) -> tuple[list[float], list[Stock], float]:
    """Pieces, stock and kerf: one or two lengths to buy, perhaps offcuts."""
    stock = [Stock(3000, 3000)]
    if rng.random() < 0.6:
        stock.append(Stock(6000, rng.choice((5700, 6000, 6100))))
    if rng.random() < 0.5:
        stock.append(Stock(rng.randint(300, 1500), 0, rng.randint(1, 2), True))
    pieces = [float(rng.choice((rng.randint(100, 2990), rng.randint(100, 900)))) for _ in range(many)]
    return pieces, stock, rng.choice((0, 2))


def demo_lists() -> dict[str, list[float]]:
    """Pipe -> the cuts of the demos [mm], where there are a dozen or more."""
    cuts: dict[str, list[float]] = {}
    for job in documents():
        for cut in derive(job).cuts:
            cuts.setdefault(str(cut.pipe), []).append(cut.cut_mm)
    return {pipe: pieces for pipe, pieces in sorted(cuts.items()) if len(pieces) >= 12}


def drawn_case(rng: random.Random, lists: dict[str, list[float]]) -> tuple[list[float], list[Stock], float]:
    """12 to 30 cuts of one pipe on the lengths it is sold in; some with offcuts, some sawn."""
    pipe = rng.choice(list(lists))
    pieces = rng.sample(lists[pipe], min(len(lists[pipe]), rng.randint(12, 30)))
    stock = [Stock(mm, mm) for mm, _, _ in stock_lengths()[pipe.split()[0]]]
    if rng.random() < 0.4:
        stock += [Stock(float(rng.randint(400, 2500)), 0, 1, True) for _ in range(3)]
    return pieces, stock, rng.choice((0, 0, 2))


class SticksTest(unittest.TestCase):
    def sound(self, found: Layout, pieces: list[float], stock: list[Stock], kerf_mm: float) -> None:
        """Every piece once, no length overfull, rests and waste as they follow."""
        names = sorted(key for bar in found.bars for key in bar.pieces)
        self.assertEqual(names, sorted(str(n) for n in range(len(pieces))))
        for bar in found.bars:
            used = sum(pieces[int(key)] for key in bar.pieces)
            many = len(bar.pieces)
            self.assertLessEqual(used + (many - 1) * kerf_mm, bar.stock.length_mm + 1e-6)
            self.assertAlmostEqual(bar.rest_mm, max(0.0, bar.stock.length_mm - used - many * kerf_mm), places=3)
        self.assertAlmostEqual(found.waste_mm, sum(bar.stock.length_mm for bar in found.bars) - sum(pieces), places=3)
        for one in stock:
            if one.count is not None:
                self.assertLessEqual(
                    sum(bar.stock.length_mm == one.length_mm and bar.stock.offcut for bar in found.bars),
                    sum(two.count or 0 for two in stock if two.length_mm == one.length_mm and two.offcut),
                )

    def test_twelve_cases_by_full_enumeration(self) -> None:
        for number, (pieces, stock, kerf_mm) in enumerate(CASES):
            with self.subTest(case=number):
                found = lay_out([Part(str(n), one) for n, one in enumerate(pieces)], stock, kerf_mm)
                self.assertEqual(found.gap, 0)
                self.assertAlmostEqual(found.cost, least_cost(pieces, stock, kerf_mm), places=6)
                self.sound(found, pieces, stock, kerf_mm)

    def test_random_small_cases_by_full_enumeration(self) -> None:
        rng = random.Random(21)
        for _ in range(20):
            pieces, stock, kerf_mm = random_case(rng, 6)
            found = lay_out([Part(str(n), one) for n, one in enumerate(pieces)], stock, kerf_mm)
            self.assertAlmostEqual(found.cost, least_cost(pieces, stock, kerf_mm), places=6)
            self.sound(found, pieces, stock, kerf_mm)

    def test_twenty_jobs_of_up_to_thirty_pieces_are_proven(self) -> None:
        """Cut lists drawn from those of the demos, on the lengths their pipe is sold in; some with offcuts or sawn."""
        rng = random.Random(30)
        lists = demo_lists()
        lay_out([Part(name, 2) for name in "abc"], [Stock(5, 5), Stock(3, 4)])  # loads the solver
        slowest, many = 0.0, 0
        for number in range(20):
            pieces, stock, kerf_mm = drawn_case(rng, lists)
            began = time.process_time()
            found = lay_out([Part(str(n), one) for n, one in enumerate(pieces)], stock, kerf_mm)
            slowest = max(slowest, time.process_time() - began)
            many = max(many, len(pieces))
            self.assertEqual(found.gap, 0, number)
            self.sound(found, pieces, stock, kerf_mm)
        print(f"sticks: 20 jobs of up to {many} pieces, gap 0, the slowest {slowest:.2f} s", flush=True)
        self.assertLess(slowest, 1.0)

    def test_what_is_too_long_and_what_is_bought_ready(self) -> None:
        found = lay_out([Part("long", 3100), Part("a", 500, -10.0), Part("b", 500, 40.0)], [Stock(3000, 3000)])
        self.assertEqual((found.too_long, found.ready), (("long",), ("a", "b")))  # 40 is less than a stick
        found = lay_out([Part("a", 500, 4000.0), Part("b", 2500)], [Stock(3000, 3000)])
        self.assertEqual((found.ready, found.bars[0].pieces), ((), ("b", "a")))
        only = [Stock(800, 0, 1, True)]
        found = lay_out([Part("a", 700), Part("b", 600)], only)
        self.assertEqual((found.too_long, found.bars[0].pieces), (("a",), ("b",)))

    def test_a_time_limit_states_the_gap(self) -> None:
        rng = random.Random(5)
        pieces = [Part(str(n), float(rng.randint(900, 1700))) for n in range(60)]
        found = lay_out(pieces, [Stock(6000, 6000)], 0, limit_s=0.0)
        self.assertEqual(sum(len(bar.pieces) for bar in found.bars), 60)
        self.assertGreaterEqual(found.cost, found.bound)
        self.assertEqual(found.gap == 0, found.cost <= found.bound + 1e-6)


class JobSticksTest(unittest.TestCase):
    def test_every_piece_of_a_job_lies_on_one_length(self) -> None:
        made = design("F1 from A.out cu-m 15: U2100 E1800 N1500 W900 S700 U1400 -> cap")
        (pipe,) = made.materials.pipes
        self.assertEqual(sorted(k for bar in pipe.layout.bars for k in bar.pieces), sorted(c.key for c in made.cuts))
        self.assertEqual(pipe.layout.gap, 0)

    def test_offcuts_of_the_van_go_first(self) -> None:
        made = design("F1 from A.out cu-m 15: U900 E2000 -> cap")
        supply = Supply(offcuts=(Offcut("cu-m 15", 950.0), Offcut("cu-m 22", 2500.0)))
        (pipe,) = made.materials_from(supply).pipes
        self.assertEqual([(bar.stock.offcut, len(bar.pieces)) for bar in pipe.layout.bars], [(True, 1), (False, 1)])

    def test_a_piece_that_cannot_be_brought_in_is_coupled(self) -> None:
        free = design("F1 from A.out cu-m 15: U500 {loft} E2900 -> cap")
        tight = design("F1 from A.out cu-m 15: U500 {loft longest 1.6m} E2900 -> cap")
        kinds = [
            [fitting.kind for fitting in made.fitted.fittings.values()].count("coupling") for made in (free, tight)
        ]
        self.assertEqual(kinds, [0, 1])
        self.assertLessEqual(max(cut.cut_mm for cut in tight.cuts), 1600)
        whole_mm = [sum(cut.exact_mm for cut in made.cuts) for made in (free, tight)]
        self.assertAlmostEqual(whole_mm[0] - whole_mm[1], 1.5, places=6)  # between the stops of the coupling


class NipplesTest(unittest.TestCase):
    def test_against_every_mix(self) -> None:
        lengths = [INCH_MM * n for n in (1.5, 2, 3, 4, 5, 6, 8, 12, 24, 48, 72)]
        gap = 10.0
        for wanted in (60.0, 150.0, 333.0, 640.0, 1500.0, 2300.0, 3600.0):
            found = mix_of(wanted, lengths, gap)
            off = {
                many: min(
                    abs(sum(mix) + (many - 1) * gap - wanted)
                    for mix in itertools.combinations_with_replacement(lengths, many)
                )
                for many in (1, 2, 3, 4)
            }
            many = len(found.pieces_mm)
            self.assertEqual(found.couplings, many - 1)
            self.assertAlmostEqual(abs(found.off_mm), off[many], places=3)
            self.assertAlmostEqual(sum(found.pieces_mm) + (many - 1) * gap - wanted, found.off_mm, places=3)
            if many > 1 and abs(found.off_mm) > 0.8:
                self.assertLess(off[many], off[many - 1])

    def test_the_tool(self) -> None:
        one = find_tool("nipples").run({"pipe": "fe-40 3/4", "length": "6 in"})
        self.assertEqual((one["pieces_mm"], one["couplings"], one["off_mm"]), ([152.4], 0, 0))
        # 1.52 in of coupling less twice 0.553 in of thread = 0.414 in between the ends: 12 + 6 + 0.414
        two = find_tool("nipples").run({"pipe": "fe-40 3/4", "length": 18.414 * INCH_MM})
        self.assertEqual((two["pieces_mm"], two["couplings"]), ([304.8, 152.4], 1))
        self.assertAlmostEqual(two["gap_mm"], 0.414 * INCH_MM, places=2)
        for bad in ({"pipe": "cu-m 15", "length": 300}, {"pipe": "fe-40 3/4", "length": 5}):
            with self.assertRaises(Refused):
                find_tool("nipples").run(bad)


class DryFitTest(unittest.TestCase):
    def test_by_hand(self) -> None:
        """NPT 3/4: made up 0.553 in, hand-tight 0.339: 0.214 in (5.44 mm) a joint, two joints a leg."""
        path = [{"centres": 600, "fitting": "tee"}, {"centres": 450}, {"centres": 900, "fitting": "elbow"}]
        found = find_tool("dry_fit").run({"pipe": "fe-40 3/4", "path": path})
        self.assertAlmostEqual(found["hand_tight_mm"], 1950 + 6 * 0.214 * INCH_MM, places=3)
        self.assertEqual((found["made_up_mm"], found["drill_at_mm"]), (1950, 1950))
        self.assertAlmostEqual(found["steps"][0]["hand_tight_mm"], 600 + 2 * 0.214 * INCH_MM, places=3)
        for size, a_joint in (("1/2", 5.4), ("3/4", 5.4), ("1", 6.6)):  # as the trade has it
            one = find_tool("dry_fit").run({"pipe": f"fe-40 {size}", "path": [{"centres": 500}]})
            self.assertAlmostEqual(one["too_far_mm"] / 2, a_joint, delta=0.05)

    def test_a_run_in_the_house(self) -> None:
        """From a port up, then east: the elbow stands two joints too high, the cap's place two too far east as well."""
        from oikotherm.core.work.dry_fits import dry_fits

        made = design(
            "F1 from A.out fe-40 3/4: U500 E700 -> cap", end="NPT 3/4 female", practice="north-american", unit="in"
        )
        ((run, rows),) = dry_fits(made)
        gain = 2 * 0.214 * INCH_MM
        self.assertEqual(run, "F1")
        elbow, cap = rows
        self.assertAlmostEqual(elbow.off.z, gain, places=3)
        self.assertAlmostEqual(cap.off.x, gain, places=3)
        self.assertAlmostEqual(cap.off.z, gain, places=3)
        self.assertEqual(dry_fits(design("F1 from A.out cu-m 15: U500 E700 -> cap")), ())


class ToolTest(unittest.TestCase):
    def test_sticks_as_said(self) -> None:
        said = {"pipe": "cu-m 15", "stock": [3000], "pieces": [1500, "1.5 m", 1000], "kerf": 0, "offcuts": []}
        found = find_tool("sticks").run(said)
        self.assertEqual([one["pieces_mm"] for one in found["sticks"]], [[1500, 1500], [1000]])
        self.assertEqual((found["waste_mm"], found["gap"], found["bought_mm"]), (2000, 0, 6000))
        labelled = find_tool("sticks").run(
            {"pipe": "cu-m 15", "stock": ["3 m"], "pieces": [{"length": 900, "label": "F1-A", "count": 3}], "kerf": 2}
        )
        self.assertEqual(labelled["sticks"][0]["labels"], ["F1-A", "F1-A", "F1-A"])
        self.assertEqual(labelled["sticks"][0]["rest_mm"], 294)

    def test_bad_input_says_what_was_expected(self) -> None:
        tool = find_tool("sticks")
        for bad in (
            {"pipe": "cu-m 15", "pieces": []},
            {"pipe": "cu-m 15", "pieces": [0]},
            {"pipe": "cu-m 15", "pieces": ["long"]},
            {"pipe": "vent-sw 4", "pieces": [300]},
            {"pipe": "cu-m 15", "pieces": [300], "kerf": 50},
            {"pipe": "cu-m 15", "pieces": [{"length": 5, "count": 200}] * 3},
            {"pipe": "cu-m 15", "pieces": [300], "offcuts": [-4]},
        ):
            with self.subTest(bad=bad), self.assertRaises(Refused) as caught:
                tool.run(bad)
            self.assertTrue(caught.exception.expected)


class ShiftTest(unittest.TestCase):
    def test_a_leg_is_shifted_within_its_band_and_back(self) -> None:
        job = design("F1 from A.out cu-m 15: U500 E3000+-150 -> cap").job
        leg = job.run("F1").items[1]  # type: ignore[union-attr]
        moved = edited(job, {"do": "shift_leg", "run": "F1", "item": leg.id, "length_mm": 3085})
        self.assertEqual(moved.run("F1").items[1].shifted_mm, 3085)  # type: ignore[union-attr]
        back = edited(moved, {"do": "shift_leg", "run": "F1", "item": leg.id, "length_mm": None})
        self.assertEqual(back, job)
        for far in (2800, 3151):
            with self.assertRaises(Refused):
                edited(job, {"do": "shift_leg", "run": "F1", "item": leg.id, "length_mm": far})
        with self.assertRaises(Refused):
            edited(job, {"do": "shift_leg", "run": "F1", "item": job.run("F1").items[0].id, "length_mm": 500})  # type: ignore[union-attr]
        set_anew = edited(moved, {"do": "set_leg", "run": "F1", "item": leg.id, "length_mm": 3100})
        self.assertEqual(set_anew.run("F1").items[1].shift_mm, 0)  # type: ignore[union-attr]

    def test_demo_trunk_floats(self) -> None:
        legs = [item for item in whole("fernhollow").run("G1").items if getattr(item, "band_mm", None)]  # type: ignore[union-attr]
        self.assertEqual(len(legs), 16)


if __name__ == "__main__":
    unittest.main()
