"""Remedies are tried before they are offered: over all demos, all planted faults and all failing jobs of the rules."""

from __future__ import annotations

import unittest
from collections import Counter

from oikotherm.core.context import Context
from oikotherm.core.design import derive
from oikotherm.core.errors import Refused
from oikotherm.core.job.commands import apply_all
from oikotherm.core.job.model import Job
from oikotherm.core.rules import Finding

from ..counts import cases
from ..jobs import CATALOGUE, edit, whole
from .test_caught import FAULTS
from .test_rules import FAILING

DEMOS = {name: whole(name) for name in ("lockhouse", "olmo-vecchio", "fernhollow")}
JOBS: dict[str, Job] = {
    **{f"{rule} {n}": job for rule, jobs in FAILING.items() for n, job in enumerate(jobs)},
    **{name: edit(job, *commands) for name, (job, commands, *_) in FAULTS.items()},
    **DEMOS,
}


def keys(findings: tuple[Finding, ...], *severities: str) -> set[tuple[str, tuple[str, ...]]]:
    return {(one.rule, one.where) for one in findings if one.severity in severities}


class TriedTest(unittest.TestCase):
    def test_what_is_offered_does_as_it_says_and_brings_no_stop(self) -> None:
        """A finding that many of the jobs share, made from the same demo, is tried in the first of them; in all of them
        by tests.long."""
        count: Counter[str] = Counter()
        context, seen = Context(), set[tuple[str, ...]]()
        for name, job in JOBS.items():
            design = derive(job, context)
            before = keys(design.findings, "stop")
            for finding in design.findings:
                same = (job.uid, finding.rule, *finding.where, *(remedy.effect for remedy in finding.remedies))
                if not finding.remedies or same in seen:
                    continue
                seen.add(cases(same, (name, *same)))
                ways = {remedy.title: remedy for remedy in design.tried(finding).remedies}
                for remedy in finding.remedies:
                    with self.subTest(job=name, rule=finding.rule, remedy=remedy.title):
                        self.assertTrue(remedy.effect)
                        self.assertEqual(remedy.tried, "none")
                        try:
                            after = derive(apply_all(job, list(remedy.commands), CATALOGUE), context).findings
                        except Refused:
                            self.assertNotIn(remedy.title, ways)
                            continue
                        new = keys(after, "stop") - before
                        kept = ways.get(remedy.title)
                        self.assertEqual(kept is None, bool(new), new)
                        left = (finding.rule, finding.where) in keys(after, "stop", "mind", "note")
                        if kept is not None:
                            self.assertEqual(kept.tried, "partly" if left else "clears")
                        count["dropped" if kept is None else kept.tried] += 1
        self.assertGreater(count["clears"], cases(250, 400))
        self.assertGreater(count["dropped"], 10)
        print(f"remedies: {dict(count)}")

    def test_a_fault_that_had_a_way_out_still_has_one(self) -> None:
        context = Context()
        for name, (job, commands, rule, *_) in FAULTS.items():
            design = derive(edit(job, *commands), context)
            for finding in design.findings:
                if finding.rule == rule and finding.remedies:
                    with self.subTest(fault=name):
                        self.assertIn("clears", {remedy.tried for remedy in design.tried(finding).remedies})

    def test_a_second_vessel_stands_where_nothing_shuts_it_off(self) -> None:
        design = derive(DEMOS["olmo-vecchio"])
        (finding,) = [one for one in design.findings if one.rule == "vessel-small"]
        (way,) = design.tried(finding).remedies
        self.assertIn("in the valve's place", way.title)
        after = derive(apply_all(design.job, list(way.commands), CATALOGUE))
        self.assertEqual({one.rule for one in after.findings} & {"vessel-small", "vessel-behind-valve"}, set())
        self.assertIn("D200 [vessel set 8] D220", after.texts["RT1"])

    def test_part_of_a_fault_left_is_said(self) -> None:
        """A run that misses its end both ways, helped one way: the command stands for a remedy of that kind."""
        from dataclasses import replace

        from oikotherm.core.rules import Remedy

        design = derive(DEMOS["lockhouse"])
        (finding,) = [one for one in design.findings if one.rule == "closing-error"]
        (leg,) = [item.id for item in design.job.run("RT3").items if getattr(item, "said", "") == "2875"]
        half = Remedy("Half of it", ({"do": "set_leg", "run": "RT3", "item": leg, "length_mm": 2880},), "S2880")
        nothing = Remedy("No such leg", ({"do": "set_leg", "run": "RT3", "item": "i9999", "length_mm": 1},), "x")
        (way,) = derive(design.job).tried(replace(finding, remedies=(half, nothing))).remedies
        self.assertEqual((way.title, way.tried), ("Half of it", "partly"))


if __name__ == "__main__":
    unittest.main()
