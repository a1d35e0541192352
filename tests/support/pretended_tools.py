"""Stand-ins for lvm(8) and zfs(8) where the kernel has neither: same words in, same words out.

A snapshot is a copy of the folder that stands for the volume. What lvs and zfs print is in
the form recorded from LVM 2.03 and OpenZFS 2.1. Every call is written down.
"""

import json
import os
import stat
import sys
from pathlib import Path

_SCRIPT = """#!{python}
import json, os, shutil, subprocess, sys
state = {state!r}
name, words = os.path.basename(sys.argv[0]), sys.argv[1:]
with open(state + "/calls", "a") as log:
    log.write(json.dumps([name, *words]) + "\\n")
with open(state + "/world.json") as stream:
    world = json.load(stream)

def keep():
    with open(state + "/world.json", "w") as stream:
        json.dump(world, stream)

def fail(text):
    sys.stderr.write("  " + text + "\\n")
    sys.exit(5)

def copy(place):
    # Everything but what would hold the copy itself.
    os.makedirs(place)
    items = [item.path for item in os.scandir(world["origin"]) if item.name != ".zfs"]
    subprocess.run(["cp", "-a", *items, place], check=True)
    shutil.rmtree(place + "/var/lib/brave-bridge", ignore_errors=True)
    shutil.copystat(world["origin"], place)
    lib, other = world["origin"] + "/var/lib", place + "/var/lib"
    if os.path.isdir(lib + "/brave-bridge"):
        os.mkdir(other + "/brave-bridge", 0o700)
    shutil.copystat(lib, other)

def plain(volume):
    return volume.removeprefix("/dev/").removeprefix("mapper/")

if name == "lvs":
    volume = world["volumes"].get(plain(words[-1]))
    if volume is None:
        fail('Failed to find logical volume "' + words[-1] + '"')
    print(json.dumps({{"report": [{{"lv": [volume]}}]}}))
elif name == "lvcreate":
    origin = plain(words[-1])
    group, new = origin.split("/")[0], words[words.index("--name") + 1]
    parent = world["volumes"][origin]
    thin = bool(parent["pool_lv"])
    size = parent["lv_size"] if thin else words[words.index("--size") + 1].rstrip("b")
    copy(state + "/" + new)
    world["volumes"][group + "/" + new] = {{
        **parent, "lv_name": new, "origin": parent["lv_name"], "lv_size": size,
        "lv_path": "/dev/" + group + "/" + new, "data_percent": "1.20",
        "lv_attr": "Vwi---tz-k" if thin else "swi-a-s---"}}
    keep()
elif name == "lvremove":
    world["volumes"].pop(plain(words[-1])), keep()
    shutil.rmtree(state + "/" + words[-1].split("/")[1])
elif name == "lvconvert":
    world["volumes"].pop(plain(words[-1])), keep()
    print("  Delaying merge since origin is open.")
    print("  Merging of snapshot " + words[-1] + " will occur on next activation of it.")
elif name == "mount" and words[-2].startswith("/dev/vg0/"):
    subprocess.run(["/bin/mount", "--bind", state + "/" + words[-2].split("/")[-1], words[-1]],
                   check=True)
elif name == "mount":
    os.execv("/bin/mount", ["mount", *words])
elif name == "zfs" and words[0] == "snapshot":
    place = world["origin"] + "/.zfs/snapshot/" + words[-1].split("@")[1]
    copy(place)
    world["snapshots"][words[-1]] = [8192, 1048576]
    keep()
elif name == "zfs" and words[0] == "list":
    for known, (used, referenced) in world["snapshots"].items():
        print(known, used, referenced, sep="\\t")
elif name == "zfs" and words[0] == "destroy":
    world["snapshots"].pop(words[-1]), keep()
    shutil.rmtree(world["origin"] + "/.zfs/snapshot/" + words[-1].split("@")[1])
"""


class PretendedTools:
    """The tools in a folder of their own, to be put first in PATH."""

    def __init__(self, folder: Path, origin: Path, *, thin: bool = True) -> None:
        self.folder = folder
        folder.mkdir()
        system = {
            "lv_name": "system",
            "vg_name": "vg0",
            "lv_path": "/dev/vg0/system",
            "lv_attr": "Vwi-aotz--" if thin else "-wi-ao----",
            "lv_size": "8589934592",
            "pool_lv": "pool" if thin else "",
            "origin": "",
            "data_percent": "21.40",
            "vg_free": "4294967296",
        }
        pool = {
            **system,
            "lv_name": "pool",
            "lv_attr": "twi-aotz--",
            "pool_lv": "",
            "lv_size": "17179869184",
            "data_percent": "60.00",
        }
        self.write(
            {
                "origin": str(origin),
                "volumes": {"vg0/system": system, "vg0/pool": pool},
                "snapshots": {},
            }
        )
        for name in ("lvs", "lvcreate", "lvremove", "lvconvert", "lvchange", "mount", "zfs"):
            tool = folder / name
            tool.write_text(_SCRIPT.format(python=sys.executable, state=str(folder)))
            tool.chmod(tool.stat().st_mode | stat.S_IXUSR)

    def read(self) -> dict:
        """What the tools think there is."""
        return json.loads((self.folder / "world.json").read_text())

    def write(self, world: dict) -> None:
        """Let the tools think otherwise."""
        (self.folder / "world.json").write_text(json.dumps(world))

    def calls(self, name: str) -> list[list[str]]:
        """How a tool was called so far."""
        lines = (self.folder / "calls").read_text().splitlines()
        return [call[1:] for call in map(json.loads, lines) if call[0] == name]

    @property
    def path(self) -> str:
        """PATH with the tools first."""
        return f"{self.folder}:{os.environ['PATH']}"
