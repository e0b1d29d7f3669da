"""Rules of the rooms appliances stand in and of the pressure that comes to them."""

from __future__ import annotations

from collections.abc import Iterable

from ...job.model import Job, Room, Station
from ...quantity import INH2O_PA, length_text
from ...rules.registry import RuleBook, Said, View
from .capacity import BTU_H_W, PSI_PA
from .checks import FT3_M3, IN2_MM2, UNVENTED_BTU_H, room_air
from .limits import limits_of
from .stations import SPEC
from .train import burns, mouth_of, networks_of, room_of

rule = RuleBook("gas")
OUTDOORS = ("grill", "fire-pit", "generator")
WORDS = {"bedroom": "bedroom", "bathroom": "bathroom", "shower": "bathroom", "garage": "garage", "toilet": "bathroom"}
"""What a room's name says of it."""
GARAGE_MM = 457.2  # std: 18 in above the floor
ALTITUDE_M, ALTITUDE_FACT, DERATED = 609.6, "house/altitude_m", 0.04  # std: 2,000 ft; 4 % each 1,000 ft above
INDOORS_PA = {"natural": 5 * PSI_PA, "propane": 20 * PSI_PA, "butane": 20 * PSI_PA}  # std: at most, indoors
PROTECTED_PA = 2 * PSI_PA  # std: above it low-pressure appliances are protected


def kind_of(room: Room | None) -> str:
    """What kind of room its name tells of: bedroom, bathroom, garage or ""."""
    name = room.name.lower() if room else ""
    return next((kind for word, kind in WORDS.items() if word in name), "")


def _room(job: Job, ident: str) -> Room | None:
    return next((one for one in job.house.rooms if one.id == ident), None)


def room_air_of(station: Station) -> bool:
    """Whether an appliance burns the air of its room: all without a sealed flue."""
    if station.variant in OUTDOORS or station.state == "remove" or not _fed(station):
        return False
    return station.kind in ("appliance", "heater")


def _fed(station: Station) -> bool:
    return burns(station) and any(port.role == SPEC.id for port in station.ports)


def volume_m3(job: Job, room: Room) -> float | None:
    """The volume of a room by its outline and its level's ceiling [m3]; None where nobody drew it."""
    level = job.level(room.level)
    if level is None or len(room.outline) < 3:
        return None
    corners = [*room.outline, room.outline[0]]
    twice = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(corners, corners[1:], strict=False))
    return abs(twice) / 2 * (level.ceiling_mm - level.floor_mm) / 1e9


@rule(
    "gas-unvented",
    "stop",
    "unvented heaters above their limit",
    "What they burn stays in the room: above 40,000 BTU/h (12 kW) it is not allowed, in bedrooms 10,000, in bathrooms "
    "6,000.",
    "std, fuel gas code",
    stage="sizes",
)
def gas_unvented(view: View) -> Iterable[Said]:
    rooms: dict[str, list[tuple[str, float]]] = {}
    for station in view.job.stations:
        if station.kind == "appliance" and station.variant == "heater-unvented" and station.state != "remove":
            rooms.setdefault(room_of(view, station), []).append((station.id, station.data.input_w or 0.0))
    for room, heaters in rooms.items():
        groups = [heaters] if room else [[one] for one in heaters]  # where no room is said each is looked at alone
        found = _room(view.job, room)
        kind = kind_of(found)
        limit = UNVENTED_BTU_H.get(kind, UNVENTED_BTU_H[""])
        for group in groups:
            total = sum(watts for _, watts in group) / BTU_H_W
            if total > limit * 1.0005:
                yield Said(
                    (group[0][0], *((room,) if room else ())),
                    f"{', '.join(ident for ident, _ in group)} burn {total:,.0f} BTU/h without a flue; {limit:,.0f} is "
                    f"the most for a {kind or 'room'}.",
                    (),
                    mouth_of(view, group[0][0]),
                    ("a heater with a flue",),
                )


