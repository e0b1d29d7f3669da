"""Findings and the registry of rules. A rule is one small function; docs/rules.md shows how to add one."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from ..context import Context
from ..job.model import Job
from ..job.ways import Vec
from ..job.words import Style
from ..joints.fitted import Fitted
from ..memory import Memory
from ..network.sized import Sized

Severity = Literal["stop", "mind", "note"]
ORDER: dict[str, int] = {"stop": 0, "mind": 1, "note": 2}


@dataclass(frozen=True, slots=True)
class Remedy:
    """A way to put it right: commands, and in words what they will change. tried: whether it was carried out to see,
    and then whether it clears its finding."""

    title: str
    commands: tuple[dict[str, Any], ...]
    effect: str
    tried: Literal["none", "clears", "partly"] = "none"


@dataclass(frozen=True, slots=True)
class Finding:
    """Something a layout must not or need not be. where: keys it concerns, the run or station first."""

    rule: str
    severity: Severity
    where: tuple[str, ...]
    says: str
    why: str
    source: str
    remedies: tuple[Remedy, ...] = ()
    at: Vec | None = None
    cures: tuple[str, ...] = ()
    """What would help but has to be done by hand."""
    waived: str = ""
    """Why it is let stand; empty when it is not."""
    stage: str = "pace"
    """The stage of the job it is looked at in."""
    service: str = ""
    """The service whose rule found it; empty for rules of all."""
    badge: str = ""
    """The word it carries on the drawing where that is not its severity."""


@dataclass(frozen=True, slots=True)
class Said:
    """What a rule's function gives; the registry adds the rule's own words."""

    where: tuple[str, ...]
    says: str
    remedies: tuple[Remedy, ...] = ()
    at: Vec | None = None
    cures: tuple[str, ...] = ()
    severity: Severity | None = None
    badge: str = ""


@dataclass(frozen=True, slots=True)
class View:
    """What a rule may look at."""

    job: Job
    fitted: Fitted
    context: Context
    sized: Mapping[str, Sized] = field(default_factory=dict)
    flow: dict[str, int] = field(default_factory=dict)
    """Straight key -> 1 with its pacing, -1 against, 0 not known."""

    @property
    def memory(self) -> Memory:
        """Where what several rules need is remembered."""
        return self.context.memory

    @property
    def style(self) -> Style:
        return Style(self.context.catalogue, self.job.practice, self.job.pace_unit)


STAGES = ("survey", "pace", "sizes", "joints", "make", "order", "prove", "handover")


@dataclass(frozen=True, slots=True)
class Rule:
    """A finding's rule. service: whose it is, "" for all; stage: where in the job it is looked at."""

    id: str
    severity: Severity
    title: str
    why: str
    source: str
    function: Callable[[View], Iterable[Said]]
    service: str = ""
    stage: str = "pace"


class RuleBook:
    """The rules of a service, or of all where service is "": a decorator keeps each function with its words."""

    def __init__(self, service: str = "") -> None:
        self.service = service
        self.rules: dict[str, Rule] = {}

    def __call__(
        self, id_: str, severity: Severity, title: str, why: str, source: str, *, stage: str = "pace"
    ) -> Callable[..., Callable[[View], Iterable[Said]]]:
        """Keep a rule. id_: its stable name; why: what goes wrong otherwise; source: std, typ, or where the rule is
        from. Raises ValueError."""
        if id_ in self.rules:
            raise ValueError(f"rule {id_} exists already")
        if stage not in STAGES:
            raise ValueError(f"rule {id_}: no stage {stage}")

        def keep(function: Callable[[View], Iterable[Said]]) -> Callable[[View], Iterable[Said]]:
            self.rules[id_] = Rule(id_, severity, title, why, source, function, self.service, stage)
            return function

        return keep


rule = RuleBook()


def find(view: View, rules: Iterable[Rule]) -> tuple[Finding, ...]:
    """All findings of a job: open stops first, then by rule and place in the document; waived ones last, with the
    reason."""
    reasons = {(waiver.rule, waiver.where): waiver.reason for waiver in view.job.waivers}
    found = [
        Finding(
            rule=rule_.id,
            severity=said.severity or rule_.severity,
            where=said.where,
            says=said.says,
            why=rule_.why,
            source=rule_.source,
            remedies=said.remedies,
            at=said.at,
            cures=said.cures,
            waived=reasons.get((rule_.id, said.where[-1]), ""),
            stage=rule_.stage,
            service=rule_.service,
            badge=said.badge,
        )
        for rule_ in rules
        for said in rule_.function(view)
    ]
    return tuple(sorted(found, key=lambda finding: (bool(finding.waived), ORDER[finding.severity])))
