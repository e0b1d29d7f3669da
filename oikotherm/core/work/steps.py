"""What a service's room gives to the work: steps of the plan, tests, care and sections of the pack, as plain data."""

from __future__ import annotations

from calendar import monthrange
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any, Generic, Literal, TypeVar

from ..quantity import PA_PER_BAR
from .verdict import Gauge, TestRule

D = TypeVar("D")  # core.layout.Layout, which asks for them


@dataclass(frozen=True, slots=True)
class Need:
    """A step that must come before, and why."""

    key: str
    why: str


EffectKind = Literal["shut", "open", "isolate", "drain", "fill", "purge", "cut", "cap", "make", "hang", "light"]


@dataclass(frozen=True, slots=True)
class Effect:
    """What a step does to the house. key: the run, station, level, valve or section it is done to; for isolate and shut
    the service."""

    kind: EffectKind
    key: str


@dataclass(frozen=True, slots=True)
class Check:
    """Something that is ticked by itself before its step is. key: of its record, "step/what"; says: in words."""

    key: str
    says: str


@dataclass(frozen=True, slots=True)
class WorkStep:
    """One step. key: rule:target, stable under edits elsewhere; hold: what must be right before anyone goes on.

    rank: the trade's preference among steps that could come next, lower first; minutes by the rates; closes: why
    nothing is handed over before it, "" where it may; how: it is done, in a sentence or two; service: whose step it is,
    "" for all; effects: what it does to the house; checks: what is
    ticked one by one before it.
    """

    key: str
    rule: str
    title: str
    where: str
    needs: tuple[Need, ...]
    minutes: float
    rank: tuple[float, ...]
    hold: str = ""
    caution: str = ""
    tools: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    people: int = 1
    closes: str = ""
    how: str = ""
    service: str = ""
    effects: tuple[Effect, ...] = ()
    checks: tuple[Check, ...] = ()


LEFT_AIR = 0.01  # typ, share of the volume that is air in spite of venting
GAUGES_DIFFER_PA = 0.1 * PA_PER_BAR  # typ, what two gauges read apart


def air_left_l(volume_l: float) -> float:
    """Air that stays in pipe filled with water [L] (typ)."""
    return max(LEFT_AIR * volume_l, 0.02)


def gauge_unit(practice: str) -> str:
    """What the gauges of a practice show for water."""
    return "psi" if practice == "north-american" else "bar"


@dataclass(frozen=True, slots=True)
class TestAsk:
    """What a way to test asks of who tests. name: of the field; options: (value, words) to choose from, none where it
    is typed; example: of what is typed."""

    name: str
    label: str
    options: tuple[tuple[str, str], ...] = ()
    example: str = ""


@dataclass(frozen=True, slots=True)
class TestKind(Generic[D]):
    """How a service is proved, section by section. rule: what a section (sections.TestSection) is tested with; steps:
    how it is done, with {target}, {raise}, {settle} and {hold} of the rule in them; caution: shown beside them;
    step_title, step_where, hold, tools: of the step of the plan; looked_dry: whether every joint is wiped and marked
    dry; variants: the ways to test a section, (id, title), the usual one first, none where there is one; variant_rule:
    what a section is tested with by one of them, with what was said to what it asks; asks: that, by variant; media:
    what it may be done with besides the usual; variant_steps: how a variant is done, where otherwise; variant_media:
    what a variant is done with, where it is another; check_medium: refuses what a section is never tested with;
    keeps_out: the stations of a section that must be out of its test, (id, how and why); by_sight: whether a section is
    not held at a pressure at all, but filled and seen dry; can_see: what a test by a rule can say before anybody pumps,
    by the gauge; as_kept: the rule of a test that was kept before its rule was kept with it; enough: whether a kept
    test (its body) was at a pressure that the section still asks for."""

    id: str
    service: str
    title: str
    medium: str
    rule: Callable[[D, Any], TestRule]
    steps: tuple[str, ...]
    caution: str = ""
    source: str = "typ"
    step_title: str = "Prove it tight"
    step_where: str = "{section}"
    hold: str = ""
    tools: tuple[str, ...] = ()
    looked_dry: bool = True
    variants: Callable[[D, Any], tuple[tuple[str, str], ...]] | None = None
    variant_rule: Callable[[D, Any, str, Mapping[str, Any]], TestRule] | None = None
    variant_steps: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    asks: Mapping[str, tuple[TestAsk, ...]] = field(default_factory=dict)
    media: tuple[str, ...] = ()
    variant_media: Mapping[str, str] = field(default_factory=dict)
    check_medium: Callable[[D, Any, str], None] | None = None
    keeps_out: Callable[[D, Any, TestRule], tuple[tuple[str, str], ...]] | None = None
    can_see: Callable[[TestRule, Gauge, str], tuple[str, ...]] | None = None
    by_sight: Callable[[D, Any], bool] | None = None
    as_kept: Callable[[Mapping[str, Any]], TestRule] | None = None
    enough: Callable[[D, Any, Mapping[str, Any]], bool] | None = None

    def medium_of(self, design: D, section: Any, said: str, variant: str = "") -> str:
        """The medium of a test, the usual one where nothing is said. Raises Refused for what a section is never tested
        with."""
        medium = said or self.variant_media.get(variant, self.medium)
        if self.check_medium is not None:
            self.check_medium(design, section, medium)
        return medium

    def variants_of(self, design: D, section: Any) -> tuple[tuple[str, str], ...]:
        """The ways to test a section, the usual one first."""
        return self.variants(design, section) if self.variants else ()

    def rule_of(self, design: D, section: Any, variant: str = "", said: Mapping[str, Any] | None = None) -> TestRule:
        """What a section is tested with, by a variant or by the usual one. said: what the variant asks for. Raises
        Refused."""
        if self.variant_rule is None:
            return self.rule(design, section)
        variants = self.variants_of(design, section)
        chosen = variant or (variants[0][0] if variants else "")
        return self.variant_rule(design, section, chosen, said or {}) if chosen else self.rule(design, section)


@dataclass(frozen=True, slots=True)
class CommissionLine:
    """One line of a commissioning record. key: of its record; expected: what is looked for, "" where the maker says;
    expected_pa, within_pa: for a pressure that is judged, what it should be and how far off it may be [Pa]."""

    key: str
    says: str
    unit: str
    expected: str
    source: str
    expected_pa: float | None = None
    within_pa: float = 0.0


@dataclass(frozen=True, slots=True)
class Reminder:
    """Something that comes round: first due on that day, then every so many months; 0: once. station: whose it is, ""
    for none; key: of the records that push it on, "" for none; by_owner: needs no visit."""

    title: str
    station: str
    due: date
    every_months: int
    why: str
    key: str = ""
    by_owner: bool = False


def months_on(day: date, months: int) -> date:
    """The same day so many months later, the last of its month where there is none."""
    year, month = divmod(day.year * 12 + day.month - 1 + months, 12)
    return date(year, month + 1, min(day.day, monthrange(year, month + 1)[1]))


@dataclass(frozen=True, slots=True)
class Care:
    """What the customer has to do and when. top_up: step by step, with this house's own figures."""

    reminders: tuple[Reminder, ...] = ()
    top_up: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PackSection:
    """A part of the pack: a heading and its rows, the first of them the names of the columns."""

    title: str
    rows: tuple[tuple[str, ...], ...]
