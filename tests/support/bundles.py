"""Image bundles made for tests, as they should be and as they never should."""

import hashlib
import json

from brave_bridge.core.images.manifest import MANIFEST, SIGNATURE
from brave_bridge.machines.standin.images import tar_of
from brave_bridge.machines.standin.signing import make_detached_key

KEY, SIGN = make_detached_key("Keelstone Images <images@keelstone.example>")
CONTENTS = {
    "base": b"base of the system\n" * 400,
    "kernel": b"kernel image\n" * 900,
    "net-tide": b"driver of a network card\n" * 20,
    "tools": b"tools\n" * 5000,
}


def manifest_of(contents: dict[str, bytes] = CONTENTS, **changes) -> dict:
    """A manifest as JSON has it: profile ``full`` has all, ``bare`` lacks driver and tools."""
    components = [
        {
            "name": name,
            "version": "8.4",
            "size": len(content),
            "sha256": hashlib.sha256(content).hexdigest(),
        }
        for name, content in contents.items()
    ]
    for component in components:
        if component["name"] == "net-tide":
            component["drivers"] = [
                {"module": "tide_net", "serves": ["pci:v00001209d0000000[1-4]*"]}
            ]
    bare = [name for name in contents if name not in ("net-tide", "tools")]
    return {
        "schema": 1,
        "line": "keelstone",
        "version": "8.4",
        "build": "8.4-2206",
        "serial": 40,
        "made": "2026-06-22T08:00:00+00:00",
        "components": components,
        "profiles": [
            {"name": "full", "about": "for any hardware", "components": list(contents)},
            {"name": "bare", "about": "for hosts of small guests", "components": bare},
        ],
    } | changes


def members_of(manifest: dict, contents: dict[str, bytes] = CONTENTS, sign=SIGN):
    """The members of a bundle with that manifest."""
    text = json.dumps(manifest).encode()
    files = [(f"components/{name}", content) for name, content in contents.items()]
    return [(MANIFEST, text), (SIGNATURE, sign(text)), *files]


def bundle(contents: dict[str, bytes] = CONTENTS, **changes) -> bytes:
    """A bundle as it should be, but for what is changed in its manifest."""
    return tar_of(members_of(manifest_of(contents, **changes), contents))
