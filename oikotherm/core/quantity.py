"""Units at the edge. Inside the core a number is in the unit its name says; text is read and written here only.

Base unit of each kind of quantity: length mm, pressure Pa, power W, temperature C, difference K, volume-flow m3/s,
mass-flow kg/s, volume m3, mass kg, time s, angle deg, velocity m/s, gradient Pa/m, energy J, kv m3/h.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Literal

from .errors import Refused, nearest

Practice = Literal["british", "continental", "north-american"]
PaceUnit = Literal["mm", "in"]

PA_PER_BAR = 1e5
PA_PER_PSI = 6894.757293168
INCH_MM = 25.4
FOOT_MM = 304.8
US_GALLON_M3 = 0.003785411784
GRAVITY_M_S2 = 9.80665  # standard gravity, ISO 80000-3
IMPERIAL_GALLON_M3 = 0.00454609
INH2O_PA = 249.0889  # at 4 C, the figure fixed for the whole product
BTU_J = 1055.05585262


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit: base = said * factor + offset. digits: decimals that are worth showing."""

    name: str
    kind: str
    factor: float
    offset: float = 0.0
    digits: int = 2


def _units() -> dict[str, Unit]:
    table: list[tuple[str, str, float, float, int]] = [
        ("mm", "length", 1, 0, 0),
        ("cm", "length", 10, 0, 1),
        ("m", "length", 1000, 0, 3),
        ("in", "length", INCH_MM, 0, 3),
        ("ft", "length", FOOT_MM, 0, 3),
        ("Pa", "pressure", 1, 0, 0),
        ("kPa", "pressure", 1e3, 0, 2),
        ("MPa", "pressure", 1e6, 0, 4),
        ("mbar", "pressure", 100, 0, 2),
        ("bar", "pressure", 1e5, 0, 3),
        ("psi", "pressure", PA_PER_PSI, 0, 3),
        ("inH2O", "pressure", INH2O_PA, 0, 3),
        ("mmH2O", "pressure", INH2O_PA / INCH_MM, 0, 1),
        ("ftH2O", "pressure", INH2O_PA * 12, 0, 3),
        ("mH2O", "pressure", INH2O_PA / INCH_MM * 1000, 0, 3),
        ("W", "power", 1, 0, 0),
        ("kW", "power", 1e3, 0, 3),
        ("BTU/h", "power", BTU_J / 3600, 0, 0),
        ("MBH", "power", BTU_J / 3.6, 0, 2),
        ("C", "temperature", 1, 0, 1),
        ("F", "temperature", 5 / 9, -160 / 9, 1),
        ("K abs", "temperature", 1, -273.15, 2),
        ("K", "difference", 1, 0, 1),
        ("F diff", "difference", 5 / 9, 0, 1),
        ("m3/s", "volume-flow", 1, 0, 6),
        ("m3/h", "volume-flow", 1 / 3600, 0, 3),
        ("L/s", "volume-flow", 1e-3, 0, 3),
        ("L/min", "volume-flow", 1e-3 / 60, 0, 2),
        ("L/h", "volume-flow", 1e-3 / 3600, 0, 1),
        ("gpm", "volume-flow", US_GALLON_M3 / 60, 0, 2),
        ("imp gpm", "volume-flow", IMPERIAL_GALLON_M3 / 60, 0, 2),
        ("ft3/h", "volume-flow", (FOOT_MM / 1000) ** 3 / 3600, 0, 1),
        ("ft3/min", "volume-flow", (FOOT_MM / 1000) ** 3 / 60, 0, 2),
        ("kg/s", "mass-flow", 1, 0, 4),
        ("kg/h", "mass-flow", 1 / 3600, 0, 1),
        ("lb/h", "mass-flow", 0.45359237 / 3600, 0, 1),
        ("m3", "volume", 1, 0, 4),
        ("L", "volume", 1e-3, 0, 2),
        ("mL", "volume", 1e-6, 0, 0),
        ("gal", "volume", US_GALLON_M3, 0, 2),
        ("imp gal", "volume", IMPERIAL_GALLON_M3, 0, 2),
        ("ft3", "volume", (FOOT_MM / 1000) ** 3, 0, 3),
        ("kg", "mass", 1, 0, 3),
        ("g", "mass", 1e-3, 0, 0),
        ("lb", "mass", 0.45359237, 0, 2),
        ("oz", "mass", 0.45359237 / 16, 0, 1),
        ("s", "time", 1, 0, 0),
        ("min", "time", 60, 0, 1),
        ("h", "time", 3600, 0, 2),
        ("d", "time", 86400, 0, 2),
        ("deg", "angle", 1, 0, 1),
        ("m/s", "velocity", 1, 0, 2),
        ("ft/s", "velocity", FOOT_MM / 1000, 0, 2),
        ("Pa/m", "gradient", 1, 0, 0),
        ("mbar/m", "gradient", 100, 0, 3),
        ("inH2O/100ft", "gradient", INH2O_PA / 30.48, 0, 3),
        ("ftH2O/100ft", "gradient", INH2O_PA * 12 / 30.48, 0, 2),
        ("J", "energy", 1, 0, 0),
        ("kWh", "energy", 3.6e6, 0, 3),
        ("MJ", "energy", 1e6, 0, 3),
        ("BTU", "energy", BTU_J, 0, 0),
        ("therm", "energy", BTU_J * 1e5, 0, 3),
        ("mg/L", "hardness", 1, 0, 0),  # as CaCO3
        ("mmol/L", "hardness", 100.1, 0, 2),
        ("dH", "hardness", 17.85, 0, 1),
        ("dF", "hardness", 10, 0, 1),
        ("gpg", "hardness", 17.12, 0, 1),
        ("Clark", "hardness", 14.25, 0, 1),
        ("kv", "kv", 1, 0, 2),
        ("Cv", "kv", 0.8649767, 0, 2),  # Cv in US gal/min at 1 psi
    ]
    return {name: Unit(name, kind, factor, offset, digits) for name, kind, factor, offset, digits in table}


