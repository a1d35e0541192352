"""A stand-in's slots: its own tool, and which slot comes up at a boot.

The tool believes what it is given: whoever calls it has looked at the bundle before.
"""

import hashlib
import json
import tarfile
import time
from pathlib import Path
from typing import Any

from brave_bridge.core.images.manifest import MANIFEST
from brave_bridge.core.images.system import (
    ALERTS_FILE,
    BAD,
    GOOD,
    IMAGE_FILE,
    SETTINGS_FILE,
    SLOTS_FILE,
    TOOL,
    TRIAL,
)
from brave_bridge.machines.standin.boot_menu import bring_kernel
from brave_bridge.machines.standin.own_tool import (
    Verb,
    is_there,
    place_of,
    read_json,
    run_verb,
    tell_release,
    write_json,
)

_HELD = "var/lib/image/{}/image.json"
_PACE_SECONDS = 0.02


def run(root: Path, words: list[str]) -> int:
    """``write SLOT BUNDLE PROFILE``, ``try SLOT``, ``bless``, ``default SLOT``, ``cure ISSUE``, and
    for settings ``export FILE`` and ``restore FILE``.
    """
    verbs: dict[str, Verb] = {
        "write": _write,
        "try": _try,
        "bless": _bless,
        "default": _default,
        "cure": _cure,
        "export": _export,
        "restore": _restore,
    }
    return run_verb(root, words, TOOL, verbs, SLOTS_FILE)


def _slots(root: Path) -> dict[str, Any]:
    return read_json(root, SLOTS_FILE)


def _keep(root: Path, slots: dict[str, Any]) -> None:
    write_json(root, SLOTS_FILE, slots)


def _slot(slots: dict[str, Any], name: str) -> dict[str, Any]:
    return next(slot for slot in slots["slots"] if slot["name"] == name)


def _write(root: Path, name: str, bundle: str, profile: str) -> None:
    """Write a profile of a bundle into a slot that does not run, with its progress."""
    slots = _slots(root)
    slot = _slot(slots, name)
    if name == slots["running"]:
        raise ValueError(f"slot {name} runs")
    slot.clear()
    slot |= {"name": name, "state": BAD}
    _keep(root, slots)
    with tarfile.open(place_of(root, bundle)) as tar:
        manifest = json.loads(_member(tar, MANIFEST))
        wanted = next(p for p in manifest["profiles"] if p["name"] == profile)["components"]
        known = {one["name"]: one for one in manifest["components"]}
        total, done = sum(known[one]["size"] for one in wanted), 0
        for one in wanted:
            done += len(_member(tar, f"components/{one}"))
            print(f"{100 * done // max(total, 1)}% {one}", flush=True)
            time.sleep(_PACE_SECONDS)
    told = {"version": manifest["version"], "build": manifest["build"], "profile": profile}
    parts = [{k: known[one].get(k, "") for k in ("name", "version", "maker")} for one in wanted]
    ails = [
        {"id": one["id"], "title": one["title"], "by_tool": one.get("by_tool", False)}
        for one in manifest["issues"]
    ]
    write_json(root, _HELD.format(name), told | {"components": parts, "ails": ails})
    for unknown in _unknown_settings(root):
        print(f"settings: {manifest['version']} does not know {unknown} and leaves it out")
    slot |= told | {"state": TRIAL}
    slots["serial"] = max(slots["serial"], manifest["serial"])
    _keep(root, slots)


def _unknown_settings(root: Path) -> list[str]:
    """Settings that no image of this line knows."""
    if not is_there(root, SETTINGS_FILE):
        return []
    return sorted(read_json(root, SETTINGS_FILE).keys() - {"form", "alerts", "shares"})


def _member(tar: tarfile.TarFile, name: str) -> bytes:
    opened = tar.extractfile(name)
    if opened is None:
        raise ValueError(f"{name} is no file")
    return opened.read()


