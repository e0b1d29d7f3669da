"""The recipe of a joint: preparation, steps, proof, quantities, faults, cautions; data/recipes.csv and the chosen
school.

A row holds where its conditions do: service=gas, material=plastic, topic=option, seal=tape, and != for their
contraries.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from ..catalogue import Catalogue, End, parse_end
from ..catalogue.parts import SOCKET_METHODS, end_od_mm, insertion_mm, thread_row
from ..errors import Refused, nearest
from ..practice import TOPICS, defaults
from ..quantity import PaceUnit, amount, in_inches, trim
from ..tables import CORE, read_rows
from .fitted import Joint
from .law import HIDDEN, Question, Verdict, law, method_allowed, mouth

KINDS = ("prep", "step", "proof", "fault", "caution", "limit", "tool", "quantity", "undo")
WATCH_MIN = 60


@dataclass(frozen=True, slots=True)
class Line:
    """One line of a recipe and where it comes from."""

    text: str
    source: str
    topic: str = ""
    """The topic of House practice it follows, if any."""


@dataclass(frozen=True, slots=True)
class Fault:
    """What goes wrong: what it looks like, why, what cures it."""

    looks: str
    why: str
    cure: str


@dataclass(frozen=True, slots=True)
class Recipe:
    """How a joint is made. school: topic -> (option chosen, the other ways in one line)."""

    method: str
    title: str
    pipe: str
    service: str
    prep: tuple[Line, ...]
    steps: tuple[Line, ...]
    proof: tuple[Line, ...]
    quantities: tuple[Line, ...]
    tools: tuple[str, ...]
    faults: tuple[Fault, ...]
    cautions: tuple[Line, ...]
    limits: tuple[Line, ...]
    undone: str
    school: tuple[tuple[str, str, str], ...]
    insertion_mm: float | None
    od_mm: float | None
    needs: tuple[str, ...] = ()
    """What the joint takes to be lawful here: an olive, an insert, fittings marked for gas, a panel."""


@functools.cache
def _rows() -> dict[str, tuple[dict[str, str], ...]]:
    found: dict[str, list[dict[str, str]]] = {}
    for row in read_rows(CORE, "recipes.csv", "|", quoted=False):
        # a fault's three parts are columns of their own: looks | why | cure
        if row["kind"] == "fault":
            extra = row.get(None) or []  # type: ignore[call-overload]
            row = {
                **row,
                "text": row["text"].strip(),
                "why": row["source"].strip(),
                "cure": extra[0].strip(),
                "source": extra[1],
            }
        found.setdefault(row["method"], []).append(row)
    return {method: tuple(rows) for method, rows in found.items()}


def method_id(catalogue: Catalogue, word: str) -> str:
    """The joint method meant by an id or by the trade's other words. Raises Refused with the nearest."""
    low = word.strip().lower()
    if low in catalogue.methods:
        return low
    named = next((row.method for row in catalogue.methods.values() if low in row.words), None)
    if named is None:
        raise Refused("method", word, f"a joint method such as {nearest(low, catalogue.methods)}", "capillary")
    return named


@functools.cache
def _turn_rows() -> tuple[tuple[str, float, str], ...]:
    """(method, outside diameter up to [mm], turns) of nuts past finger tight."""
    return tuple((r["method"], float(r["od_up_to_mm"]), r["turns"]) for r in read_rows(CORE, "turns.csv", quoted=False))


def _turns(method: str, od_mm: float) -> str:
    return next((turns for row, up_to_mm, turns in _turn_rows() if row == method and od_mm <= up_to_mm), "")


@functools.cache
def _jaws() -> dict[str, tuple[float, float, float]]:
    rows = read_rows(CORE, "jaws.csv", quoted=False)
    return {row["size"]: (float(row["clear_mm"]), float(row["from_wall_mm"]), float(row["apart_mm"])) for row in rows}


def jaw_room(size: str) -> tuple[float, float, float] | None:
    """Room a press jaw takes [mm]: clear width round the pipe, from the wall, between two joints (typ); None where not
    listed."""
    return _jaws().get(size)


