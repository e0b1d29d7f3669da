"""Tests that pass, for the tests of what follows from them."""

import datetime
import uuid

from oikotherm.core.quantity import PA_PER_BAR, convert
from oikotherm.core.work.records import Record
from oikotherm.core.work.sections import made_as, rig_of

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


def passed(proof, design):
    """The record of a test of a section that passes, made on the design as it is."""
    section, rule, kind = proof.section, proof.rule, proof.kind
    rig = rig_of(section, kind, rule, rule.coarsest_pa / 2, rule.most_range_pa, section.joints)
    body = {
        "section": section.key,
        "spec": kind.id,
        "joints": {
            key: made_as(design.fitted.joints[key].method, design.fitted.joints[key].pipe) for key in section.joints
        },
        "unit": rule.unit,
        "readings": readings(rule),
        "rig": {name: getattr(rig, name) for name in rig.__slots__},
        "gauge": {"name": "a good one", "resolution_pa": rule.coarsest_pa / 2, "range_pa": 10 * PA_PER_BAR},
    }
    return Record(str(uuid.uuid4()), "test", kind.id, kind.title, 1, "2026-03-01T10:00:00Z", "site lead", body)
