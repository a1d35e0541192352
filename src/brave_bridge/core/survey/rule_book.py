"""The rules as a page of documentation: what each asks, why, and whether it may be overruled."""

from collections.abc import Iterable

from brave_bridge.core.survey.findings import GROUPS, Rule

_HEAD = """# Rules of the survey

A survey judges these points. Each is one file in `core/survey/rules/`; this page is made
from them (`make rules`). A finding is ● clear, ▲ caution, ■ stop or ○ not applicable. A stop
keeps a leg from beginning; where the last column says so, a person may let it stand with a
reason that is kept (`brave-bridge overrule RULE --reason …`, or `v` in the Survey workspace).
"""


def rule_book(rules: Iterable[Rule]) -> str:
    """The page in Markdown, the rules by group."""
    known = list(rules)
    parts = [_HEAD]
    for group in GROUPS:
        parts.append(f"\n## {group.capitalize()}\n")
        parts.append("| rule | asks | why it matters | may be overruled |\n|---|---|---|---|")
        parts += [_row(rule) for rule in known if rule.group == group]
    return "\n".join(parts) + "\n"


def _row(rule: Rule) -> str:
    overrule = "with a reason" if rule.can_be_overruled else "no"
    return f"| `{rule.id}` | {rule.asks} | {rule.means} | {overrule} |"
