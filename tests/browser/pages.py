"""A headless browser on a real server, for tests that press keys and look at the page."""

from __future__ import annotations

import re
import sqlite3
import time
import unittest
from contextlib import closing

from tests.serving import Server

ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-quic",
    "--no-first-run",
]
# counts what the scripts of a page have asked for and not yet got
COUNT = """
  window.awaited = 0;
  const send = window.fetch;
  window.fetch = (...said) => {
    window.awaited += 1;
    return send(...said).finally(() => { window.awaited -= 1; window.settledAt = performance.now(); });
  };
"""
SETTLED = (
    "() => document.readyState === 'complete' && !document.querySelector('[data-working]') && !window.awaited && "
    "performance.now() - (window.settledAt ?? 0) > 60"
)


class BrowserCase(unittest.TestCase):
    """One server and one browser for a class; a fresh context for each test. Errors on the console fail the test."""

    @classmethod
    def setUpClass(cls):
        from playwright.sync_api import sync_playwright

        cls.server = Server()
        cls.addClassCleanup(cls.server.close)
        play = sync_playwright().start()
        cls.addClassCleanup(play.stop)
        cls.browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        cls.addClassCleanup(cls.browser.close)

    def setUp(self):
        self.ordinary = ["status of 4", "ERR_CONNECTION_REFUSED"]
        self.said: list[str] = []
        self.page = self.open()

    def open(self, width=1280, height=800, **more):
        context = self.browser.new_context(viewport={"width": width, "height": height}, **more)
        self.addCleanup(context.close)
        context.add_init_script(COUNT)
        page = context.new_page()
        page.set_default_timeout(60_000)
        page.on("console", lambda message: self.said.append(message.text) if message.type == "error" else None)
        page.on("pageerror", lambda error: self.said.append(str(error)))
        return page

    def tearDown(self):
        # refusals and conflicts are ordinary answers, which the browser logs as failed loads
        wrong = [text for text in self.said if not any(word in text for word in self.ordinary)]
        self.assertEqual(wrong, [])

    def go(self, path, page=None):
        page = page or self.page
        page.goto(self.server.url + path)
        page.wait_for_function(SETTLED, polling=20)

    def as_new(self):
        """The demo job back at its first revision and the van empty, past the interface."""
        with closing(sqlite3.connect(self.server.data / "oikotherm.sqlite")) as conn, conn:
            conn.execute("UPDATE job SET head = 1 WHERE uid = 'lockhouse'")
            for table in ("setting", "label", "van_tool", "van_stock", "fitting_book"):
                conn.execute(f"DELETE FROM {table}")

    def rev(self, page=None):
        return int((page or self.page).locator("main[data-rev]").get_attribute("data-rev"))


KEYS_A_SECOND, MOST_S = 3, 300


class KeyCase(BrowserCase):
    """Driven by keys alone, which are counted and printed."""

    def setUp(self):
        super().setUp()
        self.keys = 0
        self.began = time.monotonic()

    def press(self, key, times=1):
        for _ in range(times):
            self.page.keyboard.press(key)
            self.keys += 1

    def type(self, text):
        self.page.keyboard.type(text)
        self.keys += len(text)

    def tab_to(self, wanted, most=60):
        """Tab until what has the focus is called so; fails where the keys do not get there."""
        for _ in range(most):
            self.press("Tab")
            named = self.page.evaluate(
                "() => { const a = document.activeElement; return [a.innerText, a.name, a.getAttribute('aria-label')]"
                ".filter(Boolean).join(' '); }"
            )
            if re.search(wanted, named):
                return
        self.fail(f"nothing called {wanted} within {most} tabs")

    def enter(self, key="Enter"):
        """A key that leads to another page."""
        with self.page.expect_navigation():
            self.press(key)
        self.page.wait_for_function(SETTLED, polling=20)

    def done(self, title, most_s=MOST_S):
        seconds = self.keys / KEYS_A_SECOND
        print(
            f"{title}: {self.keys} keys, {seconds:.0f} s at {KEYS_A_SECOND} a second, "
            f"{time.monotonic() - self.began:.1f} s driven"
        )
        self.assertLess(seconds, most_s)
