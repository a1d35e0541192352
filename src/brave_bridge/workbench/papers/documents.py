"""What JSON documents share: stable field names, documented in docs/json.md."""

from typing import Any

from brave_bridge.core.releases.catalogue import Leg

SCHEMA = 1


def document(kind: str, **fields: Any) -> dict[str, Any]:
    """A document of a kind, with the schema's version."""
    return {"schema": SCHEMA, "kind": kind, **fields}


def leg(leg: Leg) -> dict[str, Any]:
    """A leg of a route, or of a plan."""
    return {
        "scale": leg.scale,
        "from": leg.start.key,
        "to": leg.end.key,
        "from_version": leg.start.version,
        "to_version": leg.end.version,
        "notes": list(leg.notes),
    }
