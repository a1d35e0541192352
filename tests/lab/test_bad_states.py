"""Real systems in bad states: the right finding for each, and no other stop."""

import os
import shutil
import subprocess
from pathlib import Path

import pytest

from brave_bridge.core.survey.findings import Verdict, stops
from brave_bridge.machines.standin.packages import PackageFile, write_package
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.support import lab

pytestmark = pytest.mark.xdist_group("bad states")


def desk_of(root: Path) -> Desk:
    return Desk(Target("tree", str(root)), TreeMachine("heron", root))


@pytest.fixture
def tree(bullseye, tmp_path):
    """The Debian tree with indices fetched, on an overlay of its own."""
    with lab.overlay(bullseye, tmp_path / "layers") as root:
        yield root


def findings(root: Path, to: str = "") -> dict:
    """The gravest finding of each rule."""
    found: dict = {}
    for finding in desk_of(root).survey(to).findings:
        found.setdefault(finding.id, finding)
    return found


def in_tree(root: Path, *argv: str, codes=(0,)) -> str:
    code, output = lab.in_tree(root, *argv)
    assert code in codes, output
    return output


def install(root: Path, name: str, *, script: str = "", **fields: str) -> None:
    """Install a package made here; its script may fail."""
    made = PackageFile(
        {
            "Package": name,
            "Version": "1.0",
            "Architecture": "all",
            "Section": "misc",
            "Maintainer": "nobody <nobody@example.example>",
            "Priority": "optional",
            "Installed-Size": "10",
            **fields,
            "Description": "for a test",
        },
        {f"/usr/share/doc/{name}/about": b"x\n"},
        (),
        {"postinst": f"#!/bin/sh\n{script}\n".encode()} if script else {},
    )
    place = root / "tmp" / f"{name}.deb"
    place.write_bytes(write_package(made))
    in_tree(root, "dpkg", "--install", f"/tmp/{name}.deb", codes=(0, 1))
    place.unlink()


def held(root: Path) -> None:
    in_tree(root, "apt-mark", "hold", "nginx-light")


def half_configured(root: Path) -> None:
    install(root, "gauge-tool", script="exit 3")


def broken_dependency(root: Path) -> None:
    in_tree(root, "dpkg", "--force-depends", "--remove", "libssl1.1")


def moving_alias(root: Path) -> None:
    replace(root, "bullseye main", "oldstable main")


def mixed_sources(root: Path) -> None:
    main = (root / "etc/apt/sources.list").read_text().split()[4]
    (root / "etc/apt/sources.list.d/more.list").write_text(f"deb {main} bookworm main\n")


def mixed_by_pin(root: Path) -> None:
    (root / "etc/apt/preferences.d/next").write_text(
        "Package: *\nPin: release n=bookworm\nPin-Priority: 900\n"
    )


def foreign_package(root: Path) -> None:
    install(root, "own-gauge")


def missing_keyring(root: Path) -> None:
    shutil.rmtree(root / "etc/apt/trusted.gpg.d")
    (root / "etc/apt/trusted.gpg").unlink(missing_ok=True)


def unreachable_source(root: Path) -> None:
    (root / "etc/apt/sources.list.d/gone.list").write_text(
        "deb http://127.0.0.1:9/debian bullseye main\n"
    )


def boot_not_mounted(root: Path) -> None:
    (root / "etc/fstab").write_text("LABEL=boot /boot ext4 defaults 0 2\n")


def waiting_configs(root: Path) -> None:
    (root / "etc/logrotate.conf.dpkg-dist").write_text("new\n")


def replace(root: Path, old: str, new: str) -> None:
    path = root / "etc/apt/sources.list"
    path.write_text(path.read_text().replace(old, new))


STOP, CAUTION = Verdict.STOP, Verdict.CAUTION
STATES = [
    (held, "held-packages", CAUTION, "nginx-light"),
    (half_configured, "broken-packages", STOP, "1 package half installed"),
    (broken_dependency, "missing-dependencies", STOP, "not met"),
    (moving_alias, "moving-alias", CAUTION, "alias"),
    (mixed_sources, "mixed-releases", STOP, "another release"),
    (mixed_by_pin, "mixed-releases", STOP, "another release"),
    (foreign_package, "unknown-origin", CAUTION, "no source has"),
    (missing_keyring, "source-keys", STOP, "key of a source is missing"),
    (unreachable_source, "unread-sources", CAUTION, "of 2 sources"),
    (boot_not_mounted, "boot-mounted", STOP, "/boot is not mounted"),
    (waiting_configs, "set-aside", CAUTION, "1 config file set aside"),
]


