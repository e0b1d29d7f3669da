"""Chains of the transition finder as strips: every part to one scale, in the order it is made up, with its joints
between."""

from __future__ import annotations

from dataclasses import dataclass
from xml.sax.saxutils import escape, quoteattr

from ..core.catalogue import Catalogue, End
from ..core.catalogue.parts import end_od_mm, insertion_mm
from ..core.joints.chain import Chain, Link
from .svg import number

LONGEST_STUB_MM = 70.0  # a longer stub is drawn broken
OUTSIDE_MM = 34.0  # how much of the pipes on either side is drawn
METALS = {"copper": "copper", "brass": "brass", "steel": "steel", "plastic": "plastic", "stainless": "steel"}


@dataclass(frozen=True, slots=True)
class _Bar:
    """A stretch of a part: from x to x [mm], radius at each end [mm], how it is drawn."""

    x0: float
    x1: float
    r0: float
    r1: float
    what: str


def strip_length_mm(catalogue: Catalogue, chain: Chain) -> float:
    """Length of a strip as it is drawn [mm], with the pipes on either side."""
    return sum(_drawn_mm(link) for link in chain.links) + 2 * OUTSIDE_MM + 20.0


def _drawn_mm(link: Link) -> float:
    return min(link.length_mm, LONGEST_STUB_MM) if link.part is None else max(link.length_mm, 3.0)


def _radius(catalogue: Catalogue, end: End) -> float:
    """Outside radius of the body round an end [mm]: typical of its kind."""
    half = (end_od_mm(catalogue, end) or float(end.size.removeprefix("EHD") if end.size.startswith("EHD") else 20)) / 2
    kind = end.family.partition("-")[0]
    if end.form == "socket":
        return {"cap": half + 1.4, "press": half + 1.6, "comp": half * 1.65, "push": half * 1.6, "exp": half * 1.35}[
            kind
        ]
    if end.form == "female":
        return half * (1.45 if end.family == "flare-45" or {"flat", "washer", "cone"} & set(end.marks) else 1.28)
    return {"nut": half * 1.6, "half": half * 1.3}.get(end.form, half)


def _bars(catalogue: Catalogue, link: Link, x: float) -> list[_Bar]:
    """The outline of a part that stands from x on: its two ends and what is between."""
    long = _drawn_mm(link)
    if link.part is None:
        half = (end_od_mm(catalogue, link.enter) or 20.0) / 2
        return [
            _Bar(x, x + long, half, half, f"tube {_style(link)}{' broken' if link.length_mm > LONGEST_STUB_MM else ''}")
        ]
    found = []
    a, b = _radius(catalogue, link.enter), _radius(catalogue, link.leave)
    inner_a, inner_b = a, b
    for end, at, out, r in ((link.enter, x, -1.0, a), (link.leave, x + long, 1.0, b)):
        depth = insertion_mm(catalogue, end) or 0.0
        kind = end.family.partition("-")[0]
        if end.form == "socket":
            found.append(_Bar(at, at + out * depth, r, r, f"mouth {kind}"))
            if kind in ("comp", "push"):
                found.append(_Bar(at + out * depth * 0.35, at + out * (depth + 4), r * 1.06, r * 1.06, "nut"))
            if kind == "press":
                found.append(_Bar(at + out * depth * 0.72, at + out * depth * 0.9, r * 1.18, r * 1.18, "mouth bead"))
        elif end.form in ("male", "tail"):
            tip = depth if depth else 9.0
            half = (end_od_mm(catalogue, end) or 20.0) / 2
            found.append(
                _Bar(at, at + out * tip, half, half * (0.985 if end.family in ("R", "NPT") else 1.0), "thread")
            )
            found.append(_Bar(at - out * 5, at, half * 1.22, half * 1.22, "hex"))
        elif end.form == "female" and ({"flat", "washer", "cone"} & set(end.marks) or end.family == "flare-45"):
            found.append(_Bar(at + out * 10, at - out * 3, r, r, "nut"))
        elif end.form == "nut":
            found.append(_Bar(at + out * 16, at - out * 2, r, r, "nut"))
        elif end.form == "half":
            found.append(_Bar(at - out * 4, at + out * 6, r, r, "nut"))
    middle = _Bar(x, x + long, inner_a, inner_b, f"body {METALS.get(link.part.metal, 'brass')}")
    if "valve" in link.part.marks:
        found.append(_Bar(x + long * 0.3, x + long * 0.7, max(a, b) * 1.12, max(a, b) * 1.12, "hex"))
    if "dielectric" in link.part.marks or "union" in link.part.marks:
        found.append(_Bar(x + long * 0.38, x + long * 0.68, max(a, b) * 1.2, max(a, b) * 1.2, "nut"))
    if "connector" in link.part.marks:
        middle = _Bar(x, x + long, a * 0.7, b * 0.7, "body hose")
    return [middle, *found]