@rule(
    "gas-bedroom",
    "mind",
    "a burner that takes its air from a bedroom or bathroom",
    "It uses up the air of who sleeps or bathes there, and gives off what it burns: sealed appliances only, unless the "
    "authority lets it stand.",
    "std, fuel gas code",
)
def gas_bedroom(view: View) -> Iterable[Said]:
    for station in view.job.stations:
        room = _room(view.job, room_of(view, station))
        kind = kind_of(room)
        if room is None or kind not in ("bedroom", "bathroom") or not room_air_of(station):
            continue
        yield Said(
            (station.id, room.id),
            f"{station.id} takes its air from {room.name}, a {kind}.",
            (),
            mouth_of(view, station.id),
            ("a sealed appliance", "the next room"),
        )


@rule(
    "gas-air",
    "mind",
    "too little air for what burns",
    "A flame without air makes carbon monoxide: 50 ft3 of room to 1,000 BTU/h, or openings to the next room or to the "
    "open. Elsewhere the licensed person sizes the ventilation.",
    "std, fuel gas code",
)
def gas_air(view: View) -> Iterable[Said]:
    if view.job.practice != "north-american":
        return
    unit = view.job.pace_unit
    rooms: dict[str, list[Station]] = {}
    for station in view.job.stations:
        if room_air_of(station) and station.data.input_w:
            rooms.setdefault(room_of(view, station), []).append(station)
    for ident, stations in rooms.items():
        room = _room(view.job, ident)
        volume = volume_m3(view.job, room) if room else None
        if room is None or not volume:
            continue
        air = room_air(
            view.job.practice,
            volume,
            [(one.variant or one.kind, one.data.input_w or 0.0, one.variant != "heater-unvented") for one in stations],
            kind_of(room),
        )
        if air.ok or not air.openings or air.needed_m3 is None:
            continue
        area = air.openings[0][1]
        sizes = f"{area / IN2_MM2:.0f} in2" if unit == "in" else f"{area / 100:.0f} cm2"
        have, want = (
            (f"{volume / FT3_M3:,.0f} ft3", f"{air.needed_m3 / FT3_M3:,.0f} ft3")
            if unit == "in"
            else (f"{volume:.0f} m3", f"{air.needed_m3:.0f} m3")
        )
        names = ", ".join(one.id for one in stations)
        yield Said(
            (stations[0].id, room.id),
            f"{room.name} has {have}; {names} want{'s' if len(stations) == 1 else ''} {want}.",
            (),
            mouth_of(view, stations[0].id),
            (
                f"two openings of {sizes} to the next room, near its top and bottom",
                "air from the open, sized by the code",
                "a sealed appliance",
            ),
        )


@rule(
    "gas-garage",
    "stop",
    "a burner low in a garage",
    "Petrol vapour lies on the floor: what lights stands 450 mm (18 in) or more above it, and out of a car's way.",
    "std, fuel gas code",
)
def gas_garage(view: View) -> Iterable[Said]:
    for station in view.job.stations:
        room = _room(view.job, room_of(view, station))
        if kind_of(room) != "garage" or room is None or not _fed(station) or station.state != "new":
            continue
        if station.at[2] < GARAGE_MM - 1:
            high = length_text(station.at[2], view.job.pace_unit, with_unit=True)
            yield Said(
                (station.id, room.id),
                f"{station.id} stands {high} above the floor of {room.name}; 450 mm (18 in) at least.",
                (),
                mouth_of(view, station.id),
                ("on a stand", "on the wall"),
            )


@rule(
    "gas-altitude",
    "note",
    "thin air",
    "High up a burner gets less air: 4 % less input for each 1,000 ft above 2,000 ft, unless its plate says otherwise.",
    "std, fuel gas code",
    stage="sizes",
)
def gas_altitude(view: View) -> Iterable[Said]:
    fact = next((one for one in view.job.facts if one.path == ALTITUDE_FACT), None)
    if fact is None or isinstance(fact.value, str | bool) or not any(net.terminals for net in networks_of(view)):
        return
    metres = float(fact.value)
    if metres > ALTITUDE_M:
        less = DERATED * (metres - ALTITUDE_M) / 304.8
        yield Said(
            (ALTITUDE_FACT,),
            f"At {metres:.0f} m every input falls by {less * 100:.0f} % unless its plate says otherwise.",
            cures=("orifices for the height, by the maker's kit and the licensed person",),
        )


