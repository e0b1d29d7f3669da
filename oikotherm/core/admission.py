"""What a job must be before it is stored: it reads back as it is, its lines too, and it can be worked out."""

from __future__ import annotations

from .context import Context
from .design import Design, derive
from .errors import Refused, shorten
from .job.commands import apply
from .job.document import read, read_as
from .job.model import Job, Run, Station
from .job.writing import run_text
from .reading import MOST_BYTES

SHOWN = ("fitted", "cuts", "sized", "findings", "texts", "piece_labels", "joint_labels")
WHOLE = (*SHOWN, "holes", "plan", "supports", "materials", "water_work")


def admit(job: Job, context: Context, before: Job | None = None) -> Design:
    """The design of a job that may be stored. before: the job that was edited, None for one that comes from outside.

    Raises Refused, with the reason, for a job that is too big, that would not be read back as it is, or of which the
    pages could not be made.
    """
    text = job.model_dump_json(exclude_none=True)
    size = len(text.encode())
    if size > MOST_BYTES:
        raise Refused("document", f"{size} bytes with all its fields", f"a job of at most {MOST_BYTES} bytes", "")
    if before is None:
        again = read(text)
        if again != job:
            raise Refused("document", job.uid, "a job that reads back as it is", "")
    else:
        _check_changes(before, job, context)
    design = derive(job, context)
    for name in SHOWN if before is not None else WHOLE:
        try:
            getattr(design, name)
        except Exception as error:
            raise Refused(
                "job",
                f"{type(error).__name__}: {error}",
                f"an edit after which the {name.replace('_', ' ')} of the house can be worked out",
                "a step at a time, to find what it cannot take",
            ) from error
    return design


def _check_changes(before: Job, after: Job, context: Context) -> None:
    """What an edit made anew must be within the limits of the document, and every line must read back."""
    known = {one.id: one for group in before.named() for one in group}
    for group in after.named():
        for one in group:
            if known.get(one.id) is one:
                continue
            if isinstance(one, Run | Station):
                read_as(type(one), one.model_dump())
            if isinstance(one, Run):
                try:
                    check_line(after, one, context)
                except Refused:
                    old = before.run(one.id)
                    if old is None or _reads_back(before, old, context):
                        raise  # else it never did, as with a pipe the catalogue has no more: that must not stop work


def _reads_back(job: Job, run: Run, context: Context) -> bool:
    try:
        check_line(job, run, context)
    except Refused:
        return False
    return True


def check_line(job: Job, run: Run, context: Context) -> None:
    """The canonical line of a run must give that run."""
    from .layout import Layout

    text = run_text(run, Layout(job, context).style)
    try:
        again = apply(job, {"do": "put_run", "run": run.id, "text": text}, context.catalogue, context.memory)
    except Refused as refused:
        raise Refused(run.id, text, f"an edit after which its line can be read ({shorten(refused, 200)})", "") from None
    if again.run(run.id) != run:
        read_back = again.run(run.id)
        changed = [name for name in Run.model_fields if getattr(read_back, name, None) != getattr(run, name)]
        raise Refused(
            run.id, text, f"an edit after which its line says the same; its {', '.join(changed)} would not", ""
        )
