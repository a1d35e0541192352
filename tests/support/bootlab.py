"""Small disk images that really boot, in qemu with software emulation.

A tree of Debian 12 with a kernel is built once and kept; an image of it takes two seconds. What
comes up says one line on the serial console and powers off. Each instruction of it is emulated, so
it has nothing that no test asks for: no device manager in the initial file system, and what comes
up says so as the first process, but where a test needs the system's own init.
"""

import contextlib
import os
import re
import shutil
import stat
import subprocess
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec

from tests.support import lab
from tests.support.container import Container, booted

_PACKAGES = (
    "linux-image-cloud-amd64,systemd-sysv,udev,grub2-common,grub-pc-bin,initramfs-tools,"
    "btrfs-progs,zstd,usr-is-merged"
)
_TOOLS = (
    "qemu-system-x86_64",
    "grub-mkimage",
    "grub-editenv",
    "sfdisk",
    "mkfs.ext4",
    "mkfs.vfat",
    "mcopy",
    "mdeltree",
)
_BIOS = Path("/usr/lib/grub/i386-pc")
FAT_UUID = "AB12-CD34"
_FAT_MIB, _ESP_MIB = 34, 100
BOOT_MIB = 120
_SYSTEMD_BOOT = Path("/usr/lib/systemd/boot/efi/systemd-bootx64.efi")
_OVMF = Path("/usr/share/OVMF/OVMF_CODE.fd")
_CORE_MODULES = (
    "biosdisk part_msdos ext2 btrfs fat normal linux search search_label search_fs_uuid loadenv "
    "test echo serial terminal configfile ls cat"
)
_FIRST_BYTE = 1 << 20
_MIB = 1 << 20
_PATIENCE = 240.0
_MOST_PATIENCES = 8
_TERMINAL_CODES = re.compile(r"\x1b\[[0-9;?]*[a-zA-Z]")
_SAYS_IT = "usr/local/sbin/say-what-came-up"
_SAYS_AT_ONCE = f"init=/{_SAYS_IT}"
OPTIONS = (
    "root=LABEL=system ro console=ttyS0 no_timer_check loglevel=6 mitigations=off nokaslr "
    f"cryptomgr.notests {_SAYS_AT_ONCE}"
)

_INITRD_MAKER = "usr/sbin/update-initramfs"
_NO_INITRD_YET = (
    f'chroot "$1" dpkg-divert --quiet --local --rename --add /{_INITRD_MAKER} && '
    f'ln -s /bin/true "$1/{_INITRD_MAKER}"'
)
"""It is made once, when it is known what belongs in it."""

_HOOK = """#!/bin/sh
[ "$1" = prereqs ] && exit 0
. /usr/share/initramfs-tools/hook-functions
manual_add_modules btrfs
copy_exec /sbin/blkid
"""
_WHERE_THE_ROOT_IS_BTRFS = """#!/bin/sh
[ "$1" = prereqs ] && exit 0
[ "$(blkid -s TYPE -o value /dev/vda1)" = btrfs ] && modprobe btrfs
exit 0
"""
_DEVICES_GO_ALONG = """#!/bin/sh
[ "$1" = prereqs ] && exit 0
mount -n -o move /dev "${rootmnt}/dev"
"""
_NOT_IN_INITRD = (
    "hooks/udev",
    "scripts/init-top/udev",
    "scripts/init-bottom/udev",
    "hooks/btrfs",
    "scripts/local-premount/btrfs",
)
_GENERATORS_THAT_STAY = ("systemd-fstab-generator",)
_SAYS = """[Unit]
Description=Say what came up
DefaultDependencies=no
After=local-fs.target
[Service]
Type=oneshot
ExecStart=/usr/local/sbin/say-what-came-up
"""
_TARGET = """[Unit]
Description=The system's own beginning, then what came up
Requires=sysinit.target say.service
After=sysinit.target
AllowIsolate=yes
"""
_SCRIPT = """#!/bin/sh
[ -x /usr/local/sbin/before-it-says ] && /usr/local/sbin/before-it-says >/dev/ttyS0 2>&1
. /etc/os-release
echo "CAME UP release=$VERSION_ID kernel=$(uname -r) options=$(cat /proc/cmdline)" >/dev/ttyS0
sync
echo o >/proc/sysrq-trigger
sleep 60
"""


