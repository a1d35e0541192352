"""Why a package changes in a leg, in words, from what the packages say of each other."""

from collections.abc import Iterable, Mapping

from brave_bridge.core.formats.apt_status_db import Candidate, relation_names

_NEEDS = ("Pre-Depends", "Depends", "Recommends")
_AGAINST = ("Conflicts", "Breaks")


class Relations:
    """The relations among a leg's candidates, indexed by the package they name."""

    def __init__(self, candidates: Iterable[Candidate]) -> None:
        self._needed_by: dict[str, list[tuple[str, str]]] = {}
        self._opposed_by: dict[str, str] = {}
        self._replaced_by: dict[str, str] = {}
        for candidate in candidates:
            self._index(candidate)

    def _index(self, candidate: Candidate) -> None:
        for field, text in candidate.relations.items():
            for name in relation_names(text):
                if field in _NEEDS:
                    self._needed_by.setdefault(name, []).append((field, candidate.name))
                elif field in _AGAINST:
                    self._opposed_by.setdefault(name, candidate.name)
                elif field == "Replaces":
                    self._replaced_by.setdefault(name, candidate.name)

    def why_new(self, name: str, provides: Iterable[str] = ()) -> str:
        """Why a package that is not installed comes."""
        for wanted in (name, *provides):
            for field, by in self._needed_by.get(wanted, ()):
                if by != name:
                    word = "recommended" if field == "Recommends" else "needed"
                    return f"{word} by {by}"
        return "part of the new release"

    def why_removed(self, name: str, needs: Iterable[str], gone: Mapping[str, str]) -> str:
        """Why an installed package goes; ``gone`` maps what leaves the archive to its release."""
        opponent = self._opposed_by.get(name)
        if opponent and opponent != name:
            replaced = self._replaced_by.get(name)
            if replaced:
                return f"{replaced} takes its place"
            return f"cannot stand beside the new {opponent}"
        for need in needs:
            if need in gone:
                return f"needs {need}, which {gone[need]} no longer has"
        return "what it needs is no longer there"

    def why_kept(self, name: str, held: bool) -> str:
        """Why a newer version is left aside."""
        if held:
            return "held by the administrator"
        return "its new version needs something that cannot be installed"
