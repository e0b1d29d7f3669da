"""Rules of gas pipe: what comes before what on the way to an appliance, what arrives there, and which gas."""

from __future__ import annotations

from collections.abc import Iterable

from ...errors import Refused
from ...job.model import DeviceItem, split_anchor
from ...rules.enlarged import enlarged_once
from ...rules.registry import Remedy, RuleBook, Said, View
from .. import spec
from . import nipple_rules, pipe_rules, room_rules, tap_in_rules, train_rules
from .capacity import gases
from .checks import mismatch, tank_draw_w
from .room_rules import said
from .sizing import enlarge_first, enlarged
from .train import burns, mouth_of, networks_of

rule = RuleBook("gas")
SHUT = ("iso", "gate")
SEEN_PA = 0.01
DOWNSTREAM = ("cylinder", "second-stage")  # regulators that need more than house pressure before them
LOW_FED_PA = 10_000.0


@rule(
    "union-before-valve",
    "mind",
    "a union before its valve",
    "To take the appliance off, the union is opened: with the valve behind it the gas of the whole house is open too. "
    "The valve comes first, the union after it.",
    "gas codes; licensed work",
)
def union_before_valve(view: View) -> Iterable[Said]:
    titles = view.context.catalogue.device_titles()
    for run in view.job.runs:
        if run.service != "gas" or run.state == "remove":
            continue
        begins = view.job.station(split_anchor(run.start)[0])
        items = list(reversed(run.items)) if begins is not None and burns(begins) else list(run.items)
        union: DeviceItem | None = None
        shut = False
        for item in items:
            if item.kind == "tee":
                union, shut = None, False  # what branches off there is still open
            if not isinstance(item, DeviceItem):
                continue
            if item.part == "union" and not shut:
                union = item
            elif item.part in SHUT:
                if union is not None:
                    node = view.fitted.pipework.nodes.get(f"{union.id}/device")
                    name = f" {item.name}" if item.name else ""
                    yield Said(
                        (run.id, union.id),
                        f"{run.id} has its union before the {titles.get(item.part, item.part)}.",
                        (
                            Remedy(
                                "Change the two over",
                                (
                                    {
                                        "do": "retype_item",
                                        "run": run.id,
                                        "item": union.id,
                                        "text": f"[{item.part}{name}]",
                                    },
                                    {"do": "retype_item", "run": run.id, "item": item.id, "text": "[union]"},
                                ),
                                f"on {run.id} the valve first, then the union",
                            ),
                        ),
                        node.at if node else None,
                    )
                union, shut = None, True


def _retyped(run: str, item: str, text: str) -> dict[str, str]:
    return {"do": "retype_item", "run": run, "item": item, "text": text}


