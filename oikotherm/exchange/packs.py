"""Three packs of a job: for the customer, the inspector, the fitter. Header, page n of m, contents, the app's faces."""

from __future__ import annotations

import io
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import (
    Flowable,
    KeepTogether,
    PageBreak,
    Spacer,
    TableStyle,
)
from reportlab.platypus.tableofcontents import TableOfContents

from ..core.design import Design
from ..core.making.order import Order, put_in
from ..core.making.piece_cards import PieceCard
from ..core.quantity import length_text
from ..core.services import spec
from ..core.supply import Supply
from ..core.work.care import shut_off_rows
from ..core.work.place import place_words
from ..drawing.faces import TEXT, TEXT_BOLD, missing_said, text_signs
from ..drawing.isometric import draw
from ..drawing.look import Look
from ..drawing.piece_card import HIGH, WIDE, piece_card
from ..drawing.projection import read_projection
from ..drawing.scene import Scene
from ..drawing.sheet import sheet_on
from ..drawing.trace import Plot
from . import packpdf as chapters
from .pack import not_printed
from .packpdf import BODY, HEAD, MARGIN, SMALL, TITLE, Drawing, Numbered, Paper, Story, table_of, text_of
from .plansheet import SCALES, UNITS_PER_MM
from .workshop import cards_of, off_said

PACKS = {"customer": "For the customer", "inspector": "For the inspector", "fitter": "For the fitter"}
"""What can be made, with its title."""

MM = 72 / 25.4
BOLD_BODY = ParagraphStyle("bold body", parent=BODY, fontName=TEXT_BOLD, fontSize=10, leading=13)
PLACE = ParagraphStyle("place", parent=BOLD_BODY, spaceBefore=7, spaceAfter=1, keepWithNext=1)
LARGE = ParagraphStyle("large", parent=BODY, fontSize=10.5, leading=14.5, spaceAfter=2)
LITTLE_M = 1.0  # less new pipe of a service is not told
MOST_OTHER = 12  # further valves named a service in the customer's pack
BLEED = (
    "Heating off and cool; a cloth and a bleed key at hand.",
    "Open the screw at the top of the radiator a quarter turn: air hisses out.",
    "Shut it when water comes without air; then look at the pressure and top up.",
)
GAS_SMELL = (
    "Smell of gas: no flame, no switch; shut the gas at its main valve, open doors and windows, go out, and call the "
    "emergency line of the gas supplier."
)


@dataclass(frozen=True, slots=True)
class Firm:
    """Who made the job: (role, licence), and where to call, as far as it was said."""

    people: tuple[tuple[str, str], ...] = ()


def pack_for(
    whom: str,
    design: Design,
    pack: dict[str, Any],
    plots: Mapping[str, Plot | None],
    supply: Supply,
    firm: Firm,
) -> bytes:
    """One of PACKS as PDF, A4 or Letter by practice; the same facts give the same bytes."""
    text_signs()
    page = LETTER if design.job.practice == "north-american" else A4
    width = page[0] - 2 * MARGIN
    makers = {"customer": _customer, "inspector": _inspector, "fitter": _fitter}
    story = makers[whom](_Facts(design, pack, plots, supply, firm, width))
    missing = missing_said(not_printed(design, pack))
    story += [Spacer(1, 10), text_of(pack["caution"], SMALL), *([text_of(missing, SMALL)] if missing else [])]
    out = io.BytesIO()
    Paper(out, page, f"{pack['title']}: {PACKS[whom].lower()}", pack).multiBuild(story, canvasmaker=Numbered)
    return out.getvalue()


@dataclass(frozen=True, slots=True)
class _Facts:
    design: Design
    pack: dict[str, Any]
    plots: Mapping[str, Plot | None]
    supply: Supply
    firm: Firm
    width: float


def _contents() -> Any:
    found = TableOfContents()
    found.levelStyles = [ParagraphStyle("contents", parent=BODY, leading=14)]
    found.dotsMinLevel = 0
    found.tableStyle = TableStyle(
        [
            ("FONTNAME", (0, 0), (-1, -1), TEXT),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LEFTPADDING", (0, 0), (-1, -1), 0),
            ("RIGHTPADDING", (0, 0), (-1, -1), 0),
        ]
    )
    return found


