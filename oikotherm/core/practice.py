"""House practice: the topics fitters disagree on, their options, and what each practice does by default."""

from __future__ import annotations

from dataclasses import dataclass

from .job.model import Choice, Job


@dataclass(frozen=True, slots=True)
class Option:
    """One way to do it. acts: what the program reads: joint methods, preferred first; the largest outside diameter
    bent."""

    id: str
    title: str
    why: str
    acts: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Topic:
    """A question with several good answers. default: practice -> option id; group: pipe (what is made) or hand (how it
    is made)."""

    id: str
    title: str
    options: tuple[Option, ...]
    default: dict[str, str]
    group: str = "hand"

    def option(self, id_: str) -> Option | None:
        return next((option for option in self.options if option.id == id_), None)


def _all(option: str) -> dict[str, str]:
    return dict.fromkeys(("british", "continental", "north-american"), option)


def _each(british: str, continental: str, north_american: str) -> dict[str, str]:
    return {"british": british, "continental": continental, "north-american": north_american}


METAL_JOINING = Topic(
    "metal-joining",
    "joining metal pipe",
    (
        Option("solder", "solder", "cheap, slim, lies behind any finish", ("capillary", "compression", "press")),
        Option("press", "press", "no flame, quick, lies behind any finish", ("press", "capillary", "compression")),
        Option(
            "compression", "compression", "no flame, comes apart; stays in reach", ("compression", "capillary", "press")
        ),
        Option(
            "push-fit",
            "push-fit",
            "no flame, no tool; not for gas",
            ("push-fit", "push-fit-metal", "press", "capillary", "compression"),
        ),
    ),
    _each("solder", "press", "solder"),
    "pipe",
)
TURNS = Topic(
    "changes-of-direction",
    "changes of direction",
    (
        Option("bends-22", "pull bends up to 22 mm", "no joint, little loss", ("22.5",)),
        Option("bends-15", "pull bends up to 15 mm", "22 mm takes a bench and room", ("16.5",)),
        Option("fittings", "fittings only", "every corner at its place, short legs go", ("0",)),
    ),
    _all("bends-22"),
    "pipe",
)
MULTILAYER = Topic(
    "multilayer-to-metal",
    "multilayer to metal",
    (
        Option(
            "compression-in-reach",
            "compression in reach, press concealed",
            "what is in reach can be altered later",
            ("compression-mlc", "press-mlc"),
        ),
        Option("press", "press", "permanent, concealable, one tool", ("press-mlc", "compression-mlc")),
    ),
    _all("compression-in-reach"),
    "pipe",
)
IN_VIEW = Topic(
    "pipe-in-view",
    "pipe in view",
    (
        Option("metal", "metal only", "plastic sags between clips and yellows"),
        Option("any", "any", "the customer pays less"),
    ),
    _all("metal"),
    "pipe",
)
RODENTS = Topic(
    "rodents",
    "plastic in reach of rodents",
    (
        Option("avoid", "avoid in lofts and under floors of rooms that have them", "they gnaw it, water follows"),
        Option("allow", "allow", "a dry, closed house"),
    ),
    _each("avoid", "allow", "allow"),
    "pipe",
)
_SEALS = {
    "tape": Option("tape", "tape", "clean and quick to undo"),
    "paste": Option("paste", "paste", "fills the thread, lubricates it to full depth"),
    "rated-tape": Option("rated-tape", "rated tape", "the right number of turns can be seen"),
    "tape-paste": Option("tape-paste", "tape, then paste", "seals rough threads; some codes forbid it"),
    "hemp": Option("hemp", "hemp and paste", "swells, and lets a fitting be set"),
}
GAS_SEAL = Topic(
    "gas-thread-seal",
    "gas thread seal",
    tuple(_SEALS[one] for one in ("paste", "rated-tape", "tape-paste", "hemp")),
    _each("paste", "hemp", "paste"),
)
GAS_TRAPS = Topic(
    "gas-traps",
    "sediment traps on gas",
    (
        Option("each", "one at each appliance", "each control has its own pocket"),
        Option("header", "one on the header they share", "less to fit; the authority has to agree"),
        Option("none", "none", "clean gas, and nobody asks for them"),
    ),
    _each("none", "none", "each"),
    "pipe",
)
GAS_UNIONS = Topic(
    "gas-unions",
    "unions on threaded gas pipe",
    (
        Option("each", "one at each appliance, behind its valve", "the appliance comes away alone"),
        Option("none", "none", "no joint more that can weep; what comes out comes apart from its end"),
    ),
    _all("each"),
    "pipe",
)
WATER_SEAL = Topic(
    "water-thread-seal",
    "water thread seal",
    tuple(_SEALS[one] for one in ("tape", "paste", "tape-paste", "hemp")),
    _each("tape", "hemp", "tape-paste"),
)
_HAND = (
    Topic(
        "olive",
        "olive",
        (
            Option("dry", "dry", "metal on metal, as most makers say"),
            Option("smear", "smear of compound", "allows small movement"),
        ),
        _all("dry"),
    ),
    Topic(
        "nut-and-olive",
        "nut and olive at a valve change",
        (
            Option("new", "always new", "an olive beds once"),
            Option("re-use", "re-use when sound and matching", "the pipe is not shortened"),
        ),
        _all("new"),
    ),
    Topic(
        "compression-tightness",
        "compression tightness",
        (
            Option("size", "from finger-tight by size", "the same for every hand"),
            Option("resistance", "from first resistance, 1/4 turn", "follows the olive, not the nut"),
        ),
        _all("size"),
    ),
    Topic(
        "flux",
        "flux",
        (
            Option("pipe", "pipe only", "none is pushed into the bore"),
            Option("both", "pipe and socket", "no dry spot in deep cups"),
        ),
        _each("pipe", "pipe", "both"),
    ),
    Topic(
        "solder-amount",
        "solder amount",
        (
            Option("length", "by length", "none runs into the bore"),
            Option("eye", "by eye, ring seen full", "every joint gets what it takes"),
        ),
        _all("length"),
    ),
    Topic(
        "after-soldering",
        "after soldering",
        (
            Option("damp", "damp cloth after setting", "takes the flux off"),
            Option("dry", "dry wipe, cool by itself", "no shock to the joint"),
        ),
        _all("damp"),
    ),
    Topic(
        "plastic-cutter",
        "plastic cutter",
        (
            Option("shear", "shear made for it only", "square and clean"),
            Option("ratchet", "ratchet cutter accepted", "one tool for all plastic, where the maker lists it"),
        ),
        _all("shear"),
    ),
    Topic(
        "flare-faces",
        "flare faces",
        (
            Option("dry", "dry", "metal to metal seals"),
            Option("compound", "compound on the faces, water only", "turns easier"),
        ),
        _all("dry"),
    ),
    Topic(
        "release-clip",
        "release clip face",
        (
            Option("printed", "as the maker prints", "makers differ"),
            Option("flat", "flat side toward the collar", "the usual way round"),
        ),
        _all("printed"),
    ),
)
BOILER_PIPES = Topic(
    "boiler-pipes",
    "order of the pipes at a boiler",
    (
        Option("paced", "as they were paced", "the order of the drawing, unless a step is moved"),
        Option(
            "gas-first",
            "gas and its test, cold, hot, return, flow",
            "each is made where tool room is about to be lost",
            ("gas", "cold", "hot", "return", "flow"),
        ),
    ),
    _all("paced"),
    "pipe",
)
AIR_SEPARATOR = Topic(
    "air-separator",
    "air separator",
    (
        Option("boiler", "leave it to the boiler's own vent", "modern boilers let air out themselves"),
        Option("climbs", "where pipe climbs to a top without vent", "air gathers there and nowhere else"),
        Option("always", "always one", "fine bubbles leave at the hottest place, first day and every day"),
    ),
    _each("climbs", "always", "always"),
    "pipe",
)
FILTER = Topic(
    "magnetic-filter",
    "magnetic filter on the return",
    (
        Option("always", "always", "black sludge of old radiators kills a new boiler"),
        Option("dirty", "only where the water came out dirty", "one part less to service"),
    ),
    _all("always"),
    "pipe",
)
FILLING = Topic(
    "filling",
    "filling a circuit",
    (
        Option("loop", "permanent loop, its hose off when not in use", "a customer can top up without tools"),
        Option("hose", "hose when needed", "nothing joins drinking water and heating water for good"),
    ),
    _each("loop", "hose", "loop"),
    "pipe",
)
TANK_METALS = Topic(
    "tank-metals",
    "copper on a steel tank",
    (
        Option("dielectric", "dielectric union", "no metal touches; comes apart there"),
        Option("lined-nipple", "lined nipple", "nothing to come loose; no flame near it"),
        Option("brass-valve", "brass valve", "shuts there, too"),
        Option("brass-nipple", "brass nipple of 150 mm", "far enough apart; nothing to wear"),
    ),
    _each("brass-valve", "dielectric", "lined-nipple"),
    "pipe",
)
TOPICS = {
    topic.id: topic
    for topic in (
        METAL_JOINING,
        TURNS,
        MULTILAYER,
        IN_VIEW,
        RODENTS,
        AIR_SEPARATOR,
        FILTER,
        BOILER_PIPES,
        FILLING,
        GAS_SEAL,
        GAS_TRAPS,
        GAS_UNIONS,
        WATER_SEAL,
        TANK_METALS,
        *_HAND,
    )
}


def options_of(job: Job) -> dict[str, str]:
    """Topic -> the option in force for a job."""
    return {topic.id: chosen(job, topic)[0].id for topic in TOPICS.values()}


def defaults(practice: str) -> dict[str, str]:
    """Topic -> the option a practice has by default."""
    return {topic.id: topic.default[practice] for topic in TOPICS.values()}


def chosen(job: Job, topic: Topic) -> tuple[Option, Choice]:
    """The option in force for a job and where it comes from: the job's own choice, else the default of its practice."""
    choice = job.choices.get(topic.id)
    option = topic.option(choice.option) if choice else None
    if choice is None or option is None:
        choice = Choice(option=topic.default[job.practice], origin="practice")
        option = topic.option(choice.option)
    assert option is not None
    return option, choice
