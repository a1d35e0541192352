"""What a return would do: losses by what they mean, accounts, packages, time, and a fix first."""

from collections.abc import Callable
from datetime import UTC, datetime
from functools import cache
from importlib.resources import files

import msgspec

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.packages.updates import Update
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.ways_back.accounts import AccountChanges, account_changes
from brave_bridge.core.ways_back.losses import Group, Loss, Touched, losses
from brave_bridge.families.registry import survey
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.room import free_bytes
from brave_bridge.snapshots.as_kept import AsKept
from brave_bridge.snapshots.description import Snapshot
from brave_bridge.snapshots.engines.engine import SWAP
from brave_bridge.snapshots.jobs.compare import CHANGED, EXTRA, Difference
from brave_bridge.snapshots.jobs.comparison import Comparison
from brave_bridge.snapshots.returning import Returning
from brave_bridge.snapshots.trees.manifest import FOLDER, decoded_path
from brave_bridge.workbench.desk import Desk

_SHADOW = "/etc/shadow"
_LIMIT = 4_000_000
_BYTES_A_SECOND, _PATHS_A_SECOND = 80_000_000, 4_000
"""What a return gets done at least on a plain disk: see bench/copies.py."""

_BOOT = ("boot/", "usr/lib/modules/", "lib/modules/")


class ReturnPreview(msgspec.Struct, frozen=True, kw_only=True):
    """What a return would do, all that a person should weigh before."""

    snapshot: Snapshot
    comparison: Comparison
    losses: tuple[Loss, ...]
    accounts: AccountChanges | None
    """None where the account files cannot be read."""
    release_now: str
    kernel_now: str
    packages: tuple[tuple[str, str, str], ...]
    """Packages that would change: name, version now, version then; empty where there is none."""
    fixes: tuple[Update, ...]
    """Pending updates of packages that changed since: a fix may be among them."""
    how: tuple[tuple[str, str, str], ...]
    seconds: float
    restart: bool
    free_bytes: int

    @property
    def databases(self) -> tuple[Loss, ...]:
        """What must be saved first."""
        return tuple(loss for loss in self.losses if loss.grave)


def preview_return(desk: Desk, snapshot: Snapshot, tell: Callable[[int], None]) -> ReturnPreview:
    """Compare, and read what the snapshot and the machine say of themselves."""
    returning = desk.beside.returning
    comparison = returning.preview(snapshot, tell)
    facts = desk.facts_as_far_as_known()
    how = tuple(returning.how(snapshot))
    packages = _package_changes(desk, snapshot, facts)
    changed = {name for name, *_ in packages}
    lost = map(_touched, comparison.of(CHANGED, EXTRA))
    return ReturnPreview(
        snapshot=snapshot,
        comparison=comparison,
        losses=tuple(losses(lost, _groups_of(returning))),
        accounts=_accounts(returning, snapshot, desk.machine),
        release_now=facts.identity.name,
        kernel_now=facts.boot.kernel,
        packages=packages,
        fixes=tuple(update for update in facts.updates if update.name in changed),
        how=how,
        seconds=_seconds(comparison),
        restart=any(way == SWAP for _, way, _ in how) or _touches_boot(comparison),
        free_bytes=free_bytes(desk.machine),
    )


def _groups_of(returning: Returning) -> tuple[Group, ...]:
    """The groups, each also where links of the machine lead to from its paths."""
    plain = [path for group in _groups() for path in group.paths if "*" not in path]
    led_to = returning.led_to(plain)
    return tuple(
        msgspec.structs.replace(
            group, paths=group.paths + tuple(led_to[p] for p in group.paths if led_to.get(p))
        )
        for group in _groups()
    )


@cache
def _groups() -> tuple[Group, ...]:
    text = files("brave_bridge.data").joinpath("losses.toml").read_text(encoding="utf-8")
    return msgspec.toml.decode(text, type=_GroupFile).group


class _GroupFile(msgspec.Struct):
    group: tuple[Group, ...]


def _seconds(comparison: Comparison) -> float:
    return 1 + comparison.bytes_to_copy / _BYTES_A_SECOND + comparison.count / _PATHS_A_SECOND


def _accounts(returning: Returning, snapshot: Snapshot, machine: Machine) -> AccountChanges | None:
    try:
        then = returning.read_file(snapshot, _SHADOW, _LIMIT)
        present = machine.files.read_if_there(_SHADOW, _LIMIT) or b""
    except MachineError:
        return None
    return account_changes(then.decode(errors="replace"), present.decode(errors="replace"))


def _package_changes(
    desk: Desk, snapshot: Snapshot, facts: Facts
) -> tuple[tuple[str, str, str], ...]:
    """By name: the versions now and then, read from the snapshot's own package database."""
    try:
        then = survey(AsKept(desk.beside.returning, snapshot), desk.family()).installed
    except MachineError:
        return ()
    before, after = _versions(then), _versions(facts.installed)
    return tuple(
        (name, after.get(name, ""), before.get(name, ""))
        for name in sorted(before.keys() | after.keys())
        if before.get(name) != after.get(name)
    )


def _touched(difference: Difference) -> Touched:
    moment = datetime.fromtimestamp(difference.live_mtime_ns / 1e9, UTC)
    return Touched(
        decoded_path(difference.path),
        difference.how == EXTRA,
        difference.live_size,
        moment.isoformat(timespec="seconds") if difference.live_mtime_ns else "",
        difference.live_type == FOLDER,
    )


def _versions(packages: tuple[InstalledPackage, ...]) -> dict[str, str]:
    return {package.name: package.version for package in packages}


def _touches_boot(comparison: Comparison) -> bool:
    """Whether what runs now would not be what boots."""
    return any(difference.path.startswith(_BOOT) for difference in comparison.differences)
