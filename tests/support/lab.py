"""Real systems for tests: a cached Debian tree, overlays of it, file systems on loop devices.

Everything is made below folders that the caller names (and one cache), and taken down on
the way out, also after a failure.
"""

import contextlib
import fcntl
import hashlib
import inspect
import os
import shutil
import stat
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from urllib.parse import urlsplit

from brave_bridge.core.formats.apt_sources import entries
from brave_bridge.families.deb.survey import read_source_files
from brave_bridge.machines.local import LocalMachine
from tests.support.in_memory import room_in_memory

CACHE = Path(os.environ.get("BRAVE_BRIDGE_LAB", "/var/tmp/brave-bridge-lab"))
PACKAGES = "openssh-server,nginx-light,rsyslog,logrotate"
NEEDED_TOOLS = ("mmdebstrap", "unshare", "mount", "btrfs", "mkfs.btrfs")
_PAPERS = tuple(f"/usr/share/{name}" for name in ("doc", "info", "locale", "man"))
NO_PAPERS = tuple(f"path-exclude={folder}/*" for folder in _PAPERS)
"""Options of dpkg(1) that leave out what no system that only boots has a reader for."""
_ONE_USR = """cd "$1" && for one in bin lib lib32 lib64 libx32 sbin; do
  mkdir -p "usr/$one" && ln -s "usr/$one" "$one"
done"""
_AS_INSTALLED = (
    "--variant=minbase",
    f"--setup-hook={_ONE_USR}",
    "--skip=cleanup/apt/lists",
)
"""As the system's own installer leaves it: one /usr, and the lists of its archives."""
_A_WEEK = 7 * 24 * 3600


def why_not() -> str:
    """Why no real system can be built here; empty when it can."""
    if os.geteuid() != 0:
        return "building a real system tree needs root"
    missing = [tool for tool in NEEDED_TOOLS if shutil.which(tool) is None]
    if missing:
        return f"missing tools: {', '.join(missing)}"
    return "" if mirrors() else "this machine's own package sources name no Debian mirror"


def mirrors() -> list[str]:
    """The addresses of this machine's own package sources, the main archive first."""
    sources = [entry for file in read_source_files(LocalMachine()) for entry in entries(file)]
    uris = dict.fromkeys(uri.rstrip("/") for entry in sources for uri in entry.uris)
    archives = ("/debian", "/debian-security")
    return sorted((uri for uri in uris if uri.endswith(archives)), key=len)


def _run(argv: list, *, check: bool = True, timeout: float = 900) -> str:
    done = subprocess.run(
        [str(word) for word in argv],
        capture_output=True,
        text=True,
        check=False,
        timeout=timeout,
        stdin=subprocess.DEVNULL,
        env={**os.environ, "LC_ALL": "C"},
    )
    if check and done.returncode != 0:
        raise RuntimeError(
            f"{argv[0]} gave {done.returncode}: {done.stdout[-800:]}{done.stderr[-800:]}"
        )
    return done.stdout


def bullseye() -> Path:
    """A Debian 11 tree with a few servers and two changed config files; built once, then kept.

    Nobody may change it: copy it or lay an overlay over it.
    """
    return _grown("bullseye", PACKAGES, _settle)


def kept_tree(
    name: str,
    packages: str,
    settle: Callable[[Path], None],
    release: str = "bullseye",
    *more: str,
) -> Path:
    """A Debian tree with these packages, settled and then kept in the cache.

    ``more`` are further words for mmdebstrap(1).
    """

    words = [*_AS_INSTALLED, f"--include={packages}", *more, release]

    def make(building: Path) -> None:
        _run(["mmdebstrap", *words, building, f"deb {mirrors()[0]} {release} main"])
        settle(building)

    return _kept(name, f"{words} {_source_of(settle)}", make)


def small() -> Path:
    """The Debian 11 tree from which the others grow, with cron; nobody may change it."""
    return kept_tree("small", "ca-certificates,cron", one_source)


def _grown(
    name: str, packages: str, settle: Callable[[Path], None], *, papers: bool = True
) -> Path:
    """The small Debian 11 tree that they all share, with these packages more.

    Without ``papers`` it has no documentation and no translations.
    """

    def make(building: Path) -> None:
        _run(["cp", "-a", small(), building])
        if not papers:
            _take_papers_away(building)
        install(building, packages.split(","))
        settle(building)

    return _kept(name, f"{packages} {_source_of(settle)} {papers}", make)


def _take_papers_away(tree: Path) -> None:
    """Those that are there, and those of whatever is installed from then on."""
    (tree / "etc/dpkg/dpkg.cfg.d/lab").write_text("".join(f"{one}\n" for one in NO_PAPERS))
    for folder in _PAPERS:
        shutil.rmtree(tree / folder.lstrip("/"))


