"""The Kernels page: what could boot?"""

from brave_bridge.core.boot.entries import entry_for
from brave_bridge.core.formats.text import byte_size, counted
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.record import MachineRecord

COLUMNS = (
    Column("", 2),
    Column("kernel", 18),
    Column("image", 26),
    Column("size", 9, right=True),
    Column("boot entry"),
)


def kernels_page(record: MachineRecord) -> Page:
    """The kernels in /boot and the entries that start them."""
    facts = record.surveyed.facts if record.surveyed else None
    kernels = facts.kernels if facts else ()
    entries = list(facts.loader.entries) if facts else []
    rows = []
    for kernel in kernels:
        rows.append(
            Row(
                key=kernel.version,
                cells=(
                    "◉" if kernel.running else "",
                    kernel.version,
                    kernel.path,
                    byte_size(kernel.size_bytes),
                    entry_for(entries, kernel.version) or "–",
                ),
                why=(
                    title(f"Kernel {kernel.version}"),
                    Note("seen", kernel.path),
                    *said(
                        "running now" if kernel.running else "",
                        "Choosing what boots next comes with a later version.",
                    ),
                ),
            )
        )
    return Page(
        f"{counted(len(rows), 'kernel')} in /boot",
        COLUMNS,
        tuple(rows),
        "There is no kernel image in /boot: a container, or its boot partition is not mounted.",
    )
