"""Kinds of station as data: what a kind is called, its body, its ports by variant and practice, and the facts it may
carry.

Read from kinds.csv and ports.csv of each service's data folder, and of services/data for the kinds nobody owns. Adding
a kind is adding rows.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated, Any, Literal, cast

from pydantic import ConfigDict, Field, create_model

from ..errors import Refused, nearest
from ..fields import Facing, Frozen, Id, Kelvin, Line, NotNegative, Positive, TempC
from ..tables import read_rows

Way = Literal["out", "in", "either"]
Gas = Literal["natural", "propane", "butane"]


class Behind(Frozen):
    """What stands out of sight behind a stub: how many of a kind, how long it is or what it holds."""

    kind: Line
    count: Annotated[int, Field(ge=1, le=999)] = 1
    length_mm: NotNegative | None = None
    litres: NotNegative | None = None


PumpCurve = tuple[tuple[NotNegative, NotNegative], ...]

# every fact a station may carry: its type and, where the name does not say it, what it is. A kind names those it has in
# kinds.csv.
FIELDS: dict[str, tuple[Any, str]] = {
    "width_mm": (NotNegative, ""),
    "height_mm": (NotNegative, ""),
    "depth_mm": (NotNegative, ""),
    "output_w": (NotNegative, ""),
    "least_output_w": (NotNegative, ""),
    "input_w": (NotNegative, ""),
    "rated_at_k": (Kelvin, ""),
    "exponent": (Annotated[float, Field(ge=1, le=2)], ""),
    "volume_l": (NotNegative, ""),
    "kv": (Positive, ""),
    "flue_centre_mm": (Positive, "The flue's centre above the floor."),
    "bracket_below_mm": (Positive, "The maker's measure from flue centre down to the bracket."),
    "flue_mm": (Positive, "The flue across."),
    "capacity_m3_h": (Positive, "The most gas it passes, by its plate."),
    "most_bar": (Positive, "The highest pressure it bears, by its plate."),
    "loop_m": (NotNegative, "Pipe laid within an emitter: the loop of a floor or wall."),
    "room": (Id, ""),
    "series": (Line, ""),
    "store_c": (TempC, ""),
    "coil_w": (NotNegative, ""),
    "ways": (Annotated[int, Field(ge=1, le=40)], ""),
    "pump_curve": (PumpCurve, "Points (flow_kg_s, head_pa)."),
    "supply_pa": (NotNegative, ""),
    "outlet_pa": (NotNegative, ""),
    "set_pa": (NotNegative, ""),
    "precharge_pa": (NotNegative, ""),
    "flow_kg_s": (NotNegative, ""),
    "gas": (Gas, ""),
    "diameter_mm": (Positive, "A tank's diameter."),
    "length_mm": (Positive, "A tank's length, or height of a standing one."),
    "fill_percent": (Annotated[float, Field(ge=0, le=100)], "How full it is at the least."),
    "outdoor_c": (TempC, "The coldest day outdoors."),
    "input_is_net": (bool, "Whether its input is net, as continental plates give it."),
    "least_inlet_pa": (Positive, "The least pressure at its gas inlet, by its plate."),
    "most_inlet_pa": (Positive, "The most pressure at its gas inlet, by its plate."),
    "own_regulator": (bool, "Whether it has a gas regulator of its own."),
    "protected": (bool, "Whether it keeps over-pressure from what is behind it."),
    "hardness_mg_l": (NotNegative, ""),
    "least_pa": (Positive, "The least water pressure it works at, by its label."),
    "least_flow_kg_s": (Positive, "The least flow of water it fires at, by its label."),
    "relief_pa": (Positive, "What its relief valve opens at, by its tag."),
    "material": (Line, ""),
    "age_years": (NotNegative, ""),
    "behind": (tuple[Behind, ...], "What stands behind a stub, out of sight."),
    "behind_pipe_m": (NotNegative, ""),
    "behind_pa": (NotNegative, ""),
}


class StationData(Frozen):
    """What is known of a station. Each kind has a model of its own with the facts it carries; a fact of other kinds
    reads as None."""

    model_config = ConfigDict(
        use_attribute_docstrings=False, defer_build=True
    )  # made from FIELDS, checked when first met

    if TYPE_CHECKING:
        width_mm: float | None = None
        height_mm: float | None = None
        depth_mm: float | None = None
        output_w: float | None = None
        least_output_w: float | None = None
        input_w: float | None = None
        rated_at_k: float | None = None
        exponent: float | None = None
        volume_l: float | None = None
        kv: float | None = None
        flue_centre_mm: float | None = None
        bracket_below_mm: float | None = None
        flue_mm: float | None = None
        capacity_m3_h: float | None = None
        most_bar: float | None = None
        loop_m: float | None = None
        room: str | None = None
        series: str | None = None
        store_c: float | None = None
        coil_w: float | None = None
        ways: int | None = None
        pump_curve: tuple[tuple[float, float], ...] | None = None
        supply_pa: float | None = None
        outlet_pa: float | None = None
        set_pa: float | None = None
        precharge_pa: float | None = None
        flow_kg_s: float | None = None
        gas: str | None = None
        diameter_mm: float | None = None
        length_mm: float | None = None
        fill_percent: float | None = None
        outdoor_c: float | None = None
        input_is_net: bool | None = None
        least_inlet_pa: float | None = None
        most_inlet_pa: float | None = None
        own_regulator: bool | None = None
        protected: bool | None = None
        hardness_mg_l: float | None = None
        least_pa: float | None = None
        least_flow_kg_s: float | None = None
        relief_pa: float | None = None
        material: str | None = None
        age_years: float | None = None
        behind: tuple[Behind, ...] | None = None
        behind_pipe_m: float | None = None
        behind_pa: float | None = None
    else:

        def __getattr__(self, name):
            if name in FIELDS:
                return None
            return super().__getattr__(name)


def data_model(kind: str, fields: tuple[str, ...]) -> type[StationData]:
    """The model of a kind's data, from the names of the facts it carries. Raises KeyError for a fact that is not in
    FIELDS."""
    parts: dict[str, Any] = {}
    for name in FIELDS:
        if name in fields:
            type_, says = FIELDS[name]
            parts[name] = (type_ | None, Field(default=None, description=says or None))
    unknown = set(fields) - set(FIELDS)
    if unknown:
        raise KeyError(f"{kind}: {', '.join(sorted(unknown))}")
    name = "".join(word.capitalize() for word in kind.split("-")) + "Data"
    return create_model(name, __base__=StationData, __module__=__name__, **parts)


TRAITS = {
    "hot": "softens plastic near it",
    "served": "has to be shut off alone to be worked on",
    "heavy": "takes two people to lift",
    "drilled": "hangs on a wall: holes are drilled for it",
    "unhung": "is not hung or set: it is there, or comes with the pipe",
    "vents": "lets its own air out",
    "through": "what goes in at one port comes out at the others",
    "bars": "what goes in at a port comes out at the others of its role",
    "moves": "moves water: a circulator",
    "guard": "must never be shut off from what it guards: no valve is asked for before it",
}


@dataclass(frozen=True, slots=True)
class PortRow:
    """A port a kind of station comes with; offsets as shares of the body plus millimetres. metal: what its end is made
    of, "" unknown."""

    name: str
    role: str
    way: Way
    right_of_width: float
    right_mm: float
    out_mm: float
    up_of_height: float
    up_mm: float
    facing: Facing
    end: str
    metal: str
    kit: str
    source: str


@dataclass(frozen=True, slots=True)
class Variant:
    """One build of a kind: its title, typical body [mm], usual height of its underside, what it has inside, traits it
    has beside those of its kind. id "" is a kind without variants."""

    id: str
    title: str
    width_mm: float
    height_mm: float
    depth_mm: float
    floor_mm: float
    brings: Mapping[str, Any] = field(default_factory=dict)
    traits: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class KindSpec:
    """A kind of station.

    model: what its data may hold; titles: by practice, "" for the others; variants: the usual one first; ports: by
    variant and practice; loads: role -> the field that says what it takes of that service; sources: roles it is the
    source of; traits: see TRAITS; set_up: what a step of the plan says of it.
    """

    id: str
    model: type[StationData]
    titles: Mapping[str, str]
    letters: str
    variants: tuple[Variant, ...]
    ports: Mapping[tuple[str, str], tuple[PortRow, ...]]
    loads: Mapping[str, str]
    sources: tuple[str, ...]
    traits: frozenset[str]
    set_up: str
    source: str

    def title(self, practice: str = "") -> str:
        """What the trade calls it in a practice."""
        return self.titles.get(practice) or self.titles[""]

    def titled(self, variant: str, practice: str = "") -> str:
        """What the trade calls a variant, the kind itself for the usual one."""
        return self.variant(variant).title if variant else self.title(practice)

    def variant(self, ident: str) -> Variant:
        """A variant by its id; "" is the usual one. Raises Refused with the nearest."""
        if not ident:
            return self.variants[0]
        found = next((one for one in self.variants if one.id == ident), None)
        if found is None:
            known = [one.id for one in self.variants if one.id]
            wanted = f"a variant such as {nearest(ident, known)}" if known else f"no variant: a {self.id} has none"
            raise Refused("variant", ident, wanted, known[0] if known else "")
        return found

    def ports_of(self, variant: str, practice: str) -> tuple[PortRow, ...]:
        """The ports of a variant in a practice; "" is the usual variant. Raises Refused for a variant there is not."""
        return self.ports.get((self.variant(variant).id, practice), ())


def _brings(text: str) -> dict[str, Any]:
    """ "pump vents vessel_l=8" -> {"pump": True, "vents": True, "vessel_l": 8.0}."""
    found: dict[str, Any] = {}
    for word in text.split():
        name, sign, value = word.partition("=")
        found[name] = float(value) if sign else True
    return found


def read_kinds(package: str) -> dict[str, KindSpec]:
    """The kinds of a service's data folder, by id. A row is a variant; what a later row leaves empty is as in the first
    of its kind."""
    rows: dict[str, list[dict[str, str]]] = {}
    for row in read_rows(package, "kinds.csv"):
        rows.setdefault(row["kind"], []).append(row)
    ports: dict[str, list[dict[str, str]]] = {}
    for row in read_rows(package, "ports.csv"):
        ports.setdefault(row["kind"], []).append(row)
    return {kind: _kind(kind, of, ports.get(kind, [])) for kind, of in rows.items()}


PRACTICES = ("british", "continental", "north-american")


def _kind(kind: str, rows: list[dict[str, str]], port_rows: list[dict[str, str]]) -> KindSpec:
    first = rows[0]
    variants = tuple(
        Variant(
            row["variant"],
            row["variant_title"] or first["title"],
            float(row["width_mm"]),
            float(row["height_mm"]),
            float(row["depth_mm"]),
            float(row["floor_mm"]),
            _brings(row["brings"]),
            frozenset(row["traits"].split() if row is not first else ()),
        )
        for row in rows
    )
    ports = {
        (variant.id, practice): tuple(
            _port(row)
            for row in port_rows
            if row["practice"] in (practice, "*") and (not row["variant"] or variant.id in row["variant"].split())
        )
        for variant in variants
        for practice in PRACTICES
    }
    titles = {"": first["title"], "north-american": first["title_north_american"]}
    loads = dict(word.split("=") for word in first["loads"].split())
    return KindSpec(
        kind,
        data_model(kind, tuple(first["fields"].split())),
        {place: title for place, title in titles.items() if title},
        first["letters"],
        variants,
        ports,
        loads,
        tuple(first["sources"].split()),
        frozenset(first["traits"].split()),
        first["set_up"],
        first["source"],
    )


def _port(row: dict[str, str]) -> PortRow:
    return PortRow(
        row["name"],
        row["role"],
        cast(Way, row["way"]),
        float(row["right_of_width"]),
        float(row["right_mm"]),
        float(row["out_mm"]),
        float(row["up_of_height"]),
        float(row["up_mm"]),
        cast(Facing, row["facing"]),
        row["end"],
        row["metal"],
        row["kit"],
        row["source"],
    )
