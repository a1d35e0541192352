"""A made-up licence and activation service: HTTP on the loopback, with a book of keys and faults.

``POST /check`` and ``POST /activate`` take and give JSON objects; docs/licensed.md has them. The
book knows keys by their digests alone. ``python -m brave_bridge.machines.standin.licence_service
CODE`` is the office on the telephone: it says what confirms a code.
"""

import hashlib
import json
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from brave_bridge.core.licensed.key import check_character, grouped
from brave_bridge.machines.opening.named import ours_at
from brave_bridge.machines.port import STATE_FOLDER

BOOK = f"{STATE_FOLDER}/stand-in-licences.json"
"""What the service of a stand-in knows; outside what a return puts back."""

SLOW, DOWN, CLOCK, LIES, HUGE, BABBLES = "slow", "down", "clock", "lies", "huge", "babbles"
"""What may be wrong with it: a fault in its book."""

SLOW_SECONDS = 30
_MOST = 100_000


def digest_of(key: str) -> str:
    """By what the book knows a key."""
    return hashlib.sha256(f"licence {key}".encode()).hexdigest()


def code_of(licence: str, machine: str) -> str:
    """What a machine names on the telephone."""
    return grouped(_digits(f"install {licence} {machine}", 11) + "0", " ")


def confirmation_of(code: str) -> str:
    """What the office answers to it; it has the form of a key."""
    body = "ZZ" + _digits(f"confirm {code.replace(' ', '')}", 17)
    return body + check_character(body)


def _digits(words: str, count: int) -> str:
    return str(int(hashlib.sha256(words.encode()).hexdigest(), 16))[:count]


class Book:
    """The service's book: a file of keys by digest, each with its edition and how often it opens.

    ``{"keys": {DIGEST: {"edition", "left", "machines"}}, "fault": ""}``
    """

    _lock = threading.Lock()

    def __init__(self, place: Path) -> None:
        self._place = place

    def read(self) -> dict[str, Any]:
        """All of it."""
        return json.loads(self._place.read_bytes())

    def check(self, asked: dict[str, Any]) -> dict[str, Any]:
        """Whether a key opens an edition."""
        known = self.read()["keys"].get(digest_of(str(asked.get("key"))))
        return self._verdict(known, str(asked.get("edition")), str(asked.get("machine")))

    def activate(self, asked: dict[str, Any]) -> dict[str, Any]:
        """Take a licence into use on a machine; once more on the same one costs nothing."""
        with self._lock:
            book = self.read()
            known = book["keys"].get(str(asked.get("licence")))
            machine = str(asked.get("machine"))
            verdict = self._verdict(known, str(asked.get("edition")), machine)
            if verdict["verdict"] == "good" and machine not in known["machines"]:
                known["machines"].append(machine)
                known["left"] -= 1
                ours_at(self._place).write(json.dumps(book, indent=1).encode())
        return verdict

    def _verdict(self, known: dict[str, Any] | None, edition: str, machine: str) -> dict[str, Any]:
        if known is None:
            return {"verdict": "unknown"}
        if known["edition"] != edition:
            return {"verdict": "other edition", "edition": known["edition"]}
        if known["left"] < 1 and machine not in known["machines"]:
            return {"verdict": "used up", "edition": edition, "left": 0}
        return {"verdict": "good", "edition": edition, "left": known["left"]}


class _Handler(BaseHTTPRequestHandler):
    """Answers one request; what is wrong with the service shows here."""

    book: Book

    def do_POST(self) -> None:
        asked = json.loads(self.rfile.read(min(int(self.headers["Content-Length"]), _MOST)))
        fault = self.book.read().get("fault", "")
        if fault == SLOW:
            time.sleep(SLOW_SECONDS)
        if fault == DOWN:
            self.send_error(503)
            return
        if fault == CLOCK:
            self._send(json.dumps({"verdict": "clock"}).encode())
        elif fault == LIES:
            self._send(b'{"verdict": "\\u001b[2Jgood", "edition": "harbour"}')
        elif fault == HUGE:
            self._send(b'{"verdict": "good", "words": "' + b"A" * (64 << 20) + b'"}')
        elif fault == BABBLES:
            self._send(b"<html>Sign in to the harbour's network</html>")
        else:
            deed = self.book.activate if self.path == "/activate" else self.book.check
            self._send(json.dumps(deed(asked)).encode())

    def _send(self, content: bytes) -> None:
        self.send_response(200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)

    def log_message(self, format: str, *words: object) -> None:
        """Nothing of what it is asked is written down."""


@contextmanager
def serving(place: Path) -> Iterator[str]:
    """The service over the book at a place, on a port of its own; its address."""
    handler = type("Handler", (_Handler,), {"book": Book(place)})
    server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
    server.daemon_threads = True
    thread = threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{server.server_port}"
    finally:
        server.shutdown()
        server.server_close()


if __name__ == "__main__":
    print(grouped(confirmation_of(" ".join(sys.argv[1:]))))
