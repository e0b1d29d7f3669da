"""A little of each campaign of odd input; tests.long goes through thousands."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

from tests import campaign


class CampaignTest(unittest.TestCase):
    def test_documents_and_bundles(self):
        tally, wrong = campaign.through_documents(1, 60)
        self.assertEqual(wrong, [])
        self.assertGreater(min(tally["taken"], tally["refused"]), 5)

    def test_inputs_of_all_tools(self):
        tally, wrong = campaign.through_tools(1, 600)
        self.assertEqual(wrong, [])
        self.assertGreater(min(tally["answered"], tally["refused"]), 50)

    def test_readings_of_a_running_test(self):
        tally, wrong = campaign.through_readings(1, 60)
        self.assertEqual(wrong, [])
        self.assertGreater(min(tally["200"], tally["422"]), 5)

    def test_answers_of_a_merchant(self):
        tally, wrong = campaign.through_merchants(1, 120)
        self.assertEqual(wrong, [])
        self.assertGreater(min(tally["taken"], tally["refused"]), 3)

    def test_posts_to_all_routes(self):
        tally, wrong = campaign.through_posts(1, 90, every=10)
        self.assertEqual(wrong, [])
        self.assertGreater(min(tally["200"], tally["303"], tally["422"], tally["pages"]), 5)

    def test_it_would_see_what_breaks(self):
        with mock.patch("oikotherm.web.records.records_of", side_effect=KeyError("x")):
            _, wrong = campaign.through_posts(1, 25)
        self.assertTrue(wrong)
        with (
            mock.patch("oikotherm.core.layout.cuts", side_effect=KeyError("x")),
            mock.patch("tests.campaign.bundle", return_value=b"PK"),
        ):
            _, wrong = campaign.through_documents(1, 20)
        self.assertTrue(wrong)

    def test_every_route_that_takes_posts_is_posted_to(self):
        with tempfile.TemporaryDirectory() as folder:
            posts = campaign.Posts(Path(folder), 1)
            self.addCleanup(posts.conn.close)
            self.assertGreater(len(posts.posts), 20)
            known = set(posts.forms) & set(posts.posts)
            self.assertGreater(len(known), 10)


if __name__ == "__main__":
    unittest.main()
