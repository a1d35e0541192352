"""The Kernels page: what could boot, what boots next and why, and trying another one once."""

from collections.abc import Iterator

from brave_bridge.core.boot.chain import CHOICE, FIRMWARE, KERNEL, LOADER, ROOT, Link
from brave_bridge.core.boot.trial_way import TrialWay
from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.workbench.boot.booting import BootSeen, KernelSeen, boot_seen
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, heading, said, title
from brave_bridge.workbench.pictures.boot import boot_picture, key_of
from brave_bridge.workbench.record import MachineRecord

COLUMNS = (
    Column("", 2),
    Column("kernel", 22),
    Column("in /boot", 9, right=True),
    Column("package, entry or word", 34),
    Column("state"),
)
BOOT_ONCE = "boot-once"
START_OTHER = "start-other"
_NONE = "There is no kernel image in /boot: a container, or its boot partition is not mounted."


def kernels_page(record: MachineRecord) -> Page:
    """The kernels, the chain from the firmware to the root, and what does not fit together."""
    facts = record.surveyed.facts if record.surveyed else None
    if facts is None:
        return Page("", COLUMNS, (), "The machine was not surveyed yet: 2, then s.")
    seen = boot_seen(facts, _of_ways_back(record))
    if not seen.kernels and not facts.loader.entries:
        return Page("no kernel in /boot", COLUMNS, (), _NONE)
    rows = (*_kernels(seen), *_followed(seen), *_chain(seen), *_firmware(seen), *_board(seen))
    words = f"{counted(len(seen.kernels), 'kernel')} in /boot"
    broken = f" · {counted(len(seen.faults), 'fault')} in the boot menu" if seen.faults else ""
    picture = boot_picture(seen.chain, bool(facts.loader.once))
    return Page(words + broken, COLUMNS, rows, _NONE, picture=picture)


def _of_ways_back(record: MachineRecord) -> tuple[str, ...]:
    """The kernels that ways back were taken with."""
    return tuple(dict.fromkeys(way.kept.snapshot.kernel for way in record.ways_back))


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
                byte_size(kernel.boot_bytes or kernel.size_bytes),
                plain(kernel.package) or ("of no package" if kernel.whose_is_known else "–"),
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
    if kernel.unbuilt:
        yield f"{counted(len(kernel.unbuilt), 'module')} not built"
    if kernel.is_old:
        yield "goes by rule"


def _why_kernel(kernel: KernelSeen, once: TrialWay) -> tuple[Note, ...]:
    notes = [title(f"Kernel {plain(kernel.version)}"), Note("seen", plain(kernel.path))]
    notes += said(*_about(kernel))
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


_HOW = {
    True: "; somebody asked for it",
    False: "; it came with what follows its series",
    None: "",
}


def _about(kernel: KernelSeen) -> Iterator[str]:
    """Whose it is, how long it gets fixes, and why it stays."""
    if kernel.entry:
        yield f"Started by the entry {plain(kernel.entry)}."
    if kernel.package:
        size = (
            f", {byte_size(kernel.package_bytes)} with its modules" if kernel.package_bytes else ""
        )
        yield f"From {plain(kernel.package)}{size}{_HOW[kernel.by_hand]}."
    elif kernel.whose_is_known:
        yield "No package has it: it was put there by hand, and goes by hand."
    if kernel.signed is not None:
        flavour = f"Flavour {plain(kernel.flavour)}; " if kernel.flavour else ""
        yield f"{flavour}{'signed' if kernel.signed else 'not signed'} for a secure start."
    if kernel.series_ends:
        yield f"Its maintainers fix series {kernel.series} until {kernel.series_ends}."
    if kernel.unbuilt:
        names = ", ".join(kernel.unbuilt)
        yield f"Not built for it: {plain(names)}. What they drive does not work with it."
    if kernel.stays:
        yield f"It cannot be taken away: {plain(kernel.stays)}."
    else:
        yield "d takes it away."


