"""What a person wants of a plan: of single packages, of sources, of what counts first."""

import msgspec

from brave_bridge.core.packages.levels import FIXED_FIRST, FIXED_LAST, LEVELS

PREFERENCE_KINDS = ("protect", "exclude", "let_go", "remove", "add")
"""The kinds of preferences about single packages: fields of Preferences."""

PREFERENCE_WORDS = {
    "protect": "stays",
    "exclude": "is left alone",
    "let_go": "may go away",
    "remove": "goes away",
    "add": "comes",
}


class Preferences(msgspec.Struct, frozen=True):
    """What a person wants of a plan. The kinds of PREFERENCE_KINDS are sets of slots.

    A protected package stays installed in whatever version; an excluded one does not come, and
    where it is installed it stays as it is; one that may go (``let_go``) is kept no more than
    any other; one to ``remove`` goes away; one to ``add`` comes where a release has it.
    ``order`` are the levels that were put in another order, the weightiest first.
    ``sources`` are answers about sources by ``source_key``, see ``source_choices``;
    ``channels`` says which component is taken in the place of another;
    ``restart_later`` are the service units that restart only when a leg is done. ``keep`` is what
    an upgrade from a medium keeps: ``all``, ``files`` or ``nothing``.
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
    keep: str = "all"

    def toggled(self, kind: str, slot: str) -> "Preferences":
        """With a preference of one of PREFERENCE_KINDS; without, where it was there already.

        A package has one preference at a time.
        """
        chosen = {name: getattr(self, name) - {slot} for name in PREFERENCE_KINDS}
        if slot not in getattr(self, kind):
            chosen[kind] |= {slot}
        return msgspec.structs.replace(self, **chosen)

    def replacing(self, tool: str, by: str) -> "Preferences":
        """With one package taken in the place of another; without, where it was so already."""
        preferences = self.toggled("remove", tool)
        if (by in preferences.add) == (tool in preferences.remove):
            return preferences
        return preferences.toggled("add", by)

    def with_source(self, key: str, answer: str) -> "Preferences":
        """With an answer about a source; an empty one takes it back."""
        sources = {other: a for other, a in self.sources.items() if other != key}
        return msgspec.structs.replace(self, sources=sources | ({key: answer} if answer else {}))

    def with_channel(self, component: str, chosen: str) -> "Preferences":
        """With a component in the place of another; itself takes it back."""
        others = {old: new for old, new in self.channels.items() if old != component}
        taken = {component: chosen} if chosen != component else {}
        return msgspec.structs.replace(self, channels=others | taken)

    def with_restart(self, unit: str, *, later: bool) -> "Preferences":
        """With a service that restarts when a leg is done, or at once."""
        units = self.restart_later - {unit}
        return msgspec.structs.replace(self, restart_later=units | ({unit} if later else set()))

    def moved(self, level: str, by: int) -> "Preferences":
        """With a level that many places lighter (negative: weightier); what is fixed stays."""
        order = list(self.order)
        here = order.index(level)
        there = min(max(here + by, 1), len(order) - len(FIXED_LAST) - 1)
        if level in FIXED_FIRST + FIXED_LAST:
            return self
        order.insert(there, order.pop(here))
        return msgspec.structs.replace(self, order=tuple(order))
