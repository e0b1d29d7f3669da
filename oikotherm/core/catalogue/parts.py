"""Parts: what stands between two pipes or ports. They come from families and their sizes (data/families.csv), with
measures worked out from the tables of sockets and threads, so that a measured socket or thread changes every part made
of it.
"""

from __future__ import annotations

import functools
import re
from dataclasses import replace

from ..errors import Refused, nearest
from ..quantity import INCH_MM, amount
from ..tables import read_rows
from .ends import End, parse_end
from .loader import Catalogue, Socket, Thread
from .part import Part

SOCKET_METHODS = {
    "cap": "capillary",
    "press": "press",
    "comp": "compression",
    "push": "push-fit",
    "exp": "expansion",
    "solv": "solvent",
}
SOCKET_SYSTEMS = {"cu": "cu", "fe": "fe-press", "mlc": "mlc", "pb": "pb", "pexa": "pexa", "waste": "waste"}
_PIPES = {
    "cu": "cu-m",
    "fe": "fe-press",
    "mlc": "mlc",
    "pb": "pb-m",
    "pexa": "pexa",
    "waste": "waste",
}  # the pipe a socket is made for
PRICE_WORDS = ("", "cheap", "low", "middling", "dear", "very dear")


def end_od_mm(catalogue: Catalogue, end: End) -> float | None:
    """Outside diameter of the pipe an end is, or takes [mm]; None for corrugated tube. Threads: of the pipe they are
    cut on."""
    if end.family in catalogue.systems:
        row = catalogue.pipe(end.family, end.size)
        return row.od_mm if row else None
    kind, _, metal = end.family.partition("-")
    if end.family in ("R", "Rp", "Rc", "G"):
        row = catalogue.pipe("fe-m", end.size) or catalogue.pipe("fe-40", end.size)
        return row.od_mm if row else amount(end.size) * INCH_MM
    if end.family == "NPT":
        row = catalogue.pipe("fe-40", end.size)
        return row.od_mm if row else None
    if kind in SOCKET_METHODS:
        code = _PIPES[metal]
        if "old" in end.marks:
            code = "cu-old"
        row = catalogue.pipe(code, end.size) or (catalogue.pipe("cu-l", end.size) if metal in ("cu", "pb") else None)
        return row.od_mm if row else None
    if end.family == "csst":
        return None
    return amount(end.size) if amount(end.size) > 5 else amount(end.size) * INCH_MM


def socket_row(catalogue: Catalogue, end: End) -> Socket | None:
    """The figures of a socket's depth and centre measure. Sockets without a row of their own borrow that of their
    kin."""
    kind, _, metal = end.family.partition("-")
    if end.form != "socket":
        return None
    method = _OF_MLC.get(kind, "") if metal == "mlc" else SOCKET_METHODS[kind]
    if (kind, metal) == ("push", "cu"):
        method = "push-fit-metal"
    inch = "/" in end.size or end.size in ("1", "2")
    family = "cu-inch" if metal == "cu" and inch else SOCKET_SYSTEMS[metal]
    for key in ((family, end.size, method), *_KIN.get((kind, metal), ())):
        row = catalogue.sockets.get((key[0], end.size, key[2]))
        if row:
            return row
    return None


_OF_MLC = {"press": "press-mlc", "comp": "compression-mlc"}
_KIN: dict[tuple[str, str], tuple[tuple[str, str, str], ...]] = {
    ("push", "pb"): (("cu", "", "push-fit"),),
    ("comp", "pb"): (("cu", "", "compression"),),
    ("press", "cu"): (("cu-inch", "", "press"),),
}


def insertion_mm(catalogue: Catalogue, end: End) -> float | None:
    """How deep a pipe enters this end [mm]: of a socket its depth, of a thread the made-up length; 0 for faces and
    cones."""
    row = socket_row(catalogue, end)
    if row:
        return row.insertion_mm
    thread = thread_row(catalogue, end)
    if thread and end.family != "G":
        return thread.made_up_mm
    return 0.0 if end.form != "socket" else None


def thread_row(catalogue: Catalogue, end: End) -> Thread | None:
    family = {"NPT": "npt", "R": "r", "Rp": "r", "Rc": "r", "G": "r"}.get(end.family)
    return catalogue.threads.get((family, end.size)) if family else None