UNITS = _units()

# Other ways to say them. Looked up with case first, then without.
_SAID = {
    '"': "in",
    "″": "in",
    "''": "in",
    "inch": "in",
    "inches": "in",
    "'": "ft",
    "′": "ft",
    "foot": "ft",
    "feet": "ft",
    "millimetre": "mm",
    "metre": "m",
    "meter": "m",
    "pascal": "Pa",
    "in w.c.": "inH2O",
    "inwc": "inH2O",
    "in wc": "inH2O",
    "wc": "inH2O",
    "w.c.": "inH2O",
    '" w.c.': "inH2O",
    '"wc': "inH2O",
    '" wc': "inH2O",
    "in h2o": "inH2O",
    "inches w.c.": "inH2O",
    "mm w.c.": "mmH2O",
    "mmwc": "mmH2O",
    "ft w.c.": "ftH2O",
    "ft head": "ftH2O",
    "m head": "mH2O",
    "mwc": "mH2O",
    "btu/hr": "BTU/h",
    "btuh": "BTU/h",
    "btu/h": "BTU/h",
    "mbh": "MBH",
    "°c": "C",
    "degc": "C",
    "deg c": "C",
    "°f": "F",
    "degf": "F",
    "deg f": "F",
    "l/s": "L/s",
    "lps": "L/s",
    "l/min": "L/min",
    "lpm": "L/min",
    "l/h": "L/h",
    "m³/h": "m3/h",
    "m³/s": "m3/s",
    "us gpm": "gpm",
    "gal/min": "gpm",
    "usgpm": "gpm",
    "igpm": "imp gpm",
    "cfh": "ft3/h",
    "ft³/h": "ft3/h",
    "ft3/hr": "ft3/h",
    "cfm": "ft3/min",
    "litre": "L",
    "litres": "L",
    "liter": "L",
    "liters": "L",
    "l": "L",
    "ml": "mL",
    "m³": "m3",
    "us gal": "gal",
    "gallon": "gal",
    "gallons": "gal",
    "imp gallon": "imp gal",
    "sec": "s",
    "mins": "min",
    "minute": "min",
    "minutes": "min",
    "hr": "h",
    "hour": "h",
    "hours": "h",
    "day": "d",
    "days": "d",
    "°": "deg",
    "degree": "deg",
    "degrees": "deg",
    "fps": "ft/s",
    "lbs": "lb",
    "kelvin": "K",
    "ohm": "Pa",
}
del _SAID["ohm"]

