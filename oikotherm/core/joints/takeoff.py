"""What a part takes off a length, and how deep the pipe lies in it: sockets, threads, ports, chains of parts.

A fitting's take-off is what the pipe gives up to it. Sockets: the centre-to-stop measure z (EN 1254-1 measures fittings
so), because the pipe ends at the stop; the insertion lies behind the socket's mouth and is not added again. Threads:
centre-to-face A less the made-up thread.
"""

from __future__ import annotations

import math

from ..catalogue import Catalogue, End, Socket, Thread
from ..catalogue.parts import insertion_mm, method_of, thread_row
from ..job.model import Pipe
from ..job.ways import Vec
from .chain import Chain
from .fitted import Mating

COUPLING_GAP_MM = 1.5  # typ: 1 to 2 mm between the stops of a coupling


def socket_z_mm(row: Socket, part: str) -> float:
    """Centre to stop [mm] of a socketed part: elbow and tee z, 45 at 0.45 of it, half the gap of a coupling.

    Source: handbook figures per row; tees have the z of the elbow (typ).
    """
    return {
        "elbow": row.elbow_z_mm,
        "tee": row.elbow_z_mm,
        "45": 0.45 * row.elbow_z_mm,
        "coupling": COUPLING_GAP_MM / 2,
        "slip": 0.0,  # it has no stop: the pipes all but meet in it
    }[part]


def thread_a_mm(row: Thread, part: str) -> float | None:
    """Centre to face [mm] of a threaded part; None where the catalogue has no figure."""
    half = None if row.coupling_length_mm is None else row.coupling_length_mm / 2
    return {"elbow": row.elbow_a_mm, "tee": row.elbow_a_mm, "45": row.elbow45_a_mm, "coupling": half, "slip": None}[
        part
    ]


def part_mating(
    catalogue: Catalogue, pipe: Pipe, method: str, part: str, body: Pipe | None = None, body_method: str = ""
) -> Mating | None:
    """How a part (elbow, tee, 45, coupling) takes up a pipe; None without figures.

    body: the largest pipe on the fitting, whose centre measure it has; the insertion is that of the pipe itself.
    body_method: how that pipe goes in, where it is of another system.
    """
    body = body or pipe
    own = catalogue.method_figures(pipe.code, pipe.size, method)
    big = catalogue.method_figures(body.code, body.size, body_method or method)
    if isinstance(own, Socket) and isinstance(big, Socket):
        z = socket_z_mm(big, part)
        if method == "slip" and part == "coupling":  # no part of its own: one length laps into the next
            z = -own.insertion_mm / 2
        return Mating(
            method, z, own.insertion_mm, 0.0, f"z {z:.4g}", f"z {big.z_source}; insertion {own.insertion_source}"
        )
    if isinstance(own, Thread) and isinstance(big, Thread):
        a = thread_a_mm(big, part)
        if a is None:
            return None
        return Mating(
            method,
            a - own.made_up_mm,
            own.made_up_mm,
            own.loose_mm,
            f"A {a:.4g} less thread {own.made_up_mm:.4g}",
            f"A {big.fitting_source}; thread {own.thread_source}",
        )
    return None


def reducer_mating(catalogue: Catalogue, pipe: Pipe, other: Pipe, method: str) -> Mating | None:
    """How a straight reducer takes up one of its two pipes, measured from its middle; None without figures.

    Sockets: the gap between the stops is 2 mm and half the difference of the outside diameters (typ). Threads: half the
    length of the larger coupling (typ).
    """
    row = catalogue.method_figures(pipe.code, pipe.size, method)
    if isinstance(row, Socket):
        ods = [
            size.od_mm
            for size in (catalogue.pipe(pipe.code, pipe.size), catalogue.pipe(other.code, other.size))
            if size
        ]
        if len(ods) < 2 or ods[0] is None or ods[1] is None:
            return None
        gap = 2 + abs(ods[0] - ods[1]) / 2
        return Mating(
            method,
            gap / 2,
            row.insertion_mm,
            0.0,
            f"half of gap {gap:.4g}",
            f"gap typ; insertion {row.insertion_source}",
        )
    if isinstance(row, Thread):
        lengths = [
            figures.coupling_length_mm
            for size in (pipe, other)
            if isinstance(figures := catalogue.method_figures(size.code, size.size, method), Thread)
            and figures.coupling_length_mm
        ]
        if len(lengths) == 2:
            half = max(lengths) / 2
            return Mating(
                method,
                half - row.made_up_mm,
                row.made_up_mm,
                row.loose_mm,
                f"half length {half:.4g} less thread {row.made_up_mm:.4g}",
                f"length typ; thread {row.thread_source}",
            )
    return None


_SOCKET_FAMILY = {
    "cu": ("cu", "cu-inch"),
    "fe": ("fe-press",),
    "mlc": ("mlc",),
    "pb": ("pb",),
    "pexa": ("pexa",),
    "waste": ("waste",),
}
FACES = frozenset({"flat", "cone", "washer"})  # marks of a thread that seals on a face


