"""The Kernels page: what boots next and why, what can be tried once, what is refused and why."""

import msgspec
import pytest

from brave_bridge.core.boot.entries import TRIAL_ID, BootEntry, Loader, LoaderFault
from brave_bridge.core.boot.loader_faults import INITRD
from brave_bridge.core.formats.proc import Mount
from brave_bridge.core.survey.platform import Boot, Kernel
from brave_bridge.workbench.boot.booting import boot_seen, must_be_tried_once
from brave_bridge.workbench.pages.kernels import kernels_page
from brave_bridge.workbench.record import MachineRecord, Surveyed
from brave_bridge.workbench.refusal import Refused
from tests.support import facts as made

OLD, NEW = "5.19.0-4", "6.6.0-11"
ENTRIES = tuple(
    BootEntry(f"Quayside {kernel}", kernel, id=kernel, image=f"/boot/vmlinuz-{kernel}")
    for kernel in (NEW, OLD)
)
GRUB = Loader("grub", ENTRIES, NEW, remembers="/boot/grub/grubenv", told_by="/boot/grub/custom.cfg")


def on_grub(loader: Loader = GRUB, kind: str = "ext4"):
    """A machine with two kernels that runs the older one."""
    return msgspec.structs.replace(
        made.facts(),
        loader=loader,
        boot=Boot(kernel=OLD, firmware="bios", id="a"),
        kernels=tuple(Kernel(k, f"/boot/vmlinuz-{k}", 9, k == OLD) for k in (OLD, NEW)),
        mounts=(Mount("/", "/dev/sda1", kind),),
    )


def page_of(facts):
    surveyed = Surveyed(facts, None, None, ())
    return kernels_page(MachineRecord(name="petrel", about="", words=(), surveyed=surveyed))


def row(page, key: str):
    return next(one for one in page.rows if one.key == key)


def words(one) -> str:
    return " ".join(note.text for note in one.why)


def test_another_kernel_can_be_tried_and_what_then_happens_is_said():
    page = page_of(on_grub())
    newer, older = row(page, NEW), row(page, OLD)
    assert (newer.action, older.action) == ("boot-once", "")
    assert newer.cells[4] == "boots next" and older.cells[4] == "runs"
    assert "restarts by itself into the good one" in words(newer) and "It runs now" in words(older)
    assert page.picture.telling == f"a PC's BIOS → GRUB → Quayside {NEW} → {NEW} → not told"


def test_where_nothing_would_bring_it_back_that_is_said_with_what_could_be_set_up():
    page = page_of(on_grub(kind="btrfs"))
    told = words(row(page, NEW))
    assert "It cannot be tried once" in told and "ext4" in told
    with pytest.raises(Refused, match="permanent"):
        must_be_tried_once(on_grub(kind="btrfs"), NEW)


def test_what_is_no_trial_is_refused_by_name():
    facts = on_grub()
    for kernel, why in ((OLD, "it is what runs"), ("4.0", "not installed")):
        with pytest.raises(Refused, match=why):
            must_be_tried_once(facts, kernel)
    without = on_grub(msgspec.structs.replace(GRUB, entries=ENTRIES[1:]))
    with pytest.raises(Refused, match="no entry"):
        must_be_tried_once(without, NEW)
    assert row(page_of(without), NEW).tone == "caution"


def test_what_secure_start_would_not_start_is_not_tried():
    facts = on_grub()
    secure = msgspec.structs.replace(
        facts,
        boot=msgspec.structs.replace(facts.boot, secure_boot=True),
        kernels=tuple(msgspec.structs.replace(one, signed=False) for one in facts.kernels),
    )
    with pytest.raises(Refused, match="it is not signed"):
        must_be_tried_once(secure, NEW)
    told = msgspec.structs.replace(
        secure, kernels=tuple(msgspec.structs.replace(k, signed=True) for k in secure.kernels)
    )
    assert not must_be_tried_once(told, NEW).refusal


def test_a_chain_that_breaks_says_where():
    fault = LoaderFault(INITRD, f"Quayside {NEW}: initrd.img-{NEW} is not in /boot", True, NEW)
    page = page_of(on_grub(msgspec.structs.replace(GRUB, faults=(fault,))))
    link = row(page, "chain:kernel")
    assert link.tone == "stop" and "initrd" in words(link) and "boot-entries" in words(link)
    assert "1 fault in the boot menu" in page.summary
    assert page.picture.telling.startswith("it breaks at the kernel")


def test_a_trial_that_is_armed_is_what_boots_next_and_what_is_behind_it_is_said():
    trial = BootEntry("On trial, started once", NEW, id=TRIAL_ID, image=f"/boot/vmlinuz-{NEW}")
    loader = msgspec.structs.replace(GRUB, entries=(*ENTRIES, trial), default=OLD, once=TRIAL_ID)
    (choice,) = (link for link in boot_seen(on_grub(loader)).chain if link.name == "entry")
    assert choice.value == "On trial, started once"
    assert choice.because == f"chosen for this boot alone as a trial; then Quayside {OLD}"


def test_nothing_to_boot_is_told_as_that():
    empty = msgspec.structs.replace(on_grub(Loader()), kernels=())
    assert "no kernel in /boot" in page_of(empty).summary
    chain = boot_seen(on_grub(Loader())).chain
    assert chain[-1].fault == "no boot menu was found"
