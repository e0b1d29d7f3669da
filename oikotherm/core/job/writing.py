"""The canonical line of a run: what parse_run reads back to the same items."""

from __future__ import annotations

from ..errors import Refused
from ..quantity import INCH_MM, PaceUnit, inches, parse_length_mm, trim
from .model import Crossover, DeviceItem, Item, Leg, Lie, Pass, PipeChange, Point, Remark, Run, SetItem, Tee
from .words import Style, tidy_length


def exact_length(mm: float, unit: PaceUnit) -> str:
    """A length that reads back to the same micrometre: bare in the pace unit where it can be, else with mm."""
    if unit == "mm":
        return trim(mm, 3)
    if round(round(mm / INCH_MM * 64) / 64 * INCH_MM, 3) == round(mm, 3):
        text = inches(mm, 64, feet_from_in=1e9)
        return text.rstrip('"')
    return trim(mm, 3) + "mm"


def _length_text(said: str, mm: float, style: Style) -> str:
    """What was said, as long as it still means the same; else the exact length."""
    if said:
        try:
            if (
                parse_length_mm(said, style.pace_unit, decimal_comma=style.decimal_comma) == mm
                and tidy_length(said) == said
            ):
                return said
        except Refused:
            pass
    text = exact_length(mm, style.pace_unit)
    return text.replace(".", ",") if style.decimal_comma else text


def item_text(item: Item, style: Style) -> str:
    """One item in canonical notation."""
    match item:
        case Leg():
            if item.length_mm is None:
                return f"{item.dir}?"
            doubt = "" if item.basis == "taped" else "?"
            return f"{item.dir}{_length_text(item.said, item.length_mm, style)}{doubt}{_band_text(item, style)}"
        case DeviceItem():
            words = [item.part, item.name or "", {"with": ">", "against": "<", "none": ""}[item.arrow]]
            words += [f"handle {item.handle}" if item.handle else "", f"set {item.setting}" if item.setting else ""]
            return f"[{' '.join(word for word in words if word)}]"
        case Tee():
            drop = f" {_length_text('', item.drop_mm, style)}" if item.drop_mm else ""
            outlet = f":{item.outlet}" if item.outlet else ""
            closed = f" {item.closed}" if item.closed else ""
            return f"*{item.name}{outlet}{closed}{drop}"
        case Point():
            return f".{item.name}"
        case Pass():
            if item.through == "joists":
                return f"(joists {item.count})" if item.count else "(joists)"
            thick = item.ref or (_length_text(item.said, item.thickness_mm, style) if item.thickness_mm else "0")
            return f"({item.through} {thick}{' sleeve' if item.sleeve else ''})"
        case PipeChange():
            return f"={item.pipe}"
        case Lie():
            return _lie_text(item, style)
        case SetItem():
            more = f"+{item.and_side}{_length_text('', item.and_mm, style)}" if item.and_side and item.and_mm else ""
            return f"~{item.side}{_length_text('', item.height_mm, style)}{more}{_angle_text(item.angle_deg)}"
        case Crossover():
            over = f" over {item.over}" if item.over else ""
            flat = f" flat {_length_text('', item.flat_mm, style)}" if item.flat_mm else ""
            return f"^{item.side}{_length_text('', item.clear_mm, style)}{_angle_text(item.angle_deg)}{over}{flat}"
        case Remark():
            return f"# {item.text};"


def _band_text(leg: Leg, style: Style) -> str:
    """The band of a floating leg and where in it it was shifted to: +-150@3085."""
    if leg.band_mm is None or leg.shifted_mm is None:
        return ""
    shifted = f"@{_length_text('', leg.shifted_mm, style)}" if leg.shift_mm else ""
    return f"+-{_length_text('', leg.band_mm, style)}{shifted}"


def _angle_text(angle_deg: float) -> str:
    return "" if angle_deg == 45 else f"@{trim(angle_deg, 3)}"


def _lie_text(item: Lie, style: Style) -> str:
    words: list[str] = [item.place or ""]
    for key, value in (("lag", item.lag_mm), ("clip", item.clip_mm), ("longest", item.longest_mm)):
        if value is not None:
            words.append(f"{key} {_length_text('', value, style)}")
    if item.fall is not None:
        one_in = trim(1 / item.fall, 3) if item.fall else "0"
        if item.fall == 0:
            words.append("fall none")
        elif round(1 / float(one_in), 6) == item.fall:
            words.append(f"fall 1:{one_in}")
        else:
            words.append(f"fall {trim(item.fall * 1000, 3)}mm/m".replace(".", "," if style.decimal_comma else "."))
    return "{" + " ".join(word for word in words if word) + "}"


def run_text(run: Run, style: Style) -> str:
    """The canonical line of a run. `parse_run` reads it back to the same items."""
    words = [run.id, "from", run.start, f"{run.pipe}:"]
    if run.twin_of:
        words.append(f"twin {run.twin_of.run} {run.twin_of.side}{_length_text('', run.twin_of.spacing_mm, style)}")
    words += [item_text(item, style) for item in run.items]
    if run.finish != "none":
        words += ["->", run.finish]
    elif words[-1].startswith("#"):
        words[-1] = words[-1].rstrip(";")
    return " ".join(words)
