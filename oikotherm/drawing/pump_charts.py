"""The chosen circulator of a circuit against the circuit."""

from __future__ import annotations

from ..core.services.heating.pumps import PumpDuty
from ..core.services.heating.sized import Heating
from ..core.services.heating.valves import choose_pump, circulators
from .charts import pump_chart


def pump_drawing(heating: Heating, which: int = 0) -> str:
    """The chosen circulator's speeds (or the pump's own curve) against the circuit, whose head grows as the square of
    its flow about the duty; as SVG."""
    duty = heating.pumps[which]
    if duty.curve is not None:
        return _own_curve(heating, duty)
    chosen = choose_pump(duty.flow_kg_s, duty.head_pa, heating.medium)
    circulator = chosen.circulator if chosen else circulators()[-1]
    per = 3.6e6 / heating.medium.density_kg_m3
    curves = []
    for speed in circulator.speeds:
        curve = circulator.curve(heating.medium, speed=speed)
        end = speed * circulator.flow_m3_h * heating.medium.density_kg_m3 / 3600
        flows = [end * n / 24 for n in range(25)]
        curves.append(
            (
                f"{circulator.name}, {speed:.0%}" if speed == circulator.speeds[-1] else f"{speed:.0%}",
                [(m * per, curve.head_pa(m)[0] / 1000) for m in flows],
            )
        )
    return _chart(curves, duty, per)


def _chart(curves: list[tuple[str, list[tuple[float, float]]]], duty: PumpDuty, per: float) -> str:
    top = max(head for _, curve in curves for _, head in curve)
    reach = (top * 1000 / max(duty.head_pa, 1.0)) ** 0.5
    system = [(duty.flow_kg_s * per * reach * n / 24, duty.head_pa / 1000 * (reach * n / 24) ** 2) for n in range(25)]
    return pump_chart(curves, system, (duty.flow_kg_s * per, duty.head_pa / 1000))


def _own_curve(heating: Heating, duty: PumpDuty) -> str:
    """A pump's own curve, from rest to no head."""
    assert duty.curve is not None
    end = (duty.curve.h0_pa / duty.curve.a_pa_s2_kg2) ** 0.5
    per = 3.6e6 / heating.medium.density_kg_m3
    points = [(end * n / 24 * per, duty.curve.head_pa(end * n / 24)[0] / 1000) for n in range(25)]
    return _chart([("by its label", points)], duty, per)
