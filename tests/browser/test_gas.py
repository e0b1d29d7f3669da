"""From a blank job, by keys: a meter to three gas appliances in black steel with corrugated branches; keys printed."""

from __future__ import annotations

import unittest

from .pages import SETTLED, KeyCase

STATIONS = (  # kind as it is called, east, north, input
    ("gas meter", "0", "0", ""),
    ("clothes dryer", "120", "-30mm", "22000 BTU/h"),
    ("range or cooker", "170", "-30mm", "65000 BTU/h"),
    ("room heater with flue", "230", "-30mm", "40000 BTU/h"),
)
END = "=fe-40 1/2 D6 [iso] D6 [union] D? *:D cap 3 E? ->"
RUNS = (
    "from MTR out fe-40 1: U12 [clamp set 10ft] U12 [iso] U8 E60 *M1 E7 *M2 E7 *M3 E7 *M4 plug E6 -> plug",
    f"from M1 fe-40 1/2: D4 [label dryer] D4 =csst EHD18 D14 E37 D8 {END} APP.gas",
    f"from M2 fe-40 1/2: D4 [label range] D4 =csst EHD23 D10 E80 D8 {END} APP2.gas",
    f"from M3 fe-40 1/2: D4 [label heater] D4 =csst EHD19 D6 E127 D8 {END} APP3.gas",
)


class GasFromNothing(KeyCase):
    def pick(self, wanted: str) -> None:
        """An option of the list that has the focus: its first word typed, then down to it."""
        self.type(wanted.split()[0])
        now = "() => document.activeElement.selectedOptions[0].text"
        for _ in range(45):
            if self.page.evaluate(now) == wanted:
                return
            self.press("ArrowDown")
        self.fail(f"no {wanted} in the list: {self.page.evaluate(now)}")

    def test_a_meter_to_three_appliances(self) -> None:
        self.go("/")
        self.tab_to(r"\btitle$")
        self.type("Gas for a kitchen")
        self.tab_to(r"\bpractice$")
        self.type("N")
        self.tab_to("^Start job$")
        self.enter()
        self.press("1")
        self.page.wait_for_url("**/survey")
        for kind, east, north, burns in STATIONS:
            self.page.wait_for_function(SETTLED, polling=20)
            if not self.page.evaluate("document.activeElement.name === 'kind'"):
                self.tab_to(r"\bkind$")
            self.pick(kind)
            self.tab_to(r"\beast$")
            self.type(east)
            self.tab_to(r"\bnorth$")
            self.type(north)
            if burns:
                self.tab_to(r"\boutput$")
                self.type(burns)
            self.enter()
            self.assertEqual(self.page.locator(".refused:visible").all_inner_texts(), [])
        self.page.evaluate("document.activeElement.blur()")
        self.press("2")
        self.page.wait_for_url("**/pace")
        self.page.wait_for_function(SETTLED, polling=20)
        for text in RUNS:
            self.press("/")
            self.type(text)
            self.press("Enter")
            self.page.wait_for_function(SETTLED, polling=20)
            self.assertEqual(self.page.locator("#line-error").inner_text(), "")
            self.press("Escape")
        self.press("3")
        self.page.wait_for_url("**/sizes")
        self.page.wait_for_function(SETTLED, polling=20)
        self.assertIn("every appliance gets its pressure", self.page.locator(".headline").first.inner_text())
        margins = self.page.locator("tr[data-margin-pa]").evaluate_all("rows => rows.map(row => +row.dataset.marginPa)")
        self.assertEqual(len(margins), 3)
        self.assertGreater(min(margins), 0)
        self.assertEqual(self.page.locator(".finding.stop").count(), 0)
        self.assertEqual(self.page.locator(".finding.mind").all_inner_texts(), [])
        self.done("Gas, a meter to three appliances", most_s=300)


if __name__ == "__main__":
    unittest.main()
