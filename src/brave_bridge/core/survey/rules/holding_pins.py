"""Does a pin hold packages at the release that is left?"""

from collections.abc import Iterator

from brave_bridge.core.formats.apt_preferences import Pin
from brave_bridge.core.formats.text import counted
from brave_bridge.core.kernels.series_hold import series_holds
from brave_bridge.core.releases.catalogue import Release
from brave_bridge.core.survey.findings import (
    Situation,
    caution,
    clear,
    not_applicable,
    rule,
    stop,
)

_PREFERRED = 501
"""From here on a version is taken before what sources have by themselves (apt_preferences(5))."""


@rule(
    "holding-pins",
    "sources",
    asks="Does a pin hold packages at the release that is left?",
    means="What is pinned stays at the old release, or is not upgraded as planned; a system of "
    "two releases is left, which nobody has tried.",
    needs="sources",
    overrule=True,
)
def holding_pins(situation: Situation):
    facts, release = situation.facts, situation.release
    if not situation.legs or release is None:
        yield not_applicable("No leg is ahead that a pin could hold up", "catalogue")
        return
    end = situation.legs[0].end
    # What holds a series of kernels is told by a rule of its own.
    kernels = {
        hold.where for hold in series_holds(facts.pins, facts.kernel_packages) if hold.is_ours
    }
    pins = [pin for pin in facts.pins if pin.path not in kernels]
    holding = [pin for pin in pins if _holds(pin, release) or _refuses(pin, end)]
    if not holding:
        yield clear(f"No pin holds packages at {release.title}", facts.where("sources"))
        return
    general = [pin for pin in holding if pin.is_general]
    evidence = "; ".join(_told(pin) for pin in (general + holding)[:5])
    remedy = f"Take the pin out, or let it name {end.title}; what it was for may be over."
    if general:
        yield stop(f"A pin holds every package at {release.title}", evidence, remedy)
    else:
        packages = list(dict.fromkeys(name for pin in holding for name in pin.packages.split()))
        yield caution(
            f"{counted(len(holding), 'pin')} on packages of {release.title}: "
            f"{', '.join(packages[:4])}{' …' if len(packages) > 4 else ''}",
            evidence,
            remedy,
        )


def _holds(pin: Pin, release: Release) -> bool:
    """Whether it prefers what the release that is left has."""
    return pin.priority >= _PREFERRED and (
        pin.is_for_a_version or any(map(pin.names, _names_of(release)))
    )


def _refuses(pin: Pin, end: Release) -> bool:
    """Whether it keeps away what the release ahead has (a priority below zero)."""
    return pin.priority < 0 and any(map(pin.names, _names_of(end)))


def _names_of(release: Release) -> Iterator[str]:
    yield from (release.codename, release.suite, release.version, release.version.split(".")[0])


def _told(pin: Pin) -> str:
    return f"{pin.where}: {pin.packages} pinned to {pin.selects} ({pin.priority})"