def install(tree: Path, packages: list[str]) -> None:
    """Install packages in a tree by its own package manager; nothing of them is started."""
    shutil.copy("/etc/resolv.conf", tree / "etc/resolv.conf")
    asleep = tree / "usr/sbin/policy-rc.d"
    asleep.write_text("#!/bin/sh\nexit 101\n")
    asleep.chmod(0o755)
    within = ["unshare", "-m", "-p", "-f", "chroot", tree]
    apt = [*within, "env", "DEBIAN_FRONTEND=noninteractive", "apt-get", "-q", "-y"]
    _run([*apt, "update"])
    _run([*apt, "--no-install-recommends", "install", *packages])
    _run([*apt, "clean"])
    asleep.unlink()


def _source_of(settle: Callable[[Path], None]) -> str:
    return inspect.getsource(inspect.getmodule(settle))


def _kept(name: str, recipe: str, make: Callable[[Path], None]) -> Path:
    """What is made by a recipe, which is all that it depends on, kept in the cache."""
    key = hashlib.sha256(f"{recipe} {mirrors()} 4".encode()).hexdigest()[:12]
    tree = CACHE / f"{name}-{key}"
    with one_at_a_time(name):
        if not tree.is_dir():
            # In memory it takes half as long: a package manager waits for the disk all the time.
            beside = room_in_memory() or CACHE
            half = CACHE / f"half-built-{name}"
            for left in (half, *beside.glob(f"half-built-{name}-*"), *_unused(name)):
                shutil.rmtree(left, ignore_errors=True)
            with tempfile.TemporaryDirectory(prefix=f"half-built-{name}-", dir=beside) as place:
                building = Path(place) / name
                make(building)
                _run(["cp", "-a", building, half])
            half.rename(tree)
        os.utime(tree)
    return tree


def _unused(name: str) -> list[Path]:
    """Kept trees of that name, made by other recipes, that nobody asked for in a week."""
    trees = CACHE.glob(f"{name}-*")
    return [tree for tree in trees if time.time() - tree.stat().st_mtime > _A_WEEK]