def method_of(end: End, other: End | None = None) -> str:
    """The joint method an end is made by: "press", "thread"... A pipe end takes the method of what it goes into."""
    if end.form in ("pipe",) and other is not None and other.form != "pipe":
        return method_of(other)
    kind, _, metal = end.family.partition("-")
    if end.form == "socket":
        if metal == "mlc" and kind in _OF_MLC:
            return _OF_MLC[kind]
        if (kind, metal) == ("push", "cu"):
            return "push-fit-metal"
        if kind == "comp" and (metal == "pb" or (other and other.family in ("pb-m", "pexa"))):
            return "compression-plastic"
        return SOCKET_METHODS[kind]
    if end.form == "tail":
        return "tail"
    if end.family == "G" or (end.family == "hose"):
        return "washer"
    if end.family in ("R", "Rp", "Rc", "NPT"):
        return "thread"
    return {"flare-45": "flare", "csst": "csst", "union": "union", "vent": "slip"}.get(end.family, "")


@functools.cache
def families() -> tuple[dict[str, str], ...]:
    """The families of parts as they stand in the data."""
    return tuple(read_rows(__package__, "families.csv"))


@functools.cache
def end_limits() -> dict[str, tuple[float, float, str]]:
    """End family -> the most it bears: temperature [C], pressure [bar], source word."""
    return {
        r["family"]: (float(r["t_max_c"]), float(r["p_max_bar"]), r["source"])
        for r in read_rows(__package__, "endlimits.csv")
    }


@functools.cache
def _bores() -> dict[tuple[str, str], float]:
    return {(r["end"], r["size"]): float(r["bore_mm"]) for r in read_rows(__package__, "bores.csv")}


def end_bore_mm(catalogue: Catalogue, end: End) -> float | None:
    """The free bore behind an end [mm]: of insert fittings their own, else that of the pipe it takes; None for
    corrugated tube."""
    found = _bores().get((f"{end.family} tail" if end.form == "tail" else end.family, end.size))
    if found is not None:
        return found
    code = end.family
    if code not in catalogue.systems:
        kind, _, metal = end.family.partition("-")
        code = _PIPES.get(metal, "fe-40")
        if code == "cu-m" and catalogue.pipe(code, end.size) is None:
            code = "cu-l"
    row = catalogue.pipe(code, end.size)
    if row is not None:
        return row.bore_mm
    od = end_od_mm(catalogue, end)
    return None if od is None else round(od - 2.0, 1)


def _sizes(catalogue: Catalogue, said: str) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []
    named = {
        "@cu": "10 12 15 22 28 35 42 54",
        "@cu-inch": "3/8 1/2 3/4 1 1-1/4 1-1/2 2",
        "@mlc": "16 20 25 26 32",
        "@pexa": "1/2 3/4 1 1-1/4",
        "@npt": "3/8 1/2 3/4 1 1-1/4 1-1/2 2",
        "@r": "3/8 1/2 3/4 1 1-1/4 1-1/2 2",
        "@press-cu": " ".join(
            size for family, size, method in catalogue.sockets if method == "press" and family in ("cu", "cu-inch")
        ),
        "@fe-press": " ".join(
            size for family, size, method in catalogue.sockets if method == "press" and family == "fe-press"
        ),
    }
    for word in said.split():
        if word in named:
            found += _sizes(catalogue, named[word])
        else:
            a, _, b = word.partition(">")
            found.append((a, b or a))
    return found


def with_parts(catalogue: Catalogue) -> Catalogue:
    """The catalogue with the parts that follow from its tables, by id, in the order of the families."""
    made = {part.id: part for row in families() for part in _of_family(catalogue, row)}
    return replace(catalogue, parts=made, part_ends=frozenset(end for part in made.values() for end in part.ends))


def part(catalogue: Catalogue, id_: str) -> Part:
    """A part by its id. Raises Refused with the nearest."""
    found = catalogue.parts.get(id_)
    if found is None:
        raise Refused("part", id_, f"a part such as {nearest(id_, catalogue.parts)}", "comp-male-22x3/4")
    return found


