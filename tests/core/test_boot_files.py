"""What loaders and firmware boot from: read, changed in one place, and nothing else is lost."""

import struct

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brave_bridge.core.boot import (
    extlinux,
    extlinux_trial,
    firmware_text,
    grub_defaults,
    grub_environment,
    keyed_text,
    loader_entries,
    loader_settings,
)
from brave_bridge.core.boot.efi_variables import (
    KEPT,
    BootVariables,
    DamagedVariable,
    LoadOption,
    file_name,
    numbers_written,
    option_written,
    read_boot_variables,
    read_option,
)
from brave_bridge.core.boot.entries import BootEntry, entry_for
from brave_bridge.core.boot.grub_menu import found_by, read_grub_menu
from brave_bridge.core.boot.loader_entries import Tries
from brave_bridge.core.formats.marked_part import with_part, without_part

MENU = """
if [ -s $prefix/grubenv ]; then
  load_env
fi
if [ "${next_entry}" ] ; then
   set default="${next_entry}"
   set next_entry=
   save_env next_entry
else
   set default="0"
fi
menuentry 'Quayside' --class quayside $menuentry_id_option 'quayside-simple' {
\tif [ x$feature_platform_search_hint = xy ]; then
\t  search --no-floppy --fs-uuid --set=root 4f2e
\tfi
\tlinux\t/boot/vmlinuz-6.1.0-9 root=UUID=4f2e ro "panic=5"
\tinitrd\t/boot/early.img /boot/initrd.img-6.1.0-9
}
submenu 'Advanced options' $menuentry_id_option 'quayside-advanced' {
\tmenuentry 'Quayside, with Linux 5.19.0-4 (recovery mode)' --id rescue-5.19 {
\t\tlinux\t/boot/vmlinuz-5.19.0-4 root=UUID=4f2e ro single
\t}
\tmenuentry "Quayside, with Linux 5.19.0-4" {
\t\tlinux\t/boot/vmlinuz-5.19.0-4 root=UUID=4f2e ro
\t}
}
# menuentry 'Commented out' { linux /vmlinuz-1 }
menuentry 'Firmware setup' --id firmware {
\tfwsetup
}
"""


def test_a_generated_menu_is_read_with_its_ids_and_its_way_of_choosing():
    menu = read_grub_menu(MENU)
    first, rescue, older, firmware = menu.entries
    assert (first.id, first.kernel, first.image) == (
        "quayside-simple",
        "6.1.0-9",
        "/boot/vmlinuz-6.1.0-9",
    )
    assert first.initrds == ("/boot/early.img", "/boot/initrd.img-6.1.0-9")
    assert (first.option("root"), first.option("panic")) == ("UUID=4f2e", "5")
    assert rescue.id == "quayside-advanced>rescue-5.19"
    assert older.id == "quayside-advanced>Quayside, with Linux 5.19.0-4"
    assert (firmware.id, firmware.image, firmware.kernel) == ("firmware", "", "")
    assert (menu.default, menu.knows_once) == ("0", True)
    assert entry_for(list(menu.entries), "5.19.0-4") == older.title
    assert entry_for(list(menu.entries), "4.0") == ""


@pytest.mark.parametrize(
    ("choice", "number"),
    [
        ("0", 0),
        ("Quayside", 0),
        ("quayside-advanced>rescue-5.19", 1),
        ("Advanced options>Quayside, with Linux 5.19.0-4", 2),
        ("2", 3),
        ("7", None),
        ("gone", None),
    ],
)
def test_an_entry_is_found_by_what_the_loader_is_told(choice, number):
    menu = read_grub_menu(MENU)
    assert found_by(menu, choice) == (None if number is None else menu.entries[number])


def test_a_menu_that_takes_the_saved_entry_says_so():
    assert read_grub_menu('set default="${saved_entry}"\n').default == "saved"
    assert read_grub_menu("set default=2\n").default == "2"
    assert not read_grub_menu('set default="${next_entry}"\n').knows_once


