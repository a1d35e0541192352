"""Jobs: commands that run detached, each with its output, exit code and times in a folder.

A job goes on when whoever started it ends. Whoever comes back reads on where the output
stood. The launcher is one constant shell script that is handed the argv as arguments;
nothing is ever pasted into it. Who starts it claims the folder first, so that of two starters
only one runs the command. While it lives it holds a lock that the kernel lets go with it: neither
a clock that is set, nor a full disk, nor a number that another process has by now is taken for it.
"""

import contextlib
import fcntl
import os
import re
import signal
import subprocess
import time
from collections.abc import Mapping, Sequence

import msgspec

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.named import kernel_text

_LAUNCHER = """
exec 4<&0
cd "$1" || exit 70
shift
exec >output 2>&1 3>status </dev/null
awk '{print $22}' "/proc/$$/stat" >birth 2>/dev/null
echo "$$" >pid.new && mv pid.new pid
date +%s.%N >began
first=$1
shift
code=0
if [ "$first" -gt 0 ]; then
  (
    rest=$(($# - first))
    while [ "$first" -gt 0 ]; do
      set -- "$@" "$1"
      shift
      first=$((first - 1))
    done
    shift "$rest"
    exec "$@" 4<&-
  )
  code=$?
  shift "$first"
fi
if [ "$code" -eq 0 ]; then
  "$@" 4<&-
  code=$?
fi
exec 3>&-
date +%s.%N >ended
echo "$code" >code.new
sync code.new 2>/dev/null
mv code.new code
"""

_START_GRACE_SECONDS = 3.0
_HANDED_BYTES = 256 << 10
_CLAIMED, _COMMAND, _HELD = "claimed", "command.json", "held"
_LONGEST_TEXT = 200
_CODE = re.compile(r"^[0-9]{1,3}$")
_MOMENT = re.compile(r"^[0-9]{1,12}(?:\.[0-9]{1,9})?")


class JobState(msgspec.Struct, frozen=True):
    """How a job stands. ``state`` is ``running``, ``ended`` or ``lost``.

    ``lost`` means that it vanished without an exit code: killed, or the power went.
    """

    state: str
    exit_code: int | None
    seconds: float


def launch(
    folder: Beneath,
    argv: Sequence[str],
    environment: Mapping[str, str],
    inner: Sequence[str],
    first: Sequence[str] = (),
) -> None:
    """Start ``argv`` (which wraps the command ``inner``) detached; its record goes to ``folder``.

    ``first`` is a command that has to end well before; where it does not, its exit code is the
    job's. Comes back once the launcher has begun. Whoever else claimed the folder runs it.
    """
    folder.make_folder(0o755)
    try:
        (folder / _CLAIMED).make_new_folder(0o755)
    except FileExistsError:
        return
    _clear(folder)
    record = msgspec.json.encode({"argv": list(inner), "environment": dict(environment)})
    (folder / _COMMAND).write(record)
    words = ["/bin/sh", "-c", _LAUNCHER, "job", str(folder), str(len(first)), *first, *argv]
    with (folder / _HELD).opened_to_change() as held:
        with contextlib.suppress(OSError):  # a file system without locks: its number tells then
            fcntl.flock(held, fcntl.LOCK_EX)
        launcher = subprocess.Popen(
            words,
            stdin=held,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
            env={**_inherited(), **environment},
        )
    while not (folder / "pid").is_file() and launcher.poll() is None:
        time.sleep(0.002)


def _clear(folder: Beneath) -> None:
    """Take away what stands in a folder before its job has written anything: it is not ours."""
    for name in folder.names():
        if name != _CLAIMED:
            (folder / name).remove_all()


def hand(argv: Sequence[str], secret: bytes, limit_seconds: float) -> tuple[int, bytes]:
    """Run a command with a secret at its standard input: exit code and the end of its output.

    Both its outputs are taken together, the last 256 KiB of them. TimeoutError where it takes
    longer: it is ended then, with all that it started.
    """
    process = subprocess.Popen(
        list(argv),
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        start_new_session=True,
        env=_inherited(),
    )
    try:
        output, _ = process.communicate(secret, timeout=limit_seconds)
    except subprocess.TimeoutExpired as error:
        os.killpg(process.pid, signal.SIGKILL)
        process.communicate()
        raise TimeoutError(str(limit_seconds)) from error
    return process.returncode, output[-_HANDED_BYTES:]


