"""What is read when it runs, line by line, with what was kept of it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..errors import Refused
from ..layout import Layout
from ..quantity import parse, pressure_said
from ..services.rooms import rooms
from .records import Record, in_order
from .steps import CommissionLine


@dataclass(frozen=True, slots=True)
class CommissionRead:
    """A line with the last that was kept: said, by whom, when (ISO); "" where nothing was."""

    line: CommissionLine
    said: str = ""
    by_role: str = ""
    made_at: str = ""

    @property
    def verdict(self) -> str:
        """Of a pressure that is judged: "pass", how far off it is, or why it cannot be told; "" for other lines and
        where nothing was kept."""
        line = self.line
        if line.expected_pa is None or not self.said:
            return ""
        try:
            read_pa = parse(self.said, "pressure", line.unit, field=line.says)
        except Refused:
            return f"no pressure was read: {line.expected} {line.unit}, for example"
        off_pa = read_pa - line.expected_pa
        if abs(off_pa) <= line.within_pa + 1e-6:
            return "pass"
        off = pressure_said(abs(off_pa), line.unit)
        return f"{off} too low: pump it up" if off_pa < 0 else f"{off} too high: let some out"


def commission_reads(design: Layout, records: Iterable[Record]) -> tuple[tuple[str, tuple[CommissionRead, ...]], ...]:
    """Every station that is commissioned with its lines, the last record of each shown; earlier ones stay kept."""
    last = {record.key: record for record in in_order(records) if record.kind == "commission"}

    def read(line: CommissionLine) -> CommissionRead:
        found = last.get(line.key)
        return (
            CommissionRead(line)
            if found is None
            else CommissionRead(line, str(found.body["said"]), found.by_role, found.made_at)
        )

    groups = (group for room in rooms().values() if room.commissioning for group in room.commissioning(design))
    return tuple((station, tuple(read(line) for line in lines)) for station, lines in groups)
