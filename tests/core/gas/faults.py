"""Faults of gas pipe and of the rooms it runs to, planted one by one: (sound job, what is done, rule, where, words)."""

from __future__ import annotations

from typing import Any

from oikotherm.core.job.model import Job

from ...jobs import edit, port, retyped, said, station, whole
from ...jobs import job as job_of

LOCK, OLMO, FERN = whole("lockhouse"), whole("olmo-vecchio"), whole("fernhollow")


def moved(job: Job, ident: str, **fields: Any) -> dict[str, Any]:
    """A station with other fields."""
    found = job.station(ident)
    assert found is not None
    return {"do": "put_station", "station": {**found.model_dump(exclude_none=True), **fields}}


def two_psi(protected: bool) -> Job:
    """A meter at more than 2 psi that feeds an appliance regulator."""
    regulator = {"outlet_pa": 1745, "protected": True} if protected else {"outlet_pa": 1745}
    stations = (
        ("meter", "MTR", "", (0, 0, 900), {"gas": "natural", "outlet_pa": 20_000}),
        ("regulator", "REG", "appliance", (4000, 0, 1200), regulator),
        ("appliance", "OVN", "oven", (8000, 0, 0), {"input_w": 20_000}),
    )
    job = edit(
        FERN,
        *(
            {
                "do": "add_station",
                "kind": kind,
                "id": f"{ident}2",
                "variant": variant,
                "level": "L0",
                "faces": "S",
                "at": (at[0], at[1] - 9000, at[2]),
                "data": data,
            }
            for kind, ident, variant, at, data in stations
        ),
    )
    return edit(
        job,
        {"do": "put_run", "text": "G8 from MTR2.out fe-40 1/2: U12 [iso] U12 E? S? D? E6 -> REG2.in"},
        {
            "do": "put_run",
            "text": "G9 from REG2.out fe-40 1/2: E60 [iso] E8 [union] E? N? D? *T1:D cap 3 E? -> OVN2.gas",
        },
    )


def old_line() -> Job:
    """A threaded line that is there, with a tee for later in it."""
    made = edit(
        job_of("north-american", "in"),
        station("B", [port("out", "NPT 3/4 female", (0, 0, 0), role="gas")], kind="meter", state="keep"),
        {"do": "put_run", "text": "G1 from B.out fe-40 3/4: U24 E30 *T1:N plug E40 U12 -> cap"},
    )
    return edit(made, {"do": "set_state", "run": "G1", "state": "keep"})


def tank(fill_percent: float) -> Job:
    """A propane tank, its two stages, and a furnace of 60 kW."""
    stations = (
        (
            "gas-tank",
            "GTK",
            "tank",
            (0, 0, 0),
            {"diameter_mm": 762, "length_mm": 1676, "outdoor_c": -12.2, "fill_percent": fill_percent, "gas": "propane"},
        ),
        ("regulator", "REG", "second-stage", (6000, 50, 900), {"outlet_pa": 2865, "gas": "propane"}),
        ("appliance", "FUR", "", (9000, 60, 0), {"input_w": 60_000, "gas": "propane"}),
    )
    made = edit(
        job_of("north-american", "in"),
        *(
            {"do": "add_station", "kind": kind, "id": ident, "variant": variant, "level": "L0", "at": at, "data": data}
            for kind, ident, variant, at, data in stations
        ),
    )
    return edit(
        made,
        {"do": "put_run", "text": "G1 from GTK.out fe-40 3/4: {outside} U6 E? D? E6 -> REG.in"},
        {"do": "put_run", "text": "G2 from REG.out fe-40 3/4: E60 [iso] E8 [union] E18 D? *T1:D cap 3 E? -> FUR.gas"},
    )


TANK_DECK = {"do": "put_house", "text": "window N1 on L0: 440,68,10 24x2x20"}

