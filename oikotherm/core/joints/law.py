"""What joint is lawful: the one place that says whether two ends may be joined, for a service, a practice and a place.

Geometry (mate.py) says whether the ends go together; the lines of data/law.csv say what the trade refuses or asks for.
Every line that refuses speaks, the most specific first; a more specific line that allows overrules one of the same
code.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

from ..catalogue import Catalogue, End
from ..catalogue.ends import CONNECTOR_FLARES
from ..catalogue.loader import LawRow
from ..catalogue.parts import SOCKET_METHODS, end_limits
from ..errors import Refused, nearest
from ..quantity import PA_PER_BAR
from ..services import spec
from .mate import OLD_BODIES, SWEAT_SIZES, cut_thread, fit

HIDDEN = ("wall", "floor", "ceiling", "ground")


@dataclass(frozen=True, slots=True)
class Reason:
    """Why not. code: what kind of reason (see data/law.csv; fit, temperature, pressure besides); source: where the rule
    is from."""

    code: str
    text: str
    source: str


@dataclass(frozen=True, slots=True)
class Question:
    """May these two ends be joined here? b None: the end of a fitting that takes pipe a by `method`.

    method: "" for whatever the ends give; service, role: what runs through ("" role: any of the service); place: where
    it lies, as in the document; reach: whether a hand gets to it; flame: whether one may be lit; near_heat: a boiler,
    heater outlet or flue is near; temp_c [C], pressure_pa [Pa]: the most it becomes, None where it is not asked; marks:
    of the part itself (union, connector, bush).
    """

    a: End
    b: End | None
    service: str
    practice: str
    method: str = ""
    role: str = ""
    place: str = ""
    reach: bool = True
    flame: bool = True
    near_heat: bool = False
    temp_c: float | None = None
    pressure_pa: float | None = None
    marks: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Verdict:
    """allowed, with (what it needs) or refused. method: the joint, "" where none is made; why: how the ends go
    together; instead: methods that may be used in its place; tempting: refused, but it looks or starts as if it would
    go."""

    verdict: Literal["allowed", "with", "refused"]
    method: str
    needs: tuple[str, ...]
    reasons: tuple[Reason, ...]
    instead: tuple[str, ...]
    why: str = ""
    tempting: bool = False

    @property
    def refused(self) -> bool:
        return self.verdict == "refused"

    @property
    def text(self) -> str:
        """The reasons in a row; for what is lawful, how it is made."""
        return " ".join(reason.text for reason in self.reasons) if self.reasons else self.why


def law(catalogue: Catalogue, question: Question, *, suggest: bool = True) -> Verdict:
    """The verdict on a joint. Source: the rules of the trade, line by line in data/law.csv. suggest: look for what may
    be used instead.

    Raises Refused for a service or practice there is not.
    """
    spec.service(question.service)
    if question.practice not in catalogue.heat:
        near = nearest(question.practice, catalogue.heat)
        raise Refused("practice", question.practice, f"a practice such as {near}", "british")
    found = _judge(catalogue, question)
    if not (suggest and found.instead):
        return found if not found.instead else replace(found, instead=())
    pipe = next((end for end in (question.a, question.b) if end is not None and end.family in catalogue.systems), None)
    if pipe is None:
        return found
    lawful = (
        one
        for one in found.instead
        if _judge(catalogue, replace(question, a=pipe, b=None, method=one)).verdict != "refused"
    )
    return replace(found, instead=tuple(lawful))


def _judge(catalogue: Catalogue, q: Question) -> Verdict:
    """The verdict, with all that its lines suggest instead, lawful here or not."""
    b = q.b if q.b is not None else mouth(catalogue, q.method, q.a, q.service)
    if b is None:
        return _no_mouth(catalogue, q)
    found = fit(catalogue, q.a, b)
    method = found.method
    if q.method and method != q.method and found.verdict != "refused":
        if _same_socket(catalogue, q.method, method) and "copper" in (
            catalogue.material(q.a.family),
            catalogue.material(b.family),
        ):
            method = q.method
        else:
            title = catalogue.methods[q.method].title if q.method in catalogue.methods else q.method
            words = catalogue.methods[method].title if method in catalogue.methods else method
            reason = Reason("fit", f"These ends make a joint by {words}, not by {title}.", "rule of the trade")
            return Verdict("refused", "", (), (reason,), (method,))
    reasons, needs, instead = _lines(catalogue, q, b, method)
    if found.verdict == "refused":
        reasons = [
            *(one for one in reasons if one.code == "pipe-service"),
            Reason("fit", found.why, "rule of the trade"),
        ]
        return Verdict("refused", "", (), tuple(reasons), tuple(instead), found.why, found.tempting)
    if reasons:
        return Verdict("refused", method, found.needs, tuple(reasons), tuple(instead), found.why)
    wanted = tuple(dict.fromkeys((*found.needs, *needs)))
    return Verdict("with" if wanted else "allowed", method, wanted, (), (), found.why)


def ends_allowed(catalogue: Catalogue, question: Question) -> tuple[Reason, ...]:
    """What forbids the ends of a question whatever joins them: pipe that may not carry this, heat or pressure it does
    not bear."""
    reasons, _, _ = _lines(catalogue, question, question.b or question.a, "")
    return tuple(reason for reason in reasons if reason.code in ("pipe-service", "temperature", "pressure"))


def ends_barred(catalogue: Catalogue, question: Question) -> tuple[Reason, ...]:
    """All that forbids the ends of a question where they are, whatever joins them."""
    return tuple(_lines(catalogue, question, question.b or question.a, "")[0])


def method_allowed(
    catalogue: Catalogue, method: str, service: str, practice: str, role: str = "", place: str = ""
) -> Verdict:
    """The verdict on a method for a service and place, whatever it joins: for joints between parts. Raises Refused."""
    spec.service(service)
    none = End("", "", "")
    asked = Question(none, none, service, practice, method, role, place, place not in HIDDEN)
    reasons, needs, instead = _lines(catalogue, asked, none, method)
    verdict: Literal["refused", "with", "allowed"] = "refused" if reasons else "with" if needs else "allowed"
    return Verdict(verdict, method, tuple(needs), tuple(reasons), tuple(instead))


def heat_away_mm(catalogue: Catalogue, practice: str) -> float:
    """How far plastic stays from a boiler, heater outlet or flue [mm] (typ)."""
    return catalogue.heat[practice].away_mm


def methods_for(catalogue: Catalogue, pipe: End, question: Question) -> tuple[str, ...]:
    """The methods that join this pipe lawfully, as the question has it, in the order of the catalogue."""
    return tuple(
        method
        for method in catalogue.methods
        if not law(catalogue, replace(question, a=pipe, b=None, method=method), suggest=False).refused
    )


def mouth(catalogue: Catalogue, method: str, pipe: End, service: str = "") -> End | None:
    """The end of a fitting that takes this pipe by this method, marked for gas on gas; None where there is none."""
    row, system = catalogue.methods.get(method), catalogue.systems.get(pipe.family)
    if row is None or system is None:
        return None
    if row.socket:
        metal = _METALS.get(system.family, "")
        if method in ("compression-plastic", "push-fit-metal") or (method, metal) == ("compression", "fe"):
            metal = "cu"  # bodies of the copper range take these pipes
        if (method, metal) == ("push-fit", "cu"):
            metal = "pb"
        if not metal or SOCKET_METHODS[row.socket] != method and not _made_in(method, row.socket, metal):
            return None
        if pipe.family == "cu-old":  # metric bodies take it by compression, made adaptors by solder
            if method == "compression":
                return End("comp-cu", OLD_BODIES.get(pipe.size, pipe.size), "socket")
            return End(f"{row.socket}-cu", pipe.size, "socket", ("old",))
        size = SWEAT_SIZES.get(pipe.size, pipe.size) if pipe.family == "cu-soft" else pipe.size
        end = End(f"{row.socket}-{metal}", size, "socket")
        if service == "gas" and row.socket == "press":
            marked = replace(end, marks=("gas",))
            return marked if marked in catalogue.part_ends else end
        return end
    if method == "thread":
        thread = cut_thread(catalogue, pipe.family)
        return End("Rp" if thread == "R" else thread, pipe.size, "female") if thread else None
    if method == "flare" and system.material == "copper":
        return End("flare-45", pipe.size, "male")
    if method == "slip" and system.family == "vent":
        return End("vent", pipe.size, "crimp")
    if method == "connector" and pipe.size in CONNECTOR_FLARES:
        return End("flare-45", CONNECTOR_FLARES[pipe.size], "male") if system.family == "conn" else None
    return End("csst", pipe.size, "nut") if method == "csst" and system.family == "csst" else None


_METALS = {
    "cu": "cu",
    "cu-inch": "cu",
    "cu-old": "cu",
    "cu-soft": "cu",
    "fe-press": "fe",
    "mlc": "mlc",
    "pb": "pb",
    "pexa": "pexa",
    "waste": "waste",
}


def _made_in(method: str, socket: str, metal: str) -> bool:
    """Whether a method is made in sockets of a kind and material that give another method their name."""
    return (method, socket) in (("braze", "cap"), ("push-fit-metal", "push"), ("compression-plastic", "comp")) or (
        metal == "mlc" and method in ("press-mlc", "compression-mlc")
    )


def _same_socket(catalogue: Catalogue, one: str, other: str) -> bool:
    rows = catalogue.methods.get(one), catalogue.methods.get(other)
    return rows[0] is not None and rows[1] is not None and rows[0].socket == rows[1].socket == "cap"


def _no_mouth(catalogue: Catalogue, q: Question) -> Verdict:
    """A method that makes no joint on this pipe: what joins it."""
    system = catalogue.systems.get(q.a.family)
    row = catalogue.methods.get(q.method)
    title = row.title if row else q.method
    said = _big(system.said) if system else str(q.a)
    joined = system.joined if system else "it is joined as a part of its own"
    reasons, _, instead = _lines(catalogue, q, q.a, q.method)
    first = [one for one in reasons if one.code in ("pipe-service", "method-service")]
    fits = Reason("fit", f"{said} {q.a.size} has no joint by {title}: {joined}.", "rule of the trade")
    return Verdict("refused", "", (), (*first, fits), tuple(instead or (system.methods if system else ())))


def _lines(catalogue: Catalogue, q: Question, b: End, method: str) -> tuple[list[Reason], list[str], list[str]]:
    """What the law says of a question: reasons that refuse it, the most specific first, what it needs, what may be used
    instead."""
    about = _about(catalogue, q, b)
    places = _places(q)
    own = spec.service(q.service).like or q.service
    speaking = [row for row in catalogue.law.of(own, q.practice, method) if _speaks(row, q, own, about, places)]
    freed = {row.code: row.rank for row in sorted(speaking, key=lambda row: row.rank) if row.verdict == "allowed"}
    refusing = sorted(
        (row for row in speaking if row.verdict == "refused" and row.rank >= freed.get(row.code, 0)),
        key=lambda row: -row.rank,
    )
    reasons = _reasons(catalogue, q, b, method, refusing) if refusing else []
    if not any(reason.code == "pipe-service" for reason in reasons):
        reasons = [*_not_made_for(catalogue, (q.a, b), q.service, own), *reasons]
    reasons += _limits((q.a, b), q)
    needs = [need for row in speaking if row.verdict == "with" for need in row.needs]
    systems = [catalogue.systems[end.family] for end in (q.a, b) if end.family in catalogue.systems]
    instead = [
        one
        for one in dict.fromkeys(one for row in refusing for one in row.instead)
        if one != method and (not systems or any(one in system.methods for system in systems))
    ]
    unique = list({reason.text: reason for reason in reversed(reasons)}.values())[::-1]
    return unique, needs, instead


def _reasons(catalogue: Catalogue, q: Question, b: End, method: str, refusing: list[LawRow]) -> list[Reason]:
    """The lines that refuse, in words."""
    words = {
        "title": _big(catalogue.methods[method].title) if method in catalogue.methods else "This joint",
        "away": catalogue.heat[q.practice].said,
        "part": "A "
        + next((mark for mark in ("union", "connector", "dielectric", "bush") if mark in q.marks), "part").replace(
            "connector", "flexible connector"
        ),
    }
    return [
        Reason(row.code, row.text.format(**words, pipe=pipe), row.source)
        for row in refusing
        for pipe in _named(catalogue, row, (q.a, b))
    ]


def _named(catalogue: Catalogue, row: LawRow, ends: Iterable[End]) -> list[str]:
    """The pipes a line speaks of, as said at the head of a sentence; one word for a line that names none."""
    if "{pipe}" not in row.text:
        return [""]
    systems = [catalogue.systems[end.family] for end in ends if end.family in catalogue.systems]
    meant = sorted({_big(one.said) for one in systems if {one.code, one.material} & set(row.pipes)})
    return meant or ["This pipe"]


def _speaks(row: LawRow, q: Question, own: str, about: frozenset[str], places: frozenset[str]) -> bool:
    """Whether a line about the method and practice holds for the place, the ends and the role too."""
    return (
        (row.places == ("*",) or not places.isdisjoint(row.places))
        and (row.pipes == ("*",) or not about.isdisjoint(row.pipes))
        and (row.services == ("*",) or any(word in (own, f"{own}.{q.role}") for word in row.services))
    )


def _places(q: Question) -> frozenset[str]:
    """What the law calls the place of a question."""
    found = {q.place} if q.place else set()
    if not q.reach:
        found.add("hidden")
    if q.near_heat:
        found.add("hot")
    if not q.flame:
        found.add("flameless")
    return frozenset(found)


def _about(catalogue: Catalogue, q: Question, b: End) -> frozenset[str]:
    """What the law may call the ends: their families, what pipe is made of, whether a press fitting is marked for gas,
    the part's marks."""
    found = {f"part-{mark}" for mark in q.marks}
    for end in (q.a, b):
        found.add(end.family)
        material = catalogue.material(end.family)
        if material:
            found.add(material)
        if end.form == "socket" and end.family.startswith("press-"):
            found.add("marked" if "gas" in end.marks else "unmarked")
    metals = {metal_of(catalogue, end) for end in (q.a, b)}
    if {"copper", "steel"} <= metals:
        found.add("copper-on-steel")
    return frozenset(found)


