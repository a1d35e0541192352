"""The rules of a survey, one small file each: a file that is put here is a rule of the survey."""

from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from brave_bridge.core.survey.findings import GROUPS, Rule


@cache
def all_rules() -> tuple[Rule, ...]:
    """Every rule, by group and then by name. A module's rule is the one named like it."""
    names = sorted(module.name for module in iter_modules(__path__))
    rules = [getattr(import_module(f"{__name__}.{name}"), name) for name in names]
    return tuple(sorted(rules, key=lambda rule: GROUPS.index(rule.group)))
