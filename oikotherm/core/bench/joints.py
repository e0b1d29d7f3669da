"""calc mate, transition, recipe, identify."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Literal

from pydantic import ConfigDict, Field

from ..catalogue import Catalogue, End, ends, parse_end
from ..context import Context
from ..errors import Refused
from ..job.model import ServiceId
from ..joints.chain import SCHOOL, Answer, Ask, Chain
from ..joints.finder import find
from ..joints.identify import Candidate, identify_pipe, identify_thread
from ..joints.law import HIDDEN, Question, law
from ..joints.recipe import Recipe, method_id
from ..joints.recipe import recipe as write_recipe
from ..practice import METAL_JOINING
from ..quantity import Practice, parse
from ..services import spec
from .registry import Input, Quantity, context, in_force, mm, tool

SERVICE_WORDS = "heating, water, gas, discharge or flue (heating)"
ROLE_WORDS = (
    "what runs through it, where the service has several that differ: hot, cold, discharge, condensate, overflow (any)"
)
END_WORDS = (
    "as family, size, form and marks, such as cu-m 22 pipe, G 3/4 male flat, comp-cu 15 socket, flare-45 1/2 male"
)
ENDS = f"Ends:\n{(ends.__doc__ or '').split(chr(10) * 2, 1)[1].strip()}"


def read_end(text: str, field: str, catalogue: Catalogue) -> End:
    """An end as said; a bare pipe such as cu-m 22 counts as its pipe end. Raises Refused."""
    words = text.split()
    if len(words) == 2 and words[0].lower() in catalogue.systems:
        text = f"{text} pipe"
    end = parse_end(text, field)
    if end.family in catalogue.systems and catalogue.pipe(end.family, end.size) is None:
        sizes = catalogue.sizes(end.family)
        raise Refused(field, text, f"a size of {end.family}: {', '.join(sizes)}", f"{end.family} {sizes[0]} pipe")
    return end


PLACE_WORDS = "where it lies: view, boxed, wall, floor, ceiling, loft, ground or outside (view)"
Place = Literal["", "view", "boxed", "wall", "floor", "ceiling", "loft", "ground", "outside"]


class MateInput(Input):
    a: str = Field(description=f"one end, {END_WORDS}")
    b: str = Field(description="the other end")
    service: ServiceId = Field(default="heating", description=SERVICE_WORDS)
    role: str = Field(default="", description=ROLE_WORDS)
    concealed: bool = Field(default=False, description="behind a finish, where nobody can reach it (false)")
    place: Place = Field(default="", description=PLACE_WORDS)
    flame: bool = Field(default=True, description="whether a flame is allowed (true)")
    near_heat: bool = Field(default=False, description="within half a metre of a boiler, heater outlet or flue (false)")
    method: str = Field(
        default="",
        description="the joint wanted, where the ends could be joined by several, such as braze (what the ends give)",
    )
    practice: Practice = Field(default="british", description="british, continental or north-american (british)")


@tool(
    "Do these ends fit",
    "whether two ends make a lawful joint, with what, or why not",
    {"a": "pb-m 22 pipe", "b": "comp-cu 22 socket", "service": "heating"},
    ENDS,
)
def mate(said: MateInput) -> dict[str, Any]:
    """{verdict: fits|with|refused, method, needs, why, reasons: [{code, text, source}], instead, text}. The order of
    the ends does not matter. Raises Refused."""
    question = Question(
        read_end(said.a, "a", in_force()),
        read_end(said.b, "b", in_force()),
        said.service,
        said.practice,
        method=method_id(in_force(), said.method) if said.method else "",
        role=said.role,
        place=said.place,
        reach=not said.concealed and said.place not in HIDDEN,
        flame=said.flame,
        near_heat=said.near_heat,
    )
    _of_service(said.role, said.service)
    found = law(in_force(), question)
    words = {"allowed": "fits", "with": f"with {', '.join(found.needs)}", "refused": "refused"}[found.verdict]
    return {
        "verdict": "fits" if found.verdict == "allowed" else found.verdict,
        "method": found.method,
        "needs": list(found.needs),
        "why": found.text,
        "reasons": [asdict(reason) for reason in found.reasons],
        "instead": list(found.instead),
        "text": f"{words}. {found.text}",
    }


def _of_service(role: str, service: str) -> None:
    """Raises Refused for a role that is none, or of another service."""
    if role and spec.service_of(role) != service:
        own = ", ".join(one.id for one in spec.service(service).roles)
        raise Refused("role", role, f"a role of {service}: {own}", own.partition(",")[0])


class TransitionInput(Input):
    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid", populate_by_name=True)

    start: str = Field(alias="from", description=f"the end to start from, {END_WORDS}")
    to: str = Field(description="the end to reach")
    service: ServiceId = Field(default="heating", description=SERVICE_WORDS)
    role: str = Field(default="", description=ROLE_WORDS)
    temp_c: Quantity | None = Field(
        default=None, description="the hottest it becomes; C (heating 80, water 60, gas 20)"
    )
    pressure_bar: Quantity | None = Field(
        default=None, description="the most it bears; bar (heating 3, water 6, gas 0.1)"
    )
    concealed: bool = Field(default=False, description="behind a finish (false)")
    flame: bool = Field(default=True, description="whether a flame is allowed (true)")
    undo: bool = Field(default=False, description="whether it must come apart again (false)")
    near_heat: bool = Field(default=False, description="a boiler, heater outlet or flue stands at the start (false)")
    tools: list[str] | None = Field(
        default=None,
        description="tools that are there: torch, press, press 22, press V 22, press-mlc 20, expander, flaring set, "
        "threader (all)",
    )
    via: str = Field(default="", description="a family of parts it must pass, such as gas-connector")
    practice: Practice = Field(default="british", description="british, continental or north-american (british)")
    prefer: Literal["", "solder", "press", "compression", "push-fit"] = Field(
        default="", description="the joint the house likes best: solder, press, compression or push-fit (by practice)"
    )
    at_most: int = Field(default=4, description="how many chains, 1 to 12 (4)", ge=1, le=12)


def ask_of(said: TransitionInput, context: Context) -> Ask:
    """The question as the finder takes it, with what is on the van. Raises Refused."""
    _of_service(said.role, said.service)
    school = METAL_JOINING.option(said.prefer or METAL_JOINING.default[said.practice])
    assert school is not None
    order = (*school.acts, *(method for method in SCHOOL if method not in school.acts))
    return Ask(
        read_end(said.start, "from", context.catalogue),
        read_end(said.to, "to", context.catalogue),
        said.service,
        None if said.temp_c is None else parse(said.temp_c, "temperature", "C", field="temp_c"),
        None if said.pressure_bar is None else parse(said.pressure_bar, "pressure", "bar", field="pressure_bar") / 1e5,
        said.concealed,
        said.flame,
        said.undo,
        said.near_heat,
        None if said.tools is None else frozenset(said.tools),
        said.at_most,
        said.via,
        said.practice,
        order,
        context.stock,
        said.role,
    )


def chain_row(chain: Chain) -> dict[str, Any]:
    """A chain as JSON."""
    return {
        "parts": [
            {
                "part": link.part.id if link.part else "stub",
                "title": link.title,
                "enter": str(link.enter),
                "leave": str(link.leave),
                "length_mm": link.length_mm,
                "source": link.part.source if link.part else "typ",
            }
            for link in chain.links
        ],
        "joints": [
            {"a": joint.a, "b": joint.b, "method": joint.method, "needs": list(joint.needs), "why": joint.why}
            for joint in chain.joints
        ],
        "score": chain.score,
        "because": list(chain.because),
        "bore_mm": None if chain.bore_mm is None else round(chain.bore_mm, 2),
        "length_mm": chain.length_mm,
        "undone": chain.undone,
    }


def answer_text(answer: Answer) -> str:
    """The answer in one line: the best chain and what speaks for it, or why there is none."""
    if answer.chains:
        best = answer.chains[0]
        words = " + ".join(link.title for link in best.links) or "straight into each other"
        return f"{words}: {'; '.join(best.because)}"
    return f"No lawful way. {' '.join(answer.rejected[0].reasons) if answer.rejected else ''}".strip()


@tool(
    "Transition finder",
    "which parts take one end to another, lawfully, ranked; and why others fail",
    {
        "from": "cu-m 22 pipe",
        "to": "pb-m 22 pipe",
        "service": "heating",
        "temp_c": 75,
        "flame": False,
        "concealed": True,
    },
    ENDS,
)
def transition(said: TransitionInput) -> dict[str, Any]:
    """{chains: [{parts, joints, score, because, bore_mm, length_mm, undone}], rejected: [{parts, reason, ...}], text}.
    Raises Refused."""
    answer = find(ask_of(said, context()), in_force(), context().memory)
    rejected = [{**chain_row(chain), "reason": " ".join(chain.reasons)} for chain in answer.rejected]
    text = answer_text(answer)
    return {"chains": [chain_row(chain) for chain in answer.chains], "rejected": rejected, "text": text}


def recipe_text(found: Recipe) -> str:
    """A recipe in one line."""
    return f"{found.title} on {found.pipe}: {len(found.prep) + len(found.steps)} steps"


class RecipeInput(Input):
    method: str = Field(
        description="capillary, braze, compression, compression-plastic, compression-mlc, push-fit, push-fit-metal, "
        "press, press-mlc, expansion, flare, thread, union, washer, tail, csst, connector, dielectric, slip or solvent"
    )
    pipe: str = Field(description="the pipe, such as cu-m 15, or for a threaded part its end, such as R 3/4 male")
    service: ServiceId = Field(default="heating", description=SERVICE_WORDS)
    role: str = Field(default="", description=ROLE_WORDS)
    place: Place = Field(default="", description=PLACE_WORDS)
    flame: bool = Field(default=True, description="whether a flame is allowed (true)")
    practice: Practice = Field(default="british", description="british, continental or north-american (british)")
    choices: dict[str, str] = Field(default={}, description='House practice by topic, such as {"flux": "both"}')


@tool(
    "Joint recipe",
    "how a joint is made and proved, by the school of the house",
    {"method": "capillary", "pipe": "cu-m 15", "service": "water"},
)
def recipe(said: RecipeInput) -> dict[str, Any]:
    """{title, needs, steps, quantities, tools, proof, cautions, limits, faults, undone, school, insertion_mm, text}.
    Raises Refused."""
    _of_service(said.role, said.service)
    found = write_recipe(
        in_force(),
        said.method,
        read_end(said.pipe, "pipe", in_force()),
        said.service,
        said.practice,
        said.choices,
        said.role,
        said.place,
        said.flame,
    )
    lines = {
        name: [line.text for line in getattr(found, name)]
        for name in ("prep", "steps", "proof", "quantities", "cautions", "limits")
    }
    return {
        "title": found.title,
        "method": found.method,
        "pipe": found.pipe,
        "needs": list(found.needs),
        "steps": [*lines["prep"], *lines["steps"]],
        "quantities": lines["quantities"],
        "tools": list(found.tools),
        "proof": lines["proof"],
        "cautions": lines["cautions"],
        "limits": lines["limits"],
        "faults": [asdict(fault) for fault in found.faults],
        "undone": found.undone,
        "school": [{"topic": topic, "chosen": chosen, "others": others} for topic, chosen, others in found.school],
        "insertion_mm": found.insertion_mm,
        "text": recipe_text(found),
    }


class IdentifyInput(Input):
    od: Quantity | None = Field(
        default=None, description="outside diameter of a pipe by calliper; mm, or text with a unit"
    )
    round: Quantity | None = Field(
        default=None, description="length of a string once round a pipe; mm, or text with a unit"
    )
    material: str = Field(default="", description="copper, plastic, multilayer, steel, galvanised or stainless")
    year: int | None = Field(default=None, description="about when it was laid")
    thread: Quantity | None = Field(
        default=None, description="diameter over the threads, of a female between them; mm, or text with a unit"
    )
    threads_per_inch: float | None = Field(default=None, description="threads counted on one inch, 8 to 30")
    female: bool = Field(default=False, description="a female thread (false)")
    taper: bool | None = Field(default=None, description="whether it tapers; leave out when not known")
    angle_deg: float | None = Field(default=None, description="angle of the gauge that fits, 55 or 60")
    practice: Practice | Literal[""] = Field(
        default="", description="where it is: british, continental or north-american"
    )


def candidate_row(one: Candidate) -> dict[str, Any]:
    return asdict(one)


@tool(
    "What is this pipe, what is this thread",
    "candidates from what a hand can measure, and how to tell them apart",
    {"od": 22.1, "material": "copper"},
)
def identify(said: IdentifyInput) -> dict[str, Any]:
    """{candidates: [{end, title, confidence, off_mm, why, tell}], text}. A pipe by od or round, a thread by thread or
    threads per inch. Raises Refused."""
    if said.od is not None or said.round is not None:
        if said.thread is not None or said.threads_per_inch is not None:
            raise Refused("thread", "a pipe and a thread", "measures of one of them", '{"od": 22.1}')
        found = identify_pipe(
            in_force(),
            None if said.od is None else mm(said.od, "od"),
            None if said.round is None else mm(said.round, "round"),
            said.material,
            said.year,
            said.practice,
        )
    else:
        found = identify_thread(
            None if said.thread is None else mm(said.thread, "thread"),
            said.threads_per_inch,
            said.female,
            said.taper,
            said.angle_deg,
        )
    text = (
        f"{found[0].title} ({found[0].confidence:.0%})"
        if found
        else "Nothing in the catalogue is of that size: measure again at another spot."
    )
    return {"candidates": [candidate_row(one) for one in found], "text": text}
