"""Rules of heating: what a closed circuit must have, and must not do."""

from . import circuit, guard, joined, vessels, water  # noqa: F401 - keeps the rules
from .book import rule

RULES = tuple(rule.rules.values())
