"""The Bench's finder and recipe: two ends chosen by picture or typing, chains side by side; a joint card with its
drawing."""

from __future__ import annotations

from typing import Any

from flask import Response, render_template, request
from markupsafe import Markup

from ..core.bench import tools as calc_tools
from ..core.bench.joints import RecipeInput, TransitionInput, answer_text, ask_of, read_end, recipe_text
from ..core.catalogue import Catalogue, End
from ..core.errors import Refused
from ..core.job.document import read_as
from ..core.joints.chain import Chain
from ..core.joints.finder import find
from ..core.joints.law import mouth
from ..core.joints.mate import fit
from ..core.joints.recipe import in_unit, method_id, recipe
from ..core.practice import TOPICS
from ..core.quantity import PaceUnit, length_text
from ..core.services import spec
from ..drawing.section import section, section_svg
from ..drawing.strip import end_icon, strip, strip_length_mm
from . import db
from .bench_fields import grouped
from .van import van_tools

FIRST = {"from": "cu-m 22 pipe", "to": "pb-m 22 pipe", "service": "heating"}
# families as they are picked: heading, then the end with {} for its size, and the sizes
PICKS = (
    (
        "Pipe",
        (
            "cu-m {} pipe",
            "cu-l {} pipe",
            "cu-old {} pipe",
            "cu-soft {} pipe",
            "pb-m {} pipe",
            "pexa {} pipe",
            "mlc {} pipe",
            "fe-press {} pipe",
            "fe-40 {} pipe",
            "fe-m {} pipe",
            "csst {} pipe",
        ),
    ),
    (
        "Thread",
        (
            "R {} male",
            "Rp {} female",
            "G {} male flat",
            "G {} female washer",
            "NPT {} male",
            "NPT {} female",
            "NPT {} male steel",
        ),
    ),
    ("Other", ("G 1/2 female", "comp-cu {} socket", "cap-cu {} socket", "press-cu {} socket", "flare-45 {} male")),
)
SAID = {
    "cu-m": "copper, metric",
    "cu-l": "copper, inch",
    "cu-old": "old British copper",
    "cu-soft": "soft copper",
    "pb-m": "barrier plastic",
    "pexa": "PE-Xa",
    "mlc": "multilayer",
    "fe-press": "thin steel",
    "fe-40": "black steel, NPT",
    "fe-m": "steel tube, R",
    "csst": "corrugated gas",
    "R": "R male",
    "Rp": "Rp female",
    "comp-cu": "compression body",
    "cap-cu": "solder socket",
    "press-cu": "press socket",
    "flare-45": "flare",
}
THREAD_SIZES = ("3/8", "1/2", "3/4", "1", "1-1/4")
SOCKET_SIZES = {
    "comp-cu": ("10", "15", "22", "28"),
    "cap-cu": ("15", "22", "28", "1/2", "3/4", "1"),
    "press-cu": ("15", "22", "28", "1/2", "3/4", "1"),
    "flare-45": ("3/8", "1/2", "5/8", "3/4"),
}


def picks() -> list[dict[str, Any]]:
    """The pictures to pick an end from: heading, and its families with title, picture and sizes."""
    catalogue = db.catalogue()
    found = []
    for heading, patterns in PICKS:
        rows = []
        for pattern in patterns:
            family = pattern.split()[0]
            if "{}" not in pattern:
                sizes: tuple[str, ...] = ("1/2",)
            elif family in catalogue.systems:
                sizes = catalogue.sizes(family)
            else:
                sizes = SOCKET_SIZES.get(family, THREAD_SIZES)
            middle = sizes[min(2, len(sizes) - 1)]
            title = SAID.get(family, "") or " ".join(pattern.replace("{} ", "").replace(" pipe", "").split())
            if pattern == "G 1/2 female":
                title = "radiator port"
            if pattern.endswith("steel"):
                title = "steel nipple, NPT"
            icon = end_icon(catalogue, read_end(pattern.format(middle), "end", catalogue))
            rows.append(
                {"title": title, "icon": Markup(icon), "sizes": [(size, pattern.format(size)) for size in sizes]}
            )  # noqa: S704 - our own drawing
        found.append({"title": heading, "rows": rows})
    return found


def finder_page() -> Any:
    """The transition finder."""
    args = request.args
    typed = {
        name: args.get(name, "").strip()
        for name in ("from", "to", "service", "temp_c", "pressure_bar", "practice", "prefer", "via")
    }
    ticks = {name: name in args for name in ("concealed", "no_flame", "undo", "near_heat", "own_tools")}
    asked = bool(typed["from"] and typed["to"])
    if not asked:
        typed = {**typed, **{name: typed[name] or value for name, value in FIRST.items()}}  # an end that is given stays
    error, answer, strips = None, None, []
    try:
        said: dict[str, Any] = {name: value for name, value in typed.items() if value}
        said |= {
            "concealed": ticks["concealed"],
            "flame": not ticks["no_flame"],
            "undo": ticks["undo"],
            "near_heat": ticks["near_heat"],
        }
        if ticks["own_tools"]:
            said["tools"] = van_tools()
        ask = ask_of(read_as(TransitionInput, said), db.firm())
        answer = find(ask, db.catalogue(), db.memory())
        strips = _strips(ask.start, ask.goal, (*answer.chains, *answer.rejected))
    except Refused as refused:
        error = refused
    count = len(answer.chains) if answer else 0
    html = render_template(
        "finder.html",
        groups=grouped(),
        tool=calc_tools()["transition"],
        typed=typed,
        ticks=ticks,
        error=error,
        text=answer_text(answer) if answer else "",
        answer=answer,
        strips=strips[:count],
        refused_strips=strips[count:],
        picks=picks(),
        compare=compare(answer.chains) if answer else [],
        prices=PRICES,
        services=spec.services(),
    )
    return html, 422 if error else 200


