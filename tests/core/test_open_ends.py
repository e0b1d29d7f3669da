"""Open ends, suspicion after a failed test, and what a test map says of each piece."""

from __future__ import annotations

import unittest
from dataclasses import replace

from oikotherm.core.design import derive
from oikotherm.core.work.care import shut_offs
from oikotherm.core.work.open_ends import open_ends
from oikotherm.core.work.records import Record, joint_states
from oikotherm.core.work.sections import made_as, sections_of, state_mark
from oikotherm.core.work.standing import section_proofs
from oikotherm.core.work.suspicion import suspects, test_map

from ..jobs import whole

FERN, LOCK = derive(whole("fernhollow")), derive(whole("lockhouse"))


def marked(key: str, at: str) -> Record:
    return Record(f"u-{key}-{at}", "joint", key, key, 1, at, "site lead", {"made": True}, None, 0.0)


class OpenEndsTest(unittest.TestCase):
    def test_what_waits_in_the_seed_exchange(self) -> None:
        """The end of the trunk, two plugged tees on it, the plugged last outlet of the manifold, and the discharge that
        ends open; the pockets of the sediment traps are no open ends."""
        found = {one.where: one.closed for one in open_ends(FERN)}
        self.assertEqual(
            {where: found[where] for where in ("end of G1", "outlet G1.L1", "outlet G1.L2", "outlet G1.M4")},
            {"end of G1": "a cap", "outlet G1.L1": "a plug", "outlet G1.L2": "a plug", "outlet G1.M4": "a plug"},
        )
        self.assertNotIn("outlet G1.P1", found)
        self.assertEqual(len([where for where in found if "G" in where]), 4)

    def test_every_shut_off_says_what_it_takes_away(self) -> None:
        said = shut_offs(LOCK)
        self.assertTrue(any("on G2" in one and one.endswith("shuts RNG; relight RNG") for one in said), said)
        self.assertTrue(any("on C1" in one and "6.2 L stand behind it" in one for one in said), said)


class SuspicionTest(unittest.TestCase):
    def test_the_unmarked_come_first_then_the_last_made(self) -> None:
        section = next(one for one in sections_of(LOCK) if one.service == "gas")
        (proof,) = section_proofs(LOCK, [section], [], state_mark(LOCK))
        keys = list(section.joints)
        records = [marked(key, f"2026-03-01T10:{n:02d}:00Z") for n, key in enumerate(keys[1:])]
        states = joint_states(records)
        found = suspects(LOCK, proof, states)
        self.assertEqual(found[0].key, keys[0])  # the only one not marked made
        self.assertIn("not marked made", found[0].reasons)
        last = {one.key for one in found if "among the last made" in one.reasons}
        self.assertEqual(last, set(keys[-5:]))

    def test_checks_left_blank_and_threads_on_old_pipe_stand_against_a_joint(self) -> None:
        runs = tuple(run.model_copy(update={"state": "keep"}) if run.id == "G1" else run for run in FERN.job.runs)
        design = derive(FERN.job.model_copy(update={"runs": runs}))
        section = next(one for one in sections_of(design) if one.service == "gas" and "G2" in one.runs)
        (proof,) = section_proofs(design, [section], [], state_mark(design))
        turned = {one.key for one in suspects(design, proof, {}) if "turns the old thread behind it" in one.reasons}
        self.assertTrue(turned)
        arms, straights = design.pipework.arms, design.pipework.straights
        for key in turned:
            joint = design.fitted.joints[key]
            beside = {straights[one].run for one in arms[joint.fitting_key].values()}
            self.assertTrue(joint.method == "thread" and "G1" in beside, (key, beside))
        self.assertFalse([one for one in suspects(FERN, proof, {}) if "turns the old thread behind it" in one.reasons])
        made = min(turned)
        states = joint_states([marked(made, "2026-03-01T10:00:00Z")])
        (found,) = [one for one in suspects(design, proof, states) if one.key == made]
        self.assertTrue(any(reason.endswith("left blank") for reason in found.reasons), found)

    def test_the_map_tells_proved_changed_and_running(self) -> None:
        section = next(one for one in sections_of(LOCK) if one.service == "gas")
        proof = section_proofs(LOCK, [section], [], state_mark(LOCK))[0]
        bare = dict(test_map(LOCK, [proof]))
        self.assertEqual(set(bare.values()), {"unproved"})
        self.assertEqual(set(dict(test_map(LOCK, [proof], [section.key])).values()), {"in-test"})
        whole_proof = replace(proof, unproved=())
        self.assertEqual(set(dict(test_map(LOCK, [whole_proof])).values()), {"proved"})
        one = next(iter(section.joints))
        joint = LOCK.fitted.joints[one]
        self.assertEqual(section.joints[one], made_as(joint.method, joint.pipe))
        part = dict(test_map(LOCK, [replace(proof, unproved=(one,))]))
        self.assertEqual(
            {piece for piece, mark in part.items() if mark == "unproved"},
            {LOCK.fitted.piece_of[joint.other]} if joint.other in LOCK.fitted.piece_of else set(),
        )


if __name__ == "__main__":
    unittest.main()
