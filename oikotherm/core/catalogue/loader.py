"""Reads the data files beside it into frozen rows. Every row keeps its source word."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

from ..errors import Refused, nearest
from ..quantity import INCH_MM, Practice, amount
from ..tables import read_rows
from .ends import End
from .part import Part


@dataclass(frozen=True, slots=True)
class System:
    """A pipe system. said: in a sentence; joined: how it is joined, as a clause; methods: joint methods with figures in
    the catalogue, preferred first; stick_mm: stock length or None."""

    code: str
    title: str
    said: str
    joined: str
    material: str
    family: str
    methods: tuple[str, ...]
    services: tuple[str, ...]
    stick_mm: float | None
    roughness_mm: float | None
    new: bool
    source: str
    note: str


@dataclass(frozen=True, slots=True)
class PipeSize:
    """One size of a system. od_mm and wall_mm are None for corrugated tube, whose bore is known by its capacity
    only."""

    code: str
    size: str
    od_mm: float | None
    wall_mm: float | None
    source: str
    holds_l_m: float | None = None

    @property
    def litres_m(self) -> float | None:
        """What a metre holds [L]: by the bore, or as the row says of tube without one; None where neither is."""
        return self.holds_l_m if self.bore_mm is None else math.pi / 4 * self.bore_mm**2 / 1000

    @property
    def bore_mm(self) -> float | None:
        """Inside diameter [mm]: OD less two walls."""
        return None if self.od_mm is None or self.wall_mm is None else self.od_mm - 2 * self.wall_mm


@dataclass(frozen=True, slots=True)
class Socket:
    """Figures of socketed fittings: pipe enters insertion_mm; elbow_z_mm from the centre of a 90 elbow to the stop."""

    family: str
    size: str
    method: str
    insertion_mm: float
    elbow_z_mm: float
    insertion_source: str
    z_source: str


@dataclass(frozen=True, slots=True)
class Thread:
    """Figures of threaded fittings: made_up_mm of pipe enters, hand_tight_mm before a wrench is put on; elbow_a_mm from
    the centre of a 90 elbow to its face."""

    family: str
    size: str
    hand_tight_mm: float
    made_up_mm: float
    elbow_a_mm: float
    elbow45_a_mm: float
    coupling_length_mm: float | None
    threads_per_inch: float
    close_nipple_mm: float | None
    thread_source: str
    fitting_source: str

    @property
    def loose_mm(self) -> float:
        """How much longer the joint is at the loose end of its tightening window: one and a half threads [mm]."""
        return 1.5 * INCH_MM / self.threads_per_inch


@dataclass(frozen=True, slots=True)
class Device:
    """A part with two ends on one pipe. reach_mm: centre to stop (sockets) or to face (threads); k [-] or kv [m3/h]:
    its loss; opens_pa: what it takes off whatever flows, as the springs of an assembly do."""

    part: str
    title: str
    shape: str
    directional: bool
    family: str
    size: str
    method: str
    reach_mm: float
    k: float | None
    kv: float | None
    source: str
    opens_pa: float = 0.0


@dataclass(frozen=True, slots=True)
class KitRow:
    """A part fitted to a port. acts: thermostatic or lockshield, for a valve of an emitter; reach_in_mm: port plane to
    centre; reach_out_mm: centre to the mouth of the outer end."""

    part: str
    title: str
    inner_end: str
    outer_end: str
    reach_in_mm: float
    reach_out_mm: float
    turns: bool
    method: str
    kv: float | None
    acts: str
    metal: str
    source: str


@dataclass(frozen=True, slots=True)
class Limit:
    """What a heating pipe up to this outside diameter may carry in a practice."""

    practice: str
    od_up_to_mm: float
    velocity_m_s: float
    gradient_pa_m: float
    source: str


@dataclass(frozen=True, slots=True)
class Loss:
    """A loss coefficient [-] on the velocity in the pipe, up to an outside diameter."""

    fitting: str
    k: float
    od_up_to_mm: float
    source: str


@dataclass(frozen=True, slots=True)
class BendRow:
    """How a pipe is bent on site: centre-line radius [mm] of the former or spring."""

    code: str
    size: str
    radius_mm: float
    tool: str
    source: str


@dataclass(frozen=True, slots=True)
class MethodRow:
    """A joint method. undone: yes, no, by heat, forwards only; socket: the kind of socket it is made in, "" none;
    parts: what the families of its parts begin with; tool: what has to be owned for it; kit: tools to bring; checks:
    what is looked at before pressure; words: other names."""

    method: str
    title: str
    undone: str
    flame: bool
    socket: str
    parts: str
    tool: str
    kit: tuple[str, ...]
    checks: tuple[str, ...]
    words: tuple[str, ...]
    source: str


@dataclass(frozen=True, slots=True)
class LawRow:
    """A line of what is lawful: where service (or service.role), practice, method, pipe and place are these ("*" any,
    several by blanks), the verdict is refused, with (what it needs) or allowed (over a wider refusal of the same
    code)."""

    services: tuple[str, ...]
    practices: tuple[str, ...]
    methods: tuple[str, ...]
    pipes: tuple[str, ...]
    places: tuple[str, ...]
    verdict: str
    code: str
    text: str
    needs: tuple[str, ...]
    instead: tuple[str, ...]
    source: str
    rank: int
    """How much it says: the more, the more specific."""


class LawBook:
    """All lines of the law, by service, practice and method."""

    __slots__ = ("by_service", "rows", "said")

    def __init__(self, rows: tuple[LawRow, ...]) -> None:
        self.rows = rows
        named = {word.partition(".")[0] for row in rows for word in row.services if word != "*"}
        self.by_service: dict[str, tuple[LawRow, ...]] = {
            service: tuple(
                row for row in rows if any(word == "*" or word.partition(".")[0] == service for word in row.services)
            )
            for service in ("*", *sorted(named))
        }

        practices = {"*", *(word for row in rows for word in row.practices)}
        methods = {"*", *(word for row in rows for word in row.methods)}
        self.said = {
            (service, practice, method): tuple(
                row
                for row in self.by_service[service]
                if (row.methods == ("*",) or method in row.methods)
                and (row.practices == ("*",) or practice in row.practices)
            )
            for service in self.by_service
            for practice in practices
            for method in methods
        }

    def of(self, service: str, practice: str, method: str) -> tuple[LawRow, ...]:
        """The lines that may speak of a method for a service (or some of its roles) in a practice."""
        key = service if service in self.by_service else "*", practice, method
        found = self.said.get(key)
        if found is None:  # a practice or method that no line names
            known = {word for _, word, _ in self.said}, {word for _, _, word in self.said}
            found = self.said[key[0], practice if practice in known[0] else "*", method if method in known[1] else "*"]
        return found


@dataclass(frozen=True, slots=True)
class HeatRow:
    """How far plastic stays from a boiler, heater outlet or flue in a practice [mm], and how it is said."""

    practice: str
    away_mm: float
    said: str
    source: str


@dataclass(frozen=True, slots=True)
class Catalogue:
    """All rows, by key. The same object serves every derivation; the fitting book will lay measured rows over it."""

    systems: dict[str, System]
    pipes: dict[tuple[str, str], PipeSize]
    sockets: dict[tuple[str, str, str], Socket]
    threads: dict[tuple[str, str], Thread]
    devices: dict[tuple[str, str, str], Device]
    kits: dict[str, KitRow]
    aliases: dict[tuple[str, str], str]
    limits: tuple[Limit, ...]
    losses: tuple[Loss, ...]
    bends: dict[tuple[str, str], BendRow]
    methods: dict[str, MethodRow]
    law: LawBook
    heat: dict[str, HeatRow]
    system_sizes: dict[str, tuple[str, ...]]
    """The sizes of each system, in the order of the table: smallest first."""

    gaps: dict[str, float] = field(default_factory=dict)
    """Measured lengths of in-line parts by id [mm], over those of their families."""
    tubes: dict[str, tuple[tuple[float, float], ...]] = field(default_factory=dict)
    """Corrugated tube by its maker's table: class -> points (length [ft], natural gas [ft3/h] at 0.5 in w.c.)."""

    parts: dict[str, Part] = field(default_factory=dict)
    """The parts that follow from the tables, by id (parts.py)."""

    part_ends: frozenset[End] = frozenset()
    """Every end that a part has."""

    mark: str = ""
    """Changes with what the fitting book has laid over the catalogue."""

    def bend_radius_mm(self, code: str, size: str) -> float | None:
        """Centre-line radius of the usual former for a pipe [mm]; None for a pipe that is not bent on site."""
        row = self.bends.get((code, size))
        return row.radius_mm if row else None

    def limit(self, practice: str, od_mm: float) -> Limit:
        return next(row for row in self.limits if row.practice == practice and od_mm <= row.od_up_to_mm)

    def loss(self, fitting: str, od_mm: float) -> Loss:
        return next(row for row in self.losses if row.fitting == fitting and od_mm <= row.od_up_to_mm)

    def pipe(self, code: str, size: str) -> PipeSize | None:
        return self.pipes.get((code, size))

    def material(self, code: str) -> str:
        """What a pipe system is made of; "" for what is none."""
        system = self.systems.get(code)
        return system.material if system else ""

    def methods_of(self, code: str) -> tuple[str, ...]:
        """The joint methods of a system; none for a system that is not in the catalogue."""
        system = self.systems.get(code)
        return system.methods if system else ()

    def roughness_mm(self, code: str) -> float:
        """The roughness of a system's pipe [mm]; 0 where it is not known."""
        system = self.systems.get(code)
        return (system.roughness_mm if system else None) or 0.0

    def sizes(self, code: str) -> tuple[str, ...]:
        """The sizes of a system, smallest first."""
        return self.system_sizes.get(code, ())

    def method_figures(self, code: str, size: str, method: str) -> Socket | Thread | None:
        """The row that says how deep this pipe enters a fitting by this method, or None."""
        system = self.systems.get(code)
        if system is None or method not in system.methods:
            return None
        if method == "thread":
            return self.threads.get((system.family, size))
        return self.sockets.get((system.family, size, method))

    def device(self, part: str, code: str, size: str) -> Device | None:
        """A device as it stands on a pipe: its own body, else the compression body of metric copper, where that takes
        the pipe (plastic with its insert, soft metric tube); None where there is none."""
        system = self.systems.get(code)
        own = self.devices.get((part, system.family, size)) if system else None
        if own or system is None or system.family not in _IN_COPPER_BODY:
            return own
        body, method = self.devices.get((part, "cu", size)), _IN_COPPER_BODY[system.family]
        if body is None or body.method != "compression" or self.method_figures(code, size, method) is None:
            return None
        return replace(body, family=system.family, method=method)

    def device_titles(self) -> dict[str, str]:
        """What may stand in brackets on a run, with its title: devices, and couplings set by hand."""
        titles: dict[str, str] = {}
        for (part, _, _), row in self.devices.items():
            titles.setdefault(part, row.title)  # that of the usual body
        return titles | COUPLINGS | MARKS

    def system_code(self, word: str, practice: Practice, field: str = "pipe") -> str:
        """The code meant by a code or an everyday word in this practice. Raises Refused with the nearest."""
        low = word.lower()
        if low in self.systems:
            return low
        if (low, practice) in self.aliases:
            return self.aliases[low, practice]
        near = nearest(low, [*self.systems, *(alias for alias, where in self.aliases if where == practice)])
        raise Refused(field, word, f"a pipe system such as {near}", "cu-m 22")