def test_an_entry_of_its_own_file():
    text = (
        "# made\ntitle Quayside\nversion 6.1.0-9\nlinux /vmlinuz-6.1.0-9\n"
        "initrd /a /b\ninitrd /c\noptions root=LABEL=system\noptions ro\n"
    )
    entry = loader_entries.read_loader_entry(text, "/boot/loader/entries/quay+2-1.conf")
    assert entry == BootEntry(
        "Quayside",
        "6.1.0-9",
        id="quay.conf",
        image="/vmlinuz-6.1.0-9",
        initrds=("/a", "/b", "/c"),
        options="root=LABEL=system ro",
        where="/boot/loader/entries/quay+2-1.conf",
    )
    assert loader_entries.read_loader_entry("title nothing to boot\n") is None
    changed = loader_entries.with_options(text, "root=LABEL=other rw")
    assert loader_entries.read_loader_entry(changed).options == "root=LABEL=other rw"
    assert changed.count("options") == 1 and changed.startswith("# made\ntitle Quayside\n")


@pytest.mark.parametrize(
    ("name", "plain", "tries"),
    [
        ("quay.conf", "quay.conf", None),
        ("quay+3.conf", "quay.conf", Tries(3)),
        ("quay+0-2.conf", "quay.conf", Tries(0, 2)),
        ("quay+x.conf", "quay+x.conf", None),
    ],
)
def test_the_tries_of_an_entry_are_in_its_name(name, plain, tries):
    assert loader_entries.plain_name(name) == plain
    assert loader_entries.tries_in(name) == tries
    if tries:
        assert loader_entries.counted_name(plain, tries) == name


def test_entries_are_listed_the_newest_first_and_those_without_tries_last():
    def entry(name: str, kernel: str, key: str = "") -> BootEntry:
        where = f"/boot/loader/entries/{name}"
        return BootEntry("", kernel, id=loader_entries.plain_name(name), sort_key=key, where=where)

    given_ = [
        entry("a.conf", "6.1.0-9"),
        entry("b+0-2.conf", "6.6.0-1"),
        entry("c+2-1.conf", "6.1.0-28"),
        entry("d.conf", "1", "quayside"),
    ]
    ordered = [one.id for one in loader_entries.in_menu_order(given_)]
    assert ordered == ["d.conf", "c.conf", "a.conf", "b.conf"]


NAMES = st.text("abc_xyz09", min_size=1, max_size=12)
VALUES = st.text(st.characters(codec="utf-8", exclude_characters="\0"), max_size=40)


@given(st.dictionaries(NAMES, VALUES, max_size=6))
def test_an_environment_block_holds_what_was_put_in(variables):
    block = grub_environment.write_environment(variables)
    assert len(block) == grub_environment.SIZE
    assert grub_environment.read_environment(block) == variables


def test_a_block_that_the_loader_would_refuse_is_damaged():
    good = grub_environment.write_environment({"saved_entry": "quay"})
    for bad in (good[:1000], b"x" + good[1:], b""):
        with pytest.raises(grub_environment.DamagedBlock):
            grub_environment.read_environment(bad)
    head, warning = b"# GRUB Environment Block\n", b"# WARNING: Do not edit this file\n"
    kept = (head + warning + b"saved_entry=a\n").ljust(1024, b"#")
    again = grub_environment.write_environment({"saved_entry": "b"}, kept)
    assert again.startswith(head + warning) and len(again) == 1024
    assert grub_environment.read_environment(again) == {"saved_entry": "b"}
    with pytest.raises(ValueError, match="of 1024 bytes"):
        grub_environment.write_environment({"a": "x" * 1024})


DEFAULTS = (
    "# If you change this file\nGRUB_DEFAULT=0\nGRUB_TIMEOUT=5 # seconds\n"
    'GRUB_DISTRIBUTOR=`lsb_release -i -s`\nexport GRUB_CMDLINE_LINUX="root=x  quiet"\n'
)


