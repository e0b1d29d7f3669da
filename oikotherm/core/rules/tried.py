"""Remedies tried before they are offered: what is left of the finding, and whether a stop comes of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Protocol

from ..catalogue import Catalogue
from ..errors import Refused
from ..job.commands import apply_all
from ..job.model import Job
from .registry import Finding, Remedy


class Found(Protocol):
    """A design as far as its findings are asked for."""

    @property
    def findings(self) -> tuple[Finding, ...]: ...


def key(finding: Finding) -> tuple[str, tuple[str, ...]]:
    """What makes two findings the same: the rule and where."""
    return finding.rule, finding.where


def stops(findings: Iterable[Finding]) -> set[tuple[str, tuple[str, ...]]]:
    """The keys of the stops among findings."""
    return {key(one) for one in findings if one.severity == "stop"}


def tried(
    job: Job, findings: tuple[Finding, ...], finding: Finding, catalogue: Catalogue, derive: Callable[[Job], Found]
) -> Finding:
    """The finding with its remedies tried: those that clear it first, those that leave some of it after; one that
    cannot be done, or brings a stop that was not there (by rule and place), is left out."""
    before = stops(findings)
    ways: list[Remedy] = []
    for remedy in finding.remedies:
        try:
            after = derive(apply_all(job, list(remedy.commands), catalogue)).findings
        except Refused:
            continue
        if stops(after) - before:
            continue
        left = key(finding) in {key(one) for one in after}
        ways.append(replace(remedy, tried="partly" if left else "clears"))
    return replace(finding, remedies=tuple(sorted(ways, key=lambda one: one.tried != "clears")))
