"""Pipes that are clicked on the state of the house, with what a fitter would say written by hand: the valves to shut,
the taps without water, what turns cold or has no gas, the litres that stand between the valves.

A click is a run with the number of a straight on it from its start, or a station. Valves are said as "RUN n", the n-th
valve on a run from its start, as "STATION.port", or as the source itself. Litres are metres of pipe, added up along the
runs as they are paced, times what a metre holds.
"""

from __future__ import annotations

import unittest
from typing import NamedTuple

from oikotherm.core.design import Design, derive
from oikotherm.core.work.isolation import isolate
from oikotherm.core.work.state import house_of

from ..jobs import whole

L_M = {"15": 0.145267, "22": 0.320474, "fe22": 0.283529, "mlc": 0.113097, "3/4": 0.312246, "1/2": 0.150505}
L_M["pexa"] = 0.234991


class Click(NamedTuple):
    """What is clicked and what is said by hand. metres: pipe -> mm of it between the valves; None where it is not added
    up here; bodies: litres of the stations there, as the job says them or typ of their kind."""

    at: str
    valves: str
    dry: str = ""
    cold: str = ""
    dead: str = ""
    metres: dict[str, float] | None = None
    bodies: float = 0.0


R19 = "R1 R2 R3 R4 R5 R6 R7 R8 R9"
ALL_WATER = {"22": 13463.0 - 2372.0 - 9351.0, "15": 12745.0 - 8215.0 - 3180.0}  # up to C1 2 and C3 1
C2_ON = {"22": 9351.0 - 2903.0, "15": 8215.0 - 2775.0}  # up to C6 1
TO_CYL = {"22": 2903.0, "15": 2775.0}
COLD_ALL = f"{R19} CYL SHW"

LOCKHOUSE = (
    Click("C1 0", "SUP, C1 1", "SOF K1 K2 SHW HOS CYL", metres={"22": 200}),
    Click("C1 1", "C1 1, C1 2, C3 1", "SOF K1 K2 SHW HOS CYL", metres=ALL_WATER),
    Click("C8 0", "C1 1, C1 2, C3 1", "SOF K1 K2 SHW HOS CYL", metres=ALL_WATER),
    Click("C3 0", "C1 1, C1 2, C3 1", "SOF K1 K2 SHW HOS CYL", metres=ALL_WATER),
    Click("C5 0", "C1 1, C1 2, C3 1", "SOF K1 K2 SHW HOS CYL", metres=ALL_WATER),
    Click("K2", "C1 1, C1 2, C3 1", "SOF K1 K2 SHW HOS CYL", metres=ALL_WATER),
    Click("C3 -1", "C3 1", "HOS", metres={"15": 3180}),
    Click("HOS", "C3 1", "HOS", metres={"15": 3180}),
    Click("C1 -1", "C1 2, C2 1, open C5 1", "SOF", metres={"22": 2372}),
    Click("C2 0", "C1 2, C2 1, open C5 1", "SOF", metres={"22": 2372}),
    Click("SOF", "C1 2, C2 1, open C5 1", "SOF", metres={"22": 2372}),
    Click("C2 -1", "C2 1, C6 1", "K1 SHW CYL", metres=C2_ON),
    Click("C7 0", "C2 1, C6 1", "K1 SHW CYL", metres=C2_ON),
    Click("C5 -1", "C2 1, C6 1", "K1 SHW CYL", metres=C2_ON),
    Click("C6 0", "C2 1, C6 1", "K1 SHW CYL", metres=C2_ON),
    Click("K1", "C2 1, C6 1", "K1 SHW CYL", metres=C2_ON),
    Click("C6 -1", "C6 1", "CYL, SHW hot", metres=TO_CYL, bodies=120),
    Click("H1 1", "C6 1", "CYL, SHW hot", metres=TO_CYL, bodies=120),
    Click("C4 0", "OC1", "WC1"),
    Click("R1", "R1.left, R1.right", cold="R1", metres={}, bodies=5.5),
    Click("R9", "R9.left, R9.right", cold="R9", metres={}, bodies=3.7),
    Click(
        "F2 0",
        "F1 1, F3 1, F6 1, R1.left, R2.left, R4.left, R5.left, R6.left, R7.left, R8.left",
        cold=COLD_ALL,
        metres={"22": 12806, "15": 30133},
    ),
    Click("F3 -1", "F3 1, R3.left, R9.left", cold="R3 R9", metres={"15": 8272}),
    Click("F10 0", "F3 1, R3.left, R9.left", cold="R3 R9", metres={"15": 8272}),
    Click("RT3 -1", "RT3 1, R3.right, R9.right", cold="R3 R9", metres={"15": 6309}),
    Click("F6 -1", "F6 1, RT6 1", cold="CYL SHW", metres={"22": 713}, bodies=5),
    Click("RT6 -1", "F6 1, RT6 1", cold="CYL SHW", metres={"22": 713}, bodies=5),
    Click("CYL", "C6 1, F6 1, RT6 1", "CYL, SHW hot", metres={"22": 3616, "15": 2775}, bodies=120 + 5),
    Click("G1 0", "MTR, G1 1", cold=COLD_ALL, dead="BLR RNG URN", metres={}),
    Click("G2 0", "G1 1, G1 2, G2 1, G3 1", cold=COLD_ALL, dead="BLR RNG URN", metres={}),
    Click("G3 0", "G1 1, G1 2, G2 1, G3 1", cold=COLD_ALL, dead="BLR RNG URN", metres={}),
    Click("G1 -1", "G1 2", cold=COLD_ALL, dead="BLR", metres={}),
    Click("RNG", "G2 1", dead="RNG", metres={}),
    Click("G3 -1", "G3 1", dead="URN", metres={}),
)
AFTER_WH = {"3/4": 1245.0, "1/2": 745.0, "pexa": 3301.0}
FERNHOLLOW = (
    Click("C1 0", "SUP, C1 1", "WH SNK", metres={"3/4": 3768 - 3260}),
    Click("C1 1", "C1 1, C1 2", "WH SNK", metres={"3/4": 3260 - 1245, "1/2": 821 - 745}),
    Click("C2 0", "C1 1, C1 2", "WH SNK", metres={"3/4": 3260 - 1245, "1/2": 821 - 745}),
    Click("C1 -1", "C1 2", "WH SNK", metres=AFTER_WH, bodies=190),
    Click("H1 2", "C1 2", "WH SNK", metres=AFTER_WH, bodies=190),
    Click("SNK", "C1 2", "WH SNK", metres=AFTER_WH, bodies=190),
    Click("G1 0", "REG, G1 1", cold="SNK", dead="WH OVN GH", metres={}),
    Click("G1 5", "G1 1, G1 2", cold="SNK", dead="WH OVN GH", metres={}),
    Click("G3 1", "G1 2, G2 1, G3 1, G4 1", cold="SNK", dead="WH OVN GH", metres={}),
    Click("OVN", "G3 1", dead="OVN", metres={}),
    Click("G4 -1", "G4 1", dead="GH", metres={}),
    Click("G2 -1", "G2 1", cold="SNK", dead="WH", metres={}),
)
LOOPS = 0.113097 * 2 * 66.6666  # of U1 and U2, 16 mm multilayer
FROM_WH = {"22": 9055.0, "15": 7932.0}
OLMO = (
    Click("C1 0", "SUP, C1 1", "WH SNK BAS", metres={"22": 240}),
    Click("C1 1", "C1 1, C1 2", "WH SNK BAS", metres={"22": 18580 - 9055, "15": 9184 - 7932}),
    Click("C3 0", "C1 1, C1 2", "WH SNK BAS", metres={"22": 18580 - 9055, "15": 9184 - 7932}),
    Click("C1 -1", "C1 2", "WH, SNK hot, BAS hot", metres=FROM_WH, bodies=120),
    Click("H1 0", "C1 2", "WH, SNK hot, BAS hot", metres=FROM_WH, bodies=120),
    Click("RC1 0", "C1 2", "WH, SNK hot, BAS hot", metres=FROM_WH, bodies=120),
    Click("R1", "R1.left, R1.right", cold="R1", metres={}, bodies=8.26),
    Click("F3 0", "F1 2, RT1 2", cold="R1 R2 PRV", metres={"fe22": 950, "mlc": 51256}, bodies=14.54),
    Click("F6 0", "F2 1, RT2 1", cold="U1 U2", metres={"fe22": 6420, "mlc": 1600}, bodies=LOOPS),
    Click("G1 0", "MTR, G1 1", cold="R1 R2 PRV U1 U2", dead="BLR OVN", metres={}),
    Click("G1 1", "G1 1, G1 2, G2 1", cold="R1 R2 PRV U1 U2", dead="BLR OVN", metres={}),
    Click("OVN", "G1 2", dead="OVN", metres={}),
    Click("G2 -1", "G2 1", cold="R1 R2 PRV U1 U2", dead="BLR", metres={}),
)


