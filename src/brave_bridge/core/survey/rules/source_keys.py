"""Is the key there that each source is checked against?"""

from collections.abc import Iterator

from brave_bridge.core.formats.apt_sources import SourceEntry, key_paths
from brave_bridge.core.survey.facts import KeyFile
from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "source-keys",
    "sources",
    asks="Is the key there that each source is checked against?",
    means="Nothing that these sources have can be checked, so nothing of it can be installed.",
    needs="sources",
    half_way=True,
)
def source_keys(situation: Situation):
    facts = situation.facts
    if not any("deb" in entry.types for entry in facts.sources):
        yield not_applicable("The keys of this family's sources are not read", "no deb source")
        return
    sizes = {file.path: file.size_bytes for file in facts.key_files}
    shared = [
        path
        for path, size in sizes.items()
        if path.startswith(situation.manager.shared_keys) and size
    ]
    missing = []
    for entry in facts.sources:
        signed_by = entry.options.get("signed-by", "")
        lacking = [path for path in key_paths(entry) if not sizes.get(path)]
        if lacking:
            missing.append(f"{entry.path}:{entry.line} wants {lacking[0]}")
        elif not signed_by and not shared and not entry.trusted_without_signature:
            missing.append(f"{entry.path}:{entry.line}: no key in {situation.manager.keys}")
    if missing:
        yield stop(
            "The key of a source is missing",
            "; ".join(missing[:4]),
            "Install the distribution's keyring package again, or the vendor's key.",
        )
    elif expired := tuple(_worthless(situation)):
        yield stop(
            "The key of a source vouches for nothing any more",
            "; ".join(expired[:4]),
            "Install the newer keyring package of whoever signs it, or the vendor's new key; "
            "where there is none, take the source out.",
        )
    else:
        yield clear("Every source has its key", ", ".join(list(sizes)[:3]) or "keys in the source")


def _worthless(situation: Situation) -> Iterator[str]:
    """The sources of whose keys none is good today, each with why."""
    files = {file.path: file for file in situation.facts.key_files}
    prefix = situation.manager.shared_keys
    shared = [file for path, file in files.items() if path.startswith(prefix) and file.size_bytes]
    for entry in situation.facts.sources:
        wanted = [files[path] for path in key_paths(entry) if path in files]
        for_all = [] if entry.options.get("signed-by") else shared
        faults = [_fault(file, situation) for file in wanted or for_all]
        if faults and all(faults) and not entry.trusted_without_signature:
            yield f"{_place(entry)}: {faults[0]}"


def _place(entry: SourceEntry) -> str:
    return f"{entry.path}:{entry.line}"


def _fault(file: KeyFile, situation: Situation) -> str:
    if file.fault:
        return f"{file.path}: {file.fault}"
    if file.ends and file.ends < f"{situation.today:%Y-%m-%d}":
        return f"{file.path} expired on {file.ends}"
    return ""
