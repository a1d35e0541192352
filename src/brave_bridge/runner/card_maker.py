"""Making a machine's recovery card: from facts, loader, layout and newest way back to files."""

import re
from datetime import UTC, datetime

import msgspec

from brave_bridge.bootloaders.known import boot_loader
from brave_bridge.core.boot.entries import entry_for
from brave_bridge.core.boot.past_entry import is_past
from brave_bridge.core.formats.text import plain
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.ways_back.recovery_card import (
    CardDisk,
    CardFacts,
    CardKernel,
    CardPart,
    card_text,
    fingerprint,
    make_card,
)
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.machines.port import STATE_FOLDER, Machine
from brave_bridge.snapshots.archive_names import archive_of
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.description import Snapshot
from brave_bridge.snapshots.engines.choose import engine_of
from brave_bridge.snapshots.engines.engine import Engine

STEM = "recovery-card"
_NO_PART_OF_IT = ("/proc", "/sys", "/dev", "/run", "/tmp", "/var/tmp")
_PARTITION = re.compile(r"^(?:/dev/)?((?:nvme\d+n\d+|mmcblk\d+)|[a-z]+)p?\d*$")


class KeptCard(msgspec.Struct, frozen=True):
    """What the card that is kept was made from, and when."""

    fingerprint: str
    made_at: str
    way_back: str


def card_facts(machine: Machine, facts: Facts, snapshots: Snapshots, about: str = "") -> CardFacts:
    """All that the card of a machine says, as things are now."""
    known = snapshots.listed()
    newest = next((kept for kept in reversed(known) if kept.is_whole), None)
    snapshot = newest.snapshot if newest else None
    loader, known = facts.loader, boot_loader(facts.loader)
    good = snapshot.kernel if snapshot else facts.boot.kernel
    parts = _parts(snapshots, snapshot)
    firmware = facts.boot.firmware or _firmware_of(loader.kind, parts)
    return CardFacts(
        machine=plain(machine.name),
        about=about,
        made_at=datetime.now(UTC).isoformat(timespec="seconds"),
        release=plain(facts.identity.name),
        architecture=plain(facts.identity.architecture),
        firmware=firmware,
        loader=known.called,
        boot_menu=known.menu_words(firmware),
        kernels=tuple(CardKernel(plain(k.version), k.version == good) for k in facts.kernels),
        boot_entry=plain(snapshot.boot_entry if snapshot else entry_for([*loader.entries], good)),
        past_entry=plain(next((e.title for e in loader.entries if is_past(e.id)), "")),
        parts=parts,
        disks=_disks(facts, parts),
        way_back=snapshot.id if snapshot else "",
        way_back_made=snapshot.created if snapshot else "",
        way_back_release=plain(snapshot.release) if snapshot else "",
        checksum=snapshot.checksum if snapshot else "",
        kept_in=snapshot.kept_in if snapshot else "",
        settings=_settings(machine, snapshot),
        by_hand=_by_hand(snapshots, snapshot),
        deadline=newest.keeping.deadline if newest else "",
    )


def _settings(machine: Machine, snapshot: Snapshot | None) -> str:
    name = archive_of(machine.state, snapshot.id) if snapshot else ""
    return f"{STATE_FOLDER}/{name}" if name else ""


def _firmware_of(loader: str, parts: tuple[CardPart, ...]) -> str:
    """Of a system that does not run: EFI where it has the partition for it."""
    return "efi" if any(p.mount in ("/boot/efi", "/efi") for p in parts) and loader else ""


def _parts(snapshots: Snapshots, snapshot: Snapshot | None) -> tuple[CardPart, ...]:
    engines = {part.mount: engine_of(part) for part in snapshot.parts} if snapshot else {}
    return tuple(
        CardPart(
            mount=mounted.path,
            device=mounted.device,
            uuid=mounted.uuid,
            type=mounted.type,
            subvolume=mounted.subvolume,
            kept=_kept(engines.get(mounted.path), snapshot),
            by_rescue_tool=mounted.path in engines and engines[mounted.path].by_rescue_tool,
        )
        for mounted in snapshots.layout().covered
    )


def _kept(engine: Engine | None, snapshot: Snapshot | None) -> str:
    if engine is None:
        return "" if snapshot else "none yet"
    return engine.kept


def _by_hand(snapshots: Snapshots, snapshot: Snapshot | None) -> tuple[str, ...]:
    """The commands that give the root back without Brave Bridge, where its engine knows any."""
    covered = snapshots.layout().covered
    part = next((part for part in snapshot.parts if part.mount == "/"), None) if snapshot else None
    root = next((mounted for mounted in covered if mounted.path == "/"), None)
    if snapshot is None or part is None or root is None:
        return ()
    tree = f"{STATE_FOLDER}/snapshots/{snapshot.id}/{part.folder}/tree"
    apart = [mounted.path for mounted in covered if mounted.path != "/"]
    spared = ["/home", STATE_FOLDER, *apart, *_NO_PART_OF_IT]
    return engine_of(part).by_hand(root, "" if snapshot.kept_in else tree, spared)


def _disks(facts: Facts, parts: tuple[CardPart, ...]) -> tuple[CardDisk, ...]:
    sizes = {disk.name: disk.size_bytes for disk in facts.disks}
    by_disk: dict[str, list[CardPart]] = {}
    for part in parts:
        by_disk.setdefault(_disk_of(part.device), []).append(part)
    return tuple(
        CardDisk(name, sizes.get(name, 0), tuple(on_it)) for name, on_it in by_disk.items() if name
    )


def _disk_of(device: str) -> str:
    match = _PARTITION.match(device)
    return match[1] if match else device.removeprefix("/dev/")


KEPT_CARD: KeptRecord[KeptCard | None] = KeptRecord("recovery-card.json", KeptCard, None, 10_000)


def kept_card(machine: Machine) -> KeptCard | None:
    """What the machine's kept card was made from; None where none was ever made."""
    return KEPT_CARD.read(machine.state)


def card_state(machine: Machine, facts: Facts, snapshots: Snapshots) -> tuple[str, str]:
    """``fresh``, ``stale`` or ``none``, and the day on which the kept card was made."""
    kept = kept_card(machine)
    if kept is None:
        return "none", ""
    known = fingerprint(card_facts(machine, facts, snapshots))
    return ("fresh" if known == kept.fingerprint else "stale"), kept.made_at[:10]


def keep_card(
    machine: Machine, facts: Facts, snapshots: Snapshots, about: str = "", *, drawn: bool = False
) -> str:
    """Make the card anew in the state folder: as text; drawn where asked, or drawn before."""
    known = card_facts(machine, facts, snapshots, about)
    card = make_card(known)
    machine.state.write(f"{STEM}.txt", card_text(card).encode())
    if drawn or machine.state.names(f"{STEM}.pdf"):
        from brave_bridge.drawings.card import drawn_card

        for ending, content in drawn_card(card).items():
            machine.state.write(f"{STEM}{ending}", content)
    kept = KeptCard(fingerprint(known), known.made_at, known.way_back)
    KEPT_CARD.change(machine.state, lambda _: kept)
    return f"{machine.state.where}/{STEM}.txt"
