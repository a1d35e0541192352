"""What can be wrong with a file of ours."""

from pathlib import Path


class DatabaseError(Exception):
    """A file of ours cannot be read or written; the message says which, and why."""

    def __init__(self, path: Path, why: str) -> None:
        super().__init__(f"{path}: {why}")
        self.path = path
        self.why = why


class DamagedDatabase(DatabaseError):
    """What stands in the file is not what we wrote: it can be set aside."""
