"""What can be wrong with a file of ours."""


class DatabaseError(Exception):
    """A file of ours cannot be read or written; the message says which, and why."""

    def __init__(self, where: str, why: str) -> None:
        super().__init__(f"{where}: {why}")
        self.where = where
        self.why = why


class DamagedDatabase(DatabaseError):
    """What stands in the file is not what we wrote: it can be set aside."""
