"""The pack as PDF: one function a chapter, all set by one sheet of styles."""

from __future__ import annotations

import io
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from reportlab.lib import colors
from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.styles import ParagraphStyle
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    Flowable,
    Frame,
    KeepTogether,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
    Table,
    TableStyle,
)

from ..core.design import Design
from ..core.making.piece_cards import card_of
from ..core.services.heating.sizing import heating_of
from ..core.work.phases import phases
from ..drawing.chart_pdf import chart_on, chart_size
from ..drawing.charts import staircase
from ..drawing.faces import TEXT, TEXT_BOLD, missing_said, printable, text_face, text_signs
from ..drawing.isometric import draw
from ..drawing.ladders import gas_ladder, water_ladder
from ..drawing.look import Look
from ..drawing.pdf import draw_on
from ..drawing.piece_card import MINI_HIGH, MINI_WIDE, piece_mini
from ..drawing.pump_charts import pump_drawing
from ..drawing.scene import Scene
from ..drawing.sheet import FlatSheet, sheet_on
from ..drawing.time_strip import Bar, bars_of, strip_on
from ..drawing.trace import Plot, trace_on
from .pack import not_printed

Story = list[Any]
Row = list[Any]
MARGIN = 40
HEADER_PT = 26.0
RULED = TableStyle(
    [
        ("FONTNAME", (0, 0), (-1, -1), TEXT),
        ("LINEBELOW", (0, 0), (-1, 0), 0.7, colors.black),
        ("LINEBELOW", (0, 1), (-1, -1), 0.25, colors.HexColor("#cfc9bb")),
        ("TOPPADDING", (0, 0), (-1, -1), 1.5),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
        ("LEFTPADDING", (0, 0), (-1, -1), 2),
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
    ]
)
BODY = ParagraphStyle("body", fontName=TEXT, fontSize=9, leading=12)
SMALL = ParagraphStyle("small", parent=BODY, fontSize=7.5, leading=9.5)
HEAD = ParagraphStyle(
    "head", parent=BODY, fontName=TEXT_BOLD, fontSize=12, leading=15, spaceBefore=10, spaceAfter=4, keepWithNext=1
)
TITLE = ParagraphStyle("title", parent=HEAD, fontSize=17, leading=21)
RECORD_ONLY = (
    "A record of readings and the sum they give; it certifies nothing by itself. Signed by the licensed person:"
)
PLAIN = str.maketrans({"&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;"})


class Numbered(Canvas):  # type: ignore[misc]
    """A canvas that knows its number of pages when it writes them."""

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **{**more, "invariant": 1, "initialFontName": TEXT})
        self.pages: list[dict[str, Any]] = []

    def showPage(self) -> None:  # noqa: N802 - the library's name
        self.pages.append(dict(self.__dict__))
        self._startPage()

    def save(self) -> None:
        for number, page in enumerate(self.pages, 1):
            self.__dict__.update(page)
            self.setFont(TEXT, 8)
            self.setFillColor("#575f5b")
            self.drawRightString(
                self._pagesize[0] - MARGIN, self._pagesize[1] - MARGIN + 4, f"page {number} of {len(self.pages)}"
            )
            super().showPage()
        super().save()


class Paper(BaseDocTemplate):  # type: ignore[misc]
    """Pages with a header; heads go into the contents."""

    def __init__(self, out: io.BytesIO, page: tuple[float, float], title: str, pack: dict[str, Any]) -> None:
        super().__init__(out, pagesize=page, title=title, invariant=1)
        self.head = printable(f"{title}, revision {pack['rev']}, {pack['today']}")
        frame = Frame(MARGIN, MARGIN, page[0] - 2 * MARGIN, page[1] - 2 * MARGIN - HEADER_PT, 0, 0, 0, 0, id="body")
        self.addPageTemplates([PageTemplate(id="all", frames=[frame], onPage=self._header)])

    def _header(self, canvas: Any, _: Any) -> None:
        canvas.saveState()
        canvas.setFont(text_face(self.head, strong=True), 9)
        canvas.setFillColor("#1e2a2c")
        canvas.drawString(MARGIN, self.pagesize[1] - MARGIN + 4, self.head[:100])
        canvas.setStrokeColor("#a85a2a")
        canvas.setLineWidth(1.2)
        canvas.line(MARGIN, self.pagesize[1] - MARGIN - 3, self.pagesize[0] - MARGIN, self.pagesize[1] - MARGIN - 3)
        canvas.restoreState()

    def afterFlowable(self, flowable: Any) -> None:  # noqa: N802 - the library's name
        style = getattr(flowable, "style", None)
        if style is not None and style.name == HEAD.name:
            self.notify("TOCEntry", (0, marked(flowable.getPlainText(), strong=False), self.page))


