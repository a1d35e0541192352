"""Is the present release up to date?"""

from brave_bridge.core.formats.text import byte_size, counted
from brave_bridge.core.survey.findings import Situation, clear, rule, stop


@rule(
    "pending-updates",
    "updates",
    asks="Is the present release up to date?",
    means="A leg is supported from an up-to-date release only: fixes that it expects may be "
    "among what is pending.",
    needs="indices",
    overrule=True,
)
def pending_updates(situation: Situation):
    updates = situation.facts.updates
    where = situation.facts.where("indices")
    if not updates:
        unread = any(
            "deb" in entry.types and situation.facts.archive_of(uri, suite) is None
            for entry in situation.facts.sources
            for uri in entry.uris
            for suite in entry.suites
        )
        known = "No update is pending in the sources that were read"
        yield clear(known if unread else "No update of the present release is pending", where)
        return
    security = sum(update.security for update in updates)
    size = byte_size(sum(update.download_bytes for update in updates))
    names = ", ".join(f"{u.name} {u.old} → {u.new}" for u in updates[:4])
    marked = f", {security} of them security fixes" if security else ""
    yield stop(
        f"{counted(len(updates), 'update')} pending{marked}",
        f"{where}: {names}; {size} to fetch",
        "Bring the present release up to date first (u, or brave-bridge update).",
    )
