"""The demo: its jobs, and the firm they are made by, so that no page of it is empty. All of it is made up."""

from __future__ import annotations

import sqlite3
import uuid as uuids
from dataclasses import asdict
from datetime import UTC, datetime, timedelta
from typing import Any

from ..core.catalogue import standard
from ..core.catalogue.measured import book_row
from ..core.design import Design
from ..core.memory import Memory
from ..core.quantity import convert
from ..core.supply import Price
from ..core.work.standing import SectionProof
from ..exchange.in_force import context_of
from ..exchange.merchant import quote
from ..exchange.site import proofs_of, records_of
from ..store import jobs, people, records, supply, van
from ..store.database import writing
from . import documents

FIRST = "lockhouse"
TOOLS = (
    ("torch", "", "", 40),
    ("press tool", "", "", 120),
    ("press jaw", "V", "15", 120),
    ("press jaw", "V", "22", 120),
    ("press jaw", "V", "28", 400),
    ("multilayer jaw", "TH", "16", 90),
    ("pipe bender", "", "", 60),
    ("threader", "", "", 200),
)
STOCK = (
    ("cap-elbow-15", 24),
    ("cap-elbow-22", 9),
    ("cap-tee-22", 6),
    ("cap-tee-reduced-22x15", 4),
    ("cap-coupling-15", 12),
    ("cap-coupling-22", 3),
    ("thread-elbow-3/4", 6),
    ("thread-tee-3/4", 2),
)
OFFCUTS = (
    ("cu-m 15", 1240.0, 2),
    ("cu-m 15", 860.0, 1),
    ("cu-m 22", 1510.0, 1),
    ("cu-m 22", 640.0, 2),
    ("fe-40 3/4", 914.4, 1),
    ("mlc 16", 2300.0, 1),
)
BOOK = (
    ("socket cu 22 capillary", "z_mm", 12.4),
    ("socket cu 15 capillary", "z_mm", 8.7),
    ("thread npt 3/4", "made_up_mm", 14.3),
)
STEPS_DONE = 4
CARED = {
    "olmo-vecchio": (
        ("service/BLR", "Service BLR", 379),  # overdue by two weeks
        ("inhibitor/BLR", "Test the inhibitor of BLR", 352),
    )
}
"""What comes round and was last done so many days ago."""
INSTRUMENTS = (
    ("test gauge 0-6 bar, 0.02", "mechanical", 0.02, 6.0, 320),
    ("boiler gauge 0-4 bar, 0.1", "mechanical", 0.1, 4.0, 40),
    ("gas gauge 0-100 mbar, 0.1", "electronic", 0.0001, 0.1, -25),  # calibration overdue
    ("gas test gauge 0-15 psi, 0.1", "mechanical", 0.00689, 1.0342, 150),
    ("clamp thermometer, 0.1 K", "thermometer", 0.1, None, 200),
)
"""Name, kind, step and range [bar, a thermometer K], days until the calibration is due."""


def load_demo(conn: sqlite3.Connection, memory: Memory | None = None, *, fresh: bool = False, firm: bool = True) -> str:
    """Load the demo jobs that are not there yet (fresh: put them back as they were), with the firm where `firm` says
    so; gives the uid of the job to look at first."""
    for job in documents():
        with writing(conn):
            there = jobs.exists(conn, job.uid)
            last = jobs.last_rev(conn, job.uid)
            if there and fresh:
                conn.execute("DELETE FROM job WHERE uid = ?", (job.uid,))
                conn.execute("DELETE FROM setting WHERE name = ?", (f"printed:{job.uid}",))
                conn.execute("DELETE FROM job_text WHERE uid = ?", (job.uid,))
            if not there or fresh:
                jobs.create(conn, job, "demo", floor=last)
    if firm:
        load_firm(conn, Memory() if memory is None else memory)
    return FIRST


def load_firm(conn: sqlite3.Connection, memory: Memory) -> None:
    """What the firm owns, measured and did; nothing the user has is changed: a van with tools keeps them."""
    today = datetime.now(UTC)
    with writing(conn):
        if not van.tools(conn):
            _van(conn, today, memory)
        _instruments(conn, today)
        work = [record for job in documents() for record in _work(conn, job.uid, today, memory)]
        for record in work:
            records.add(conn, record)


def _day(today: datetime, days: int) -> str:
    return (today + timedelta(days=days)).date().isoformat()


