"""Every sentence that says what a valve shuts, against a flood written apart: on the demos and on random houses."""

from __future__ import annotations

import random
import re
import unittest

from oikotherm.core.design import Design, derive
from oikotherm.core.services import spec
from oikotherm.core.work.care import shut_off_rows
from oikotherm.core.work.drain_down import drain_down
from oikotherm.core.work.isolation import isolate, shutting
from oikotherm.core.work.valves import shut_alone
from tests.core.test_state import DEMOS, Flood
from tests.jobs import edit, job, port, station, whole


def random_house(seed: int) -> Design:
    """A main of water with tees, valves and taps, and of gas with appliances, paced at random."""
    rng = random.Random(f"house {seed}")
    made = edit(
        job(),
        station("SUP", [port("out", "comp-cu 22 socket", (0, 0, 0), role="cold")], kind="supply"),
        station("MTR", [port("out", "comp-cu 22 socket", (0, 4000, 0), role="gas")], kind="meter"),
    )
    number = {"K": 0, "A": 0}
    for letter, source, role in (("C", "SUP.out", "cold"), ("G", "MTR.out", "gas")):
        at, tees = 400, rng.randint(1, 4)
        words = "U300"
        for _ in range(tees):
            words += f" E{rng.randrange(500, 900)}{' [iso] E400' if rng.random() < 0.5 else ''} *"
        lines = [f"from {source} cu-m 22: {words} E600 -> cap"]
        first = f"{letter}1"
        for n in range(1, tees + 1):
            valve = " [iso] N300" if rng.random() < 0.6 else ""
            lines.append(f"from {first}.T{n} cu-m 15: N{rng.randrange(400, 900)}{valve} W? U? -> END")
        for line in lines:
            if "END" not in line:
                made = edit(made, {"do": "put_run", "text": line})
                continue
            kind = "K" if letter == "C" else "A"
            number[kind] += 1
            ident = f"{kind}{number[kind]}"
            at += 700
            spot = (at * 3, (0 if letter == "C" else 4000) + 1500, 900)
            made = edit(
                made,
                station(
                    ident,
                    [port("in", "comp-cu 15 socket", spot, "down", role=role, way="in")],
                    kind="outlet" if kind == "K" else "appliance",
                ),
                {"do": "put_run", "text": line.replace("END", f"{ident}.in").replace(" W?", " E?")},
            )
    return derive(made)


def false_sentences(design: Design) -> tuple[int, list[str]]:
    """How many sentences of a design were looked at, and those the flood says otherwise."""
    flood, wrong = Flood(design), []
    gone = {one.id for one in design.job.stations if one.state == "remove"}
    there = {one.id for one in design.job.stations} - gone
    wet = {p for p in flood.pieces if flood.run[flood.work.straights[p].run].state != "remove"}
    rule = flood.shut()
    before = flood.live(wet, rule, set(), gone)
    on = flood.works(before, rule, there)
    rows = [one for one in shut_off_rows(design) if one.valve]
    for row in rows:
        live = flood.live(wet, {row.valve, *rule}, set(), gone)
        off = on - flood.works(live, {row.valve, *rule}, there)
        said = re.search(r"shuts ([^;]*)", row.says)
        named = set(said[1].split(", ")) if said else set()
        left = [
            (node, piece)
            for node, owner in flood.owner.items()
            if owner.kind not in ("supply", "stub", "vessel", "meter", "regulator", "softener")
            and node != row.valve
            and "flow" not in spec.kind(owner.kind).sources
            for piece in live
            if node in flood.at[piece] and flood.of[piece] == row.service
        ]
        if named != off:
            wrong.append(f"{row.says}: {sorted(named)} said, {sorted(off)} by flood")
        if row.whole and left:
            wrong.append(f"{row.says}: not all of it, {left[:2]}")
    return len(rows), wrong


def sentences(seed: int, count: int) -> tuple[int, list[str]]:
    """The sentences of so many random houses."""
    looked, wrong = 0, []
    for number in range(count):
        many, said = false_sentences(random_house(seed * 1000 + number))
        looked += many
        wrong += said
    return looked, wrong


class ValveTest(unittest.TestCase):
    def test_no_sentence_is_false(self) -> None:
        looked, wrong = sentences(739948, 12)
        for uid in DEMOS:
            many, said = false_sentences(derive(whole(uid)))
            looked += many
            wrong += said
        self.assertEqual(wrong, [])
        self.assertGreater(looked, 60)

    def test_all_valves_at_once_as_each_alone(self) -> None:
        """One walk finds what every valve alone shuts; it says for each what shutting that one valve says."""
        looked = 0
        for design in (*(derive(whole(uid)) for uid in DEMOS), *(random_house(seed) for seed in range(12))):
            for valve, at_once in shut_alone(design).items():
                alone = shutting(design, [valve])
                for name in ("straights", "off", "dead"):
                    self.assertEqual(set(getattr(at_once, name)), set(getattr(alone, name)), (valve, name))
                self.assertAlmostEqual(at_once.litres, alone.litres, places=6)
                looked += 1
        self.assertGreater(looked, 100)

    def test_what_runs_out_by_hand(self) -> None:
        """A radiator of 600 mm gives what stands above its ports, 50 mm up: 5.5 x 550 / 600 = 5.04 of 5.5 L. A store
        whose ports are on top gives nothing back: at the Fernhollow's C1 only pipe above the cut; the Lockhouse's
        cylinder, cold port 100 mm up, all above it, and of its coil what stands above the return."""
        house = derive(whole("lockhouse"))
        self.assertAlmostEqual(drain_down(house, "R1").litres, 5.5 * (1 - 50 / 600), delta=0.05)
        self.assertAlmostEqual(isolate(house, "R1").litres, 5.5, places=3)
        shop = derive(whole("fernhollow"))
        found = drain_down(shop, "C1")
        self.assertNotIn("WH", dict(found.places))
        self.assertAlmostEqual(found.stays_l, 190, delta=1)
        own = [one for one in shop.traced.straights.values() if one.run in ("C1", "C2", "H1")]
        most = sum(
            0.235 * one.length_mm / 1000 if "pexa" in one.pipe.code else 0.3122 * one.length_mm / 1000 for one in own
        )
        self.assertLess(found.litres, most)
        cylinder = dict(drain_down(house, "CYL").places)["CYL"]
        self.assertAlmostEqual(cylinder, 120 * (1 - 100 / 1050) + 5 * (1 - 375 / 1050), delta=0.1)


if __name__ == "__main__":
    unittest.main()
