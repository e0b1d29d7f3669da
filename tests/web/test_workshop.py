"""Sticks, cards and materials: pages and paper, offcuts, prices by CSV or from the stand-in, what was used."""

from __future__ import annotations

import csv
import io
import json
import re
import threading
import unittest
import urllib.request
from html import unescape

from pypdf import PdfReader

from oikotherm.core.design import derive
from oikotherm.core.supply import Supply
from oikotherm.exchange.merchant import stand_in
from oikotherm.exchange.workshop import SHEETS, workshop_pdf
from oikotherm.store import jobs, supply
from oikotherm.store.database import writing
from tests.jobs import design, whole
from tests.web.test_web import WebCase

MM = 72 / 25.4


def pages_of(data: bytes) -> list[str]:
    return [" ".join(page.extract_text().split()) for page in PdfReader(io.BytesIO(data)).pages]


class WorkshopCase(WebCase):
    def setUp(self):
        super().setUp()
        with writing(self.conn):
            jobs.create(self.conn, whole("fernhollow"), "demo")

    def page(self, path: str, uid: str = "fernhollow") -> str:
        answer = self.client.get(f"/jobs/{uid}/make/{path}")
        self.assertEqual(answer.status_code, 200)
        return unescape(answer.text)

    def send(self, form, status: int = 303, uid: str = "fernhollow"):
        answer = self.client.post(f"/jobs/{uid}/make/materials", data=form, content_type="multipart/form-data")
        self.assertEqual(answer.status_code, status)
        return unescape(answer.text)


class SticksPageTest(WorkshopCase):
    def test_every_piece_is_on_a_bar_or_bought(self) -> None:
        page = self.page("sticks")
        made = derive(whole("fernhollow"))
        ready = {key for pipe in made.materials.pipes for key, _ in pipe.ready}
        drawn = set(re.findall(r'class="fs-pipe" data-key="([^"]+)"', page))
        self.assertEqual(drawn | ready, {cut.key for cut in made.cuts})
        self.assertFalse(drawn & ready)
        self.assertIn("2 sticks of 21'0\", 5 ready nipples; no layout takes less", page)
        self.assertIn("Shop ticket", page)
        self.assertIn("Dry-fit ruler", page)

    def test_floating_legs_are_asked_for_and_accepted(self) -> None:
        self.assertIn("16 legs may float", self.page("sticks"))
        page = self.page("sticks?floats=ask")
        self.assertIn("threads to cut", page)
        commands = json.loads(re.search(r'data-commands="(\[.*?\])"', page)[1])  # type: ignore[index]
        self.assertTrue(all(one["do"] == "shift_leg" for one in commands))
        answer = self.client.post("/jobs/fernhollow/edit", json={"rev": 1, "page": "make", "commands": commands})
        self.assertEqual(answer.status_code, 200)
        self.assertIn("as it stands is the best", self.page("sticks?floats=ask"))
        self.assertIn("@13", unescape(self.client.get("/jobs/fernhollow/pace").text))

    def test_offcuts_and_kerf_of_the_van(self) -> None:
        for form in (
            {"what": "offcut", "pipe": "fe-40 3/4", "length": "9 ft", "count": "2"},
            {"what": "cutting", "kerf_mm": "2", "useful_mm": "300", "hour": "48"},
        ):
            self.assertEqual(self.client.post("/van", data=form).status_code, 303)
        page = self.page("sticks")
        self.assertIn("2 offcuts of the van", page)
        self.assertIn("The saw takes 2 mm", page)
        for form, word in (
            ({"what": "offcut", "pipe": "fe-40 9", "length": "900", "count": "1"}, "a size of fe-40"),
            ({"what": "offcut", "pipe": "fe-40 3/4", "length": "-5", "count": "1"}, "above 0"),
            ({"what": "offcut", "pipe": "fe-40 3/4", "length": "900", "count": "x"}, "whole number"),
            ({"what": "cutting", "kerf_mm": "99"}, "0 to 20"),
            ({"what": "cutting", "hour": "much"}, "a number"),
        ):
            answer = self.client.post("/van", data=form)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(word, unescape(answer.text))
        self.client.post("/van", data={"what": "offcut", "pipe": "fe-40 3/4", "length": "2743.2", "count": "0"})
        self.assertNotIn("2 offcuts of the van", self.page("sticks"))


