"""Kernels as lines of text."""

from collections.abc import Iterable, Iterator

from brave_bridge.core.formats.text import byte_size, plain
from brave_bridge.core.survey.platform import FirmwareOption
from brave_bridge.workbench.boot.booting import BootSeen
from brave_bridge.workbench.boot.kernel_building import Configuration
from brave_bridge.workbench.boot.kernel_series import KernelComing
from brave_bridge.workbench.boot.kernels import KernelSeen
from brave_bridge.workbench.boot.offered_kernels import OfferedKernel


def kernels_text(seen: BootSeen) -> list[str]:
    """The kernels, what holds and what comes, what boots next and why."""
    lines = [line for kernel in seen.kernels for line in _kernel(kernel)]
    lines = lines or ["no kernel is installed here: a container, or /boot is not mounted"]
    lines += [
        f"▪ held at {hold.series}: {', '.join(hold.packages)}, by {hold.where}"
        for hold in seen.holds
    ]
    lines += map(_coming, seen.coming)
    lines += [
        f"▲ {one.what} waits for kernel {one.series}: {one.release} brings it"
        for one in seen.wanted
    ]
    if seen.options:
        lines += ["", "what the firmware can start"]
        lines += [
            f"  {'◉' if one.current else '●'} {one.name} {one.title}  {one.file}  {state_of(one)}"
            for one in seen.options
        ]
    if seen.board:
        lines += ["", "what the board's firmware reads"]
        by_hand = {True: "by hand", False: "as shipped", None: ""}
        lines += [f"  {one.words}  {one.path}  {by_hand[one.by_hand]}" for one in seen.board]
    lines += ["", "what boots next"]
    for link in seen.chain:
        mark = "■" if link.fault else "│"
        told = ", ".join(filter(None, (link.because, link.fault)))
        lines.append(f"  {mark} {link.name}: {link.value}{f' ({told})' if told else ''}")
    lines += [f"■ {words}" for words in seen.faults]
    if seen.once.refusal:
        lines += ["", f"nothing can be tried once: {seen.once.refusal}"]
        lines += [f"  instead: {words}" for words in seen.once.instead]
    return [plain(line).rstrip() for line in lines]


def state_of(option: FirmwareOption) -> str:
    """Whether the firmware tries it, and when."""
    told = ["started this boot"] if option.current else []
    told += ["next, once"] if option.next else []
    told += [f"{option.place}. in its order" if option.place else "not tried by itself"]
    return ", ".join(told)


_HOW = {True: ", by hand", False: ", by dependency", None: ""}


def nobodys(kernel: KernelSeen) -> str:
    """What is to be said of a kernel that no package is known to have."""
    return "of no package" if kernel.whose_is_known else "whose it is is not known"


def _kernel(kernel: KernelSeen) -> Iterator[str]:
    marks = ("runs" if kernel.running else "", "boots next" if kernel.next else "")
    told = ", ".join(filter(None, (*marks, "goes by rule" if kernel.is_old else "")))
    size = byte_size(kernel.boot_bytes or kernel.size_bytes)
    entry = kernel.entry or "no entry starts it"
    yield f"{'◉' if kernel.running else '●'} {kernel.version}  {size}  {entry}  {told}"
    for name in kernel.unbuilt:
        yield f"    ▲ {name} is not built for it"
    whose = f"{kernel.package}{_HOW[kernel.by_hand]}"
    ends = f"; series {kernel.series} gets fixes until {kernel.series_ends}"
    signed = {True: "; signed", False: "; not signed", None: ""}[kernel.signed]
    whose = whose if kernel.package else nobodys(kernel)
    yield f"    {whose}{signed}{ends if kernel.series_ends else ''}"


def _coming(coming: KernelComing) -> str:
    of = f"{coming.package} {coming.version} ({coming.suite})"
    return f"○ {coming.series} by {of}: {coming.state}"


def offered_text(offered: Iterable[OfferedKernel]) -> list[str]:
    """The kernels that the sources have, a line for each."""
    lines = []
    for one in offered:
        mark = "●" if one.is_here else "○"
        size = byte_size(one.download_bytes)
        lines.append(f"{mark} {one.kernel}  {one.package} {one.version}  {size} to fetch")
    return [plain(line) for line in lines] or ["no source has a kernel"]


def configuration_text(found: Configuration) -> list[str]:
    """What a configuration changes, group by group, and what it must have."""
    lines = [f"{found.tree} against {found.against}: about {found.objects} objects to build"]
    menu: tuple[str, ...] | None = None
    for change in found.changes:
        if change.menu != menu:
            menu = change.menu
            lines += ["", " > ".join(menu) or "outside every menu"]
        was = f"{change.old or 'not there'} → {change.new or 'not there'}"
        lines.append(f"  {_MARKS[change.kind]} {change.name}  {was}  {change.prompt}")
        lines += [f"      {line}" for line in change.help.splitlines()[:3] if line.strip()]
    if not found.changes:
        lines.append("● nothing that anybody is asked about changes")
    lines += ["", f"{len(found.protected)} options that it must have"]
    lines += [f"  ■ {one.words}" for one in found.unmet] or ["  ● it has all of them"]
    return [plain(line) for line in lines]


_MARKS = {"new": "+", "dropped": "-", "changed": "~"}
