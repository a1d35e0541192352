"""A family that a package from outside brings: its systems are ledgers of crates.

It crosses releases by an image and editions by a word in os-release(5), with a procedure of its
own. Nothing of the house is changed for it.
"""

import sys
import textwrap
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from brave_bridge.families import registry
from brave_bridge.workbench import lines

LEDGER = "/var/lib/hold/ledger"

MODULE = """
import msgspec

from brave_bridge.core.crossing.leg_under_way import DONE
from brave_bridge.core.crossing.procedure import LegProcedure
from brave_bridge.core.crossing.replies import Failed, FileText
from brave_bridge.core.crossing.requests import WriteFiles
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.exchange_steps import (EditionStep, ImageStep)
from brave_bridge.core.survey.facts import Evidence
from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.families.family import Family
from brave_bridge.machines.queries import Contents

LEDGER = "/var/lib/hold/ledger"


class Reading:
    queries = (Contents((LEDGER,)),)

    def begin(self, machine, seen):
        return [line.split() for line in (seen.text(LEDGER) or "").splitlines()]

    def further(self, known):
        return ()

    def facts(self, machine, seen, known, basic):
        packages = tuple(
            InstalledPackage(
                name=name, version=version, architecture="any", want="install",
                state="installed", fault="ok", essential=False, priority="", section="",
                installed_kib=0, conffiles={},
            )
            for name, version in known
        )
        told = Evidence("packages", LEDGER, f"{len(packages)} crates")
        return msgspec.structs.replace(
            basic, packages=packages, evidence=(*basic.evidence, told)
        )


class Planner:
    def plan(self, facts, legs, folder, preferences):
        return tuple(self._leg(facts, leg) for leg in legs)
        yield

    again = plan

    def _leg(self, facts, leg):
        old, new = leg.start.version, leg.end.version
        if leg.scale == "edition":
            step = EditionStep(old=old, new=new, warnings=("there is no way down again",))
        else:
            step = ImageStep(old=old, new=new, slot="b", size_bytes=5000, grows_bytes=100)
        return LegPlan(leg=leg, steps=(step,), made_at=facts.taken_at)


class Procedure(LegProcedure):
    family = "hold"
    commands = None
    checkpoints = ("ready", "way back", "written")
    set_aside_suffixes = ()

    def cross(self, leg):
        refusal = yield from leg.begin(lambda facts: None)
        if refusal:
            return refusal
        yield from leg.keep_open("writing")
        identity = leg.facts.identity
        for step in leg.plan.steps:
            release, edition = identity.version_id, identity.edition
            files = []
            if isinstance(step, EditionStep):
                edition = step.new
            else:
                release = step.new
                crates = "".join(f"{p.name} {step.new}\\n" for p in leg.facts.packages)
                files.append(FileText(LEDGER, crates))
            told = f"ID=barge\\nVERSION_ID={release}\\nVARIANT={edition}\\n"
            files.append(FileText("/etc/os-release", told))
            reply = yield from WriteFiles(title=f"Write the {step.title}", files=tuple(files))
            if isinstance(reply, Failed):
                return (yield from leg.failed("writing", reply.seen))
        yield from leg.checkpoint("written")
        return DONE


class Hold(Family):
    name = "hold"
    databases = (LEDGER,)
    manager = PackageManager(name="stow", tools=("stow",))
    reading = property(lambda self: Reading())
    planner = property(lambda self: Planner())
    procedure = property(lambda self: Procedure())


FAMILY = Hold()
"""

LINE = """
id = "barge"
name = "Barge"
family = "hold"
os_ids = ["barge"]
rule = "one release after the other"
releases = [
  { key = "1", version = "1", codename = "", released = 2024-01-01, support_ends = 2030-01-01 },
  { key = "2", version = "2", codename = "", released = 2026-01-01, support_ends = 2032-01-01 },
]
legs = [{ start = "1", end = "2" }]

[[scales]]
kind = "edition"
rule = "up, never down"
stops = [
  { key = "deckhand", version = "Deckhand", codename = "", released = 2024-01-01 },
  { key = "mate", version = "Mate", codename = "", released = 2024-01-01 },
]
legs = [{ start = "deckhand", end = "mate" }]
"""


@contextmanager
def installed(folder: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """The package as pip would have installed it, and a catalogue file for its line."""
    site = folder / "site"
    (site / "hold_family-1.0.dist-info").mkdir(parents=True)
    (site / "hold_family.py").write_text(textwrap.dedent(MODULE))
    (site / "hold_family-1.0.dist-info/METADATA").write_text("Name: hold-family\nVersion: 1.0\n")
    (site / "hold_family-1.0.dist-info/entry_points.txt").write_text(
        "[brave_bridge.families]\nhold = hold_family:FAMILY\n"
    )
    config = folder / "config"
    (config / "brave-bridge/releases").mkdir(parents=True)
    (config / "brave-bridge/releases/barge.toml").write_text(LINE)
    monkeypatch.syspath_prepend(str(site))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(config))
    caches = (registry.family_named, lines.all_lines)
    for cached in caches:
        cached.cache_clear()
    yield
    for cached in caches:
        cached.cache_clear()
    sys.modules.pop("hold_family", None)


def barge(root: Path) -> Path:
    """A system of that family: release 1, edition Deckhand, two crates."""
    (root / "etc").mkdir(parents=True)
    (root / "etc/os-release").write_text("ID=barge\nVERSION_ID=1\nVARIANT=Deckhand\n")
    (root / "var/lib/hold").mkdir(parents=True)
    (root / LEDGER.lstrip("/")).write_text("anchor 1\nrope 1\n")
    return root
