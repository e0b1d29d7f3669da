"""A test on the stand-in gauge from its start to the certificate: the page reloaded, the server killed and started
again in the middle."""

from __future__ import annotations

import subprocess
import sys
import unittest

from tests.serving import ROOT

from .pages import SETTLED, BrowserCase

PROVE = "/jobs/lockhouse/prove?section=gas/MTR.out/1"


class LiveTest(BrowserCase):
    def gauge(self, url: str, *more: str) -> subprocess.Popen:
        command = [sys.executable, "-m", "oikotherm", "sim", "gauge", "--url", url, "--volume", "12", *more]
        process = subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        self.addCleanup(lambda: process.poll() is None and process.kill())
        return process

    def test_from_the_start_to_the_certificate(self) -> None:
        page = self.page
        self.ordinary.append("ERR_")  # the server is away for a while
        self.go(PROVE)
        page.locator("[name=no_supply]").check()
        page.select_option(
            "#test-form select[name=gauge]",
            index=page.evaluate(
                "[...document.querySelectorAll('#test-form select[name=gauge] option')]"
                ".findIndex((one) => /water/.test(one.value))"
            ),
        )
        with page.expect_navigation():
            page.click("text=Begin it now")
        address = page.locator("#running .address").text_content().strip()
        sim = self.gauge(address, "--resolution", "0.25", "--speed", "20", "--minutes", "4")
        page.locator(".live-now", has_text="20.5 mbar").wait_for()
        first = page.locator(".live-top span").inner_text()
        page.reload()
        page.wait_for_function(SETTLED, polling=20)
        page.locator(".test-trace .mean").wait_for(state="attached")
        self.server.kill()
        page.wait_for_timeout(1500)
        self.server.start()  # the page asks again by itself, and the gauge sends what it could not
        out, _ = sim.communicate(timeout=60)
        self.assertIn('"ended": "all sent"', out)
        page.locator(".live-top", has_text="241 readings").wait_for()
        self.assertNotEqual(page.locator(".live-top span").inner_text(), first)
        page.locator(".live-card .verdict", has_text="pass").wait_for()
        with page.expect_navigation():
            page.click("text=Judge and keep >> nth=0")
        self.assertEqual(page.locator("#tests .verdict").first.inner_text(), "pass")
        self.go("/jobs/lockhouse/handover/pack")
        certificate = page.locator(".certificate", has_text="Gas: tightness")
        certificate.wait_for()
        self.assertIn("pass", certificate.inner_text())
        self.assertIn("water gauge", certificate.inner_text())
        self.assertEqual(certificate.locator("svg.test-trace").count(), 1)


if __name__ == "__main__":
    unittest.main()
