"""Options of dnf (dnf.conf(5)) and pacman (pacman.conf(5)) that no plan has."""

from collections.abc import Iterator

from brave_bridge.core.formats.ini_sources import sections
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.manager_settings import PreferredRelease, SettingAgainst

_YES = ("1", "true", "yes", "on")
_DNF = {
    "assumeno": (True, "nothing would be done"),
    "downloadonly": (True, "nothing would be installed"),
    "clean_requirements_on_remove": (True, "more would go than the plan says"),
    "install_weak_deps": (False, "what new packages recommend would not come"),
    "best": (False, "what cannot be upgraded would stay without a word"),
    "protect_running_kernel": (False, "the kernel that runs could go"),
}
"""Of the section [main]: the value that is against a plan, and what would come of it."""

_DNF_SAID = {
    "tsflags": "scripts or files of packages would be left out",
    "protected_packages": "what is listed cannot go",
    "installonly_limit": "older kernels go by it",
}
_PACMAN_SAID = {
    "NoUpgrade": "new versions of these files are set aside",
    "NoExtract": "these files never come",
    "HoldPkg": "it asks before these go",
    "RootDir": "it works on another system",
    "DBPath": "its database is elsewhere",
    "CacheDir": "what it fetches is kept elsewhere",
}
_RELEASE_VARIABLE = "releasever"


def dnf_options(text: str, path: str) -> Iterator[SettingAgainst]:
    """Those of a dnf.conf."""
    for name, value, where in _options(text, path, "main"):
        against, why = _DNF.get(name, (None, ""))
        if against is not None and (value.lower() in _YES) == against:
            yield SettingAgainst(f"{name}={value}", where, why)
        elif name in _DNF_SAID and value:
            yield SettingAgainst(f"{name}={one_line(value, 60)}", where, _DNF_SAID[name])


def pacman_options(text: str, path: str) -> Iterator[SettingAgainst]:
    """Those of a pacman.conf."""
    for name, value, where in _options(text, path, "options"):
        if name in _PACMAN_SAID and value:
            yield SettingAgainst(f"{name} = {one_line(value, 60)}", where, _PACMAN_SAID[name])


def dnf_release(config: str, path: str, variable: str, kept: str) -> PreferredRelease | None:
    """The release that dnf is told to take in place of the one that the system is.

    ``variable`` is the content of the file ``kept`` of its variables (dnf.conf(5), VARIABLES).
    """
    if word := one_line(variable.strip(), 40):
        return PreferredRelease(word, _RELEASE_VARIABLE, kept)
    for name, value, where in _options(config, path, "main"):
        if name == _RELEASE_VARIABLE and value:
            return PreferredRelease(one_line(value, 40), _RELEASE_VARIABLE, where)
    return None


def _options(text: str, path: str, section: str) -> Iterator[tuple[str, str, str]]:
    for line, name, rows in sections(text):
        if name == section:
            for key, value in rows:
                yield key, value, f"{path}:{line}"