def port_mating(catalogue: Catalogue, end: End, pipe: Pipe) -> Mating | None:
    """How a port's outer end takes up a pipe directly, measured from the port plane; None if a transition is needed.

    A socket or female thread swallows its insertion behind the plane, so the take-off is negative.
    """
    system = catalogue.systems.get(pipe.code)
    if system is None:
        return None
    if end.form == "socket" and end.size == pipe.size:
        _, _, metal = end.family.partition("-")
        method = method_of(end, End(pipe.code, pipe.size, "pipe"))
        row = catalogue.sockets.get((system.family, pipe.size, method))
        if row and system.family in _SOCKET_FAMILY[metal]:
            depth = row.insertion_mm
            return Mating(method, -depth, depth, 0.0, f"insertion {depth:.4g}", f"insertion {row.insertion_source}")
    if end.family == system.family == "vent" and end.size == pipe.size:
        row = catalogue.sockets.get((system.family, pipe.size, "slip"))
        if row:
            depth = row.insertion_mm
            return Mating("slip", -depth, depth, 0.0, f"lap {depth:.4g}", f"insertion {row.insertion_source}")
    fits = {"NPT": "npt", "Rp": "r", "Rc": "r"}
    if (
        end.form == "female"
        and end.size == pipe.size
        and fits.get(end.family) == system.family
        and not FACES & set(end.marks)
    ):
        thread = catalogue.method_figures(pipe.code, pipe.size, "thread")
        if isinstance(thread, Thread):
            depth = thread.made_up_mm
            return Mating(
                "thread", -depth, depth, thread.loose_mm, f"thread {depth:.4g}", f"thread {thread.thread_source}"
            )
    return None


def fitting_angle(a: Vec, b: Vec) -> float:
    """How far a pipe turns [deg] between two arms that point out of a fitting: 0 straight on, 90 an elbow."""
    return math.degrees(math.acos(max(-1.0, min(1.0, -a.dot(b)))))


def goes_in(a: str, b: str) -> str:
    """Which of two ends goes into the other, as a joint has it: the pipe ("cu-m 22"), else the tapered male
    thread, else the second."""
    for form in ("pipe", "male"):
        for text in (b, a):
            words = text.split()
            if form in words[2:3] and (form == "pipe" or words[0] in ("R", "NPT")):
                return " ".join(words[:2]) if form == "pipe" else text
    return b


def parts_title(chain: Chain) -> str:
    return (
        " + ".join(
            link.title if link.part else f"{link.stub_mm:.0f} of {link.enter.family} {link.enter.size}"
            for link in chain.links
        )
        or "directly"
    )


def _swallowed_mm(catalogue: Catalogue, end: End) -> float:
    """How deep a pipe lies in an end that takes it [mm]; only a thread that is screwed in goes on behind its face."""
    return (insertion_mm(catalogue, end) or 0.0) if end.form == "female" and thread_row(catalogue, end) else 0.0


def chain_mating(catalogue: Catalogue, port: End, chain: Chain) -> Mating:
    """How a chain on a port takes up the pipe, measured from the port's plane; no parts: the pipe goes into the port
    itself."""
    leave = chain.links[-1].leave if chain.links else port
    depth = insertion_mm(catalogue, leave) or 0.0
    row = thread_row(catalogue, leave) if leave.form == "female" else None
    length = chain.length_mm
    if not chain.links:
        length = -depth
    else:
        enter = chain.links[0].enter
        if enter.form == "pipe":
            length -= insertion_mm(catalogue, port) or 0.0
        elif port.form == "male" and enter.form == "female" and not FACES & set(port.marks):
            length -= insertion_mm(catalogue, enter) or 0.0
        length -= _swallowed_mm(catalogue, leave)
    return Mating(chain.joints[-1].method, length, depth, row.loose_mm if row else 0.0, f"parts {length:.4g}", "typ")


def half_mating(catalogue: Catalogue, chain: Chain, method: str, end: End) -> Mating:
    """How a transition between two pipes takes up one of them, measured from its middle."""
    depth = insertion_mm(catalogue, end) or 0.0
    row = thread_row(catalogue, end) if end.form == "female" else None
    half = chain.length_mm / 2
    return Mating(
        method,
        half - _swallowed_mm(catalogue, end),
        depth,
        row.loose_mm if row else 0.0,
        f"half of {chain.length_mm:.4g}",
        "typ",
    )


def street_mm(ends: tuple[Mating, Mating]) -> float | None:
    """Centre to centre of two socketed fittings when one of them is a street fitting [mm]; None without sockets.

    The spigot side of a street fitting reaches z + insertion from its centre and sits at the other's stop (typ).
    """
    methods = {end.method for end in ends}
    if len(methods) != 1 or not methods <= {"capillary", "press"}:
        return None
    return ends[0].take_off_mm + ends[1].take_off_mm + max(end.insertion_mm for end in ends)