def _title(facts: _Facts, whom: str, says: str) -> Story:
    pack = facts.pack
    status = "Complete." if pack["complete"] else "Not complete. " + " ".join(pack["stops"][:3])
    return [
        text_of(pack["title"], TITLE),
        text_of(pack["place"] or "no place given"),
        text_of(PACKS[whom], BOLD_BODY),
        text_of(says),
        *([text_of(status, BOLD_BODY)] if whom != "customer" else []),
        Spacer(1, 6),
    ]


# --- customer ---------------------------------------------------------------------------------------------------------


def _customer(facts: _Facts) -> Story:
    """What was done, where it shuts off, how to top up and bleed, when the next visit is due, whom to call."""
    design, pack, width = facts.design, facts.pack, facts.width
    look = Look(width=1000, height=520, measures=False, findings=False)
    story = _title(facts, "customer", "What was done, what to do yourself, and when we come again.")
    was, waits = _done(design, pack, done=True), _done(design, pack, done=False)
    story += [
        text_of("What was done", HEAD),
        *(text_of(f"- {line}", LARGE) for line in was or ["Nothing is marked made."]),
    ]
    if waits:
        story += [text_of("Still to be done", HEAD), *(text_of(f"- {line}", LARGE) for line in waits)]
    if pack["proofs"]:
        story.append(text_of("What was tested", HEAD))
        story += [text_of(f"- {one['title']}: {one['plain']}", LARGE) for one in pack["proofs"]]
    story += [Spacer(1, 6), Drawing(draw(design, look), width)]
    story += [text_of("Flow solid, return dashed; letters are those of the list of valves.", SMALL)]
    story += [text_of("Where to shut it off", HEAD)]
    valves = shut_off_rows(design)
    for service in dict.fromkeys(one.service for one in valves if one.service):
        own = sorted((one for one in valves if one.service == service), key=lambda one: -one.off)
        title, whole = spec.service(service).title, next((one for one in own if one.whole), None)
        said = f"all of it: {whole.says.partition(':')[0]}" if whole else "no one valve here shuts all of it"
        story.append(text_of(f"{title}, {said}", BOLD_BODY))
        rest = [one for one in own if one is not whole]
        story += [text_of(f"- {one.says}", BODY) for one in rest[:MOST_OTHER]]
        if len(rest) > MOST_OTHER:
            story.append(text_of(f"and {len(rest) - MOST_OTHER} more, by the drawing", SMALL))
    if any(run.service == "gas" for run in design.job.runs):
        story.append(text_of(GAS_SMELL, BOLD_BODY))
    if pack["top_up"]:
        lines = [text_of(f"{n}. {line}", LARGE) for n, line in enumerate(pack["top_up"], 1)]
        story.append(KeepTogether([text_of("How to top up", HEAD), *lines]))
    if any(station.kind == "emitter" for station in design.job.stations):
        lines = [text_of(f"{n}. {line}", LARGE) for n, line in enumerate(BLEED, 1)]
        story.append(KeepTogether([text_of("How to bleed a radiator", HEAD), *lines]))
    story.append(KeepTogether(_due(pack, width)))
    story.append(text_of("Whom to call", HEAD))
    story += [
        text_of(f"{role}{', licence ' + licence if licence else ''}: __________________________", LARGE)
        for role, licence in facts.firm.people
    ]
    return story


def _due(pack: dict[str, Any], width: float) -> Story:
    """When the next visit is due, and all that comes round: by whom, how often, why."""
    story: Story = [text_of("When the next visit is due", HEAD)]
    due = sorted(pack["reminders"], key=lambda one: str(one["due"]))
    if not due:
        return [*story, text_of("Nothing comes round by itself.")]
    visit = next((one for one in due if not one["by_owner"]), None)
    if visit is not None:
        when = "Overdue since" if str(visit["due"]) < pack["today"] else "Next:"
        story.append(text_of(f"{when} {visit['due']}, {visit['title']}", BOLD_BODY))
    rows: list[list[Any]] = [["Due", "What", "Again", "By", "Why"]]
    rows += [[one["due"], one["title"], one["every"], "you" if one["by_owner"] else "us", one["why"]] for one in due]
    return [*story, table_of(rows, [0.13, 0.31, 0.15, 0.06, 0.35], width)]


