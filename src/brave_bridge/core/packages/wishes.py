"""What a person wants of a plan: of single packages, of sources, of what counts first."""

import msgspec

from brave_bridge.core.packages.levels import FIXED_FIRST, FIXED_LAST, LEVELS

WISHES = ("protect", "exclude", "let_go", "remove", "add")
"""The kinds of wishes about single packages: fields of PersonsWishes."""

WISH_WORDS = {
    "protect": "stays",
    "exclude": "is left alone",
    "let_go": "may go away",
    "remove": "goes away",
    "add": "comes",
}


class PersonsWishes(msgspec.Struct, frozen=True):
    """What a person wants of a plan. The kinds of WISHES are sets of slots.

    A protected package stays installed in whatever version; an excluded one does not come, and
    where it is installed it stays as it is; one that may go (``let_go``) is kept no more than
    any other; one to ``remove`` goes away; one to ``add`` comes where a release has it.
    ``order`` are the levels that were put in another order, the weightiest first.
    ``sources`` are answers about sources by ``source_key``, see ``source_choices``;
    ``channels`` says which component is taken in the place of another;
    ``restart_later`` are the service units that restart only when a leg is done.
    """

    protect: frozenset[str] = frozenset()
    exclude: frozenset[str] = frozenset()
    let_go: frozenset[str] = frozenset()
    remove: frozenset[str] = frozenset()
    add: frozenset[str] = frozenset()
    order: tuple[str, ...] = LEVELS
    sources: dict[str, str] = {}
    channels: dict[str, str] = {}
    restart_later: frozenset[str] = frozenset()

    def toggled(self, kind: str, slot: str) -> "PersonsWishes":
        """With a wish of one of WISHES about a package; without, where it was there already.

        A package has one wish at a time.
        """
        wished = {name: getattr(self, name) - {slot} for name in WISHES}
        if slot not in getattr(self, kind):
            wished[kind] |= {slot}
        return msgspec.structs.replace(self, **wished)

    def replacing(self, tool: str, by: str) -> "PersonsWishes":
        """With one package taken in the place of another; without, where it was so already."""
        wishes = self.toggled("remove", tool)
        if (by in wishes.add) == (tool in wishes.remove):
            return wishes
        return wishes.toggled("add", by)

    def with_source(self, key: str, answer: str) -> "PersonsWishes":
        """With an answer about a source; an empty one takes it back."""
        sources = {other: a for other, a in self.sources.items() if other != key}
        return msgspec.structs.replace(self, sources=sources | ({key: answer} if answer else {}))

    def with_channel(self, component: str, chosen: str) -> "PersonsWishes":
        """With a component in the place of another; itself takes it back."""
        others = {old: new for old, new in self.channels.items() if old != component}
        taken = {component: chosen} if chosen != component else {}
        return msgspec.structs.replace(self, channels=others | taken)

    def with_restart(self, unit: str, *, later: bool) -> "PersonsWishes":
        """With a service that restarts when a leg is done, or at once."""
        units = self.restart_later - {unit}
        return msgspec.structs.replace(self, restart_later=units | ({unit} if later else set()))

    def moved(self, level: str, by: int) -> "PersonsWishes":
        """With a level that many places lighter (negative: weightier); what is fixed stays."""
        order = list(self.order)
        here = order.index(level)
        there = min(max(here + by, 1), len(order) - len(FIXED_LAST) - 1)
        if level in FIXED_FIRST + FIXED_LAST:
            return self
        order.insert(there, order.pop(here))
        return msgspec.structs.replace(self, order=tuple(order))