def why_not() -> str:
    """Why nothing can be booted here; empty when it can."""
    if reason := lab.why_not():
        return reason
    missing = [tool for tool in _TOOLS if shutil.which(tool) is None]
    if not (_BIOS / "boot.img").is_file():
        missing.append("grub-pc-bin")
    missing += [str(path) for path in (_SYSTEMD_BOOT, _OVMF) if not path.is_file()]
    return f"missing tools: {', '.join(missing)}" if missing else ""


class CameUp(msgspec.Struct, frozen=True):
    """A system that said what it is: its release, its kernel, and the kernel's options."""

    release: str
    kernel: str
    options: str


class Booted(msgspec.Struct, frozen=True):
    """What a machine did between power on and power off, or until patience ended.

    ``starts`` are the kernels' options in the order in which they were started.
    """

    came_up: CameUp | None
    starts: tuple[str, ...]
    console: str
    seconds: float


def tree() -> Path:
    """The tree that boots; nobody may change it."""
    papers = (f"--dpkgopt={option}" for option in lab.NO_PAPERS)
    words = (f"--essential-hook={_NO_INITRD_YET}", *papers)
    return lab.kept_tree("booting", _PACKAGES, _settle, "bookworm", *words)


def _settle(folder: Path) -> None:
    (folder / "etc/initramfs-tools/conf.d/lab").write_text(
        "MODULES=list\nCOMPRESS=gzip\nRESUME=none\n"
    )
    (folder / "etc/initramfs-tools/modules").write_text("virtio_pci\nvirtio_blk\next4\n")
    scripts = {
        "hooks/lab": _HOOK,
        "scripts/local-premount/lab": _WHERE_THE_ROOT_IS_BTRFS,
        "scripts/init-bottom/lab": _DEVICES_GO_ALONG,
    }
    for name, text in scripts.items():
        (folder / "etc/initramfs-tools" / name).write_text(text)
        (folder / "etc/initramfs-tools" / name).chmod(0o755)
    for name in _NOT_IN_INITRD:
        (folder / "usr/share/initramfs-tools" / name).unlink()
    (folder / _INITRD_MAKER).unlink()
    lab.in_tree(folder, "dpkg-divert", "--local", "--rename", "--remove", f"/{_INITRD_MAKER}")
    code, said = lab.in_tree(folder, "update-initramfs", "-c", "-k", kernel_of(folder))
    assert code == 0, said
    (folder / "etc/systemd/system/say.service").write_text(_SAYS)
    (folder / "etc/systemd/system/lab.target").write_text(_TARGET)
    (folder / "etc/systemd/system/default.target").symlink_to("lab.target")
    _without_generators(folder)
    says = folder / _SAYS_IT
    says.write_text(_SCRIPT)
    says.chmod(0o755)
    (folder / "etc/machine-id").write_text("0123456789abcdef0123456789abcdef\n")
    (folder / "etc/fstab").write_text("LABEL=system / ext4 defaults 0 1\n")
    (folder / "boot/grub").mkdir(exist_ok=True)
    shutil.copytree(_BIOS, folder / "boot/grub/i386-pc", dirs_exist_ok=True)
    subprocess.run(["grub-editenv", folder / "boot/grub/grubenv", "create"], check=True)


def _without_generators(folder: Path) -> None:
    masked = folder / "etc/systemd/system-generators"
    masked.mkdir()
    for place in (folder / "lib/systemd/system-generators").iterdir():
        if place.name not in _GENERATORS_THAT_STAY:
            (masked / place.name).symlink_to("/dev/null")


def with_its_own_init(folder: Path) -> None:
    """Have GRUB's menu of a tree start the system's own init: timers, journal, devices."""
    menu = folder / "boot/grub/grub.cfg"
    menu.write_text(menu.read_text().replace(f" {_SAYS_AT_ONCE}", ""))


@contextlib.contextmanager
def running(root: Path, kernel: str, options: str = "", **how: Any) -> Iterator[Container]:
    """The mounted system of a disk under its own init, as that kernel started it; up once.

    ``how`` as a container has it.
    """
    says, aside = root / _SAYS_IT, root / "root/say"
    # It switches off whichever machine it is called on.
    says.rename(aside)
    told = {"kernel": kernel, "options": options, "most_boots": 1}
    with booted(root, **told, **how) as machine:
        yield machine
    aside.rename(says)


def panic_soon(*files: Path) -> None:
    """Have a trial that panics start anew at once, not after the seconds that a person would need.

    ``files`` are those of a loader in which the product has arranged it.
    """
    for file in files:
        text = file.read_text()
        assert " panic=10 " in text, text
        file.write_text(text.replace(" panic=10 ", " panic=1 "))