def _done(design: Design, pack: dict[str, Any], done: bool) -> list[str]:
    """What was done, or is still to be done, in a few sentences, by what is marked made."""
    found, made = [], pack["made"]
    names: dict[str, int] = {}
    for station in put_in(design.job):
        if _is_in(design, pack, station.id) == done:
            title = spec.kind(station.kind).titled(station.variant, design.job.practice)
            names[title] = names.get(title, 0) + 1
    if names:
        said_of = [f"{many} {title}s" if many > 1 else title for title, many in names.items()]
        found.append(f"{'Put in' if done else 'To put in'}: {', '.join(said_of)}")
    metres: dict[str, float] = {}
    services = {run.id: run.service for run in design.job.runs}
    for cut in design.cuts:
        if (cut.run in made["runs"]) == done:
            metres[services[cut.run]] = metres.get(services[cut.run], 0.0) + max(cut.cut_mm, 0.0) / 1000
    unit = design.job.pace_unit
    for service, long in metres.items():
        if long < LITTLE_M:
            continue
        said = f"{long:.0f} m" if unit == "mm" else length_text(long * 1000, "in")
        found.append(f"{spec.service(service).title}: {said} of new pipe")
    gone = [one.id for one in design.job.stations if one.state == "remove" and (one.id in made["stations"]) == done]
    if gone:
        found.append(f"{'Taken out' if done else 'To take out'}: {', '.join(gone)}")
    return found


def _is_in(design: Design, pack: dict[str, Any], ident: str) -> bool:
    """Whether a station is in: hung, or for one that comes with the pipe all its new pipe made."""
    if ident in pack["made"]["stations"]:
        return True
    if any(step.key == f"hang:{ident}" for step in design.plan):
        return False
    runs = {
        run.id
        for run in design.job.runs
        if run.state == "new" and ident in (run.start.partition(".")[0], (run.finish or "").partition(".")[0])
    }
    return bool(runs) and runs <= set(pack["made"]["runs"])


# --- inspector --------------------------------------------------------------------------------------------------------


def _inspector(facts: _Facts) -> Story:
    """Drawings to scale, tests with their readings, sizes, what was let stand; the working of the sizes at the end."""
    pack, width = facts.pack, facts.width
    story = _title(
        facts, "inspector", "Drawings by level, tests and records, sizes with their working, what was let stand."
    )
    story += [_contents(), PageBreak()]
    story += _levels(facts)
    story += chapters.tests_chapter(pack)
    waived = [text_of(f"{one['says']} Reason: {one['reason']}") for one in pack["waived"]]
    story += [text_of("Findings let stand", HEAD), *(waived or [text_of("None.")])]
    story += chapters.charts_chapter(facts.design, width)
    story += chapters.services_chapter(pack, width)
    sizes = chapters.sizes_chapter(pack, width)
    if sizes:
        story += [PageBreak(), text_of("Appendix: sizes with their working", HEAD), *sizes]
    story += chapters.certificates_chapter(pack, facts.plots, width)
    return story


def _levels(facts: _Facts) -> Story:
    """A plan of every level at a scale that is stated, and the whole as an isometric."""
    design, width = facts.design, facts.width
    wide_mm, high_mm = width / MM, 200.0
    story = [text_of("The whole", HEAD), Drawing(draw(design, Look(width=1000, height=640)), width)]
    story.append(text_of(facts.pack["caption"], SMALL))
    for level in design.job.house.levels:
        made = _level_scene(design, level.id, wide_mm, high_mm)
        if made is None:
            continue
        scale, scene = made
        title = f"{level.name}, plan 1:{scale}"
        story.append(KeepTogether([text_of(title, HEAD), Drawing(scene, width)]))
    return story


def _level_scene(design: Design, level: str, wide_mm: float, high_mm: float) -> tuple[int, Scene] | None:
    """The plan of a level at the largest usual scale that fits; None where nothing is on it or none fits."""
    if not any(station.level == level for station in design.job.stations):
        return None
    for scale in SCALES:
        look = Look(
            projection=read_projection("plan", None),
            width=wide_mm * UNITS_PER_MM,
            height=high_mm * UNITS_PER_MM,
            levels=frozenset({level}),
            mm_per_m=1000 / scale * UNITS_PER_MM,
            findings=False,
        )
        scene = draw(design, look)
        points = [point for stroke in scene.strokes if stroke.layer != "compass" for point in stroke.points]
        if not points:
            return None
        xs, ys = [x for x, _ in points], [y for _, y in points]
        if min(xs) >= 0 and max(xs) <= look.width and max(ys) - min(ys) <= look.height:
            high = max(ys) - min(ys) + 40
            return scale, _cropped(scene, min(ys) - 20, high)
    return None


