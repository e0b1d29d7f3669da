"""How gas pipe is proved: with air or an inert gas, never with water or oxygen, appliances off, by practice."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from ...work.steps import TestKind, TestRule
from .stations import SPEC

if TYPE_CHECKING:
    from ...layout import Layout
    from ...work.sections import TestSection

PA_PER_MBAR = 100.0
PA_PER_PSI = 6894.757293168
BY_VOLUME = ((100.0, (10.0, 10.0)), (200.0, (30.0, 20.0)))
"""Continental: below so many litres, minutes to settle and to hold (typ)."""
LARGEST = (60.0, 30.0)


def _rule(design: Layout, section: TestSection) -> TestRule:
    """British: 20 mbar, 1 minute to settle, 2 held, no perceptible drop (0.25 mbar). Continental: 150 mbar, minutes by
    volume. North American: at least 3 psi, 10 minutes. Sources: typ of the practice; local code and the inspector
    decide."""
    common = TestRule(0.0, volume_l=section.volume_l, temperatures=False, most_drift_k=0.0)
    practice = design.job.practice
    if practice == "north-american":
        return replace(
            common,
            target_pa=3 * PA_PER_PSI,
            unit="psi",
            settle_min=1.0,
            hold_min=10.0,
            coarsest_pa=0.1 * PA_PER_PSI,
            most_range_pa=15 * PA_PER_PSI,
            source="typ, code minimum: 1.5 x working, at least 3 psi for 10 minutes",
        )
    if practice == "continental":
        settle, hold = next((minutes for litres, minutes in BY_VOLUME if section.volume_l < litres), LARGEST)
        return replace(
            common,
            target_pa=150 * PA_PER_MBAR,
            unit="mbar",
            settle_min=settle,
            hold_min=hold,
            coarsest_pa=1.0 * PA_PER_MBAR,
            most_range_pa=750 * PA_PER_MBAR,
            source="typ: 150 mbar, minutes by volume; a strength test at 1 bar goes before it",
        )
    return replace(
        common,
        target_pa=20 * PA_PER_MBAR,
        unit="mbar",
        settle_min=1.0,
        hold_min=2.0,
        coarsest_pa=0.25 * PA_PER_MBAR,
        most_range_pa=100 * PA_PER_MBAR,
        source="typ: 20 to 21 mbar for 2 minutes, new pipe without perceptible drop; let-by first at 7 to 10 mbar",
    )


TIGHTNESS = TestKind(
    id="gas-tightness",
    service=SPEC.id,
    title="Gas: tightness",
    medium="air",
    rule=_rule,
    steps=(
        "Ends capped or plugged, appliances and regulators off or isolated: the test pressure ruins them.",
        "Let-by: shut the valve at the boundary, a little pressure behind it; any rise fails.",
        "Raise to {target} with air. Leave it {settle} to settle, then hold it {hold}: no drop that the gauge can "
        "tell.",
        "With working gas in it every joint is soaped, also those near by that were not worked on.",
    ),
    caution="Gas is work for the licensed person; local code decides the pressure and the time. Never with oxygen, "
    "never with water. Air under pressure stores energy: stand clear of caps.",
    source="typ, by practice",
    step_title="Prove the gas pipe tight",
    step_where="{section}",
    hold="passed by the licensed person before anything hides it, and before gas",
    tools=("gauge", "hand pump", "caps", "leak detection fluid"),
    looked_dry=False,
)
TESTS = (TIGHTNESS,)