def kernel_of(folder: Path) -> str:
    """The version of the kernel in a tree."""
    (image,) = (folder / "boot").glob("vmlinuz-*")
    return image.name.removeprefix("vmlinuz-")


MENU_HEAD = """serial --unit=0
terminal_output serial
if [ -s $prefix/grubenv ]; then
  set have_grubenv=true
  load_env
fi
if [ "${next_entry}" ] ; then
   set default="${next_entry}"
   set next_entry=
   save_env next_entry
   set boot_once=true
else
   set default="0"
fi
set timeout=0
"""
MENU_TAIL = """if [ -f ${config_directory}/custom.cfg ]; then
  source ${config_directory}/custom.cfg
elif [ -z "${config_directory}" -a -f $prefix/custom.cfg ]; then
  source $prefix/custom.cfg
fi
"""


def menu(kernel: str, **entries: str) -> str:
    """A menu as GRUB's own program writes it: entries by id, with what their options have more.

    By the commands of some distributions for a PC's old firmware: those of the others have GRUB
    move all the room of a kernel byte by byte, which takes longest where each is emulated.
    """
    written = [
        f"menuentry '{name}' --id {name} {{\n"
        "\tsearch --no-floppy --label --set=root system\n"
        f"\tlinux16 /boot/vmlinuz-{kernel} {OPTIONS} {more}\n"
        f"\tinitrd16 /boot/initrd.img-{kernel}\n}}\n"
        for name, more in entries.items()
    ]
    return MENU_HEAD + "".join(written) + MENU_TAIL


class Disk:
    """A disk image. ``fat_byte`` is where its FAT file system begins, where it has one."""

    def __init__(self, image: Path, fat_byte: int = 0, firmware: Path | None = None) -> None:
        self.image = image
        self._firmware = firmware
        self._fat = f"{image}@@{fat_byte}"

    def put_on_fat(self, root: Path, path: str) -> None:
        """Copy a file of the mounted root to the FAT file system, in the same place there."""
        *folders, _ = path.strip("/").split("/")
        for number in range(len(folders)):
            name = "/".join(folders[: number + 1])
            _quietly("mmd", "-D", "s", "-i", self._fat, f"::{name}", may_fail=True)
        source = root / "boot/efi" / path.strip("/")
        _quietly("mcopy", "-o", "-i", self._fat, source, f"::{path.strip('/')}")

    def put_all_on_fat(self, root: Path) -> None:
        """Have the FAT file system hold what the mounted root has at /boot/efi, loader's files."""
        _quietly("mdeltree", "-i", self._fat, "::loader", may_fail=True)
        for path in sorted((root / "boot/efi").rglob("*")):
            if path.is_file():
                self.put_on_fat(root, str(path.relative_to(root / "boot/efi")))

    def fat_names(self, folder: str) -> list[str]:
        """The names in a folder of the FAT file system."""
        argv = ["mdir", "-b", "-i", self._fat, f"::{folder}"]
        done = subprocess.run(argv, capture_output=True, text=True, check=True)
        return sorted(line.rpartition("/")[2] for line in done.stdout.split() if line)

    def on_fat(self, path: str) -> bytes:
        """A file of the FAT file system."""
        argv = ["mcopy", "-i", self._fat, f"::{path.strip('/')}", "-"]
        return subprocess.run(argv, capture_output=True, check=True).stdout

    @contextlib.contextmanager
    def opened(self, subvolume: str = "") -> Iterator[Path]:
        """Its root file system, mounted: the one of a subvolume, where it is named."""
        mount = self.image.with_suffix(".mounted")
        mount.mkdir(exist_ok=True)
        loop = _loop(self.image)
        try:
            with _known_by_uuid(loop), self._mounted(loop, mount, subvolume):
                yield mount
        finally:
            subprocess.run(["losetup", "--detach", loop], check=True)

    @contextlib.contextmanager
    def boot_partition(self, root: Path) -> Iterator[None]:
        """Its boot partition, mounted where the mounted root has it."""
        loop = _loop(self.image, 900 * _MIB)
        try:
            with self._mounted(loop, root / "boot", "", keep=True):
                yield
        finally:
            subprocess.run(["losetup", "--detach", loop], check=True)

    @contextlib.contextmanager
    def _mounted(
        self, loop: str, mount: Path, subvolume: str, *, keep: bool = False
    ) -> Iterator[None]:
        options = ["-o", f"subvol={subvolume}"] if subvolume else []
        subprocess.run(["mount", *options, loop, mount], check=True)
        try:
            yield
        finally:
            _take_down(mount)
            if not keep:
                mount.rmdir()

    def boot(self, patience: float = _PATIENCE, more: Sequence[str] = ()) -> Booted:
        """Power on, and wait until it powers off; nothing came up where it never does.

        ``patience`` is for how many seconds it may say nothing at its console.
        ``more`` are words for the machine: a network, memory, another disk.
        """
        console = self.image.with_suffix(".console")
        argv = (
            "qemu-system-x86_64 -machine pc,accel=tcg -cpu qemu64 -smp 1 -m 768 -display none "
            f"-net none -serial file:{console} "
            f"-drive file={self.image},if=virtio,format=raw,cache=unsafe"
        ).split()
        if self._firmware is not None:
            argv += ["-drive", f"if=pflash,format=raw,readonly=on,file={self._firmware}"]
        argv += more
        began = time.monotonic()
        with subprocess.Popen(argv, stdin=subprocess.DEVNULL) as machine:
            _wait_while_it_speaks(machine, console, patience)
        return _told(console, time.monotonic() - began)