def _style(link: Link) -> str:
    family = link.enter.family
    return "copper" if family.startswith("cu-") else "steel" if family.startswith("fe-") else "plastic"


def strip(
    catalogue: Catalogue,
    start: End,
    goal: End,
    chain: Chain,
    scale: float,
    width: float = 720.0,
    *,
    rejected: bool = False,
) -> str:
    """A chain as an SVG strip at a scale [px per mm], start on the left; under each part its name, above each joint its
    method."""
    parts: list[str] = []
    bars: list[tuple[_Bar, str]] = []
    drawn = strip_length_mm(catalogue, chain) * scale
    x = 0.0
    spots: list[tuple[float, str, str]] = []  # where a joint is, its method, what it takes
    names: list[tuple[float, str]] = []
    for end, side in ((start, -1.0),):
        bars += [(bar, "") for bar in _outside(catalogue, end, x, side)]
    for n, link in enumerate(chain.links):
        spots.append((x, chain.joints[n].method, ", ".join(chain.joints[n].needs)))
        bars += [(bar, link.title) for bar in _bars(catalogue, link, x)]
        title = link.title if link.part else f"{link.stub_mm:.0f} of {link.enter.family} {link.enter.size}"
        names.append((x + _drawn_mm(link) / 2, title))
        x += _drawn_mm(link)
    if chain.joints:
        spots.append((x, chain.joints[-1].method, ", ".join(chain.joints[-1].needs)))
    bars += [(bar, "") for bar in _outside(catalogue, goal, x, 1.0)]
    most = max(max(bar.r0, bar.r1) for bar, _ in bars)
    left = (width - drawn) / 2 + (OUTSIDE_MM + 10) * scale
    above = _stack([(left + at * scale, method or "refused") for at, method, _ in spots], width)
    high = max((row for *_, row in above), default=0)
    top = 26.0 + 15.0 * (high + 1)
    middle = top + most * scale
    rows = _stack([(left + at * scale, name) for at, name in names], width)
    height = middle + most * scale + 12 + 17 * (max((row for *_, row in rows), default=0) + 1)
    order = {"tube": 0, "body": 1, "mouth": 2, "thread": 0, "hex": 3, "nut": 4}
    for bar, title in sorted(bars, key=lambda one: order.get(one[0].what.split()[0], 1)):
        ax, bx = left + bar.x0 * scale, left + bar.x1 * scale
        a, b = bar.r0 * scale, bar.r1 * scale
        outline = (
            f"M{number(ax)} {number(middle - a)}L{number(bx)} {number(middle - b)}L{number(bx)} "
            f"{number(middle + b)}L{number(ax)} {number(middle + a)}Z"
        )
        parts.append(
            f'<path class="b-{bar.what.replace(" ", " b-")}" '
            f'd="{outline}">{f"<title>{escape(title)}</title>" if title else ""}</path>'
        )
        if bar.what == "thread":
            lines = "".join(
                f"M{number(px)} {number(middle - a)}L{number(px)} {number(middle + a)}" for px in _between(ax, bx, 3.0)
            )
            parts.append(f'<path class="b-teeth" d="{lines}"/>')
        if "broken" in bar.what:
            cx = (ax + bx) / 2
            parts.append(
                f'<path class="b-break" d="M{number(cx - 4)} {number(middle + a + 4)}L{number(cx + 2)} '
                f"{number(middle - a - 4)}M{number(cx + 2)} {number(middle + a + 4)}L{number(cx + 8)} "
                f'{number(middle - a - 4)}"/>'
            )
    parts.append(
        f'<path class="b-centre" d="M{number(left - (OUTSIDE_MM + 6) * scale)} '
        f'{number(middle)}L{number(left + (x + OUTSIDE_MM + 6) * scale)} {number(middle)}"/>'
    )
    texts = []  # over all lines, which their halo breaks
    for (px, words, tx, row), (_, method, needs) in zip(above, spots, strict=True):
        ty = 14.0 + 15.0 * row
        line = f"M{number(tx)} {number(ty + 4)}L{number(px)} {number(middle - most * scale * 0.4)}"
        spot = f'<circle class="b-spot{"" if method else " bad"}" cx="{number(px)}" cy="{number(middle)}" r="3.4"/>'
        hint = f"<title>{escape(needs)}</title>" if needs else ""
        parts.append(f'<path class="b-joint" d="{line}"/>{spot}')
        texts.append(
            f'<text class="b-method" x="{number(tx)}" y="{number(ty)}" '
            f'text-anchor="middle">{escape(words)}{hint}</text>'
        )
    for px, name, tx, row in rows:
        ty = middle + most * scale + 18 + 17 * row
        parts.append(
            f'<path class="b-leader" d="M{number(px)} {number(middle + most * scale * 0.55)}L{number(tx)} '
            f'{number(ty - 12)}"/>'
        )
        texts.append(f'<text x="{number(tx)}" y="{number(ty)}" text-anchor="middle">{escape(name)}</text>')
    said = " + ".join(name for _, name in names) or "straight into each other"
    box = f"0 0 {number(width)} {number(height)}"
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" class="chart strip-chain{" rejected" if rejected else ""}" '
        f'viewBox="{box}" role="img" aria-label={quoteattr(said)}>{"".join(parts + texts)}</svg>'
    )


