"""Which joints to look at first when a test failed, and what tests have proved, piece by piece of pipe."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from ..joints.fitted import Joint
from ..layout import Layout
from .records import JointState, missing_checks
from .standing import SectionProof

TEMPORARY = ("cap", "plug", "stub", "open")
LAST_MADE = 5  # of the joints made last


@dataclass(frozen=True, slots=True)
class Suspect:
    """A joint to soap, why, and how much stands against it: the most first."""

    key: str
    reasons: tuple[str, ...]
    weight: int


def suspects(design: Layout, proof: SectionProof, states: Mapping[str, JointState]) -> tuple[Suspect, ...]:
    """The joints of a section by suspicion: temporary ends, those not marked made or with a check left blank, the last
    made, threads on old pipe, which turns with them, what was changed since a passed test."""
    work, fitted = design.pipework, design.fitted
    made = sorted(
        (mark[2], key)
        for key in proof.section.joints
        if (state := states.get(key)) and (mark := state.mark("made")) and mark[0]
    )
    last = {key for _, key in made[-LAST_MADE:]} if len(made) > LAST_MADE else set()
    changed = {key for test in proof.tests for key in test.changed}
    found = []
    for key in proof.section.joints:
        joint = fitted.joints[key]
        node = work.nodes.get(joint.fitting_key)
        reasons = []
        if node is not None and node.kind in TEMPORARY and not node.name:
            reasons.append(("a temporary end", 4))
        if key not in states or not states[key].yes("made"):
            reasons.append(("not marked made", 5))
        elif blanks := missing_checks(design.context.catalogue, joint.method, joint.pipe, states[key]):
            reasons.append((f"{', '.join(blanks)} left blank", 2))
        if joint.method == "thread" and _old(design, joint):
            reasons.append(("turns the old thread behind it", 2))
        if key in changed:
            reasons.append(("changed since it was proved", 3))
        if key in last:
            reasons.append(("among the last made", 2))
        if joint.method in ("compression", "flare", "union", "washer", "connector"):
            reasons.append(("comes apart by hand", 1))
        if reasons:
            found.append(Suspect(key, tuple(word for word, _ in reasons), sum(weight for _, weight in reasons)))
    order = {key: number for number, key in enumerate(proof.section.joints)}
    return tuple(sorted(found, key=lambda one: (-one.weight, order[one.key])))


def _old(design: Layout, joint: Joint) -> bool:
    """Whether a joint is made on pipe that was there: what it screws into turns with it."""
    work = design.pipework
    on = [joint.other, *work.arms.get(joint.fitting_key, {}).values()]
    runs = {work.straights[key].run for key in on if key in work.straights}
    return any(run.id in runs and run.state == "keep" for run in design.job.runs)


def test_map(
    design: Layout, proofs: Sequence[SectionProof], running: Iterable[str] = ()
) -> tuple[tuple[str, str], ...]:
    """What tests say of each new piece of pipe: (piece, proved | unproved | in-test | changed). running: the keys of
    sections whose test runs. A piece is proved when all joints along its
    straights are."""
    fitted, now = design.fitted, set(running)
    on: dict[str, set[str]] = {}
    for key, joint in fitted.joints.items():
        on.setdefault(joint.other, set()).add(key)
    joints = {
        key: {one for straight in piece.straights for one in on.get(straight, ())}
        for key, piece in fitted.pieces.items()
    }
    found: dict[str, str] = {}
    for proof in proofs:
        unproved, own = set(proof.unproved), set(proof.section.joints)
        changed = {key for test in proof.tests for key in test.changed}
        for piece, its in joints.items():
            if not its & own:
                continue
            if proof.section.key in now:
                found[piece] = "in-test"
            elif its & changed & unproved:
                found[piece] = "changed"
            elif found.get(piece) != "changed":
                found[piece] = "unproved" if its & unproved else "proved"
    return tuple(sorted(found.items()))
