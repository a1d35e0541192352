"""Where papers and pictures go that a person asks for without naming a place."""

from pathlib import Path

from brave_bridge.machines.opening.named import named, write_named

NAME = "brave-bridge-papers"
_NOT_COMMITTED = b"# Papers of machines: none of them belongs in anybody's repository.\n*\n"


def papers_folder(wanted: str = "") -> Path:
    """The folder that was named, or one of our own below the present one.

    Nobody commits by accident what stands in our own; OSError where it cannot be made.
    """
    if wanted:
        return Path(wanted).expanduser()
    folder = Path.cwd() / NAME
    named(folder).make_folder(0o755)
    write_named(folder / ".gitignore", _NOT_COMMITTED)
    return folder