class _Readings(Flowable):  # type: ignore[misc]
    """The readings of a test across the page."""

    def __init__(self, one: Plot, width: float) -> None:
        super().__init__()
        self.plot, self.wide = one, width

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.wide, self.wide * self.plot.height / self.plot.width

    def draw(self) -> None:
        trace_on(self.canv, self.plot, self.wide, TEXT)


class Drawing(Flowable):  # type: ignore[misc]
    """A scene across the page."""

    def __init__(self, scene: Scene, width: float) -> None:
        super().__init__()
        self.scene, self.wide = scene, width

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.wide, self.wide * self.scene.height / self.scene.width

    def draw(self) -> None:
        draw_on(self.canv, self.scene, 0, 0, self.wide)


class Chart(Flowable):  # type: ignore[misc]
    """A chart of the page across the page of paper."""

    def __init__(self, svg: str, width: float) -> None:
        super().__init__()
        self.svg, self.wide = svg, width
        self.own = chart_size(svg)

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.wide, self.wide * self.own[1] / self.own[0]

    def draw(self) -> None:
        chart_on(self.canv, self.svg, 0, 0, self.wide)


class _Strip(Flowable):  # type: ignore[misc]
    """The phases of the work along their hours."""

    def __init__(self, bars: Sequence[Bar], width: float) -> None:
        super().__init__()
        self.bars, self.wide = bars, width

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.wide, 38.0

    def draw(self) -> None:
        strip_on(self.canv, self.bars, self.wide)


def charts_chapter(design: Design, width: float) -> Story:
    """What the sizes come to, drawn: of each circuit what is left of its pump's head and its pump, of gas and water the
    pressure along the pipe."""
    charts: list[tuple[str, str, float]] = []
    for heating in heating_of(design):
        source = heating.circuit.source.id
        charts.append(
            (f"Circuit of {source}: pressure left along the way to {heating.index}", staircase(heating), 0.66)
        )
        for number, _ in enumerate(heating.pumps if heating.loads else ()):
            charts.append((f"Pump of {source} against its circuit", pump_drawing(heating, number), 0.58))
    charts += [(f"Gas from {net.source}", gas_ladder(design.job, net), 1.0) for net in design.sized["gas"].detail]
    charts += [(f"Water from {net.source}", water_ladder(design.job, net), 1.0) for net in design.sized["water"].detail]
    drawn = [(title, svg, share) for title, svg, share in charts if svg]
    story: Story = []
    for n, (title, svg, share) in enumerate(drawn):
        head = [] if n else [text_of("Pressures", HEAD)]
        story.append(KeepTogether([*head, text_of(title), Chart(svg, width * share), Spacer(1, 6)]))
    return story


def pack_pdf(design: Design, pack: dict[str, Any], plots: Mapping[str, Plot | None] | None = None) -> bytes:
    """The pack as PDF, A4 or Letter by practice; the same facts give the same bytes. plots: uuid of a test -> its
    readings drawn."""
    page = LETTER if design.job.practice == "north-american" else A4
    width = page[0] - 2 * MARGIN
    missing = missing_said(not_printed(design, pack))
    story = [
        *_front(design, pack, width),
        *charts_chapter(design, width),
        *sizes_chapter(pack, width),
        *services_chapter(pack, width),
        *cuts_chapter(design, pack, width),
        *_joints(pack, width),
        *plan_chapter(design, pack, width),
        *tests_chapter(pack),
        *_words(pack),
        Spacer(1, 8),
        text_of(pack["caution"], SMALL),
        *([text_of(missing, SMALL)] if missing else []),
        *certificates_chapter(pack, plots or {}, width),
    ]
    out = io.BytesIO()
    Paper(out, page, pack["title"], pack).multiBuild(story, canvasmaker=Numbered)
    return out.getvalue()


def text_of(words: Any, style: Any = BODY) -> Any:
    """Words as a paragraph: what they say, never markup."""
    return Paragraph(marked(words, strong=style.fontName == TEXT_BOLD), style)


