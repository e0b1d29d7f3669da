"""The rules of heating are kept here."""

from ....rules.registry import RuleBook

rule = RuleBook("heating")
