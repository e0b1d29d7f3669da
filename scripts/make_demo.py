"""Writes the demo documents in oikotherm/demo/ from the edits a fitter would make. Run after a change of the model.

.venv/bin/python -m scripts.make_demo
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from oikotherm.core.catalogue import standard
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.document import blank, write
from oikotherm.core.job.model import Job
from oikotherm.core.services.heating.series import emitter_of

DEMO = Path(__file__).parents[1] / "oikotherm" / "demo"


def _station(
    kind: str, id_: str, name: str, level: str, at: tuple[float, float, float], faces: str, **more: Any
) -> dict[str, Any]:
    return {
        "do": "add_station",
        "kind": kind,
        "id": id_,
        "name": name,
        "level": level,
        "at": at,
        "faces": faces,
        **more,
    }


def _brings(job: Job, id_: str, **brings: Any) -> dict[str, Any]:
    station = job.station(id_)
    assert station is not None
    return {"do": "put_station", "station": {**station.model_dump(exclude_none=True), "brings": brings}}


HOUSE = (
    "room SCU on L0 Scullery: 4500,3000 4500x3000 18C",
    "room TEA on L0 Tea room: 3600,0 5400x3000 20C 2700W",
    "room KIT on L0 Kitchen: 0,0 3600x6000 18C 900W",
    "room HAL on L0 Hall: 3600,3000 900x3000 18C 400W",
    "room FLT on L1 Sitting room: 0,0 5400x4200 21C 1750W",
    "room BED on L1 Bedroom: 5400,0 3600x3000 18C 650W",
    "room BTH on L1 Bathroom: 5400,3000 3600x3000 22C 200W",
    "room LND on L1 Landing: 0,4200 5400x1800 18C cold",
    "wall W1 on L0: 3600,0 to 3600,6000 100 masonry",
    "wall W2 on L0: 4500,3000 to 9000,3000 100 stud",
    "wall W3 on L0: 4500,3000 to 4500,6000 100 stud",
    "wall W4 on L0: 9150,0 to 9150,6000 300 masonry",
    "joists J1 on L1: 0,0 9000x3000 along N 200x47 at 400 span 3000",
    "joists J2 on L1: 0,3000 9000x3000 along N 200x47 at 400 span 3000",
    "beam B1 on L0: 4500,2850,2380 4500x250x120",
    "board E1 on L0: 4550,3800,1500 90x400x500 clear 25",
)
RADIATORS = (
    ("R1", "Tea room, south wall", "L0", (5400, 0, 150), "N", 1650, 1000, "TEA"),
    ("R2", "Kitchen, west wall", "L0", (0, 4400, 150), "E", 1250, 1000, "KIT"),
    ("R3", "Sitting room, south wall", "L1", (2500, 0, 150), "N", 1500, 1000, "FLT"),
    ("R4", "Tea room, east wall", "L0", (9000, 1500, 150), "W", 1150, 800, "TEA"),
    ("R5", "Tea room, window", "L0", (7600, 0, 150), "N", 1150, 800, "TEA"),
    ("R6", "Hall", "L0", (3600, 4500, 150), "E", 700, 600, "HAL"),
    ("R7", "Bedroom, south wall", "L1", (8357, 0, 150), "N", 1000, 1000, "BED"),
    ("R8", "Bathroom, towel rail", "L1", (9000, 3990, 150), "W", 350, 300, "BTH"),
    ("R9", "Sitting room, north wall", "L1", (1496, 4200, 150), "S", 1100, 800, "FLT"),
)
HEATING = (
    "F1 from BLR.flow cu-m 22: U120 W150 [vent] W150 [safety-valve set 3] W150 [iso] W150 D300 *T3 D1510 (floor 22) "
    "{floor lag 13} D150 "
    "S2400 *T4 S220 [drain] S220 W843 *T1 W2302 *T6 W598 *T2 =cu-m 15 W3002 N848 U150 (floor 22) {view} U171 -> "
    "R2.left",
    "F2 from F1.T1 cu-m 15: {floor lag 13} S2950 U150 (floor 22) {view} U171 -> R1.left",
    "F3 from F1.T2 cu-m 15: {floor lag 13} S2950 U150 (floor 22) {view} U1050 [iso] U1400 (floor 250) {floor} U178 "
    "*T1 U120 {view} U173 -> R3.left",
    "RT1 from BLR.return cu-m 22: U120 E100 [vent] E100 D150 [iso set locked] D150 *T3 D600 [filter] D310 [vessel set "
    "18] D300 [filling] D300 (floor 22) {floor lag 13} D210 S300 [drain] "
    "S2240 *T4 S360 W657 *T5 W2300 *T1 W1198 *T6 W1702 *T2 =cu-m 15 W1898 N2012 U210 (floor 22) {view} U171 -> "
    "R2.right",
    "RT2 from RT1.T1 cu-m 15: {floor lag 13} S2890 U210 (floor 22) {view} U171 -> R1.right",
    "RT3 from RT1.T2 cu-m 15: {floor lag 13} S2875? U210 (floor 22) {view} U1050 [iso] U1400 (floor 250) {floor} U118 "
    "*T1 U180 {view} U173 -> R3.right",
    "F4 from F1.T3 cu-m 22: W200 U1118 {floor} S65 *T2 S1583 *T1 =cu-m 15 S3192 E2314 S950 U100 (floor 22) {view} "
    "U193 -> R7.left",
    "RT4 from RT1.T3 cu-m 22: S130 U1058 {floor} S150 *T2 S1772 *T1 =cu-m 15 S3738 U160 (floor 22) {view} U193 -> "
    "R7.right",
    "F5 from F4.T1 cu-m 15: {floor} E2355 U100 (floor 22) {view} U193 -> R8.left",
    "RT5 from RT4.T1 cu-m 15: {floor} U60 E1145 U100 (floor 22) {view} U193 -> R8.right",
    "F6 from F4.T2 cu-m 22: {floor} U122 (floor 22) {view} U775 W250 [iso] W480 -> CYL.flow",
    "RT6 from RT4.T2 cu-m 22: {floor} U182 (floor 22) {view} U475 W1457 N215 W100 [balance set 0.8] W150 [iso] W233 "
    "-> CYL.return",
    "F7 from F1.T4 cu-m 15: {floor lag 13} E1257 *T1 E898 S1488 U150 (floor 22) {view} U171 -> R4.left",
    "RT7 from RT1.T4 cu-m 15: {floor lag 13} E1145 S2252 U210 (floor 22) {view} U171 -> R4.right",
    "F8 from F7.T1 cu-m 15: {floor lag 13} S3390 U150 (floor 22) {view} U171 -> R5.left",
    "RT8 from RT1.T5 cu-m 15: {floor lag 13} S2890 U210 (floor 22) {view} U171 -> R5.right",
    "F9 from F1.T6 cu-m 15: {floor lag 13} N1148 U150 (floor 22) {view} U171 -> R6.left",
    "RT9 from RT1.T6 cu-m 15: twin F9 N704 -> R6.right",
    "F10 from F3.T1 cu-m 15: {floor} N950 W2008 N3150 U100 (floor 22) {view} U193 -> R9.left",
    "RT10 from RT3.T1 cu-m 15: {floor} N? U160 (floor 22) {view} U193 -> R9.right",
)
DRAINS = ("i18/device:in", "i18/device:out", "i73/device:in", "i73/device:out")
OTHER = (
    "G1 from MTR.out cu-m 28: U200 [clamp set 4.5m] U400 [iso] U300 E3163 *T1 =cu-m 22 (wall 100 sleeve) E910 "
    "(wall 100) E2700 D1204 E100 [iso] =cu-m 15 E250 U66 -> BLR.gas",
    "G2 from G1.T1 cu-m 22: D100 *T1 D1875 S1646 [iso] S1500 -> RNG.gas",
    "G3 from G2.T1 cu-m 15: S4146 D1575 [iso] D300 S200 -> URN.gas",
    "C1 from SUP.out cu-m 22: U200 [iso] U200 *T3 U200 *T1 U440 S100 *T2 S100 [iso] S1132 D740 -> SOF.in",
    "C2 from SOF.out cu-m 22: U200 W100 S200 [iso] S100 *T1 S100 *T2 =cu-m 15 S1232 W840 U140 -> K1.in",
    "C3 from C1.T1 cu-m 15: W60 S300 [check DC >] S600 [iso] S80 E440 (wall 300 sleeve) {outside lag 25} S2400 D260 "
    "-> HOS.in",
    "C5 from C1.T2 cu-m 22: W100 S600 [iso set shut] S? D? -> C2.T1",
    "C6 from C2.T2 cu-m 22: U1540 W1565 *T1 W1775 [iso] W250 N? U200 (floor 250) {view} U? E? -> CYL.cold",
    "C7 from C6.T1 cu-m 15: N? U200 (floor 250) {view} U? -> SHW.cold",
    "C8 from C1.T3 cu-m 15: S150 U? -> K2.in",
    "H1 from CYL.hot cu-m 22: U150 N205 =cu-m 15 E1000 D750 E? U? -> SHW.hot",
    "D1 from SOF.drain cu-m 15: {fall 1:50} S200 D300 -> stub",
)


def surveyed() -> Job:
    """The Lockhouse before the first run is paced: levels, rooms, stations."""
    job = blank(
        "lockhouse",
        "The Lockhouse at Brindle Reach",
        "british",
        "mm",
        "Lock-keeper's house on the canal, tea room and flat",
    )
    levels = [
        {"id": "L0", "name": "Ground floor", "floor_mm": 0, "ceiling_mm": 2500},
        {"id": "L1", "name": "Flat", "floor_mm": 2750, "ceiling_mm": 5050},
        {"id": "L2", "name": "Loft", "floor_mm": 5300, "ceiling_mm": 7000},
    ]
    commands: list[dict[str, Any]] = [{"do": "put_level", "level": level} for level in levels]
    commands += [{"do": "put_house", "text": line} for line in HOUSE]
    commands.append(
        _station(
            "boiler",
            "BLR",
            "Scullery, north wall",
            "L0",
            (7500, 6000, 1000),
            "S",
            data={"output_w": 18000, "input_w": 20000, "room": "SCU", "kv": 3.5, "volume_l": 3.2},
        )
    )
    for id_, name, level, at, faces, output, width, room in RADIATORS:
        data = {
            "output_w": output,
            "room": room,
            "rated_at_k": 50,
            "exponent": 1.3,
            "volume_l": round(output / 300, 1),
            "width_mm": width,
        }
        commands.append(
            _station("emitter", id_, name, level, at, faces, data=data, state="keep" if id_ == "R2" else "new")
        )
    commands += [
        _station(
            "cylinder",
            "CYL",
            "Bathroom cupboard",
            "L1",
            (5600, 6000, 100),
            "S",
            data={"volume_l": 120, "coil_w": 3000, "store_c": 60},
        ),
        _station("meter", "MTR", "Gas meter, kitchen", "L0", (300, 5970, 900), "S", state="keep"),
        _station(
            "appliance",
            "RNG",
            "Range, six burners",
            "L0",
            (3600, 2400, 0),
            "W",
            data={"input_w": 28000, "height_mm": 860, "gas": "natural"},
        ),
        _station(
            "appliance", "URN", "Water boiler", "L0", (3600, 1200, 0), "W", data={"input_w": 9000, "height_mm": 860}
        ),
        _station("supply", "SUP", "Water main", "L0", (8940, 5900, 200), "S", state="keep", data={"supply_pa": 350000}),
        _station("softener", "SOF", "Scullery, east wall", "L0", (9000, 4600, 0), "W"),
        _station("outlet", "K1", "Scullery sink", "L0", (8000, 3000, 900), "N"),
        _station("outlet", "K2", "Drinking tap", "L0", (8960, 5730, 900), "W"),
        _station("outlet", "SHW", "Shower", "L1", (7200, 6000, 1050), "S", variant="shower"),
        _station("outlet", "HOS", "Wash-down hose", "L0", (9300, 2500, 600), "E", facing="up", variant="outside-tap"),
        _station(
            "outlet",
            "WC1",
            "Cistern under the stairs",
            "L0",
            (4400, 5900, 700),
            "S",
            state="keep",
            end="cu-old 1/2 pipe",
            variant="wc",
        ),
        _station(
            "stub",
            "OF1",
            "Old flow, kitchen",
            "L0",
            (3650, 2700, -120),
            "E",
            state="remove",
            end="cu-old 1 pipe",
            role="flow",
        ),
        _station(
            "stub",
            "OR1",
            "Old return, kitchen",
            "L0",
            (3650, 2600, -120),
            "E",
            state="remove",
            end="cu-old 1 pipe",
            role="return",
        ),
        _station(
            "stub",
            "OC1",
            "Old cold, under the stairs",
            "L0",
            (4400, 5400, -80),
            "N",
            state="keep",
            end="cu-old 1/2 pipe",
            role="cold",
        ),
        {"do": "put_circuit", "circuit": {"id": "CH1", "source": "BLR", "flow_c": 75, "return_c": 55, "cold_c": 10}},
    ]
    job = apply_all(job, commands, standard())
    return apply_all(job, [_brings(job, "BLR", drains=True), _brings(job, "CYL", vents=True)], standard())


def lockhouse() -> Job:
    """The Lockhouse at Brindle Reach: boiler, nine emitters and a cylinder on two levels, cold water, gas placed, old
    pipe kept and removed.

    The return RT3 has a leg that was not taped and misses its radiator by 15 mm: something to find.
    """
    job = surveyed()
    commands: list[dict[str, Any]] = [{"do": "put_run", "text": text} for text in (*HEATING, *OTHER)]
    commands += [
        {"do": "put_run", "text": "F11 from OF1.end cu-old 1: E1500 S1900 E700 -> stub"},
        {"do": "put_run", "text": "RT11 from OR1.end cu-old 1: E1400 S1700 E800 -> stub"},
        {"do": "put_run", "text": "C4 from OC1.end cu-old 1/2: N480 U780 -> WC1.in"},
        *(
            {
                "do": "waive",
                "rule": "concealed-joint",
                "where": where,
                "reason": "under the hatch in the scullery floor",
            }
            for where in DRAINS
        ),
        *(
            {"do": "set_state", "run": run, "state": state}
            for run, state in (("F11", "remove"), ("RT11", "remove"), ("C4", "keep"))
        ),
    ]
    return apply_all(job, commands, standard())


IN = 25.4


def fernhollow() -> Job:
    """Fernhollow Seed Exchange, the water heater corner: storage heater in inch copper, its gas in threaded steel,
    paced in inches."""
    job = blank(
        "fernhollow",
        "Fernhollow Seed Exchange, heater corner",
        "north-american",
        "in",
        "Timber library of seeds, utility corner behind the stacks",
    )
    body = {"width_mm": 20 * IN, "height_mm": 56 * IN, "depth_mm": 20 * IN}
    commands: list[dict[str, Any]] = [
        {"do": "put_level", "level": {"id": "L0", "name": "Main floor", "floor_mm": 0, "ceiling_mm": 96 * IN}},
        *(
            {"do": "put_house", "text": line}
            for line in (
                "room UTL on L0 Utility: 0,0 120x90 68F",
                "wall W1 on L0: 0,92 to 120,92 4 timber",
                "board E1 on L0: 80,84,48 16x6x24 clear 4",
                "room STK on L0 Stacks: 124,0 296x90 66F",
                "room DRY on L0 Drying room: 0,-130 120x126 68F",
                "room GRN on L0 Greenhouse: -260,0 252x90 60F cold",
                "wall W2 on L0: 423,0 to 423,90 6 timber",
                "wall W3 on L0: 122,0 to 122,90 4 timber",
                "wall W4 on L0: 0,-2 to 120,-2 4 timber",
                "wall W5 on L0: -4,0 to -4,90 8 masonry",
                *(f"beam B{n} on L0: {x},0,84 8x90x12" for n, x in ((1, 351), (2, 261), (3, 171))),
            )
        ),
        _station(
            "heater",
            "WH",
            "Storage heater, 50 gal",
            "L0",
            (60 * IN, 88 * IN, 4 * IN),
            "S",
            data={"input_w": 11700, "volume_l": 190, "flue_mm": 4 * IN, **body},
        ),
        _station(
            "heater",
            "OLD",
            "Old heater, 40 gal",
            "L0",
            (60 * IN, 88 * IN, 0),
            "S",
            state="remove",
            data={"volume_l": 151, "width_mm": 18 * IN, "height_mm": 48 * IN, "depth_mm": 18 * IN, "gas": "propane"},
        ),
        _station(
            "supply",
            "SUP",
            "Water from the street",
            "L0",
            (8 * IN, 86 * IN, 12 * IN),
            "S",
            data={"supply_pa": 413685},
        ),
        _station(
            "regulator",
            "REG",
            "Second stage, propane, outdoors",
            "L0",
            (430 * IN, 60 * IN, 36 * IN),
            "E",
            variant="second-stage",
            data={"outlet_pa": 2865, "gas": "propane"},
        ),
        _station(
            "appliance",
            "OVN",
            "Seed drying oven",
            "L0",
            (96 * IN, -126 * IN, 0),
            "N",
            variant="oven",
            data={"input_w": 11700, "gas": "propane"},
        ),
        _station(
            "appliance",
            "GH",
            "Greenhouse heater",
            "L0",
            (-150 * IN, 84 * IN, 12 * IN),
            "S",
            variant="greenhouse",
            data={"input_w": 20500, "gas": "propane"},
        ),
        _station(
            "vessel",
            "EXP",
            "Expansion tank",
            "L0",
            (30 * IN, 84.0625 * IN, 78 * IN),
            "S",
            role="cold",
            data={"volume_l": 8},
        ),
        _station("stub", "CHM", "Vent through the ceiling", "L0", (42 * IN, 78 * IN, 92 * IN), "S", state="keep"),
        _station("outlet", "SNK", "Potting sink", "L0", (20 * IN, 2 * IN, 34 * IN), "N", role="hot"),
    ]
    job = apply_all(job, commands, standard())
    tank = job.station("EXP")
    assert tank is not None
    port = {**tank.ports[0].model_dump(), "kit": [{"part": "sweat-adaptor-1/2", "turn": None}]}
    heater, chimney = job.station("WH"), job.station("CHM")
    assert heater is not None
    assert chimney is not None
    hood = {"name": "flue", "role": "flue", "way": "out", "offset": (0, 10 * IN, 56 * IN), "facing": "up", "kit": []}
    stack = {"name": "end", "role": "flue", "way": "either", "offset": (0, 0, 0), "facing": "down", "kit": []}
    texts = (
        "C1 from SUP.out cu-l 3/4: U20 [iso] U34-1/4 S? E22 *T1 E12 [iso] E? D? -> WH.cold",
        "C2 from C1.T1 cu-l 3/4: U4 =cu-l 1/2 U? -> EXP.in",
        "H1 from WH.hot cu-l 3/4: U14 S12 {boxed} =pexa 3/4 S6 W45 S51 D28 {view} =cu-l 1/2 D18 S? U? -> SNK.in",
        "G1 from REG.out fe-40 3/4: {outside} N5 [iso handle E] N4 [union] N3 U12 [clamp set 20ft] U36 W6 (wall 6) "
        "{view} W54+-2 D14+-1 W24+-2 U14+-1 W16+-2 [union] W17+-2 *L1:D plug W33+-2 D14+-1 W24+-2 U14+-1 W33+-2 *L2:D "
        "plug W33+-2 D14+-1 W24+-2 U14+-1 W41+-2 (wall 4) "
        "W12 [iso] W8 [union] W8 S16 D38 *P1:D cap 6 W7 *M1 W7 *M2 W7 *M3 W7 *M4 plug W6 -> cap",
        "G2 from G1.M3 fe-40 1/2: D4 [label WH] D4 =csst EHD18 D8 N? D5 =fe-40 1/2 D6 [iso] D6 [union] D? "
        "*T1:D cap 3 W? -> WH.gas",
        "G3 from G1.M2 fe-40 1/2: D4 [label OVN] D4 =csst EHD23 D8 E31 S55 (wall 4) S? D8 =fe-40 1/2 D6 [iso] D6 "
        "[union] D? *T1:D cap 3 W? -> OVN.gas",
        "G4 from G1.M1 fe-40 1/2: D4 [label GH] D4 =csst EHD25 D8 N8 U56 W90 (wall 8 sleeve) W172 N? D8 =fe-40 1/2 D10 "
        "[iso] D6 [union] D? *T1:D cap 3 E? -> GH.gas",
        "V1 from WH.flue vent-sw 4: U14 W+2U18 U? -> CHM.end",
        "D1 from WH.relief cu-l 3/4: {fall 1:50} W3 D45-1/2 -> stub",
    )
    commands = [
        {"do": "put_station", "station": {**tank.model_dump(exclude_none=True), "ports": [port]}},
        {
            "do": "put_station",
            "station": {
                **heater.model_dump(exclude_none=True),
                "ports": [*(one.model_dump() for one in heater.ports), {**hood, "end": "vent 4 crimp"}],
            },
        },
        {
            "do": "put_station",
            "station": {**chimney.model_dump(exclude_none=True), "ports": [{**stack, "end": "vent 4 plain"}]},
        },
        *({"do": "put_run", "text": text} for text in texts),
        *(
            {"do": "waive", "rule": "gas-air", "where": room, "reason": reason}
            for room, reason in (
                ("UTL", "two openings of 100 in2 to the stacks, near the top and the bottom of the wall"),
                ("DRY", "two ducts to the open, sized by the licensed person"),
                ("GRN", "louvres that stay open while it is heated"),
            )
        ),
    ]
    return apply_all(job, commands, standard())


def _floor(square_metres: float) -> dict[str, Any]:
    """A loop laid at 150 mm: what is known of it."""
    found = emitter_of(f"floor 150x{square_metres:g}")
    return {
        "output_w": found.output_w,
        "exponent": found.exponent,
        "rated_at_k": found.rated_at_k,
        "loop_m": found.loop_m,
        "width_mm": found.width_mm,
        "height_mm": found.height_mm,
        "room": "SHP",
    }


def _panel(said: str, room: str) -> dict[str, Any]:
    found = emitter_of(said)
    return {
        "output_w": found.output_w,
        "exponent": found.exponent,
        "volume_l": found.litres,
        "width_mm": found.width_mm,
        "height_mm": found.height_mm,
        "room": room,
    }


OLMO_HOUSE = (
    "room PLT on L0 Plant room: 0/0 3000x3000 18C",
    "room HAL on L0 Oven hall: 3100/0 6000x5000 18C 2100W",
    "room SHP on L0 Shop: 0/3100 3000x5000 20C 1150W",
    "room FLO on L0 Flour store: 9200/0 3000x4000 15C 700W flameless",
    "wall W1 on L0: 3050/0 to 3050/3000 100 masonry",
    "wall W2 on L0: 0/3050 to 3000/3050 100 masonry",
    "wall W3 on L0: 9150/0 to 9150/5000 100 masonry",
)
OLMO_RUNS = (
    "F1 from BLR.flow fe-press 22: D200 [iso] D150 E200 *T1 E150 U800 [air-separator] U1090 E1045 (wall 100) E160 "
    "N500 [iso] N? -> MAN.flow",
    "RT1 from BLR.return fe-press 22: D200 [iso] D220 N150 E200 [filling] E200 [filter] E300 *T1 E200 U1760 E565 "
    "[coupling] E140 (wall 100) E160 N500 [iso] N? -> MAN.return",
    "F2 from F1.T1 fe-press 22: N300 [iso] N2540 (wall 100) N160 E150 D210 W? -> MIX.flow",
    "RT2 from RT1.T1 fe-press 22: N300 [iso] N2390 (wall 100) N160 D340 W? -> MIX.return",
    "F3 from MAN.f1 mlc 16: D100 E? S? D? -> R1.left",
    "RT3 from MAN.r1 mlc 16: D140 E? S? D? -> R1.right",
    "F4 from MAN.f2 mlc 16: D100 E5940 (wall 100) E? N? D? -> R2.left",
    "RT4 from MAN.r2 mlc 16: D140 E5940 (wall 100) E270 N? W? D? -> R2.right",
    "F5 from MAN.f3 mlc 16: D100 E? N? D? -> PRV.left",
    "RT5 from MAN.r3 mlc 16: D140 E? N? D? -> PRV.right",
    "G1 from MTR.out fe-m 1: U300 [iso] U250 [union] U950 *T1 U220 E2930 (wall 100 sleeve) E1180 N? D1700 [iso] D150 "
    "[union] D? E? -> OVN.gas",
    "G2 from G1.T1 fe-m 3/4: S? D1000 [iso] D150 [union] D820 E? U? -> BLR.gas",
    *(
        f"{role}{n} from MIX.{port} mlc 16: D? -> {end}"
        for role, n, port, end in (
            ("F", 6, "f1", "U1.flow"),
            ("RT", 6, "r1", "U1.return"),
            ("F", 7, "f2", "U2.flow"),
            ("RT", 7, "r2", "U2.return"),
        )
    ),
    "C1 from SUP.out cu-m 22: U240 [iso] U1300 *T1 E300 [iso] E? D? -> WH.cold",
    "C2 from C1.T1 cu-m 22: U1100 E2980 (wall 100) E120 D2500 N1225 *T1 =cu-m 15 N? U? -> BAS.cold",
    "C3 from C2.T1 cu-m 15: U? -> SNK.cold",
    "H1 from WH.hot cu-m 22: {lag 20} U1450 N150 E1875 (wall 100) E250 D2250 N925 *T1 =cu-m 15 N475 *T2 N? W? U? "
    "-> BAS.hot",
    "H2 from H1.T1 cu-m 15: W? U? -> SNK.hot",
    "RC1 from WH.recirc cu-m 22: {lag 20} U300 [check] U300 [pump] U300 [iso] U200 =cu-m 15 U200 S150 E1860 "
    "[coupling] E140 (wall 100) E380 D1900 N? D? W? -> H1.T2",
    "D1 from WH.relief cu-m 15: {fall 1:50} W150 D1050 -> stub",
)


def olmo_vecchio() -> Job:
    """Olmo Vecchio bakehouse: a plant room in thin steel, multilayer from a ceiling manifold, the shop's floor behind a
    mixing set.

    The boiler's own vessel is too small for the added circuits: something to find.
    """
    job = blank("olmo-vecchio", "Olmo Vecchio bakehouse", "continental", "mm", "Oven hall, shop and flour store")
    body = {"output_w": 24000, "room": "PLT", "volume_l": 3.6, "pump_curve": [(0.0, 15000), (0.2, 13000), (0.4, 7000)]}
    coil = {"output_w": 900, "exponent": 1.3, "volume_l": 1.8, "width_mm": 600, "height_mm": 300, "room": "HAL"}
    commands: list[dict[str, Any]] = [
        {"do": "put_level", "level": {"id": "L0", "name": "Ground floor", "floor_mm": 0, "ceiling_mm": 3200}},
        *({"do": "put_house", "text": line} for line in OLMO_HOUSE),
        _station("boiler", "BLR", "Plant room, south wall", "L0", (1500, 0, 1300), "N", data=body),
        _station("manifold", "MAN", "Oven hall, under the ceiling", "L0", (3100, 1500, 2500), "E"),
        _station("manifold", "MIX", "Shop, mixing set", "L0", (1500, 3100, 400), "N"),
        _station(
            "emitter", "R1", "Oven hall, south wall", "L0", (6000, 0, 150), "N", data=_panel("22 600x1400", "HAL")
        ),
        _station(
            "emitter", "R2", "Flour store, west wall", "L0", (9200, 2500, 150), "E", data=_panel("21 600x800", "FLO")
        ),
        _station("emitter", "PRV", "Prover cupboard, coil", "L0", (7500, 5000, 300), "S", data=coil),
        _station("emitter", "U1", "Shop, towards the street", "L0", (1625, 3140, 0), "N", data=_floor(12)),
        _station("emitter", "U2", "Shop, counter", "L0", (1475, 3140, 0), "N", data=_floor(8)),
        _station(
            "meter",
            "MTR",
            "Plant room, west wall",
            "L0",
            (0, 1200, 900),
            "E",
            data={"gas": "natural", "outlet_pa": 2100, "capacity_m3_h": 10},
        ),
        _station(
            "appliance",
            "OVN",
            "Deck oven",
            "L0",
            (5200, 5000, 0),
            "S",
            variant="oven",
            data={
                "input_w": 45000,
                "input_is_net": True,
                "gas": "natural",
                "width_mm": 1600,
                "height_mm": 1900,
                "depth_mm": 1500,
                "room": "HAL",
            },
        ),
        _station(
            "supply",
            "SUP",
            "Plant room, water main",
            "L0",
            (0, 2750, 300),
            "E",
            state="keep",
            data={"supply_pa": 380000, "hardness_mg_l": 260},
        ),
        _station(
            "heater",
            "WH",
            "Plant room, hot water",
            "L0",
            (1000, 3000, 0),
            "S",
            variant="electric",
            data={"volume_l": 120, "input_w": 2000, "store_c": 60},
        ),
        _station("outlet", "SNK", "Oven hall, sink", "L0", (3100, 3900, 900), "E", variant="sink"),
        _station("outlet", "BAS", "Oven hall, hand basin", "L0", (3100, 4600, 800), "E", variant="basin"),
        {"do": "put_circuit", "circuit": {"id": "CH1", "source": "BLR", "flow_c": 70, "return_c": 50}},
        {"do": "put_circuit", "circuit": {"id": "UF1", "source": "MIX", "flow_c": 40, "return_c": 33}},
        {
            "do": "choose",
            "topic": "pipe-in-view",
            "option": "any",
            "origin": "job",
            "reason": "lime-washed walls, the baker does not mind",
        },
    ]
    job = apply_all(job, commands, standard())
    inside = [_brings(job, "BLR", pump=True, vessel_l=3, safety_valve_bar=3, vents=True)]
    inside += [_brings(job, name, vents=True, drains=True) for name in ("MAN", "MIX")]
    home = {"name": "recirc", "role": "recirc", "way": "in", "offset": (0, 250, 1400), "facing": "up"}
    inside.append({"do": "put_port", "station": "WH", "port": {**home, "end": "G 3/4 male flat", "metal": "brass"}})
    for name in ("R1", "R2", "PRV"):  # fed from the ceiling: valves that look up, lockshields with a drain-off
        station = job.station(name)
        assert station is not None
        ports = [
            {**port.model_dump(), "kit": [{"part": kit.part, "turn": "up" if kit.turn else None} for kit in port.kit]}
            for port in station.ports
        ]
        inside.append(
            {
                "do": "put_station",
                "station": {
                    **station.model_dump(exclude_none=True),
                    "ports": ports,
                    "brings": {"vents": True, "drains": True},
                },
            }
        )
    return apply_all(job, [*inside, *({"do": "put_run", "text": text} for text in OLMO_RUNS)], standard())


DEMOS = (lockhouse, fernhollow, olmo_vecchio)
SERIALS = {
    "lockhouse": {"BLR": "BR-20-0417", "CYL": "CY-120-3306"},
    "fernhollow": {"WH": "SH50-2281"},
    "olmo-vecchio": {"BLR": "CB-24-1093", "WH": "EW-120-0652"},
}
"""Made up, as on their plates."""


def _numbered(job: Job) -> Job:
    """The job with the serials of its appliances."""
    for ident, serial in SERIALS[job.uid].items():
        station = job.station(ident)
        assert station is not None
        data = {**station.model_dump(exclude_none=True), "serial": serial}
        job = apply_all(job, [{"do": "put_station", "station": data}], standard())
    return job


if __name__ == "__main__":
    DEMO.mkdir(exist_ok=True)
    for make in DEMOS:
        made = _numbered(make())
        (DEMO / f"{made.uid}.oikotherm.json").write_text(write(made), "utf-8")