def marked(words: Any, *, strong: bool) -> str:
    """Words as the library's markup, the one way into it: every sign of theirs stands for itself, in a face that has
    it."""
    text_signs()
    said = printable(str(words))
    face = text_face(said, strong=strong)
    plain = said.translate(PLAIN)
    return plain if face == (TEXT_BOLD if strong else TEXT) else f'<font name="{face}">{plain}</font>'


def table_of(rows: list[Row], shares: list[float], width: float) -> Any:
    """A table with a head; shares: of the width, a column each."""
    cells = [[cell if isinstance(cell, Flowable) else text_of(cell, SMALL) for cell in row] for row in rows]
    made = Table(cells, colWidths=[width * share for share in shares], repeatRows=1)
    made.setStyle(RULED)
    return made


def _steps(working: Iterable[dict[str, Any]]) -> Story:
    """The working of a figure, a line a step."""
    found = []
    for step in working:
        inputs = ", ".join(f"{name} {value:g}" for name, value in step["inputs"].items())
        given = f": {inputs}" if inputs else ""
        found.append(text_of(f"{step['formula']}{given} = {step['result']:g} {step['unit']}", SMALL))
    return found


def _front(design: Design, pack: dict[str, Any], width: float) -> Story:
    scene = draw(design, Look(width=1000, height=620))
    status = "Complete."
    if not pack["complete"]:
        status = "Not complete. " + " ".join(pack["stops"] or ["No passed test of the present pipework."])
    return [
        text_of(pack["title"], TITLE),
        text_of(pack["place"]),
        text_of(f"Revision {pack['rev']}, {pack['today']}"),
        text_of(status, HEAD),
        Drawing(scene, width),
        text_of(pack["caption"], SMALL),
        Spacer(1, 6),
    ]


def sizes_chapter(pack: dict[str, Any], width: float) -> Story:
    return [one for circuit in pack["sizes"] for one in _circuit(circuit, width)]


def _circuit(circuit: dict[str, Any], width: float) -> Story:
    pump, vessel = circuit["pump"], circuit["vessel"]
    head_kpa = pump["head_pa"] / 1000
    terms = f"{circuit['medium']} {circuit['flow_c']:g}/{circuit['return_c']:g} C"
    duty = f"Pump {head_kpa:.1f} kPa at {pump['flow_l_h']:.0f} L/h"
    story = [
        text_of(f"Sizes: circuit of {circuit['source']}, {terms}", HEAD),
        text_of(f"{duty}; index {circuit['index']}; water {circuit['volume_l']:.1f} L."),
    ]
    rows: list[Row] = [["Section", "Pipe", "L/h", "m/s", "Pa/m", "Pa", "Limits"]]
    rows += [
        [
            one["id"],
            one["pipe"],
            f"{one['flow_l_h']:.0f}",
            f"{one['velocity_m_s']:.2f}",
            f"{one['gradient_pa_m']:.0f}",
            f"{one['drop_pa']:.0f}",
            "; ".join(one["over"]) or "holds",
        ]
        for one in circuit["sections"]
    ]
    story.append(table_of(rows, [0.12, 0.16, 0.1, 0.1, 0.1, 0.1, 0.32], width))
    rows = [["Emitter", "W", "L/h", "Way there and back, Pa"]]
    rows += [
        [f"{one['id']} {one['name']}", f"{one['output_w']:.0f}", f"{one['flow_l_h']:.0f}", f"{one['path_pa']:.0f}"]
        for one in circuit["emitters"]
    ]
    story += [Spacer(1, 4), table_of(rows, [0.5, 0.12, 0.12, 0.26], width)]
    path: list[str] = next((one["path"] for one in circuit["emitters"] if one["id"] == circuit["index"]), [])
    for section in circuit["sections"]:
        if section["id"] in path:
            story += [text_of(f"Working of section {section['id']}"), *_steps(section["working"])]
    if vessel:
        needed = f"Expansion vessel {vessel['needed_l']:.1f} L needed, {vessel['said']}"
        story.append(text_of(f"{needed}; cold fill {vessel['cold_fill_bar']:.2f} bar", HEAD))
        story += _steps(vessel["working"])
    return story