PRICES = ("", "·", "··", "···", "····", "·····")


def _strips(start: End, goal: End, chains: tuple[Chain, ...]) -> list[Markup]:
    """All chains at one scale."""
    catalogue = db.catalogue()
    longest = max((strip_length_mm(catalogue, chain) for chain in chains), default=100.0)
    scale = min(1.9, 690.0 / longest)
    drawn = (strip(catalogue, start, goal, chain, scale, rejected=bool(chain.reasons)) for chain in chains)
    return [Markup(one) for one in drawn]  # noqa: S704 - our own drawing


def compare(chains: tuple[Chain, ...]) -> list[tuple[str, list[tuple[str, bool]]]]:
    """What sets the chains apart, a row a measure: (value, best of them)."""
    if not chains:
        return []
    rows: list[tuple[str, list[str], list[float]]] = [
        ("joints", [str(len(chain.joints)) for chain in chains], [len(chain.joints) for chain in chains]),
        ("made by", [", ".join(dict.fromkeys(joint.method for joint in chain.joints)) for chain in chains], []),
        (
            "comes apart",
            ["yes" if chain.undone else "no" for chain in chains],
            [0.0 if chain.undone else 1.0 for chain in chains],
        ),
        ("takes", [f"{chain.length_mm:.0f} mm" for chain in chains], [chain.length_mm for chain in chains]),
        (
            "narrowest",
            [f"{chain.bore_mm:.1f} mm" if chain.bore_mm else "as listed" for chain in chains],
            [-(chain.bore_mm or 0.0) for chain in chains],
        ),
        (
            "price class",
            [str(sum(link.part.price for link in chain.links if link.part)) for chain in chains],
            [float(sum(link.part.price for link in chain.links if link.part)) for chain in chains],
        ),
        ("on the van", [str(chain.in_stock) for chain in chains], [-float(chain.in_stock) for chain in chains]),
    ]
    made = []
    for name, words, figures in rows:
        best = min(figures) if figures and len(set(figures)) > 1 else None
        made.append((name, [(word, best is not None and figures[n] == best) for n, word in enumerate(words)]))
    return made


def card(
    catalogue: Catalogue,
    method: str,
    end: End,
    service: str,
    practice: str,
    choices: dict[str, str],
    role: str = "",
    unit: PaceUnit = "mm",
) -> dict[str, Any]:
    """What a joint card shows, by the catalogue in force: the recipe, its lengths in this unit, and the section
    drawing. Raises Refused."""
    found = in_unit(recipe(catalogue, method, end, service, practice, choices, role), unit)
    made = section(catalogue, method_id(catalogue, method), end)
    drawing = Markup(section_svg(made, unit=unit))  # noqa: S704 - our own drawing
    depth = length_text(found.insertion_mm, unit, with_unit=True) if found.insertion_mm else ""
    return {"recipe": found, "drawing": drawing, "depth": depth}


def recipe_page() -> Any:
    """A joint method on a pipe: its card."""
    args = request.args
    typed = {
        "method": args.get("method", "") or "capillary",
        "pipe": args.get("pipe", "") or "cu-m 15",
        "service": args.get("service", "") or "heating",
        "practice": args.get("practice", "") or "british",
    }
    choices = {topic.id: args[topic.id] for topic in TOPICS.values() if args.get(topic.id)}
    error, shown = None, None
    try:
        said = read_as(RecipeInput, {**typed, "choices": choices})
        shown = card(
            db.catalogue(),
            said.method,
            read_end(said.pipe, "pipe", db.catalogue()),
            said.service,
            said.practice,
            said.choices,
            unit="in" if said.practice == "north-american" else "mm",
        )
    except Refused as refused:
        error = refused
    html = render_template(
        "recipe.html",
        groups=grouped(),
        tool=calc_tools()["recipe"],
        typed=typed,
        error=error,
        text=recipe_text(shown["recipe"]) if shown else "",
        shown=shown,
        methods=tuple(db.catalogue().methods),
        services=spec.services(),
        titles={m: row.title for m, row in db.catalogue().methods.items()},
    )
    return html, 422 if error else 200


def gauge_page() -> Any:
    """The depth gauge of a pipe as a PDF, at 1:1."""
    from ..exchange.gauge import gauge_pdf

    try:
        end = read_end(request.args.get("pipe", ""), "pipe", db.catalogue())
        catalogue = db.catalogue()
        methods = [
            method
            for method in catalogue.methods
            if (taken := mouth(catalogue, method, end)) and fit(catalogue, end, taken).verdict != "refused"
        ]
        data = gauge_pdf(catalogue, end, methods, request.args.get("paper", "a4"))
    except Refused as refused:
        return render_template("error.html", title="No gauge", words=str(refused)), 422
    response = Response(data, mimetype="application/pdf")
    response.headers["Content-Disposition"] = (
        f'attachment; filename="depth-{end.family}-{end.size.replace("/", "-")}.pdf"'
    )
    return response
