"""The Configs page: whose version?"""

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.record import MachineRecord

COLUMNS = (Column("", 2), Column("file"), Column("package", 22), Column("how it stands", 26))


def configs_page(record: MachineRecord) -> Page:
    """Config files changed here, and versions set aside beside them."""
    facts = record.surveyed.facts if record.surveyed else None
    changed = facts.changed_configs if facts else ()
    aside = facts.set_aside if facts else ()
    rows = [
        Row(
            key=f"changed:{config.path}",
            cells=(
                "▲",
                plain(config.path),
                config.package,
                "gone" if config.is_gone else "changed here",
            ),
            why=(
                title(plain(config.path)),
                Note("seen", f"kept by {config.managed_by}"),
                *said("It differs from the version its package shipped."),
            ),
        )
        for config in changed
    ]
    rows += [
        Row(
            key=f"aside:{path}",
            cells=("◌", plain(path), "", "set aside"),
            tone="caution",
            why=(
                title(plain(path)),
                *said(
                    "A second version that was set aside. Compare it with the file it stands "
                    "beside, then delete it."
                ),
                Note("code", f"diff {plain(path.rpartition('.')[0])} {plain(path)}"),
            ),
        )
        for path in aside
    ]
    summary = f"{counted(len(changed), 'file')} changed here, {len(aside) or 'none'} set aside"
    return Page(summary, COLUMNS, tuple(rows), "Every config file is as it was shipped.")
