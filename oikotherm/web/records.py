"""The records of a job as its pages read them."""

from __future__ import annotations

from typing import Any
from uuid import NAMESPACE_URL, uuid4, uuid5

from ..core.design import Design
from ..core.work.records import Record
from ..exchange.site import proofs_of, records_of
from ..store.database import now
from . import db


def records_here(uid: str) -> list[Record]:
    """The records of a job as the core reads them."""
    return records_of(db.get(), uid)


def record_now(
    uid: str, rev: int, kind: str, key: str, label: str, body: dict[str, Any], by_role: str = "", form: str = ""
) -> dict[str, Any]:
    """A record of what a form of this server says was done now, as the store takes it; where no role is given it is the
    site lead's. form: the form's own id, so that one sent again is the same record."""
    return {
        "uuid": str(uuid5(NAMESPACE_URL, f"{form} {uid} {kind} {key} {sorted(body.items())}"))
        if form
        else str(uuid4()),
        "job": uid,
        "kind": kind,
        "key": key,
        "label": label,
        "rev": rev,
        "made_at": now(),
        "by_role": by_role or "site lead",
        "body": body,
    }


def proved(uid: str, design: Design) -> bool:
    """Whether passed tests prove every new joint as it is now made."""
    records = records_here(uid)
    if not any(record.kind in ("test", "joint", "step") for record in records):
        return False  # nothing to work out
    proofs = proofs_of(design, records)
    return bool(proofs) and all(one.passed for one in proofs)
