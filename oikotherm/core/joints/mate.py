"""Which two ends go together, by what joint, with what: threads, sockets, cones and faces. Sockets and their pipes in
data/mating.csv.

Geometry only: what may run through the joint, and where it may lie, is law.py. The verdict does not depend on which end
is named first.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass, replace
from typing import Literal

from ..catalogue import Catalogue, End
from ..catalogue.ends import CONNECTOR_FLARES
from ..catalogue.parts import end_od_mm, method_of
from ..quantity import trim
from ..tables import CATALOGUE, read_rows

SLACK_MM = 0.06  # what a socket and its pipe may differ: the tolerance of drawn tube (std EN 1057, ASTM B88)
OLD_BODIES = {"1/2": "15", "3/4": "22", "1": "28"}  # old British copper -> the metric compression body that takes it
SWEAT_SIZES = {"1/2": "3/8", "5/8": "1/2"}  # inch soft tube, named by its outside -> the sweat fitting of that outside
SLIDES_MM = 1.2  # a pipe this near to a socket's size slides in and fools the hand
THREADS_PER_INCH = {
    "ISO": {"1/8": 28.0, "1/4": 19.0, "3/8": 19.0, "1/2": 14.0, "3/4": 14.0},
    "NPT": {"1/8": 27.0, "1/4": 18.0, "3/8": 18.0, "1/2": 14.0, "3/4": 14.0},
}


@dataclass(frozen=True, slots=True)
class Mate:
    """What becomes of two ends by their shape. verdict: fits, with (what is in needs) or refused; method: the joint;
    why: one sentence.

    tempting: refused, but it looks or starts as if it would go.
    """

    verdict: Literal["fits", "with", "refused"]
    method: str
    needs: tuple[str, ...]
    why: str
    tempting: bool = False


def fit(catalogue: Catalogue, a: End, b: End) -> Mate:
    """Whether two ends go together at all, whatever runs through them."""
    refused: Mate | None = None
    for one, other in ((a, b), (b, a)):
        for rule in _RULES:
            found = rule(catalogue, one, other)
            if found and found.verdict != "refused":
                return found
            if found and (refused is None or found.why < refused.why):
                refused = found
    if refused:
        return refused
    first, second = sorted((str(a), str(b)))
    return _no(f"{first} and {second} do not meet: a part must stand between them.", False)


def _no(why: str, tempting: bool = True) -> Mate:
    return Mate("refused", "", (), why, tempting)


def _yes(method: str, why: str, *needs: str) -> Mate:
    needs = tuple(need for need in needs if need)
    return Mate("with" if needs else "fits", method, needs, why)


@functools.cache
def _sockets() -> dict[tuple[str, str], tuple[str, ...]]:
    return {
        (r["socket"], r["pipe"]): tuple(filter(None, r["needs"].split(";"))) for r in read_rows(CATALOGUE, "mating.csv")
    }


def takes_insert(code: str) -> bool:
    """Whether a pipe goes into push-fit with an insert or stiffener in it."""
    return any(
        need in ("pipe insert", "stiffener")
        for (_, pipe), needs in _sockets().items()
        if pipe == code
        for need in needs
    )


def _said(catalogue: Catalogue, code: str) -> str:
    system = catalogue.systems.get(code)
    return system.said if system else code


def _big(text: str) -> str:
    return text[:1].upper() + text[1:]


_SOCKETS_SAID = {
    "cap": "solder socket",
    "press": "press socket",
    "comp": "compression body",
    "push": "push-fit body",
    "exp": "expansion spigot",
    "solv": "solvent socket",
}


def _pipe_in_socket(catalogue: Catalogue, pipe: End, socket: End) -> Mate | None:
    if pipe.form != "pipe" or socket.form != "socket":
        return None
    kind, _, _ = socket.family.partition("-")
    takes = _SOCKETS_SAID[kind]
    od, made_for = end_od_mm(catalogue, pipe), end_od_mm(catalogue, socket)
    if pipe.family == "cu-old":
        return _old_copper(pipe, socket, kind)
    if "old" in socket.marks:
        return _no(
            f"This socket is made for old British {socket.size} copper; {_said(catalogue, pipe.family)} {pipe.size} "
            "is another size."
        )
    needs = _sockets().get((socket.family, pipe.family))
    if od is None or made_for is None:
        return _no(f"A {takes} does not take {_said(catalogue, pipe.family)}.", False)
    if needs is None:
        near = abs(od - made_for) < SLIDES_MM
        return _no(
            f"{_big(_said(catalogue, pipe.family))} does not go into a {takes} for "
            f"{_TAKES[socket.family.partition('-')[2]]}: {_joined(catalogue, pipe)}.",
            near,
        )
    if abs(od - made_for) > SLACK_MM:
        why = (
            f"{_big(_said(catalogue, pipe.family))} {pipe.size} is {trim(od, 1)} mm outside, this {takes} is made for "
            f"{trim(made_for, 1)} mm: "
            + (
                "it slides in or binds, and never seals; a threaded or made adaptor joins the two."
                if abs(od - made_for) < SLIDES_MM
                else "another size."
            )
        )
        return _no(why, abs(od - made_for) < SLIDES_MM)
    if "set" in pipe.marks:
        if kind != "comp":
            return _no("A reducing set goes into a compression body, in place of its olive.", False)
        needs = ()
    if "lined" in pipe.marks:
        if kind not in ("push", "cap"):
            return _no("The spigot of a fitting has no room for an insert: it goes into push-fit only.", False)
        needs = ()
    method = method_of(socket, pipe)
    return _yes(method, f"{_big(_said(catalogue, pipe.family))} {pipe.size} in a {takes} of its size.", *needs)


_TAKES = {
    "cu": "copper",
    "fe": "thin steel",
    "mlc": "multilayer",
    "pb": "barrier plastic",
    "pexa": "PE-Xa",
    "waste": "overflow pipe",
}


def _joined(catalogue: Catalogue, pipe: End) -> str:
    system = catalogue.systems.get(pipe.family)
    return system.joined if system else "its maker's own fitting takes it"


def _old_copper(pipe: End, socket: End, kind: str) -> Mate:
    body = OLD_BODIES.get(pipe.size, "")
    if "old" in socket.marks and kind == "cap":
        if socket.size == pipe.size:
            return _yes("capillary", f"A made adaptor for old British {pipe.size} copper.")
        return _no(f"This adaptor is made for old British {socket.size} copper.")
    if socket.family == "comp-cu" and socket.size == body:
        needs = "the special 3/4 olive" if pipe.size == "3/4" else "brass olive"
        return _yes("compression", f"Old British {pipe.size} copper takes a {body} mm compression body.", needs)
    if kind in ("cap", "press", "push", "comp"):
        return _no(
            f"Old British {pipe.size} copper is neither metric nor ASTM size: a {body or 'metric'} mm compression body"
            + (" with the special olive" if pipe.size == "3/4" else "")
            + " or a made adaptor takes it."
        )
    return _no(f"Old British copper does not go into this {_SOCKETS_SAID[kind]}.", False)


_ISO = ("R", "Rp", "Rc", "G")


FACES = {"flat", "cone", "washer"}


def _threads(catalogue: Catalogue, male: End, female: End) -> Mate | None:
    if male.form not in ("male", "tail") or female.form != "female":
        return None
    families = {male.family, female.family}
    if not families <= {*_ISO, "NPT"}:
        return None
    if "NPT" in families and families != {"NPT"}:
        iso, npt = THREADS_PER_INCH["ISO"].get(male.size, 11.0), THREADS_PER_INCH["NPT"].get(male.size, 11.5)
        pitch = (
            "the same threads per inch, so it starts by hand"
            if iso == npt
            else f"{iso:g} threads per inch against {npt:g}"
        )
        return _no(
            f"NPT is cut at 60 degrees, {' and '.join(sorted(families - {'NPT'}))} at 55: {pitch}, then it binds and "
            "leaks; a made adaptor joins them.",
            male.size == female.size,
        )
    if male.size != female.size:
        return _no(f"A {male.size} thread does not screw into {female.size}: a bush or reducer stands between.", False)
    own, its = FACES & set(male.marks), FACES & set(female.marks)
    for row in _thread_rows():
        if (
            _named(row["male"], male.family)
            and _named(row["female"], female.family)
            and _named(row["form"], male.form)
            and _faced(row["own_face"], own)
            and _faced(row["other_face"], its)
        ):
            text = row["text"].format(male=male.family, female=female.family)
            return _yes(row["method"], text, row["needs"]) if row["verdict"] == "yes" else _no(text)
    return None


@functools.cache
def _thread_rows() -> tuple[dict[str, str], ...]:
    """What screws into what, and how it seals: the first row that holds speaks."""
    return tuple(read_rows(CATALOGUE, "thread_mating.csv"))


def _named(words: str, name: str) -> bool:
    return words == "*" or name in words.split()


def _faced(words: str, faces: set[str]) -> bool:
    """Whether an end has one of these faces: * whatever it has, any, none, or which."""
    if words in ("*", "any", "none"):
        return words == "*" or bool(faces) == (words == "any")
    return bool(faces & set(words.split()))


def cut_thread(catalogue: Catalogue, code: str) -> str | None:
    """The thread that is cut on a pipe system: NPT or R; None for pipe that is not threaded."""
    system = catalogue.systems.get(code)
    return {"npt": "NPT", "r": "R"}.get(system.family) if system else None


def _threaded_pipe(catalogue: Catalogue, pipe: End, female: End) -> Mate | None:
    cut = cut_thread(catalogue, pipe.family)
    if pipe.form != "pipe" or female.form != "female" or cut is None or female.family not in (*_ISO, "NPT"):
        return None
    found = _threads(catalogue, End(cut, pipe.size, "male"), female)
    if found is None or found.verdict == "refused":
        return found
    return replace(
        found,
        why=f"An {cut} thread is cut on the pipe. {found.why}",
        needs=(f"{cut} thread cut on the pipe", *found.needs),
        verdict="with",
    )


def _flare(catalogue: Catalogue, a: End, b: End) -> Mate | None:
    if "flare-45" not in (a.family, b.family):
        return None
    if a.form == "male" and b.form == "female" and a.family == b.family:
        return (
            _yes("flare", "Cone on flare, metal to metal, dry.")
            if a.size == b.size
            else _no("Flares of two sizes do not meet.", False)
        )
    if a.form == "pipe" and b.form == "male":
        od, made_for = end_od_mm(catalogue, a), end_od_mm(catalogue, b)
        if a.family != "cu-soft":
            if catalogue.material(a.family) == "copper":
                return _no("Hard copper splits when it is flared: soft tube, or another joint.")
            return _no(f"Only soft copper is flared, not {_said(catalogue, a.family)}.", False)
        if od is None or made_for is None or abs(od - made_for) > SLACK_MM:
            return _no(f"This flare is made for {b.size} tube by its outside diameter, the pipe is {a.size}.", False)
        return _yes("flare", "A flare made on the soft tube.", "flare nut, on the pipe first")
    if "pipe" in (a.form, b.form):
        return None
    return _no("A 45 degree flare mates with a 45 degree flare only.")


def _connector(catalogue: Catalogue, conn: End, end: End) -> Mate | None:
    if "conn" not in (conn.family, end.family):
        return None
    if conn.family == "conn" and (end.family, end.form) == ("flare-45", "male"):
        if CONNECTOR_FLARES.get(conn.size) == end.size:
            return _yes("connector", "Its own flare nut on a flare, dry.")
        return _no("A connector of another size.")
    if conn.family == "conn":
        return _no("A flexible connector ends in flare nuts: an adaptor stands between.", False)
    return None


def _corrugated(catalogue: Catalogue, pipe: End, nut: End) -> Mate | None:
    if "csst" not in (pipe.family, nut.family):
        return None
    if pipe.form == "pipe" and nut.form == "nut" and pipe.family == nut.family:
        if pipe.size == nut.size:
            return _yes("csst", "Its maker's own fitting.", "fitting and tube of one maker")
        return _no("The fitting is made for another size of tube.")
    if pipe.form == "pipe":
        return _no("Corrugated tube takes its maker's own fitting and nothing else.")
    return None


def _plain(catalogue: Catalogue, a: End, b: End) -> Mate | None:
    if a.form == b.form == "half" and a.family == b.family == "union":
        return _yes("union", "Two halves of a union.") if a.size == b.size else _no("Halves of two sizes.", False)
    if a.family == b.family == "vent" and {a.form, b.form} == {"crimp", "plain"}:
        return (
            _yes("slip", "Crimped end into plain end, the way the gases go.", "screws and foil tape")
            if a.size == b.size
            else _no("Vent connectors of two sizes.", False)
        )
    if a.family == "vent-sw" and b.family == "vent":
        return (
            _yes("slip", "Vent connector on its collar, the crimped end the way the gases go.", "screws and foil tape")
            if a.size == b.size
            else _no("Vent connectors of two sizes.", False)
        )
    if a.family == "hose" and b.family in ("G", "hose"):
        if b.family == "G" and {a.form, b.form} == {"male", "female"}:
            return _no("A North American hose thread has 11.5 threads per inch, G 3/4 has 14: they start and jam.")
        if b.family == "hose" and {a.form, b.form} == {"male", "female"} and a.size == b.size:
            return _yes("washer", "Hose on hose thread, with a washer.", "hose washer")
    if a.form == b.form == "pipe":
        same = (a.family, a.size) == (b.family, b.size)
        return _no(
            "Two pipe ends meet: a coupling stands between them."
            if same
            else "Two pipe ends of different kinds: a transition stands between them.",
            False,
        )
    return None


_RULES = (_pipe_in_socket, _threads, _threaded_pipe, _connector, _flare, _corrugated, _plain)
