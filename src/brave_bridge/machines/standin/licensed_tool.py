"""A stand-in's own tool for editions, activation and upgrades.

``licensed-system check|convert EDITION`` and ``confirm`` read a key at their standard input.
"""

import contextlib
import json
import sys
import urllib.request
from collections.abc import Iterator
from datetime import UTC, datetime
from http.client import HTTPException
from pathlib import Path
from typing import Any

from brave_bridge.core.licensed.system import ACTIVE, LICENCE_FILE, SYSTEM_FILE, TOOL
from brave_bridge.machines.standin import licence_service
from brave_bridge.machines.standin.licensed_system import PENDING, go_back, keep, upgrade
from brave_bridge.machines.standin.own_tool import Verb, place_of, read_json, run_verb, write_json

_LINK = "/etc/licensed/service"
_ANSWER_SECONDS = 3
_LONGEST_ANSWER = 65_536


def run(root: Path, words: list[str]) -> int:
    """Carry out a verb of the tool; its exit code."""
    verbs: dict[str, Verb] = {
        "check": _check,
        "convert": _convert,
        "activate": _activate,
        "confirm": _confirm,
        "upgrade": upgrade,
        "keep": keep,
        "go-back": go_back,
    }
    return run_verb(root, words, TOOL, verbs, SYSTEM_FILE)


def _typed() -> str:
    return "".join(c for c in sys.stdin.readline().upper() if c.isalnum())


def _asked(root: Path, path: str, question: dict[str, Any]) -> dict[str, Any]:
    """What the licence service answers; who answers otherwise is passed on as it is."""
    question = {"machine": _machine(root), "time": datetime.now(UTC).isoformat(), **question}
    try:
        with _service(root) as address:
            request = urllib.request.Request(
                f"{address}{path}",
                json.dumps(question).encode(),
                {"Content-Type": "application/json"},
            )
            with urllib.request.urlopen(request, timeout=_ANSWER_SECONDS) as answer:
                content = answer.read(_LONGEST_ANSWER)
    except (OSError, HTTPException) as error:
        return {"verdict": "silent", "words": f"{type(error).__name__}: {error}"}
    try:
        return json.loads(content)
    except ValueError:
        return {"verdict": "unusable", "words": content[:80].decode("utf-8", "replace")}


@contextlib.contextmanager
def _service(root: Path) -> Iterator[str]:
    """Where the licence service is: as it is set, else the one that is made up beside us."""
    link = place_of(root, _LINK)
    if link.is_file():
        yield link.read_text().strip()
        return
    with licence_service.serving(place_of(root, licence_service.BOOK)) as address:
        yield address


def _machine(root: Path) -> str:
    return place_of(root, "/etc/hostname").read_text().strip()


def _check(root: Path, edition: str) -> dict[str, Any]:
    return _asked(root, "/check", {"key": _typed(), "edition": edition})


def _convert(root: Path, edition: str) -> dict[str, Any]:
    """Another edition takes effect at the next boot."""
    known = {one["name"] for one in read_json(root, SYSTEM_FILE)["editions"]}
    if edition not in known:
        raise ValueError(f"there is no edition {edition}")
    key = _typed()
    pending = {
        "edition": edition,
        "licence": licence_service.digest_of(key),
        "shown": f"…{key[-4:]}",
    }
    write_json(root, PENDING, pending)
    if fault := read_json(root, licence_service.BOOK).get("convert_fault"):
        raise ValueError(fault)
    return {"verdict": "good", "edition": edition}


def _activate(root: Path) -> dict[str, Any]:
    licence = read_json(root, LICENCE_FILE)
    asked = {"licence": licence["licence"], "edition": licence["edition"]}
    said = _asked(root, "/activate", asked)
    if isinstance(said, dict) and said.get("verdict") == "good":
        write_json(root, LICENCE_FILE, licence | {"activation": ACTIVE})
    elif isinstance(said, dict):
        said["code"] = licence_service.code_of(licence["licence"], _machine(root))
    return said


def _confirm(root: Path) -> dict[str, Any]:
    licence = read_json(root, LICENCE_FILE)
    code = licence_service.code_of(licence["licence"], _machine(root))
    if _typed() != licence_service.confirmation_of(code):
        return {"verdict": "unknown", "words": "it does not confirm this machine's code"}
    write_json(root, LICENCE_FILE, licence | {"activation": ACTIVE})
    return {"verdict": "good"}
