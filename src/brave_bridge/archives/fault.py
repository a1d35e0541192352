"""Why an archive could not be read."""


class ArchiveFault(Exception):
    """What of an archive is not as it must be.

    ``what``: ``missing``, ``unreachable``, ``signature``, ``expired``, ``older``, ``identity``,
    ``checksum``, ``size``, ``format``. ``seen`` is what was found, in words.
    """

    def __init__(self, what: str, seen: str, address: str = "") -> None:
        super().__init__(f"{address}: {seen}" if address else seen)
        self.what = what
        self.seen = seen
        self.address = address
