"""The cut list as rows and as CSV; page, command line and printed sheet all take it from here."""

from __future__ import annotations

import csv
import io
from typing import Any

from ..core.design import Design
from ..core.making.cut import Cut
from ..core.making.nipples import is_ready
from ..core.quantity import PaceUnit, length_text

COLUMNS = (
    "label",
    "run",
    "pipe",
    "centre_mm",
    "cut_mm",
    "cut",
    "from",
    "take_off_from_mm",
    "to",
    "take_off_to_mm",
    "bends",
    "place",
    "makeable",
    "remark",
)


def cut_rows(design: Design) -> list[dict[str, Any]]:
    """One dict a piece, in the order of the runs, with numbers in mm and the cut as it is said in the job's unit."""
    rows = []
    for cut in design.cuts:
        piece = cut.piece
        remarks = []
        if not cut.makeable:
            remarks.append(f"cannot be made: {cut.why_not}")
        if not cut.known:
            remarks.append("centre to centre at an end without figures")
        if design.job.pace_unit == "in" and is_ready(design.context.catalogue, cut):
            remarks.append("a ready nipple")
        if piece.close:
            remarks.append("as near as can be made")
        if piece.assumed:
            remarks.append("not taped")
        if cut.tolerance_mm:
            remarks.append(f"up to {cut.tolerance_mm:g} mm longer at the loose end of the threads")
        rows.append(
            {
                "label": design.piece_labels[cut.key],
                "key": cut.key,
                "run": cut.run,
                "pipe": str(cut.pipe),
                "centre_mm": round(cut.centre_mm, 3),
                "cut_mm": cut.cut_mm,
                "cut": length_text(cut.cut_mm, design.job.pace_unit),
                "from": piece.from_title,
                "take_off_from_mm": round(piece.from_mating.take_off_mm, 3),
                "to": piece.to_title,
                "take_off_to_mm": round(piece.to_mating.take_off_mm, 3),
                "bends": bends_text(cut, design.job.pace_unit),
                "place": piece.place,
                "makeable": cut.makeable and cut.known,
                "remark": "; ".join(remarks),
            }
        )
    return rows


def bends_text(cut: Cut, unit: PaceUnit) -> str:
    """Where each bend begins from the start of the pipe: "90 at 456; 45 at 1465, turned 180"."""
    words = []
    for mark in cut.marks:
        turned = f", turned {abs(mark.roll_deg):.0f}" if abs(mark.roll_deg) > 0.5 else ""
        words.append(f"{mark.angle_deg:.3g} at {length_text(mark.at_mm, unit)}{turned}")
    return "; ".join(words)


def cut_csv(design: Design) -> str:
    """The cut list as CSV with a header line."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, extrasaction="ignore", lineterminator="\n")
    writer.writeheader()
    for row in cut_rows(design):
        writer.writerow({**row, "makeable": "yes" if row["makeable"] else "no"})
    return out.getvalue()


def totals(design: Design) -> list[dict[str, Any]]:
    """Pipe to cut by kind: pipe, pieces, length_mm, sticks of the stock length it takes at the least."""
    found: dict[str, dict[str, Any]] = {}
    for cut in design.cuts:
        row = found.setdefault(str(cut.pipe), {"pipe": str(cut.pipe), "pieces": 0, "length_mm": 0.0})
        row["pieces"] += 1
        row["length_mm"] = round(row["length_mm"] + max(cut.cut_mm, 0.0), 3)
    return sorted(found.values(), key=lambda row: str(row["pipe"]))
