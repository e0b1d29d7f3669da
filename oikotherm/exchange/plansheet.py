"""The drawing on paper to scale: one page, with a scale bar and a title block."""

from __future__ import annotations

import io
from dataclasses import replace

from ..core.design import Design
from ..core.errors import Refused
from ..drawing.faces import TEXT, printable, text_face, text_signs
from ..drawing.isometric import draw
from ..drawing.look import Look
from ..drawing.pdf import draw_on
from ..drawing.projection import Projection
from ..drawing.scene import Scene

PAPERS_MM = {
    "a4": (297.0, 210.0),
    "a3": (420.0, 297.0),
    "a2": (594.0, 420.0),
    "a1": (841.0, 594.0),
    "letter": (279.4, 215.9),
    "tabloid": (431.8, 279.4),
}
SCALES = (10, 20, 25, 48, 50, 100, 200)
EDGE_MM, BLOCK_MM = 10.0, 16.0
UNITS_PER_MM = 4.0  # sheet units of a scene in a millimetre of paper, so that labels come out as on the page


def scale_scene(design: Design, projection: Projection, scale: int, paper: str, look: Look | None = None) -> Scene:
    """The scene of a page at 1:scale. Raises Refused for a paper or scale not known, or when the house is larger than
    the paper."""
    if paper not in PAPERS_MM:
        raise Refused("paper", paper, f"one of {', '.join(PAPERS_MM)}", "a3")
    if scale not in SCALES:
        raise Refused("scale", scale, f"one of {', '.join(f'1:{one}' for one in SCALES)}", "50")
    wide, high = PAPERS_MM[paper]
    look = replace(
        look or Look(),
        projection=projection,
        width=(wide - 2 * EDGE_MM) * UNITS_PER_MM,
        height=(high - 2 * EDGE_MM - BLOCK_MM) * UNITS_PER_MM,
        mm_per_m=1000 / scale * UNITS_PER_MM,
        findings=False,
        dimensions=True,
    )
    scene = draw(design, look)
    points = [point for stroke in scene.strokes if stroke.layer != "compass" for point in stroke.points]
    if points:
        left, right = min(x for x, _ in points), max(x for x, _ in points)
        top, bottom = min(y for _, y in points), max(y for _, y in points)
        if left < 0 or top < 0 or right > look.width or bottom > look.height:
            need = (right - left) / UNITS_PER_MM + 2 * EDGE_MM, (bottom - top) / UNITS_PER_MM + 2 * EDGE_MM + BLOCK_MM
            larger = next((name for name, size in PAPERS_MM.items() if size[0] >= need[0] and size[1] >= need[1]), "")
            words = f"larger paper ({larger})" if larger else "a smaller scale"
            raise Refused(
                "scale",
                f"1:{scale} on {paper}",
                f"{words}: the drawing is {need[0]:.0f} x {need[1]:.0f} mm at this scale",
                f"1:{min((one for one in SCALES if one > scale), default=200)}",
            )
    return scene


def scale_pdf(design: Design, projection: Projection, scale: int, paper: str, look: Look | None = None) -> bytes:
    """The page as PDF, the same bytes for the same job. Raises Refused as scale_scene."""
    from reportlab.pdfgen.canvas import Canvas

    scene = scale_scene(design, projection, scale, paper, look)
    point = 72 / 25.4
    wide, high = PAPERS_MM[paper]
    out = io.BytesIO()
    text_signs()
    canvas = Canvas(out, pagesize=(wide * point, high * point), invariant=1, initialFontName=TEXT)
    canvas.setTitle(f"{design.job.title}, {projection.name}, 1:{scale}")
    canvas.setLineWidth(0.6)
    canvas.rect(EDGE_MM * point, EDGE_MM * point, (wide - 2 * EDGE_MM) * point, (high - 2 * EDGE_MM) * point)
    draw_on(canvas, scene, EDGE_MM * point, (EDGE_MM + BLOCK_MM) * point, (wide - 2 * EDGE_MM) * point)
    base = EDGE_MM * point
    canvas.line(base, (EDGE_MM + BLOCK_MM) * point, (wide - EDGE_MM) * point, (EDGE_MM + BLOCK_MM) * point)
    canvas.setFillColor("#1e2a2c")
    title = printable(design.job.title[:70])
    canvas.setFont(text_face(title, strong=True), 11)
    canvas.drawString(base + 8, base + 26, title)
    canvas.setFont(TEXT, 8)
    canvas.drawString(
        base + 8,
        base + 12,
        f"{projection.name}, 1:{scale} on {paper.upper()} printed at full "
        f"size{', true along its axes' if projection.view == 'iso' else ''}. Lengths centre to centre.",
    )
    metre = 1000 / scale * point
    metres = 2 if metre * 5 > 0.4 * wide * point else 5
    x = (wide - EDGE_MM) * point - metres * metre - 14
    for n in range(metres):
        canvas.setFillColor("#1e2a2c" if n % 2 == 0 else "#ffffff")
        canvas.rect(x + n * metre, base + 14, metre, 5, fill=1)
    canvas.setFillColor("#1e2a2c")
    for n in range(metres + 1):
        canvas.drawCentredString(x + n * metre, base + 24, f"{n} m" if n == metres else str(n))
    canvas.showPage()
    canvas.save()
    return out.getvalue()
