"""What of a boot loader's files does not fit together with what is there to boot."""

from collections.abc import Iterator

from brave_bridge.core.boot.entries import PAST_ID, BootEntry, Loader, LoaderFault

BLOCK, CHOICE, IMAGE, INITRD = "environment block", "choice", "image", "initrd"


def next_entry(loader: Loader) -> BootEntry | None:
    """What boots next: the entry that was chosen for once, else the default."""
    for choice in filter(None, (loader.once, loader.default)):
        if found := next((entry for entry in loader.entries if entry.id == choice), None):
            return found
    return loader.entries[0] if loader.entries and not loader.default else None


def missing_files(loader: Loader, names: frozenset[str]) -> Iterator[LoaderFault]:
    """The entries whose kernel or initial file system is not among the files of /boot.

    Files are known by name: a menu has them from the root of a file system that may be another.
    """
    coming = next_entry(loader)
    for entry in loader.entries:
        image, *others = (_name(path) for path in (entry.image, *entry.initrds))
        if not image or "$" in image or entry.id.startswith(PAST_ID):
            continue
        if image not in names:
            words = f"{entry.title}: {image} is not in /boot"
            yield LoaderFault(IMAGE, words, entry is coming, entry.kernel)
            continue
        for name in (other for other in others if other not in names and "$" not in other):
            words = f"{entry.title}: {name} is not in /boot"
            yield LoaderFault(INITRD, words, entry is coming, entry.kernel)


def _name(path: str) -> str:
    return path.rpartition("/")[2]
