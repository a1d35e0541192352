"""Reading files up to a limit, in whatever pieces they come."""

from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.machines.gathering import _read_up_to


class InPieces:
    """A file of /proc: a read gives as much as it likes, and nothing at its end."""

    def __init__(self, content: bytes, most: int) -> None:
        self.left, self.most, self.asked = content, most, []

    def read(self, size: int) -> bytes:
        self.asked.append(size)
        piece = self.left[: min(size, self.most)]
        self.left = self.left[len(piece) :]
        return piece


@given(st.integers(0, 400_000), st.integers(300, 200_000), st.integers(1, 500_000))
def test_what_is_read_is_what_is_there_up_to_the_limit(length, most, limit):
    content = bytes(range(251)) * (length // 251 + 1)
    stream = InPieces(content[:length], most)
    assert _read_up_to(stream, limit) == content[: min(length, limit)]
    assert len(stream.left) == max(length - limit, 0)


def test_little_room_is_made_for_a_small_file_and_much_for_a_large_one():
    small = InPieces(b"x" * 5000, 1 << 30)
    _read_up_to(small, 1 << 30)
    assert max(small.asked) <= 1 << 16
    large = InPieces(b"x" * (40 << 20), 1 << 30)
    _read_up_to(large, 1 << 30)
    assert len(large.asked) < 10