_NUMBER = r"(?:\d+(?:\.\d+)?(?:[eE][+-]?\d+)?|\.\d+)"
_WHOLE_FRACTION = r"(?:\d+[-\s]+\d+/\d+|\d+/\d+)"
_AMOUNT = re.compile(rf"\s*(?P<sign>[+-]?)\s*(?P<amount>{_WHOLE_FRACTION}|{_NUMBER})\s*(?P<unit>.*?)\s*$", re.ASCII)
_FEET_INCHES = re.compile(
    rf"\s*(?P<sign>[+-]?)(?P<feet>{_NUMBER})\s*(?:'|′|ft|feet|foot)\s*-?\s*"
    rf"(?P<inches>{_WHOLE_FRACTION}|{_NUMBER})\s*(?:\"|″|''|in|inch|inches)?\s*$",
    re.ASCII,
)
_VULGAR = {"½": "1/2", "¼": "1/4", "¾": "3/4", "⅛": "1/8", "⅜": "3/8", "⅝": "5/8", "⅞": "7/8"}


def find_unit(said: str) -> Unit | None:
    """The unit meant by a word, or None. Case matters only where it must (mW is not MW)."""
    word = " ".join(said.split())
    if word in UNITS:
        return UNITS[word]
    low = word.lower()
    if low in _SAID:
        return UNITS[_SAID[low]]
    same = [unit for name, unit in UNITS.items() if name.lower() == low]
    return same[0] if len(same) == 1 else None


def amount(text: str) -> float:
    """A number as a fitter writes it: 7, 7.5, 1/2, 7 1/2, 7-1/2. ZeroDivisionError cannot happen: 1/0 is ValueError."""
    parts = re.split(r"[-\s]+", text.strip()) if "/" in text else [text.strip()]
    total = 0.0
    for part in parts:
        if "/" in part:
            top, bottom = part.split("/")
            if int(bottom) == 0:
                raise ValueError(text)
            total += int(top) / int(bottom)
        else:
            total += float(part)
    return total


_EXAMPLE = {
    "length": '1850, 1.5m or 7-1/2"',
    "pressure": "21 mbar or 14 psi",
    "power": "2.4 kW",
    "temperature": "70 C",
    "volume-flow": "3 L/min",
    "mass-flow": "0.05 kg/s",
    "volume": "12 L",
    "angle": "45",
    "time": "10 min",
}


_DECIMAL = re.compile(r"(?<![\d.,])(\d+)([.,])(\d+)(?![\d.,])", re.ASCII)


def with_point(text: str, field: str, example: str, decimal_comma: bool | None) -> str:
    """A number as typed, with a point for its decimals. decimal_comma: whether the job is continental, None where no
    job says so. Raises Refused with both meanings for a sign that could mean two things.

    Continental: a comma is a decimal one, a point followed by exactly three digits could part thousands ("2.400"), but
    for "0.400". Elsewhere a comma between digits is refused; with no job only the one before exactly three digits.
    """
    found = _DECIMAL.search(text)
    if found is None:
        if "," in text:
            raise Refused(field, text, "one number with a point for decimals and no thousands sign", example)
        return text
    whole, sign, rest = found.groups()
    if "," in text.replace(found[0], "", 1):
        raise Refused(field, text, "one number", example)
    thousands = len(rest) == 3 and whole.strip("0") != ""
    if thousands and sign == ("." if decimal_comma else ","):
        other = f"{whole},{rest.rstrip('0') or '0'}" if decimal_comma else f"{whole}.{rest.rstrip('0') or '0'}"
        raise Refused(field, text, f"one number: {other}, or {whole}{rest}?", other)
    if sign == "," and decimal_comma is False:
        raise Refused(field, text, f"one number: {whole}.{rest}, or {whole} and {rest}?", f"{whole}.{rest}")
    return text.replace(found[0], f"{whole}.{rest}", 1)


def number(
    said: str, field: str, expected: str = "a number", example: str = "3.5", *, decimal_comma: bool | None = None
) -> float:
    """A plain number as typed. Raises Refused: not a number, not finite, a comma or point that could mean two things.

    >>> number("2,5", "turns", decimal_comma=True)
    2.5
    """
    text = said.strip()
    if not text.isascii() or len(text) > 40 or "_" in text:
        raise Refused(field, said, expected, example)
    try:
        value = float(with_point(text, field, example, decimal_comma))
    except ValueError:
        raise Refused(field, said, expected, example) from None
    if not math.isfinite(value) or abs(value) > 1e15:
        raise Refused(field, said, expected, example)
    return value


