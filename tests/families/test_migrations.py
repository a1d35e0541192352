"""What a jump misses of config migrations, for packages whose settings were changed here."""

from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.core.crossing.requests import LegIndices, PlanPackages
from brave_bridge.core.planning.planner import plan_packages
from brave_bridge.families.deb import migrations
from brave_bridge.families.deb.migrations import migrations_missed
from tests.support.little_universe import little_universe

MOVE = 'dpkg-maintscript-helper mv_conffile /etc/webd.conf /etc/webd/webd.conf 2~ -- "$@"\n'
KEPT = 'dpkg-maintscript-helper rm_conffile /etc/webd/old.conf 2~ -- "$@"\n'


def test_what_only_the_release_between_does_is_missed(monkeypatch):
    first = little_universe("webd 1\nother 1\nlost 1", "webd 2\nother 2\nlost 2")
    plan = plan_packages(first)
    second = first.following(plan.after, little_universe("x 1", "webd 3\nother 3").archive)
    steps = [plan, plan_packages(second)]
    scripts = {
        ("/0", "webd 2"): MOVE + KEPT + 'dpkg --compare-versions "$2" lt 2~ && convert\n',
        ("/1", "webd 3"): KEPT,
        ("/0", "other 2"): MOVE,
    }

    def scripts_of(machine, lists, version):
        if (lists, version.title) not in scripts:
            raise ArchiveFault("missing", "gone")
        return {"postinst": scripts[lists, version.title]}

    monkeypatch.setattr(migrations, "scripts_to_come", scripts_of)
    request = PlanPackages(
        title="",
        database="",
        legs=(LegIndices("/0", "two"), LegIndices("/1", "three")),
        configured=("lost", "other", "webd", "never"),
    )
    assert list(migrations_missed(None, request, steps)) == [
        "webd 2 moves /etc/webd.conf to /etc/webd/webd.conf; 3 no longer does",
        "webd 2 does something for versions before 2~; 3 no longer does",
    ]


def test_a_package_that_comes_only_on_the_way_is_looked_at_too(monkeypatch):
    first = little_universe("webd 1", "webd 2 Depends: fresh\nfresh 1")
    plan = plan_packages(first)
    second = first.following(plan.after, little_universe("x 1", "fresh 2").archive)
    monkeypatch.setattr(
        migrations,
        "scripts_to_come",
        lambda machine, lists, version: {"postinst": MOVE if lists == "/0" else ""},
    )
    request = PlanPackages(
        title="",
        database="",
        legs=(LegIndices("/0", "two"), LegIndices("/1", "three")),
        configured=("fresh",),
    )
    assert list(migrations_missed(None, request, [plan, plan_packages(second)])) == [
        "fresh 1 moves /etc/webd.conf to /etc/webd/webd.conf; 2 no longer does"
    ]
