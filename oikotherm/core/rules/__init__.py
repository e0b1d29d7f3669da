"""Rules of every service: one small function per finding. Those of one service are in its room."""

from . import ends, fit, service, space, walls, work  # noqa: F401 - keeps the rules
from .registry import ORDER, Finding, Remedy, Rule, RuleBook, Said, View, find, rule

COMMON = tuple(rule.rules.values())

__all__ = ["COMMON", "ORDER", "Finding", "Remedy", "Rule", "RuleBook", "Said", "View", "find"]
