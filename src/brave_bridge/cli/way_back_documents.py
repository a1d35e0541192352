"""The JSON shapes of ways back; docs/json.md describes them."""

from typing import Any

from brave_bridge.core.formats.text import plain
from brave_bridge.core.ways_back.difference_tree import Node
from brave_bridge.snapshots.description import Gone
from brave_bridge.snapshots.engines.engine import Mounted
from brave_bridge.snapshots.jobs.compare import ATTRIBUTES, CHANGED, EXTRA, MISSING
from brave_bridge.snapshots.parts import Layout
from brave_bridge.snapshots.returning import Checked
from brave_bridge.snapshots.returns.set_aside import SetAside
from brave_bridge.workbench.way_back import WayBack
from brave_bridge.workbench.ways.return_preview import ReturnPreview


def way_back(way: WayBack) -> dict[str, Any]:
    """One way back."""
    snapshot, keeping, use = way.kept.snapshot, way.kept.keeping, way.kept.use
    return {
        "id": snapshot.id,
        "whole": way.kept.is_whole,
        "fault": plain(way.kept.fault),
        "created": snapshot.created,
        "leg": plain(snapshot.leg),
        "reason": plain(snapshot.reason),
        "release": plain(snapshot.release),
        "kernel": plain(snapshot.kernel),
        "engine": snapshot.engine,
        "covers": {
            "entries": snapshot.entries,
            "bytes": snapshot.bytes_covered,
            "parts": [
                {"mount": p.mount, "engine": p.engine, "why": plain(p.why), "checksum": p.checksum}
                for p in snapshot.parts
            ],
            "left_out": list(snapshot.left_out),
            "uncovered": [plain(words) for words in snapshot.uncovered],
        },
        "bytes_copied": snapshot.bytes_copied,
        "bytes_alone": use.alone if use else None,
        "bytes_shared": use.shared if use else None,
        "kept_in": plain(snapshot.kept_in),
        "pinned": keeping.pinned,
        "deadline": keeping.deadline,
        "days_left": way.days_left,
        "verified": keeping.verified_at,
        "faults": [plain(fault) for fault in keeping.faults],
        "may_go": way.fate.goes,
        "because": way.fate.why,
        "vanished": snapshot.all_of("vanished"),
        "unstable": snapshot.all_of("unstable"),
        "sockets": snapshot.all_of("sockets"),
    }


def gone(one: Gone) -> dict[str, Any]:
    """A way back that ended."""
    return {
        "id": one.id,
        "created": one.created,
        "release": plain(one.release),
        "reason": plain(one.reason),
        "ended": one.ended,
        "because": plain(one.why),
        "bytes_freed": one.freed,
    }


def set_aside(one: SetAside) -> dict[str, Any]:
    """A system that a return has set aside."""
    return {"id": plain(one.id), "mount": one.mount, "since": one.since, "in_use": one.in_use}


def preview(found: ReturnPreview) -> dict[str, Any]:
    """What a return would change."""
    compared, accounts = found.comparison, found.accounts
    counts = {how: len(compared.of(how)) for how in (MISSING, CHANGED, ATTRIBUTES, EXTRA)}
    return {
        **counts,
        "bytes_to_copy": compared.bytes_to_copy,
        "bytes_lost": compared.bytes_lost,
        "bytes_free": found.free_bytes,
        "seconds": round(found.seconds, 1),
        "restart": found.restart,
        "release": {"now": plain(found.release_now), "then": plain(found.snapshot.release)},
        "kernel": {"now": plain(found.kernel_now), "then": plain(found.snapshot.kernel)},
        "losses": [
            {
                "group": loss.name,
                "grave": loss.grave,
                "meaning": loss.meaning,
                "came": loss.came,
                "changed": loss.changed,
                "bytes": loss.size,
                "newest": loss.newest,
                "examples": [plain(path) for path in loss.examples],
            }
            for loss in found.losses
        ],
        "accounts": None
        if accounts is None
        else {
            "passwords": list(accounts.passwords),
            "new": list(accounts.new),
            "removed": list(accounts.removed),
        },
        "packages": [
            {"name": name, "now": now, "then": then} for name, now, then in found.packages
        ],
        "fixes": [{"name": u.name, "old": u.old, "new": u.new} for u in found.fixes],
        "how": [{"mount": mount, "way": way, "why": why} for mount, way, why in found.how],
    }


def checked(found: Checked) -> dict[str, Any]:
    """What verifying found."""
    return {
        "whole": not found.faults,
        "entries": found.entries,
        "bytes": found.bytes_read,
        "faults": [plain(fault) for fault in found.faults],
        "seconds": round(found.seconds, 2),
    }


def difference(node: Node) -> dict[str, Any]:
    """A node of a tree of differences, with all below it."""
    return {
        "path": "/" + plain(node.path),
        "how": node.how,
        "count": node.count,
        "bytes_then": node.before,
        "bytes_now": node.after,
        **({"inner": [difference(inner) for inner in node.ordered()]} if node.inner else {}),
    }


def cover(
    engines: list[tuple[Mounted, str, str]], layout: Layout, left_out: tuple[str, ...]
) -> dict[str, Any]:
    """What a snapshot would cover."""
    return {
        "covered": [
            {
                "mount": mounted.path,
                "device": plain(mounted.device),
                "type": mounted.type,
                "engine": engine,
                "why": plain(why),
            }
            for mounted, engine, why in engines
        ],
        "uncovered": [{"mount": plain(u.path), "why": plain(u.why)} for u in layout.uncovered],
        "left_out": list(left_out),
    }
