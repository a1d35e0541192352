"""What a return would do, in lines: for the confirmation on the screen and the command line."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from brave_bridge.core.estimate import range_words
from brave_bridge.core.formats.text import byte_size, counted, plain, shortened
from brave_bridge.snapshots.engines.engine import FILES
from brave_bridge.snapshots.jobs.compare import ATTRIBUTES, CHANGED, MISSING
from brave_bridge.snapshots.trees.cover import HOME_SENTENCE

if TYPE_CHECKING:
    from brave_bridge.core.ways_back.accounts import AccountChanges
    from brave_bridge.core.ways_back.losses import Loss
    from brave_bridge.workbench.ways.return_preview import ReturnPreview

_SHOWN = 4


def preview_lines(preview: ReturnPreview) -> list[str]:
    """What a return would change, a line each, the gravest first."""
    snapshot = preview.snapshot
    made = snapshot.created[:16].replace("T", " ")
    lines = [f"{plain(snapshot.release)}, as it was {made} UTC"]
    if not preview.comparison.count:
        return [*lines, "", "Nothing that it covers has changed since."]
    return [
        *lines,
        *_running(preview),
        "",
        *_fixes(preview),
        *_losses(preview.losses),
        *_accounts(preview.accounts),
        *_back(preview),
        *_packages(preview),
        "",
        *_cost(preview),
    ]


def _running(preview: ReturnPreview) -> Iterator[str]:
    snapshot = preview.snapshot
    if plain(preview.release_now) != plain(snapshot.release):
        yield f"release: {plain(preview.release_now)} → {plain(snapshot.release)}"
    if snapshot.kernel and preview.kernel_now and preview.kernel_now != snapshot.kernel:
        yield f"kernel: {plain(preview.kernel_now)} → {plain(snapshot.kernel)}"
    if preview.restart:
        yield "▲ restart afterwards: what runs now is not what would boot"


def _fixes(preview: ReturnPreview) -> Iterator[str]:
    if not preview.fixes:
        return
    yield "Look for a fix first: updates are pending for what changed since:"
    fixes = [f"{plain(u.name)} {plain(u.old)} → {plain(u.new)}" for u in preview.fixes]
    yield from (f"   {words}" for words in shortened(fixes, _SHOWN))
    yield "   u in Survey, or: brave-bridge update"
    yield ""


def _losses(losses: tuple[Loss, ...]) -> Iterator[str]:
    if not losses:
        yield "Nothing that came or changed since would be lost."
        return
    yield "Would be lost, as it came or changed since:"
    for loss in losses:
        mark = "▲" if loss.grave else " "
        newest = f", newest {loss.newest[:10]}" if loss.newest else ""
        yield (
            f" {mark} {loss.name}: {counted(loss.count, 'file')}, {byte_size(loss.size)}{newest}"
        )
        if loss.grave:
            yield f"     {loss.meaning}"
            yield from (f"     /{plain(path, 66)}" for path in loss.examples[:2])


def _accounts(accounts: AccountChanges | None) -> Iterator[str]:
    if accounts is None:
        yield " ▲ whether passwords changed is not known: the account files cannot be read"
        return
    for names, words in (
        (accounts.passwords, "the password of before would hold again"),
        (accounts.new, "the account would be gone"),
        (accounts.removed, "the account would be there again"),
    ):
        if names:
            named = ", ".join(plain(name, 30) for name in names[:6])
            yield f" ▲ {named}: {words}"


def _back(preview: ReturnPreview) -> Iterator[str]:
    found = preview.comparison
    missing, changed = len(found.of(MISSING)), len(found.of(CHANGED))
    attributes = len(found.of(ATTRIBUTES))
    yield ""
    yield "Comes back:"
    if missing:
        yield f"   {counted(missing, 'path')} that {'is' if missing == 1 else 'are'} gone"
    if changed:
        yield f"   {counted(changed, 'path')} with the old content"
    if attributes:
        yield f"   {counted(attributes, 'path')} with the old owner, mode or time"
    if not (missing or changed or attributes):
        yield "   nothing: only what came since goes"


def _packages(preview: ReturnPreview) -> Iterator[str]:
    if not preview.packages:
        return
    yield f"{counted(len(preview.packages), 'package')} would change:"
    changes = [
        f"{plain(name)} {plain(present) or 'not there'} → {plain(then) or 'gone'}"
        for name, present, then in preview.packages
    ]
    yield from (f"   {words}" for words in shortened(changes, _SHOWN))


def _cost(preview: ReturnPreview) -> Iterator[str]:
    needed = preview.comparison.bytes_to_copy
    free = f"{byte_size(preview.free_bytes)} free"
    time = range_words(preview.seconds / 2, preview.seconds * 2)
    yield f"{byte_size(needed)} to copy ({free}), {time}"
    if needed > preview.free_bytes and any(way == FILES for _, way, _ in preview.how):
        yield "▲ that does not fit unless the disk shares blocks: make room first"
    yield from (f"{mount}: {plain(why)}" for mount, _, why in preview.how)
    yield HOME_SENTENCE
