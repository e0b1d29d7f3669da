"""What was done on site against what the job says now."""

from __future__ import annotations

from collections.abc import Iterable

from .registry import Said, View, rule


@rule(
    "record-changed", "mind", "a recorded joint is not what it was",
    "A record speaks of the joint as it was made; after a change it has to be looked at again, and proved again.", "rule of the records",
)  # fmt: skip
def record_changed(view: View) -> Iterable[Said]:
    for key, label, method, pipe in view.context.recorded:
        joint = view.fitted.joints.get(key)
        if joint is None:
            yield Said(
                (label, key),
                f"Joint {label} has a record and is no longer in the pipework.",
                cures=("undo the change", "record what was done with it"),
            )
        elif method and (joint.method, joint.pipe) != (method, pipe):
            says = f"Joint {label} was recorded as {method} on {pipe} and is {joint.method} on {joint.pipe} now."
            yield Said((joint.run, key), says, at=joint.at, cures=("undo the change", "make it again and record it"))
