"""A bootable Debian 12 that crosses to 13 by itself, and goes back: about forty minutes.

``python -m bench.crossed_and_back`` boots two machines under software emulation. The first has its
root on btrfs: nobody touches it between power on and the last proof; then the boot menu starts its
way back once, and it is kept. The second has ext4: its system is crossed, it boots, and a rescue
system with nothing but Python returns it. ``… itself`` and ``… rescue`` do one alone.
"""

import contextlib
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from tests.bootlab.test_past_system import MARK_FILE, bridge
from tests.support import bootlab, lab

from brave_bridge.machines.entering import entered
from brave_bridge.runner.own_runtime import make_runtime

_ITS_OWN = "dbus,ca-certificates,iproute2"
_BRIDGE = "/opt/bridge/brave-bridge"
_PATIENCE = 75 * 60.0
_WITH_NETWORK = (
    *("-netdev", "user,id=n", "-device", "virtio-net-pci,netdev=n"),
    *("-m", "3072", "-smp", "2"),
)
_NETWORK = """[Match]
Name=en* eth*
[Network]
Address=10.0.2.15/24
Gateway=10.0.2.2
"""
_DEFAULTS = """GRUB_DEFAULT=0
GRUB_TIMEOUT=0
GRUB_DISABLE_OS_PROBER=true
GRUB_DISTRIBUTOR=Debian
GRUB_TERMINAL=serial
GRUB_CMDLINE_LINUX="console=ttyS0 no_timer_check"
"""
_CROSSES = f"""#!/bin/sh
exec >/dev/ttyS0 2>&1
if [ ! -e /var/lib/began ]; then
  touch /var/lib/began
  {_BRIDGE} update --yes
  {_BRIDGE} cross --to 13 --yes
  sleep 600
fi
ended=no
for waited in $(seq 400); do
  {_BRIDGE} logbook --json >/run/told 2>/run/failed
  if grep -q '"state"' /run/told && ! grep -qE '"state": "(running|resting)"' /run/told; then
    ended=yes
    break
  fi
  sleep 5
done
. /etc/os-release
{_BRIDGE} proof | head -40
echo "CAME UP release=$VERSION_ID kernel=$(uname -r) options=$(cat /proc/cmdline)"
sync
systemctl poweroff --force --force
"""
_UNIT = """[Unit]
Description=Cross, and say what came of it
After=multi-user.target network-online.target
Wants=network-online.target
[Service]
Type=exec
TimeoutStartSec=infinity
ExecStart=/usr/local/sbin/crosses
[Install]
WantedBy=multi-user.target
"""
_TELLS = """[Unit]
Description=Say what came up
After=multi-user.target brave-bridge-after-boot.service
[Service]
Type=exec
ExecStart=/usr/local/sbin/say-what-came-up
[Install]
WantedBy=multi-user.target
"""
_RETURNS = """#!/bin/sh
exec >/dev/ttyS0 2>&1
tool=/mnt/var/lib/brave-bridge/brave-bridge-rescue
mount /dev/vdb1 /mnt && python3 $tool --yes return /mnt newest
echo "RETURNED $?"
umount /mnt
"""


def main(words: list[str]) -> int:
    """Both, or the one that is named; 0 where all came up as it should."""
    with tempfile.TemporaryDirectory(prefix="crossed-", dir="/var/tmp") as place:
        folder = Path(place)
        both = {"itself": _by_boot_entry, "rescue": _by_rescue_boot}
        wanted = [both[word] for word in words] or [*both.values()]
        return 0 if all(one(folder) for one in wanted) else 1


def _row(what: str, figure: str) -> None:
    print(f"| {what} | {figure} |", flush=True)


def _by_boot_entry(folder: Path) -> bool:
    """btrfs: crossed on the machine itself, its way back started once, then kept."""
    disk = bootlab.bios_on_subvolume(folder, lambda root: None, 5000)
    with disk.opened("@") as root:
        _prepare(root, make_runtime(folder / "runtime"))
    booted = disk.boot(_PATIENCE, _WITH_NETWORK)
    (folder.parent / "crossed-and-back.console").write_text(booted.console)
    if booted.came_up is None or booted.came_up.release != "13":
        print(booted.console[-4000:])
        return False
    starts = len(booted.starts)
    _row(
        "crossed by itself, proven",
        f"{booted.came_up.kernel}, {booted.seconds:.0f} s, {starts} starts",
    )
    with disk.opened("@") as root:
        (way_back,) = bridge(root, "ways-back")["ways_back"]
        bridge(root, "boot-menu", way_back["id"], "--once", "--yes")
        disk.put_on_fat(root, MARK_FILE)
    seen = [
        _came_up(disk, "btrfs, from the boot menu once"),
        _came_up(disk, "btrfs, the boot after"),
    ]
    with disk.opened(f"@.as-of-{way_back['id']}") as root, _records(root):
        bridge(root, "keep-past", "--yes")
    seen.append(_came_up(disk, "btrfs, kept"))
    return seen == ["12", "13", "12"]


def _came_up(disk: bootlab.Disk, what: str) -> str:
    booted = disk.boot(900, _WITH_NETWORK)
    found = booted.came_up
    _row(what, f"{found.release}, {found.kernel}, {booted.seconds:.0f} s" if found else "nothing")
    return found.release if found else ""