def _van(conn: sqlite3.Connection, today: datetime, memory: Memory) -> None:
    catalogue = standard()
    for kind, contour, size, ago in TOOLS:
        van.put_tool(conn, kind, contour, size, _day(today, -ago))
    for part, count in STOCK:
        van.put_stock(conn, catalogue, part, str(count))
    for pipe, length_mm, count in OFFCUTS:
        supply.put_offcut(conn, catalogue, pipe, f"{length_mm:g} mm", str(count))
    for part, field, value in BOOK:
        van.put_book(conn, book_row(catalogue, part, field, value, _day(today, -30)))
    supply.put_setting(conn, "hour", 48.0)
    for job in documents():
        design = Design(job, context_of(conn, job.uid, memory))
        found = [quote(catalogue, line.item, line.title) for line in design.order(supply.supply(conn)).lines]
        prices = [
            Price(one["item"], one["price"], one["in_stock"], one["days"], one["instead"]) for one in found if one
        ]
        supply.put_prices(conn, prices, "simulated merchant", _day(today, -3))


def _instruments(conn: sqlite3.Connection, today: datetime) -> None:
    known = {row["name"]: row["due_on"] for row in people.instruments(conn)}
    for name, kind, step, range_bar, days in INSTRUMENTS:
        if not known.get(name):
            people.put_instrument(conn, name, kind, step, _day(today, days - 365), _day(today, days), range_bar)


def _work(conn: sqlite3.Connection, uid: str, today: datetime, memory: Memory) -> list[dict[str, Any]]:
    """What was done on a demo job: steps ticked, joints made, tests; none where the job has records already."""
    if records_of(conn, uid):
        return []
    design = Design(jobs.head(conn, uid).job, context_of(conn, uid, memory))
    made = _Record(uid, jobs.head(conn, uid).rev, today)
    found = []
    new = [run.id for run in design.job.runs if run.state == "new"][: 4 if uid == FIRST else 1]
    for key, joint in design.fitted.joints.items():
        if joint.run in new and joint.method:
            body = {"made": True, "method": joint.method, "pipe": joint.pipe}
            found.append(made("joint", key, design.joint_labels.get(key, key), body, 5, "apprentice"))
    for key, label, ago in CARED.get(uid, ()):
        found.append(made("care", key, label, {"done": True}, ago, "site lead"))
    if uid != FIRST:
        return found
    for step in design.plan[:STEPS_DONE]:  # in their order, so that nothing is drained before it is made safe
        if step.checks:
            break
        found.append(made("step", step.key, step.title, {"done": True}, 6, "site lead"))
    proofs = proofs_of(design, [])
    wanted = (("passed", 1.0, 0.0), ("failed", 1.0, 1.0), ("short", 0.3, 0.0))
    for (what, share, lost), proof in zip(wanted, proofs, strict=False):
        body = _test_body(proof, design, today, share, lost)
        found.append(made("test", proof.kind.id, proof.kind.title, body, 2, "site lead", what))
    return found


class _Record:
    """Makes records with uuids of their own names: loading twice changes nothing."""

    def __init__(self, uid: str, rev: int, today: datetime) -> None:
        self.uid, self.rev, self.today = uid, rev, today

    def __call__(
        self, kind: str, key: str, label: str, body: dict[str, Any], days: int, by: str, more: str = ""
    ) -> dict[str, Any]:
        moment = (self.today - timedelta(days=days)).replace(hour=10, minute=0, second=0, microsecond=0)
        name = f"oikotherm demo {self.uid} {kind} {key} {more}"
        return {
            "uuid": str(uuids.uuid5(uuids.NAMESPACE_URL, name)),
            "job": self.uid,
            "kind": kind,
            "key": key,
            "label": label,
            "rev": self.rev,
            "made_at": moment.isoformat(),
            "by_role": by,
            "body": body,
        }


def _test_body(proof: SectionProof, design: Design, today: datetime, share: float, lost: float) -> dict[str, Any]:
    """A test of a section: share of the hold that was waited, lost as a share of ten times what it may lose."""
    section, rule, kind = proof.section, proof.rule, proof.kind
    resolution_pa = rule.coarsest_pa / 2
    begun = (today - timedelta(days=2)).replace(hour=9, minute=0, second=0, microsecond=0, tzinfo=None)
    minutes = int((rule.settle_min + rule.hold_min) * share) + 1
    lines = []
    for minute in range(minutes):
        held = max(0.0, minute - rule.settle_min) / max(minutes - rule.settle_min, 1)
        pressure_pa = rule.target_pa * (1.002 - 0.2 * lost * held)
        pressure, _ = convert(f"{pressure_pa:.8g} Pa", rule.unit)
        lines.append(f"{(begun + timedelta(minutes=minute)).isoformat(timespec='minutes')}, {pressure:.6f}, 18.0")
    looked = len(section.joints) if rule.phase == "liquid" and kind.looked_dry else 0
    return {
        "section": section.key,
        "spec": kind.id,
        "joints": dict(section.joints),
        "unit": rule.unit,
        "target_pa": rule.target_pa,
        "medium": kind.medium,
        "readings": "\n".join(lines),
        "asked": asdict(rule),
        "looked": {"joints": looked, "dry": looked},
        "gauge": {"name": "test gauge", "resolution_pa": resolution_pa, "range_pa": 3 * rule.target_pa},
        **({"no_supply": True} if rule.let_by else {}),
    }