class PaperTest(WorkshopCase):
    def test_every_piece_has_a_card_and_a_label(self) -> None:
        for uid in ("lockhouse", "fernhollow"):
            made = derive(whole(uid))
            for what in ("cards", "labels"):
                pages = pages_of(workshop_pdf(made, Supply(), what))
                words = " ".join(pages).split()
                for label in made.piece_labels.values():
                    if any(made.piece_labels[cut.key] == label for cut in made.cuts):
                        self.assertIn(label, words, what)
            self.assertEqual(len(pages_of(workshop_pdf(made, Supply(), "cards"))), -(-len(made.cuts) // 8))

    def test_strips_are_at_full_size(self) -> None:
        """One bend, R of the former: the mark stands as far from the square end on the paper as on the pipe."""
        made = design("F1 from A.out cu-m 15: U100 E300 -> cap", end="cap-cu 15 socket", turns="bends-22")
        data = workshop_pdf(made, Supply(), "strips")
        (page,) = PdfReader(io.BytesIO(data)).pages
        lines = [
            (float(a), float(b), float(c), float(d))
            for a, b, c, d in re.findall(
                r"([\d.]+) ([\d.]+) m ([\d.]+) ([\d.]+) l",
                page.get_contents().get_data().decode("latin-1"),  # type: ignore[union-attr]
            )
        ]
        check = max(abs(c - a) for a, b, c, d in lines if abs(b - d) < 0.01 and abs(c - a) < 120 * MM)
        self.assertAlmostEqual(check, 100 * MM, delta=0.02)
        mark = made.cuts[0].marks[0].at_mm
        tall = sorted(a for a, b, c, d in lines if abs(a - c) < 0.01 and abs(abs(d - b) - 14.5 * MM) < 0.05)
        self.assertAlmostEqual(tall[0], (14 + mark) * MM, delta=0.05)

    def test_what_there_is_not(self) -> None:
        self.assertEqual(self.client.get("/jobs/fernhollow/make/plans.pdf").status_code, 404)
        for what in SHEETS:
            answer = self.client.get(f"/jobs/fernhollow/make/{what}.pdf")
            self.assertEqual((answer.status_code, answer.mimetype), (200, "application/pdf"))
            self.assertEqual(answer.data, self.client.get(f"/jobs/fernhollow/make/{what}.pdf").data)


class MaterialsTest(WorkshopCase):
    def test_the_stand_in_merchant_answers(self) -> None:
        server = stand_in(0, 0.2, lambda _: None)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        url = f"http://127.0.0.1:{server.server_port}"
        self.assertIn("things to buy, no price yet", self.page("materials"))
        self.send({"what": "merchant", "merchant": url})
        page = self.page("materials")
        self.assertIn("from simulated merchant", page)
        self.assertIn("not in stock", page)
        order = derive(whole("fernhollow")).order(supply.supply(self.conn))
        self.assertGreater(order.cost, 100)
        self.assertTrue(order.missing)
        self.assertIn(f"<b>{order.cost:.2f}</b>", page)
        rows = list(csv.DictReader(io.StringIO(self.client.get("/jobs/fernhollow/make/materials.csv").text)))
        self.assertAlmostEqual(sum(float(row["cost"] or 0) for row in rows), order.cost, places=2)
        self.assertEqual(len(rows), len(order.lines))
        bad = urllib.request.Request(f"{url}/quote", b"{}", method="POST")  # noqa: S310 - the stand-in of this test
        with self.assertRaises(urllib.error.HTTPError) as caught:
            urllib.request.urlopen(bad, timeout=5)  # noqa: S310
        self.assertEqual(caught.exception.code, 400)
        caught.exception.close()

    def test_only_this_machine_is_asked(self) -> None:
        for url in ("http://10.0.0.5:80", "https://127.0.0.1", "file:///etc/hosts", "http://example.org"):
            self.assertIn("on this machine", self.send({"what": "merchant", "merchant": url}, 422))
        self.assertIn("a merchant that answers", self.send({"what": "merchant", "merchant": "http://127.0.0.1:9"}, 422))

    def test_a_price_list(self) -> None:
        def file(text: str) -> dict[str, object]:
            return {"what": "prices-file", "file": (io.BytesIO(text.encode()), "prices.csv")}

        self.send(file("item,price,in_stock,days\nstick fe-40 3/4 6400.8,61.5,yes,\nthread tape,2.10,no,4\n"))
        page = self.page("materials")
        self.assertIn("123.00", page)  # two sticks
        self.assertIn("not in stock, 4 days", page)
        for text, word in (
            ("a,b\n1,2\n", "columns item and price"),
            ("item,price\nsolder,dear\n", "line 2, price"),
            ("item,price,in_stock\nsolder,2,perhaps\n", "yes, no or nothing"),
            ("item,price\n", "a line with an item"),
        ):
            self.assertIn(word, self.send(file(text), 422))
        self.client.post("/van", data={"what": "forget-prices", "source": "price list"})
        self.assertIn("no price yet", self.page("materials"))

    def test_used_against_planned(self) -> None:
        self.send({"what": "used", "item": "thread-elbow-3/4", "title": "3/4 elbow thread", "count": "18"})
        self.send({"what": "used", "item": "thread-elbow-3/4", "title": "3/4 elbow thread", "count": "17"})
        page = self.page("materials")
        self.assertRegex(page, r'value="17">.{0,40}<small>\+1</small>')
        self.assertIn("how many were used", self.send({"what": "used", "item": "x", "count": "some"}, 422))
        self.assertIn("merchant, prices-file or used", self.send({"what": "steal"}, 422))

    def test_one_way_beside_another(self) -> None:
        page = self.page("materials?beside=joints", "lockhouse")
        table = page[page.index('class="table variants"') :]
        self.assertEqual(table.count("<tr"), 5)  # a head and four ways
        self.assertIn("as it is", table)
        both = self.page("materials?beside=fernhollow", "lockhouse")
        self.assertEqual(both[both.index('class="table variants"') :].count("<tr"), 3)
        self.assertEqual(self.client.get("/jobs/lockhouse/make/materials?beside=nothing").status_code, 422)


if __name__ == "__main__":
    unittest.main()
