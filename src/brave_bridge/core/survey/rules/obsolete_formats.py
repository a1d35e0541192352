"""Are sources and keys kept in formats that will still be read?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "obsolete-formats",
    "sources",
    asks="Are sources and keys kept in formats that will still be read?",
    means="A later package manager warns about these, then ignores them: the source is lost.",
    needs="sources",
)
def obsolete_formats(situation: Situation):
    facts = situation.facts
    if not any("deb" in entry.types for entry in facts.sources):
        yield not_applicable("The formats of this family are not judged", "no deb source")
        return
    old_keys = situation.manager.old_keys
    old = [
        f"{old_keys}: the one file for all keys"
        for file in facts.key_files
        if file.path == old_keys and file.size_bytes
    ]
    old += [
        f"{archive.uri} {archive.suite}: only {', '.join(archive.digests)}"
        for archive in facts.archives
        if archive.digests and not {"SHA256", "SHA512"} & set(archive.digests)
    ]
    if old:
        yield caution(
            "Sources or keys are kept in an obsolete format",
            "; ".join(old[:4]),
            "Give each source its own key file (Signed-By); ask the vendor for newer sums.",
        )
        return
    lines = [file.path for file in facts.source_files if not file.is_deb822]
    notation = "one-line notation, which is still read" if lines else "stanzas"
    yield clear("Sources and keys are kept in present formats", notation)