# --- pressure ---------------------------------------------------------------------------------------------------------


@rule(
    "gas-inlet-low",
    "mind",
    "less pressure than an appliance asks for",
    "The pipe loses no more than it may, and yet what arrives is below the least inlet of the appliance: the pressure "
    "at the source is too low for it.",
    "plate of the appliance, else typ",
    stage="sizes",
)
def gas_inlet_low(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        for end in net.terminals:
            station = view.job.station(end.station)
            if station is None or not burns(station) or not end.on or end.margin_pa < -0.01:
                continue
            least, _ = limits_of(station, net.gas.id, view.job.practice)
            if end.arriving_pa < least - 1:
                yield Said(
                    (end.station, net.source),
                    f"{end.station} gets {said(view, end.arriving_pa)}; it asks for {said(view, least)} or more.",
                    (),
                    mouth_of(view, end.station),
                    ("the regulator set higher by the licensed person",),
                )


@rule(
    "gas-inlet-high",
    "stop",
    "more pressure than an appliance bears",
    "Its control is made for house pressure: above its most inlet it passes gas, or breaks. An appliance regulator "
    "stands before it.",
    "plate of the appliance, else typ",
    stage="sizes",
)
def gas_inlet_high(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        for end in net.terminals:
            station = view.job.station(end.station)
            if station is None or not burns(station):
                continue
            _, most = limits_of(station, net.gas.id, view.job.practice)
            if net.inlet_pa > most * 1.001:
                yield Said(
                    (end.station, net.source),
                    f"{end.station} gets up to {said(view, net.inlet_pa)}; it bears {said(view, most)}.",
                    (),
                    mouth_of(view, end.station),
                    ("an appliance regulator before it", "one regulator at the manifold"),
                )


@rule(
    "gas-overpressure",
    "mind",
    "no protection against over-pressure",
    "Above 2 psi (140 mbar), when a regulator fails, its low-pressure appliances get all of it: a device that caps the "
    "pressure at 2 psi stands with it.",
    "std, fuel gas code",
    stage="sizes",
)
def gas_overpressure(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        for end in net.terminals:
            station = view.job.station(end.station)
            if station is None or station.kind != "regulator" or station.data.protected:
                continue
            if net.inlet_pa > PROTECTED_PA * 1.001:
                yield Said(
                    (station.id, net.source),
                    f"{station.id} is fed {said(view, net.inlet_pa)} and nothing protects what is behind it.",
                    (),
                    mouth_of(view, station.id),
                    ("a regulator with protection, said in its data",),
                )


@rule(
    "gas-indoors",
    "stop",
    "too much pressure indoors",
    "A leak lets out more: indoors natural gas has 5 psi (345 mbar) at most, propane vapour 20 psi (1.4 bar).",
    "std, fuel gas code",
    stage="sizes",
)
def gas_indoors(view: View) -> Iterable[Said]:
    work = view.fitted.pipework
    for net in networks_of(view):
        limit = INDOORS_PA[net.gas.id]
        runs = {one.run for one in net.sections}
        indoors = next(
            (one for one in work.straights.values() if one.run in runs and one.place not in ("outside", "ground")), None
        )
        if net.inlet_pa > limit * 1.001 and indoors is not None:
            yield Said(
                (indoors.run, net.source),
                f"{indoors.run} carries {said(view, net.inlet_pa)} indoors; {said(view, limit)} at most.",
                (),
                indoors.a,
                ("a regulator outdoors", "the run outdoors: {outside} or {ground}"),
            )


def said(view: View, pressure_pa: float) -> str:
    """A gas pressure as the practice reads it."""
    if view.job.practice == "north-american":
        high = pressure_pa >= 10_000.0
        return f"{pressure_pa / PSI_PA:.2f} psi" if high else f"{pressure_pa / INH2O_PA:.2f} in w.c."
    return f"{pressure_pa / 100:.2f} mbar"