MARKS = {"clamp": "bonding clamp", "label": "label of what it feeds"}
"""What is put on a pipe and splits no piece."""
COUPLINGS = {"coupling": "coupling on a straight", "slip": "slip coupling, which closes between fixed pipes"}
_IN_COPPER_BODY = {"pb": "compression-plastic", "cu-soft": "compression"}  # pipe family -> its joint in such a body


def _mm(text: str, unit: str) -> float:
    return round(float(text) * (INCH_MM if unit == "in" else 1), 4)


def _maybe_mm(text: str, unit: str = "mm") -> float | None:
    return _mm(text, unit) if text else None


def size_order(size: str) -> float:
    """Sorts sizes of one system: 3/8 before 1-1/4."""
    return amount(size.removeprefix("EHD"))


def _law_row(r: dict[str, str]) -> LawRow:
    scopes = [tuple(r[name].split()) for name in ("service", "practice", "method", "pipe", "place")]
    rank = sum(scope != ("*",) for scope in scopes) + any("." in word for word in scopes[0])
    services, practices, methods, pipes, places = scopes
    return LawRow(
        services,
        practices,
        methods,
        pipes,
        places,
        r["verdict"],
        r["code"],
        r["text"],
        tuple(filter(None, r["needs"].split(";"))),
        tuple(r["instead"].split()),
        r["source"],
        rank,
    )


