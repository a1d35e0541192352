"""Where things stand: what knows a package manager stands in its family's room."""

import ast
import re
import subprocess
import sys
from pathlib import Path

import brave_bridge

HOUSE = Path(brave_bridge.__file__).parent
ROOMS = ("core", "workbench", "runner", "cli", "tui")
FORMATS = ("core/formats", "core/versions", "core/packages")
"""Formats of package databases and indices, which are read the same in any room."""

MANAGERS = re.compile(
    r"\b(apt|apt-get|apt-mark|apt-cache|dpkg|dpkg-query|ucf|dnf|yum|rpm|pacman|zypper|apk)\b"
    r"|/etc/apt|/var/lib/dpkg|/etc/yum|\.dpkg-|\.rpmnew|\.pacnew"
)


def words_of(path: Path) -> list[tuple[int, str]]:
    """The texts in a module's code, with their lines; what documents it is none of them."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    documents = set()
    for node in ast.walk(tree):
        body = getattr(node, "body", None)
        for statement in body if isinstance(body, list) else ():
            if isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant):
                documents.add(id(statement.value))
    return [
        (node.lineno, node.value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant)
        and isinstance(node.value, str)
        and id(node) not in documents
    ]


def test_nobody_but_a_family_names_a_package_manager():
    found = []
    for room in ROOMS:
        for path in sorted((HOUSE / room).rglob("*.py")):
            name = path.relative_to(HOUSE).as_posix()
            if not name.startswith(FORMATS):
                found += [
                    f"{name}:{line}: {text}"
                    for line, text in words_of(path)
                    if MANAGERS.search(text)
                ]
    assert found == []


BESIDE_THE_FILES = ("machines/", "snapshots/")
"""Rooms that may know where a machine's files stand: they are its own side."""


def test_nobody_but_a_machine_s_own_side_knows_where_its_files_are():
    found = []
    for path in sorted(HOUSE.rglob("*.py")):
        name = path.relative_to(HOUSE).as_posix()
        if name.startswith(BESIDE_THE_FILES):
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Attribute):
                owner = ast.unparse(node.value)
                is_root = node.attr == "root" and owner.endswith("machine")
                is_folder = node.attr == "folder" and owner.endswith("machine.state")
                if is_root or is_folder:
                    found.append(f"{name}:{node.lineno}: {ast.unparse(node)}")
    assert found == []


DECODES_ITSELF = (
    "core/formats/decoding.py",
    "machines/standin/",
    "machines/agent/",
    "machines/plain/",
    "snapshots/rescue/",
)
"""The one place for it, stand-ins over their own files, and what runs where no library is."""


def test_what_others_may_have_written_is_decoded_in_one_place():
    found = []
    for path in sorted(HOUSE.rglob("*.py")):
        name = path.relative_to(HOUSE).as_posix()
        if not name.startswith(DECODES_ITSELF):
            text = path.read_text(encoding="utf-8")
            found += [name] if re.search(r"\bjson\.(decode|loads?)\(", text) else []
    assert found == []


def test_no_command_loads_what_fetches_before_it_is_asked_to():
    asked = "import sys, brave_bridge.cli.running; print('httpx' in sys.modules)"
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "False"
