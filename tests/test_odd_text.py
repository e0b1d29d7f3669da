"""Odd text in every field a person may fill, on paper: it stands there as it was typed, and nothing else happens."""

from __future__ import annotations

import io
import json
import re
import unittest
from datetime import date
from pathlib import Path
from typing import Any

from pypdf import PdfReader

from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.document import read, write
from oikotherm.core.supply import Supply
from oikotherm.core.work.records import Record
from oikotherm.exchange.pack import pack_of
from oikotherm.exchange.packpdf import pack_pdf
from oikotherm.exchange.packs import PACKS, Firm, pack_for
from tests.jobs import demo

ODD = (
    '<img src="/etc/hostname" width="99"/>',
    "a<b>c</para>",
    "&amp; & &#60; <onDraw name='x'/>",
    "\u05e9\u05dc\u05d5\u05dd \u202e \U0001f600 \u0130",
    "x" * 4_000,
    "nul \0 and \ud800 half",
)
FREE = ("title", "place", "name", "reason", "said", "note", "text", "series", "material")


def with_text(document: Any, odd: str) -> Any:
    """A document with its free text replaced by odd text, as far as it is taken there."""
    if isinstance(document, dict):
        return {
            key: odd if key in FREE and isinstance(value, str) and value else with_text(value, odd)
            for key, value in document.items()
        }
    return [with_text(one, odd) for one in document] if isinstance(document, list) else document


def taken(odd: str) -> tuple[Any, int]:
    """A demo with odd text in every field that takes it, one field after the other; how many do."""
    document, many = json.loads(write(demo())), 0
    places = []

    def walk(one: Any) -> None:
        for key, value in one.items() if isinstance(one, dict) else enumerate(one):
            if isinstance(value, dict | list):
                walk(value)
            elif isinstance(value, str) and key in FREE:
                places.append((one, key, value))

    walk(document)
    seen: dict[Any, bool] = {}
    for holder, key, value in places:
        sort = (key, tuple(sorted(holder)))
        if seen.get(sort) is False:
            continue
        for text in dict.fromkeys((odd, odd[:120], odd[:60])):
            holder[key] = text
            try:
                read(json.dumps(document))
            except Refused:
                holder[key] = value
            else:
                many += 1
                break
        seen[sort] = holder[key] != value
    return read(json.dumps(document)), many


class OddTextTest(unittest.TestCase):
    def test_it_stands_in_every_pack_as_it_was_typed(self) -> None:
        for odd in ODD:
            with self.subTest(odd[:24]):
                job, many = taken(odd)
                if "\0" in odd:
                    self.assertEqual(many, 0)
                    continue
                self.assertGreater(many, 3)
                design = derive(job)
                body = {"text": odd[:2000], "turns": 2.0}
                note = Record("n", "note", "R1", odd[:60], 1, "2026-03-01T10:00:00Z", odd[:60], body)
                ticks = [
                    Record(step.key, "step", step.key, "x", 1, "2026-03-01T10:00:00Z", odd[:60], {"done": True})
                    for step in design.plan[:6]
                ]
                pack = pack_of(design, 1, [note, *ticks], date(2026, 3, 2))
                firm = Firm(((odd[:60], odd[:120]),))
                made = [pack_pdf(design, pack)]
                made += [pack_for(whom, design, pack, {}, Supply(), firm) for whom in PACKS]
                for data in made:
                    reader = PdfReader(io.BytesIO(data))
                    images = [one for page in reader.pages for one in page.images]
                    self.assertEqual(images, [])
                    text = re.sub(r"\s", "", " ".join(page.extract_text() for page in reader.pages))
                    if odd.isascii():
                        self.assertIn(re.sub(r"\s", "", odd[:20]), text)

    def test_markup_has_one_way_into_a_pdf(self) -> None:
        made = [
            (path.name, line)
            for path in (Path(__file__).parents[1] / "oikotherm").rglob("*.py")
            for line in path.read_text().splitlines()
            if "Paragraph(" in line and "import" not in line
        ]
        self.assertEqual([name for name, _ in made], ["packpdf.py"])
        self.assertIn("marked(", made[0][1])


if __name__ == "__main__":
    unittest.main()