def _cropped(scene: Scene, top: float, height: float) -> Scene:
    """The scene moved up to its top, as high as it is."""

    def up(point: tuple[float, float]) -> tuple[float, float]:
        return point[0], point[1] - top

    strokes = [
        replace(one, points=tuple(up(point) for point in one.points)) for one in scene.strokes if one.layer != "compass"
    ]
    symbols = [replace(one, at=up(one.at)) for one in scene.symbols]
    labels = [replace(one, at=up(one.at)) for one in scene.labels if one.kind != "compass"]
    return replace(scene, height=height, strokes=strokes, symbols=symbols, labels=labels)


# --- fitter -----------------------------------------------------------------------------------------------------------


class _Cards(Flowable):  # type: ignore[misc]
    """Two piece cards side by side."""

    def __init__(self, cards: Sequence[PieceCard], unit: Any, width: float) -> None:
        super().__init__()
        self.cards, self.unit = cards, unit
        self.wide, self.scale = width, (width - 12) / 2 / WIDE

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.wide, HIGH * self.scale + 8

    def draw(self) -> None:
        for n, card in enumerate(self.cards):
            sheet = piece_card(card, self.unit, off_said(card))
            sheet_on(self.canv, sheet, n * (WIDE * self.scale + 12), 8, self.scale)


def _fitter(facts: _Facts) -> Story:
    """Plan, joints by place, parts to order, the cut list, a card a piece."""
    design, pack, width = facts.design, facts.pack, facts.width
    story = _title(facts, "fitter", "Order of work, joints by place, parts, cut list, a card a piece.")
    story += [_contents(), PageBreak(), *_levels(facts), *chapters.plan_chapter(design, pack, width)]
    story += _joints_by_place(facts)
    story += _parts(design.order(facts.supply), width)
    story += chapters.cuts_chapter(design, pack, width)
    cards = cards_of(design, facts.supply)
    story.append(text_of(f"Piece cards, {len(cards)}", HEAD))
    story += [_Cards(cards[n : n + 2], design.job.pace_unit, width) for n in range(0, len(cards), 2)]
    return story


def _joints_by_place(facts: _Facts) -> Story:
    """The joints, room by room and above or under the floor, as one walks: two beside each other."""
    design = facts.design
    own = {design.joint_labels[key]: joint for key, joint in design.fitted.joints.items()}
    places: dict[str, list[dict[str, Any]]] = {}
    for one in facts.pack["joints"]:
        joint = own.get(one["label"])
        piece = design.fitted.pieces.get(joint.other) if joint else None
        where = place_words(design, joint.at, piece.place if piece else "") if joint else "no longer there"
        places.setdefault(where or "elsewhere", []).append(one)
    story: Story = [text_of(f"Joints by place, {len(facts.pack['joints'])}", HEAD)]
    for where, joints in places.items():
        half = (len(joints) + 1) // 2
        rows: list[list[Any]] = [["Joint", "Method", "Part", "Made"] * 2]
        for n in range(half):
            row = []
            for one in (joints[n], joints[half + n] if half + n < len(joints) else None):
                made = one["made"] if one else None
                row += [one["label"], one["method"], one["part"], made[1][:10] if made else "[  ]"] if one else [""] * 4
            rows.append(row)
        story += [text_of(f"{where}, {len(joints)}", PLACE), table_of(rows, [0.09, 0.1, 0.2, 0.11] * 2, facts.width)]
    return story


def _parts(order: Order, width: float) -> Iterable[Any]:
    """What is ordered, group by group."""
    story: Story = [text_of(f"Parts, {len(order.lines)} lines", HEAD)]
    for group, lines in order.groups:
        rows: list[list[Any]] = [[group, "Takes", "Van", "Order"]]
        rows += [
            [line.title, line.takes_said, str(line.on_van or ""), f"{line.order} {line.pack_said}".strip()]
            for line in lines
        ]
        story += [table_of(rows, [0.5, 0.16, 0.1, 0.24], width), Spacer(1, 5)]
    return story
