"""What a stand-in's loader starts: its entries in files, counted as the trade's loaders do it."""

from collections.abc import Iterable
from pathlib import Path

from brave_bridge.core.boot.entries import BootEntry
from brave_bridge.core.boot.loader_entries import (
    Tries,
    counted_name,
    in_menu_order,
    read_loader_entry,
    tries_in,
)
from brave_bridge.core.boot.loader_settings import default_of
from brave_bridge.machines.opening.named import ours_at

_ENTRIES, _SETTINGS = "boot/loader/entries", "boot/loader/loader.conf"


def started(root: Path) -> str:
    """The version of the kernel that is started; a try of an entry that is on trial is used up.

    Without a menu it is the newest image in /boot, empty where there is none.
    """
    entry = _chosen(root)
    if entry is None:
        images = sorted((root / "boot").glob("vmlinuz-*"), key=lambda path: _version(path.name))
        return images[-1].name.removeprefix("vmlinuz-") if images else ""
    place = root / entry.where.lstrip("/")
    tries = tries_in(place.name)
    if tries is not None and tries.left:
        used = Tries(tries.left - 1, tries.done + 1)
        place.rename(place.with_name(counted_name(entry.id, used)))
    return entry.kernel


def bring_kernel(root: Path, components: Iterable[dict[str, str]]) -> None:
    """Have the kernel that a system is made of be the only one in /boot; none: it stays."""
    version = next((one["version"] for one in components if one["name"] == "kernel"), "")
    if version:
        for place in (root / "boot").glob("vmlinuz-*"):
            place.unlink()
        ours_at(root / f"boot/vmlinuz-{version}").write(f"kernel image {version}\n".encode() * 64)


def _chosen(root: Path) -> BootEntry | None:
    """The entry that loader.conf names, else the first of the menu."""
    read = (
        read_loader_entry(path.read_text(errors="replace"), f"/{path.relative_to(root)}")
        for path in sorted((root / _ENTRIES).glob("*.conf"))
    )
    there = (root / "boot").is_dir()
    entries = [e for e in read if e and there and (root / "boot" / Path(e.image).name).is_file()]
    settings = root / _SETTINGS
    named = default_of(settings.read_text(errors="replace")) if settings.is_file() else ""
    ordered = in_menu_order(entries)
    found = next((entry for entry in ordered if named in (entry.id, entry.where)), None)
    return found or next(iter(ordered), None)


def _version(name: str) -> list[int]:
    return [int(part) for part in name.replace("-", ".").split(".") if part.isdigit()]
