"""Which joints are made in one heat: all soldered or brazed sockets of one fitting, whichever runs meet there."""

from __future__ import annotations

from dataclasses import dataclass

from ..catalogue import Catalogue
from ..joints.fitted import Fitted, Fitting


@dataclass(frozen=True, slots=True)
class Heat:
    """Two and more joints of a fitting made in one heat. joints: their keys, in the order of the pipework; runs: whose
    they are, the last paced last: with its pipe they are made."""

    fitting_key: str
    title: str
    joints: tuple[str, ...]
    runs: tuple[str, ...]


def heats(fitted: Fitted, catalogue: Catalogue) -> tuple[Heat, ...]:
    """The heats of the new pipework. Source: both sockets of a fitting in one heat (rule of the trade)."""
    flame = {method for method, row in catalogue.methods.items() if row.flame}
    by_fitting: dict[str, list[str]] = {}
    for joint in fitted.joints.values():
        if joint.method in flame and _one_body(fitted.fittings[joint.fitting_key]):
            by_fitting.setdefault(joint.fitting_key, []).append(joint.key)
    order = {run: number for number, run in enumerate(fitted.pipework.by_run)}
    found = []
    for key, joints in by_fitting.items():
        if len(joints) > 1:
            runs = sorted({fitted.joints[joint].run for joint in joints}, key=lambda run: order.get(run, 0))
            found.append(Heat(key, fitted.fittings[key].title, tuple(joints), tuple(runs)))
    return tuple(found)


def _one_body(fitting: Fitting) -> bool:
    """Whether the joints of a fitting are sockets of one body, not of several parts in a row."""
    return fitting.kind not in ("port", "kit") and all(len(chain.links) == 1 for _, chain in fitting.chains)
