"""The Kernels page: what could boot, what boots next and why, and trying another one once."""

from collections.abc import Iterator

from brave_bridge.core.boot.chain import CHOICE, FIRMWARE, KERNEL, LOADER, ROOT, Link
from brave_bridge.core.boot.trial_way import TrialWay
from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.workbench.booting import BootSeen, KernelSeen, boot_seen
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, heading, said, title
from brave_bridge.workbench.pictures.boot import boot_picture, key_of
from brave_bridge.workbench.record import MachineRecord

COLUMNS = (
    Column("", 2),
    Column("kernel", 22),
    Column("size", 9, right=True),
    Column("boot entry or word", 34),
    Column("state"),
)
BOOT_ONCE = "boot-once"
_NONE = "There is no kernel image in /boot: a container, or its boot partition is not mounted."


def kernels_page(record: MachineRecord) -> Page:
    """The kernels, the chain from the firmware to the root, and what does not fit together."""
    facts = record.surveyed.facts if record.surveyed else None
    if facts is None:
        return Page("", COLUMNS, (), "The machine was not surveyed yet: 2, then s.")
    seen = boot_seen(facts)
    if not seen.kernels and not facts.loader.entries:
        return Page("no kernel in /boot", COLUMNS, (), _NONE)
    rows = (*_kernels(seen), *_chain(seen))
    words = f"{counted(len(seen.kernels), 'kernel')} in /boot"
    broken = f" · {counted(len(seen.faults), 'fault')} in the boot menu" if seen.faults else ""
    picture = boot_picture(seen.chain, bool(facts.loader.once))
    return Page(words + broken, COLUMNS, rows, _NONE, picture=picture)


def _kernels(seen: BootSeen) -> Iterator[Row]:
    yield heading("kernels", len(COLUMNS))
    for kernel in seen.kernels:
        state = ", ".join(_states(kernel))
        can_be_tried = bool(kernel.entry) and not kernel.running
        yield Row(
            key=kernel.version,
            cells=(
                "◉" if kernel.running else "●",
                plain(kernel.version),
                byte_size(kernel.size_bytes),
                plain(kernel.entry) or "–",
                state,
            ),
            tone="plain" if kernel.entry else "caution",
            why=_why_kernel(kernel, seen.once),
            action=BOOT_ONCE if can_be_tried else "",
        )


def _states(kernel: KernelSeen) -> Iterator[str]:
    if kernel.running:
        yield "runs"
    if kernel.next:
        yield "boots next"
    if not kernel.entry:
        yield "no entry starts it"


def _why_kernel(kernel: KernelSeen, once: TrialWay) -> tuple[Note, ...]:
    notes = [title(f"Kernel {plain(kernel.version)}"), Note("seen", plain(kernel.path))]
    if kernel.running:
        return (*notes, *said("It runs now."))
    if not kernel.entry:
        return (*notes, *said("No entry of the boot menu starts it."))
    if once.refusal:
        return (
            *notes,
            *said(f"It cannot be tried once: {once.refusal}."),
            *(Note("do", words) for words in once.instead),
        )
    return (
        *notes,
        *said("Enter has it tried at the next boot alone.", once.fails, once.hangs),
        Note("code", f"brave-bridge boot-once {plain(kernel.version)}"),
    )


def _chain(seen: BootSeen) -> Iterator[Row]:
    yield heading("what boots next, and by whose word", len(COLUMNS))
    for link in seen.chain:
        told = ", ".join(filter(None, (link.because, link.fault)))
        yield Row(
            key=key_of(link),
            cells=("■" if link.fault else "│", link.name, "", plain(link.value), plain(told)),
            tone="stop" if link.fault else "plain",
            why=_why_link(link, seen.faults),
        )


_MEANS = {
    FIRMWARE: "What the machine starts with when power comes: it looks for a boot loader.",
    LOADER: "It shows the boot menu, and starts what was chosen there or by a word of its own.",
    CHOICE: "What the loader starts when nobody is at the console.",
    KERNEL: "The image that the entry names. It brings the machine up to its root.",
    ROOT: "Where the kernel looks for the system itself.",
}


def _why_link(link: Link, faults: tuple[str, ...]) -> tuple[Note, ...]:
    notes = [title(f"{link.name}: {plain(link.value)}")]
    notes += said(_MEANS[link.name])
    if link.because:
        notes.append(Note("seen", plain(link.because)))
    if link.fault:
        notes += [Note("text", plain(words)) for words in faults or (link.fault,)]
        notes.append(Note("do", "The survey has what mends it: 2, boot-entries."))
    return tuple(notes)
