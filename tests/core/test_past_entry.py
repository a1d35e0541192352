"""Boot entries of past systems: made after an entry of the machine's own menu."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.boot.entries import BootEntry, Loader, entry_for
from brave_bridge.core.boot.grub_menu import read_grub_menu
from brave_bridge.core.boot.loader_entries import read_loader_entry
from brave_bridge.core.boot.loader_faults import missing_files
from brave_bridge.core.boot.past_entry import (
    PART,
    PastSystem,
    grub_entry,
    is_past,
    loader_entry,
    template_for,
    with_root,
)
from brave_bridge.core.formats.marked_part import part_in, with_part, without_part

MENU = """set default="0"
menuentry 'Quayside 3' --class os $menuentry_id_option 'quay-now' {
\tload_video
\tsavedefault
\tsearch --no-floppy --fs-uuid --set=root 1111-2222
\tlinux\t/@/boot/vmlinuz-6.6.0-2 root=UUID=1111-2222 ro rootflags=subvol=@ quiet
\tinitrd\t/@/boot/ucode.img /@/boot/initrd.img-6.6.0-2
}
menuentry 'Quayside 3 (recovery mode)' --id quay-rescue {
\tlinux /@/boot/vmlinuz-6.6.0-2 root=UUID=1111-2222 ro single rootflags=subvol=@
}
"""
PAST = PastSystem(
    way_back="20261127-leg-4",
    subvolume="@.as-of-20261127-leg-4",
    name="@",
    release="Quayside 2 (Gull's)",
    since="2026-11-27T10:00:00+00:00",
    kernel="6.1.0-8",
    kernels=("6.1.0-8",),
)


def test_an_entry_starts_the_past_systems_kernel_on_its_own_root():
    entries = read_grub_menu(MENU).entries
    template = template_for(PAST, entries)
    assert template is not None and template.id == "quay-now"
    text = grub_entry(MENU, PAST, template)
    (made,) = read_grub_menu(text).entries
    assert made.id == PAST.entry and is_past(made.id) and not is_past("quay-now")
    assert made.image == "/@.as-of-20261127-leg-4/boot/vmlinuz-6.1.0-8"
    assert made.initrds == (
        "/@.as-of-20261127-leg-4/boot/ucode.img",
        "/@.as-of-20261127-leg-4/boot/initrd.img-6.1.0-8",
    )
    assert made.options == ("root=UUID=1111-2222 ro rootflags=subvol=@.as-of-20261127-leg-4 quiet")
    assert "savedefault" not in text and "search --no-floppy" in text
    assert "'" not in made.title and "as of 2026-11-27" in made.title


def test_kernels_on_a_partition_of_their_own_serve_while_they_are_there():
    text = MENU.replace("/@/boot/", "/").replace("6.6.0-2", "6.1.0-8")
    entries = read_grub_menu(text).entries
    template = template_for(PAST, entries)
    assert template is not None
    (made,) = read_grub_menu(grub_entry(text, PAST, template)).entries
    assert made.image == "/vmlinuz-6.1.0-8" and made.option("rootflags").endswith("leg-4")
    gone = read_grub_menu(MENU.replace("/@/boot/", "/")).entries
    assert template_for(PAST, gone) is None
    assert template_for(PAST, ()) is None


def test_a_kernel_that_is_not_in_the_past_system_is_not_promised():
    import msgspec

    bare = msgspec.structs.replace(PAST, kernels=())
    assert template_for(bare, read_grub_menu(MENU).entries) is None


def test_the_root_is_exchanged_however_it_is_written():
    assert with_root("ro quiet", "p") == "ro quiet rootflags=subvol=p"
    assert with_root("rootflags=subvol=@,noatime ro", "p") == "rootflags=subvol=p,noatime ro"
    assert with_root("ro rootflags=noatime", "p") == "ro rootflags=noatime,subvol=p"


@pytest.mark.parametrize("field", ["subvolume", "name", "kernel", "way_back"])
@pytest.mark.parametrize("word", ["a b", "x'; reboot", "a\nb", "$(x)", ""])
def test_names_that_are_no_plain_words_are_refused(field, word):
    import msgspec

    hostile = msgspec.structs.replace(PAST, **{field: word})
    template = read_grub_menu(MENU).entries[0]
    with pytest.raises(ValueError, match="no plain name"):
        grub_entry(MENU, hostile, template)


def test_an_entry_in_a_file_of_its_own():
    text = "title Quayside 3\nversion 6.1.0-8\nlinux /vmlinuz-6.1.0-8\noptions root=/dev/sda2 ro\n"
    template = read_loader_entry(text, "/boot/loader/entries/now.conf")
    made = read_loader_entry(loader_entry(text, PAST, template), "/x/brave-bridge-past-a.conf")
    assert made.option("rootflags") == "subvol=@.as-of-20261127-leg-4"
    assert made.image == "/vmlinuz-6.1.0-8" and "as of" in made.title


def test_others_do_not_take_it_for_an_ordinary_entry():
    past = BootEntry("as of", "6.1.0-8", id=PAST.entry, image="/p/boot/vmlinuz-6.1.0-8")
    assert entry_for([past], "6.1.0-8") == ""
    assert list(missing_files(Loader("grub", (past,)), frozenset({"vmlinuz-6.6.0-2"}))) == []


LINES = st.lists(st.text(st.characters(exclude_characters="\n\r"), max_size=30), max_size=8)


@given(LINES, LINES, LINES)
def test_parts_about_different_subjects_leave_each_other_alone(own, first, second):
    text = "".join(f"{line}\n" for line in own)
    parts = ["".join(f"{line}x\n" for line in lines) for lines in (first, second)]
    both = with_part(with_part(text, parts[0]), parts[1], PART)
    assert part_in(both) == parts[0] and part_in(both, PART) == parts[1]
    assert without_part(without_part(both), PART) == text
    assert without_part(without_part(both, PART)) == text
