"""Small jobs of fresh water the tests build on: outlets at the ends of runs, with the stations between."""

from __future__ import annotations

from typing import Any

from oikotherm.core.design import derive
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.document import blank
from oikotherm.core.job.model import Job

from ...jobs import CATALOGUE

Ports = list[tuple[str, str, str, tuple[float, float, float], str]]


def stand(kind: str, ident: str, at: tuple[float, float, float], ports: Ports, end: str, **more: Any) -> dict[str, Any]:
    """A station that faces south at a place; ports: name, role, way, offset, facing, all with one end."""
    made = [
        {"name": name, "role": role, "way": way, "offset": offset, "facing": facing, "end": end}
        for name, role, way, offset, facing in ports
    ]
    return {
        "do": "put_station",
        "station": {"id": ident, "kind": kind, "level": "L0", "at": at, "faces": "S", "ports": made, **more},
    }


def supply(end: str, **data: Any) -> dict[str, Any]:
    return stand("supply", "S", (0, 0, 0), [("out", "cold", "out", (0, 0, 0), "up")], end, data=data)


def plumbed(practice: str, commands: list[dict[str, Any]], runs: list[str], outlets: dict[str, dict[str, Any]]) -> Job:
    """Runs that end in caps; then, at the end of each run named in outlets, an outlet of one port with the run's
    pipe. Several runs may come to one outlet: "A" or "A.hot" names it and its port."""
    unit = "in" if practice == "north-american" else "mm"
    job = apply_all(
        blank("water-1", "Water", practice, unit),
        [*commands, *({"do": "put_run", "text": text} for text in runs)],
        CATALOGUE,
    )
    whole = derive(job).pipework.runs
    for run, said in outlets.items():
        at, pipe = whole[run].end, job.run(run)
        assert pipe is not None
        last = next((item.pipe for item in reversed(pipe.items) if item.kind == "pipe"), pipe.pipe)
        role = pipe.role
        ident, _, port = said.get("id", f"T{run}").partition(".")
        before = job.station(ident)
        place = (at.x, at.y, at.z) if before is None else before.at
        offset = (at.x - place[0], -(at.y - place[1]), at.z - place[2])
        ports = [] if before is None else [one.model_dump(exclude_none=True) for one in before.ports]
        ports.append(
            {
                "name": port or "in",
                "role": role,
                "way": "in",
                "offset": offset,
                "facing": said.get("facing", "down"),
                "end": f"{last.code} {last.size} pipe",
            }
        )
        data = said.get("data", {}) if before is None else before.data.model_dump(exclude_none=True)
        made = {"id": ident, "kind": "outlet", "variant": said.get("variant", ""), "level": "L0", "at": place}
        made |= {"faces": "S", "ports": ports, "data": data}
        job = apply_all(
            job,
            [
                {"do": "put_station", "station": made},
                {"do": "set_finish", "run": run, "finish": f"{ident}.{port or 'in'}"},
            ],
            CATALOGUE,
        )
    return job


def house(practice: str = "british", code: str = "cu-m", sizes: tuple[str, str] = ("15", "22"), **more: Any) -> Job:
    """Main, heater upstairs of nothing: basin, shower with mixer, sink cold and hot. more: middle, a text put into the
    cold line before its first tee; data of the supply; heater: its kind and variant."""
    small, large = sizes
    kind, variant = more.get("heater", ("heater", "electric"))
    water = [("cold", "cold", "in", (0, 0, 0), "up"), ("hot", "hot", "out", (300, 0, 0), "up")]
    end = f"{code} {large} pipe"
    commands = [
        supply(end, **more.get("data", {})),
        stand(kind, "WH", (3000, 0, 1000), water, end, variant=variant, data=more.get("heater_data", {})),
    ]
    runs = [
        f"C1 from S.out {code} {large}: U400mm {more.get('middle', '')} U300mm *T1 U1200mm E3000mm D? -> WH.cold",
        f"C2 from C1.T1 {code} {large}: N2000mm *T1 N3000mm *T2 ={code} {small} N1500mm U900mm -> cap",
        f"C3 from C2.T1 {code} {small}: E1000mm U2600mm -> cap",
        f"C4 from C2.T2 {code} {small}: W800mm U1000mm -> cap",
        f"H1 from WH.hot {code} {large}: U600mm N4000mm *T1 ={code} {small} N5000mm U1000mm -> cap",
        f"H2 from H1.T1 {code} {small}: E1500mm U2000mm -> cap",
    ]
    outlets = {
        "C2": {"id": "BAS", "variant": "basin"},
        "C3": {"id": "SHR.cold", "variant": "shower"},
        "C4": {"id": "WCC", "variant": "wc"},
        "H1": {"id": "SNK", "variant": "sink"},
        "H2": {"id": "SHR.hot", "variant": "shower"},
    }
    return plumbed(practice, commands, runs, outlets)


