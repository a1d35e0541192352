"""What a configuration changes against another: new, dropped and changed options, in groups."""

from collections.abc import Iterator, Mapping

import msgspec

from brave_bridge.core.kconfig.dotconfig import OFF
from brave_bridge.core.kconfig.language import Option

NEW, DROPPED, CHANGED = "new", "dropped", "changed"
UNKNOWN = Option("")


class OptionChange(msgspec.Struct, frozen=True):
    """One option: what ``kind`` of change, its values (empty: it has none), its words.

    ``menu`` are the titles above it; ``help`` is what the tree says of it.
    """

    name: str
    kind: str
    old: str
    new: str
    prompt: str
    menu: tuple[str, ...]
    help: str


def option_changes(
    old: Mapping[str, str], new: Mapping[str, str], options: Mapping[str, Option]
) -> Iterator[OptionChange]:
    """The options in which two configurations differ, by menu and then by name.

    What nobody is asked about (no prompt) follows from the rest and is left out; an option that
    is off on one side and unknown on the other is no change.
    """
    found = []
    for name in sorted(old.keys() | new.keys()):
        before, after = old.get(name, ""), new.get(name, "")
        if before == after or ((before or OFF) == (after or OFF) == OFF and name in old):
            continue
        known = options.get(name, UNKNOWN)
        if name in options and not known.prompt:
            continue
        kind = NEW if name not in old else DROPPED if name not in new else CHANGED
        found.append(OptionChange(name, kind, before, after, known.prompt, known.menu, known.help))
    yield from sorted(found, key=lambda change: (change.menu, change.name))
