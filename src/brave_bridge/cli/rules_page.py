"""Printing the page that lists the survey's rules: ``python -m brave_bridge.cli.rules_page``."""

from brave_bridge.core.survey.rule_book import rule_book
from brave_bridge.core.survey.rules import all_rules

if __name__ == "__main__":
    print(rule_book(all_rules()), end="")