def _systems() -> dict[str, System]:
    return {
        r["code"]: System(
            r["code"],
            r["title"],
            r["said"],
            r["joined"],
            r["material"],
            r["family"],
            tuple(r["methods"].split()),
            tuple(r["services"].split()),
            _maybe_mm(r["stick_mm"]),
            _maybe_mm(r["roughness_mm"]),
            r["new"] == "yes",
            r["source"],
            r["note"],
        )
        for r in read_rows(__package__, "systems.csv")
    }


def _pipes() -> dict[tuple[str, str], PipeSize]:
    return {
        (r["code"], r["size"]): PipeSize(
            r["code"],
            r["size"],
            _maybe_mm(r["od"], r["unit"]),
            _maybe_mm(r["wall"], r["unit"]),
            r["source"],
            float(r["holds_l_m"]) if r["holds_l_m"] else None,
        )
        for r in read_rows(__package__, "pipes.csv")
    }


def _sockets() -> dict[tuple[str, str, str], Socket]:
    return {
        (r["family"], r["size"], r["method"]): Socket(
            r["family"],
            r["size"],
            r["method"],
            _mm(r["insertion"], r["unit"]),
            _mm(r["elbow_z"], r["unit"]),
            r["insertion_source"],
            r["z_source"],
        )
        for r in read_rows(__package__, "sockets.csv")
    }


