"""The job document: read, written, refused."""

import copy
import json
import random
import unittest
from pathlib import Path

from oikotherm.core.catalogue import standard
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply
from oikotherm.core.job.document import json_schema, read, write
from oikotherm.core.job.model import ITEM_KINDS, MOST_AT_ONE_PLACE
from oikotherm.drawing import svg
from oikotherm.drawing.isometric import draw
from tests.counts import cases
from tests.jobs import demo, whole

FULL = {
    "format": "oikotherm-job",
    "version": 1,
    "uid": "full-job",
    "title": "All kinds",
    "practice": "british",
    "pace_unit": "mm",
    "next_item": 30,
    "house": {
        "levels": [{"id": "L0", "name": "Ground", "floor_mm": 0, "ceiling_mm": 2400}],
        "rooms": [
            {
                "id": "K",
                "level": "L0",
                "name": "Kitchen",
                "outline": [[0, 0], [4000, 0], [4000, 3000]],
                "heated": True,
                "room_c": 20,
                "need_w": 900,
                "flame_allowed": False,
                "rodents": True,
            }
        ],
        "walls": [
            {"id": "W1", "level": "L0", "from_xy": [0, 0], "to_xy": [4000, 0], "thickness_mm": 220, "kind": "masonry"}
        ],
        "joists": [
            {
                "id": "J1",
                "level": "L0",
                "outline": [[0, 0], [4000, 0], [4000, 3000]],
                "along": "N",
                "depth_mm": 200,
                "breadth_mm": 50,
                "centres_mm": 400,
                "span_mm": 3800,
                "kind": "solid",
            }
        ],
        "obstacles": [
            {"id": "O1", "level": "L0", "kind": "cable", "box": [[0, 0, 0], [10, 10, 2400]], "clearance_mm": 25}
        ],
    },
    "stations": [
        {
            "id": "BLR",
            "kind": "boiler",
            "level": "L0",
            "at": [0, 0, 1000],
            "faces": "N",
            "state": "keep",
            "brings": {"vessel_l": 8, "pump": True},
            "data": {"output_w": 18000, "gas": "natural"},
            "serial": "A1",
            "ports": [
                {
                    "name": "flow",
                    "role": "flow",
                    "way": "out",
                    "offset": [0, 100, 600],
                    "facing": "up",
                    "end": "comp-cu 22 socket",
                }
            ],
        }
    ],
    "runs": [
        {
            "id": "F1",
            "service": "heating",
            "role": "flow",
            "start": "BLR.flow",
            "pipe": {"code": "cu-m", "size": "22"},
            "finish": "stub",
            "items": [
                {"kind": "leg", "id": "i1", "dir": "U", "length_mm": 500, "said": "500"},
                {"kind": "set", "id": "i2", "side": "N", "height_mm": 50, "angle_deg": 45},
                {"kind": "crossover", "id": "i3", "side": "U", "clear_mm": 30, "angle_deg": 30, "over": "O1"},
                {"kind": "lie", "id": "i4", "place": "loft", "fall": 0.005},
                {"kind": "tee", "id": "i5", "name": "T1", "closed": "plug"},
                {"kind": "remark", "id": "i6", "text": "mind the cable"},
                {"kind": "point", "id": "i7", "name": "P1"},
                {"kind": "pass", "id": "i8", "through": "joists", "count": 3},
                {"kind": "device", "id": "i9", "part": "iso", "arrow": "against"},
                {"kind": "pipe", "id": "i10", "pipe": {"code": "cu-m", "size": "15"}},
                {"kind": "leg", "id": "i11", "dir": "N+30E", "length_mm": 800, "basis": "drawn"},
            ],
        },
        {
            "id": "RT1",
            "service": "heating",
            "role": "return",
            "start": "F1.P1",
            "pipe": {"code": "cu-m", "size": "?"},
            "twin_of": {"run": "F1", "side": "N", "spacing_mm": 50},
        },
    ],
    "circuits": [
        {
            "id": "CH",
            "source": "BLR",
            "medium": "mpg",
            "mass_fraction": 0.3,
            "flow_c": 70,
            "return_c": 50,
            "fill_bar": 1.0,
        }
    ],
    "facts": [
        {
            "path": "gas.supply_pa",
            "value": 2100,
            "unit": "Pa",
            "basis": "measured",
            "by_role": "site lead",
            "on": "2026-03-01",
        }
    ],
    "choices": {"metal-joining": {"option": "press", "origin": "job", "reason": "no flame"}},
    "overrides": [
        {"target": "i1/turn", "field": "method", "value": "press", "reason": "near the beam", "by_role": "site lead"}
    ],
    "waivers": [{"rule": "open-end", "where": "F1", "reason": "goes on next week", "by_role": "site lead"}],
    "measured": [{"part": "elbow cu-m 22", "field": "z", "value": 17.5, "on": "2026-03-01"}],
}


