"""Every kind of station in every variant alone in a job: every page of it opens. The practices take turns; the facts of
all of them are in tests/core/test_every_kind.py."""

import itertools

from benchmarks.pages import pages_of
from oikotherm.core.catalogue import standard
from oikotherm.core.job.commands import apply
from oikotherm.core.job.document import blank, new_uid
from oikotherm.core.services import spec
from oikotherm.store import jobs
from oikotherm.store.database import writing
from tests.web.test_web import WebCase


class EveryKindTest(WebCase):
    def test_every_page_of_a_job_with_it_alone(self):
        practices = itertools.cycle(("british", "continental", "north-american"))
        opened = 0
        for kind in spec.kinds().values():
            for variant in kind.variants:
                practice = next(practices)
                add = {"do": "add_station", "kind": kind.id, "variant": variant.id, "id": "ST", "name": "It"}
                place = {"level": "L0", "at": (0, 0, 0), "faces": "S"}
                job = apply(blank(new_uid(), "Alone", practice, "mm"), add | place, standard())
                with writing(self.conn):
                    jobs.create(self.conn, job, "made up")
                for page in pages_of(self.app, job):
                    with self.subTest(kind=kind.id, variant=variant.id, practice=practice, page=page):
                        self.assertLess(self.client.get(page).status_code, 500)
                        opened += 1
        self.assertGreater(opened, 1_000)
