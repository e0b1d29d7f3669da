"""What was done on site against what the job says now."""

from __future__ import annotations

from collections.abc import Iterable

from .registry import Said, View, rule


@rule(
    "record-changed",
    "mind",
    "a recorded joint is not what it was",
    "A record speaks of the joint as it was made; after a change it has to be looked at again, and proved again.",
    "rule of the records",
    stage="joints",
)
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


@rule(
    "unchecked",
    "note",
    "checks of the survey still open",
    "What nobody has looked at comes up on the day, with the water off.",
    "usual practice",
    stage="survey",
)
def unchecked(view: View) -> Iterable[Said]:
    open_ = [fact.path for fact in view.job.facts if fact.path.startswith("check.") and fact.value is not True]
    if open_:
        count = f"{len(open_)} checks are" if len(open_) > 1 else "1 check is"
        yield Said((open_[0],), f"{count} open on the survey.", cures=("tick them in Survey",))
