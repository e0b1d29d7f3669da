"""Reads the data files that ship with the program: one row a line, the first line has the names of the columns."""

from __future__ import annotations

import csv
from importlib import resources

CORE = __package__
CATALOGUE = f"{CORE}.catalogue"


def read_rows(package: str, name: str, delimiter: str = ",", *, quoted: bool = True) -> list[dict[str, str]]:
    """The rows of a file in the data folder of a package; none where there is no such file. quoted: a cell in quotes
    may hold the delimiter; False for files of plain sentences, where a quote is a quote."""
    place = resources.files(package).joinpath("data", name)
    if not place.is_file():
        return []
    lines = place.read_text("utf-8").splitlines()
    if quoted:
        return list(csv.DictReader(lines, delimiter=delimiter))
    return list(csv.DictReader(lines, delimiter=delimiter, quoting=csv.QUOTE_NONE))