def test_a_setting_of_grub_is_changed_in_its_place():
    known = grub_defaults.settings_in(DEFAULTS)
    assert known["GRUB_CMDLINE_LINUX"] == "root=x  quiet" and known["GRUB_DEFAULT"] == "0"
    assert known["GRUB_DISTRIBUTOR"] is None, "only a shell could tell"
    changed = grub_defaults.with_setting(DEFAULTS, "GRUB_TIMEOUT", "2")
    assert changed == DEFAULTS.replace("TIMEOUT=5 #", 'TIMEOUT="2" #')
    anew = grub_defaults.with_setting(DEFAULTS, "GRUB_DISTRIBUTOR", "Quayside")
    assert anew == DEFAULTS + 'GRUB_DISTRIBUTOR="Quayside"\n'
    assert grub_defaults.settings_in(anew)["GRUB_DISTRIBUTOR"] == "Quayside"
    with pytest.raises(ValueError, match="shell"):
        grub_defaults.with_setting(DEFAULTS, "GRUB_DEFAULT", "$(id)")


EXTLINUX = """## made
DEFAULT quay-6.1
  MENU TITLE boot
LABEL quay-6.1
\tMENU LABEL ^Quayside 6.1
\tLINUX /vmlinuz-6.1.0-9
\tINITRD /early,/initrd.img-6.1.0-9
\tAPPEND root=/dev/mmcblk0p2 ro
label quay-5.19
\tkernel /vmlinuz-5.19.0-4
"""


def test_a_menu_of_the_extlinux_kind():
    menu = extlinux.read_extlinux(EXTLINUX)
    newer, older = menu.entries
    assert menu.default == "quay-6.1" and newer.title == "Quayside 6.1"
    assert newer.initrds == ("/early", "/initrd.img-6.1.0-9")
    assert (older.id, older.title, older.kernel) == ("quay-5.19", "quay-5.19", "5.19.0-4")
    changed = extlinux.with_default(EXTLINUX, "quay-5.19")
    assert changed == EXTLINUX.replace("DEFAULT quay-6.1", "DEFAULT quay-5.19")
    headless = EXTLINUX.replace("DEFAULT quay-6.1\n", "")
    assert extlinux.read_extlinux(extlinux.with_default(headless, "quay-5.19")).default
    with pytest.raises(ValueError, match="no entry"):
        extlinux.with_default(EXTLINUX, "gone")


INCLUDING = """UI menu.c32
default menu.c32
APPEND root=/dev/sda1 ro
INCLUDE kernels.cfg
menu include /boot/extlinux/loop.cfg
"""
INCLUDED = """LABEL linux
  KERNEL /boot/vmlinuz-6.1.0-9
LABEL other
  MENU DEFAULT
  LINUX /boot/vmlinuz-5.19.0-4
  APPEND -
"""
BESIDE = {
    "/boot/extlinux/kernels.cfg": INCLUDED,
    "/boot/extlinux/loop.cfg": "include loop.cfg\ninclude kernels.cfg\n",
}


def test_a_menu_with_what_it_includes():
    menu = extlinux.read_extlinux(INCLUDING, BESIDE)
    assert menu.default == "other" and len(menu.entries) >= 2
    assert [entry.options for entry in menu.entries[:2]] == ["root=/dev/sda1 ro", ""]
    assert extlinux.read_extlinux(INCLUDING).entries == ()
    with pytest.raises(ValueError, match="by another word"):
        extlinux.with_default(INCLUDING, "linux", BESIDE)
    plain = {path: text.replace("  MENU DEFAULT\n", "") for path, text in BESIDE.items()}
    assert extlinux.read_extlinux(INCLUDING, plain).default == ""
    changed = extlinux.with_default(INCLUDING, "linux", plain)
    assert extlinux.read_extlinux(changed, plain).default == "linux"
    assert changed == INCLUDING.replace("default menu.c32", "default linux")


