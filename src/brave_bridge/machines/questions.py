"""Asking short commands on a running machine, all at once, each with an end to its time."""

import os
import selectors
import subprocess
import time
from collections.abc import Sequence

from brave_bridge.core.formats.text import decoded
from brave_bridge.machines.queries import Answer, Answers

NOT_THERE, TOO_LONG = 127, 124
_SBIN = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"


def ask_all(query: Answers) -> dict[tuple[str, ...], Answer]:
    """Each command's answer. They run side by side and share the query's seconds."""
    errors = subprocess.STDOUT if query.with_errors else subprocess.DEVNULL
    started = {command: _started(command, errors) for command in query.commands}
    running = {command: process for command, process in started.items() if process is not None}
    outputs = _collected(running, query)
    answers = {}
    for command, process in started.items():
        if process is None:
            answers[command] = Answer(NOT_THERE, "")
            continue
        code = process.poll()
        if code is None:
            process.kill()
            process.wait()
            code = TOO_LONG
        answers[command] = Answer(code, decoded(outputs[command]))
    return answers


def _started(command: Sequence[str], errors: int) -> subprocess.Popen | None:
    environment = {
        "PATH": _SBIN,
        "HOME": "/nonexistent",  # what a command remembers of being asked stays nowhere
        "LC_ALL": "C",
        "TERM": "dumb",
        "SYSTEMD_PAGER": "",
        "COLUMNS": "400",
    }
    kept = ("XDG_RUNTIME_DIR", "LIBVIRT_DEFAULT_URI", "DOCKER_HOST", "XDG_SESSION_ID")
    environment.update({name: os.environ[name] for name in kept if name in os.environ})
    try:
        return subprocess.Popen(
            command,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=errors,
            env=environment,
            cwd="/",
            start_new_session=True,
        )
    except OSError:
        return None


def _collected(running: dict, query: Answers) -> dict[tuple[str, ...], bytes]:
    """What the commands print until they end, or their time or the size limit does."""
    deadline = time.monotonic() + query.seconds
    outputs = dict.fromkeys(running, b"")
    with selectors.DefaultSelector() as selector:
        for command, process in running.items():
            selector.register(process.stdout, selectors.EVENT_READ, command)
        _read_until(deadline, selector, outputs, query.limit)
        for key in list(selector.get_map().values()):
            if key.data[0] not in query.patiently:
                selector.unregister(key.fileobj)
        if selector.get_map():
            deadline += query.more_seconds
            _read_until(deadline, selector, outputs, query.limit)
    for process in running.values():
        process.stdout.close()
    for process in running.values():
        try:
            process.wait(0.5)
        except subprocess.TimeoutExpired:
            continue
    return outputs


def _read_until(
    deadline: float, selector: selectors.BaseSelector, outputs: dict, limit: int
) -> None:
    while selector.get_map():
        left = deadline - time.monotonic()
        if left <= 0:
            return
        for key, _ in selector.select(left):
            piece = os.read(key.fd, 1 << 16)
            outputs[key.data] += piece
            if not piece or len(outputs[key.data]) > limit:
                selector.unregister(key.fileobj)