def names(design: Design) -> dict[str, str]:
    """Valve -> its name as it is said here."""
    found = {}
    for run in design.job.runs:
        own = [item.id for item in run.items if item.kind == "device" and item.part in ("iso", "gate")]
        found.update({f"{item}/device": f"{run.id} {n}" for n, item in enumerate(own, 1)})
    return found


def words(said: str) -> set[str]:
    return {one.strip() for one in said.split(",")} if "," in said else set(said.split())


class ClickedTest(unittest.TestCase):
    def check(self, uid: str, clicks: tuple[Click, ...]) -> None:
        design = derive(whole(uid))
        house, called = house_of(design), names(design)
        for click in clicks:
            run, _, number = click.at.partition(" ")
            key = house.pieces(run)[int(number)] if number else click.at
            found = isolate(design, key)
            with self.subTest(job=uid, at=click.at):
                valves = {called.get(one, one) for one in found.valves} | {f"open {called[one]}" for one in found.opens}
                self.assertEqual(valves, {one.strip() for one in click.valves.split(",")})
                self.assertEqual(set(found.dry), words(click.dry))
                self.assertEqual(set(found.cold), words(click.cold))
                self.assertEqual(set(found.dead), words(click.dead))
                if click.metres is not None:
                    litres = sum(L_M[pipe] * mm / 1000 for pipe, mm in click.metres.items()) + click.bodies
                    self.assertAlmostEqual(found.litres, litres, delta=0.005)

    def test_lockhouse(self) -> None:
        self.check("lockhouse", LOCKHOUSE)

    def test_fernhollow(self) -> None:
        self.check("fernhollow", FERNHOLLOW)

    def test_olmo(self) -> None:
        self.check("olmo-vecchio", OLMO)


if __name__ == "__main__":
    unittest.main()
