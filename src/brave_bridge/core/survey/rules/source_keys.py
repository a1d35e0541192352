"""Is the key there that each source is checked against?"""

from brave_bridge.core.formats.apt_sources import key_paths
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
    else:
        yield clear("Every source has its key", ", ".join(list(sizes)[:3]) or "keys in the source")
