"""Snapshots by copy at full size: 100,000 files on a fresh ext4, beside rsync.

The ext4 has the options that mkfs.ext4 gives it (a journal, no discard at every removal) and
stands in a file below /var/tmp, 20 GB long and removed afterwards.

``python -m bench.copies`` runs it alone, ``python -m bench.copies 100000 cold`` with cold
caches only. Each of ours is a process of its own, so that
its start counts as well and its memory can be told.
"""

import contextlib
import itertools
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from bench.measure import HEAD, in_turn, seconds
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.description import About
from brave_bridge.snapshots.returning import Returning

FILES, FOLDERS = 100_000, 9_000
_IMAGE_BYTES = 20 << 30
_QUIET = {"stdout": subprocess.DEVNULL, "stdin": subprocess.DEVNULL}
RSYNC = ("rsync", "-aHAX", "--exclude=/home", "--exclude=/var/lib/brave-bridge")


def run_all(files: int = FILES, temperatures: tuple[str, ...] = ("warm", "cold")) -> None:
    """All measurements, in a folder that is removed afterwards."""
    if os.geteuid() != 0 or shutil.which("rsync") is None:
        print("left out, snapshots at full size: needs root and rsync")
        return
    with _fresh_ext4() as folder:
        size = build(folder / "tree", files)
        print(f"<!-- {files} files, {size / 1e9:.1f} GB -->", flush=True)
        for temperature in temperatures:
            _measure(folder, temperature)
        _memory(folder)


@contextlib.contextmanager
def _fresh_ext4() -> Iterator[Path]:
    """An ext4 of its own, mounted; blocks are set aside first, so that no hole is filled later."""
    with tempfile.TemporaryDirectory(prefix="brave-bridge-bench-", dir="/var/tmp") as folder:
        image, disk = Path(folder, "image"), Path(folder, "disk")
        disk.mkdir()
        with open(image, "wb") as stream:
            os.posix_fallocate(stream.fileno(), 0, _IMAGE_BYTES)
        # Everything at once, and nothing left for the kernel to do while others are measured.
        _run("mkfs.ext4", "-q", "-F", "-E", "lazy_itable_init=0,lazy_journal_init=0", image)
        device = subprocess.check_output(
            ["losetup", "--find", "--show", "--direct-io=on", image], text=True
        ).strip()
        try:
            _run("mount", device, disk)
            try:
                yield disk
            finally:
                _run("umount", disk)
        finally:
            _run("losetup", "--detach", device)


def build(tree: Path, files: int, share: float = 1.0) -> int:
    """A tree like a system's: many small files, few large ones; its size in bytes.

    ``share`` is how large they are of what a server's are.
    """
    chance = random.Random(4)
    block = chance.randbytes(1 << 22)
    folders = [tree / "etc"]
    folders[0].mkdir(parents=True)
    (tree / "etc/os-release").write_text("ID=quayside\nNAME=Quayside\n")
    while len(folders) < FOLDERS * files // FILES:
        folder = chance.choice(folders[:400]) / f"part-{len(folders)}"
        folder.mkdir()
        folders.append(folder)
    size = 0
    for number in range(files):
        length = min(int(share * chance.lognormvariate(8.3, 1.9)), 60_000_000)
        start = chance.randrange(1 << 20)
        with open(chance.choice(folders) / f"file-{number}", "wb") as stream:
            stream.write(number.to_bytes(8, "big"))
            for _ in range(length >> 21):
                stream.write(block[start : start + (1 << 21)])
            stream.write(block[start : start + (length & ((1 << 21) - 1))])
        size += length
    os.sync()
    return size


def _run(*argv: object) -> None:
    subprocess.run([str(word) for word in argv], check=True, **_QUIET)


def _ours(*words: object) -> None:
    _run(sys.executable, "-m", "bench.copies", *words)


def _settle(temperature: str) -> None:
    os.sync()
    if temperature == "cold":
        Path("/proc/sys/vm/drop_caches").write_text("3")
        # The tree is cold; the programs of both sides are not.
        _run(sys.executable, "-c", "import bench.copies, brave_bridge.snapshots.jobs.helper")
        _run("rsync", "--version")


def _removed(path: Path) -> None:
    _run("rm", "-rf", path)