@rule(
    "gas-short",
    "stop",
    "gas arrives too low",
    "An appliance that gets too little pressure burns badly, goes out, or sends its products into the room.",
    "practice limit of the pressure lost (typ); fuel gas code",
    stage="sizes",
)
def gas_short(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        if all(end.margin_pa >= -SEEN_PA or not end.on for end in net.terminals):
            continue
        first, remedies = enlarged_once(view, "gas enlarged", net, enlarge_first, enlarged)
        for end in net.terminals:
            if end.margin_pa >= -SEEN_PA or not end.on:
                continue
            lost = net.inlet_pa - end.arriving_pa
            says = (
                f"{end.station} gets {said(view, end.arriving_pa)} with all appliances on: {said(view, lost)} are "
                f"lost from {net.source}, {said(view, net.limit_pa)} may be."
            )
            yield Said(
                (end.station, net.source),
                says,
                remedies,
                mouth_of(view, end.station),
                (
                    *((f"enlarge {first} first",) if first else ()),
                    "bends instead of elbows",
                    "a manifold on one large pipe, a home run to each appliance",
                ),
                badge="starves",
            )


@rule(
    "gas-mismatch",
    "stop",
    "an appliance set for another gas",
    "Its burner gets far too much heat or too little: fire, or carbon monoxide. Only the maker's conversion kit, "
    "fitted by a licensed person, changes it.",
    "orifice flow law; licensed work",
    stage="sizes",
)
def gas_mismatch(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        for end in net.terminals:
            station = view.job.station(end.station)
            own = gases().get(station.data.gas or "") if station else None
            if station is None or own is None or own.id == net.gas.id:
                continue
            inch = view.job.practice == "north-american"
            found = mismatch(
                own,
                net.gas,
                regulator=station.data.own_regulator is not False,
                set_pa=own.inch_pa if inch else own.metric_pa,
                fed_pa=net.inlet_pa,
            )
            yield Said(
                (end.station, net.source),
                f"{end.station} is set for {own.id} and fed {net.gas.id}: {found.factor:.2f} times its heat.",
                (),
                mouth_of(view, end.station),
                ("only the maker's conversion kit, fitted by a licensed person",),
            )


@rule(
    "gas-meter-small",
    "stop",
    "a meter or regulator too small",
    "With all appliances on it passes less than they burn: the pressure falls for all of them.",
    "plate of the meter or regulator",
    stage="sizes",
)
def gas_meter_small(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        station = view.job.station(net.source.partition(".")[0])
        capacity = station.data.capacity_m3_h if station else None
        asked = sum(net.gas.flow_m3_s(end.wanted_w) for end in net.terminals if end.on) * 3600
        if station is not None and capacity and asked > capacity * 1.0005:
            yield Said(
                (station.id, net.source),
                f"{station.id} passes {capacity:.1f} m3/h; what hangs on it burns {asked:.1f} m3/h.",
                (),
                mouth_of(view, station.id),
                ("a larger one from the supplier", "fewer appliances on it"),
            )


@rule(
    "gas-tank-draw",
    "mind",
    "a tank that gives too little gas",
    "Propane boils off by the heat that comes through the tank's wall: small, nearly empty or in the cold it gives "
    "less, and the pressure falls.",
    "typ: diameter x length x K",
    stage="sizes",
)
def gas_tank_draw(view: View) -> Iterable[Said]:
    nets = networks_of(view)
    for net in nets:
        station = view.job.station(net.source.partition(".")[0])
        if station is None or station.kind != "gas-tank":
            continue
        data = station.data
        if not data.diameter_mm or not data.length_mm or data.fill_percent is None or data.outdoor_c is None:
            continue
        try:
            gives, _ = tank_draw_w(data.diameter_mm, data.length_mm, data.fill_percent, data.outdoor_c)
        except Refused as refused:
            words = (f"{refused.expected}",)
            yield Said((station.id, net.source), f"{station.id}: what it gives cannot be told.", (), None, words)
            continue
        asked = sum(end.wanted_w for end in net.terminals if end.on)
        if asked > gives * 1.0005:
            yield Said(
                (station.id, net.source),
                f"{station.id} gives {gives / 1000:.0f} kW at {data.fill_percent:.0f} % full and {data.outdoor_c:.0f} "
                f"C; what hangs on it burns {asked / 1000:.0f} kW.",
                (),
                mouth_of(view, station.id),
                ("a larger tank, or two together", "filled sooner"),
            )


@rule(
    "gas-regulator-series",
    "stop",
    "a regulator behind low pressure",
    "A cylinder or second-stage regulator needs more than it gives: fed with what comes out of another, too little is "
    "left. The appliance's own control is another thing.",
    "rule of the trade; fuel gas code",
    stage="sizes",
)
def gas_regulator_series(view: View) -> Iterable[Said]:
    for net in networks_of(view):
        for end in net.terminals:
            station = view.job.station(end.station)
            if station is None or station.kind != "regulator" or station.variant not in DOWNSTREAM:
                continue
            if net.inlet_pa < LOW_FED_PA:
                title = spec.kind("regulator").variant(station.variant).title
                yield Said(
                    (station.id, net.source),
                    f"{station.id}, a {title}, is fed {said(view, net.inlet_pa)}: it needs far more.",
                    (),
                    mouth_of(view, station.id),
                    ("take it off, with an adaptor in its place", "feed it from the first stage"),
                )


RULES = tuple(
    one
    for book in (rule, train_rules.rule, pipe_rules.rule, nipple_rules.rule, tap_in_rules.rule, room_rules.rule)
    for one in book.rules.values()
)
