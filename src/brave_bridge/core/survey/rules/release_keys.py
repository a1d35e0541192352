"""Does the machine have the keys of the release ahead?"""

from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop
from brave_bridge.core.versions.deb import version_key


@rule(
    "release-keys",
    "sources",
    asks="Does the machine have the keys of the release ahead?",
    means="What the next release offers could not be checked, so nothing of it would be fetched.",
    needs="packages",
)
def release_keys(situation: Situation):
    wanted = situation.leg.keyring if situation.leg else None
    if wanted is None:
        yield not_applicable("No package of keys is wanted for the leg ahead", "the catalogue")
        return
    where = situation.facts.where("packages")
    have = next((p.version for p in situation.facts.installed if p.name == wanted.package), "")
    if not have or version_key(have) < version_key(wanted.at_least):
        yield stop(
            f"{wanted.package} {have or 'is not installed'}, the leg needs {wanted.at_least}",
            where,
            f"Bring this release up to date: its {wanted.package} has the keys of the next one.",
        )
    else:
        yield clear(f"{wanted.package} {have} has the keys of the next release", where)
