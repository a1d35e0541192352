"""The recovery card: what a person at a dead machine has to know, on one page."""

import hashlib
from collections.abc import Iterable

import msgspec

RESCUE_ROOT = "/mnt"


class CardPart(msgspec.Struct, frozen=True, kw_only=True):
    """A file system of the machine as a rescue shell has to mount it."""

    mount: str
    device: str
    uuid: str = ""
    type: str = ""
    subvolume: str = "/"
    kept: str = ""
    """How its snapshot is kept (``by copy``); empty where it is not covered."""

    by_rescue_tool: bool = False
    """Whether the rescue tool gives it back."""

    @property
    def name(self) -> str:
        """How a mount command names it."""
        if self.uuid:
            return f"UUID={self.uuid}"
        return self.device

    @property
    def command(self) -> str:
        """The command that mounts it below the rescue root."""
        kind = "-o subvol=" + self.subvolume if self.type == "btrfs" else ""
        place = (RESCUE_ROOT + self.mount).rstrip("/")
        words = ["mount", kind, self.name or "DEVICE", place]
        return " ".join(word for word in words if word)


class CardKernel(msgspec.Struct, frozen=True):
    """A kernel that is on the machine; the good one is that of the snapshot."""

    version: str
    good: bool


class CardDisk(msgspec.Struct, frozen=True):
    """A disk: its name, its size in bytes (0 unknown) and what stands on it, in order."""

    name: str
    size: int
    parts: tuple[CardPart, ...]


class CardFacts(msgspec.Struct, frozen=True, kw_only=True):
    """All that a card is made of. Times are ISO 8601 in UTC."""

    machine: str
    about: str = ""
    made_at: str
    release: str
    architecture: str = ""
    firmware: str = ""
    loader: str = ""
    """What people call it; ``boot_menu`` is how its menu is reached, a sentence."""
    boot_menu: str = ""
    kernels: tuple[CardKernel, ...] = ()
    boot_entry: str = ""
    past_entry: str = ""
    """The boot entry that starts a way back as a system of its own, where the menu offers one."""
    parts: tuple[CardPart, ...] = ()
    disks: tuple[CardDisk, ...] = ()
    way_back: str = ""
    way_back_made: str = ""
    way_back_release: str = ""
    checksum: str = ""
    settings: str = ""
    """The archive of the settings that was made beside it."""
    kept_in: str = ""
    state: str = "/var/lib/brave-bridge"
    by_hand: tuple[str, ...] = ()
    """The commands that give the root back by common tools, where any do."""
    deadline: str = ""


class Step(msgspec.Struct, frozen=True):
    """One thing to do: in words, and the commands for it."""

    words: str
    commands: tuple[str, ...] = ()


class Card(msgspec.Struct, frozen=True):
    """The page: its head lines, the steps in their order, the boot chain and the disks."""

    title: str
    head: tuple[tuple[str, str], ...]
    steps: tuple[Step, ...]
    chain: tuple[tuple[str, str], ...]
    disks: tuple[CardDisk, ...]
    code: str
    """The rescue commands as text, for the QR code."""


def make_card(facts: CardFacts) -> Card:
    """Lay a card out in words and commands."""
    good = next((kernel.version for kernel in facts.kernels if kernel.good), "")
    return Card(
        title=f"Recovery card: {facts.machine}",
        head=tuple((name, value) for name, value in _head(facts, good) if value),
        steps=tuple(_steps(facts, good)),
        chain=tuple(_chain(facts, good)),
        disks=facts.disks,
        code=rescue_text(facts),
    )


def _head(facts: CardFacts, good: str) -> Iterable[tuple[str, str]]:
    yield "machine", f"{facts.machine}, {facts.about}".rstrip(", ")
    yield "made", f"{facts.made_at[:16].replace('T', ' ')} UTC"
    yield "release", f"{facts.release} {facts.architecture}".strip()
    others = [kernel.version for kernel in facts.kernels if not kernel.good]
    yield "good kernel", good
    yield "other kernels", ", ".join(others[:4])
    made = facts.way_back_made[:16].replace("T", " ")
    yield "way back", f"{facts.way_back}, {facts.way_back_release} of {made} UTC" if made else ""
    yield "checksum", facts.checksum[:32]
    yield "settings", facts.settings
    yield "ends", facts.deadline[:10]
    yield "logbook", f"{facts.state}/logbook.sqlite"


