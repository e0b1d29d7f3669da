"""A boiler changed: its template, the steps in their order, what is read when it runs."""

from __future__ import annotations

import unittest
from typing import Any

from oikotherm.core.bench import find_tool
from oikotherm.core.catalogue import standard
from oikotherm.core.design import Design, derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.document import blank
from oikotherm.core.services.heating.boiler_change import commissioning, template_of
from oikotherm.core.services.heating.templates import commands_of
from oikotherm.core.work.plan import move

CATALOGUE = standard()
PIPES = (
    "F1 from OF cu-m 22: U400 S? E? U? -> BLR.flow",
    "RT1 from ORT cu-m 22: U300 S? E? U? -> BLR.return",
)


def changed(template: str = "combi", **data: Any) -> Design:
    """A boiler change as its template begins it, gas piped."""
    job = apply_all(blank("boiler-1", "Boiler", "british", "mm", ""), commands_of(template, "british"), CATALOGUE)
    boiler = job.station("BLR")
    assert boiler is not None
    kept = boiler.model_dump(exclude_none=True)
    put = {"do": "put_station", "station": {**kept, "data": {**kept["data"], **data}}}
    gas = {"do": "put_run", "text": "G1 from OG cu-m 22: U200 S? U? -> BLR.gas"}
    return derive(apply_all(job, [put, gas], CATALOGUE))


class TemplateTest(unittest.TestCase):
    def test_bracket_hole_and_fall(self) -> None:
        # 2,050 less 185; 100 and 10 to 20; 44 mm a metre through 320: 14.08
        found = template_of(2050, 185, 100, 320)
        self.assertEqual((found.bracket_mm, found.hole_mm), (1865, (110, 120)))
        self.assertAlmostEqual(found.fall_mm, 14.08)
        tool = find_tool("boiler_template").run({"flue_centre": "2.05m", "bracket_below": 185, "wall": 320})
        self.assertEqual((tool["bracket_mm"], tool["hole_most_mm"], tool["fall_mm"]), (1865, 120, 14.1))

    def test_measures_that_cannot_be_are_refused(self) -> None:
        for said in ((100, 50, 100, 300), (400, 500, 100, 300), (2000, 180, 20, 300), (2000, 180, 100, 5)):
            with self.subTest(said=said), self.assertRaises(Refused):
                template_of(*said)


class StepsTest(unittest.TestCase):
    def test_the_steps_stand_in_the_usual_order(self) -> None:
        design = changed(flue_centre_mm=2050, bracket_below_mm=185)
        order = [step.key for step in design.plan]
        at = {key: n for n, key in enumerate(order)}
        self.assertIn("drain:L0", at)
        for first, then in (
            ("mark-flow", "isolate"),
            ("look:BLR", "off:OLD"),
            ("off:OLD", "template:BLR"),
            ("template:BLR", "hang:BLR"),
            ("hang:BLR", "flue:BLR"),
            ("flue:BLR", "condensate:BLR"),
            ("pipe:G1", "bonding:BLR"),
            ("hang:BLR", "controls:BLR"),
        ):
            self.assertLess(at[first], at[then], (first, then))
        step = next(step for step in design.plan if step.key == "template:BLR")
        self.assertIn("Bracket 1865 mm above the floor", step.how)

    def test_it_is_flushed_before_it_is_filled_and_fires_when_all_is_made(self) -> None:
        design = changed()
        runs = [{"do": "put_run", "text": text} for text in PIPES]
        design = derive(apply_all(design.job, runs, CATALOGUE))
        order = [step.key for step in design.plan]
        for first, then in (
            ("proof", "flush"),
            ("flush", "fill"),
            ("controls:BLR", "hot"),
            ("bonding:BLR", "hot"),
            ("condensate:BLR", "hot"),
            ("hot", "commission:BLR"),
            ("commission:BLR", "handover"),
        ):
            self.assertLess(order.index(first), order.index(then), (first, then))
        with self.assertRaises(Refused) as refused:
            move(design.plan, "flush", "fill")
        self.assertIn("clean water", str(refused.exception))

    def test_without_an_old_house_nothing_is_flushed(self) -> None:
        job = apply_all(
            blank("boiler-2", "Boiler", "british", "mm", ""),
            [
                {"do": "add_station", "kind": "boiler", "level": "L0", "at": (0, 3000, 1200)},
                {"do": "put_run", "text": "from BLR.flow cu-m 22: D300 -> cap"},
            ],
            CATALOGUE,
        )
        keys = {step.key for step in derive(job).plan}
        self.assertIn("template:BLR", keys)
        self.assertEqual(keys & {"flush", "mark-flow", "look:BLR"}, set())


class CommissioningTest(unittest.TestCase):
    def test_lines_by_kind_of_boiler_with_what_is_expected(self) -> None:
        ((station, lines),) = commissioning(changed(input_w=30_000, output_w=28_000))
        self.assertEqual(station, "BLR")
        by = {one.key.rpartition(":")[2]: one for one in lines}
        # 30 / 10.7 = 2.80 m3/h; 28 x 14.3 / 35 = 11.44 L/min
        self.assertTrue(by["gas-rate"].expected.startswith("2.8 at 30 kW gross"))
        self.assertEqual(by["hot-litres"].expected, "11.4 at a rise of 35 K")
        self.assertIn("licensed", by["combustion"].says)
        ((_, plain),) = commissioning(changed("heat-only"))
        self.assertNotIn("hot-litres", {one.key.rpartition(":")[2] for one in plain})


if __name__ == "__main__":
    unittest.main()