class DocumentTest(unittest.TestCase):
    def test_every_kind_of_the_model_is_read_and_written_back(self):
        job = read(json.dumps(FULL))
        self.assertEqual(read(write(job)), job)
        self.assertEqual(write(read(write(job))), write(job))
        self.assertEqual({item.kind for item in job.runs[0].items}, set(ITEM_KINDS))
        rules = {finding.rule for finding in derive(job).findings}
        self.assertIn("no-room", rules)  # its crossover points along its leg

    def test_the_published_schema_is_the_present_one(self):
        path = Path(__file__).parents[2] / "docs" / "schema" / "job.schema.json"
        self.assertEqual(json.loads(path.read_text("utf-8")), json_schema())

    def test_more_rows_than_a_job_has_are_refused_before_they_are_looked_at(self):
        """No row is valid: what is refused is their number."""
        for name, found in (
            ("stations", {"stations": [{}] * 5_001}),
            ("runs", {"runs": [{}] * 5_001}),
            ("runs", {"runs": [{"items": [{}] * 25_001}] * 2}),
        ):
            with self.assertRaises(Refused) as caught:
                read(json.dumps(FULL | found))
            self.assertEqual(caught.exception.field, name)
            self.assertIn("at most", str(caught.exception))
        with self.assertRaises(Refused) as caught:
            read(json.dumps(FULL | {"stations": [{}] * 5_000}))
        self.assertNotIn("at most", str(caught.exception))

    def test_more_runs_on_one_port_than_anybody_has_are_refused(self):
        """By a document and by an edit."""
        job = whole("lockhouse")
        line = "from C1.T3 cu-m 15: U300 -> cap"
        for _ in range(MOST_AT_ONE_PLACE - 1):
            job = apply(job, {"do": "put_run", "text": line}, standard())
        self.assertEqual(read(write(job)), job)
        with self.assertRaisesRegex(Refused, "at most 40"):
            apply(job, {"do": "put_run", "text": line}, standard())

    def test_unknown_fields_versions_and_doubles_are_refused_at_their_place(self):
        def changed(path, value):
            found = copy.deepcopy(FULL)
            spot = found
            for part in path[:-1]:
                spot = spot[part]
            spot[path[-1]] = value
            return json.dumps(found)

        for path, value, where in (
            (["colour"], "red", "/colour"),
            (["stations", 0, "at", 0], "x", "/stations/0/at/0"),
            (["stations", 0, "data", "ways"], 4, "/stations/0"),
            (["stations", 0, "ports", 0, "end"], "comp-cu 22 sockit", "/stations/0/ports/0/end"),
            (["runs", 0, "items", 0, "dir"], "Q", "/runs/0/items/0/leg/dir"),
            (["runs", 0, "service"], "gas", "/runs/0"),
            (["stations", 0, "id"], "F1", "/"),
            (["next_item"], 3, "/"),
            (["runs", 0, "items", 0, "length_mm"], 1e300, None),
            (["stations", 0, "level"], "L7", "/"),
        ):
            with self.subTest(path=path), self.assertRaises(Refused) as caught:
                read(changed(path, value))
            if where:
                self.assertEqual(caught.exception.where, where)
            self.assertTrue(caught.exception.expected)
        for text in (
            "",
            "null",
            "[1]",
            "{",
            '{"format": "other"}',
            "[" * 100_000,
            b"\xff\xfe",
            changed(["version"], 99),
            changed(["runs", 0, "finish"], "nowhere"),
        ):
            with self.subTest(text=text[:20]), self.assertRaises(Refused):
                read(text)

    def test_mangled_documents_give_a_job_or_a_refusal(self):
        rng = random.Random(11)
        sources = [FULL, json.loads(write(demo()))]
        junk = [None, "", "x", -1, 0, 1e9, 1e308, True, [], {}, "F1.T1", "?", [1, 2], "N+30S", "é" * 300]
        good = 0
        for number in range(cases(500, 10_000)):
            found = copy.deepcopy(sources[number % 2])
            for _ in range(rng.randrange(1, 4)):
                spot = found
                while True:
                    keys = list(spot) if isinstance(spot, dict) else list(range(len(spot)))
                    if not keys:
                        break
                    key = rng.choice(keys)
                    inner = spot[key]
                    if isinstance(inner, dict | list) and inner and rng.random() < 0.85:
                        spot = inner
                        continue
                    what = rng.randrange(3)
                    if what == 0:
                        del spot[key]
                    elif what == 1:
                        spot[key] = rng.choice(junk)
                    elif isinstance(spot, list):
                        spot.append(copy.deepcopy(inner))
                    break
            text = json.dumps(found)
            if rng.random() < 0.1:
                cut = rng.randrange(len(text))
                text = text[:cut] + rng.choice(("", "}", '"', "\\u00")) + text[cut + 1 :]
            try:
                job = read(text)
            except Refused as refused:
                self.assertTrue(refused.expected)
                continue
            good += 1
            if good % 7 == 0:
                self.assertEqual(read(write(job)), job)
                design = derive(job)
                self.assertEqual(len(design.cuts), len(design.fitted.pieces))
                self.assertIsNotNone(design.findings)
                svg.write(draw(design))
        self.assertGreater(good, cases(25, 500))