def _steps(facts: CardFacts, good: str) -> Iterable[Step]:
    yield Step(f"Look at the boot menu first. {facts.boot_menu}")
    entry = facts.boot_entry or (f"the one with Linux {good}" if good else "the one before")
    yield Step(
        f"Take this entry: {entry}. If the system comes up, run:",
        (f"brave-bridge return {facts.way_back or 'newest'}",),
    )
    if facts.past_entry:
        yield Step(f"Or: {facts.past_entry}. To keep what it starts: brave-bridge keep-past")
    yield Step(
        "If nothing comes up, start a rescue medium, open a root shell and mount the system:",
        tuple(mount_commands(facts.parts)),
    )
    if any(part.by_rescue_tool for part in facts.parts):
        ways = (return_command(facts), rescue_command(facts))
        yield Step("Go back, with Brave Bridge on the medium, or with nothing but Python:", ways)
    else:
        yield Step("Go back, with Brave Bridge on the medium:", (return_command(facts),))
    if facts.by_hand and facts.way_back:
        words = "Or without it, by common tools (each command is one line):"
        yield Step(words, facts.by_hand)
    yield Step("Then:", (f"umount -R {RESCUE_ROOT}", "reboot"))


def mount_commands(parts: Iterable[CardPart]) -> Iterable[str]:
    """The commands that mount what a snapshot covers below the rescue root, in their order."""
    known = sorted((part for part in parts if part.kept), key=lambda part: part.mount)
    if any(part.device.startswith(("/dev/mapper/", "/dev/dm-")) for part in known):
        yield "vgchange -ay"
    if any(part.type == "zfs" for part in known):
        yield f"zpool import -f -R {RESCUE_ROOT} -a"
    yield from (part.command for part in known if part.type != "zfs")


def return_command(facts: CardFacts) -> str:
    """The command that returns from a rescue shell."""
    return f"brave-bridge --tree {RESCUE_ROOT} return {facts.way_back or 'newest'}"


def rescue_command(facts: CardFacts) -> str:
    """The command that returns by the tool that lies beside the way back."""
    tool = f"{RESCUE_ROOT}{facts.state}/brave-bridge-rescue"
    return f"python3 {tool} return {RESCUE_ROOT} {facts.way_back or 'newest'}"


def rescue_text(facts: CardFacts) -> str:
    """The rescue commands as plain text, a line each."""
    lines = [f"# {facts.machine}: {facts.way_back or 'newest way back'}"]
    lines += mount_commands(facts.parts)
    lines.append(return_command(facts))
    return "\n".join(lines) + "\n"


def _chain(facts: CardFacts, good: str) -> Iterable[tuple[str, str]]:
    yield "firmware", {"efi": "UEFI", "bios": "BIOS"}.get(facts.firmware, "not known")
    yield "boot loader", facts.loader or "not known"
    yield "entry", facts.boot_entry or "default"
    yield "kernel", good or "not known"
    root = next((part for part in facts.parts if part.mount == "/"), None)
    yield "root", f"{root.type or 'not known'} {root.uuid[:8] or root.device}" if root else "?"


def fingerprint(facts: CardFacts) -> str:
    """What makes a card stale when it changes: all but the time it was made at."""
    timeless = msgspec.structs.replace(facts, made_at="")
    return hashlib.sha256(msgspec.json.encode(timeless)).hexdigest()[:16]


def card_text(card: Card) -> str:
    """The card as plain text, 78 columns."""
    lines = [card.title, "=" * len(card.title), ""]
    lines += [f"{name:<14} {value}" for name, value in card.head]
    for number, step in enumerate(card.steps, 1):
        lines += ["", f"{number}. {step.words}"]
        lines += [f"     {command}" for command in step.commands]
    lines += ["", " > ".join(f"{name}: {value}" for name, value in card.chain), ""]
    for disk in card.disks:
        lines.append(disk.name)
        lines += [f"   {p.mount:<16} {p.type:<8} {p.name}" for p in disk.parts]
    return "\n".join(lines) + "\n"