def _inherited() -> dict[str, str]:
    """What of our environment a job keeps: the home of whoever called us is not root's."""
    names = (
        "PATH",
        "http_proxy",
        "https_proxy",
        "no_proxy",
        "TMPDIR",
        "LIBVIRT_DEFAULT_URI",
        "DOCKER_HOST",
    )
    kept = {name: os.environ[name] for name in names if name in os.environ}
    sbin = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"
    return {**kept, "HOME": "/root", "PATH": kept.get("PATH", "") + ":" + sbin}


def state_of(folder: Beneath) -> JobState | None:
    """How the job of a folder stands; None where it was never started."""
    if not (folder / _CLAIMED).is_folder():
        return None
    if (ended := _ended(folder)) is not None:
        return ended
    if _is_alive(folder):
        return JobState("running", None, _seconds(folder))
    # It may have ended between the two looks.
    return _ended(folder) or JobState("lost", None, _seconds(folder))


def _ended(folder: Beneath) -> JobState | None:
    code = _text(folder / "code")
    return JobState("ended", int(code), _seconds(folder)) if _CODE.match(code) else None


def running_in(folder: Beneath) -> list[Beneath]:
    """The folders of all jobs below one that run, sorted."""
    found = [entry for entry in folder.folders() if not (entry / "code").is_file()]
    return [entry for entry in found if (job := state_of(entry)) and job.state == "running"]


def _is_alive(folder: Beneath) -> bool:
    held = _is_held(folder / _HELD)
    return held if held is not None else _is_seen(folder)


def _is_held(lock: Beneath) -> bool | None:
    """Whether a launcher holds its lock; None where no lock can tell (an earlier version's job)."""
    try:
        with lock.opened() as stream:
            fcntl.flock(stream, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return None
    return False


def _is_seen(folder: Beneath) -> bool:
    """Whether its process is there, by what it wrote of itself."""
    pid = _text(folder / "pid")
    if not pid:
        claimed = (folder / _CLAIMED).status()
        return claimed is not None and time.time() - claimed.st_mtime < _START_GRACE_SECONDS
    birth = _text(folder / "birth")
    fields = kernel_text(f"/proc/{pid}/stat").rpartition(")")[2].split() if pid.isdigit() else []
    if len(fields) < 20:
        return False
    return fields[0] != "Z" and (not birth or fields[19] == birth)


def _text(place: Beneath) -> str:
    try:
        return place.read(_LONGEST_TEXT).decode("ascii", "replace").strip()
    except OSError:
        return ""


def _seconds(folder: Beneath) -> float:
    began, ended = _moment(folder / "began"), _moment(folder / "ended")
    if not began:
        return 0.0
    return max(0.0, (ended or time.time()) - began)


def _moment(place: Beneath) -> float:
    """Seconds since the epoch as ``date`` wrote them; 0 where that is not there, or no time."""
    found = _MOMENT.match(_text(place))
    return float(found[0]) if found else 0.0


def output_of(folder: Beneath, limit: int) -> bytes:
    """The job's output, its middle cut out where it is longer than ``limit`` bytes."""
    try:
        with (folder / "output").opened() as stream:
            size = os.fstat(stream.fileno()).st_size
            if size <= limit:
                return stream.read(limit)
            head = stream.read(limit // 2)
            stream.seek(size - limit // 2)
            return (
                head
                + b"\n[... %d bytes are in the job's folder ...]\n" % (size - limit)
                + stream.read(limit)
            )
    except FileNotFoundError:
        return b""


def last_status(folder: Beneath) -> str:
    """The newest complete line that the command wrote to its status descriptor."""
    return _last_line_of(folder / "status")


def lines_of(folder: Beneath) -> int:
    """How many lines the command's output has by now."""
    try:
        with (folder / "output").opened() as stream:
            return sum(piece.count(b"\n") for piece in iter(lambda: stream.read(1 << 20), b""))
    except OSError:
        return 0


def last_line(folder: Beneath) -> str:
    """The newest line of the command's output."""
    return _last_line_of(folder / "output")


def _last_line_of(place: Beneath) -> str:
    try:
        with place.opened() as stream:
            size = stream.seek(0, os.SEEK_END)
            stream.seek(max(0, size - 4096))
            lines = stream.read(4096).decode("utf-8", "replace").splitlines()
    except OSError:
        return ""
    return lines[-1] if lines else ""
