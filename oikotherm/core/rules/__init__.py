"""Rules: one small function per finding."""

from . import circuit, ends, fit, guard, service, space, work  # noqa: F401 - registers the rules
from .registry import ORDER, RULES, Finding, Remedy, Rule, find

__all__ = ["ORDER", "RULES", "Finding", "Remedy", "Rule", "find"]