def _wait_while_it_speaks(machine: subprocess.Popen, console: Path, patience: float) -> None:
    """Wait for a machine's end; kill it where it says nothing for long, or never ends."""
    heard, last = 0, time.monotonic()
    ends = last + _MOST_PATIENCES * patience
    while machine.poll() is None:
        now, size = time.monotonic(), console.stat().st_size if console.exists() else 0
        if size != heard:
            heard, last = size, now
        if now - last > patience or now > ends:
            machine.kill()
        time.sleep(0.2)


def _take_down(mount: Path) -> None:
    """Unmount; also where something holds it still, which is a fault all the same."""
    argv = ["umount", "--recursive"]
    if subprocess.run([*argv, mount], capture_output=True, check=False).returncode:
        subprocess.run([*argv, "--lazy", mount], check=True)
        raise RuntimeError(f"something held {mount} still")


@contextlib.contextmanager
def _known_by_uuid(device: str) -> Iterator[None]:
    """A device with the link that udev makes for it elsewhere: GRUB's programs name it so then."""
    argv = ["blkid", "-o", "value", "-s", "UUID", device]
    told = subprocess.run(argv, capture_output=True, text=True, check=True).stdout.strip()
    link = Path("/dev/disk/by-uuid") / told
    link.parent.mkdir(parents=True, exist_ok=True)
    with contextlib.suppress(FileExistsError):
        link.symlink_to(device)
    try:
        yield
    finally:
        link.unlink(missing_ok=True)


def _loop(image: Path, first_byte: int = _FIRST_BYTE) -> str:
    """A partition of the image as a block device, of a number from 40 on.

    GRUB's programs take ``/dev/loop`` with one digit for a file that they would have to find.
    """
    for number in range(40, 200):
        place = f"/dev/loop{number}"
        with contextlib.suppress(FileExistsError):
            os.mknod(place, 0o600 | stat.S_IFBLK, os.makedev(7, number))
        argv = ["losetup", "--offset", str(first_byte), place, image]
        if subprocess.run(argv, capture_output=True, check=False).returncode == 0:
            return place
    raise RuntimeError("no loop device is free")


def _told(console: Path, seconds: float) -> Booted:
    text = _TERMINAL_CODES.sub("", console.read_text("utf-8", "replace"))
    said = re.findall(r"CAME UP release=(\S*) kernel=(\S+) options=(.*)", text)
    starts = tuple(re.findall(r"Kernel command line: (.*)", text))
    return Booted(CameUp(*said[-1]) if said else None, starts, text, seconds)


def bios_on_ext4(folder: Path, prepare: Callable[[Path], None], size_mib: int = 900) -> Disk:
    """A disk for a PC's old firmware with GRUB, all on one ext4; ``prepare`` is given the tree."""
    with lab.overlay(tree(), folder / "overlay") as mine:
        prepare(mine)
        return bios_on_ext4_of(mine, folder / "disk.img", size_mib)


def bios_on_ext4_of(
    root: Path, image: Path, size_mib: int, features: str = "^metadata_csum_seed"
) -> Disk:
    """The same of a tree as it is; ``features`` are those of ext4 that a loader knows."""
    size = size_mib * _MIB
    with open(image, "wb") as stream:
        stream.truncate(size)
    _quietly("sfdisk", "-q", image, stdin="label: dos\n2048,,83,*\n")
    _quietly(
        *("mkfs.ext4", "-q", "-F", "-L", "system", "-O", features, "-d", root),
        *("-E", f"offset={_FIRST_BYTE}", image, f"{(size - _FIRST_BYTE) // 1024}k"),
    )
    _with_grub(image, "(hd0,msdos1)/boot/grub")
    return Disk(image)