def _school(practice: str, choices: Mapping[str, str]) -> dict[str, str]:
    """Topic -> option: the practice's defaults with what was chosen over them. Raises Refused."""
    school = defaults(practice)
    for topic, option in choices.items():
        known = TOPICS.get(topic)
        if known is None:
            raise Refused("choices", topic, f"a topic such as {nearest(topic, TOPICS)}", "water-thread-seal")
        if known.option(option) is None:
            raise Refused("choices", option, " or ".join(one.id for one in known.options), known.options[0].id)
        school[topic] = option
    return school


def _unlawful(catalogue: Catalogue, method: str, pipe: End, service: str, verdict: Verdict) -> Refused:
    """The refusal of a joint that is not lawful: the reason, and what may be used instead."""
    instead = [one for one in verdict.instead if one != method]
    other = f"; {' or '.join(catalogue.methods[one].title for one in instead)} instead" if instead else ""
    example = f"{instead[0]} on {pipe.family} {pipe.size}, {service}" if instead else "capillary on cu-m 22, heating"
    expected = f"a lawful joint. {verdict.text.rstrip('.')}{other}"
    return Refused("method", f"{method} on {pipe}, {service}", expected, example)


def _not_listed(catalogue: Catalogue, method: str, pipe: End) -> Refused:
    """The refusal of a size that no fitting of the method is listed for."""
    system = catalogue.systems[pipe.family]
    listed = [one for one in system.methods if catalogue.method_figures(pipe.family, pipe.size, one)]
    sizes = [size for size in catalogue.sizes(pipe.family) if catalogue.method_figures(pipe.family, size, method)]
    said = f"{method} on {pipe}"
    other = f"; {' or '.join(catalogue.methods[one].title for one in listed)} takes it" if listed else ""
    others = f", which goes by it in {', '.join(sizes)}" if sizes else ""
    expected = (
        f"a size with fittings by {catalogue.methods[method].title}: none is listed for {system.said} {pipe.size}"
    )
    return Refused("method", said, f"{expected}{others}{other}", f"{listed[0] if listed else method} on {pipe}")


def _between_parts(catalogue: Catalogue, method: str, pipe: End) -> Refused:
    """The refusal of a joint that is made between two parts, on a pipe."""
    ends = {"washer": "G 3/4 male flat", "union": "union 3/4 half", "tail": "G 1/2 tail"}
    example = ends.get(method, "NPT 3/4 male")
    title = catalogue.methods[method].title
    expected = f"the end of a part: {title} joins two parts, not the pipe behind them, which has a joint of its own"
    return Refused("pipe", str(pipe), expected, example)


def pipe_for(catalogue: Catalogue, end: End) -> End:
    """The pipe that a socket is made for, where a joint is asked for by its socket; any other end as it is."""
    kind, _, metal = end.family.partition("-")
    if end.form != "socket" or kind not in SOCKET_METHODS:
        return end
    code = {"cu": "cu-m", "fe": "fe-press", "mlc": "mlc", "pb": "pb-m", "pexa": "pexa", "waste": "waste"}[metal]
    if "old" in end.marks:
        code = "cu-old"
    elif catalogue.pipe(code, end.size) is None:
        code = "cu-l"
    return End(code, end.size, "pipe") if catalogue.pipe(code, end.size) else end


def wrench_mm(size: str) -> int:
    """Length of the wrench that a threaded joint of steel pipe takes [mm] (typ): 250 to 1/2, 350 to 1, 450 to 1-1/2,
    600 to 2."""
    inches = amount(size)
    return next((length for up_to, length in ((0.5, 250), (1.0, 350), (1.5, 450)) if inches <= up_to), 600)


