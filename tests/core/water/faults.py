"""Faults of fresh water, planted one by one: (sound job, what is done, rule, where, words)."""

from __future__ import annotations

from typing import Any

from oikotherm.core.job.model import Job

from ...jobs import edit, retyped, said, whole
from .plumbed import HOME, house, let_off, plumbed, ring, softened, supply

FERN = whole("fernhollow")
HOUSE = house(data={"supply_pa": 3e5})
CLOSED = house(middle="[check] U300mm [vessel set 8]", heater_data={"volume_l": 150.0})
LEVEL = house(middle="[check] U300mm E500mm [vessel set 8] E500mm", heater_data={"volume_l": 150.0})
LEVEL = edit(LEVEL, retyped(LEVEL, "C1", ("E3000mm", "E2000mm")))
TANKLESS = house(heater=("heater", "tankless"), data={"supply_pa": 3e5})


def called(job: Job, ident: str, variant: str) -> dict[str, Any]:
    """An outlet of another use."""
    found = job.station(ident)
    assert found is not None
    return {"do": "put_station", "station": {**found.model_dump(exclude_none=True), "variant": variant}}


def with_relief(job: Job) -> Job:
    """A store with a relief valve of 15 mm on its side."""
    port = {"name": "relief", "role": "discharge", "way": "out", "offset": (0, 0, 0), "facing": "left"}
    return edit(job, {"do": "put_port", "station": "WH", "port": {**port, "end": "comp-cu 15 socket"}})


STORE = edit(
    let_off(),
    {"do": "remove_run", "id": "D2"},
    {"do": "remove_run", "id": "D1"},
    {"do": "remove_station", "id": "TUN"},
    {"do": "put_run", "text": "D1 from WH.out cu-m 15: {fall 1:50} W300 D1850 -> stub"},
)
CLOSED_RELIEF = with_relief(CLOSED)
RING, SOFT, OFF = ring(HOME), softened(), let_off()

DC = "[double-check set containment]"
CONTAINED = house(middle=DC)
RPZ = edit(
    house(middle="[reduced-pressure]"),
    {"do": "add_station", "kind": "tundish", "id": "TUN", "level": "L0", "at": (300, 0, 50)},
)
POU = "[double-check set point-of-use]"
ON_BRANCH = plumbed(
    "british",
    [supply("cu-m 22 pipe")],
    [
        "C1 from S.out cu-m 22: U900mm [iso] E600mm *T1 E1000mm -> cap",
        f"C2 from C1.T1 cu-m 22: N400mm [strainer] N600mm [iso] N600mm {POU} N600mm [iso] N1000mm -> cap",
    ],
    {"C1": {"id": "SNK", "variant": "sink"}, "C2": {"id": "BAS", "variant": "basin"}},
)
BROKEN = plumbed(
    "british",
    [supply("cu-m 22 pipe")],
    ["C1 from S.out cu-m 22: U300mm [iso] U2200mm [vacuum-breaker] E1000mm D700mm -> cap"],
    {"C1": {"id": "BAS", "variant": "basin"}},
)
HOSE = plumbed(
    "british",
    [supply("cu-m 15 pipe")],
    ["C1 from S.out cu-m 15: U300mm [iso] U300mm [check] U300mm -> cap"],
    {"C1": {"id": "HOS", "variant": "outside-tap"}},
)

