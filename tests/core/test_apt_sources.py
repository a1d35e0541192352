"""Reading and rewriting package sources without loss."""

import re
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.formats.apt_sources import (
    Renaming,
    SourceFile,
    entries,
    index_stem,
    key_paths,
    renamed,
)
from brave_bridge.core.releases.route import find_route
from brave_bridge.families.deb.suites import suites_of
from brave_bridge.workbench.lines import all_lines

LINES = SourceFile(
    "/etc/apt/sources.list",
    "# deb http://a.example/quayside bowline main\n"
    "deb [arch=amd64 signed-by=/k.gpg]  http://a.example/quayside bowline main non-free # keep\n"
    "deb-src http://a.example/quayside bowline/updates main\n"
    "deb http://a.example/quayside bowline-security main\n"
    "deb http://b.example/flat ./\n"
    "deb http://c.example/bowline stable main\n"
    "rubbish\n",
)
STANZAS = SourceFile(
    "/etc/apt/sources.list.d/q.sources",
    "# bowline stays in comments\nTypes: deb deb-src\nURIs: http://a.example/bowline\n"
    "Suites: bowline\n bowline-updates\n# bowline in between\n bowline-security\n"
    "Components: main non-free\nSigned-By: /k.gpg\n\n"
    "Types: deb\nURIs: http://b.example/x\nSuites: bowline\nComponents: main\nEnabled: no\n",
)


def rename(old: str, new: str, also: dict[str, str] | None = None) -> Renaming:
    pattern = re.compile(rf"^{re.escape(old)}(?=$|[-/])")
    return Renaming(
        lambda word: pattern.sub(new, word),
        lambda words: words + tuple((also or {})[w] for w in words if w in (also or {})),
    )


def test_reads_both_notations():
    lines, stanzas = entries(LINES), entries(STANZAS)
    assert [entry.suites for entry in lines] == [
        ("bowline",),
        ("bowline/updates",),
        ("bowline-security",),
        ("./",),
        ("stable",),
    ]
    assert lines[0].options == {"arch": "amd64", "signed-by": "/k.gpg"}
    assert lines[0].components == ("main", "non-free")
    assert [entry.suites for entry in stanzas] == [
        ("bowline", "bowline-updates", "bowline-security")
    ]
    assert stanzas[0].types == ("deb", "deb-src")


def test_a_disc_whose_name_has_blanks_is_one_word():
    disc = "deb cdrom:[Quayside 5.3 _Bowline_ - DVD 1]/ bowline main extra\n"
    (entry,) = entries(SourceFile("/etc/apt/sources.list", disc))
    assert entry.uris == ("cdrom:[Quayside 5.3 _Bowline_ - DVD 1]/",)
    assert (entry.suites, entry.components) == (("bowline",), ("main", "extra"))
    turned = renamed(SourceFile("/a.list", disc), rename("bowline", "diamond"), lambda e: True)
    assert turned.text == disc.replace(" bowline ", " diamond ")


def test_renames_only_active_lines_and_only_suites():
    text = renamed(
        LINES, rename("bowline", "diamond", {"non-free": "firmware"}), lambda e: True
    ).text
    assert text.splitlines() == [
        "# deb http://a.example/quayside bowline main",
        "deb [arch=amd64 signed-by=/k.gpg]  http://a.example/quayside diamond main non-free "
        "firmware # keep",
        "deb-src http://a.example/quayside diamond/updates main",
        "deb http://a.example/quayside diamond-security main",
        "deb http://b.example/flat ./",
        "deb http://c.example/bowline stable main",
        "rubbish",
    ]


def test_renames_stanzas_with_continued_fields():
    text = renamed(
        STANZAS, rename("bowline", "diamond", {"non-free": "firmware"}), lambda e: True
    ).text
    assert "Suites: diamond\n diamond-updates\n# bowline in between\n diamond-security\n" in text
    assert "URIs: http://a.example/bowline\n" in text
    assert "Components: main non-free firmware\n" in text
    assert text.endswith("Suites: bowline\nComponents: main\nEnabled: no\n")


def test_the_component_is_not_added_twice():
    once = renamed(LINES, rename("x", "y", {"non-free": "firmware"}), lambda e: True)
    twice = renamed(once, rename("x", "y", {"non-free": "firmware"}), lambda e: True)
    assert once == twice


WORDS = st.sampled_from(
    [
        "deb",
        "deb-src",
        "#",
        "[signed-by=/k]",
        "http://x.example/q",
        "bowline",
        "bowline-updates",
        "main",
        "Types:",
        "URIs:",
        "Suites:",
        "Components:",
        "\n",
        " ",
        "\t",
        "\n\n",
        "é",
    ]
)


@given(st.lists(WORDS, max_size=40), st.sampled_from([".list", ".sources"]))
def test_renaming_to_itself_changes_nothing(words, ending):
    file = SourceFile("/etc/apt/x" + ending, " ".join(words))
    assert renamed(file, rename("bowline", "bowline"), lambda e: True) == file


@given(st.lists(WORDS, max_size=40), st.sampled_from([".list", ".sources"]))
def test_renaming_there_and_back_gives_the_same_file(words, ending):
    file = SourceFile("/etc/apt/x" + ending, " ".join(words))
    there = renamed(file, rename("bowline", "diamond"), lambda e: True)
    assert renamed(there, rename("diamond", "bowline"), lambda e: True) == file


def test_index_names_are_those_of_apt():
    assert index_stem("http://u:p@a.example/debian/", "bookworm/updates") == (
        "a.example_debian_dists_bookworm_updates_"
    )


KEY = """Types: deb
URIs: http://old.quayside.example/quayside http://other.example/x
Suites: bowline-5.3
Components: main
Signed-By:
 -----BEGIN PGP PUBLIC KEY BLOCK-----
 .
 mDMEZabc
 =defg
 -----END PGP PUBLIC KEY BLOCK-----
"""


def test_a_key_that_stands_in_a_source_keeps_its_lines():
    (entry,) = entries(SourceFile("/etc/apt/sources.list.d/x.sources", KEY))
    lines = entry.options["signed-by"].strip().splitlines()
    assert [line.strip() for line in lines][:3] == [
        "-----BEGIN PGP PUBLIC KEY BLOCK-----",
        ".",
        "mDMEZabc",
    ]
    assert key_paths(entry) == ()
    (wanted,) = list(suites_of([entry]))[:1]
    assert wanted.key_text.splitlines()[:3] == [
        "-----BEGIN PGP PUBLIC KEY BLOCK-----",
        "",
        "mDMEZabc",
    ]


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("x.sources", KEY),
        (
            "x.list",
            "deb http://old.quayside.example/quayside bowline-5.3 main\n"
            "deb [arch=amd64] http://other.example/x bowline-5.3 main # x\n",
        ),
    ],
)
def test_archives_of_ended_releases_give_way_to_the_living_ones(path, text):
    line = next(line for line in all_lines() if line.id == "quayside")
    leg = find_route(line, line.release("5.3"), line.release("7"), date(2026, 11, 25)).legs[0]
    after = renamed(SourceFile(f"/etc/apt/{path}", text), leg.renaming(), lambda entry: True).text
    assert after == text.replace("old.quayside", "archive.quayside").replace(
        "bowline-5.3", "diamond"
    )