def services_chapter(pack: dict[str, Any], width: float) -> Story:
    """What each service puts into the pack."""
    story: Story = []
    for section in pack["sections"]:
        story.append(text_of(section["title"], HEAD))
        if section["rows"]:
            columns = len(section["rows"][0])
            story.append(table_of(section["rows"], [1 / columns] * columns, width))
    return story


class _Mini(Flowable):  # type: ignore[misc]
    """A piece as small as a word."""

    def __init__(self, sheet: FlatSheet, width: float) -> None:
        super().__init__()
        self.sheet, self.wide = sheet, width

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.wide, self.wide * MINI_HIGH / MINI_WIDE

    def draw(self) -> None:
        sheet_on(self.canv, self.sheet, 0, 0, self.wide / MINI_WIDE)


def cuts_chapter(design: Design, pack: dict[str, Any], width: float) -> Story:
    """The cut list, every piece drawn."""
    cards = [card_of(cut, design.piece_labels) for cut in design.cuts]
    longest = max((card.cut_mm for card in cards if not card.turns), default=1.0)
    minis = {card.label: _Mini(piece_mini(card, longest), width * 0.13 - 6) for card in cards}
    rows: list[Row] = [["Piece", "", "Pipe", "Cut", "Centres mm", "From", "To"]]
    rows += [
        [
            cut["label"],
            minis.get(cut["label"], ""),
            cut["pipe"],
            cut["cut"],
            f"{cut['centre_mm']:g}",
            cut["from"],
            f"{cut['to']}; bend {cut['bends']}" if cut["bends"] else cut["to"],
        ]
        for cut in pack["cuts"]
    ]
    head = text_of(f"Cut list, {len(pack['cuts'])} cuts", HEAD)
    return [head, table_of(rows, [0.08, 0.13, 0.09, 0.1, 0.11, 0.24, 0.25], width)]


def by_and_when(found: Any) -> str:
    """By whom and when, or a dash."""
    return f"{found[0]}, {found[1][:16].replace('T', ' ')}" if found else "-"


def _joints(pack: dict[str, Any], width: float) -> Story:
    rows: list[Row] = [["Joint", "Method", "Part", "Made", "Seen", "Dry"]]
    rows += [
        [one["label"], one["method"], one["part"], by_and_when(one["made"]), one["seen"], by_and_when(one["dry"])]
        for one in pack["joints"]
    ]
    head = text_of(f"Joints, {len(pack['joints'])}", HEAD)
    return [head, table_of(rows, [0.09, 0.12, 0.26, 0.15, 0.23, 0.15], width)]


def plan_chapter(design: Design, pack: dict[str, Any], width: float) -> Story:
    """The order of work in phases, with the hours of each drawn above."""
    rows = {step.key: one for step, one in zip(design.plan, pack["plan"], strict=True)}
    done = {key for key, one in rows.items() if one["done"]}
    found = phases(design, design.plan)
    story: Story = [text_of(f"Plan of work, {len(rows)} steps", HEAD), _Strip(bars_of(found, done), width)]
    for phase in found:
        title = f"{phase.title}, {phase.where}" if phase.where else phase.title
        table: list[Row] = [[f"{title}, {phase.minutes / 60:.1f} h", "Where", "Min", "Done"]]
        own = [rows[step.key] for step in phase.steps]
        table += [[one["title"], one["where"], f"{one['minutes']:.0f}", by_and_when(one["done"])] for one in own]
        story += [table_of(table, [0.36, 0.34, 0.08, 0.22], width), Spacer(1, 5)]
    return story


def test_said(test: dict[str, Any]) -> str:
    """A test in a line: when, who, with what, its verdict, and whether that stands."""
    when = test["at"][:16].replace("T", " ")
    said = f"{when}, {test['by_role']}, {test['gauge']}{' at ' + test['target'] if test['target'] else ''}: "
    if test["withdrawn"]:
        return f"{said}withdrawn, {test['withdrawn']}."
    if test["abandoned"]:
        return f"{said}begun and not finished."
    still = f" {test['changed']} joints were changed since." if test["changed"] else ""
    over = " It stands no more." if test["outcome"] == "pass" and not test["stands"] else ""
    return f"{said}verdict {test['outcome']}.{over}{still}"


