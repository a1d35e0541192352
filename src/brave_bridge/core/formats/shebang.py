"""The first line of a script, by which the kernel knows what runs it (execve(2))."""

from brave_bridge.core.formats.text import decoded

_LONGEST = 256


def interpreter_of(head: bytes) -> str:
    """The program that runs a file that begins so: a path, or a name that is looked up in PATH.

    Behind env(1) it is the first word that is neither an option nor a variable. Empty where the
    file is no script.
    """
    if not head.startswith(b"#!"):
        return ""
    words = decoded(head[2:_LONGEST].partition(b"\n")[0]).split()
    if not words:
        return ""
    if words[0].rpartition("/")[2] != "env":
        return words[0]
    named = (word for word in words[1:] if not word.startswith("-") and "=" not in word)
    return next(named, "")
