"""One catalogue in force: page, edit, bundle, export, command line, Bench and API give one answer, with a fitting book
and with measured rows."""

import contextlib
import csv
import io
import json
import re
import zipfile
from pathlib import Path

from markupsafe import escape

from oikotherm.cli import main
from oikotherm.core.catalogue import standard
from oikotherm.core.catalogue.measured import BookRow
from oikotherm.core.design import derive
from oikotherm.core.job.model import Measured
from oikotherm.exchange.cutlist import cut_csv
from oikotherm.store import jobs, van
from oikotherm.store.database import writing
from tests.jobs import demo
from tests.web.test_web import WebCase

BOOK = (
    BookRow("socket cu 15 capillary", "z_mm", 9.25, "2026-01-02"),
    BookRow("socket cu 15 compression", "insertion_mm", 17.5, "2026-01-02"),
    BookRow("socket cu 22 compression", "insertion_mm", 20.5, "2026-01-02"),
    BookRow("part comp-cap-22x15", "gap_mm", 31.5),
)
OWN = Measured(part="socket cu 22 capillary", field="z_mm", value=21.5, on="2026-02-03")
CUT = {"pipe": "cu-m 15", "method": "capillary", "from": "elbow", "to": "tee", "centre_to_centre": 500}


def command(*words):
    """Standard output of a command."""
    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        status = main([str(word) for word in words])
    assert status in (0, 1), words
    return out.getvalue()


def lengths(text):
    return {row["label"]: float(row["cut_mm"]) for row in csv.DictReader(io.StringIO(text))}


class InForceTest(WebCase):
    def setUp(self):
        super().setUp()
        self.data = Path(self.app.config["DATABASE"]).parent

    def put_book(self, rows=BOOK):
        with writing(self.conn):
            for row in rows:
                van.put_book(self.conn, row)

    def put_own(self):
        with writing(self.conn):
            jobs.commit(self.conn, demo().model_copy(update={"measured": (OWN,)}), 1, "measured", [])

    def shown(self, html):
        """Label -> length to cut, as a page has it."""
        rows = re.findall(r'data-cut-mm="([^"]+)" data-label="([^"]+)"', html)
        self.assertTrue(rows, html[:400])
        return {label: float(cut) for cut, label in rows}

    def ways(self):
        """The cut list of the stored job by every way it leaves the program."""
        yield "page", self.shown(self.client.get("/jobs/lockhouse/make").text)
        yield "file of the page", lengths(self.client.get("/jobs/lockhouse/cuts.csv").text)
        head = jobs.head_rev(self.conn, "lockhouse")
        run = demo().runs[0]
        there = {"do": "set_state", "run": run.id, "state": "keep"}
        self.edit(head, there, page="make")
        answer = self.edit(head + 1, {**there, "state": "new"}, page="make").json
        yield "edit", self.shown(answer["fragments"]["cuts"])
        with zipfile.ZipFile(io.BytesIO(self.client.get("/jobs/lockhouse/handover/bundle.zip").data)) as bundle:
            yield "bundle", lengths(bundle.read("cut-list.csv").decode())
            (self.data / "bundled.oikotherm.json").write_bytes(bundle.read("job.oikotherm.json"))
        yield "document of the bundle", lengths(command("takeoff", self.data / "bundled.oikotherm.json", "--csv"))
        exported = self.data / "exported.oikotherm.json"
        exported.write_bytes(self.client.get("/jobs/lockhouse/export.oikotherm.json").data)
        yield "export", lengths(command("takeoff", exported, "--csv"))
        exported.write_text(command("export", "lockhouse", "--data", self.data))
        yield "export on the command line", lengths(command("takeoff", exported, "--csv"))
        stored = self.data / "stored.oikotherm.json"
        stored.write_text(json.dumps(jobs.head(self.conn, "lockhouse").job.model_dump(mode="json", exclude_none=True)))
        yield "command line on the data", lengths(command("takeoff", stored, "--csv", "--data", self.data))

    def test_every_way_gives_one_cut_list(self):
        plain = lengths(cut_csv(derive(demo())))
        seen = []
        for book, own in ((True, False), (False, True), (True, True)):
            with self.subTest(book=book, own=own):
                self.setUp()
                if own:
                    self.put_own()
                if book:
                    self.put_book()
                found = dict(self.ways())
                for way, one in found.items():
                    self.assertEqual(one, found["page"], way)
                self.assertGreater(sum(found["page"][label] != cut for label, cut in plain.items()), 5)
                seen.append(found["page"])
        self.assertEqual(len({tuple(one.values()) for one in seen}), 3)

    def test_the_jobs_own_row_goes_before_the_book_and_storing_adds_none(self):
        self.put_own()
        self.put_book((BookRow("socket cu 22 capillary", "z_mm", 30.0),))
        with_own = lengths(cut_csv(derive(demo().model_copy(update={"measured": (OWN,)}))))
        self.assertEqual(dict(self.ways())["page"], with_own)
        self.assertEqual(jobs.head(self.conn, "lockhouse").job.measured, (OWN,))
        exported = self.client.get("/jobs/lockhouse/export.oikotherm.json").json
        self.assertEqual([row["value"] for row in exported["measured"]], [21.5])

    def test_bench_api_and_command_line_give_one_answer(self):
        plain = json.loads(command("calc", "cut_length", json.dumps(CUT)))["cut_mm"]
        self.put_book()
        api = self.client.post("/api/calc/cut_length", json=CUT).json
        self.assertNotEqual(api["cut_mm"], plain)
        self.assertEqual(json.loads(command("calc", "cut_length", json.dumps(CUT), "--data", self.data)), api)
        page = self.client.get("/bench/cut_length", query_string=CUT).text
        self.assertIn(f"{api['text']}", page)

    def test_the_finder_gives_one_answer(self):
        ends = {"from": "cu-m 22 pipe", "to": "cu-m 15 pipe", "service": "heating"}
        before = self.client.post("/api/calc/transition", json=ends).json
        gap = next(chain["length_mm"] for chain in before["chains"])
        ids = next(part["part"] for part in before["chains"][0]["parts"])
        self.put_book((BookRow(f"part {ids}", "gap_mm", 61.5),))
        after = self.client.post("/api/calc/transition", json=ends).json
        said = json.loads(command("calc", "transition", json.dumps(ends), "--data", self.data))
        self.assertEqual(said, after)
        self.assertNotEqual(after["chains"][0]["length_mm"], gap)
        other = after["chains"][-1]["parts"][0]["part"]
        with writing(self.conn):
            van.put_stock(self.conn, standard(), other, "40", "")
        stocked = self.client.post("/api/calc/transition", json=ends).json
        self.assertNotEqual(stocked["chains"], after["chains"])  # what is on the van counts here too
        self.assertEqual(json.loads(command("calc", "transition", json.dumps(ends), "--data", self.data)), stocked)
        page = self.client.get("/bench/transition", query_string=ends).text
        self.assertIn(str(escape(stocked["text"])), page)
        for chain in after["chains"]:
            self.assertIn(f"{chain['length_mm']:.0f} mm", page)
