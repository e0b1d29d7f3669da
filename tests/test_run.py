"""The runner leaves no test out."""

import unittest

from tests.run import BESIDE, all_but_pages


def names(suite):
    for one in suite:
        if isinstance(one, unittest.TestSuite):
            yield from names(one)
        else:
            yield one.id()


class RunTest(unittest.TestCase):
    def test_all_parts_together_are_all_tests(self):
        loader = unittest.defaultTestLoader
        beside = [name for part in BESIDE.values() for name in names(loader.loadTestsFromNames(part))]
        parts = [*names(all_but_pages(loader)), *beside]
        self.assertEqual(sorted(parts), sorted(names(loader.discover("tests", top_level_dir="."))))
