"""What fresh water is asked for: by the fields the kinds of its stations name."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...network.sized import Demand, demands
from .stations import SPEC

if TYPE_CHECKING:
    from ...layout import Layout


def demand(design: Layout) -> tuple[Demand, ...]:
    """What each station of the job takes."""
    return demands(design.job, SPEC.id)
