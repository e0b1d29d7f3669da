"""The pack as PDF: one function a chapter, all set by one sheet of styles."""

from __future__ import annotations

import io
from collections.abc import Iterable, Mapping
from typing import Any

from reportlab.lib import colors
from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import Flowable, PageBreak, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from ..core.design import Design
from ..drawing.faces import REGULAR, TEXT, TEXT_BOLD, missing_said, printable, text_face, text_signs
from ..drawing.isometric import draw
from ..drawing.look import Look
from ..drawing.pdf import draw_on
from ..drawing.scene import Scene
from ..drawing.trace import Plot, trace_on
from .pack import not_printed

Story = list[Any]
Row = list[Any]
MARGIN = 40
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
PLAIN = str.maketrans({"&": "&amp;", "<": "&lt;"})


class _Readings(Flowable):  # type: ignore[misc]
    """The readings of a test across the page."""

    def __init__(self, one: Plot, width: float) -> None:
        super().__init__()
        self.plot, self.wide = one, width

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.wide, self.wide * self.plot.height / self.plot.width

    def draw(self) -> None:
        trace_on(self.canv, self.plot, self.wide, REGULAR)


class Drawing(Flowable):  # type: ignore[misc]
    """A scene across the page."""

    def __init__(self, scene: Scene, width: float) -> None:
        super().__init__()
        self.scene, self.wide = scene, width

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.wide, self.wide * self.scene.height / self.scene.width

    def draw(self) -> None:
        draw_on(self.canv, self.scene, 0, 0, self.wide)


def pack_pdf(design: Design, pack: dict[str, Any], plots: Mapping[str, Plot | None] | None = None) -> bytes:
    """The pack as PDF, A4 or Letter by practice; the same facts give the same bytes. plots: uuid of a test -> its
    readings drawn."""
    page = LETTER if design.job.practice == "north-american" else A4
    width = page[0] - 2 * MARGIN
    missing = missing_said(not_printed(design, pack))
    story = [
        *_front(design, pack, width),
        *sizes_chapter(pack, width),
        *services_chapter(pack, width),
        *cuts_chapter(pack, width),
        *_joints(pack, width),
        *plan_chapter(pack, width),
        *tests_chapter(pack),
        *_words(pack),
        Spacer(1, 8),
        text_of(pack["caution"], SMALL),
        *([text_of(missing, SMALL)] if missing else []),
        *certificates_chapter(pack, plots or {}, width),
    ]
    out = io.BytesIO()
    SimpleDocTemplate(
        out,
        pagesize=page,
        leftMargin=MARGIN,
        rightMargin=MARGIN,
        topMargin=MARGIN,
        bottomMargin=MARGIN,
        title=pack["title"],
        invariant=1,
    ).build(story)
    return out.getvalue()


def text_of(words: Any, style: Any = BODY) -> Any:
    text_signs()
    said = printable(str(words))
    strong = style.fontName == TEXT_BOLD
    face = text_face(said, strong=strong)
    plain = said.translate(PLAIN)
    return Paragraph(plain if face == style.fontName else f'<font name="{face}">{plain}</font>', style)


def table_of(rows: list[Row], shares: list[float], width: float) -> Any:
    """A table with a head; shares: of the width, a column each."""
    cells = [[text_of(cell, SMALL) for cell in row] for row in rows]
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


def cuts_chapter(pack: dict[str, Any], width: float) -> Story:
    rows: list[Row] = [["Piece", "Pipe", "Cut", "Centres mm", "From", "To"]]
    rows += [
        [
            cut["label"],
            cut["pipe"],
            cut["cut"],
            f"{cut['centre_mm']:g}",
            cut["from"],
            f"{cut['to']}; bend {cut['bends']}" if cut["bends"] else cut["to"],
        ]
        for cut in pack["cuts"]
    ]
    head = text_of(f"Cut list, {len(pack['cuts'])} cuts", HEAD)
    return [head, table_of(rows, [0.09, 0.11, 0.11, 0.12, 0.28, 0.29], width)]


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


def plan_chapter(pack: dict[str, Any], width: float) -> Story:
    rows: list[Row] = [["Step", "Where", "Min", "Done"]]
    rows += [[one["title"], one["where"], f"{one['minutes']:.0f}", by_and_when(one["done"])] for one in pack["plan"]]
    head = text_of(f"Plan of work, {len(pack['plan'])} steps", HEAD)
    return [head, table_of(rows, [0.32, 0.38, 0.08, 0.22], width)]


def tests_chapter(pack: dict[str, Any]) -> Story:
    """Every section with how it is proved, and each test of it."""
    story = [text_of("Tests", HEAD)]
    for section in pack["proofs"]:
        state = "proved" if section["passed"] else f"not proved: {', '.join(section['unproved'])}"
        with_what = f"{section['test']}, {section['medium']} at {section['target']}"
        story.append(text_of(f"{section['title']}: {with_what}, {section['joints']} joints, {state}."))
        for test in section["tests"]:
            when = test["at"][:16].replace("T", " ")
            still = f" {test['changed']} joints were changed since." if test["changed"] else ""
            story.append(text_of(f"{when}, {test['by_role']}, {test['gauge']}: verdict {test['outcome']}.{still}"))
            story += [text_of(reason, SMALL) for reason in test["reasons"]]
        if not section["tests"]:
            story.append(text_of("No test kept.", SMALL))
    if not pack["proofs"]:
        story.append(text_of("Nothing to prove."))
    return story


def certificates_chapter(pack: dict[str, Any], plots: Mapping[str, Plot | None], width: float) -> Story:
    """A page for the last test of each section: what, with what, by whom, the readings drawn, the sum, the verdict."""
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
            litres = f", {test['volume_l']:.1f} L" if test["volume_l"] else ""
            rows = [
                ["Job", pack["title"]],
                ["Section", f"{section['title']}, {section['joints']} joints{litres}"],
                ["Tested with", f"{test['medium'] or section['medium']} at {section['target']}{kind}"],
                ["Gauge", f"{test['gauge']}, {calibrated if test['calibrated_on'] else 'calibration not known'}"],
                ["When, who", f"{test['at'][:16].replace('T', ' ')}, {test['by_role']}"],
                ["Held", f"{test['hold_min']:.1f} minutes"],
                ["Verdict", f"{test['outcome']}{': ' if test['reasons'] else ''}{'; '.join(test['reasons'])}{changed}"],
            ]
            story += [PageBreak(), text_of(f"Record of a test: {section['test']}", TITLE), Spacer(1, 8)]
            story += [table_of(rows, [0.2, 0.8], width), Spacer(1, 10)]
            drawn = plots.get(test["uuid"])
            if drawn is not None:
                story += [_Readings(drawn, width), Spacer(1, 8)]
            story += [
                text_of(f"{one['formula']}: {one['result'] or 0:g} {one['unit']}", SMALL) for one in test["steps"]
            ]
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
    due = [text_of(f"{one['due']}, every year: {one['title']}; {one['why']}") for one in pack["reminders"]]
    story += [text_of("Findings let stand", HEAD), *(waived or [text_of("None.")])]
    story += [text_of("What comes round", HEAD), *(due or [text_of("Nothing.")])]
    return story
