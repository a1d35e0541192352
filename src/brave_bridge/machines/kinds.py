"""What a machine is able to do, by its kind."""

RUNNING, TREE, STAND_IN = "running", "tree", "stand-in"


class ByKind:
    """The abilities of a machine that follow from its kind (see Machine)."""

    kind: str = TREE

    @property
    def is_this_system(self) -> bool:
        """See Machine."""
        return self.kind == RUNNING

    @property
    def is_mounted_only(self) -> bool:
        """See LookedAt."""
        return self.kind == TREE

    @property
    def is_pretended(self) -> bool:
        """See Machine."""
        return self.kind == STAND_IN