def test_a_clean_tree_has_no_stop_and_its_facts_are_right(tree):
    surveyed = desk_of(tree).survey()
    assert stops(surveyed.findings) == ()
    facts = surveyed.facts
    names = in_tree(tree, "dpkg-query", "--show", "--showformat=${Package} ${Version}\n")
    assert {f"{p.name} {p.version}" for p in facts.installed} == set(names.splitlines())
    assert surveyed.release.codename == "bullseye"
    assert {c.path for c in facts.changed_configs} == {
        "/etc/nginx/nginx.conf",
        "/etc/logrotate.conf",
        "/etc/ssh/sshd_config",
    }
    assert {offer.name for offer in facts.offers} >= {"nginx-light", "rsyslog", "libc6"}
    assert "does not run" in facts.why_not("services")
    found = {f.id: f.verdict for f in surveyed.findings}
    assert found["obsolete-formats"] is Verdict.CLEAR


@pytest.mark.parametrize(("spoil", "rule", "verdict", "word"), STATES)
def test_each_bad_state_has_its_finding_and_no_other_stop(tree, spoil, rule, verdict, word):
    before = findings(tree)
    assert before[rule].verdict is not verdict or word not in before[rule].title
    spoil(tree)
    found = findings(tree)
    assert found[rule].verdict is verdict and word in found[rule].title, found[rule]
    assert {f.id for f in found.values() if f.verdict is STOP} <= {rule}
    assert found[rule].evidence and found[rule].remedy


def test_keys_are_found_wherever_a_source_names_them(tree):
    main = (tree / "etc/apt/sources.list").read_text().split()[4]
    keys = next((tree / "usr/share/keyrings").glob("*.gpg")).read_bytes()
    (tree / "opt/vendor.gpg").write_bytes(keys)
    shutil.rmtree(tree / "etc/apt/trusted.gpg.d")
    (tree / "etc/apt/sources.list").write_text(
        f"deb [signed-by=/opt/vendor.gpg] {main} bullseye main\n"
    )
    (tree / "etc/apt/sources.list.d/security.sources").write_text(
        f"Types: deb\nURIs: {main}\nSuites: bullseye-updates\nComponents: main\n"
        "Signed-By:\n -----BEGIN PGP PUBLIC KEY BLOCK-----\n .\n /abc=\n"
    )
    assert findings(tree)["source-keys"].verdict is Verdict.CLEAR
    (tree / "opt/vendor.gpg").unlink()
    assert "/opt/vendor.gpg" in findings(tree)["source-keys"].evidence


def test_the_remedies_of_findings_mend_them(tree):
    held(tree)
    half_configured(tree)
    (tree / "var/lib/dpkg/info/gauge-tool.postinst").write_text("#!/bin/sh\nexit 0\n")
    found = findings(tree)
    for rule in ("held-packages", "broken-packages"):
        for argv in found[rule].fix:
            in_tree(tree, *argv)
    after = findings(tree)
    assert after["held-packages"].verdict is Verdict.CLEAR
    assert after["broken-packages"].verdict is Verdict.CLEAR


def test_a_full_disk_and_spent_inodes(bullseye, tmp_path):
    with lab.small_disk(tmp_path, "700M") as disk:
        lab.copy_tree(bullseye, disk)
        room = os.statvfs(disk)
        with open(disk / "var/fill", "wb") as stream:
            os.posix_fallocate(stream.fileno(), 0, (room.f_bavail - 8000) * room.f_frsize)
        found = findings(disk)
        assert found["free-space"].verdict is CAUTION and "Only" in found["free-space"].title
        (disk / "var/fill").unlink()
        folder = disk / "var/many"
        folder.mkdir()
        for number in range(os.statvfs(disk).f_favail - 500):
            (folder / str(number)).touch()
        found = findings(disk)
        assert found["free-inodes"].verdict is STOP
        assert {f.id for f in found.values() if f.verdict is STOP} == {"free-inodes"}


def test_an_i386_tree_cannot_go_where_there_is_no_i386(tmp_path):
    with lab.of_i386(tmp_path) as root:
        surveyed = desk_of(root).survey("13")
        assert surveyed.facts.identity.architecture == "i386"
        assert {f.id for f in stops(surveyed.findings)} == {"architecture"}
        assert "13 trixie does not exist for i386" in {f.title for f in surveyed.findings}
        assert desk_of(root).survey("12").findings[0].verdict is not STOP


def test_pending_updates_are_those_that_apt_itself_lists(tree):
    """Our list from the indices against the package manager's simulation of the same."""
    (tree / "etc/resolv.conf").write_text(Path("/etc/resolv.conf").read_text())
    machine = TreeMachine("heron", tree)
    desk = Desk(Target("tree", str(tree)), machine)
    from brave_bridge.workbench.readiness import Readiness

    pending = Readiness(desk).look()
    ours = {(u.name, u.new) for u in desk.facts().updates}
    theirs = {(u.name, u.new) for u in pending.updates}
    assert theirs and theirs == ours
    assert any(update.security for update in pending.updates)
    assert all(update.download_bytes for update in pending.updates)


def test_a_tree_is_never_written_to_by_a_survey(tree, tmp_path):
    findings(tree)
    changed = subprocess.run(
        ["find", tmp_path / "layers/upper", "-type", "f"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert changed.stdout == ""