def recipe(
    catalogue: Catalogue,
    method: str,
    pipe: End,
    service: str,
    practice: str,
    choices: Mapping[str, str] | None = None,
    role: str = "",
    place: str = "",
    flame: bool = True,
) -> Recipe:
    """The recipe of a joint method on a pipe or thread. choices: topic -> option over the practice's defaults; role: of
    the service, where known; place, flame: where it is made, and whether a flame may be lit there.

    Raises Refused for an unknown method, topic or option, for a pipe this method does not join, and for what is not
    lawful there: with the reason and what may be used instead.
    """
    method = method_id(catalogue, method)
    school = _school(practice, choices or {})
    pipe = pipe_for(catalogue, pipe)
    system = catalogue.systems.get(pipe.family)
    if system and method in PART_JOINTS and method != "slip":
        raise _between_parts(catalogue, method, pipe)
    material = system.material if system else "brass"
    end = mouth(catalogue, method, pipe, service)
    verdict = asked(catalogue, method, pipe, service, practice, role, place, flame)
    if verdict.refused:
        raise _unlawful(catalogue, method, pipe, service, verdict)
    if end is not None and end.form == "socket" and insertion_mm(catalogue, end) is None:
        raise _not_listed(catalogue, method, pipe)
    od = end_od_mm(catalogue, pipe)
    depth = (
        insertion_mm(catalogue, end)
        if end
        else (insertion_mm(catalogue, pipe) if thread_row(catalogue, pipe) else None)
    )
    seal = school["gas-thread-seal" if service == "gas" else "water-thread-seal"]
    facts = {
        **school,
        "service": service,
        "practice": practice,
        "material": material,
        "pipe": "thin" if pipe.family == "fe-press" else pipe.family,
        "seal": seal,
        "filler": "silver" if service == "gas" and practice == "north-american" else "",
        "cut": "yes" if system and method == "thread" else "no",
    }
    fills = _fills(catalogue, method, od, depth, practice, service, seal, material, pipe)
    picked: dict[str, list[Line]] = {kind: [] for kind in KINDS}
    faults: list[Fault] = []
    used: dict[str, str] = {}
    for row in _expanded(method):
        topics = _holds(row["when"], facts)
        if topics is None:
            continue
        if row["kind"] == "fault":
            faults.append(Fault(row["text"], row["why"], row["cure"]))
            continue
        text = row["text"].format(**fills)
        topic = next((name for name in topics if name in TOPICS), "")
        if topic == "" and "seal" in topics:
            topic = "gas-thread-seal" if service == "gas" else "water-thread-seal"
        if topic:
            used[topic] = school[topic]
        picked[row["kind"]].append(Line(text, row["source"] or "rule of the trade", topic))
    ring = [Line("Yellow ring on the fitting", "rule of the trade")] if method == "press" and service == "gas" else []
    title = catalogue.methods[method].title if method in catalogue.methods else method
    tools = tuple(dict.fromkeys(word.strip() for line in picked["tool"] for word in line.text.split(";")))
    return Recipe(
        method,
        title,
        str(pipe),
        service,
        tuple(picked["prep"]),
        tuple(picked["step"]),
        (*ring, *picked["proof"]),
        tuple(picked["quantity"]),
        tools,
        tuple(faults),
        tuple(picked["caution"]),
        tuple(picked["limit"]),
        picked["undo"][0].text if picked["undo"] else "",
        tuple((topic, _title(topic, option), _others(topic, option)) for topic, option in used.items()),
        depth or None,
        od,
        verdict.needs,
    )


def in_unit(found: Recipe, unit: PaceUnit) -> Recipe:
    """A recipe with its lengths in a job's unit: inches and sixteenths for millimetres, but where both are said."""
    if unit == "mm":
        return found

    def said(line: Line) -> Line:
        return replace(line, text=in_inches(line.text))

    return replace(
        found,
        prep=tuple(map(said, found.prep)),
        steps=tuple(map(said, found.steps)),
        proof=tuple(map(said, found.proof)),
        quantities=tuple(map(said, found.quantities)),
        cautions=tuple(map(said, found.cautions)),
        limits=tuple(map(said, found.limits)),
    )


def asked(
    catalogue: Catalogue,
    method: str,
    pipe: End,
    service: str,
    practice: str,
    role: str = "",
    place: str = "",
    flame: bool = True,
) -> Verdict:
    """What the law says of a method on a pipe; of the end of a part by its method alone."""
    if pipe.family in catalogue.systems and method not in PART_JOINTS:
        return law(catalogue, Question(pipe, None, service, practice, method, role, place, place not in HIDDEN, flame))
    return method_allowed(catalogue, method, service, practice, role, place)


