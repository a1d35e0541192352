"""Top folders beside /usr: seen as they stand, and what stands in both."""

from brave_bridge.families.topics.usr_layout import further, read
from brave_bridge.machines.queries import Names
from brave_bridge.machines.tree import TreeMachine


def layout_of(root):
    machine = TreeMachine("tree", root)
    seen = machine.files.gather((Names(("/bin", "/sbin", "/lib")),))
    seen.add(machine.files.gather(further(seen)))
    return read(seen)


def test_a_merged_system_has_nothing_apart(tmp_path):
    (tmp_path / "usr/bin").mkdir(parents=True)
    (tmp_path / "bin").symlink_to("usr/bin")
    (tmp_path / "usr/bin/tides").write_text("one")
    assert layout_of(tmp_path).apart == ()


def test_what_stands_twice_and_differs_is_told(tmp_path):
    for folder in ("bin", "usr/bin", "sbin", "usr/sbin"):
        (tmp_path / folder).mkdir(parents=True)
    for name, here, there in (("tides", "one", "another"), ("same", "one", "two")):
        (tmp_path / "bin" / name).write_text(here)
        (tmp_path / "usr/bin" / name).write_text(there)
    (tmp_path / "bin/link").write_text("program")
    (tmp_path / "usr/bin/link").symlink_to("/bin/link")
    found = layout_of(tmp_path)
    assert found.apart == ("/bin", "/sbin") and found.twice == ("/bin/tides",)
