"""What `?` says of the page one is on: what it is for, what to do there, its own keys."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Help:
    """Help for one page. acts: what is done there, the usual first; keys: (key, what it does) that only this page has;
    hint: the next useful act, shown on the page until it is put away."""

    title: str
    acts: tuple[str, ...]
    keys: tuple[tuple[str, str], ...] = ()
    hint: str = ""


BESIDE = "Point at a row: the drawing beside it lights what it is about. Press a pipe there to come to its row."

DRAWING_KEYS = (
    ("i p e s", "isometric, plan, elevation looking north, side looking west"),
    ("t f + -", "quarter turn, fit, nearer, farther"),
    ("d g", "lines of measure; to the drawing"),
)
HELP = {
    "home.index": Help(
        "Jobs",
        (
            "Look round opens the demo: three houses with their van, tests and paper.",
            "A small job asks a few questions and gives a cut sheet.",
            "New job begins a house; a card shows where each job stands and what stops it.",
        ),
    ),
    "survey.index": Help(
        "Survey",
        (
            "Put a station where the tape says it is: boiler, radiator, heater, meter, stub.",
            "Give its ports their places and ends: they are where runs begin and finish.",
            "Type rooms, walls, joists and beams in the line below the plan.",
        ),
        hint="Put the first station: what the pipe comes from.",
    ),
    "pace.index": Help(
        "Pace-out",
        (
            "Say how the pipe goes: where from, which pipe, a colon, then the legs as you walk them.",
            "Legs may be called: left 350, up 1200. Several pasted lines make several runs.",
            "Click a chip to change its leg; E3000+-150 lets a leg float.",
            "A run that misses its port shows by how much, with cures in the watch list.",
        ),
        (
            ("/", "to the line"),
            ("Enter", "send the line"),
            ("[ ]", "run before, run after"),
            ("arrows", "on the drawing: a leg that way; Page Up and Down up and down; Shift small steps"),
            *DRAWING_KEYS,
        ),
    ),
    "sizes.index": Help(
        "Sizes",
        (
            "Every figure opens its working.",
            "What is too small says so in the watch list and is made larger by one press.",
            "Turn valves and taps to see what the network then does; nothing of that is stored.",
        ),
        hint="Open a figure to see how it comes about.",
    ),
    "joints.index": Help(
        "Joints",
        (
            "Each joint has its recipe and a section drawn to size.",
            BESIDE,
            "Mark it made when its checks are done; on a phone it waits until there is a network.",
            "The finder shows how to come from one pipe to another.",
        ),
        hint="Choose a joint to see how it is made.",
    ),
    "make.index": Help(
        "Cut list",
        (
            "Each piece with its length; a row opens its working.",
            BESIDE,
            "A head sorts by its column; once more turns it round, a third time puts it back.",
            "Sticks lays the pieces on what is bought; Piece cards has every mark; Materials is the order.",
        ),
        hint="Sticks and Piece cards are what goes to the saw and the bender.",
    ),
    "workshop.sticks": Help(
        "Sticks",
        (
            "Bars show which piece is cut from which length, offcuts of the van first.",
            "Legs that float are shifted together where that saves pipe, threads or couplings.",
            "The ticket names what a shop cuts and threads.",
        ),
    ),
    "workshop.cards": Help(
        "Piece cards",
        (
            "Marks are measured from the square end along the pipe; a bend begins at its mark.",
            "Turned right is clockwise looking along the pipe from the square end.",
        ),
    ),
    "workshop.materials": Help(
        "Materials",
        (
            "Everything to order, less what lies on the van.",
            "Ask the merchant for prices or take in a list; compare ways of joining below.",
            "Type what was used in the end: the difference to the plan stays with the job.",
        ),
    ),
    "order.order": Help(
        "Order",
        (
            "Phases by place and service; what can be done now is bright, the rest says what it waits for.",
            "The strip shows the hours of each phase: press one to come to it.",
            BESIDE,
            "A gate holds filling and lighting back until all before it is ticked.",
        ),
        hint="What is bright can be done now; the rest says what it waits for.",
    ),
    "prove.prove": Help(
        "Prove",
        (
            "Choose a section, fill the rig, type or record readings: the verdict is worked out.",
            "A changed joint un-proves just what it touches.",
        ),
        hint="Choose a section that is not proved.",
    ),
    "handover.index": Help(
        "Hand over",
        ("Print the cut sheet, make the pack, take the files.", "What is still open is listed first."),
    ),
    "house.index": Help(
        "State of the house",
        ("Click a pipe: which valves shut it, what goes without, how much runs out.", "Turn valves, go step by step."),
    ),
    "assembly.index": Help(
        "Order of assembly",
        ("One joint after the other, each with what moves and what holds.",),
        (("left right", "step before, step after"),),
    ),
    "bench.index": Help("Bench", ("Every calculation alone, no job needed.",)),
    "van.index": Help("Van", ("What is owned and carried: tools, stock, offcuts, prices, what was measured.",)),
    "practice.index": Help(
        "House practice",
        ("Where fitters disagree: a row a topic.", "Change opens its ways and shows what another would do."),
    ),
    "practice.property": Help(
        "Property",
        ("A card a house: what is due next, where it is shut, serials.", "Done today: it is due again from today."),
    ),
    "people.index": Help("People and instruments", ("Who may do what, and which gauge is in date.",)),
}


def help_for(endpoint: str | None) -> Help | None:
    """The help of a page; None where it has none of its own."""
    return HELP.get(endpoint or "")
