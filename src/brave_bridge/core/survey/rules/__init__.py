"""The rules of a survey, one small file each, in the order in which they are read."""

from brave_bridge.core.survey.findings import Rule
from brave_bridge.core.survey.rules import (
    broken_packages,
    changed_configs,
    free_space,
    held_packages,
    known_release,
    moving_alias,
    newest_way_back,
    set_aside_files,
    support_window,
    third_party_sources,
    unsigned_sources,
)

RULES: tuple[Rule, ...] = (
    known_release.RULE,
    support_window.RULE,
    broken_packages.RULE,
    held_packages.RULE,
    moving_alias.RULE,
    unsigned_sources.RULE,
    third_party_sources.RULE,
    changed_configs.RULE,
    set_aside_files.RULE,
    free_space.RULE,
    newest_way_back.RULE,
)
