"""The stand-in's decisions keep what apt-get promises, on any small archive."""

from hypothesis import given, settings
from hypothesis import strategies as st

from brave_bridge.machines.standin.resolver import Resolver, Solution, Stanza

NAMES = tuple("abcdefg")


def stanza(name: str, version: str, **fields: str) -> Stanza:
    return {"Package": name, "Version": version, "Architecture": "amd64", **fields}


def relation(others: list[str], bound: str) -> str:
    return ", ".join(f"{other} ({bound})" for other in others)


@st.composite
def archives(draw):
    """An installed system without faults, and a newer archive with any relations."""
    installed = {}
    present = draw(st.sets(st.sampled_from(NAMES), min_size=1))
    for name in sorted(present):
        needs = draw(st.lists(st.sampled_from(sorted(present)), max_size=2, unique=True))
        fields = {"Depends": relation(needs, ">= 1")} if needs else {}
        if draw(st.integers(0, 5)) == 0:
            fields["Essential"] = "yes"
        installed[name] = stanza(name, "1", **fields)
    offered = []
    for name in draw(st.sets(st.sampled_from(NAMES))):
        fields = {}
        for field, bound in (("Depends", ">= 2"), ("Breaks", "<< 2")):
            others = draw(st.lists(st.sampled_from(NAMES), max_size=2, unique=True))
            if others:
                fields[field] = relation(others, bound)
        offered.append(stanza(name, "2", **fields))
    held = draw(st.sets(st.sampled_from(sorted(present)), max_size=1))
    return installed, held, offered


def result(installed: dict[str, Stanza], solution: Solution) -> dict[str, Stanza]:
    system = {**installed, **solution.changed}
    return {name: fields for name, fields in system.items() if name not in solution.removed}


@given(archives())
@settings(max_examples=150, deadline=None)
def test_upgrade_removes_nothing_and_adds_nothing(world):
    installed, held, offered = world
    solution = Resolver(installed, held, offered).upgrade()
    assert not solution.removed and solution.changed.keys() <= installed.keys() - held
    end = result(installed, solution)
    assert Resolver(end, set(), []).faults() == []
    assert solution.kept | solution.changed.keys() == {
        s["Package"] for s in offered if s["Package"] in installed
    }


@given(archives())
@settings(max_examples=150, deadline=None)
def test_full_upgrade_leaves_a_whole_system_with_all_that_is_essential_or_held(world):
    installed, held, offered = world
    solution = Resolver(installed, held, offered).full_upgrade()
    end = result(installed, solution)
    assert Resolver(end, set(), []).faults() == []
    for name in held:
        assert end[name]["Version"] == "1"
    essential = {name for name, fields in installed.items() if fields.get("Essential")}
    assert essential <= end.keys()


def test_a_new_need_comes_and_what_it_breaks_goes():
    installed = {
        "libc": stanza("libc", "1"),
        "agent": stanza("agent", "1", Depends="libtide1"),
        "libtide1": stanza("libtide1", "1"),
    }
    offered = [
        stanza("libc", "2", Depends="libtls3", Breaks="libtide1 (<< 2)"),
        stanza("libtls3", "2"),
    ]
    solution = Resolver(installed, set(), offered).full_upgrade()
    assert solution.changed.keys() == {"libc", "libtls3"}
    assert solution.removed == {"libtide1", "agent"}
    gentle = Resolver(installed, set(), offered).upgrade()
    assert (gentle.changed, gentle.kept) == ({}, {"libc"})


def test_nothing_that_an_essential_package_needs_is_broken_away():
    installed = {
        "init": stanza("init", "1", Essential="yes", Depends="libtide1"),
        "libtide1": stanza("libtide1", "1"),
        "libc": stanza("libc", "1"),
    }
    offered = [stanza("libc", "2", Breaks="libtide1 (<< 2)")]
    solution = Resolver(installed, set(), offered).full_upgrade()
    assert (solution.changed, solution.removed, solution.kept) == ({}, set(), {"libc"})