def parse(
    said: str | float | int, kind: str, bare_unit: str, *, field: str = "", decimal_comma: bool | None = False
) -> float:
    """Read a quantity in the base unit of its kind.

    said: a number or text such as "1850", "1.5m", '7 1/2"', "6'2-3/4\\"", "21 mbar"; kind: see the module's list;
    bare_unit: the unit of a number without one; decimal_comma: as with_point reads it.
    Raises Refused: not a number, unknown unit, unit of another kind, not finite, a sign that could mean two things.
    >>> parse("6'2-3/4\\"", "length", "mm")
    1898.65
    """
    field = field or kind
    example = _EXAMPLE.get(kind, f"12 {bare_unit}")
    if isinstance(said, bool):
        raise Refused(field, said, f"a {kind}", example)
    if isinstance(said, int | float):
        value = float(said) * UNITS[bare_unit].factor + UNITS[bare_unit].offset if abs(said) < 1e300 else math.inf
        return _finite(value, field, said, kind, example)
    text = said
    if not text.isascii():
        for sign, words in _VULGAR.items():
            text = re.sub(rf"(\d){sign}", rf"\1 {words}", text).replace(sign, words)
        text = text.replace("−", "-").replace("’", "'").replace("”", '"')
    if len(text) > 60:
        raise Refused(field, said, f"a {kind}", example)
    text = with_point(text, field, example, decimal_comma)
    try:
        both = _FEET_INCHES.match(text) if kind == "length" else None
        if both:
            value = amount(both["feet"]) * FOOT_MM + amount(both["inches"]) * INCH_MM
            return _finite(-value if both["sign"] == "-" else value, field, said, kind, example)
        found = _AMOUNT.match(text)
        if not found:
            raise Refused(field, said, f"a {kind}", example)
        number = amount(found["amount"])
    except (ValueError, OverflowError):
        raise Refused(field, said, f"a {kind}", example) from None
    if found["sign"] == "-":
        number = -number
    word = found["unit"]
    return _finite(_to_base(number, word, kind, bare_unit, field, said, example), field, said, kind, example)


def _to_base(number: float, word: str, kind: str, bare_unit: str, field: str, said: str, example: str) -> float:
    if not word:
        unit: Unit | None = UNITS[bare_unit]
    else:
        unit = find_unit(word)
        if kind == "difference" and unit is not None and unit.name in ("C", "F"):
            unit = UNITS["K" if unit.name == "C" else "F diff"]
        if kind == "temperature" and unit is not None and unit.name == "K":
            unit = UNITS["K abs"]
    if unit is not None:
        if unit.kind != kind:
            raise Refused(field, said, f"a {kind}; {unit.name} is a unit of {unit.kind}", example)
        return number * unit.factor + unit.offset
    rare = _rare(number, word, kind)
    if rare is None:
        near = nearest(word, [name for name, unit in UNITS.items() if unit.kind == kind])
        raise Refused(field, said, f"a {kind} in a known unit such as {near}", example)
    return rare


_PINT_BASE = {
    "length": "millimeter",
    "pressure": "pascal",
    "power": "watt",
    "temperature": "degC",
    "difference": "delta_degC",
    "volume-flow": "meter**3/second",
    "mass-flow": "kilogram/second",
    "volume": "meter**3",
    "mass": "kilogram",
    "time": "second",
    "angle": "degree",
    "velocity": "meter/second",
    "gradient": "pascal/meter",
    "energy": "joule",
}
_registry: list[object] = []


def _rare(number: float, word: str, kind: str) -> float | None:
    """A unit outside our table, through Pint; None when Pint does not know it or it is of another kind."""
    if kind not in _PINT_BASE or not re.fullmatch(
        r"[A-Za-z_]{2,24}(?:\s*[*/]\s*[A-Za-z_]{1,24}(?:\*\*[23])?){0,2}", word
    ):
        return None
    import pint  # heavy: only when someone says "furlong"

    if not _registry:
        _registry.append(pint.UnitRegistry())
    registry = _registry[0]
    try:
        return float(registry.Quantity(number, word).to(_PINT_BASE[kind]).magnitude)  # type: ignore[attr-defined]
    except Exception:  # noqa: BLE001 - Pint raises tokenizer, syntax, attribute and dimension errors alike
        return None


def _finite(value: float, field: str, said: object, kind: str, example: str) -> float:
    if not math.isfinite(value) or abs(value) > 1e15:
        raise Refused(field, said, f"a {kind} within reason", example)
    return value


