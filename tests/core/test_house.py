"""Where things stand: what knows a package manager stands in its family's room."""

import ast
import re
import subprocess
import sys
from pathlib import Path

import brave_bridge
from brave_bridge.families.baseline import TOPICS
from brave_bridge.workbench.demo import demo_fleet

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


OPENS = ("machines/opening/",)
"""The one room that opens, makes, moves and removes by path."""

PLAYS_A_SYSTEM = ("machines/standin/", "workbench/demo.py", "workbench/demo_ways_back.py")
"""Commands of a made-up system, and whoever builds it: they write what is hostile or not."""

COPIES_ITSELF = ("runner/own_runtime.py", "machines/plain/build.py", "snapshots/rescue/build.py")
"""Reads the program's own modules, or fills a folder that it has just made."""

BY_NAME = frozenset(
    {
        "read_text",
        "read_bytes",
        "write_text",
        "write_bytes",
        "mkdir",
        "rmdir",
        "unlink",
        "touch",
        "symlink_to",
        "hardlink_to",
        "iterdir",
        "glob",
        "rglob",
        "rename",
        "lchmod",
    }
)
IN_OS = frozenset(
    {
        "open",
        "mkdir",
        "makedirs",
        "remove",
        "removedirs",
        "unlink",
        "rename",
        "renames",
        "replace",
        "rmdir",
        "symlink",
        "link",
        "chmod",
        "lchown",
        "chown",
        "listdir",
        "scandir",
        "walk",
        "fwalk",
        "truncate",
        "mkfifo",
        "mknod",
        "utime",
        "setxattr",
        "removexattr",
    }
)
IN_SHUTIL = frozenset(
    {
        "which",
        "copyfileobj",
        "get_terminal_size",
    }
)
RELATIVE = frozenset({"dir_fd", "src_dir_fd", "dst_dir_fd"})


def opens_by_path(node: ast.Call) -> bool:
    """Whether a call opens or changes something that a path leads to."""
    called = ast.unparse(node.func)
    owner, _, name = called.rpartition(".")
    if called == "open":
        # A descriptor that was opened in the right way becomes a stream.
        return not (node.args and ast.unparse(node.args[0]).startswith("os.open("))
    if owner in ("shutil", "tempfile"):
        return name not in IN_SHUTIL
    if owner == "os":
        first = ast.unparse(node.args[0]) if node.args else ""
        relative = RELATIVE & {word.arg for word in node.keywords}
        return name in IN_OS and not relative and first not in DESCRIPTORS
    return bool(owner) and name in BY_NAME and not re.search(r"\bfiles\(", owner)


DESCRIPTORS = frozenset(
    {
        "descriptor",
        "folder",
        "inner",
        "source",
        "target",
        "copy",
        "now",
        "parent",
        "root",
        "top",
        "listing",
        "os.devnull",
        "stream.fileno()",
        "self._open_folder(place)",
        "self._top",
    }
)
"""Folders and files that are open: what is done to them goes along no path."""

ELSEWHERE = {
    "snapshots/trees/folders.py": "open_root",
    "snapshots/trees/system_calls.py": "sync_file_system",
    "snapshots/trees/dressing.py": "_set_xattrs",
    "workbench/lines.py": "_read",
}
"""Who opens the folder that a whole tree stands in, or works by what is open already."""


def test_files_are_opened_made_moved_and_removed_in_one_room():
    found = []
    for path in sorted(HOUSE.rglob("*.py")):
        name = path.relative_to(HOUSE).as_posix()
        if name.startswith((*OPENS, *PLAYS_A_SYSTEM, *COPIES_ITSELF)):
            continue
        tree = ast.parse(path.read_text(encoding="utf-8"))
        allowed = {
            id(call)
            for function in ast.walk(tree)
            if isinstance(function, ast.FunctionDef) and function.name == ELSEWHERE.get(name)
            for call in ast.walk(function)
        }
        found += [
            f"{name}:{node.lineno}: {ast.unparse(node)[:80]}"
            for node in ast.walk(tree)
            if isinstance(node, ast.Call) and opens_by_path(node) and id(node) not in allowed
        ]
    assert found == []


def test_what_opens_by_a_path_is_known():
    for code, opens in {
        "open(path)": True,
        "open(os.open(name, flags, dir_fd=folder))": False,
        "os.open(path, os.O_RDONLY)": True,
        "os.unlink(name, dir_fd=folder)": False,
        "shutil.rmtree(folder)": True,
        "tempfile.mkdtemp()": True,
        "(root / name).read_text()": True,
        "place.read(100)": False,
    }.items():
        assert opens_by_path(ast.parse(code).body[0].value) is opens, code


ROOT = HOUSE.parents[1]
PAGES = [*(ROOT / "docs").glob("*.md"), ROOT / "README.md", ROOT / "CONTRIBUTING.md"]
MODULE = re.compile(r"(?<![*\w/])[a-z][a-z_]*(?:/[a-z_]+)*\.py\b")


def test_what_the_pages_name_is_there():
    rooms = (ROOT / room for room in ("src", "tests", "bench"))
    known = [f"/{path.relative_to(ROOT)}" for room in rooms for path in room.rglob("*.py")]
    missing = [
        f"{page.name}: {name}"
        for page in PAGES
        for name in sorted(set(MODULE.findall(page.read_text(encoding="utf-8"))))
        if not any(place.endswith(f"/{name}") for place in known)
    ]
    assert missing == []


def test_the_readme_counts_what_there_is():
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    assert len(TOPICS) == 24 and text.count("twenty-four topics") == 2
    assert len(demo_fleet().machine) == 11 and text.lower().count("eleven machines") == 2


def test_the_keys_of_rows_tell_them_apart_and_say_nothing():
    parsed = re.compile(r"\brow\.key\.\w+|\bkey\.(split|partition|rpartition|removeprefix)\(")
    found = []
    for path in sorted((HOUSE / "tui").rglob("*.py")):
        lines = path.read_text(encoding="utf-8").splitlines()
        found += [f"{path.name}: {line.strip()}" for line in lines if parsed.search(line)]
    assert found == []
