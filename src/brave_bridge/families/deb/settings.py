"""apt's settings (apt.conf(5)) as far as they are against what a leg does."""

import re
from collections.abc import Iterable, Iterator, Mapping

from brave_bridge.core.formats.apt_conf import Setting
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.manager_settings import (
    PreferredRelease,
    SettingAgainst,
    SettingNaming,
)

FILES = ("/etc/apt/apt.conf.d/*", "/etc/apt/apt.conf")
"""In the order in which apt reads them."""

_PREFERRED = "APT::Default-Release"
_AGAINST = {
    "APT::Get::Simulate": (True, "nothing would be done"),
    "APT::Get::Download-Only": (True, "nothing would be installed"),
    "APT::Get::Trivial-Only": (True, "nothing would be installed"),
    "APT::Get::Only-Upgrade": (True, "what is new would not come"),
    "APT::Get::AutomaticRemove": (True, "more would go than the plan says"),
    "APT::Get::Purge": (True, "the settings of what goes would go with it"),
    "APT::Get::Remove": (False, "what has to go would stay"),
    "APT::Get::Upgrade": (False, "what has to be upgraded would stay"),
    "APT::Install-Suggests": (True, "more would come than the plan says"),
}
"""The value that is against a plan, and what would come of it."""

ALL_FILES = (*FILES, "/etc/cron-apt/*", "/etc/apticron/*", "/etc/apt/listchanges*")
"""With the settings of what works for apt by itself: unattended upgrades and their like."""

_COMMENT = re.compile(r"^\s*(?://|#)[^\n]*|/\*.*?\*/|\s//\s[^\n]*", re.MULTILINE | re.DOTALL)
_SHOWN = 100

_NO = ("false", "no", "off", "disable", "without", "0")
_YES = ("true", "yes", "on", "enable", "with", "1")


def as_planned() -> tuple[str, ...]:
    """The words of a command that give each of these the value that a plan has."""
    return tuple(
        word
        for name, (against, _) in _AGAINST.items()
        for word in ("-o", f"{name}={'false' if against else 'true'}")
    )


def takes_recommended(settings: Mapping[str, str]) -> bool:
    """Whether what packages recommend comes with them: so it is where nobody has said otherwise."""
    return settings.get("apt::install-recommends", "").lower() not in _NO


def settings_naming(release: str, files: Iterable[tuple[str, str]]) -> Iterator[SettingNaming]:
    """The lines of files (path and text) that name a release; comments do not count."""
    if not release:
        return
    named = re.compile(rf"(?<![\w.]){re.escape(release)}(?![\w.])")
    for path, text in files:
        # What a comment leaves behind are its line ends: lines are counted with them.
        bare = _COMMENT.sub(lambda found: "\n" * found[0].count("\n"), text)
        for number, line in enumerate(bare.splitlines(), start=1):
            if named.search(line) and _PREFERRED.lower() not in line.lower():
                yield SettingNaming(one_line(line.strip(), _SHOWN), f"{path}:{number}")


def settings_against(settings: Iterable[Setting]) -> Iterator[SettingAgainst]:
    """Those of a machine that no plan has."""
    known = {setting.name: setting for setting in settings}
    for name, (against, why) in _AGAINST.items():
        setting = known.get(name.lower())
        if setting is not None and (setting.value.lower() in _YES) == against:
            yield SettingAgainst(name, setting.where, why)


def preferred_release(settings: Iterable[Setting]) -> PreferredRelease | None:
    """The release that apt is told to prefer."""
    for setting in settings:
        if setting.name == _PREFERRED.lower() and setting.value:
            return PreferredRelease(one_line(setting.value, 40), _PREFERRED, setting.where)
    return None
