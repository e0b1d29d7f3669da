"""The network file of a job: every service's networks with their solution, as JSON."""

from __future__ import annotations

import json

from ..core.design import Design
from ..core.network.file import network_file
from ..core.services.rooms import rooms


def network_json(design: Design) -> str:
    """The file as text; a job with nothing to solve gives one without networks."""
    networks = [one for room in rooms().values() if room.networks is not None for one in room.networks(design)]
    return json.dumps(network_file(networks), ensure_ascii=False, indent=1) + "\n"
