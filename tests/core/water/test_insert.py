"""An assembly cut into an old pipe: the row added up by hand, its small job from blank to pack of steps."""

from __future__ import annotations

import unittest

from oikotherm.core.catalogue import standard
from oikotherm.core.design import Design, derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.document import blank
from oikotherm.core.job.model import Pipe
from oikotherm.core.services.rooms import small_jobs
from oikotherm.core.services.water.assembly_insert import insert
from oikotherm.core.work.small import sheets_of
from oikotherm.core.work.small_jobs import JobSheet, read_answers

CU22, CU_L = Pipe(code="cu-m", size="22"), Pipe(code="cu-l", size="3/4")


class InsertTest(unittest.TestCase):
    def test_a_row_by_hand(self) -> None:
        """22 press: coupling 1.5 between its stops, isolating valves 28, double check 290; pieces between press and
        compression and between two compressions. What is cut out is all of them; the slip waits on 48 of old pipe."""
        found = insert(standard(), CU22, "press", "dc", 900.0)
        self.assertEqual(found.words, ("coupling", "iso", "double-check", "iso", "slip"))
        whole = 1.5 + 28 + 290 + 28 + sum(found.stack.pieces_mm)
        self.assertAlmostEqual(found.cut_out_mm, whole, places=6)
        first, second = found.stack.pieces_mm[:2]
        self.assertAlmostEqual(found.assembly_at_mm, 1.5 + first + 28 + second + 145, delta=0.06)
        self.assertEqual(found.slides_mm, 48.0)
        self.assertTrue(found.stack.last.title.startswith("22 slip coupling"))
        self.assertTrue(min(found.stack.pieces_mm) >= 43 + 5)

    def test_pipe_that_springs_apart_takes_a_plain_coupling(self) -> None:
        found = insert(standard(), CU22, "compression", "dc", 900.0, play_mm=30.0)
        self.assertEqual(found.words[-1], "coupling")
        self.assertEqual(found.slides_mm, 0.0)

    def test_too_little_room_says_what_is_wanted(self) -> None:
        least = insert(standard(), CU22, "press", "rpz", 2000.0, strainer=True)
        need = least.cut_out_mm + least.slides_mm
        self.assertAlmostEqual(
            insert(standard(), CU22, "press", "rpz", need, strainer=True).cut_out_mm, least.cut_out_mm
        )
        with self.assertRaises(Refused) as caught:
            insert(standard(), CU22, "press", "rpz", need - 1, strainer=True)
        self.assertIn(f"{need:.0f} mm at least", caught.exception.expected)
        with self.assertRaises(Refused):
            insert(standard(), Pipe(code="pexa", size="3/4"), "expansion", "dc", 900.0)
        with self.assertRaises(Refused):
            insert(standard(), CU22, "press", "hose", 900.0)


class SmallTest(unittest.TestCase):
    def begun(self, practice: str, **said: str) -> tuple[Design, JobSheet]:
        kind, catalogue = small_jobs()["assembly"], standard()
        unit = "in" if practice == "north-american" else "mm"
        job = blank("assembly-1", "An assembly", practice, unit, "")
        answers = read_answers(kind, said, catalogue, job.practice, job.pace_unit)
        design = derive(kind.begin(job, answers, catalogue))
        return design, sheets_of(design)[0][1]

    def test_drawn_as_it_is_said(self) -> None:
        """The row on the drawing: pieces as the row has them but for the gap a slip coupling leaves; no finding; the
        assembly in the middle; a reduced-pressure one with its drain under it."""
        for practice, said in (
            ("british", {"hazard": "3"}),
            ("british", {"hazard": "4", "joined": "solder"}),
            ("continental", {"hazard": "low", "joined": "compression", "play": "30"}),
            ("north-american", {"hazard": "high", "pushes": "on", "joined": "solder"}),
        ):
            with self.subTest(practice=practice, **said):
                design, sheet = self.begun(practice, **said)
                self.assertEqual([one.rule for one in design.findings], [])
                inch = practice == "north-american"
                kind = "rpz" if said["hazard"] in ("4", "high") or practice == "continental" else "dc"
                found = insert(
                    standard(),
                    CU_L if inch else CU22,
                    {"solder": "capillary"}.get(said.get("joined", "press"), said.get("joined", "press")),
                    kind,
                    900.0,
                    strainer=True,
                    play_mm=float(said.get("play", 2)),
                )
                cuts = [cut.cut_mm for cut in design.cuts]
                self.assertEqual(len(cuts), len(found.stack.pieces_mm))
                for cut, piece in zip(cuts, found.stack.pieces_mm, strict=True):
                    self.assertAlmostEqual(cut, piece, delta=1.6)
                self.assertAlmostEqual(sheet.figures["cut_out_mm"], found.cut_out_mm)
                texts = " ".join(row.text for row in sheet.rows)
                self.assertEqual("Air gap" in texts, kind == "rpz")
                self.assertEqual(kind == "rpz", any(one.id == "TUN" for one in design.job.stations))

    def test_figures_by_hand(self) -> None:
        """22 mm holds 0.3205 L a metre: 6 m hold 1.923 L. Double check at 0.5 L/s: 14 kPa and (1.8 / 17)^2 bar."""
        _, sheet = self.begun("british", hazard="3")
        self.assertAlmostEqual(sheet.figures["litres"], 1.923, places=3)
        self.assertAlmostEqual(sheet.figures["drop_pa"], 14_000 + (1.8 / 17) ** 2 * 1e5, delta=1)

    def test_what_no_assembly_keeps_back_is_refused(self) -> None:
        for hazard in ("1", "5"):
            with self.assertRaises(Refused):
                self.begun("british", hazard=hazard)


if __name__ == "__main__":
    unittest.main()
