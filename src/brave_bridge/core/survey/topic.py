"""A topic of a baseline: what of one kind a machine had, by names, so that it can be compared."""

import msgspec


class TopicSeen(msgspec.Struct, frozen=True):
    """One topic as it was read. ``values`` has a short text for each name.

    ``where`` says where it was read; ``absent`` why it could not be, empty where it was.
    ``unanswered`` says which of those that were asked gave no answer: what is not among the values
    may be there all the same.
    """

    name: str
    values: dict[str, str] = {}
    where: str = ""
    absent: str = ""
    unanswered: str = ""

    def __bool__(self) -> bool:
        return not self.absent
