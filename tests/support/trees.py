"""Trees with one of everything that a system can hold, and what was done to them since."""

import fcntl
import os
import random
import shutil
import socket
import stat
import struct
import subprocess
from pathlib import Path

from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.description import About
from brave_bridge.snapshots.returning import Returning

TRIAL = About(release="Quayside 5.3", reason="trial", kernel="5.19.0-4")
IS_ROOT = os.geteuid() == 0
_ACL = struct.pack("<I", 2) + b"".join(
    struct.pack("<HHI", tag, rights, who)
    for tag, rights, who in (
        (1, 6, 2**32 - 1),
        (2, 4, 1234),
        (4, 4, 2**32 - 1),
        (16, 4, 2**32 - 1),
        (32, 4, 2**32 - 1),
    )
)
_CAPABILITY = struct.pack("<IIIII", 0x02000001, 1 << 10, 0, 0, 0)
_GETFLAGS, _SETFLAGS, _IMMUTABLE = 0x80086601, 0x40086602, 0x10


def machine_at(root: Path) -> StandInMachine:
    """A machine whose root is that folder."""
    for folder in ("etc", "usr/bin", "home/watch", "var/lib"):
        (root / folder).mkdir(parents=True, exist_ok=True)
    machine = StandInMachine("petrel", root)
    machine.state.make()
    return machine


def catalogue_at(root: Path) -> tuple[Snapshots, Returning]:
    """The snapshots of a machine there, and what can be done with them."""
    snapshots = Snapshots(machine_at(root), "1")
    return snapshots, Returning(snapshots)


def set_immutable(path: Path, on: bool) -> bool:
    """Set or clear the immutable flag; whether the file system has one."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        present = struct.unpack_from("i", fcntl.ioctl(descriptor, _GETFLAGS, bytes(8)))[0]
        wanted = present | _IMMUTABLE if on else present & ~_IMMUTABLE
        fcntl.ioctl(descriptor, _SETFLAGS, struct.pack("q", wanted))
        return True
    except OSError:
        return False
    finally:
        os.close(descriptor)


def is_immutable(path: Path) -> bool:
    """Whether the flag is set."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        raw = fcntl.ioctl(descriptor, _GETFLAGS, bytes(8))
        return bool(struct.unpack_from("i", raw)[0] & _IMMUTABLE)
    except OSError:
        return False
    finally:
        os.close(descriptor)


def fill(root: Path) -> None:
    """One of everything that a system's tree can hold."""
    (root / "etc/plain").write_text("plain\n")
    (root / "etc/empty").touch()
    (root / "etc/narrow").write_text("secret")
    (root / "etc/narrow").chmod(0o600)
    (root / "usr/bin/setid").write_text("#!")
    (root / "usr/bin/setid").chmod(0o4755)
    os.symlink("plain", root / "etc/link")
    os.symlink("nowhere/else", root / "etc/dangling")
    os.link(root / "etc/plain", root / "usr/second-name")
    os.link(root / "etc/link", root / "usr/second-link", follow_symlinks=False)
    os.mkfifo(root / "etc/pipe")
    with socket.socket(socket.AF_UNIX) as waiting:
        here = os.getcwd()
        os.chdir(root / "etc")
        waiting.bind("socket")
        os.chdir(here)
    with open(root / "etc/sparse", "wb") as stream:
        stream.truncate(5_000_000)
        stream.seek(3_000_000)
        stream.write(b"island")
    (root / "etc/large").write_bytes(random.Random(1).randbytes(2_500_000))
    (root / os.fsdecode(b"etc/not-utf8-\xff\xfe")).write_bytes(b"x")
    (root / 'etc/new\nline %41 "quoted" \\').write_text("odd name")
    (root / "etc" / ("long" * 63)).write_text("a name of 252 bytes")
    (root / "home/watch/notes").write_text("mine")
    os.utime(root / "etc/plain", ns=(1, 1_234_567_890_123_456_789))
    os.setxattr(root / "etc/plain", "user.tide", b"\x00high\xff")
    if IS_ROOT:
        os.chown(root / "etc/narrow", 1234, 4321)
        os.mknod(root / "etc/device", 0o600 | stat.S_IFCHR, os.makedev(1, 3))
        os.mknod(root / "etc/disk", 0o640 | stat.S_IFBLK, os.makedev(7, 99))
        os.chown(root / "etc/link", 77, 78, follow_symlinks=False)
        (root / "usr/bin/capable").write_text("#!")
        os.setxattr(root / "usr/bin/capable", "security.capability", _CAPABILITY)
        (root / "etc/listed").write_text("for one more")
        os.setxattr(root / "etc/listed", "system.posix_acl_access", _ACL)
        os.setxattr(root / "usr/bin", "system.posix_acl_default", _ACL)
        (root / "etc/fixed").write_text("never to change")
        set_immutable(root / "etc/fixed", True)
    os.utime(root / "etc", ns=(5, 9_876_543_210_000_000_123))


