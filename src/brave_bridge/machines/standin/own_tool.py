"""What the own tools of stand-ins are made of: verbs, files of JSON, and what os-release says."""

import json
import tarfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from brave_bridge.machines.opening.named import ours_at

_OS_RELEASE = "/usr/lib/os-release"

Verb = Callable[..., dict[str, Any] | None]
"""Does what a verb says, on a root and further words; what it tells, where it tells anything."""


def run_verb(
    root: Path, words: list[str], tool: str, verbs: Mapping[str, Verb], needed: str
) -> int:
    """Carry out the verb that ``words`` begin with; the tool's exit code.

    ``needed`` is the file without which a machine has no use for the tool.
    """
    verb = verbs.get(words[0] if words else "")
    if verb is None or not is_there(root, needed):
        print(f"{tool}: {' | '.join(verbs)}")
        return 2
    try:
        said = verb(root, *words[1:])
    except (OSError, KeyError, TypeError, ValueError, tarfile.TarError, StopIteration) as error:
        print(f"{tool}: {type(error).__name__}: {error}")
        return 1
    if said is not None:
        print(json.dumps(said))
    return 0


def place_of(root: Path, path: str) -> Path:
    """Where a path of the machine stands."""
    return root / path.lstrip("/")


def is_there(root: Path, path: str) -> bool:
    """Whether the machine has a file."""
    return place_of(root, path).is_file()


def read_json(root: Path, path: str) -> Any:
    """What a file says. OSError, ValueError."""
    return json.loads(place_of(root, path).read_bytes())


def write_json(root: Path, path: str, value: Any) -> None:
    """Have a file say that, in one step, in a folder that is made where it is missing."""
    place = place_of(root, path)
    place.parent.mkdir(parents=True, exist_ok=True)
    ours_at(place).write(json.dumps(value, indent=1).encode() + b"\n")


def tell_release(root: Path, **values: str) -> None:
    """Other values in os-release(5), and the name that people read made of them."""
    lines = place_of(root, _OS_RELEASE).read_text().splitlines()
    known = {k: v.strip('"') for k, _, v in (line.partition("=") for line in lines)}
    known |= values
    known["PRETTY_NAME"] = f"{known['NAME']} {known['VERSION_ID']}"
    text = "".join(f'{name}="{value}"\n' for name, value in known.items())
    ours_at(place_of(root, _OS_RELEASE)).write(text.encode())