def _measure(folder: Path, temperature: str) -> None:
    tree, base = folder / "tree", folder / "base"
    numbers = itertools.count()
    state = tree / "var/lib/brave-bridge"

    def timed(deed) -> float:
        _settle(temperature)
        return seconds(lambda: (deed(), os.sync()))

    def first() -> float:
        _removed(state)
        return timed(lambda: _ours("take", tree, f"a{next(numbers)}"))

    def copied() -> float:
        _removed(base)
        return timed(lambda: _run(*RSYNC, f"{tree}/", base))

    rounds = 3
    in_turn(f"first snapshot, {temperature}", first, "`rsync -aHAX`", copied, rounds)

    def later() -> float:
        _touch(tree, 0.01)
        return timed(lambda: _ours("take", tree, f"b{next(numbers)}"))

    def linked() -> float:
        _touch(tree, 0.01)
        newer = folder / "newer"
        spent = timed(lambda: _run(*RSYNC, f"--link-dest={base}", f"{tree}/", newer))
        _removed(base)
        newer.rename(base)
        return spent

    in_turn(
        f"later snapshot, 1 % changed, {temperature}",
        later,
        "`rsync -aHAX --link-dest`",
        linked,
        rounds,
    )
    _run(*RSYNC, "--delete", f"{tree}/", base)
    _ours("take", tree, f"c{next(numbers)}")
    _change(tree)
    in_turn(
        f"preview after 12 % changed, {temperature}",
        lambda: timed(lambda: _ours("preview", tree)),
        "`rsync -aHAXn --delete`",
        lambda: timed(lambda: _run(*RSYNC, "-n", "--delete", f"{base}/", tree)),
        rounds,
    )

    def returned() -> float:
        _run(*RSYNC, "--delete", f"{base}/", tree)
        _ours("take", tree, f"d{next(numbers)}")
        _change(tree)
        return timed(lambda: _ours("return", tree))

    def put_back() -> float:
        _change(tree)
        return timed(lambda: _run(*RSYNC, "--delete", f"{base}/", tree))

    in_turn(
        f"return after 12 % changed, {temperature}",
        returned,
        "`rsync -aHAX --delete`",
        put_back,
        rounds,
    )


def _files(tree: Path) -> list[str]:
    found = []
    for parent, folders, names in os.walk(tree):
        folders[:] = [name for name in folders if name != "brave-bridge"]
        found += [f"{parent}/{name}" for name in names]
    return sorted(found)


def _touch(tree: Path, share: float) -> None:
    every = _files(tree)
    for path in random.Random(7).sample(every, int(len(every) * share)):
        with open(path, "ab") as stream:
            stream.write(b"more\n")


def _change(tree: Path) -> None:
    """One file in ten gets other content, one in a hundred goes, one in a hundred comes."""
    every = _files(tree)
    chosen = random.Random(8).sample(every, int(len(every) * 0.12))
    share = len(chosen) // 12
    for path in chosen[: share * 10]:
        content = Path(path).read_bytes()
        Path(path).write_bytes(content[: len(content) // 2] + b"other")
    for path in chosen[share * 10 : share * 11]:
        os.unlink(path)
    for path in chosen[share * 11 :]:
        Path(path + "-new").write_bytes(b"came since\n" * 300)


def _memory(folder: Path) -> None:
    """The most that all processes of each deed held together, shared pages counted once."""
    tree = folder / "tree"
    _removed(tree / "var/lib/brave-bridge")
    for deed, *words in (("take", "m1"), ("take", "m2"), ("preview",), ("return",)):
        if deed == "return":
            _change(tree)
        argv = [sys.executable, "-m", "bench.copies", deed, str(tree), *words]
        process = subprocess.Popen(argv, **_QUIET)
        most = 0
        while process.poll() is None:
            most = max(most, _held_by(process.pid))
            time.sleep(0.02)
        print(f"<!-- memory, {deed} {''.join(words)}: {most / 1024:.0f} MB -->")


def _held_by(parent: int) -> int:
    """Kilobytes held by a process and those that it started (smaps_rollup's Pss)."""
    total = 0
    for pid in (parent, *_children(parent)):
        try:
            text = Path(f"/proc/{pid}/smaps_rollup").read_text()
        except OSError:
            continue
        total += next(
            (int(line.split()[1]) for line in text.splitlines() if line.startswith("Pss:")), 0
        )
    return total


def _children(parent: int) -> list[int]:
    try:
        return [int(w) for w in Path(f"/proc/{parent}/task/{parent}/children").read_text().split()]
    except OSError:
        return []


def _act(deed: str, tree: str, identifier: str = "") -> None:
    """One of ours, in this process."""
    snapshots = Snapshots(TreeMachine("tree", Path(tree)), "bench")
    returning = Returning(snapshots)
    if deed == "take":
        snapshots.take(identifier, About(release="bench", reason="bench"))
    elif deed == "preview":
        returning.preview(snapshots.all()[-1])
    else:
        returning.restore(snapshots.all()[-1])


if __name__ == "__main__":
    if len(sys.argv) > 1 and sys.argv[1] in ("take", "preview", "return"):
        _act(*sys.argv[1:])
    else:
        print(HEAD)
        files = int(sys.argv[1]) if len(sys.argv) > 1 else FILES
        run_all(files, tuple(sys.argv[2:]) or ("warm", "cold"))