HOME = "RC1 from H1.T3 cu-m 15: {lag 13} E1000mm S? [check] S300mm [pump] S300mm D? W? -> WH.recirc"


def ring(home: str) -> Job:
    """Hot goes 10 m along in 22 and home in 15, lagged 13 mm; two outlets, one of them 9 m off the ring."""
    water: Ports = [("cold", "cold", "in", (0, 0, 0), "up"), ("hot", "hot", "out", (300, 0, 0), "up")]
    water.append(("recirc", "recirc", "in", (600, 0, 0), "up"))
    return plumbed(
        "british",
        [supply("cu-m 22 pipe"), stand("heater", "WH", (3000, 0, 0), water, "cu-m 22 pipe", variant="electric")],
        [
            "C1 from S.out cu-m 22: U500mm E3000mm D? -> WH.cold",
            "H1 from WH.hot cu-m 22: {lag 13} U600mm N10000mm *T1 N200mm *T3 =cu-m 15 N600mm -> cap",
            "H2 from H1.T1 cu-m 22: {lag 13} W9000mm =cu-m 15 W500mm -> cap",
            home,
        ],
        {"H1": {"id": "SNK", "variant": "sink"}, "H2": {"id": "BTH", "variant": "bath"}},
    )


def softened() -> Job:
    """A sink on hard water for drinking, a basin behind the softener, its bypass and its drain."""
    ports: Ports = [
        ("in", "cold", "in", (0, 0, 0), "up"),
        ("out", "cold", "out", (200, 0, 0), "up"),
        ("drain", "overflow", "out", (300, 0, 0), "right"),
    ]
    return plumbed(
        "british",
        [supply("cu-m 22 pipe"), stand("softener", "SOF", (3000, 0, 0), ports, "cu-m 22 pipe")],
        [
            "C1 from S.out cu-m 22: U600mm E500mm *T1 E500mm *T2 E500mm [iso] E? D? -> SOF.in",
            "C2 from SOF.out cu-m 22: U400mm N300mm [iso] N500mm *T1 N1000mm -> cap",
            "C3 from C1.T1 cu-m 22: N1500mm -> cap",
            "C4 from C1.T2 cu-m 22: N600mm [iso set shut] N? E? D? -> C2.T1",
            "D1 from SOF.drain cu-m 22: {fall 1:50} E600mm -> stub",
        ],
        {"C2": {"id": "BAS", "variant": "basin"}, "C3": {"id": "SNK", "variant": "sink"}},
    )


def let_off(first: str = "W300mm D200mm", second: str = "D500mm W4000mm") -> Job:
    """A relief valve whose discharge goes by a tundish to the open."""
    valve: Ports = [("out", "discharge", "out", (0, 0, 0), "left")]
    relief = stand("heater", "WH", (0, 0, 2000), valve, "cu-m 15 pipe", variant="electric")
    tundish: Ports = [
        ("in", "discharge", "in", (0, 0, 100), "up"),
        ("out", "discharge", "out", (0, 0, 0), "down"),
    ]
    job = apply_all(
        blank("water-2", "Discharge", "british", "mm"),
        [relief, {"do": "put_run", "text": f"D1 from WH.out cu-m 15: {{fall 1:50}} {first} -> cap"}],
        CATALOGUE,
    )
    at = derive(job).pipework.runs["D1"].end
    out = stand("tundish", "TUN", (at.x, at.y, at.z - 100), tundish, "cu-m 15 pipe")
    out["station"]["ports"][1]["end"] = "cu-m 22 pipe"
    return apply_all(
        job,
        [
            out,
            {"do": "set_finish", "run": "D1", "finish": "TUN.in"},
            {"do": "put_run", "text": f"D2 from TUN.out cu-m 22: {{fall 1:50}} {second} -> stub"},
        ],
        CATALOGUE,
    )