def _followed(seen: BootSeen) -> Iterator[Row]:
    """The series that are held, and the kernels that would come."""
    if seen.holds or seen.coming or seen.wanted:
        yield heading("what follows", len(COLUMNS))
    for hold in seen.holds:
        by = ", ".join(hold.packages)
        words = "h lets it go." if hold.is_ours else f"It goes by hand, in {plain(hold.where)}."
        notes = (
            title(f"Held at kernels {plain(hold.series)}"),
            Note("seen", plain(f"{hold.where}: {by}")),
            *said("Newer kernels of this series come, other series do not.", words),
        )
        cells = ("▪", f"held at {plain(hold.series)}", "", plain(by), plain(hold.where))
        yield Row(key=f"hold {hold.series}", cells=cells, why=notes)
    for one in seen.coming:
        notes = (
            title(f"{plain(one.package)} {plain(one.version)}"),
            Note("seen", plain(one.suite)),
            *said(_COMES[one.state]),
        )
        cells = ("○", plain(one.series), "", plain(f"{one.package} {one.version}"), one.state)
        yield Row(key=f"{one.package} {one.suite}", cells=cells, tone="quiet", why=notes)

    for wanted in seen.wanted:
        notes = (
            title(f"A device waits for kernel {plain(wanted.series)}"),
            Note("seen", plain(f"{wanted.device} {wanted.modalias}")),
            *said(
                f"{wanted.what} has no driver here. {wanted.release} brings one.",
                "3 shows the way there. hold keeps such a kernel away.",
            ),
        )
        cells = ("▲", plain(wanted.series), "", plain(wanted.what), f"with {plain(wanted.release)}")
        yield Row(key=f"waits {wanted.device}", cells=cells, tone="caution", why=notes)


_COMES = {
    "held back": "The hold keeps it away; h at a kernel of the held series lets it go.",
    "on request": "Its source gives only what is asked for: a adds one kernel alone.",
    "comes": "The next updates bring it. h holds the series, a adds it alone now.",
}


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


def _firmware(seen: BootSeen) -> Iterator[Row]:
    """What the firmware can start; Enter has it started at the next boot alone."""
    if seen.options:
        yield heading("what the firmware can start", len(COLUMNS))
    for one in seen.options:
        states = ["now"] if one.current else []
        states += ["next, once"] if one.next else []
        states += [f"no. {one.place}" if one.place else "not tried by itself"]
        yield Row(
            key=f"starts:{one.name}",
            of=one,
            cells=(
                "◉" if one.current else "●",
                plain(one.title, 22),
                one.name,
                plain(one.file),
                ", ".join(states),
            ),
            tone="plain" if one.place else "quiet",
            why=(
                title(plain(one.title)),
                Note("seen", plain(one.file) or "it names no file"),
                *said(
                    "The firmware starts the first of its order that works."
                    if one.place
                    else "It is started where somebody chooses it.",
                    "It is chosen for the next boot; Enter takes that back."
                    if one.next
                    else "Enter has it started at the next boot alone; the boot after is as ever.",
                ),
                Note("code", f"brave-bridge start-other {one.name}"),
            ),
            action=START_OTHER,
        )


def _board(seen: BootSeen) -> Iterator[Row]:
    """What a small board's firmware reads, and what of it was set by hand."""
    if seen.board:
        yield heading("what the board's firmware reads", len(COLUMNS))
    for number, one in enumerate(seen.board):
        state = {True: "by hand", False: "as shipped", None: ""}[one.by_hand]
        notes = (
            title(plain(one.words)),
            Note("seen", plain(one.path)),
            *said(
                "A leg that ships this file anew keeps what was set by hand: it is held against "
                "what came the last time, and put into the new file again."
            ),
        )
        key, _, value = one.words.partition("=")
        cells = ("●", plain(key, 22), "", plain(value), state)
        tone = "plain" if one.by_hand else "quiet"
        yield Row(key=f"board {number}", cells=cells, tone=tone, why=notes)


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