def bios_on_btrfs(folder: Path, prepare: Callable[[Path], None], size_mib: int = 1400) -> Disk:
    """The same on btrfs, on which GRUB cannot write, with a FAT partition behind it.

    That one is what ``FAT_UUID`` says; the system has it at /boot/efi.
    """
    image, fat, system = folder / "disk.img", folder / "fat.img", folder / "btrfs.img"
    with lab.overlay(tree(), folder / "overlay") as mine:
        fstab = f"LABEL=system / btrfs defaults 0 0\nUUID={FAT_UUID} /boot/efi vfat defaults 0 0\n"
        (mine / "etc/fstab").write_text(fstab)
        (mine / "boot/efi").mkdir()
        prepare(mine)
        with open(system, "wb") as stream:
            stream.truncate(size_mib * _MIB)
        _quietly("mkfs.btrfs", "--quiet", "-f", "-L", "system", "--rootdir", mine, system)
    with open(fat, "wb") as stream:
        stream.truncate(_FAT_MIB * _MIB)
    _quietly("mkfs.vfat", "-i", FAT_UUID.replace("-", ""), fat)
    start = _FIRST_BYTE // 512
    second = start + size_mib * _MIB // 512
    with open(image, "wb") as stream:
        stream.truncate(_FIRST_BYTE + (size_mib + _FAT_MIB) * _MIB)
    table = f"label: dos\n{start},{second - start},83,*\n{second},,c\n"
    _quietly("sfdisk", "-q", image, stdin=table)
    for part, sector in ((system, start), (fat, second)):
        words = ("conv=notrunc,sparse", "bs=1M", f"seek={sector // 2048}")
        _quietly("dd", f"if={part}", f"of={image}", *words)
        part.unlink()
    _with_grub(image, "(hd0,msdos1)/boot/grub")
    return Disk(image, fat_byte=second * 512)


def bios_on_subvolume(folder: Path, prepare: Callable[[Path], None], size_mib: int = 1400) -> Disk:
    """A disk with GRUB, all in the subvolume ``@`` of a btrfs, and a FAT partition behind it."""
    disk = bios_on_btrfs(folder, lambda tree: None, size_mib)
    with disk.opened() as top:
        _quietly("btrfs", "subvolume", "snapshot", top, top / "@")
        for path in top.iterdir():
            if path.name != "@":
                shutil.rmtree(path) if path.is_dir() and not path.is_symlink() else path.unlink()
        prepare(top / "@")
        fstab = top / "@/etc/fstab"
        fstab.write_text(fstab.read_text().replace("btrfs defaults", "btrfs subvol=@"))
    _with_grub(disk.image, "(hd0,msdos1)/@/boot/grub")
    return disk


def bios_with_boot_partition(folder: Path, prepare: Callable[[Path], None]) -> Disk:
    """A disk with GRUB whose kernels are on an ext4 of their own, ``BOOT_MIB`` large."""
    with lab.overlay(tree(), folder / "overlay") as mine:
        prepare(mine)
        fstab = "LABEL=system / ext4 defaults 0 1\nLABEL=boot /boot ext4 defaults 0 2\n"
        (mine / "etc/fstab").write_text(fstab)
        shutil.copytree(mine / "boot", folder / "boot")
        shutil.rmtree(mine / "boot")
        (mine / "boot").mkdir()
        disk = bios_on_ext4_of(mine, folder / "disk.img", 900)
    first, second = _FIRST_BYTE // 512, 900 * _MIB // 512
    with open(disk.image, "r+b") as stream:
        stream.truncate((900 + BOOT_MIB) * _MIB)
    table = f"label: dos\n{first},{second - first},83,*\n{second},,83\n"
    _quietly("sfdisk", "-q", disk.image, stdin=table)
    words = ("-q", "-F", "-L", "boot", "-d", folder / "boot", "-E", f"offset={second * 512}")
    _quietly("mkfs.ext4", *words, disk.image, f"{BOOT_MIB * 1024}k")
    _with_grub(disk.image, "(hd0,msdos2)/grub")
    return disk