def wreck(root: Path) -> None:
    """Change everything that a crossing or a person could."""
    (root / "etc/plain").write_text("other\n")
    (root / "usr/bin/setid").chmod(0o755)
    (root / "etc/narrow").unlink()
    (root / "etc/narrow").mkdir()
    (root / "etc/narrow/inside").write_text("x")
    (root / "etc/link").unlink()
    (root / "etc/link").write_text("now a file")
    (root / "usr/second-name").unlink()
    (root / "usr/second-name").write_text("plain\n")
    (root / "etc/pipe").unlink()
    with open(root / "etc/large", "r+b") as stream:
        stream.seek(2_000_000)
        stream.write(b"one block changed")
    (root / "new/deep/er").mkdir(parents=True)
    (root / "new/deep/er/file").write_text("came since")
    os.rename(root / "usr/bin", root / "usr/moved")
    os.symlink("moved", root / "usr/bin")
    os.symlink("/etc", root / "new/loop")
    if IS_ROOT:
        set_immutable(root / "etc/fixed", False)
        (root / "etc/fixed").write_text("changed all the same")
        set_immutable(root / "etc/fixed", True)
        (root / "new/stuck").write_text("cannot be removed at once")
        set_immutable(root / "new/stuck", True)


def free(root: Path) -> None:
    """Take the flags away that would keep a folder from being removed."""
    for parent, _, names in os.walk(root):
        for name in names:
            path = Path(parent, name)
            if stat.S_ISREG(path.lstat().st_mode):
                set_immutable(path, False)


LEFT_OUT = (b"var/lib/brave-bridge", b"home")


def described(root: Path) -> dict:
    """The tree as ``lstat`` and the contents tell it, without our own manifest code."""
    found = {}
    for parent, folders, files in os.walk(os.fsencode(root)):
        for name in [*folders, *files]:
            path = os.path.join(parent, name)
            relative = os.path.relpath(path, os.fsencode(root))
            status = os.lstat(path)
            if relative.startswith(LEFT_OUT) or stat.S_ISSOCK(status.st_mode):
                continue
            content = b""
            if stat.S_ISREG(status.st_mode):
                content = Path(os.fsdecode(path)).read_bytes()
            elif stat.S_ISLNK(status.st_mode):
                content = os.readlink(path)
            links = status.st_nlink if not stat.S_ISDIR(status.st_mode) else 0
            xattrs = {
                n: os.getxattr(path, n, follow_symlinks=False)
                for n in os.listxattr(path, follow_symlinks=False)
            }
            found[relative] = (
                status.st_mode,
                status.st_uid,
                status.st_gid,
                status.st_mtime_ns,
                status.st_size if stat.S_ISREG(status.st_mode) else 0,
                status.st_rdev,
                links,
                content,
                xattrs,
            )
    return found


def differing(before: dict, after: dict) -> list:
    """The paths that two descriptions disagree on."""
    return sorted(p for p in before.keys() | after.keys() if before.get(p) != after.get(p))


def rough(root: Path, chance: random.Random, steps: int) -> None:
    """Do something random to a tree below ``etc``, of every kind, many times."""
    names = ["a", "b", "c", "d", "e f", "ü"]
    for _ in range(steps):
        path = root / "etc" / "/".join(chance.choices(names, k=chance.randint(1, 3)))
        try:
            _one_step(path, root, chance, names)
        except OSError:
            continue


def _one_step(path: Path, root: Path, chance: random.Random, names: list[str]) -> None:
    kind = chance.choice(
        ("file", "file", "folder", "link", "hard", "gone", "mode", "pipe", "xattr", "holes", "time")
    )
    if kind in ("file", "holes") and path.exists() and not path.is_file():
        return  # Opening a pipe would wait for its other end.
    if kind in ("file", "link", "pipe", "holes"):
        path.parent.mkdir(parents=True, exist_ok=True)
    if kind == "file":
        path.write_bytes(chance.randbytes(chance.choice((0, 20, 5_000, 1_100_000))))
    elif kind == "folder":
        path.mkdir(parents=True)
    elif kind == "link":
        os.symlink(chance.choice(names), path)
    elif kind == "hard":
        others = [p for p in (root / "etc").rglob("*") if not p.is_dir()]
        os.link(chance.choice(others or [path]), path, follow_symlinks=False)
    elif kind == "mode":
        path.chmod(chance.choice((0o700, 0o750, 0o711, 0o4755 if path.is_file() else 0o1777)))
    elif kind == "pipe":
        os.mkfifo(path)
    elif kind == "xattr":
        os.setxattr(path, "user.tide", chance.randbytes(8))
    elif kind == "holes":
        with open(path, "wb") as stream:
            stream.truncate(chance.randint(1, 3) * 1_000_000)
            stream.seek(500_000)
            stream.write(b"island")
    elif kind == "time":
        os.utime(path, ns=(1, chance.randrange(2 * 10**18)), follow_symlinks=False)
    elif path.is_dir() and not path.is_symlink():
        shutil.rmtree(path)
    else:
        path.unlink()


def helper_that_dies() -> subprocess.Popen:
    """What a crew calls where its helpers end at once."""
    return subprocess.Popen(["false"], stdin=subprocess.PIPE, stdout=subprocess.PIPE)


def fill_with_parts(root: Path, chance: random.Random, count: int) -> None:
    """So many folders of three files each, so that what is done to them takes a while."""
    for number in range(count):
        folder = _part(root, number)
        folder.mkdir(parents=True)
        for name in "abc":
            (folder / name).write_bytes(chance.randbytes(3_000))


def change_parts(root: Path, chance: random.Random, count: int, changed: int) -> None:
    """In some of them a file that is other, one that is gone, and one that came since."""
    for number in chance.sample(range(count), changed):
        folder = _part(root, number)
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "a").write_bytes(chance.randbytes(2_000))
        (folder / "b").unlink(missing_ok=True)
        (folder / f"new-{number}").write_bytes(b"came since")


def _part(root: Path, number: int) -> Path:
    return root / f"usr/share/{number % 9}/part-{number}"
