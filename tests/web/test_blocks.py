"""Long lists come in blocks: every row in exactly one, a block ends where a run ends, nothing is sent that is not
looked at."""

import re
import unittest

from benchmarks.building import building
from oikotherm.core.design import derive
from oikotherm.store import jobs
from oikotherm.store.database import writing
from oikotherm.web.blocks import MOST_ROWS, in_blocks
from tests.web.test_web import WebCase


class BlocksTest(unittest.TestCase):
    def test_a_short_list_is_shown_whole(self):
        rows = [("F1", n) for n in range(MOST_ROWS)]
        found = in_blocks(rows, lambda row: row[0])
        self.assertEqual((found.rows, found.blocks), (rows, ()))

    def test_blocks_hold_every_row_once_and_end_with_a_group(self):
        rows = [(f"F{run}", n) for run in range(60) for n in range(run % 7 + 1)]
        first = in_blocks(rows, lambda row: row[0])
        seen = [row for one in first.blocks for row in in_blocks(rows, lambda row: row[0], one.key).rows]
        self.assertEqual(seen, rows)
        for one in first.blocks:
            part = in_blocks(rows, lambda row: row[0], one.key).rows
            self.assertLessEqual(len(part), MOST_ROWS)
            others = {row[0] for row in rows if row not in part}
            self.assertFalse({row[0] for row in part} & others)

    def test_a_group_longer_than_a_block_is_cut(self):
        rows = [("F1", n) for n in range(5)] + [("F2", n) for n in range(250)]
        found = in_blocks(rows, lambda row: row[0])
        self.assertEqual([one.count for one in found.blocks], [5, 100, 100, 50])

    def test_the_block_with_what_is_wanted_is_shown(self):
        rows = [(f"F{run}", n) for run in range(100) for n in range(9)]
        found = in_blocks(rows, lambda row: row[0], wanted=lambda row: row[0] == "F77")
        self.assertIn(("F77", 0), found.rows)
        for odd in ("", "0", "99999999999", "x", "-1", "\u0663"):
            self.assertEqual(in_blocks(rows, lambda row: row[0], odd).shown, "1", odd)


class LargeJobTest(WebCase):
    def setUp(self):
        super().setUp()
        self.job = building(40)
        with writing(self.conn):
            jobs.create(self.conn, self.job, "large")

    def page(self, path):
        return self.client.get(f"/jobs/building/{path}").text

    def rows(self, page, start, pattern):
        """What is in the rows of a list, over all its blocks."""
        first = self.page(page)
        blocks = list(dict.fromkeys(re.findall(rf'href="/jobs/building/{start}part=(\d+)"', first)))
        self.assertGreater(len(blocks), 1, page)
        found = []
        for key in blocks:
            part = re.findall(pattern, self.page(f"{page}{'&' if '?' in page else '?'}part={key}"))
            self.assertTrue(0 < len(part) <= MOST_ROWS, f"{page} {key}: {len(part)}")
            found += part
        return found

    def test_joints_and_pieces_are_each_in_one_block(self):
        design = derive(self.job)
        joints = self.rows("joints", r"joints\?", r'data-key="([^"]+)" data-label')
        self.assertEqual(sorted(joints), sorted(design.fitted.joints))
        pieces = self.rows("make", r"make\?", r'<tr id="([^"]+)"')
        self.assertEqual(pieces, list(design.piece_labels.values()))
        run = self.job.runs[-1].id
        self.assertIn(f'data-label="{run}-01"', self.page(f"joints?of={run.lower()}"))

    def test_the_headline_counts_all_and_an_edit_keeps_the_block(self):
        design = derive(self.job)
        self.assertRegex(self.page("joints"), rf'data-total="{len(design.fitted.joints)}"\s+data-elsewhere="0"')
        run = self.job.runs[-1]
        leg = next(item for item in run.items if item.kind == "leg" and item.length_mm)
        command = {"do": "set_leg", "run": run.id, "item": leg.id, "length_mm": leg.length_mm + 5}
        sent = {"rev": 1, "page": "make", "part": "2", "commands": [command]}
        cuts = self.client.post("/jobs/building/edit", json=sent).json["fragments"]["cuts"]
        shown = re.findall(r'<tr id="([^"]+)"', self.page("make?part=2"))
        self.assertEqual(re.findall(r'<tr id="([^"]+)"', cuts), shown)

    def test_a_part_of_a_large_list_comes_when_it_is_asked_for(self):
        one_pipe = self.page("make/sticks?pipe=cu-m+22")
        self.assertEqual(one_pipe.count('class="flat-sheet stick-bars"'), 1)
        self.assertIn("corners", self.client.get("/jobs/building/make/corners").json["fragments"])


if __name__ == "__main__":
    unittest.main()