@contextlib.contextmanager
def one_at_a_time(name: str) -> Iterator[None]:
    """Let nobody else make something of that name for the cache meanwhile."""
    CACHE.mkdir(parents=True, exist_ok=True)
    with open(CACHE / f"lock-{name}", "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


@contextlib.contextmanager
def of_i386(folder: Path) -> Iterator[Path]:
    """The small Debian 11 tree with the records that the same packages of i386 leave.

    It is only read: none of its programs is of that architecture.
    """
    with overlay(small(), folder) as tree:
        status = tree / "var/lib/dpkg/status"
        status.write_text(status.read_text().replace("ture: amd64\n", "ture: i386\n"))
        (tree / "var/lib/dpkg/arch").write_text("i386\n")
        for names in (tree / "var/lib/dpkg/info").glob("*:amd64.*"):
            names.rename(names.with_name(names.name.replace(":amd64.", ":i386.")))
        yield tree


def with_init() -> Path:
    """A small Debian 11 tree that boots: systemd, message bus, a few services; kept.

    Nobody may change it.
    """
    return _grown("init", "systemd-sysv,dbus,iproute2,openssh-server", one_source, papers=False)


def with_openrc() -> Path:
    """A small Debian 11 tree that boots by OpenRC, with cron; kept. Nobody may change it."""
    return _grown("openrc", "sysvinit-core,openrc", one_source, papers=False)


def one_source(tree: Path, release: str = "bullseye") -> None:
    """Have a tree take its packages from the main archive alone."""
    (tree / "etc/apt/sources.list").write_text(f"deb {mirrors()[0]} {release} main\n")


def proxies() -> dict[str, str]:
    """The variables by which programs find the proxy of the tests."""
    return {name: os.environ[name] for name in ("http_proxy", "no_proxy") if name in os.environ}


def proxy_ports() -> tuple[int, ...]:
    """The ports of this machine's loopback at which that proxy answers."""
    return tuple(urlsplit(one).port for one in proxies().values() if "://127.0.0.1:" in one)


def _settle(tree: Path) -> None:
    """Sources in both notations, and what an administrator changed."""
    main, *others = mirrors()
    (tree / "etc/apt/sources.list").write_text(
        f"# the main archive\ndeb {main} bullseye main\n# deb-src {main} bullseye main\n"
    )
    for security in others[:1]:
        (tree / "etc/apt/sources.list.d/security.sources").write_text(
            f"Types: deb\nURIs: {security}\nSuites: bullseye-security\nComponents: main\n"
        )
    _edit(tree / "etc/nginx/nginx.conf", "worker_connections 768", "worker_connections 2048")
    _edit(tree / "etc/logrotate.conf", "rotate 4", "rotate 12")
    _edit(tree / "etc/ssh/sshd_config", "#MaxAuthTries 6", "MaxAuthTries 3")


def _edit(path: Path, old: str, new: str) -> None:
    text = path.read_text()
    assert old in text, path
    path.write_text(text.replace(old, new))


@contextlib.contextmanager
def overlay(lower: Path, folder: Path, *, opaque: tuple[str, ...] = ()) -> Iterator[Path]:
    """A writable view of a tree; what is written goes to ``folder``/upper.

    Below the ``opaque`` folders nothing of the tree shows.
    """
    upper, work, merged = folder / "upper", folder / "work", folder / "merged"
    for place in (upper, work, merged):
        place.mkdir(parents=True, exist_ok=True)
    for path in opaque:
        (upper / path).mkdir(parents=True, exist_ok=True)
        os.setxattr(upper / path, "trusted.overlay.opaque", b"y")
    options = f"lowerdir={lower},upperdir={upper},workdir={work}"
    _run(["mount", "-t", "overlay", "overlay", "-o", options, merged])
    try:
        yield merged
    finally:
        _run(["umount", "-l", merged])


@contextlib.contextmanager
def small_disk(folder: Path, size: str) -> Iterator[Path]:
    """A new ext4 file system with few inodes in a sparse file, mounted."""
    image, mount = folder / "small.img", folder / "small"
    mount.mkdir(parents=True)
    _run(["truncate", "-s", size, image])
    _run(["mkfs.ext4", "-q", "-N", "60000", image])
    _run(["mount", "-o", "loop", image, mount])
    try:
        yield mount
    finally:
        _run(["umount", mount], check=False) or _run(["umount", "-l", mount], check=False)
        image.unlink()


@contextlib.contextmanager
def disk(folder: Path, kind: str, size: str = "400M", *more: str) -> Iterator[Path]:
    """A new file system of that kind (ext4, xfs, btrfs) in a sparse file, mounted.

    ``more`` are further words for what makes it.
    """
    image, mount = folder / f"{kind}.img", folder / kind
    mount.mkdir(parents=True)
    _run(["truncate", "-s", size, image])
    _run([f"mkfs.{kind}", "-q", *more, image])
    _run(["mount", "-o", "loop", image, mount])
    try:
        yield mount
    finally:
        _run(["umount", "-R", mount], check=False) or _run(["umount", "-l", mount], check=False)
        image.unlink()


def loop_of(mount: Path) -> str:
    """The loop device that stands under a mount."""
    for line in Path("/proc/self/mounts").read_text().splitlines():
        device, path, *_ = line.split()
        if path == str(mount):
            return device
    raise RuntimeError(f"nothing is mounted at {mount}")


@contextlib.contextmanager
def btrfs(folder: Path, size: str = "6G") -> Iterator[Path]:
    """A new btrfs file system in a sparse file, mounted."""
    image, mount = folder / "disk.img", folder / "disk"
    folder.mkdir(parents=True, exist_ok=True)
    mount.mkdir()
    _run(["truncate", "-s", size, image])
    _run(["mkfs.btrfs", "--quiet", image])
    _run(["mount", "-o", "loop", image, mount])
    try:
        yield mount
    finally:
        _run(["umount", mount], check=False) or _run(["umount", "-l", mount], check=False)
        image.unlink()


def copy_tree(source: Path, target: Path) -> None:
    """Copy a tree with all its attributes."""
    _run(["cp", "-a", "--reflink=auto", f"{source}/.", target])


def in_tree(tree: Path, *argv: str) -> tuple[int, str]:
    """Run a command of the tree itself, by chroot; its exit code and output."""
    done = subprocess.run(
        ["chroot", tree, *argv],
        capture_output=True,
        text=True,
        check=False,
        timeout=120,
        stdin=subprocess.DEVNULL,
        env={"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "LC_ALL": "C"},
    )
    return done.returncode, done.stdout + done.stderr


def full_manifest(root: Path, leave_out: tuple[str, ...]) -> dict[str, tuple]:
    """What stands at every path: type, mode, owner, time, size, attributes, content, links.

    Written apart from the product's own manifest, to judge it.
    """
    found: dict[str, tuple] = {}
    twins: dict[tuple[int, int], str] = {}
    pending = [""]
    while pending:
        relative = pending.pop()
        if relative in leave_out:
            continue
        place = os.path.join(root, relative)
        info = os.lstat(place)
        if stat.S_ISDIR(info.st_mode):
            pending += [os.path.join(relative, name) for name in os.listdir(place)]
        twin = twins.setdefault((info.st_dev, info.st_ino), relative)
        found[relative] = (
            info.st_mode,
            info.st_uid,
            info.st_gid,
            info.st_mtime_ns,
            info.st_rdev,
            0 if stat.S_ISDIR(info.st_mode) else info.st_size,
            tuple(
                (n, os.getxattr(place, n, follow_symlinks=False))
                for n in sorted(os.listxattr(place, follow_symlinks=False))
            ),
            _content(place, info),
            twin if twin != relative else "",
        )
    first_of = {
        path: min(p for p, row in found.items() if row[-1] == path or p == path)
        for path in {row[-1] for row in found.values() if row[-1]}
    }
    for path, row in found.items():
        group = row[-1] or path
        found[path] = (*row[:-1], first_of.get(group, ""))
    return found


def _content(place: str, info: os.stat_result) -> str:
    if stat.S_ISLNK(info.st_mode):
        return os.readlink(place)
    if not stat.S_ISREG(info.st_mode):
        return ""
    with open(place, "rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def differences(before: dict[str, tuple], after: dict[str, tuple]) -> list[str]:
    """The paths that differ, each with how."""
    return [
        f"{path}: {before.get(path)} became {after.get(path)}"
        for path in sorted(before.keys() | after.keys())
        if before.get(path) != after.get(path)
    ]
