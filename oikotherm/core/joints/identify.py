"""What is this pipe, what is this thread: candidates from what a hand can measure, with how to tell them apart."""

from __future__ import annotations

import functools
import math
from dataclasses import dataclass

from ..catalogue import Catalogue
from ..errors import Refused, nearest
from ..quantity import trim
from ..tables import CATALOGUE, CORE, read_rows

CALLIPER_MM, STRING_MM = (
    0.12,
    0.35,
)  # typ: how far a reading lies from the truth, as a standard deviation of the diameter
LEAST = 0.02
MATERIALS = {
    "copper": ("copper",),
    "plastic": ("plastic",),
    "multilayer": ("multilayer",),
    "steel": ("steel",),
    "galvanised": ("galv",),
    "stainless": ("stainless",),
    "brass": ("brass",),
}
# typ: the years a system was laid; what lies outside is unlikely, not impossible
LAID = {
    "cu-old": (1930, 1975),
    "cu-m": (1970, 2100),
    "pb-m": (1980, 2100),
    "pexa": (1985, 2100),
    "mlc": (1992, 2100),
    "fe-press": (1985, 2100),
    "galv": (1900, 1985),
    "csst": (1990, 2100),
}


# typ: how often a system is met with beside its kin of the same diameter, and the practice it belongs to
COMMON = {"cu-mm": 0.6, "cu-k": 0.2, "cu-soft": 0.25}
HOME = {
    "cu-l": "north-american",
    "cu-mm": "north-american",
    "cu-k": "north-american",
    "pexa": "north-american",
    "fe-40": "north-american",
    "cu-m": "metric",
    "cu-old": "metric",
    "pb-m": "metric",
    "mlc": "metric",
    "fe-press": "metric",
    "fe-m": "metric",
}
ABROAD = 0.2


@dataclass(frozen=True, slots=True)
class Candidate:
    """What it may be. end: as the finder takes it; confidence 0 to 1, all candidates together 1; tell: how to tell it
    from the next."""

    end: str
    title: str
    confidence: float
    off_mm: float
    why: str
    tell: str


@functools.cache
def _thread_rows() -> tuple[dict[str, str], ...]:
    return tuple(read_rows(CATALOGUE, "thread_sizes.csv"))


@functools.cache
def _tell() -> dict[frozenset[str], str]:
    return {frozenset((row["a"], row["b"])): row["how"] for row in read_rows(CORE, "tell_apart.csv", "|")}


def identify_pipe(
    catalogue: Catalogue,
    od_mm: float | None = None,
    round_mm: float | None = None,
    material: str = "",
    year: int | None = None,
    practice: str = "",
) -> list[Candidate]:
    """Pipes it may be, likeliest first, from the outside diameter by calliper or the length of a string round it [mm].

    material: copper, plastic, multilayer, steel, galvanised or stainless; year: about when it was laid; practice:
    where. Confidence is the normal likelihood of the reading, times how likely the system is at that age. Raises
    Refused without a measure, or out of 3 to 200 mm.
    """
    if (od_mm is None) == (round_mm is None):
        raise Refused(
            "od",
            "both" if od_mm is not None else "neither",
            "the diameter by calliper, or the length of a string round it",
            "22.2",
        )
    measured = od_mm if od_mm is not None else (round_mm or 0.0) / math.pi
    spread = CALLIPER_MM if od_mm is not None else STRING_MM
    if not 3 <= measured <= 200:
        raise Refused("od", f"{trim(measured, 1)} mm", "3 to 200 mm across", "22.2")
    wanted = _material(material)
    found = []
    for (code, size), row in catalogue.pipes.items():
        system = catalogue.systems[code]
        made_of = "galv" if code == "galv" else system.material
        if row.od_mm is None or (wanted and made_of not in wanted and not (wanted == ("steel",) and made_of == "galv")):
            continue
        off = measured - row.od_mm
        weight = (
            math.exp(-((off / spread) ** 2) / 2) * _age(code, year) * (0.6 if not system.new and year is None else 1.0)
        )
        weight *= COMMON.get(code, 1.0) * _at_home(code, practice)
        if weight > 1e-6:
            found.append(
                (
                    weight,
                    code,
                    f"{code} {size} pipe",
                    f"{system.title}, {size}",
                    off,
                    f"{trim(row.od_mm, 2)} mm outside ({row.source})",
                )
            )
    return _ranked(found)