def _between(a: float, b: float, step: float) -> list[float]:
    low, high = min(a, b), max(a, b)
    count = int((high - low) / step)
    return [low + step * (n + 0.5) for n in range(count)]


def _outside(catalogue: Catalogue, end: End, x: float, side: float) -> list[_Bar]:
    """The pipe or port the chain begins or ends at."""
    half = (
        end_od_mm(catalogue, end) or (float(end.size.removeprefix("EHD")) if end.size.startswith("EHD") else 20.0)
    ) / 2
    if end.form == "pipe":
        style = (
            "copper"
            if end.family.startswith("cu-")
            else "steel"
            if end.family.startswith(("fe-", "galv", "csst", "vent"))
            else "plastic"
        )
        return [_Bar(x, x + side * OUTSIDE_MM, half, half, f"tube {style}")]
    if end.form in ("male", "tail"):
        depth = insertion_mm(catalogue, end) or 10.0
        return [
            _Bar(x - side * depth * 0.0, x + side * depth, half, half, "thread"),
            _Bar(x + side * depth, x + side * OUTSIDE_MM, half * 1.25, half * 1.25, "body port"),
        ]
    r = _radius(catalogue, end)
    return [
        _Bar(
            x - (side * (insertion_mm(catalogue, end) or 0.0) if end.form == "socket" else 0.0),
            x + side * OUTSIDE_MM,
            r,
            r,
            "body port",
        )
    ]


def _stack(wanted: list[tuple[float, str]], width: float) -> list[tuple[float, str, float, int]]:
    """Names under their parts, in as few rows as they need: (part x, words, text x, row)."""
    ends: list[float] = []
    found = []
    for px, name in wanted:
        half = len(name) * 3.75 + 6
        tx = min(max(px, half), width - half)
        row = next((n for n, end in enumerate(ends) if tx - half > end), len(ends))
        if row == len(ends):
            ends.append(0.0)
        ends[row] = tx + half
        found.append((px, name, tx, row))
    return found


def end_icon(catalogue: Catalogue, end: End) -> str:
    """A small picture of an end, for picking it: pipe, socket, thread with its face."""
    bars = _outside(catalogue, end, 0.0, -1.0)
    most = max(max(bar.r0, bar.r1) for bar in bars)
    scale = 15.0 / most
    parts = []
    for bar in sorted(bars, key=lambda one: one.what.startswith("thread")):
        ax, bx = 62 + max(bar.x0 * scale, -54), 62 + max(bar.x1 * scale, -54)
        a = bar.r0 * scale
        parts.append(
            f'<path class="b-{bar.what.replace(" ", " b-")}" d="M{number(ax)} {number(20 - a)}L{number(bx)} '
            f'{number(20 - a)}L{number(bx)} {number(20 + a)}L{number(ax)} {number(20 + a)}Z"/>'
        )
        if bar.what == "thread":
            lines = "".join(
                f"M{number(px)} {number(20 - a)}L{number(px)} {number(20 + a)}" for px in _between(ax, bx, 3.0)
            )
            parts.append(f'<path class="b-teeth" d="{lines}"/>')
    if end.form == "female":
        parts.append('<path class="b-hole" d="M62 11L44 11L44 29L62 29Z"/>')
    if end.form == "pipe":
        parts.append('<ellipse class="b-hole" cx="62" cy="20" rx="3" ry="13"/>')
    if end.form == "socket":
        parts.append('<ellipse class="b-hole" cx="62" cy="20" rx="3" ry="10"/>')
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" class="end-icon" viewBox="0 0 72 40" '
        f'aria-hidden="true">{"".join(parts)}</svg>'
    )
