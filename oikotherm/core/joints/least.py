"""The shortest piece that can be made between two joints."""

from __future__ import annotations

from ..catalogue import Catalogue, Thread
from ..job.model import Pipe

PRESS_APART_MM = 20.0  # typ: least distance between two press joints of 22 and 28 mm; 15 mm takes 10 to 20
WRENCH_APART_MM = 5.0  # typ: two compression nuts back to back


def least_piece_mm(
    catalogue: Catalogue, pipe: Pipe, methods: tuple[str, str], insertions_mm: tuple[float, float]
) -> tuple[float, str]:
    """The shortest piece [mm] with these two joints, and why.

    Solder: both socket depths. Press: both insertions and the least distance between two jaws. Compression: both
    insertions and room for the nuts. Thread: a close nipple; where none is listed, twice the made-up length.
    """
    both = sum(insertions_mm)
    if "thread" in methods:
        row = catalogue.method_figures(pipe.code, pipe.size, "thread")
        if isinstance(row, Thread) and row.close_nipple_mm and methods[0] == methods[1]:
            return row.close_nipple_mm, f"a close nipple is {row.close_nipple_mm:.0f} mm"
        return both, "both threads made up"
    if methods == ("press", "press"):
        return both + PRESS_APART_MM, f"two press insertions and {PRESS_APART_MM:.0f} mm between the jaws"
    if methods == ("compression", "compression"):
        return both + WRENCH_APART_MM, "two insertions and room for the nuts"
    return both, "the depth of both sockets"
