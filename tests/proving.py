"""Tests that pass, for the tests of what follows from them."""

import datetime
import uuid
from dataclasses import asdict

from oikotherm.core.quantity import convert
from oikotherm.core.work.records import Record

START = datetime.datetime(2026, 3, 1, 10, 0)


def readings(rule, *, lost_pa=0.0, temp_c=18.0):
    """Readings as they are typed, a line a minute over settling and hold, the pressure falling evenly by what is
    lost."""
    unit = rule.unit
    minutes = int(rule.settle_min + rule.hold_min) + 1
    lines = []
    for minute in range(minutes):
        pressure, _ = convert(f"{rule.target_pa * 1.002 - lost_pa * minute / minutes:.8g} Pa", unit)
        at = START + datetime.timedelta(minutes=minute)
        lines.append(f"{at.isoformat(timespec='minutes')}, {pressure:.6f}, {temp_c}")
    return "\n".join(lines)


def passed(proof, design, **body_more):
    """The record of a test of a section that passes, made on the design as it is."""
    section, rule, kind = proof.section, proof.rule, proof.kind
    dry = len(section.joints) if rule.phase == "liquid" and kind.looked_dry else 0
    gauge = {"name": "a good one", "resolution_pa": rule.coarsest_pa / 2, "range_pa": 3 * rule.target_pa}
    body = {
        "section": section.key,
        "spec": kind.id,
        "joints": dict(section.joints),
        "unit": rule.unit,
        "target_pa": rule.target_pa,
        "readings": readings(rule),
        "asked": asdict(rule),
        "looked": {"joints": dry, "dry": dry},
        "gauge": {**gauge, "kind": "electronic"},
        "no_supply": True,
        **body_more,
    }
    return Record(str(uuid.uuid4()), "test", kind.id, kind.title, 1, "2026-03-01T10:00:00Z", "site lead", body)
