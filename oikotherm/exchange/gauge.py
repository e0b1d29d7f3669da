"""The depth gauge of a pipe on paper at 1:1: a strip to cut out and hold beside the pipe, a line for each joint
method."""

from __future__ import annotations

import io
from collections.abc import Sequence

from ..core.catalogue import Catalogue, End
from ..core.catalogue.parts import end_od_mm, insertion_mm
from ..core.errors import Refused
from ..core.joints.law import mouth as end_for
from ..core.quantity import trim
from ..drawing.faces import TEXT, TEXT_BOLD, text_signs

POINT = 72 / 25.4
PAPERS_MM = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}
CHECK_MM = 100.0


def gauge_rows(catalogue: Catalogue, pipe: End, methods: Sequence[str]) -> list[tuple[str, float, str]]:
    """(method, insertion [mm], source) for each method that has a depth."""
    found = []
    for method in methods:
        mouth = end_for(catalogue, method, pipe)
        depth = insertion_mm(catalogue, mouth) if mouth else None
        if depth:
            title = catalogue.methods[method].title
            found.append(
                (title, depth, "typ: check the fitting" if method not in ("capillary", "braze", "thread") else "std")
            )
    return found


def gauge_pdf(catalogue: Catalogue, pipe: End, methods: Sequence[str], paper: str = "a4") -> bytes:
    """A page with the strip. Raises Refused for a pipe without a depth, or a paper not known."""
    from reportlab.pdfgen.canvas import Canvas

    if paper not in PAPERS_MM:
        raise Refused("paper", paper, " or ".join(PAPERS_MM), "a4")
    rows = gauge_rows(catalogue, pipe, methods)
    od = end_od_mm(catalogue, pipe)
    if not rows or od is None:
        raise Refused("pipe", str(pipe), "a pipe that goes a measured depth into its fittings", "cu-m 22 pipe")
    wide, high = PAPERS_MM[paper]
    out = io.BytesIO()
    text_signs()
    canvas = Canvas(out, pagesize=(wide * POINT, high * POINT), invariant=1, initialFontName=TEXT)
    canvas.setTitle(f"Depth gauge {pipe.family} {pipe.size}")
    ink, left, top = "#1e2a2c", 20.0, high - 25.0

    def at(x: float, y: float) -> tuple[float, float]:
        return x * POINT, y * POINT

    canvas.setFillColor(ink)
    canvas.setFont(TEXT_BOLD, 14)
    canvas.drawString(*at(left, top), f"Depth gauge: {pipe.family} {pipe.size}, {trim(od, 1)} mm outside")
    canvas.setFont(TEXT, 9)
    canvas.drawString(
        *at(left, top - 7),
        "Print at full size. The check line must measure 100 mm. Cut along the outline, hold the left edge at the "
        "pipe's end, mark.",
    )
    y = top - 18
    canvas.setLineWidth(0.8)
    canvas.line(*at(left, y), *at(left + CHECK_MM, y))
    for x in (0.0, CHECK_MM):
        canvas.line(*at(left + x, y - 2), *at(left + x, y + 2))
    canvas.drawString(*at(left + CHECK_MM + 3, y - 1), "100 mm")
    y -= 12
    longest = max(depth for _, depth, _ in rows)
    for title, depth, source in rows:
        canvas.setFillColor("#e7dcc6")
        canvas.rect(*at(left, y - 10), depth * POINT, 10 * POINT, stroke=0, fill=1)
        canvas.setFillColor(ink)
        canvas.rect(*at(left, y - 10), (longest + 14) * POINT, 10 * POINT, stroke=1, fill=0)
        canvas.setLineWidth(1.6)
        canvas.line(*at(left + depth, y - 10), *at(left + depth, y))
        canvas.setLineWidth(0.8)
        canvas.drawString(*at(left + longest + 17, y - 6.5), f"{title}: {trim(depth, 1)} mm ({source})")
        y -= 14
    canvas.drawString(*at(left, y - 2), f"Round the pipe: {trim(od * 3.14159265, 1)} mm.")
    canvas.showPage()
    canvas.save()
    return out.getvalue()
