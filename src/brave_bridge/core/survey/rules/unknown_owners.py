"""Are all owners known that files of packages are to belong to?"""

from brave_bridge.core.survey.findings import Situation, clear, rule, stop


@rule(
    "unknown-owners",
    "packages",
    asks="Is everybody known whom files of packages are to belong to?",
    means="The package manager ends at the first package that it would change.",
    needs="packages",
    overrule=True,
    half_way=True,
)
def unknown_owners(situation: Situation):
    unknown = situation.facts.unknown_owners
    if not unknown:
        yield clear("Every owner of packages' files is known", situation.facts.where("packages"))
        return
    yield stop(
        "Files of packages are to belong to somebody who is not here",
        "; ".join(unknown[:4]),
        "Let go of that owner, or make the account again.",
    )
