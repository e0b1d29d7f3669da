"""Every kind of station, in every variant and practice, stands alone in a job: all that a page asks of it answers."""

from __future__ import annotations

import datetime
import unittest

from oikotherm.core.catalogue import standard
from oikotherm.core.design import derive
from oikotherm.core.job.commands import apply
from oikotherm.core.job.document import blank, read, write
from oikotherm.core.services import spec
from oikotherm.core.supply import Supply
from oikotherm.exchange.pack import pack_of

DAY = datetime.date(2026, 1, 1)


class EveryKindTest(unittest.TestCase):
    def test_alone_in_a_job(self) -> None:
        looked = 0
        for practice in ("british", "continental", "north-american"):
            for ident, kind in spec.kinds().items():
                for variant in kind.variants:
                    with self.subTest(kind=ident, variant=variant.id, practice=practice):
                        made = apply(
                            blank("alone", "Alone", practice, "mm"),
                            {
                                "do": "add_station",
                                "kind": ident,
                                "variant": variant.id,
                                "id": "ST",
                                "name": "It",
                                "level": "L0",
                                "at": (0, 0, 0),
                                "faces": "S",
                            },
                            standard(),
                        )
                        design = derive(read(write(made)))
                        for one in design.findings:
                            self.assertTrue(one.says.strip())
                        for step in design.plan:
                            self.assertTrue(step.title.strip())
                        design.order(Supply())
                        self.assertEqual(pack_of(design, 1, [], DAY)["title"], "Alone")
                        looked += 1
        self.assertGreater(looked, 150)


if __name__ == "__main__":
    unittest.main()
