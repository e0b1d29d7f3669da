"""A house of 300 emitters with gas and water: what its pages weigh, and that none holds up everybody."""

import gc
import unittest

from benchmarks.building import building
from benchmarks.pages import MOST_KB, MOST_NODES, Heart, application, edit, nodes_of, pages_of
from oikotherm.workers import GC_THRESHOLD

ON_PAPER = ("/handover/sheet",)  # one level on paper, with its drawing at full size
MOST_HELD_S = 1.0


class LargeHouseTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        before = gc.get_threshold()
        gc.set_threshold(*GC_THRESHOLD)
        cls.addClassCleanup(gc.set_threshold, *before)
        cls.job = building(300, services=True)
        cls.app, cls.client = cls.enterClassContext(application(cls.job))
        cls.pages = pages_of(cls.app, cls.job)

    def test_no_page_is_too_heavy_and_none_holds_the_interpreter(self):
        heart = Heart()
        heart.start()
        self.addCleanup(setattr, heart, "going", False)
        self.assertGreater(len(self.pages), 25)
        edit(self.client, self.job, 1)
        for page in self.pages:
            name = page.partition(self.job.uid)[2]
            if name.startswith("/assembly") and name != "/assembly":
                continue  # by workers: their orders take long
            with self.subTest(page=name):
                heart.beat()
                answer = self.client.get(page)
                self.assertLess(heart.beat(), MOST_HELD_S)
                self.assertLess(answer.status_code, 500)
                self.assertLess(len(answer.data) / 1000, MOST_KB)
                if answer.mimetype == "text/html":
                    self.assertLess(nodes_of(answer.text), MOST_NODES * (1.3 if name in ON_PAPER else 1))

    def test_blocks_and_levels_lead_to_everything(self):
        uid = self.job.uid
        page = self.client.get(f"/jobs/{uid}/sizes").text
        self.assertIn("Emitter", page)
        self.assertNotIn("Pressure ladder", page)
        for service, words in (("gas", "Pressure ladder"), ("water", "Pressure to each outlet")):
            self.assertIn(words, self.client.get(f"/jobs/{uid}/sizes?service={service}").text)
        self.assertIn('id="work-BLR-sections-', page)
        section = page.partition('data-later="sizes/working/BLR/sections/')[2].partition('"')[0]
        for what, ident in (("sections", section), ("emitters", "R7")):
            found = self.client.get(f"/jobs/{uid}/sizes/working/BLR/{what}/{ident}").json["fragments"]
            self.assertIn('class="steps"', found[f"work-BLR-{what}-{ident}"])
            self.assertEqual(self.client.get(f"/jobs/{uid}/sizes/working/BLR/{what}/nothing").status_code, 404)
        table = self.client.get(f"/jobs/{uid}/sizes/at-flow/BLR").json["fragments"]["at-flow-BLR"]
        self.assertIn("Comes back", table)
        survey = self.client.get(f"/jobs/{uid}/survey?station=R250").text
        self.assertIn("Change R250", survey)
        self.assertNotIn("Change R251", survey)
        house = self.client.get(f"/jobs/{uid}/house?level=L4").text
        self.assertIn('value="FB61"', house)
        self.assertNotIn('value="FB7"', house)
        self.assertEqual(house.count('<input type="hidden" name="level" value="L4">'), 3)  # its forms stay there
        for at in ("FB200", "R200"):  # what is asked about is drawn
            self.assertIn('name="level" value="L13"', self.client.get(f"/jobs/{uid}/house?at={at}").text)
        for service in ("gas", "water"):
            page = self.client.get(f"/jobs/{uid}/sizes?service={service}").text
            self.assertIn(f'<input type="hidden" name="service" value="{service}">', page)
        cuts = [self.client.get(f"/jobs/{uid}/handover/sheet?level=L{n}").text.count("data-cut-mm") for n in range(20)]
        pieces = self.client.get(f"/jobs/{uid}/cuts.csv").text.strip().count("\n")
        self.assertEqual(sum(cuts), pieces)  # each piece is on one sheet


if __name__ == "__main__":
    unittest.main()
