"""What happened on site, read together with the design: records, tests and their verdicts."""

from __future__ import annotations

import hashlib
import sqlite3
from collections.abc import Sequence

from ..core.design import Design
from ..core.errors import Refused
from ..core.services.heating.proof import Rig, Verdict, judge, read_readings, test_pressure_bar
from ..core.services.heating.sizing import heating_of
from ..core.work.records import Record, joint_states
from ..store import records as records_store


def records_of(conn: sqlite3.Connection, uid: str) -> list[Record]:
    """The records of a job as the core reads them, in the order received."""
    return [
        Record(
            r["uuid"], r["kind"], r["key"], r["label"], r["rev"], r["made_at"], r["by_role"], r["body"], r["corrects"]
        )
        for r in records_store.of_job(conn, uid)
    ]


def state_mark(design: Design) -> str:
    """Changes when a joint or its pipe does: a test speaks of the pipework it was made on."""
    text = "|".join(f"{joint.key} {joint.method} {joint.pipe}" for joint in design.fitted.joints.values())
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def rig_of(design: Design, records: Sequence[Record], resolution_bar: float) -> Rig:
    """What a test of this job is about: pressure, water, the gas that gives, joints and how many are marked dry."""
    states = joint_states(records)
    joints = list(design.fitted.joints)
    dry = sum(states[key].yes("dry") for key in joints if key in states)
    heating = next(iter(heating_of(design)), None)
    if heating is None or heating.vessel is None:
        return Rig(1.5, resolution_bar, 20.0, 1.0, len(joints), dry)
    pressure = test_pressure_bar(heating.vessel.hot_bar, heating.safety_bar)
    vessel = heating.vessel_here_l or heating.vessel.chosen_l
    gas = vessel * (heating.vessel.precharge_bar + 1) / (pressure + 1)
    terms = heating.circuit.terms
    fraction = terms.mass_fraction if terms.medium == "mpg" else 0.0
    return Rig(pressure, resolution_bar, heating.volume_l, gas, len(joints), dry, fraction)


def verdict_of(record: Record) -> Verdict:
    """The verdict on a kept test: from its readings and the rig it was made with."""
    rig = record.body.get("rig")
    try:
        if not isinstance(rig, dict):
            raise Refused("rig", rig, "what the test was about", "")
        return judge(read_readings(str(record.body.get("readings", ""))), Rig(**rig))
    except (TypeError, Refused) as error:
        return Verdict("proves nothing", 0.0, 0.0, (f"the record cannot be read: {error}",), ())


def tests_of(design: Design, records: Sequence[Record]) -> list[tuple[Record, Verdict, bool]]:
    """Tests, the newest first: (record, verdict, whether the pipework is still the same)."""
    mark = state_mark(design)
    found = [record for record in records if record.kind == "test"]
    return [(record, verdict_of(record), record.body.get("state") == mark) for record in reversed(found)]
