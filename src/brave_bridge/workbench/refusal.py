"""What is said where something is not done."""


class Refused(Exception):
    """Something is not done, with the reason and what to do instead."""

    def __init__(self, what: str, why: str, remedy: str = "") -> None:
        super().__init__(f"{what}: {why}")
        self.what = what
        self.why = why
        self.remedy = remedy
