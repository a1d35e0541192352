"""What maintainer scripts do to config files on the way from one version to another.

Read from dpkg-maintscript-helper(1) calls and from comparisons with the version before
(``dpkg --compare-versions``, dpkg(1)); what scripts do otherwise cannot be seen.
"""

import re
from collections.abc import Iterable, Iterator

import msgspec

_HELPER = re.compile(
    r"dpkg-maintscript-helper\s+(mv_conffile|rm_conffile|symlink_to_dir|dir_to_symlink)"
    r"\s+(\S+)(?:\s+(\S+))?"
)
_GUARD = re.compile(
    r"--compare-versions\s+[\"']?\$\{?2\}?[\"']?\s+(?:lt|le|lt-nl|le-nl)\s+[\"']?([^\s\"';)]+)"
)
_WORDS = {
    "mv_conffile": "moves {0} to {1}",
    "rm_conffile": "removes {0}",
    "symlink_to_dir": "makes a folder of the link {0}",
    "dir_to_symlink": "makes a link of {0}",
}


class Migration(msgspec.Struct, frozen=True):
    """One thing that a script does once. ``kind`` is the helper's word, or ``guard``.

    A ``guard``'s subject is the version below which a script does something.
    """

    kind: str
    subject: str
    target: str = ""

    @property
    def words(self) -> str:
        """It as the end of a sentence."""
        if self.kind == "guard":
            return f"does something for versions before {self.subject}"
        return _WORDS[self.kind].format(self.subject, self.target)


def migrations_in(scripts: Iterable[str]) -> Iterator[Migration]:
    """What the scripts of a package do, each once, in the order in which it is met."""
    found: dict[Migration, None] = {}
    for text in scripts:
        joined = text.replace("\\\n", " ")
        for kind, path, other in _HELPER.findall(joined):
            target = other if kind == "mv_conffile" else ""
            found[Migration(kind, path.strip("\"'"), target.strip("\"'"))] = None
        for version in _GUARD.findall(joined):
            if not version.startswith("$"):
                found[Migration("guard", version)] = None
    return iter(found)
