"""The five doors to the law: mate, finder, fitter, recipe and override asked the same question must answer alike."""

from __future__ import annotations

import itertools
import random
from dataclasses import dataclass

from oikotherm.core.bench import find_tool
from oikotherm.core.catalogue import parse_end, standard
from oikotherm.core.design import Design, derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.model import Job, Room
from oikotherm.core.joints.alternatives import ways_to_join
from oikotherm.core.joints.law import mouth
from oikotherm.core.services import spec
from tests.jobs import job, port, station

CATALOGUE = standard()
PIPES = (
    "cu-m 22",
    "cu-m 15",
    "cu-l 3/4",
    "cu-mm 3/4",
    "cu-k 3/4",
    "cu-old 3/4",
    "cu-soft 15",
    "pb-m 22",
    "pexa 3/4",
    "mlc 20",
    "fe-press 22",
    "fe-40 3/4",
    "fe-m 3/4",
    "galv 3/4",
    "waste 21.5",
    "waste 32",
)
METHODS = tuple(row.method for row in CATALOGUE.methods.values() if row.socket or row.method in ("thread", "flare"))
ROLES = tuple(role.id for role in spec.roles())
PRACTICES = ("british", "continental", "north-american")
PLACES = ("view", "boxed", "wall", "floor", "flameless")
FACTORS = (PIPES, METHODS, ROLES, PRACTICES, PLACES)


@dataclass(frozen=True)
class Case:
    pipe: str
    method: str
    role: str
    practice: str
    place: str

    @property
    def service(self) -> str:
        return spec.service_of(self.role)

    @property
    def lies(self) -> str:
        return "" if self.place in ("view", "flameless") else self.place


def covering(seed: int, most: int) -> list[Case]:
    """Cases in which every pair of values of two factors meets, greedily; then more, of pipes with their own methods,
    until there are `most`."""
    rng = random.Random(seed)
    open_pairs = {
        (i, a, j, b) for i, j in itertools.combinations(range(len(FACTORS)), 2) for a in FACTORS[i] for b in FACTORS[j]
    }
    found: list[Case] = []
    while open_pairs and len(found) < most:
        first = rng.choice(sorted(open_pairs))
        best: tuple[str, ...] = ()
        gain = -1
        for _ in range(30):
            row = [rng.choice(factor) for factor in FACTORS]
            row[first[0]], row[first[2]] = first[1], first[3]
            new = sum((i, row[i], j, row[j]) in open_pairs for i, j in itertools.combinations(range(len(FACTORS)), 2))
            if new > gain:
                best, gain = tuple(row), new
        open_pairs -= {(i, best[i], j, best[j]) for i, j in itertools.combinations(range(len(FACTORS)), 2)}
        found.append(Case(*best))
    while len(found) < most:
        pipe, _, role, practice, place = (rng.choice(factor) for factor in FACTORS)
        own = CATALOGUE.systems[pipe.partition(" ")[0]].methods
        found.append(Case(pipe, rng.choice(own or METHODS), role, practice, place))
    return found


def elbow(case: Case) -> Job:
    """A run with an elbow of the pipe, where and for what the case says, started on pipe of its own kind."""
    made = job(case.practice)
    first = station("B", [port("out", f"{case.pipe} pipe", (0, 0, 500), "up", case.role)])
    lie = f"{{{case.lies}}} " if case.lies else ""
    commands = [first, {"do": "put_run", "text": f"X1 from B.out {case.pipe}: {lie}U900mm E900mm -> stub"}]
    if case.place == "flameless":
        store = Room(
            id="Q1",
            level="L0",
            name="Store",
            outline=((-3000, -3000), (6000, -3000), (6000, 6000), (-3000, 6000)),
            flame_allowed=False,
        )
        made = made.model_copy(update={"house": made.house.model_copy(update={"rooms": (store,)})})
    return apply_all(made, commands, CATALOGUE)


KEY = "i1/turn"


def corner(design: Design) -> str:
    """The key of the elbow of a design made by elbow()."""
    return next(key for key, node in design.pipework.nodes.items() if node.kind == "turn")


def by_mate(case: Case) -> bool:
    end = mouth(CATALOGUE, case.method, parse_end(f"{case.pipe} pipe"), case.service)
    if end is None:
        return False
    said = {
        "a": case.pipe,
        "b": str(end),
        "service": case.service,
        "role": case.role,
        "practice": case.practice,
        "place": case.lies,
        "flame": case.place != "flameless",
        "method": case.method,
    }
    return bool(find_tool("mate").run(said)["verdict"] != "refused")


def by_finder(case: Case) -> bool:
    """Whether the finder joins the pipe straight into the fitting's end by this method."""
    end = mouth(CATALOGUE, case.method, parse_end(f"{case.pipe} pipe"), case.service)
    if end is None:
        return False
    said = {
        "from": case.pipe,
        "to": str(end),
        "service": case.service,
        "role": case.role,
        "practice": case.practice,
        "concealed": case.lies in ("wall", "floor"),
        "flame": case.place != "flameless",
        "temp_c": 20,
        "pressure_bar": 0.05,
        "at_most": 1,
    }
    chains = find_tool("transition").run(said)["chains"]
    return bool(chains) and not chains[0]["parts"] and chains[0]["joints"][0]["method"] == case.method


def by_recipe(case: Case) -> bool:
    said = {
        "method": case.method,
        "pipe": case.pipe,
        "service": case.service,
        "role": case.role,
        "practice": case.practice,
        "place": case.lies,
        "flame": case.place != "flameless",
    }
    try:
        find_tool("recipe").run(said)
    except Refused as refused:
        assert refused.field in ("method", "pipe"), refused
        return False
    return True


def by_fitter(case: Case) -> bool | None:
    """Whether the fitter would take the method at an elbow; None where the catalogue has no such fitting."""
    made = elbow(case)
    design = derive(made)
    way = next(
        (one for one in ways_to_join(made, design.fitted, design.context, corner(design)) if one.method == case.method),
        None,
    )
    return None if way is None else not way.why


def by_override(case: Case) -> bool | None:
    """Whether the method set by hand is fitted; where it is not, it must be a stop. None where the catalogue has no
    such fitting."""
    made = elbow(case)
    key = corner(derive(made))
    code, _, size = case.pipe.partition(" ")
    design = derive(
        apply_all(
            made,
            [{"do": "put_override", "override": {"target": key, "field": "method", "value": case.method}}],
            CATALOGUE,
        )
    )
    stop = any(one.rule == "override" and one.severity == "stop" and key in one.where for one in design.findings)
    fitted = {mating.method for mating in design.fitted.fittings[key].matings.values()} == {case.method}
    assert fitted != stop, (case, fitted, stop)
    return fitted if CATALOGUE.method_figures(code, size, case.method) else None


DOORS = {"mate": by_mate, "finder": by_finder, "recipe": by_recipe, "fitter": by_fitter, "override": by_override}


def disagreements(case: Case) -> str:
    """What the doors answer where they do not answer alike; empty where they do. Solder and brazing share a socket: the
    finder, which asks by ends, is heard for the one the ends give."""
    answers = {name: door(case) for name, door in DOORS.items() if not (name == "finder" and case.method == "braze")}
    heard = {name: answer for name, answer in answers.items() if answer is not None}
    return "" if len(set(heard.values())) == 1 else f"{case}: {heard}"
