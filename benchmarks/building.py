"""A made-up building of many emitters, to measure against."""

from __future__ import annotations

from typing import Any

from oikotherm.core.catalogue import standard
from oikotherm.core.job.document import blank, read_as
from oikotherm.core.job.house_acts import station_ports
from oikotherm.core.job.model import Job
from oikotherm.core.job.notation import parse_run
from oikotherm.core.job.words import Style
from oikotherm.core.services import spec

ROW = 15
DATA: dict[str, dict[str, Any]] = {"emitter": {"output_w": 1000.0}, "appliance": {"input_w": 6000.0}}


def building(emitters: int = 300, *, services: bool = False) -> Job:
    """A job with that many emitters in storeys of 15, flow and return paced: trunk, floor mains, branches.

    Every branch turns, passes a floor and ends at its radiator valve, so that nothing is adrift or open. services: with
    gas and cold water too: a riser of each, and on each storey a hob, which is shut off, and a tap.
    """
    style = Style(standard())
    stations: list[dict[str, Any]] = []
    runs: list[dict[str, Any]] = []
    next_item = 1
    storeys = -(-emitters // ROW)
    levels = [
        {"id": f"L{n}", "name": f"Storey {n}", "floor_mm": n * 2800, "ceiling_mm": n * 2800 + 2400}
        for n in range(storeys)
    ]

    def station(id_: str, kind: str, level: str, at: tuple[float, float, float], faces: str, variant: str = "") -> None:
        variants = spec.kind(kind).variants
        row = next((one for one in variants if one.id == variant), variants[0])
        ports = station_ports(kind, variant, "british", row.width_mm, row.height_mm)
        data = DATA.get(kind, {})
        stations.append(
            {"data": data, "id": id_, "kind": kind, "level": level, "at": at, "faces": faces, "ports": ports}
            | {"variant": variant}
        )

    def run(text: str, role: str, service: str = "heating") -> None:
        nonlocal next_item
        parsed = parse_run(text, style)
        items = []
        for item in parsed.items:
            items.append(item.model_copy(update={"id": f"i{next_item}"}))
            next_item += 1
        finish = parsed.finish.text if parsed.finish else "none"
        runs.append(
            {
                "id": parsed.id,
                "service": service,
                "role": role,
                "start": parsed.start.text,
                "pipe": parsed.pipe,
                "items": items,
                "finish": finish,
            }
        )

    station("BLR", "boiler", "L0", (0, 4000, 1000), "S")
    for letter, role, side, port, back in (("F", "flow", "left", "flow", 0), ("RT", "return", "right", "return", 60)):
        rises = " ".join(f"*S{n} U2800" for n in range(storeys - 1)) + f" *S{storeys - 1} U300 -> cap"
        run(f"{letter}0 from BLR.{port} cu-m 22: U{110 + back} S{500 + back} {rises}", role)
        for n in range(storeys):
            count = min(ROW, emitters - n * ROW)
            main = f"{letter}{n + 1}"
            legs = " ".join(f"E{2200 if k else 2000 if back else 2540} *T{k}" for k in range(count))
            run(f"{main} from {letter}0.S{n} cu-m 22: {legs} E300 -> cap", role)
            for k in range(count):
                emitter = f"R{n * ROW + k + 1}"
                if letter == "F":
                    station(emitter, "emitter", f"L{n}", (1700 + 2200 * k, 0, 150), "N")
                run(
                    f"{letter}B{n * ROW + k + 1} from {main}.T{k} cu-m 15: S900 [iso] S? D{1900 + back} (floor 22) W? "
                    f"U? -> {emitter}.{side}",
                    role,
                )
    if services:
        station("MTR", "meter", "L0", (36000, 4000, 300), "S")
        station("SUP", "supply", "L0", (38000, 4000, 300), "S")
        rises = " ".join(f"*S{n} U2800" for n in range(storeys - 1)) + f" *S{storeys - 1} U300 -> cap"
        run(f"G0 from MTR.out cu-m 28: U300 [iso] U600 {rises}", "gas", "gas")
        run(f"C0 from SUP.out cu-m 28: U300 [iso] U600 {rises}", "cold", "water")
        for n in range(storeys):
            station(f"H{n}", "appliance", f"L{n}", (36000, 1000, 900), "N", "hob")
            station(f"K{n}", "outlet", f"L{n}", (38000, 1000, 900), "N", "outside-tap")
            run(f"GB{n} from G0.S{n} cu-m 15: S600 [iso] S? E? D? -> H{n}.gas", "gas", "gas")
            run(f"CB{n} from C0.S{n} cu-m 15: S600 [iso] S? D? -> K{n}.in", "cold", "water")
    found = {"house": {"levels": levels}, "stations": stations, "runs": runs, "next_item": next_item}
    job = blank("building", f"{emitters} emitters", "british", "mm")
    return read_as(Job, {**job.model_dump(exclude={"house", "stations", "runs", "next_item"}), **found})
