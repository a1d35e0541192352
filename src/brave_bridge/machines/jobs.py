"""Jobs: commands that run detached, each with its output, exit code and times in a folder.

A job goes on when whoever started it ends. Whoever comes back reads on where the output
stood. The launcher is one constant shell script that is handed the argv as arguments;
nothing is ever pasted into it. It claims the folder first, so that of two starters only
one runs the command.
"""

import os
import signal
import subprocess
import time
from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec

_LAUNCHER = """
cd "$1" || exit 70
shift
mkdir claimed 2>/dev/null || exit 71
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
    exec "$@"
  )
  code=$?
  shift "$first"
fi
if [ "$code" -eq 0 ]; then
  "$@"
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


class JobState(msgspec.Struct, frozen=True):
    """How a job stands. ``state`` is ``running``, ``ended`` or ``lost``.

    ``lost`` means that it vanished without an exit code: killed, or the power went.
    """

    state: str
    exit_code: int | None
    seconds: float


def launch(
    folder: Path,
    argv: Sequence[str],
    environment: Mapping[str, str],
    inner: Sequence[str],
    first: Sequence[str] = (),
) -> None:
    """Start ``argv`` (which wraps the command ``inner``) detached; its record goes to ``folder``.

    ``first`` is a command that has to end well before; where it does not, its exit code is the
    job's. Comes back once the launcher has claimed the folder.
    """
    folder.mkdir(parents=True, exist_ok=True)
    record = msgspec.json.encode({"argv": list(inner), "environment": dict(environment)})
    (folder / "command.json").write_bytes(record)
    launcher = subprocess.Popen(
        ["/bin/sh", "-c", _LAUNCHER, "job", str(folder), str(len(first)), *first, *argv],
        stdin=subprocess.DEVNULL,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
        env={**_inherited(), **environment},
    )
    while not (folder / "claimed").is_dir() and launcher.poll() is None:
        time.sleep(0.002)


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


def state_of(folder: Path) -> JobState | None:
    """How the job of a folder stands; None where it was never started."""
    if not (folder / "claimed").is_dir():
        return None
    code = _text(folder / "code")
    if code:
        return JobState("ended", int(code), _seconds(folder))
    if _is_alive(folder):
        return JobState("running", None, _seconds(folder))
    # It may have ended between the two looks.
    code = _text(folder / "code")
    if code:
        return JobState("ended", int(code), _seconds(folder))
    return JobState("lost", None, _seconds(folder))


def running_in(folder: Path) -> list[Path]:
    """The folders of all jobs below one that run, sorted."""
    try:
        found = sorted(entry for entry in folder.iterdir() if not (entry / "code").exists())
    except OSError:
        return []
    return [entry for entry in found if (job := state_of(entry)) and job.state == "running"]


def _is_alive(folder: Path) -> bool:
    pid = _text(folder / "pid")
    if not pid:
        began = (folder / "claimed").stat().st_mtime
        return time.time() - began < _START_GRACE_SECONDS
    birth = _text(folder / "birth")
    try:
        fields = Path("/proc", pid, "stat").read_text().rpartition(")")[2].split()
    except OSError:
        return False
    return fields[0] != "Z" and (not birth or fields[19] == birth)


def _text(path: Path) -> str:
    try:
        return path.read_text().strip()
    except OSError:
        return ""


def _seconds(folder: Path) -> float:
    began, ended = _text(folder / "began"), _text(folder / "ended")
    if not began:
        return 0.0
    return max(0.0, (float(ended) if ended else time.time()) - float(began))


def output_of(folder: Path, limit: int) -> bytes:
    """The job's output, its middle cut out where it is longer than ``limit`` bytes."""
    try:
        with open(folder / "output", "rb") as stream:
            size = os.fstat(stream.fileno()).st_size
            if size <= limit:
                return stream.read()
            head = stream.read(limit // 2)
            stream.seek(size - limit // 2)
            return (
                head
                + b"\n[... %d bytes are in the job's folder ...]\n" % (size - limit)
                + stream.read()
            )
    except FileNotFoundError:
        return b""


def last_status(folder: Path) -> str:
    """The newest complete line that the command wrote to its status descriptor."""
    return _last_line_of(folder / "status")


def lines_of(folder: Path) -> int:
    """How many lines the command's output has by now."""
    try:
        with open(folder / "output", "rb") as stream:
            return sum(piece.count(b"\n") for piece in iter(lambda: stream.read(1 << 20), b""))
    except OSError:
        return 0


def last_line(folder: Path) -> str:
    """The newest line of the command's output."""
    return _last_line_of(folder / "output")


def _last_line_of(path: Path) -> str:
    try:
        with open(path, "rb") as stream:
            size = stream.seek(0, os.SEEK_END)
            stream.seek(max(0, size - 4096))
            lines = stream.read().decode("utf-8", "replace").splitlines()
    except OSError:
        return ""
    return lines[-1] if lines else ""
