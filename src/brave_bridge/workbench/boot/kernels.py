"""The kernels of a machine: each as it stands, what comes, and adding, removing, holding them."""

from collections.abc import Iterator, Sequence

import msgspec

from brave_bridge.bootloaders.trials import entry_of, way_of
from brave_bridge.core.boot.firmware_text import FOR_ALL, firmware_settings
from brave_bridge.core.crossing.kernels.change_kernels import KernelChange
from brave_bridge.core.kernels.keeping import (
    image_of,
    newest_first,
    old_kernels,
    packages_of,
    why_it_must_stay,
)
from brave_bridge.core.kernels.kernel_package import HEADERS, flavour_of, series_of
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.registry import family_named
from brave_bridge.runner.briefs import KernelsBrief
from brave_bridge.workbench.beginning import begin
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.lines import line_for, release_of
from brave_bridge.workbench.refusal import Refused


class KernelSeen(msgspec.Struct, frozen=True):
    """A kernel as it stands. Sizes in bytes; ``entry`` is the title of what starts it.

    ``package`` has its image; empty where none has, or where no database tells
    (``whose_is_known``). ``series_ends`` is the ISO day of the last fixes by the kernel's own
    maintainers; ``unbuilt`` are modules from outside that were not rebuilt for it; ``stays`` is
    why it must not be taken away, empty where it may; ``is_old``: it goes by rule. ``flavour`` is
    what stands behind the numbers; ``signed``: see Kernel.
    """

    version: str
    path: str
    size_bytes: int
    running: bool
    entry: str
    next: bool
    series: str = ""
    series_ends: str = ""
    package: str = ""
    by_hand: bool | None = None
    whose_is_known: bool = True
    has_headers: bool = False
    boot_bytes: int = 0
    package_bytes: int = 0
    unbuilt: tuple[str, ...] = ()
    stays: str = ""
    is_old: bool = False
    flavour: str = ""
    signed: bool | None = None


def kernels_of(
    facts: Facts, coming_next: str, spared: Sequence[str] = ()
) -> tuple[KernelSeen, ...]:
    """The kernels, newest first. ``spared`` are those that ways back were taken with."""
    old = set(old_kernels(facts, spared=spared))
    line = line_for(facts)
    return tuple(_seen(facts, kernel, coming_next, line, old) for kernel in newest_first(facts))


def _seen(facts: Facts, kernel, coming_next: str, line, old: set[str]) -> KernelSeen:
    entry = entry_of(facts.loader, kernel.version)
    image = image_of(facts, kernel.version)
    packages = packages_of(facts, kernel.version)
    series = series_of(kernel.version)
    ends = line.kernel_ends(series) if line else None
    return KernelSeen(
        version=kernel.version,
        path=kernel.path,
        size_bytes=kernel.size_bytes,
        running=kernel.running,
        entry=entry.title if entry else "",
        next=kernel.version == coming_next,
        series=series,
        series_ends=ends.isoformat() if ends else "",
        package=image.name if image else "",
        by_hand=image.by_hand if image else None,
        whose_is_known=bool(facts.packages),
        has_headers=any(package.part == HEADERS for package in packages),
        boot_bytes=kernel.boot_bytes,
        package_bytes=sum(package.size_bytes for package in packages),
        unbuilt=tuple(
            module.name
            for module in facts.hardware.modules
            if module.origin == "dkms" and kernel.version not in module.built_for
        ),
        stays=why_it_must_stay(facts, kernel.version),
        is_old=kernel.version in old,
        flavour=flavour_of(kernel.version),
        signed=kernel.signed,
    )


class BoardSetting(msgspec.Struct, frozen=True):
    """A setting of a board's firmware; ``by_hand`` is None where nobody knows how it came."""

    path: str
    words: str
    by_hand: bool | None


def board_settings(facts: Facts) -> Iterator[BoardSetting]:
    """The settings in the files that a board's firmware reads."""
    for file in facts.board:
        shipped = set(_settings_in(file.path, file.shipped))
        for words in _settings_in(file.path, file.text):
            yield BoardSetting(file.path, words, words not in shipped if shipped else None)


def _settings_in(path: str, text: str) -> Iterator[str]:
    if path.endswith("/cmdline.txt"):
        yield from text.split()
        return
    for setting in firmware_settings(text):
        section = f"[{setting.section}] " if setting.section != FOR_ALL else ""
        yield f"{section}{setting.key}={setting.value}"


class KernelWanted(msgspec.Struct, frozen=True):
    """A device without a driver, and the first release ahead whose kernel has one."""

    device: str
    modalias: str
    what: str
    series: str
    release: str


def kernels_wanted(facts: Facts) -> Iterator[KernelWanted]:
    """The devices that wait for the kernel of a release ahead."""
    line = line_for(facts)
    here = release_of(facts.identity, line)
    for device in facts.hardware.devices:
        found = line.first_to_drive(device.modalias, here) if line and not device.driver else None
        if found:
            release, what = found
            yield KernelWanted(device.path, device.modalias, what, release.kernel, release.title)


def kernels_to_remove(desk: Desk, wanted: Sequence[str], *, old: bool) -> tuple[str, ...]:
    """The kernels that go: those wanted, or all that go by rule. Refused where one must stay."""
    facts = desk.facts()
    if old:
        wanted = tuple(old_kernels(facts, spared=kernels_of_ways_back(desk)))
    if not wanted:
        raise Refused("removing kernels", "none is old: what is there runs, boots next or is spare")
    known = {kernel.version for kernel in facts.kernels}
    for kernel in wanted:
        attempted = f"removing kernel {kernel}"
        if kernel not in known:
            raise Refused(attempted, f"it is not installed; there are: {', '.join(sorted(known))}")
        others = [other for other in wanted if other != kernel]
        if why := why_it_must_stay(facts, kernel, beside=others):
            raise Refused(attempted, why)
    return tuple(wanted)


def kernels_of_ways_back(desk: Desk) -> tuple[str, ...]:
    """The kernels that ran when a way back was taken that is still kept."""
    if not desk.reads_records:
        return ()
    return tuple(dict.fromkeys(kept.snapshot.kernel for kept in desk.snapshots.listed()))


def begin_removal(desk: Desk, kernels: Sequence[str]) -> str:
    """Begin to take kernels away; the procedure's id."""
    return _begin(desk, KernelChange(remove=tuple(kernels)))


def begin_adding(
    desk: Desk, packages: tuple[tuple[str, str], ...], branch: str = "", *, try_it: bool = False
) -> str:
    """Begin to add a kernel's packages; the procedure's id. ``branch``: see KernelChange.

    ``try_it``: it is tried at the next boot; Refused where nothing would bring the machine back.
    """
    facts = desk.facts()
    way = way_of(facts)
    if try_it and (way.refusal or not facts.runs):
        why = way.refusal or "the system is mounted and does not run"
        raise Refused("trying a kernel", why, "; ".join(way.instead))
    return _begin(desk, KernelChange(add=packages, branch=branch), try_it=try_it)


def _begin(desk: Desk, change: KernelChange, *, try_it: bool = False) -> str:
    desk.must_have_no_open_leg("changing kernels")
    family = desk.facts().family
    if family_named(family).commands is None:
        raise Refused("changing kernels", f"no command of {family or 'its family'} is known")
    brief = KernelsBrief(family, change, try_it)
    return begin(desk, "kernels", change.words, brief, False)
