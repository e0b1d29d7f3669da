"""Writes the demo documents in oikotherm/demo/ from the edits a fitter would make. Run after a change of the model.

.venv/bin/python -m scripts.make_demo
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from oikotherm.core.catalogue import standard
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.document import blank, read_as, write
from oikotherm.core.job.model import House, Job

DEMO = Path(__file__).parents[1] / "oikotherm" / "demo"


def _room(
    id_: str, level: str, name: str, west: float, south: float, east: float, north: float, room_c: float
) -> dict[str, Any]:
    outline = [(west, south), (east, south), (east, north), (west, north)]
    return {"id": id_, "level": level, "name": name, "outline": outline, "room_c": room_c}


def lockhouse() -> Job:
    """The Lockhouse at Brindle Reach, first part: boiler, three radiators on two levels, flow and return paced.

    The last return, RT3, has a leg that was not taped and misses its radiator by 15 mm: something to find.
    """
    job = blank(
        "lockhouse",
        "The Lockhouse at Brindle Reach",
        "british",
        "mm",
        "Lock-keeper's house on the canal, tea room and flat",
    )
    house = {
        "levels": [
            {"id": "L0", "name": "Ground floor", "floor_mm": 0, "ceiling_mm": 2500},
            {"id": "L1", "name": "Flat", "floor_mm": 2750, "ceiling_mm": 5050},
        ],
        "rooms": [
            _room("SCU", "L0", "Scullery", 4500, 3000, 9000, 6000, 18),
            _room("TEA", "L0", "Tea room", 3600, 0, 9000, 3000, 20),
            _room("KIT", "L0", "Kitchen", 0, 0, 3600, 6000, 18),
            _room("FLT", "L1", "Sitting room", 0, 0, 5400, 4200, 21),
        ],
    }
    job = read_as(Job, {**dict(job), "house": read_as(House, house)})
    radiators = [
        ("R1", "Tea room, south wall", "L0", (5400, 0, 150), "N", {"output_w": 1650, "room": "TEA"}),
        ("R2", "Kitchen, west wall", "L0", (0, 4400, 150), "E", {"output_w": 1250, "room": "KIT"}),
        ("R3", "Sitting room, south wall", "L1", (2500, 0, 150), "N", {"output_w": 1500, "room": "FLT"}),
    ]
    boiler = {
        "do": "add_station",
        "id": "BLR",
        "kind": "boiler",
        "name": "Scullery, north wall",
        "level": "L0",
        "at": (7500, 6000, 1000),
        "faces": "S",
        "data": {"output_w": 18000, "room": "SCU", "kv": 3.5, "volume_l": 3.2},
    }
    circuit = {"id": "CH1", "source": "BLR", "flow_c": 75, "return_c": 65, "cold_c": 10}
    commands: list[dict[str, Any]] = [boiler, {"do": "put_circuit", "circuit": circuit}]
    for id_, name, level, at, faces, data in radiators:
        rated = {**data, "rated_at_k": 50, "exponent": 1.3, "volume_l": 5.5}
        commands.append(
            {
                "do": "add_station",
                "id": id_,
                "kind": "emitter",
                "name": name,
                "level": level,
                "at": at,
                "faces": faces,
                "data": rated,
                "state": "keep" if id_ == "R2" else "new",
            }
        )
    texts = [
        "F1 from BLR.flow cu-m 22: U120 W150 [vent] W150 [safety-valve set 3] W150 [iso] W150 D1810 (floor 22) {floor lag 13} D150 "
        "S2840 W843 *T1 W2900 *T2 =cu-m 15 W3002 N848 U150 (floor 22) {view} U171 -> R2.left",
        "F2 from F1.T1 cu-m 15: {floor lag 13} S2950 U150 (floor 22) {view} U171 -> R1.left",
        "F3 from F1.T2 cu-m 15: {floor lag 13} S2950 U150 (floor 22) {view} U1050 [iso] U1400 (floor 250) U471 -> R3.left",
        "RT1 from BLR.return cu-m 22: U120 E100 [vent] E100 D900 [filter] D310 [vessel set 18] D300 [filling] D300 (floor 22) "
        "{floor lag 13} D210 S300 [drain] S2600 W2957 *T1 W2900 *T2 =cu-m 15 W1898 N2012 U210 (floor 22) {view} U171 -> R2.right",
        "RT2 from RT1.T1 cu-m 15: {floor lag 13} S2890 U210 (floor 22) {view} U171 -> R1.right",
        "RT3 from RT1.T2 cu-m 15: {floor lag 13} S2875? U210 (floor 22) {view} U1050 [iso] U1400 (floor 250) U471 -> R3.right",
    ]
    commands += [{"do": "put_run", "text": text} for text in texts]
    return apply_all(job, commands, standard())


if __name__ == "__main__":
    DEMO.mkdir(exist_ok=True)
    (DEMO / "lockhouse.oikotherm.json").write_text(write(lockhouse()), "utf-8")
