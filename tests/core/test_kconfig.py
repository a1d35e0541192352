"""Kernel configurations: the file, conditions, the language, what builds what, what must be on."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.kconfig.comparing import CHANGED, DROPPED, NEW, option_changes
from brave_bridge.core.kconfig.conditions import BadCondition, Condition
from brave_bridge.core.kconfig.dotconfig import read_config, with_options
from brave_bridge.core.kconfig.language import Kconfig
from brave_bridge.core.kconfig.makefiles import modules_in, objects_expected, objects_in
from brave_bridge.core.kconfig.protected import Protected, found_by_machine, unmet

CONFIG = """#
# Automatically generated file; DO NOT EDIT.
#
CONFIG_CC_VERSION_TEXT="gcc (Debian 12.2.0) 12.2.0"
CONFIG_BLOCK=y
# CONFIG_SLOW is not set
CONFIG_TIDE=m
CONFIG_NR_CPUS=64
odd line
"""


def test_a_configuration_is_read_and_changed_in_its_lines():
    known = read_config(CONFIG)
    assert known["BLOCK"] == "y" and known["SLOW"] == "n" and known["NR_CPUS"] == "64"
    assert known["CC_VERSION_TEXT"] == '"gcc (Debian 12.2.0) 12.2.0"' and len(known) == 5
    changed = with_options(CONFIG, {"SLOW": "y", "BLOCK": "n", "NEW": "m"})
    assert read_config(changed) == {**known, "SLOW": "y", "BLOCK": "n", "NEW": "m"}
    assert "odd line" in changed and changed.splitlines()[:3] == CONFIG.splitlines()[:3]
    assert with_options("", {}) == ""


NAMES = st.text("ABC_1", min_size=1, max_size=5)
VALUES = st.sampled_from(["y", "m", "n", "0x1f", "17", '"a text"'])


@given(st.text(st.sampled_from('CONFIG_AB=yn# is not set\n"')), st.dictionaries(NAMES, VALUES))
def test_what_is_set_is_read_back_and_no_other_line_is_lost(text, wanted):
    text = "\n".join(text.splitlines())
    changed = with_options(text, wanted)
    known = read_config(text)
    assert read_config(changed) == {**known, **wanted}
    kept = [line for line in text.splitlines() if not read_config(line)]
    assert [line for line in changed.splitlines() if not read_config(line)] == kept


@pytest.mark.parametrize(
    ("text", "holds"),
    [
        ("A", True),
        ("B", True),
        ("N", False),
        ("UNKNOWN", False),
        ("!N && (A || N)", True),
        ("A && !B", True),
        ("A = y", True),
        ("B != m", False),
        ('S = "deep"', True),
        ("NUMBER > 3 && NUMBER <= 0x10", True),
        ("NUMBER < 4", False),
        ("$(success,test -e $(shell,$(CC) -x)/y | head)", True),
        ("y", True),
        ("n || 'm' = m", True),
    ],
)
def test_conditions(text, holds):
    values = {"A": "y", "B": "m", "N": "n", "S": '"deep"', "NUMBER": "7"}
    assert Condition(text).holds(values) is holds


@pytest.mark.parametrize("text", ["", "A &&", "(A", "A B", "&& A", "A = ", "$(open", "!", "A \\ B"])
def test_what_is_no_condition(text):
    with pytest.raises(BadCondition):
        Condition(text)


def test_conditions_that_are_too_deep_are_refused():
    with pytest.raises(BadCondition, match="too deep"):
        Condition("!" * 1000 + "A")


@given(st.text('AB&|!()= "$<>ym', max_size=40))
def test_any_text_is_a_condition_or_is_refused(text):
    try:
        condition = Condition(text)
    except BadCondition:
        return
    failing = condition.failing({"A": "y"})
    assert bool(failing) is not condition.holds({"A": "y"})


def test_what_of_a_condition_does_not_hold():
    condition = Condition("(A) && (B || !C) && D = 3")
    assert condition.failing({"A": "y", "C": "y"}) == ["(B || !C)", "D = 3"]


FILES = {
    "Kconfig": """mainmenu "Linux"
# a comment
CC_OPTION := $(shell,true)
config MODULES
    bool "Loadable modules"
    default y if !TINY # why
    help
      Modules are loaded
        when they are needed.

      Say Y.
menu "Drivers"
    depends on MODULES
source "drivers/$(SRCARCH)/Kconfig"
if MODULES
rsource "fs/Kconfig"
endif
endmenu
osource "not/there"
source "/etc/passwd"
source "../above"
choice
    prompt "Speed"
config FAST
    bool "Fast"
config SLOW
    bool "Slow"
endchoice
config AFTER
    def_bool y
    depends on A \\
        && B
""",
    "drivers/x86/Kconfig": """
menuconfig TIDE
    tristate "Tide gauge"
    depends on BLOCK
    depends on PCI || USB
    select GAUGE if X86
    imply OTHER
    range 1 9
config NUMBER
    int
    prompt "How many" if EXPERT
    default 3
