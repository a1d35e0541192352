"""Sources whose address leads over a list of mirrors (apt-transport-mirror(1))."""

from collections.abc import Callable, Iterator

from brave_bridge.archives.fault import ArchiveFault

_LISTS = {
    "mirror+file:": "file:",
    "mirror+http:": "http:",
    "mirror+https:": "https:",
    "mirror:": "http:",
}
_LIST_LIMIT, _MOST_MIRRORS = 100_000, 5
_UNRANKED = 1 << 30


class MirrorLists:
    """Finds where a file is that is asked for by way of a list; lists are read once.

    ``read`` gets a list by its address, of at most so many bytes; ArchiveFault where it cannot.
    """

    def __init__(self, read: Callable[[str, int], bytes]) -> None:
        self._read = read
        self._known: dict[str, list[str]] = {}

    def places(self, address: str) -> list[str]:
        """The addresses to try in turn; the address itself where it leads over no list.

        ArchiveFault where no list is there, or it names nothing.
        """
        marks = (mark for mark in _LISTS if address.startswith(mark))
        mark = next(marks, "")
        if not mark:
            return [address]
        for listed, rest in _divided(_LISTS[mark] + address[len(mark) :]):
            try:
                mirrors = self._mirrors(listed)
            except ArchiveFault as fault:
                if fault.what != "missing":
                    raise
                continue
            return [f"{mirror.rstrip('/')}/{rest}" for mirror in mirrors[:_MOST_MIRRORS]]
        raise ArchiveFault("unreachable", "names no list of mirrors that is there", address)

    def _mirrors(self, listed: str) -> list[str]:
        if listed not in self._known:
            text = self._read(listed, _LIST_LIMIT).decode("utf-8", "replace")
            ranked = sorted(_ranked(text), key=lambda one: one[0])
            if not ranked:
                raise ArchiveFault("missing", "names no mirror", listed)
            self._known[listed] = [address for _, address in ranked]
        return self._known[listed]


def _divided(address: str) -> Iterator[tuple[str, str]]:
    """How an address may be divided into that of the list and a path in the archive."""
    for mark in ("/dists/", "/pool/"):
        listed, found, rest = address.partition(mark)
        if found:
            yield listed, mark.strip("/") + "/" + rest
            return
    pieces = address.split("/")
    for end in range(len(pieces) - 1, max(len(pieces) - 4, 0), -1):
        yield "/".join(pieces[:end]), "/".join(pieces[end:])


def _ranked(text: str) -> Iterator[tuple[int, str]]:
    """The mirrors of a list, each with its rank; those without one come last."""
    for line in text.splitlines():
        address, *words = line.split() or [""]
        if address and not address.startswith("#"):
            ranks = (word.removeprefix("priority:") for word in words if "priority:" in word)
            rank = next(ranks, "")
            yield int(rank) if rank.isdecimal() else _UNRANKED, address