def _threads() -> dict[tuple[str, str], Thread]:
    return {
        (r["family"], r["size"]): Thread(
            r["family"],
            r["size"],
            _mm(r["hand_tight"], r["unit"]),
            _mm(r["made_up"], r["unit"]),
            _mm(r["elbow_a"], r["unit"]),
            _mm(r["elbow45_a"], r["unit"]),
            _maybe_mm(r["coupling_length"], r["unit"]),
            float(r["threads_per_inch"]),
            _maybe_mm(r["close_nipple"], r["unit"]),
            r["thread_source"],
            r["fitting_source"],
        )
        for r in read_rows(__package__, "threads.csv")
    }


def _devices() -> dict[tuple[str, str, str], Device]:
    return {
        (r["part"], r["family"], r["size"]): Device(
            r["part"],
            r["title"],
            r["shape"],
            r["directional"] == "yes",
            r["family"],
            r["size"],
            r["method"],
            _mm(r["reach"], r["unit"]),
            _maybe_mm(r["k"]),
            _maybe_mm(r["kv"]),
            r["source"],
            float(r["opens_kpa"] or 0) * 1000,
        )
        for r in read_rows(__package__, "devices.csv")
    }


def _kits() -> dict[str, KitRow]:
    return {
        r["part"]: KitRow(
            r["part"],
            r["title"],
            r["inner_end"],
            r["outer_end"],
            float(r["reach_in_mm"]),
            float(r["reach_out_mm"]),
            r["turns"] == "yes",
            r["method"],
            _maybe_mm(r["kv"]),
            r["acts"],
            r["metal"],
            r["source"],
        )
        for r in read_rows(__package__, "kit_parts.csv")
    }


def _aliases() -> dict[tuple[str, str], str]:
    return {(r["alias"], r["practice"]): r["code"] for r in read_rows(__package__, "aliases.csv")}


def _limits() -> tuple[Limit, ...]:
    return tuple(
        Limit(r["practice"], float(r["od_up_to_mm"]), float(r["velocity_m_s"]), float(r["gradient_pa_m"]), r["source"])
        for r in read_rows(__package__, "limits.csv")
    )


def _losses() -> tuple[Loss, ...]:
    return tuple(
        Loss(r["fitting"], float(r["k"]), float(r["od_up_to_mm"]), r["source"])
        for r in read_rows(__package__, "losses.csv")
    )


def _bends() -> dict[tuple[str, str], BendRow]:
    return {
        (r["code"], r["size"]): BendRow(r["code"], r["size"], float(r["radius_mm"]), r["tool"], r["source"])
        for r in read_rows(__package__, "bends.csv")
    }


def _methods() -> dict[str, MethodRow]:
    return {
        r["method"]: MethodRow(
            r["method"],
            r["title"],
            r["undone"],
            r["flame"] == "yes",
            r["socket"],
            r["parts"],
            r["tool"],
            tuple(filter(None, r["kit"].split(";"))),
            tuple(r["checks"].split()),
            tuple(r["words"].split()),
            r["source"],
        )
        for r in read_rows(__package__, "methods.csv")
    }


def _heat() -> dict[str, HeatRow]:
    return {
        r["practice"]: HeatRow(r["practice"], float(r["away_mm"]), r["said"], r["source"])
        for r in read_rows(__package__, "heat.csv")
    }


def read_catalogue() -> Catalogue:
    """The tables that ship with the program, without the parts that follow from them."""
    pipes, systems = _pipes(), _systems()
    return Catalogue(
        systems,
        pipes,
        _sockets(),
        _threads(),
        _devices(),
        _kits(),
        _aliases(),
        _limits(),
        _losses(),
        _bends(),
        _methods(),
        LawBook(tuple(_law_row(r) for r in read_rows(__package__, "law.csv"))),
        _heat(),
        {code: tuple(size for system, size in pipes if system == code) for code in systems},
    )