@contextlib.contextmanager
def _records(root: Path) -> Iterator[None]:
    """The records' own subvolume, mounted where the past system's fstab has it."""
    argv = ["findmnt", "-no", "SOURCE", root]
    told = subprocess.run(argv, capture_output=True, text=True, check=True).stdout
    place, options = root / "var/lib/brave-bridge", ["-o", "subvol=@/var/lib/brave-bridge"]
    subprocess.run(["mount", *options, told.partition("[")[0].strip(), place], check=True)
    try:
        yield
    finally:
        subprocess.run(["umount", "-q", place], check=False)


def _prepare(root: Path, runtime: Path) -> None:
    """A system that begins to cross as soon as it is up, with a network and a menu of its own."""
    subprocess.run(["cp", "-a", runtime, root / "opt/bridge"], check=True)
    _in(root, "apt-get", "update")
    packages = _ITS_OWN.split(",")
    _in(root, "apt-get", "--yes", "--no-install-recommends", "install", *packages)
    (root / "etc/resolv.conf").write_text("nameserver 10.0.2.3\n")
    (root / "etc/systemd/network/all.network").write_text(_NETWORK)
    (root / "usr/local/sbin/crosses").write_text(_CROSSES)
    (root / "usr/local/sbin/crosses").chmod(0o755)
    (root / "etc/systemd/system/crosses.service").write_text(_UNIT)
    (root / "etc/systemd/system/default.target").unlink()
    _in(root, "systemctl", "enable", "systemd-networkd.service", "crosses.service")
    # It hangs up the console, and with it whoever says there what came of it.
    _in(root, "systemctl", "mask", "serial-getty@ttyS0.service")
    _with_menu(root)
    _in(root, "apt-get", "clean")


def _with_menu(root: Path) -> None:
    """A menu that the system makes itself, anew for every kernel that comes or goes."""
    (root / "etc/default/grub").write_text(_DEFAULTS)
    for when in ("postinst", "postrm"):
        hook = root / f"etc/kernel/{when}.d/zz-make-the-menu"
        hook.parent.mkdir(parents=True, exist_ok=True)
        hook.write_text("#!/bin/sh\nexec grub-mkconfig -o /boot/grub/grub.cfg\n")
        hook.chmod(0o755)
    _in(root, "grub-mkconfig", "-o", "/boot/grub/grub.cfg")


def _in(root: Path, *argv: str) -> None:
    words = ["env", "DEBIAN_FRONTEND=noninteractive", *argv]
    done = subprocess.run(
        entered("lab", root, words), capture_output=True, text=True, check=False, timeout=900
    )
    if done.returncode:
        raise SystemExit(f"{argv[0]} failed: {done.stdout[-500:]}{done.stderr[-800:]}")


def _by_rescue_boot(folder: Path) -> bool:
    """ext4: crossed as a mounted tree, booted, then returned by a rescue system with Python."""
    with lab.overlay(bootlab.tree(), folder / "overlay") as tree:
        disk = bootlab.bios_on_ext4_of(tree, folder / "system.img", 4000)
    with disk.opened() as root:
        _with_menu(root)
        (root / "etc/systemd/system/default.target").unlink()
        (root / "etc/systemd/system/tells.service").write_text(_TELLS)
        _in(root, "systemctl", "enable", "tells.service")
        began = time.monotonic()
        bridge(root, "update", "--yes")
        bridge(root, "cross", "--to", "13", "--yes", expected=4)
        _row("ext4, crossed as a mounted tree", f"{time.monotonic() - began:.0f} s")
    seen = [_came_up(disk, "ext4, crossed")]
    with disk.opened() as root:
        outcome = bridge(root, "go-on", "--yes")["outcome"]
        _row("ext4, what came up is proven", "passed" if outcome["proof"]["passed"] else "not")
    rescue = bootlab.bios_on_ext4(folder / "rescue", _rescue, 1500)
    words = ("-drive", f"file={disk.image},if=virtio,format=raw,cache=unsafe", "-m", "1024")
    booted = rescue.boot(1800, words)
    if "RETURNED 0" not in booted.console:
        print(booted.console[-3000:])
        return False
    _row("ext4, returned from a rescue boot", f"{booted.seconds:.0f} s")
    seen.append(_came_up(disk, "ext4, the boot after"))
    return seen == ["13", "12"]


def _rescue(tree: Path) -> None:
    """A rescue system: a kernel and Python, nothing of ours."""
    _in(tree, "apt-get", "update")
    _in(tree, "apt-get", "--yes", "--no-install-recommends", "install", "python3")
    # Both disks have a file system called system: this one is known by its place.
    menu = bootlab.menu(bootlab.kernel_of(tree), rescue="")
    menu = menu.replace("search --no-floppy --label --set=root system", "set root=hd0,msdos1")
    (tree / "boot/grub/grub.cfg").write_text(menu.replace("LABEL=system", "/dev/vda1"))
    (tree / "etc/fstab").write_text("/dev/vda1 / ext4 defaults 0 1\n")
    says = tree / "usr/local/sbin/before-it-says"
    says.write_text(_RETURNS)
    says.chmod(0o755)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
