"""The three packs: what they answer, their faces, page numbers, contents, scales."""

from __future__ import annotations

import io
import re
import unittest
from contextlib import closing
from datetime import date

from pypdf import PdfReader

from oikotherm.core.catalogue import standard
from oikotherm.core.design import derive
from oikotherm.core.job.commands import apply
from oikotherm.core.memory import Memory
from oikotherm.core.supply import Supply
from oikotherm.core.work.care import shut_off_rows, top_up
from oikotherm.demo.firm import load_demo
from oikotherm.exchange.in_force import context_of
from oikotherm.exchange.pack import pack_of
from oikotherm.exchange.packs import PACKS, Firm, pack_for
from oikotherm.exchange.site import records_of
from oikotherm.store import jobs, people, supply, van
from oikotherm.store.database import connect
from tests.web.test_web import WebCase

DAY = date(2026, 3, 2)


class PacksTest(WebCase):
    """The demo as `demo` loads it, with the work of its firm."""

    memory = Memory()  # one for all: the designs are the same

    def setUp(self) -> None:
        super().setUp()
        with closing(connect(self.app.config["DATABASE"])) as conn:
            conn.execute("DELETE FROM job")
            conn.execute("DELETE FROM job_text")
            conn.commit()
            load_demo(conn, self.memory)

    def made(self, uid: str, whom: str) -> tuple[bytes, list[str]]:
        head = jobs.head(self.conn, uid)
        design = derive(head.job, context_of(self.conn, uid, self.memory))
        pack = pack_of(design, head.rev, records_of(self.conn, uid), DAY)
        firm = Firm((("site lead", "H-12"),))
        data = pack_for(whom, design, pack, {}, Supply(), firm)
        if whom == "customer":
            self.assertEqual(data, pack_for(whom, design, pack, {}, Supply(), firm))
        return data, [" ".join(page.extract_text().split()) for page in PdfReader(io.BytesIO(data)).pages]

    def test_the_customers_pack_answers_alone(self) -> None:
        """Where to shut the water, how to top up, when the next visit is due, on two to four pages."""
        for uid in ("lockhouse", "fernhollow", "olmo-vecchio"):
            _, pages = self.made(uid, "customer")
            text = " ".join(pages)
            self.assertIn(len(pages), (2, 3, 4))
            design = derive(jobs.head(self.conn, uid).job)
            rows = [one for one in shut_off_rows(design) if one.service == "water"]
            whole = {one.says.partition(":")[0] for one in rows if one.whole}
            if uid == "lockhouse":  # the WC hangs on an old main of its own, which no valve here shuts
                self.assertEqual(whole, set())
                self.assertIn("Water, no one valve here shuts all of it", text)
            else:
                self.assertIn(f"Water, all of it: {max(rows, key=lambda one: one.off).says.partition(':')[0]}", text)
            self.assertIn("When the next visit is due", text)
            self.assertRegex(text, rf"Next: \d{{4}}-\d\d-\d\d, Service {'WH' if uid == 'fernhollow' else 'BLR'}")
            if uid != "fernhollow":  # which has no heating circuit
                for line in top_up(design):
                    self.assertIn(" ".join(line.split()), text)
            self.assertNotIn("proves nothing", text)
            self.assertIn("site lead, licence H-12", text)

    def test_a_piece_shorter_than_nothing_is_printed(self) -> None:
        """Two elbows nearer than their own lengths leave a piece below nothing: a finding, and no pack is stopped."""
        job = apply(
            jobs.head(self.conn, "lockhouse").job,
            {"do": "put_run", "text": "from BLR.flow cu-m 22: W300 N10 W300 -> cap"},
            standard(),
        )
        design = derive(job)
        self.assertLess(min(cut.cut_mm for cut in design.cuts), 0)
        pack = pack_of(design, 1, [], DAY)
        for whom in PACKS:
            self.assertTrue(pack_for(whom, design, pack, {}, Supply(), Firm(())).startswith(b"%PDF"), whom)

    def test_pages_are_numbered_and_contents_lead_to_them(self) -> None:
        for whom in ("inspector", "fitter"):
            _, pages = self.made("lockhouse", whom)
            for number, page in enumerate(pages, 1):
                self.assertIn(f"page {number} of {len(pages)}", page)
                self.assertIn(f"{PACKS[whom].lower()}, revision 1", page)
            heads = {"inspector": ("Findings let stand", "Tests"), "fitter": ("Cut list, 124 cuts", "Piece cards, 124")}
            for head in heads[whom]:
                told = re.search(rf"(\d+) {head}", pages[0])  # as the text is taken out of the page
                self.assertIsNotNone(told, head)
                self.assertIn(head, pages[int(told[1]) - 1])  # type: ignore[index]

    def test_drawings_state_their_scale_and_every_face_is_embedded(self) -> None:
        data, pages = self.made("lockhouse", "inspector")
        self.assertRegex(" ".join(pages), r"plan 1:\d+")
        fonts = set()
        for page in PdfReader(io.BytesIO(data)).pages:
            for font in (page["/Resources"].get("/Font") or {}).values():  # type: ignore[union-attr]
                one = font.get_object()
                fonts.add(one["/BaseFont"])
                self.assertIn("/FontFile2", one["/FontDescriptor"], one["/BaseFont"])
        self.assertTrue(any("Atkinson" in name for name in fonts))

    def test_each_has_its_address(self) -> None:
        for whom in PACKS:
            answer = self.client.get(f"/jobs/lockhouse/handover/for-{whom}.pdf")
            self.assertEqual((answer.status_code, answer.mimetype), (200, "application/pdf"))
        self.assertEqual(self.client.get("/jobs/lockhouse/handover/for-me.pdf").status_code, 404)

    def test_what_the_firm_has_and_did(self) -> None:
        self.assertGreater(len(van.tools(self.conn)), 5)
        self.assertGreater(len(supply.prices(self.conn)), 60)
        due = [row["due_on"] for row in people.instruments(self.conn) if row["due_on"]]
        self.assertTrue(min(due) < max(due))
        pack = pack_of(derive(jobs.head(self.conn, "lockhouse").job), 1, records_of(self.conn, "lockhouse"), DAY)
        outcomes = {test["outcome"] for proof in pack["proofs"] for test in proof["tests"]}
        self.assertEqual(outcomes, {"pass", "fail", "proves nothing"})
        self.assertTrue(any(step["done"] for step in pack["plan"]))
        self.assertGreater(sum(bool(joint["made"]) for joint in pack["joints"]), 10)
        before = len(records_of(self.conn, "lockhouse"))
        with closing(connect(self.app.config["DATABASE"])) as conn:
            load_demo(conn, self.memory)
        self.assertEqual(len(records_of(self.conn, "lockhouse")), before)


if __name__ == "__main__":
    unittest.main()
