"""The strip of time, small pieces, and charts on paper: what the page shows is what paper shows."""

import io
import re
import unittest
from xml.etree import ElementTree

from pypdf import PdfReader
from reportlab.pdfgen.canvas import Canvas

from oikotherm.core.design import derive
from oikotherm.core.making.piece_cards import card_of
from oikotherm.core.services.heating.sizing import heating_of
from oikotherm.core.work.phases import phases
from oikotherm.drawing.chart_pdf import chart_on, chart_size
from oikotherm.drawing.charts import staircase
from oikotherm.drawing.ladders import gas_ladder, water_ladder
from oikotherm.drawing.piece_card import MINI_HIGH, MINI_WIDE, piece_mini
from oikotherm.drawing.pump_charts import pump_drawing
from oikotherm.drawing.time_strip import LEAST, Bar, bars_of, spans, time_strip
from tests.jobs import whole

DEMOS = ("lockhouse", "fernhollow", "olmo-vecchio")


def charts(uid: str) -> list[str]:
    design = derive(whole(uid))
    found = [staircase(heating) for heating in heating_of(design)]
    found += [
        pump_drawing(heating, n) for heating in heating_of(design) if heating.loads for n, _ in enumerate(heating.pumps)
    ]
    found += [gas_ladder(design.job, net) for net in design.sized["gas"].detail]
    found += [water_ladder(design.job, net) for net in design.sized["water"].detail]
    return [one for one in found if one]


class StripTest(unittest.TestCase):
    def test_a_bar_is_as_long_as_its_hours(self):
        bars = [Bar(str(n), str(n), minutes, 0.0, "", "waits") for n, minutes in enumerate((60.0, 180.0, 240.0))]
        found = spans(bars)
        self.assertAlmostEqual(found[-1][1] + found[-1][2], 100.0)
        spare = 100 - 3 * LEAST
        for (_, _, wide), share in zip(found, (0.125, 0.375, 0.5), strict=True):
            self.assertAlmostEqual(wide, LEAST + spare * share)

    def test_the_strip_of_a_demo(self):
        """By its own figures: hours in all, days begun, what is done and what can be done now."""
        design = derive(whole("lockhouse"))
        steps = design.plan
        bars = bars_of(phases(design, steps), {"mark-flow"}, lambda phase: f"#phase-{phase.key}")
        hours = sum(step.minutes for step in steps) / 60
        self.assertAlmostEqual(sum(bar.minutes for bar in bars) / 60, hours)
        self.assertEqual([bar.standing for bar in bars][:2], ["done", "now"])
        self.assertEqual(bars[0].done_share, 1.0)
        root = ElementTree.fromstring(time_strip(bars, 8.0))
        marks = [one for one in root.iter("line") if one.get("class") == "day"]
        self.assertEqual(len(marks), sum(day * 8 / hours <= 0.97 for day in range(int(hours // 8) + 1)))
        self.assertEqual(
            [link.get("href") for link in root.iter("a")], [f"#phase-{p.key}" for p in phases(design, steps)]
        )


class MiniTest(unittest.TestCase):
    def test_every_piece_fits_its_place_and_longer_ones_are_longer(self):
        for uid in DEMOS:
            design = derive(whole(uid))
            cards = [card_of(cut, design.piece_labels) for cut in design.cuts]
            longest = max(card.cut_mm for card in cards if not card.turns)
            straight = {}
            for card in cards:
                sheet = piece_mini(card, longest)
                for line in sheet.lines:
                    for x, y in line.points:
                        self.assertTrue(0 <= x <= MINI_WIDE and 0 <= y <= MINI_HIGH, (card.label, line))
                if not card.turns:
                    xs = [x for line in sheet.lines if line.kind == "pipe" for x, _ in line.points]
                    straight[card.cut_mm] = max(xs) - min(xs)
                    threads = sum(end.made == "threaded" for end in card.ends)
                    self.assertEqual(sum(line.kind == "thread" for line in sheet.lines), 3 * threads, card.label)
                else:
                    self.assertEqual([line.kind for line in sheet.lines], ["tube"])
            lengths = sorted(straight)
            self.assertEqual(sorted(straight.values()), [straight[length] for length in lengths], uid)


class PaperTest(unittest.TestCase):
    def test_every_word_of_a_chart_is_on_paper_where_the_page_has_it(self):
        for uid in DEMOS:
            found = charts(uid)
            self.assertGreaterEqual(len(found), 2)
            for svg in found:
                wide, high = chart_size(svg)
                out = io.BytesIO()
                canvas = Canvas(out, pagesize=(wide, high))
                self.assertAlmostEqual(chart_on(canvas, svg, 0, 0, wide), high)
                canvas.save()
                page = PdfReader(io.BytesIO(out.getvalue())).pages[0]
                texts = [one for one in ElementTree.fromstring(svg).iter() if one.tag.endswith("text")]
                self.assertGreater(len(texts), 3)
                said = " ".join(page.extract_text().split())
                for one in texts:
                    self.assertIn(" ".join((one.text or "").split()), said)
                strokes = page.get_contents().get_data().decode("latin-1")
                drawn = len(re.findall(r"\b[Sb]\b|\bB\*?\b|\bf\*?\b", strokes))
                shapes = [
                    one for one in ElementTree.fromstring(svg).iter() if one.tag.endswith(("path", "rect", "circle"))
                ]
                self.assertGreaterEqual(drawn, len(shapes))


if __name__ == "__main__":
    unittest.main()