def test_the_last_default_of_a_menu_holds_wherever_it_stands():
    text = f"{EXTLINUX}DEFAULT quay-5.19\n"
    assert extlinux.read_extlinux(text).default == "quay-5.19"


def loaders_data(tags: bytes, flip: int = -1) -> bytes:
    """Both copies of what EXTLINUX keeps at its end, the first with a bit turned over."""
    words = struct.unpack("<125I", tags.ljust(500, b"\0"))
    checksum = (0xA3041767 - sum(words)) % (1 << 32)
    copy = struct.pack("<127I", 0x5A2D2FA5, checksum, *words) + struct.pack("<I", 0xDD28BF64)
    first = bytearray(copy)
    if flip >= 0:
        first[flip] ^= 1
    return b"the loader" + bytes(first) + copy


@given(st.integers(-1, 511))
def test_what_extlinux_boots_once_is_read_from_the_copy_that_is_whole(flip):
    tags = b"\x02\x03abc\x01\x12brave-bridge-trial"
    assert extlinux_trial.read_once(loaders_data(tags, flip)) == "brave-bridge-trial"
    assert extlinux_trial.read_once(loaders_data(b"", flip)) == ""


@given(st.binary(max_size=1100))
def test_a_loader_without_such_data_boots_nothing_once(content):
    assert extlinux_trial.read_once(content) is None


def test_a_trial_of_extlinux_is_an_entry_and_the_default_behind_it():
    newer, older = extlinux.read_extlinux(EXTLINUX).entries
    text = with_part(EXTLINUX, extlinux_trial.trial_part(older, "quay-6.1", "leg-1"))
    menu = extlinux.read_extlinux(text)
    assert menu.default == newer.id and menu.entries[-1].image == older.image
    assert menu.entries[-1].options == "panic=10 brave_bridge.trial=leg-1"
    assert without_part(text) == EXTLINUX
    with pytest.raises(ValueError, match="no name for a trial"):
        extlinux_trial.trial_part(older, "quay-6.1", "leg 1")
    two = msgspec.structs.replace(older, options="ro\nLABEL other")
    with pytest.raises(ValueError, match="more than one line"):
        extlinux_trial.trial_part(two, "quay-6.1", "leg-1")


def test_the_default_of_systemd_boot():
    text = "timeout 3\n#default old\ndefault  quay-*\n"
    assert loader_settings.default_of(text) == "quay-*"
    assert loader_settings.with_default(text, "new.conf") == text.replace("quay-*", "new.conf")
    assert loader_settings.with_default("timeout 3", "a.conf") == "timeout 3\ndefault a.conf\n"


FIRMWARE = "arm_64bit=1\n[pi4]\ndtoverlay=tide\n[all]\n# by hand\nenable_uart = 1\n"


def test_a_boards_settings_are_changed_in_their_section():
    assert firmware_text.setting_in(FIRMWARE, "enable_uart") == "1"
    changed = firmware_text.with_firmware_setting(FIRMWARE, "enable_uart", "0")
    assert changed == FIRMWARE.replace("uart = 1", "uart = 0")
    more = firmware_text.with_firmware_setting(FIRMWARE, "kernel", "new.img", "pi4")
    assert more == FIRMWARE + "[pi4]\nkernel=new.img\n"
    assert firmware_text.setting_in(more, "kernel", "pi4") == "new.img"


def test_what_was_set_by_hand_is_carried_over():
    base = "arm_64bit=1\ngpu_mem=64\n"
    mine = "arm_64bit=1\ngpu_mem=128\ndtoverlay=tide-gauge,port=2\ndtoverlay=lamp\n"
    theirs = "arm_64bit=1\ngpu_mem=76\ndtoverlay=lamp\n"
    merged, told = firmware_text.carried_over(base, mine, theirs)
    assert merged == "arm_64bit=1\ngpu_mem=128\ndtoverlay=lamp\ndtoverlay=tide-gauge,port=2\n"
    assert told == ("gpu_mem=128 stays, 76 is shipped now",)
    gone, told = firmware_text.carried_over(base, "arm_64bit=1\n", theirs)
    assert gone == theirs and told == ("gpu_mem=76 was taken out by hand and is shipped again",)


