"""The stanzas of an index, found without taking it apart, are those that taking it apart gives."""

from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.machines.gathering import stanzas_of

_LINES = st.sampled_from(
    (
        b"Package: buoy",
        b"Package: buoyant",
        b"Package: ",
        b"Section: Package: buoy",
        b" .",
        b"Size: 1",
    )
)
_STANZA = st.lists(_LINES, min_size=1, max_size=3).map(b"\n".join)
_WANTED = {b"buoy", b"tide"}


def _taken_apart(content: bytes) -> list[bytes]:
    stanzas = content.split(b"\n\n")
    return [
        stanza
        for stanza in stanzas
        for line in stanza.split(b"\n")
        if line.startswith(b"Package: ") and line.removeprefix(b"Package: ") in _WANTED
    ]


@given(st.lists(_STANZA, max_size=6).map(b"\n\n".join), st.sampled_from((b"", b"\n", b"\n\n")))
def test_the_stanzas_are_those_of_the_wanted_names(text, end):
    content = text + end
    found = [stanza.rstrip(b"\n") for stanza in stanzas_of(content, _WANTED)]
    assert found == [stanza.rstrip(b"\n") for stanza in _taken_apart(content)]