""",
    "fs/Kconfig": 'config EXT\n\ttristate "Extended"\nconfig EXT\n\tbool\n\tdepends on OLD\n',
}


def tree(files=FILES) -> Kconfig:
    found = Kconfig("Kconfig", {"SRCARCH": "x86"})
    for _ in range(20):
        if not found.missing:
            break
        found.give({path: files.get(path) for path in found.missing})
    assert not found.missing
    return found


def test_the_language():
    options = tree().options
    assert options["MODULES"].help == "Modules are loaded\n  when they are needed.\n\nSay Y."
    assert options["MODULES"].defaults == ["y if !TINY"] and not options["MODULES"].menu
    tide = options["TIDE"]
    assert (tide.kind, tide.prompt, tide.menu) == ("tristate", "Tide gauge", ("Drivers",))
    assert tide.depends == ["(MODULES) && (BLOCK) && (PCI || USB)"]
    assert tide.selects == ["GAUGE if X86"] and tide.where == "drivers/x86/Kconfig:2"
    assert (options["NUMBER"].kind, options["NUMBER"].prompt) == ("int", "How many")
    assert options["SLOW"].menu == ("Speed",) and options["EXT"].prompt == "Extended"
    assert len(options["EXT"].depends) == 2
    assert options["AFTER"].depends == ["(A && B)"]


def test_no_file_outside_of_the_tree_is_followed():
    found = tree()
    assert any("/etc/passwd" in fault for fault in found.faults)
    assert any("../above" in fault for fault in found.faults)


def test_files_that_name_each_other_come_to_an_end():
    files = {"Kconfig": 'source "a"\nconfig X\n\tbool "x"\n', "a": 'source "Kconfig"\n'}
    assert "X" in tree(files).options


@given(
    st.lists(
        st.sampled_from([*"\n\t \"'\\", "config A", "help", "if B", "endif", "menu", "source"])
    )
)
def test_any_file_is_read(pieces):
    tree({"Kconfig": " ".join(pieces)})


MAKEFILES = {
    "Makefile": "obj-y += init/ net/ sound/\nVERSION = 6\n",
    "init/Makefile": "obj-y := main.o \\\n\tversion.o # why.o\n",
    "net/Makefile": "obj-$(CONFIG_TIDE) += tide-gauge.o deep/\ntide-gauge-y := a.o b.o\n",
    "net/deep/Makefile": "obj-$(CONFIG_DEEP) += deep.o\n",
    "sound/Makefile": "obj-$(CONFIG_SOUND) += core/\n",
    "sound/core/Makefile": "obj-y += pcm.o\n",
}


def test_what_builds_which_module():
    assert modules_in(MAKEFILES) == {"tide_gauge": "TIDE", "deep": "DEEP"}
    assert ("tide-gauge", "", "a.o") in list(objects_in(MAKEFILES["net/Makefile"]))


def test_about_how_much_is_built():
    assert objects_expected(MAKEFILES, {}) == 4
    assert objects_expected(MAKEFILES, {"TIDE": "m", "DEEP": "y"}) == 6
    assert objects_expected(MAKEFILES, {"SOUND": "y"}) == 5


def test_what_a_configuration_changes():
    options = tree().options
    old = {"MODULES": "y", "GONE": "m", "SLOW": "n", "AFTER": "n", "TIDE": "m"}
    new = {"MODULES": "n", "SLOW": "n", "AFTER": "y", "TIDE": "m", "EXT": "m", "NEVER": "n"}
    found = {change.name: change.kind for change in option_changes(old, new, options)}
    assert found == {"MODULES": CHANGED, "GONE": DROPPED, "EXT": NEW, "NEVER": NEW}
    assert [c.name for c in option_changes(old, new, options)][-1] == "EXT"


def test_what_the_machine_tells_that_it_must_have():
    found = {
        one.name: one.why
        for one in found_by_machine(
            ("tide-gauge", "unknown"),
            {"tide_gauge": "TIDE"},
            {"/": "ext4", "/boot": "vfat", "/srv": "odd"},
            "root=/dev/sda2 console=ttyS0,115200",
        )
    }
    assert found["TIDE"] == "module tide-gauge is in use" and found["EXT4_FS"] == "/ is ext4"
    assert {"VFAT_FS", "SERIAL_8250_CONSOLE", "BLK_DEV_INITRD", "TMPFS"} <= found.keys()


def test_what_is_missing_is_told_with_what_it_needs():
    protected = (
        Protected("TIDE", "in use"),
        Protected("NUMBER", "by hand", "7"),
        Protected("X", "r"),
    )
    config = {"MODULES": "y", "BLOCK": "y", "NUMBER": "3"}
    tide, number, unknown = unmet(protected, config, tree().options)
    assert tide.words == "TIDE is off, not on (in use); it needs (PCI || USB)"
    assert number.words == "NUMBER is 3, not 7 (by hand)"
    assert "an option that this tree does not have" in unknown.words
    assert not list(unmet(protected[:1], {**config, "TIDE": "m"}, tree().options))