LINES = st.lists(
    st.sampled_from(
        ["key", "  default", "label", "LABEL", "[all]", "[pi4]", "# note", "", "a", "export A"]
    ).flatmap(
        lambda head: st.sampled_from(["", " ", "=", " = ", "\t"]).flatmap(
            lambda gap: st.text(" abc=#'\"\\$\r\t", max_size=8).map(lambda tail: head + gap + tail)
        )
    ),
    max_size=12,
)
TEXTS = st.one_of(LINES.map("\n".join), st.text(max_size=120))
WORDS = st.text("abcXYZ09./-", min_size=1, max_size=12)


def others(before: str, after: str) -> bool:
    """Whether every line but one is as it was, and in its place."""
    old, new = before.split("\n"), after.split("\n")
    if len(old) == len(new):
        return sum(a != b for a, b in zip(old, new, strict=True)) <= 1
    kept = iter(new)
    return all(line in kept for line in old[:-1]) and after.startswith(before)


@settings(max_examples=600)
@given(TEXTS, WORDS)
def test_files_of_any_kind_lose_nothing_by_a_change(text, word):
    changed = keyed_text.with_key_value(text, "default", word)
    assert others(text, changed) and loader_settings.default_of(changed) == word
    changed = firmware_text.with_firmware_setting(text, "kernel", word)
    assert firmware_text.setting_in(changed, "kernel") == word
    assert firmware_text.with_firmware_setting(changed, "kernel", word) == changed
    try:
        changed = grub_defaults.with_setting(text, "A", word)
    except ValueError as refusal:
        assert "no end" in str(refusal) and any(quote in text for quote in "'\"\\")
    else:
        assert others(text, changed) and grub_defaults.settings_in(changed)["A"] == word
    extlinux.read_extlinux(text)
    loader_entries.read_loader_entry(text)
    read_grub_menu(text)


def device_path(file: str) -> bytes:
    name = (file + "\0").encode("utf-16-le")
    return b"\x04\x04" + (4 + len(name)).to_bytes(2, "little") + name + b"\x7f\xff\x04\x00"


def test_the_firmwares_choices_are_read_and_written():
    file = r"\EFI\quayside\shimx64.efi"
    option = LoadOption(3, "Quayside", device_path(file), b"\x01tail")
    files = {
        file_name("Boot0003"): option_written(option),
        file_name("Boot0007"): b"\x07\0\0\0broken",
        file_name("BootOrder"): numbers_written((3, 7)),
        file_name("BootNext"): numbers_written((7,)),
        file_name("BootCurrent"): (6).to_bytes(4, "little") + b"\x03\0",
    }
    found = read_boot_variables(files)
    assert found == BootVariables((option,), (3, 7), 7, 3)
    assert found.option(3).file == file and found.option(3).is_active and found.option(7) is None
    assert files[file_name("BootOrder")][:4] == KEPT.to_bytes(4, "little")
    with pytest.raises(DamagedVariable):
        read_option(7, files[file_name("Boot0007")])


@given(
    st.integers(0, 0xFFFF),
    st.text(st.characters(codec="utf-16", exclude_characters="\0"), max_size=20),
    st.binary(max_size=60),
    st.binary(max_size=20),
)
def test_any_load_option_comes_back(number, title, path, data):
    option = LoadOption(number, title, path, data, attributes=1)
    assert read_option(number, option_written(option)) == option
    assert isinstance(option.file, str)


@given(
    st.dictionaries(
        st.sampled_from(["Boot0001", "BootOrder", "BootNext"]).map(file_name),
        st.binary(max_size=80),
    )
)
def test_no_variable_makes_the_reader_stumble(files):
    assert isinstance(read_boot_variables(files), BootVariables)