def metal_of(catalogue: Catalogue, end: End) -> str:
    """What an end is made of, as far as fresh water minds: copper, steel (zinc on it or not), brass, plastic; "" where
    it is not said."""
    for mark in ("steel", "galv", "brass", "copper"):
        if mark in end.marks:
            return "steel" if mark == "galv" else mark
    if end.family in ("cap-cu", "press-cu"):
        return "copper"
    material = catalogue.material(end.family)
    return "plastic" if material == "multilayer" else material


def _not_made_for(catalogue: Catalogue, ends: Iterable[End], service: str, own: str) -> list[Reason]:
    """Pipe whose system is not for this service."""
    found = []
    for end in ends:
        system = catalogue.systems.get(end.family)
        if system and own not in system.services and service not in system.services:
            text = f"{_big(system.said)} is not for {spec.service(service).title.lower()}."
            found.append(Reason("pipe-service", text, system.source))
    return list(dict.fromkeys(found))


def _limits(ends: Iterable[End], q: Question) -> list[Reason]:
    """Heat and pressure the ends do not bear."""
    found = []
    for end in ends:
        row = end_limits().get(end.family)
        if row is None:
            continue
        hottest, highest_bar, source = row
        if q.temp_c is not None and hottest < q.temp_c:
            found.append(
                Reason(
                    "temperature",
                    f"{end.family} {end.size} bears {hottest:g} C, it becomes {q.temp_c:g} C (typ).",
                    source,
                )
            )
        if q.pressure_pa is not None and highest_bar * PA_PER_BAR < q.pressure_pa:
            text = (
                f"{end.family} {end.size} bears {highest_bar:g} bar, it becomes {q.pressure_pa / PA_PER_BAR:g} bar "
                "(typ)."
            )
            found.append(Reason("pressure", text, source))
    return list(dict.fromkeys(found))


def _big(text: str) -> str:
    return text[:1].upper() + text[1:]
