"""A password in a source address is written back where it was, and is nowhere else."""

import base64

from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench.planning.plans import Plans
from tests.support.runs import begin, carry_out

SECRET = "gr4nite-b0lt"


def secret_files(folder) -> list[str]:
    needles = (SECRET.encode(), base64.b64encode(SECRET.encode()))
    return sorted(
        str(path.relative_to(folder))
        for path in folder.rglob("*")
        if path.is_file()
        and not path.is_symlink()
        and any(needle in path.read_bytes() for needle in needles)
    )


def test_a_password_is_in_the_source_files_and_in_one_file_of_root_alone(stand_in, capsys):
    desk = stand_in("petrel")
    root = desk.machine.root
    place = "etc/apt/sources.list.d/quayside.sources"
    text = (root / place).read_text()
    (root / place).write_text(text.replace("://", f"://watch:{SECRET}@"))
    surveyed = desk.survey()
    assert SECRET not in repr(surveyed) and "watch:hidden@" in repr(surveyed.facts)
    plan = Plans(desk).make("7")
    assert SECRET not in repr(plan)
    begin(desk, CrossBrief("deb", plan.legs), "trial")
    carry_out(root, "petrel", "trial")
    logged = desk.logbook().procedure("trial"), desk.logbook().entries("trial")
    assert SECRET not in repr(logged)
    desk.logbook().close()
    apart = [p for p in secret_files(root) if "/snapshots/" not in p and "/jobs/" not in p]
    assert apart == [place, "var/lib/brave-bridge/credentials.json"]
    assert (root / apart[1]).stat().st_mode & 0o777 == 0o600
    written = (root / place).read_text()
    assert f"://watch:{SECRET}@" in written and "hidden" not in written and "diamond" in written
    assert desk.survey().release.key == "7"
