"""How the top folders and /usr stand to each other (hier(7), file-hierarchy(7))."""

import msgspec


class UsrLayout(msgspec.Struct, frozen=True):
    """``apart`` are the top folders that are no links into /usr; with none of them it is merged.

    ``twice`` are the files that stand in such a folder and, as another file, in its like in /usr.
    """

    apart: tuple[str, ...] = ()
    twice: tuple[str, ...] = ()