def parse_length_mm(
    said: str | float | int, unit: PaceUnit = "mm", *, field: str = "length", decimal_comma: bool | None = False
) -> float:
    """A length [mm]; a bare number is in `unit`. Rounded to a micrometre, so that equal sayings are equal numbers."""
    return round(parse(said, "length", unit, field=field, decimal_comma=decimal_comma), 3)


def convert(said: str | float, to: str, *, decimal_comma: bool = False) -> tuple[float, str]:
    """Convert text with a unit to another unit of the same kind: (value, text). Raises Refused.

    A number that says no unit, or one of another kind, is refused. Rare units go through Pint.
    >>> convert("21 mbar", "inH2O")
    (8.4307, '8.431 inH2O')
    """
    target = find_unit(to)
    if target is None:
        raise Refused("to", to, f"a unit such as {nearest(to, UNITS)}", "inH2O")
    text = str(said)
    if re.fullmatch(r"[\s\d.,/+-]*", text):
        raise Refused("value", said, "a number with its unit", "21 mbar")
    base = parse(text, target.kind, _bare(target.kind), field="value", decimal_comma=decimal_comma)
    value = (base - target.offset) / target.factor
    # five figures: more than any gauge or tape can show
    value = float(f"{value:.5g}")
    return value, f"{trim(value, target.digits)} {target.name}"


def _bare(kind: str) -> str:
    return next(unit.name for unit in UNITS.values() if unit.kind == kind)


def trim(value: float, digits: int) -> str:
    """A number with at most `digits` decimals and no empty ones; never "-0"; small numbers keep three figures."""
    if value and abs(value) < 10**-digits:
        return f"{value:.3g}"
    text = f"{value:.{digits}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def inches(mm: float, per_inch: int = 16, *, feet_from_in: float = 24) -> str:
    """A length as feet, inches and a reduced fraction: 6'2-3/4". Rounded to 1/per_inch; feet from 24 in up.

    >>> inches(190.5), inches(1898.65), inches(1.0)
    ('7-1/2"', '6\\'2-3/4"', '1/16"')
    """
    parts = round(abs(mm) / INCH_MM * per_inch)
    sign = "-" if mm < 0 and parts else ""
    feet = 0
    if parts >= feet_from_in * per_inch:
        feet, parts = divmod(parts, 12 * per_inch)
    whole, rest = divmod(parts, per_inch)
    fraction = ""
    if rest:
        common = math.gcd(rest, per_inch)
        fraction = f"{rest // common}/{per_inch // common}"
    text = f"{whole}-{fraction}" if whole and fraction else fraction or str(whole)
    return f"{sign}{feet}'{text}\"" if feet else f'{sign}{text}"'


def length_text(mm: float, unit: PaceUnit = "mm", *, per_inch: int = 16, with_unit: bool = False) -> str:
    """A length as it is shown in a job of that pace unit: whole millimetres, or feet, inches and sixteenths."""
    if unit == "in":
        return inches(mm, per_inch)
    text = trim(mm, 1) if abs(mm - round(mm)) > 0.049 else str(round(mm))
    return f"{text} mm" if with_unit else text


_MM = re.compile(r"(?P<low>\d+(?:\.\d+)?)(?: to (?P<high>\d+(?:\.\d+)?))? mm\b(?! \()")


def in_inches(text: str) -> str:
    """Words with their millimetres as inches and sixteenths; where both are said, "250 mm (10 in)", they stay.

    >>> in_inches("15.9 mm, 2 to 3 mm")
    '5/8 in, 1/16 to 1/8 in'
    """

    def said(found: re.Match[str]) -> str:
        low, high = length_text(float(found["low"]), "in"), found["high"]
        if not high:
            return f"{low.removesuffix(chr(34))} in"
        return f"{low.removesuffix(chr(34))} to {length_text(float(high), 'in').removesuffix(chr(34))} in"

    return _MM.sub(said, text)


def leading_number(text: str) -> float | None:
    """The number a setting begins with: "18", "3bar", "2.5"."""
    digits = ""
    for sign in text.replace(",", "."):
        if not (sign.isdigit() or sign == "." and "." not in digits):
            break
        digits += sign
    return float(digits) if digits.strip(".") else None


def pressure_said(pressure_pa: float, unit: str) -> str:
    """A test pressure as the trade reads it, with its unit: 20 mbar, 3.0 psi, 1.95 bar."""
    value, _ = convert(f"{pressure_pa:.6g} Pa", unit)
    return f"{value:.2f} bar" if unit == "bar" else f"{value:.3g} {unit}"