def tests_chapter(pack: dict[str, Any]) -> Story:
    """Every section with how it is proved, and each test of it."""
    story = [text_of("Tests", HEAD)]
    for section in pack["proofs"]:
        with_what = f"{section['test']}, {section['medium']} at {section['target']}"
        story.append(text_of(f"{section['title']}: {with_what}, {section['joints']} joints, {section['said']}."))
        for test in section["tests"]:
            story.append(text_of(test_said(test)))
            story += [text_of(reason, SMALL) for reason in (*test["reasons"], *test["remarks"])]
        if not section["tests"]:
            story.append(text_of("No test kept.", SMALL))
    if not pack["proofs"]:
        story.append(text_of("Nothing to prove."))
    return story


def certificates_chapter(pack: dict[str, Any], plots: Mapping[str, Plot | None], width: float) -> Story:
    """A page for the last test of each section: what, with what, by whom, the readings drawn, the sum, the verdict. One
    read on a gauge out of date is a record without a signature."""
    story: Story = []
    for section in pack["proofs"]:
        for test in section["tests"][:1]:
            due = f", due {test['due_on']}" if test["due_on"] else ""
            calibrated = (
                f"calibrated {test['calibrated_on']}{due}" if test["calibrated_on"] else "calibration not known"
            )
            stage = f", {test['stage']} stage" if test["stage"] else ""
            kind = f", {test['variant']}{stage}" if test["variant"] else stage
            changed = f"; {test['changed']} joints were changed since" if test["changed"] else ""
            if test["outcome"] == "pass" and not test["stands"]:
                changed += "; it stands no more"
            what = "; ".join((*test["reasons"], *test["remarks"]))
            outcome = "withdrawn" if test["withdrawn"] else "not finished" if test["abandoned"] else test["outcome"]
            litres = f", {test['volume_l']:.1f} L" if test["volume_l"] else ""
            rows = [
                ["Job", pack["title"]],
                ["Section", f"{section['title']}, {section['joints']} joints{litres}"],
                [
                    "Tested with",
                    f"{test['medium'] or section['medium']} at {test['target'] or section['target']}{kind}",
                ],
                *([["Said", test["said"]]] if test["said"] else []),
                *([["Thermometer", test["thermometer"]]] if test["thermometer"] else []),
                ["Gauge", f"{test['gauge']}, {calibrated if test['calibrated_on'] else 'calibration not known'}"],
                ["When, who", f"{test['at'][:16].replace('T', ' ')}, {test['by_role']}"],
                ["Held", f"{test['hold_min']:.1f} minutes"],
                ["Verdict", f"{outcome}{': ' if what else ''}{what}{changed}"],
            ]
            story += [PageBreak(), text_of(f"Record of a test: {section['test']}", TITLE), Spacer(1, 8)]
            story += [table_of(rows, [0.2, 0.8], width), Spacer(1, 10)]
            drawn = plots.get(test["uuid"])
            if drawn is not None:
                story += [_Readings(drawn, width), Spacer(1, 8)]
            story += [
                text_of(f"{one['formula']}: {one['result'] or 0:g} {one['unit']}", SMALL) for one in test["steps"]
            ]
            if test["stale"]:
                story += [Spacer(1, 14), text_of(f"No certificate: {test['stale']}.", SMALL)]
                continue
            story += [Spacer(1, 14), text_of(RECORD_ONLY, SMALL), Spacer(1, 34)]
            above = [("LINEABOVE", (0, 0), (-1, 0), 0.7, colors.black), ("FONTNAME", (0, 0), (-1, -1), TEXT)]
            line = Table([[""]], colWidths=[width * 0.5], style=above)
            line.hAlign = "LEFT"
            story.append(line)
    return story


def _words(pack: dict[str, Any]) -> Story:
    """Where it shuts off, how to top up, what is let stand, what comes round."""
    story: Story = []
    for name, lines in (("Where it shuts off", pack["shut_offs"]), ("How to top up", pack["top_up"])):
        story.append(text_of(name, HEAD))
        story += [text_of(f"{number}. {line}") for number, line in enumerate(lines, 1)]
    waived = [text_of(f"{one['says']} Reason: {one['reason']}") for one in pack["waived"]]
    due = [
        text_of(f"{one['due']}, {one['every'] or 'once'}: {one['title']}; {one['why']}") for one in pack["reminders"]
    ]
    story += [text_of("Findings let stand", HEAD), *(waived or [text_of("None.")])]
    story += [text_of("What comes round", HEAD), *(due or [text_of("Nothing.")])]
    return story