FAULTS: dict[str, tuple[Job, tuple[dict[str, Any], ...], str, str, str]] = {
    "too little pressure for the shower": (
        HOUSE,
        (said(HOUSE, "S", supply_pa=1.4e5),),
        "water-short",
        "SHR",
        "SHR gets 0.92 bar of hot with what runs at once; it needs 1.00 bar",
    ),
    "a main too narrow": (
        HOUSE,
        ({"do": "set_pipe", "run": "C1", "item": None, "code": "cu-m", "size": "15"},),
        "water-fast",
        "C1",
        "C1-1: 2.04 m/s of cold in cu-m 15; at most 2.0",
    ),
    "a sink far from its heater": (
        HOUSE,
        (retyped(HOUSE, "H1", ("N5000", "N42000")),),
        "hot-wait",
        "SNK",
        "SNK waits 39 s for hot water: 7.7 L run off first",
    ),
    "more pressure than a house bears": (
        HOUSE,
        (said(HOUSE, "S", supply_pa=6e5),),
        "supply-high",
        "S",
        "6.00 bar stand at S.out; 5.00 bar are the most",
    ),
    "a main that gives too little": (
        HOUSE,
        (said(HOUSE, "S", supply_pa=3e5, flow_kg_s=0.2),),
        "main-short",
        "S",
        "S.out gives 12 L/min; 17.8 run at once",
    ),
    "a circulation without its pump": (
        RING,
        (retyped(RING, "RC1", ("[pump] S300mm ", "")),),
        "circulation-still",
        "RC1",
        "RC1 brings hot water home without a pump",
    ),
    "a tankless heater with too little pressure": (
        TANKLESS,
        (said(TANKLESS, "WH", least_pa=3e5),),
        "fires-late",
        "WH",
        "it fires from 3.00 bar on",
    ),
    "a tankless heater with too little flow": (
        TANKLESS,
        (said(TANKLESS, "WH", least_flow_kg_s=0.18),),
        "fires-late",
        "WH",
        "SHR runs 9 L/min; WH fires from 10.8 L/min on",
    ),
    "a check valve and no vessel": (
        CLOSED,
        (retyped(CLOSED, "C1", ("[vessel set 8] ", "")),),
        "closed-supply",
        "WH",
        "The supply of WH is closed by the check valve on C1, and it has no expansion vessel. 8 L of vessel",
    ),
    "a valve before the vessel": (
        CLOSED,
        (retyped(CLOSED, "C1", ("[vessel set 8]", "[vessel set 8] U200 [iso]")),),
        "expansion-shut",
        "WH",
        "A valve can shut the vessel of WH off from it",
    ),
    "a vessel too small": (
        CLOSED,
        (retyped(CLOSED, "C1", ("[vessel set 8]", "[vessel set 2]")),),
        "expansion-small",
        "WH",
        "WH needs 7.3 L of vessel, 2 L are there",
    ),
    "a vessel that sticks out": (
        LEVEL,
        (retyped(LEVEL, "C1", ("E2000mm", "E2000mm U200mm [vessel set 8]"), ("E500mm [vessel set 8] ", "E500mm ")),),
        "expansion-heavy",
        "C1",
        "weighs 11 kg full: 24 N m on cu-m 22; 15 N m are what it bears",
    ),
    "a vessel on a hose": (
        FERN,
        (retyped(FERN, "C2", ("=cu-l 1/2", "=conn 1/2")),),
        "expansion-flexible",
        "EXP",
        "EXP hangs on a flexible connector of C2",
    ),
    "a cool store": (
        CLOSED,
        (said(CLOSED, "WH", volume_l=150.0, store_c=50),),
        "store-cool",
        "WH",
        "WH is kept at 50 C; 60 C are the least",
    ),
    "a tundish too far from its valve": (
        let_off("W300mm D200mm"),
        (
            retyped(OFF, "D1", ("D200", "D600")),
            {"do": "move_station", "id": "TUN", "by": (0, 0, -400)},
        ),
        "discharge-long",
        "D1",
        "D1 is 90[0-9] mm to TUN; 600 mm are the most",
    ),
    "a discharge too long": (
        OFF,
        (retyped(OFF, "D2", ("W4000", "W9000")),),
        "discharge-long",
        "D2",
        "D2: 9.5 m with 1 bends is longer than 8.2 m: take 28",
    ),
    "no hard water to drink": (
        SOFT,
        ({"do": "remove_run", "id": "C3"}, called(SOFT, "BAS", "sink")),
        "softener-drinking",
        "SOF",
        "BAS drinks water softened by SOF: no sink has hard water",
    ),
    "softened water for the boiler": (
        SOFT,
        (retyped(SOFT, "C2", ("[iso] N500mm", "[iso] N250mm [filling] N250mm")),),
        "softener-drinking",
        "SOF",
        "The filling point on C2 takes softened water",
    ),
    "an outside tap on soft water": (
        SOFT,
        (called(SOFT, "BAS", "outside-tap"),),
        "softener-drinking",
        "SOF",
        "BAS, an outside tap, takes softened water of SOF",
    ),
    "a discharge that ends high": (
        STORE,
        (retyped(STORE, "D1", ("D1850", "D1000")),),
        "discharge-end",
        "D1",
        "D1 ends 994 mm above the floor; 27 mm to 150 mm are wanted",
    ),
    "a relief valve too small": (
        CLOSED_RELIEF,
        (said(CLOSED_RELIEF, "WH", volume_l=300.0),),
        "relief-small",
        "WH",
        "WH holds 300 L at 0 kW: its relief valve is DN 15, DN 20 is wanted",
    ),
    "a softener without a bypass": (
        SOFT,
        ({"do": "remove_run", "id": "C4"},),
        "softener-bypass",
        "SOF",
        "SOF has no bypass: nothing runs while it is served",
    ),
    "a bypass that may stand open": (
        SOFT,
        (retyped(SOFT, "C4", ("[iso set shut]", "[iso]")),),
        "softener-bypass-open",
        "C4",
        "C4 goes round the softener and is not said to be shut",
    ),
    "a softener whose drain is shut": (
        SOFT,
        ({"do": "set_finish", "run": "D1", "finish": "cap"},),
        "softener-drain",
        "SOF",
        "D1, the drain of SOF, is shut at its end",
    ),
    "an assembly behind a branch": (
        CONTAINED,
        (retyped(CONTAINED, "C1", (f"U400mm {DC} U300mm *T1", f"U700mm *T1 U300mm {DC}")),),
        "containment-late",
        "C1",
        "C1: water branches off before its containment assembly",
    ),
    "an assembly that spills into the room": (
        RPZ,
        ({"do": "remove_station", "id": "TUN"},),
        "assembly-drain",
        "C1",
        "The reduced-pressure assembly on C1 has no drain under it",
    ),
    "an assembly near the floor": (
        CONTAINED,
        (retyped(CONTAINED, "C1", ("U400mm", "U200mm"), ("containment] U300mm", "containment] U500mm")),),
        "assembly-height",
        "C1",
        "The assembly on C1 stands 200 mm above the floor; 300 mm to 1500 mm are wanted",
    ),
    "an appliance's assembly on the main": (
        CONTAINED,
        (retyped(CONTAINED, "C1", ("set containment", "set point-of-use")),),
        "point-of-use-place",
        "C1",
        "The point-of-use assembly stands on C1, which is no branch",
    ),
    "an assembly behind a tee of its branch": (
        ON_BRANCH,
        (retyped(ON_BRANCH, "C2", (f"[strainer] N600mm [iso] N600mm {POU}", f"*T3 N1200mm {POU}")),),
        "point-of-use-place",
        "C2",
        "C2: C2.T3 branches off before the assembly that is to keep it clean",
    ),
    "an assembly that hangs": (
        ON_BRANCH,
        (retyped(ON_BRANCH, "C2", (f"N600mm {POU}", f"U300mm N600mm D300mm {POU}")),),
        "assembly-way",
        "C2",
        "The assembly on C2 hangs in falling pipe",
    ),
    "an assembly out in the frost": (
        ON_BRANCH,
        (retyped(ON_BRANCH, "C2", ("N400mm [strainer]", "{outside} N400mm [strainer]")),),
        "assembly-frost",
        "C2",
        "The assembly on C2 lies outside without 25 mm of lagging",
    ),
    "an assembly without a strainer": (
        ON_BRANCH,
        (retyped(ON_BRANCH, "C2", ("N400mm [strainer] N600mm", "N1000mm")),),
        "assembly-strainer",
        "C2",
        "No strainer stands before the assembly on C2",
    ),
    "an assembly without the valve before it": (
        ON_BRANCH,
        (retyped(ON_BRANCH, "C2", ("N600mm [iso] N600mm", "N1200mm")),),
        "assembly-valves",
        "C2",
        "No valve of its own stands before",
    ),
    "a vacuum breaker too low": (
        BROKEN,
        (retyped(BROKEN, "C1", ("U2200mm [vacuum-breaker]", "U1000mm [vacuum-breaker]"), ("D700mm", "U500mm")),),
        "breaker-height",
        "C1",
        "The vacuum breaker on C1 stands 500 mm below BAS, the highest outlet behind it; 300 mm above it are wanted",
    ),
    "a hose tap without its check": (
        HOSE,
        (retyped(HOSE, "C1", ("[check] ", "")),),
        "hose-breaker",
        "HOS",
        "HOS, an outside tap, has no vacuum breaker or check of its own",
    ),
    "an assembly put into the main": (
        HOUSE,
        (retyped(HOUSE, "C1", ("U400mm U300mm", f"U400mm {DC} U300mm")),),
        "assembly-loss",
        "C1",
        "22 double check assembly on C1: 0.14 bar at what runs at once; 2.38 bar are left at SHR, 1.00 bar needed",
    ),
}