def identify_thread(
    diameter_mm: float | None = None,
    threads_per_inch: float | None = None,
    female: bool = False,
    taper: bool | None = None,
    angle_deg: float | None = None,
) -> list[Candidate]:
    """Threads it may be, likeliest first, from the diameter over the crests (female: between them) [mm], threads per
    inch, taper or parallel, and the angle of the gauge that fits. Raises Refused without any measure, or one out of
    range."""
    if diameter_mm is None and threads_per_inch is None:
        raise Refused("diameter", "neither", "the diameter over the threads, or threads per inch", "26.4")
    if diameter_mm is not None and not 5 <= diameter_mm <= 100:
        raise Refused("diameter", f"{trim(diameter_mm, 1)} mm", "5 to 100 mm", "26.4")
    if threads_per_inch is not None and not 8 <= threads_per_inch <= 30:
        raise Refused("threads_per_inch", threads_per_inch, "8 to 30 threads per inch", "14")
    if angle_deg is not None and not 50 <= angle_deg <= 65:
        raise Refused("angle", angle_deg, "55 or 60 degrees", "55")
    found = []
    for row in _thread_rows():
        size, tpi = row["size"], float(row["threads_per_inch"])
        across = float(row["minor_mm" if female else "major_mm"])
        weight = 1.0
        off = 0.0
        if diameter_mm is not None:
            off = diameter_mm - across
            # a taper male measures less towards its end: up to 0.6 mm under the major diameter
            spread = 0.35 if row["family"] in ("npt", "iso") else 0.25
            weight *= math.exp(-((off / spread) ** 2) / 2)
        if threads_per_inch is not None:
            weight *= math.exp(-(((threads_per_inch - tpi) / 0.35) ** 2) / 2)
        if angle_deg is not None:
            own = 55.0 if row["family"] == "iso" else 60.0
            weight *= math.exp(-(((angle_deg - own) / 1.5) ** 2) / 2)
        says = f"{trim(across, 2)} mm {'between' if female else 'over'} the threads, {tpi:g} per inch ({row['source']})"
        for end, title, share in _thread_ends(row["family"], size, female, taper):
            if weight * share > 1e-6:
                found.append((weight * share, row["family"], end, title, off, says))
    return _ranked(found)


def _thread_ends(family: str, size: str, female: bool, taper: bool | None) -> list[tuple[str, str, float]]:
    form = "female" if female else "male"
    if family == "iso":
        if female:
            return [(f"Rp {size} female", f"Rp {size}, or G without a face", 1.0 if taper is not True else 0.05)]
        return [
            (f"R {size} male", f"R {size}, taper", {None: 0.6, True: 1.0, False: 0.03}[taper]),
            (f"G {size} male flat", f"G {size}, parallel, with a face", {None: 0.4, True: 0.03, False: 1.0}[taper]),
        ]
    if family == "npt":
        return [(f"NPT {size} {form}", f"NPT {size}, taper", 0.05 if taper is False else 1.0)]
    if family == "hose":
        return [(f"hose {size} {form}", "North American hose thread", 0.05 if taper is True else 0.5)]
    return [(f"flare-45 {size} {form}", f"45 degree flare for {size} tube", 0.05 if taper is True else 0.5)]


def _material(word: str) -> tuple[str, ...] | None:
    low = word.strip().lower()
    if not low:
        return None
    if low not in MATERIALS:
        raise Refused("material", word, f"a material such as {nearest(low, MATERIALS)}", "copper")
    return MATERIALS[low]


def _at_home(code: str, practice: str) -> float:
    home = HOME.get(code)
    here = "north-american" if practice == "north-american" else "metric" if practice else ""
    return ABROAD if here and home and home != here else 1.0


def _age(code: str, year: int | None) -> float:
    if year is None or code not in LAID:
        return 1.0
    if not 1850 <= year <= 2100:
        raise Refused("year", year, "a year from 1850 to 2100", "1968")
    first, last = LAID[code]
    return 1.0 if first <= year <= last else 0.05


def _ranked(found: list[tuple[float, str, str, str, float, str]]) -> list[Candidate]:
    total = sum(one[0] for one in found)
    found = sorted((one for one in found if one[0] / total >= LEAST), key=lambda one: -one[0])[:6] if total else []
    total = sum(one[0] for one in found)
    made = []
    for _n, (weight, family, end, title, off, why) in enumerate(found):
        others = [one for one in found if one[1] != family] or [one for one in found if one[2] != end]
        other = next((one for one in others if frozenset((family, one[1])) in _tell()), others[0] if others else None)
        made.append(
            Candidate(end, title, round(weight / total, 3), round(off, 2), why, _apart(family, other) if other else "")
        )
    return made


def _apart(family: str, other: tuple[float, str, str, str, float, str]) -> str:
    how = _tell().get(frozenset((family, other[1])))
    if how:
        return how
    if family == other[1]:
        return (
            "A face for a washer at its end means G; a thread that grows toward the body means R."
            if family == "iso"
            else f"{other[3]} is the next: {other[5]}."
        )
    return f"Against {other[3]}: {other[5]}."
