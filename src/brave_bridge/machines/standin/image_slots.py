"""A stand-in's slots: its own tool, and which slot comes up at a boot.

The tool believes what it is given: whoever calls it has looked at the bundle before.
"""

import hashlib
import json
import tarfile
import time
from collections.abc import Callable
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
    TRIAL,
)
from brave_bridge.machines.standin.boot_menu import bring_kernel
from brave_bridge.machines.writing import replace_file

_OS_RELEASE = "usr/lib/os-release"
_HELD = "var/lib/image/{}/image.json"
_PACE_SECONDS = 0.02


def run(root: Path, words: list[str]) -> int:
    """``write SLOT BUNDLE PROFILE``, ``try SLOT``, ``bless``, ``default SLOT``, ``cure ISSUE``, and
    for settings ``export FILE`` and ``restore FILE``.
    """
    verbs: dict[str, Callable[..., None]] = {
        "write": _write,
        "try": _try,
        "bless": _bless,
        "default": _default,
        "cure": _cure,
        "export": _export,
        "restore": _restore,
    }
    verb = verbs.get(words[0] if words else "")
    if verb is None or not _place(root, SLOTS_FILE).is_file():
        print(f"image-slots: {' | '.join(verbs)}")
        return 2
    try:
        verb(root, *words[1:])
    except (OSError, KeyError, TypeError, ValueError, tarfile.TarError, StopIteration) as error:
        print(f"image-slots: {type(error).__name__}: {error}")
        return 1
    return 0


def _place(root: Path, path: str) -> Path:
    return root / path.lstrip("/")


def _slots(root: Path) -> dict[str, Any]:
    return json.loads(_place(root, SLOTS_FILE).read_bytes())


def _keep(root: Path, slots: dict[str, Any]) -> None:
    replace_file(_place(root, SLOTS_FILE), json.dumps(slots, indent=1).encode() + b"\n")


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
    with tarfile.open(_place(root, bundle)) as tar:
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
    held = _place(root, _HELD.format(name))
    held.parent.mkdir(parents=True, exist_ok=True)
    ails = [
        {"id": one["id"], "title": one["title"], "by_tool": one.get("by_tool", False)}
        for one in manifest["issues"]
    ]
    replace_file(held, json.dumps(told | {"components": parts, "ails": ails}, indent=1).encode())
    for name in _unknown_settings(root):
        print(f"settings: {manifest['version']} does not know {name} and leaves it out")
    slot |= told | {"state": TRIAL}
    slots["serial"] = max(slots["serial"], manifest["serial"])
    _keep(root, slots)


def _unknown_settings(root: Path) -> list[str]:
    """Settings that no image of this line knows."""
    place = _place(root, SETTINGS_FILE)
    known = {"form", "alerts", "shares"}
    return sorted(json.loads(place.read_bytes()).keys() - known) if place.is_file() else []


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
    ails = json.loads(_place(root, IMAGE_FILE).read_bytes()).get("ails", [])
    if not any(one["id"] == issue and one["by_tool"] for one in ails):
        raise ValueError(f"this image knows no cure of {issue}")
    slot["cures"] = sorted({*slot.get("cures", []), issue})
    _keep(root, slots)
    _complain(root, [one for one in ails if one["id"] not in slot["cures"]])


def _complain(root: Path, ails: list[dict[str, Any]]) -> None:
    """Keep the list of what is wrong with the image that runs."""
    alerts = [{"id": one["id"].lower(), "text": one["title"], "issue": one["id"]} for one in ails]
    replace_file(_place(root, ALERTS_FILE), json.dumps(alerts, indent=1).encode() + b"\n")


def _export(root: Path, path: str) -> None:
    """Write the settings with the version that they are of to a file."""
    version = json.loads(_place(root, IMAGE_FILE).read_bytes())["version"]
    settings = json.loads(_place(root, SETTINGS_FILE).read_bytes())
    place = _place(root, path)
    place.parent.mkdir(parents=True, exist_ok=True)
    told = {"version": version, "settings": settings}
    replace_file(place, json.dumps(told, indent=1).encode() + b"\n")
    print(_sum_of(settings))


def _restore(root: Path, path: str) -> None:
    """Take settings up that were exported by this very version."""
    told = json.loads(_place(root, path).read_bytes())
    version = json.loads(_place(root, IMAGE_FILE).read_bytes())["version"]
    if told["version"] != version:
        raise ValueError(f"they are of {told['version']}, and {version} runs")
    settings = json.dumps(told["settings"], indent=1).encode() + b"\n"
    replace_file(_place(root, SETTINGS_FILE), settings)
    print(_sum_of(told["settings"]))


def _sum_of(settings: Any) -> str:
    return hashlib.sha256(json.dumps(settings, sort_keys=True).encode()).hexdigest()


def _migrate(root: Path, version: str) -> None:
    """A newer image writes the settings in a form of its own at its first start."""
    place = _place(root, SETTINGS_FILE)
    if place.is_file():
        settings = json.loads(place.read_bytes()) | {"form": version}
        replace_file(place, json.dumps(settings, indent=1).encode() + b"\n")


def come_up(root: Path, *, wrong: bool = False) -> None:
    """Start the slot that is wanted once, else the default; ``wrong``: that one fails.

    A slot on trial that does not come up, or that is restarted before it was blessed, is bad.
    """
    if not _place(root, SLOTS_FILE).is_file():
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
    shown, release = _place(root, IMAGE_FILE), root / _OS_RELEASE
    kept = _place(root, _HELD.format(before))
    kept.parent.mkdir(parents=True, exist_ok=True)
    replace_file(kept, shown.read_bytes())
    content = _place(root, _HELD.format(now)).read_bytes()
    replace_file(shown, content)
    image = json.loads(content)
    bring_kernel(root, image["components"])
    _migrate(root, image["version"])
    _complain(root, [one for one in image.get("ails", []) if one["id"] not in cures])
    lines = [
        line
        for line in release.read_text().splitlines()
        if not line.startswith(("VERSION_ID=", "IMAGE_ID=", "PRETTY_NAME="))
    ]
    name = next(line for line in lines if line.startswith("NAME=")).partition("=")[2].strip('"')
    lines += [
        f'PRETTY_NAME="{name} {image["version"]}"',
        f'VERSION_ID="{image["version"]}"',
        f'IMAGE_ID="{image["profile"]}"',
    ]
    replace_file(release, ("\n".join(lines) + "\n").encode())
