"""A small job to show tools with that ask for one: a shower upstairs and a sink."""

from __future__ import annotations

import json
from importlib import resources
from typing import Any


def example_job() -> dict[str, Any]:
    """The document, as it is read."""
    text = resources.files("oikotherm.core.services.water").joinpath("data", "example_job.json").read_text("utf-8")
    found: dict[str, Any] = json.loads(text)
    return found
