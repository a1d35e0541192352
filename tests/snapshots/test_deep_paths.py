"""Paths that are longer than the kernel takes at once, and deeper than files can be open."""

import os
import subprocess

import pytest

from brave_bridge.snapshots.trees.folders import open_folder, open_root
from brave_bridge.snapshots.trees.removal import remove_tree
from tests.support.trees import TRIAL, catalogue_at

DEPTH = 1_100
LONG = "n" * 200


@pytest.fixture
def place(tmp_path):
    yield tmp_path
    # What pytest itself removes must not be that deep.
    subprocess.run(["rm", "-rf", tmp_path], check=True)


def descend(root: int, names: list[str], make: bool = False) -> int:
    """The last of nested folders, open."""
    here = os.dup(root)
    for name in names:
        if make:
            os.mkdir(name, dir_fd=here)
        inner = os.open(name, os.O_RDONLY | os.O_DIRECTORY, dir_fd=here)
        os.close(here)
        here = inner
    return here


def write(folder: int, name: str, text: str) -> None:
    descriptor = os.open(name, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o644, dir_fd=folder)
    os.write(descriptor, text.encode())
    os.close(descriptor)


def read(folder: int, name: str) -> str:
    with os.fdopen(os.open(name, os.O_RDONLY, dir_fd=folder)) as stream:
        return stream.read()


@pytest.mark.parametrize("names", [["d"] * DEPTH, [LONG] * 60, ["é" * 100] * 40])
def test_what_stands_very_deep_is_kept_compared_and_returned(place, names):
    snapshots, returning = catalogue_at(place)
    root = open_root(place)
    try:
        last = descend(root, ["etc"])
        deep = descend(last, names, make=True)
        write(deep, "file", "before")
        first = snapshots.take("first", TRIAL)
        write(deep, "file", "since then")
        write(deep, "more", "came")
        preview = returning.preview(first)
        names_told = {change.path.rpartition("/")[2] for change in preview.differences}
        assert names_told >= {"file", "more"}
        returning.restore(first)
        assert read(deep, "file") == "before" and sorted(os.listdir(deep)) == ["file"]
        assert not returning.check(first).faults
        os.close(deep)
        remove_tree(names[0], last)
        assert names[0] not in os.listdir(last)
        returning.restore(first)
        os.close(last)
        last = descend(root, ["etc"])
        deep = descend(last, names)
        assert read(deep, "file") == "before"
        os.close(deep)
        snapshots.delete("first", "tried")
        assert not (snapshots.folder / "first").exists()
        remove_tree(names[0], last)
        assert names[0] not in os.listdir(last)
        os.close(last)
    finally:
        os.close(root)


def test_a_deep_folder_that_is_a_link_on_the_way_is_not_followed(place):
    names = [LONG] * 30
    root = open_root(place)
    deep = descend(root, names, make=True)
    os.symlink("/etc", "link", dir_fd=deep)
    with pytest.raises(OSError, match="a link stands in the way"):
        open_folder(root, "/".join([*names, "link", "apt"]))
    os.close(deep)
    remove_tree(LONG, root)
    os.close(root)