def extlinux_tools() -> Path:
    """The loader extlinux, out of its packages: installed, it would change this machine's /boot."""
    place = lab.CACHE / "extlinux"
    with lab.one_at_a_time("extlinux"):
        if not place.is_dir():
            half = lab.CACHE / "half-extlinux"
            shutil.rmtree(half, ignore_errors=True)
            half.mkdir(parents=True)
            words = ["apt-get", "-o", "APT::Sandbox::User=root", "download"]
            subprocess.run(
                [*words, "extlinux", "syslinux-common"], cwd=half, check=True, capture_output=True
            )
            for package in half.glob("*.deb"):
                _quietly("dpkg-deb", "-x", package, half)
            half.rename(place)
    return place


def bios_with_extlinux(folder: Path, prepare: Callable[[Path], None]) -> Disk:
    """A disk with extlinux, all on one ext4; ``prepare`` is given the tree."""
    tools = extlinux_tools()
    with lab.overlay(tree(), folder / "overlay") as mine:
        (mine / "boot/extlinux").mkdir()
        prepare(mine)
        disk = bios_on_ext4_of(mine, folder / "disk.img", 900, "^metadata_csum_seed,^64bit")
    _quietly("sfdisk", "-q", "--activate", disk.image, "1")
    with disk.opened() as root:
        _quietly(tools / "usr/bin/extlinux", "--install", root / "boot/extlinux")
    with open(disk.image, "r+b") as stream:
        stream.write((tools / "usr/lib/syslinux/mbr/mbr.bin").read_bytes()[:440])
    return disk


def efi_with_systemd_boot(folder: Path, prepare: Callable[[Path], None]) -> Disk:
    """A disk for EFI with systemd-boot; kernels and entries on the EFI system partition.

    The system has that one at /boot/efi. ``prepare`` is given the tree: what it puts there, and
    the kernels in /boot, go to the partition.
    """
    image, fat, system = folder / "disk.img", folder / "fat.img", folder / "ext4.img"
    with lab.overlay(tree(), folder / "overlay") as mine:
        (mine / "boot/efi").mkdir()
        prepare(mine)
        with open(fat, "wb") as stream:
            stream.truncate(_ESP_MIB * _MIB)
        _quietly("mkfs.vfat", "-i", FAT_UUID.replace("-", ""), fat)
        for name in ("EFI", "EFI/BOOT"):
            _quietly("mmd", "-i", fat, f"::{name}")
        _quietly("mcopy", "-i", fat, _SYSTEMD_BOOT, "::EFI/BOOT/BOOTX64.EFI")
        for path in (*(mine / "boot").glob("vmlinuz-*"), *(mine / "boot").glob("initrd.img-*")):
            _quietly("mcopy", "-i", fat, path, f"::{path.name}")
        with open(system, "wb") as stream:
            stream.truncate(900 * _MIB)
        _quietly("mkfs.ext4", "-q", "-F", "-L", "system", "-d", mine, system)
    first = _FIRST_BYTE // 512
    second = first + 900 * _MIB // 512
    with open(image, "wb") as stream:
        stream.truncate(_FIRST_BYTE + (900 + _ESP_MIB + 1) * _MIB)
    esp = f"{second},{_ESP_MIB * _MIB // 512},U"
    table = f"label: gpt\n{first},{second - first},L\n{esp}\n"
    _quietly("sfdisk", "-q", image, stdin=table)
    for part, sector in ((system, first), (fat, second)):
        words = ("conv=notrunc,sparse", "bs=1M", f"seek={sector // 2048}")
        _quietly("dd", f"if={part}", f"of={image}", *words)
        part.unlink()
    disk = Disk(image, fat_byte=second * 512, firmware=_OVMF)
    with disk.opened() as root:
        disk.put_all_on_fat(root)
    return disk


def _with_grub(image: Path, prefix: str) -> None:
    """GRUB's first sector and its core behind it, as its own installer puts them."""
    core = image.with_suffix(".core")
    words = ("grub-mkimage", "-O", "i386-pc", "-o", core, "-p", prefix)
    _quietly(*words, *_CORE_MODULES.split())
    with open(image, "r+b") as stream:
        stream.write((_BIOS / "boot.img").read_bytes()[:440])
        stream.seek(512)
        stream.write(core.read_bytes())


def _quietly(*argv: object, stdin: str = "", may_fail: bool = False) -> None:
    words = [str(word) for word in argv]
    done = subprocess.run(
        words, input=stdin, text=True, capture_output=True, check=False, env={**os.environ}
    )
    if done.returncode and not may_fail:
        raise RuntimeError(f"{words[0]} gave {done.returncode}: {done.stderr[-800:]}")