FAULTS: dict[str, tuple[Job, tuple[dict[str, Any], ...], str, str, str]] = {
    "an appliance valve out of reach": (
        LOCK,
        (retyped(LOCK, "G2", ("S1646 [iso] S1500", "S600 [iso] S2546")),),
        "gas-valve-reach",
        "RNG",
        "The valve of RNG is 2546 mm away from it",
    ),
    "no union at an appliance": (
        FERN,
        (retyped(FERN, "G2", ("D6 [union] ", "D6 ")),),
        "gas-no-union",
        "WH",
        "WH has no union behind its valve",
    ),
    "no sediment trap": (
        FERN,
        (retyped(FERN, "G2", ("*T1:D cap 3 ", "")),),
        "gas-no-trap",
        "WH",
        "WH has no sediment trap",
    ),
    "a trap that looks up": (
        FERN,
        (retyped(FERN, "G2", ("D6 [iso] D6 [union] D? *T1:D cap 3 W?", "D? [iso] W2 [union] W3 *T1:U cap 3 W?")),),
        "gas-trap",
        "G2",
        "The trap G2.T1 does not look down",
    ),
    "a trap too short": (
        FERN,
        (retyped(FERN, "G2", ("cap 3", "cap 2")),),
        "gas-trap",
        "G2",
        'The nipple of the trap G2.T1 is 2": too short',
    ),
    "a trap before its valve": (
        FERN,
        (
            retyped(
                FERN,
                "G2",
                ("D8 N? D5", "D8 E12 N? D5"),
                ("D6 [iso] D6 [union] D? *T1:D cap 3 W?", "D? *T1:D cap 3 W6 [iso] W6 [union] W?"),
            ),
        ),
        "gas-trap",
        "WH",
        "The trap G2.T1 of WH stands before its valve or union",
    ),
    "a connector through a wall": (
        FERN,
        (retyped(FERN, "G2", ("D? *T1:D cap 3 W?", "D3 *T1:D cap 3 W1-1/2 =conn 1/2 W2 (wall 1/2) W? D? W3")),),
        "gas-connector",
        "WH",
        "The connector of WH goes through a wall",
    ),
    "a connector too long": (
        FERN,
        (
            retyped(
                FERN,
                "G2",
                (
                    "D8 N? D5 =fe-40 1/2 D6 [iso] D6 [union] D? *T1:D cap 3 W?",
                    "D4 =fe-40 1/2 D6 [iso] D6 =conn 1/2 D8 E40 N? W? D? W3",
                ),
            ),
        ),
        "gas-connector",
        "WH",
        "The connector of WH is .* long",
    ),
    "a connector too small": (
        FERN,
        (
            retyped(FERN, "G2", ("D? *T1:D cap 3 W?", "D3 *T1:D cap 3 W1-1/2 =conn 1/2 W? D? W3")),
            said(FERN, "WH", input_w=48_000),
        ),
        "gas-connector-small",
        "WH",
        "The connector of WH is good for",
    ),
    "no bonding clamp": (
        FERN,
        (retyped(FERN, "G1", ("U12 [clamp set 20ft] U36", "U48")),),
        "gas-unbonded",
        "REG",
        "The gas pipe of REG.out has corrugated tube, and no bonding clamp",
    ),
    "a clamp on corrugated tube": (
        FERN,
        (
            retyped(FERN, "G1", ("U12 [clamp set 20ft] U36", "U48")),
            retyped(FERN, "G3", ("E31", "E15 [clamp] E16")),
        ),
        "gas-clamp",
        "G3",
        "G3: the clamp sits on csst EHD23",
    ),
    "bonding wire too long": (
        FERN,
        (retyped(FERN, "G1", ("20ft", "80ft")),),
        "gas-clamp",
        "G1",
        "80'0\" of bonding wire",
    ),
    "a clamp to a rod of its own": (
        FERN,
        (retyped(FERN, "G1", ("set 20ft", "set rod")),),
        "gas-clamp",
        "G1",
        "goes to a rod of its own",
    ),
    "a clamp far from the meter": (
        LOCK,
        (retyped(LOCK, "G1", ("U200 [clamp set 4.5m] U400 [iso] U300", "U600 [iso] U200 [clamp set 4.5m] U100")),),
        "gas-clamp",
        "G1",
        "the clamp is 800 mm from the meter; 600 mm at most",
    ),
    "a gas end left as a stub": (
        FERN,
        ({"do": "set_finish", "run": "G1", "finish": "stub"},),
        "gas-end",
        "G1",
        "G1 ends as a stub: it is closed with a plug",
    ),
    "manifold outlets without labels": (
        FERN,
        (retyped(FERN, "G3", ("D4 [label OVN] D4", "D8")),),
        "gas-label",
        "G3",
        "The outlets of a manifold have no labels: G3",
    ),
    "corrugated tube outdoors": (
        FERN,
        (retyped(FERN, "G4", ("E? -> ", "E? -> "), ("D8 N8", "{outside} D8 N8")),),
        "gas-tube-outside",
        "G4",
        "G4 runs outdoors in csst EHD25",
    ),
    "a valve outdoors with its handle up": (
        FERN,
        (retyped(FERN, "G1", ("handle E", "handle U")),),
        "gas-handle",
        "G1",
        "the valve outdoors has its handle up",
    ),
    "a regulator indoors": (
        FERN,
        (moved(FERN, "REG", at=(200 * 25.4, 60 * 25.4, 36 * 25.4)),),
        "gas-regulator-place",
        "REG",
        "REG stands in Stacks",
    ),
    "a regulator over an opening": (
        FERN,
        (TANK_DECK,),
        "gas-regulator-place",
        "REG",
        'REG is .* from N1, a window: 3.0" at least',
    ),
    "a hole too large for the studs": (
        FERN,
        (retyped(FERN, "G1", ("S16 D38", "{wall} S16 {view} D38")),),
        "gas-stud",
        "G1",
        "in the studs; a bearing stud takes",
    ),
    "corrugated tube in a wall": (
        FERN,
        (retyped(FERN, "G2", ("N?", "{wall} N? {view}")),),
        "gas-shield",
        "G2",
        "G2 lies in the wall in csst EHD18",
    ),
    "a burner in a bedroom": (
        FERN,
        ({"do": "put_house", "text": "room UTL on L0 Back bedroom: 0,0 120x90 68F"},),
        "gas-bedroom",
        "WH",
        "WH takes its air from Back bedroom, a bedroom",
    ),
    "too little air": (
        FERN,
        ({"do": "unwaive", "rule": "gas-air", "where": "UTL"},),
        "gas-air",
        "WH",
        "Utility has 600 ft3; WH wants 1,996 ft3",
    ),
    "a burner low in a garage": (
        FERN,
        ({"do": "put_house", "text": "room DRY on L0 Garage: 0,-130 120x126 68F"},),
        "gas-garage",
        "OVN",
        'OVN stands 0" above the floor of Garage',
    ),
    "thin air": (
        FERN,
        ({"do": "put_fact", "fact": {"path": "house/altitude_m", "value": 1500, "unit": "m", "basis": "told"}},),
        "gas-altitude",
        "house/altitude_m",
        "At 1500 m every input falls by 12 %",
    ),
    "a plate that asks for more": (
        FERN,
        (said(FERN, "WH", least_inlet_pa=2790),),
        "gas-inlet-low",
        "WH",
        "WH gets 11.1. in w.c.; it asks for 11.20 in w.c. or more",
    ),
    "2 psi to an appliance": (
        OLMO,
        (said(OLMO, "OVN", most_inlet_pa=2000),),
        "gas-inlet-high",
        "OVN",
        "OVN gets up to 21.00 mbar; it bears 20.00 mbar",
    ),
    "no protection above 2 psi": (
        two_psi(True),
        (said(two_psi(True), "REG2", protected=False),),
        "gas-overpressure",
        "REG2",
        "REG2 is fed 2.90 psi and nothing protects what is behind it",
    ),
    "too much pressure indoors": (
        two_psi(True),
        (said(two_psi(True), "MTR2", outlet_pa=40_000),),
        "gas-indoors",
        "G8",
        "G8 carries 5.80 psi indoors; 5.00 psi at most",
    ),
    "a level vent connector": (
        FERN,
        (retyped(FERN, "V1", ("W+2U18", "W18")),),
        "vent-rise",
        "V1",
        "V1 does not rise 1 in 48 towards its chimney",
    ),
    "a vent connector narrower than its hood": (
        FERN,
        (retyped(FERN, "V1", ("vent-sw 4", "vent-sw 3")),),
        "vent-narrow",
        "V1",
        'V1 is 3" across; the hood of WH is 4"',
    ),
    "a vent connector by timber": (
        FERN,
        ({"do": "put_house", "text": "beam B9 on L0: 44,81,76 10x3x6"},),
        "vent-clear",
        "V1",
        'V1 passes 5" from B9: 6" at least',
    ),
    "a tee in an old threaded line": (
        old_line(),
        ({"do": "put_run", "text": "G2 from G1.T1 fe-40 1/2: N24 -> cap"},),
        "gas-tap-in",
        "G1",
        "G1.T1 is cut into threaded pipe between two fittings: it closes only with a union",
    ),
    "a tank that gives too little": (
        tank(40),
        (said(tank(40), "GTK", fill_percent=20),),
        "gas-tank-draw",
        "GTK",
        "GTK gives 52 kW at 20 % full and -12 C; what hangs on it burns 60 kW",
    ),
}