PART_JOINTS = (
    "slip",
    "connector",
    "dielectric",
    "union",
    "washer",
    "tail",
)  # made between parts, whatever pipe lies behind


def _title(topic: str, option: str) -> str:
    found = TOPICS[topic].option(option)
    return f"{TOPICS[topic].title}: {found.title if found else option}"


def _others(topic: str, option: str) -> str:
    return "; ".join(f"or {one.title}: {one.why}" for one in TOPICS[topic].options if one.id != option)


def _expanded(method: str) -> list[dict[str, str]]:
    found: list[dict[str, str]] = []
    for row in _rows().get(method, ()):
        found += _expanded(row["text"]) if row["kind"] == "use" else [row]
    return found


def _holds(when: str, facts: Mapping[str, str]) -> list[str] | None:
    """The names a row's conditions look at, or None where one of them does not hold."""
    names = []
    for word in when.split():
        name, sign, value = word.partition("!=") if "!=" in word else word.partition("=")
        if (facts.get(name, "") == value) != (sign == "="):
            return None
        names.append(name)
    return names


def solder_mm(od_mm: float) -> float:
    """Wire of 2 to 3 mm for one socket [mm]: about one diameter of the pipe (rule of the trade)."""
    return float(math.ceil(od_mm))


def _fills(
    catalogue: Catalogue,
    method: str,
    od: float | None,
    depth: float | None,
    practice: str,
    service: str,
    seal: str,
    material: str,
    pipe: End,
) -> dict[str, str]:
    wire = solder_mm(od) if od else 0.0
    jaw = jaw_room(pipe.size)
    tape = "3 to 6 turns" if service != "gas" else "3 to 5 turns, gas-rated"
    quantity = {
        "tape": f"tape {tape}",
        "rated-tape": "gas-rated tape 3 to 5 turns",
        "paste": "paste, a ring on the male",
        "tape-paste": f"tape {tape}, then paste",
        "hemp": "a strand of hemp, paste",
    }[seal]
    return {
        "insertion": f"{trim(depth, 1)} mm" if depth else "to the stop",
        "solder": f"{wire:.0f} mm",
        "solder_two": f"{2 * wire:.0f} mm",
        "turns": _turns(method, od or 15.0) or "as listed",
        "watch": str(WATCH_MIN),
        "heat": catalogue.heat[practice].said,
        "olive": "copper" if material in ("plastic",) else "brass",
        "ring": "yellow, marked for gas" if service == "gas" else "the one for water",
        "jaw": f"{jaw[0]:.0f} mm round the pipe, {jaw[1]:.0f} mm from the wall, {jaw[2]:.0f} mm to the next joint"
        if jaw
        else "as its maker says",
        "tape": tape,
        "service_word": service,
        "hemp_note": "listed for the gas " if service == "gas" else "",
        "seal_quantity": quantity,
        "wrenches": f"two pipe wrenches of {wrench_mm(pipe.size)} mm ({wrench_mm(pipe.size) / 25:.0f} in, typ)"
        if material == "steel"
        else "two wrenches with smooth jaws",
    }


def joint_end(catalogue: Catalogue, joint: Joint) -> End | None:
    """The end a joint of a job is made on: its pipe, or the thread or face of a part; None for what is none of them."""
    words = joint.pipe.split()
    text = f"{joint.pipe} pipe" if len(words) == 2 and words[0] in catalogue.systems else joint.pipe
    try:
        return parse_end(text)
    except Refused:
        return None


def recipe_of(
    catalogue: Catalogue, joint: Joint, service: str, practice: str, choices: Mapping[str, str], role: str = ""
) -> Recipe | None:
    """The recipe of a joint of a job; None where its end or method has none, or the joint is not lawful."""
    end = joint_end(catalogue, joint)
    if end is None or joint.method not in catalogue.methods:
        return None
    try:
        return recipe(catalogue, joint.method, end, service, practice, choices, role)
    except Refused:
        return None