def _of_family(catalogue: Catalogue, row: dict[str, str]) -> list[Part]:
    found = []
    for a, b in _sizes(catalogue, row["sizes"]):
        texts = row["ends"].split("|")
        ends = tuple(parse_end(text.replace("@pipe", _pipe_code(a)).format(a=a, b=b)) for text in texts)
        words = row["marks"].split()
        kv = next((float(word.removeprefix("kv=")) for word in words if word.startswith("kv=")), None)
        bores = [bore for end in ends if (bore := end_bore_mm(catalogue, end)) is not None]
        limits = [end_limits()[end.family] for end in ends if end.family in end_limits()]
        bend = row["shape"] in ("elbow", "elbow45", "tee", "street")
        differ = a != b or len({end.size for end in ends}) > 1
        title = f"{a} x {b} {row['title']}" if differ and a != b else f"{a} {row['title']}"
        ident = f"{row['family']}-{a}x{b}" if a != b else f"{row['family']}-{a}"
        found.append(
            Part(
                id=ident,
                family=row["family"],
                title=title,
                shape=row["shape"],
                ends=ends,
                metal=row["metal"],
                services=tuple(row["services"].split()),
                gap_mm=None
                if bend or len(ends) != 2
                else catalogue.gaps.get(ident, _gap_mm(catalogue, row["gap"], ends)),
                reach_mm=tuple(_reach_mm(catalogue, row, ends, n) for n in range(len(ends))),
                bore_mm=min(bores) if bores else None,
                k=float(row["k"]) if row["k"] else None,
                kv=kv,
                t_max_c=min((one[0] for one in limits), default=110.0),
                p_max_bar=min((one[1] for one in limits), default=10.0),
                price=int(row["price"]),
                marks=frozenset(word for word in words if "=" not in word),
                source="measured" if ident in catalogue.gaps else row["source"],
            )
        )
    return found


def _pipe_code(size: str) -> str:
    return "cu-l" if "/" in size or size in ("1", "2") else "cu-m"


def _gap_mm(catalogue: Catalogue, formula: str, ends: tuple[End, ...]) -> float:
    """The measure of an in-line part from a formula such as 0.54d+8: d the largest outside diameter, r the difference
    of the two, a the insertion of a spigot, length that of the threaded coupling (all typ)."""
    ods = [end_od_mm(catalogue, end) or 0.0 for end in ends]
    total = 0.0
    for term in formula.split("+"):
        if term == "a":
            spigot = next((end for end in ends if end.form == "pipe"), ends[0])
            like = next((end for end in ends if end.form == "socket"), ends[0])
            row = socket_row(catalogue, End(like.family, spigot.size, "socket"))
            total += row.insertion_mm if row else 0.9 * max(ods)
        elif term == "length":
            threads = [thread for end in ends if (thread := thread_row(catalogue, end))]
            lengths = [thread.coupling_length_mm or 2 * thread.made_up_mm + 4 for thread in threads]
            total += max(lengths, default=0.0)
        else:
            found = re.fullmatch(r"([\d.]+)([dr]?)", term)
            assert found, formula
            total += float(found[1]) * {"": 1.0, "d": max(ods), "r": abs(ods[0] - ods[-1])}[found[2]]
    return round(total, 2)


def _reach_mm(catalogue: Catalogue, row: dict[str, str], ends: tuple[End, ...], n: int) -> float | None:
    """Centre to stop or face of one end; of in-line parts half the gap."""
    if row["shape"] in ("elbow", "elbow45", "tee", "street"):
        body = max(ends, key=lambda end: end_od_mm(catalogue, end) or 0.0)
        socket, thread = socket_row(catalogue, body), thread_row(catalogue, body)
        if row["gap"] != "z":
            return _gap_mm(catalogue, row["gap"], ends)
        if socket:
            z = socket.elbow_z_mm * (0.45 if row["shape"] == "elbow45" else 1.0)
            return round(z + (socket.insertion_mm if ends[n].form == "pipe" else 0.0), 2)
        if thread:
            return thread.elbow45_a_mm if row["shape"] == "elbow45" else thread.elbow_a_mm
        return None
    gap = _gap_mm(catalogue, row["gap"], ends)
    return round(gap / 2, 2)
