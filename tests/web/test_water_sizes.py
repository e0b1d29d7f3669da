"""The fresh water part of the Sizes page: what is left, taps opened together, what is not known."""

from __future__ import annotations

import re
import unittest

from oikotherm.core.design import derive
from oikotherm.core.services.water.taps import open_taps
from oikotherm.store import jobs
from oikotherm.store.database import writing
from tests.jobs import whole
from tests.web.test_web import WebCase


class WaterSizesTest(WebCase):
    def html(self, uid: str, asked: str = "") -> str:
        with writing(self.conn):
            jobs.create(self.conn, whole(uid).model_copy(update={"uid": f"water-{uid}"}), "demo")
        return self.client.get(f"/jobs/water-{uid}/sizes{asked}").text

    def test_outlets_and_sections_are_those_of_the_design(self) -> None:
        (net, _) = derive(whole()).sized["water"].detail
        html = self.html("lockhouse")
        shown = dict(re.findall(r'data-port="([\w.]+)" data-margin-pa="([-\d.]+)"', html))
        for end in net.ends:
            self.assertAlmostEqual(float(shown[end.port]), end.margin_pa, delta=1)
        drops = dict(re.findall(r'data-section="([\w-]+)" data-drop-pa="([\d.]+)"', html))
        for one in net.sections:
            if one.feeds:
                self.assertAlmostEqual(float(drops[one.id]), one.drop_pa, delta=1)
        self.assertIn("counts as a kitchen sink", html)
        self.assertEqual(html.count("Unvented hot water is licensed work"), 1)

    def test_taps_opened_together(self) -> None:
        (net, _) = derive(whole()).sized["water"].detail
        html = self.html("lockhouse", "?open=SHW&open=K1&open=HOS&open=NOBODY")
        shown = dict(re.findall(r'data-station="(\w+)" data-flow-l-s="([\d.]+)"', html))
        wanted = {tap.station: tap.flow_l_s for tap in open_taps(net, {"SHW", "K1", "HOS"})}
        self.assertEqual(set(shown), set(wanted))
        for station, flow in wanted.items():
            self.assertAlmostEqual(float(shown[station]), flow, places=4)
        self.assertIn("less than alone", html)

    def test_north_american_units(self) -> None:
        html = self.html("fernhollow")
        self.assertRegex(html, r"[\d.]+<i> psi</i>")
        self.assertRegex(html, r"[\d.]+<i> gpm</i>")


if __name__ == "__main__":
    unittest.main()