def _try(root: Path, name: str) -> None:
    """Have a slot started at the next boot alone."""
    slots = _slots(root)
    if _slot(slots, name)["state"] not in (TRIAL, GOOD):
        raise ValueError(f"slot {name} holds no image")
    slots["once"] = name
    _keep(root, slots)


def _bless(root: Path) -> None:
    """Have what runs started from now on."""
    slots = _slots(root)
    _slot(slots, slots["running"])["state"] = GOOD
    slots["default"] = slots["running"]
    _keep(root, slots)


def _default(root: Path, name: str) -> None:
    slots = _slots(root)
    if _slot(slots, name)["state"] != GOOD:
        raise ValueError(f"slot {name} has not proven itself")
    slots["default"] = name
    _keep(root, slots)


def _cure(root: Path, issue: str) -> None:
    """Apply the cure of a known issue to what runs."""
    slots = _slots(root)
    slot = _slot(slots, slots["running"])
    ails = read_json(root, IMAGE_FILE).get("ails", [])
    if not any(one["id"] == issue and one["by_tool"] for one in ails):
        raise ValueError(f"this image knows no cure of {issue}")
    slot["cures"] = sorted({*slot.get("cures", []), issue})
    _keep(root, slots)
    _complain(root, [one for one in ails if one["id"] not in slot["cures"]])


def _complain(root: Path, ails: list[dict[str, Any]]) -> None:
    """Keep the list of what is wrong with the image that runs."""
    alerts = [{"id": one["id"].lower(), "text": one["title"], "issue": one["id"]} for one in ails]
    write_json(root, ALERTS_FILE, alerts)


def _export(root: Path, path: str) -> None:
    """Write the settings with the version that they are of to a file."""
    version, settings = read_json(root, IMAGE_FILE)["version"], read_json(root, SETTINGS_FILE)
    write_json(root, path, {"version": version, "settings": settings})
    print(_sum_of(settings))


def _restore(root: Path, path: str) -> None:
    """Take settings up that were exported by this very version."""
    told, version = read_json(root, path), read_json(root, IMAGE_FILE)["version"]
    if told["version"] != version:
        raise ValueError(f"they are of {told['version']}, and {version} runs")
    write_json(root, SETTINGS_FILE, told["settings"])
    print(_sum_of(told["settings"]))


def _sum_of(settings: Any) -> str:
    return hashlib.sha256(json.dumps(settings, sort_keys=True).encode()).hexdigest()


def _migrate(root: Path, version: str) -> None:
    """A newer image writes the settings in a form of its own at its first start."""
    if is_there(root, SETTINGS_FILE):
        write_json(root, SETTINGS_FILE, read_json(root, SETTINGS_FILE) | {"form": version})


def come_up(root: Path, *, wrong: bool = False) -> None:
    """Start the slot that is wanted once, else the default; ``wrong``: that one fails.

    A slot on trial that does not come up, or that is restarted before it was blessed, is bad.
    """
    if not is_there(root, SLOTS_FILE):
        return
    slots = _slots(root)
    once = slots.pop("once", "")
    running = _slot(slots, slots["running"])
    if running["state"] == TRIAL and not once:
        running["state"] = BAD
    chosen = once or slots["default"]
    if wrong and once:
        _slot(slots, once)["state"] = BAD
        chosen = slots["default"]
    if chosen != slots["running"]:
        _exchange(root, slots["running"], chosen, _slot(slots, chosen).get("cures", []))
        slots["running"] = chosen
    _keep(root, slots)


def _exchange(root: Path, before: str, now: str, cures: list[str]) -> None:
    """Show the image of another slot; what ran goes back into its own."""
    held = read_json(root, _HELD.format(now))
    write_json(root, _HELD.format(before), read_json(root, IMAGE_FILE))
    write_json(root, IMAGE_FILE, held)
    bring_kernel(root, held["components"])
    _migrate(root, held["version"])
    _complain(root, [one for one in held.get("ails", []) if one["id"] not in cures])
    tell_release(root, VERSION_ID=held["version"], IMAGE_ID=held["profile"])
