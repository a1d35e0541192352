"""How a licensed stand-in is upgraded from its medium, and what comes up at its boots."""

import json
import shutil
import time
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

from brave_bridge.core.licensed.system import (
    FINISHED,
    KEPT_FILE,
    KEPT_FOLDER,
    KEPT_LOG,
    LICENCE_FILE,
    PHASES_FILE,
    PROGRAMS_FILE,
    ROLLED_BACK,
    RUNNING,
    SYSTEM_FILE,
    WAITING,
)
from brave_bridge.machines.opening.named import ours_at
from brave_bridge.machines.standin.boot_menu import bring_kernel
from brave_bridge.machines.standin.own_tool import (
    is_there,
    place_of,
    read_json,
    tell_release,
    write_json,
)

PENDING = "/var/lib/licensed/pending.json"
"""The edition that takes effect at the next boot."""

_OS_RELEASE = "/usr/lib/os-release"
_KEPT = (SYSTEM_FILE, PROGRAMS_FILE, _OS_RELEASE)
"""What of a system is kept to go back to."""

_KEPT_DAYS = 10
_LONGEST_DAYS = 60
_PACE_SECONDS = 0.05


def upgrade(root: Path, medium: str, keep: str) -> None:
    """Take a medium up; its phases go on at the boots that follow."""
    described = read_json(root, medium)
    folder = place_of(root, medium).parent
    total = sum(file["size"] for file in described["files"]) or 1
    done = 0
    for file in described["files"]:
        done += len((folder / file["path"]).read_bytes())
        print(f"{100 * done // total}% {file['path']}", flush=True)
        time.sleep(_PACE_SECONDS)
    system = read_json(root, SYSTEM_FILE)
    kept = place_of(root, KEPT_FOLDER)
    shutil.rmtree(kept, ignore_errors=True)
    kept.mkdir(parents=True)
    for path in _KEPT:
        if is_there(root, path):
            ours_at(kept / Path(path).name).write(place_of(root, path).read_bytes())
    today = date.today()
    told = {
        "version": system["version"],
        "build": system["build"],
        "made": str(today),
        "until": str(today + timedelta(days=_KEPT_DAYS)),
        "longest": str(today + timedelta(days=_LONGEST_DAYS)),
        "size": described["grows"] * 4,
    }
    write_json(root, KEPT_FILE, told)
    content = json.loads((folder / "system.json").read_bytes())
    state = {
        "target": described["version"],
        "state": RUNNING,
        "phase": 1,
        "of": described["phases"],
        "keep": keep,
        "record": [_note(f"taken up from {medium}")],
    }
    write_json(root, PHASES_FILE, state | {"then": content})


def _note(words: str) -> dict[str, str]:
    return {"at": datetime.now(UTC).isoformat(timespec="seconds"), "words": words}


_PHASES = ("drivers taken over", "system files written", "settings taken over", "first start")


def come_up(root: Path, *, wrong: bool = False) -> None:
    """What takes effect at a boot: another edition, or the next phase; ``wrong``: that one fails.

    A phase that fails lets the system of before run again.
    """
    if not is_there(root, SYSTEM_FILE):
        return
    if is_there(root, PENDING):
        pending = read_json(root, PENDING)
        place_of(root, PENDING).unlink()
        if not wrong:
            _take_edition(root, pending)
    if is_there(root, PHASES_FILE):
        phases = read_json(root, PHASES_FILE)
        if phases["state"] == RUNNING:
            _next_phase(root, phases, wrong)


def _take_edition(root: Path, pending: dict[str, Any]) -> None:
    system = read_json(root, SYSTEM_FILE) | {"edition": pending["edition"]}
    write_json(root, SYSTEM_FILE, system)
    licence = {"channel": "bought", "ends": "", "activation": WAITING, "trial": False}
    write_json(root, LICENCE_FILE, {**pending, **licence})
    title = next(one["title"] for one in system["editions"] if one["name"] == pending["edition"])
    tell_release(root, VARIANT=title)


def _next_phase(root: Path, phases: dict[str, Any], wrong: bool) -> None:
    at = phases["phase"]
    if wrong:
        phases["state"] = ROLLED_BACK
        phases["record"].append(_note("a driver did not start: the system of before runs again"))
    elif at < phases["of"]:
        phases["phase"] = at + 1
        phases["record"].append(_note(_PHASES[min(at, len(_PHASES)) - 1]))
    else:
        phases["state"] = FINISHED
        phases["record"].append(_note(_PHASES[-1]))
        system = read_json(root, SYSTEM_FILE) | phases.pop("then")
        write_json(root, SYSTEM_FILE, system)
        bring_kernel(root, system["components"])
        if phases["keep"] != "all":
            write_json(root, PROGRAMS_FILE, [])
        tell_release(root, VERSION_ID=phases["target"])
    write_json(root, PHASES_FILE, phases)


# The system of before


def keep(root: Path, days: str) -> None:
    """Keep the system of before for so many days from its upgrade on."""
    kept = read_json(root, KEPT_FILE)
    until = date.fromisoformat(kept["made"]) + timedelta(days=int(days))
    if str(until) > kept["longest"]:
        raise ValueError(f"it can be kept until {kept['longest']} at most")
    write_json(root, KEPT_FILE, kept | {"until": str(until)})


def go_back(root: Path) -> None:
    """Let the system of before run again; what came since is gone."""
    folder, kept = place_of(root, KEPT_FOLDER), read_json(root, KEPT_FILE)
    if not (folder / Path(SYSTEM_FILE).name).is_file() or kept["until"] < str(date.today()):
        raise ValueError("the system of before is no longer kept")
    for path in _KEPT:
        if (folder / Path(path).name).is_file():
            ours_at(place_of(root, path)).write((folder / Path(path).name).read_bytes())
    bring_kernel(root, read_json(root, SYSTEM_FILE)["components"])
    shutil.rmtree(folder)
    for path in (KEPT_FILE, PHASES_FILE):
        place_of(root, path).unlink(missing_ok=True)
    log = place_of(root, KEPT_LOG)
    log.parent.mkdir(parents=True, exist_ok=True)
    with open(log, "a", encoding="utf-8") as stream:
        stream.write(f"{date.today()} went back to {kept['version']}\n")
