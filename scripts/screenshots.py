"""Takes the pictures in docs/screenshots from the demo data: `.venv/bin/python -m scripts.screenshots`."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import sync_playwright

from tests.browser.pages import ARGUMENTS
from tests.serving import Server

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
DESK, PHONE = (1280, 800), (390, 844)
VIEWS = {
    "pace": ("/jobs/lockhouse/pace", DESK),
    "survey": ("/jobs/lockhouse/survey", DESK),
    "sizes": ("/jobs/lockhouse/sizes", DESK),
    "joints": ("/jobs/lockhouse/joints", DESK),
    "make": ("/jobs/lockhouse/make", DESK),
    "order": ("/jobs/lockhouse/order", DESK),
    "prove": ("/jobs/lockhouse/prove", DESK),
    "handover": ("/jobs/lockhouse/handover", DESK),
    "sheet": ("/jobs/lockhouse/handover/sheet", DESK),
    "home": ("/", DESK),
    "bench": ("/bench/cut_length?pipe=cu-m+15&method=capillary&from=elbow&to=tee&centre_to_centre=500", DESK),
    "small-phone": ("/small/hang?stand=260&centres=1107", PHONE),
    "sticks": ("/jobs/fernhollow/make/sticks?floats=ask", DESK),
    "order-phone": ("/jobs/lockhouse/order", PHONE),
    "assembly": ("/jobs/fernhollow/assembly?run=G1&step=30", DESK),
    "house": ("/jobs/lockhouse/house?at=SOF", DESK),
    "finder": ("/bench/transition?from=mlc+26+pipe&to=fe-press+22+pipe&undo=on&practice=continental", DESK),
    "joint-card": ("/bench/recipe?method=compression-plastic&pipe=pb-m+22", DESK),
    "practice": ("/practice?topic=metal-joining&option=press", DESK),
}


def main() -> None:
    server = Server(firm=True)
    try:
        with sync_playwright() as play:
            browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
            for name, (path, (width, height)) in VIEWS.items():
                page = browser.new_context(viewport={"width": width, "height": height}).new_page()
                page.goto(server.url + path)
                page.locator("[data-working]").wait_for(state="detached", timeout=60_000)
                page.wait_for_load_state("networkidle")
                if name == "pace":
                    page.locator(".run[data-run=RT3] .run-id").click()
                    page.wait_for_timeout(700)
                if name == "small-phone":
                    page.click("button.act")
                    page.wait_for_load_state("networkidle")
                if name == "make":
                    page.locator("#F1-D summary").click()
                page.wait_for_timeout(200)
                page.screenshot(path=OUT / f"{name}.png")
                page.context.close()
            browser.close()
    finally:
        server.close()


if __name__ == "__main__":
    main()
