"""The rows of the Plan page: one for each thing that changes or wants an answer."""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.formats.text import byte_size, counted, plain, shortened
from brave_bridge.core.packages.changes import PackageChange, Price
from brave_bridge.core.packages.choices import (
    CHANNEL,
    FAMILY,
    KEPT,
    LATER,
    OBSOLETE,
    SOURCE,
    SOURCE_WORDS,
    TOOL,
    PlanChoice,
)
from brave_bridge.core.packages.levels import LevelResult
from brave_bridge.core.packages.preferences import PREFERENCE_WORDS
from brave_bridge.core.packages.roles import Role, Roles
from brave_bridge.core.plan.item_words import words_of
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.outline import UNSOUND, Item, Restart, Section, Signer, Wish
from brave_bridge.core.plan.steps import ConfigQuestion, SourceOutcome, StepRow
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.room import needs_at
from brave_bridge.workbench.pages.page import Note, Row, said, title
from brave_bridge.workbench.pictures.exchanged import step_key

_PREFERENCE_KINDS_MEAN = {
    "protect": "It stays installed in some version, whatever that costs others.",
    "exclude": "It does not come, and where it is installed it stays as it is.",
    "let_go": "It is kept no more than any other package.",
    "remove": "It goes away with the leg, and so does what cannot stand without it.",
    "add": "It comes with the first leg whose release has it.",
}


class OfPackage(msgspec.Struct, frozen=True):
    """A package of the plan, by its slot."""

    slot: str


class OfChoice(msgspec.Struct, frozen=True):
    """A question whose answer changes the plan."""

    key: str


class OfQuestion(msgspec.Struct, frozen=True):
    """A config file whose version is asked for."""

    path: str


def heading(words: str, leg: int) -> Row:
    """A heading of one leg."""
    return Row(f"heading:{leg}:{words}", ("", words, "", "", "", ""), "heading")


def item_row(item: Item, section: Section, plan: LegPlan, leg: int, roles: Roles) -> Row:
    """What stands in the outline of a leg's plan; ``leg`` is its number, from 0."""
    match item:
        case Wish():
            return _wish_row(item)
        case Price():
            return _price_row(item, leg)
        case PlanChoice():
            return _choice_row(item, leg)
        case ConfigQuestion():
            return _question_row(item)
        case StepRow():
            return _step_row(section, item, leg)
        case PackageChange():
            tone = "caution" if section.is_grave else "plain"
            return _change_row(item, tone, plan, leg, roles.of(item.name))
        case SourceOutcome():
            return _source_row(item, plan, leg)
        case Signer():
            return _key_row(item, leg)
        case Restart():
            return _restart_row(item, leg)
        case LevelResult():
            return _level_row(item, leg)
        case str():
            return _unsound_row(item, leg) if section.kind == UNSOUND else _told_row(item, leg)


def _told_row(words: str, leg: int) -> Row:
    """What is told of the leg in a sentence or a name."""
    return Row(
        key=f"told:{leg}:{words}",
        cells=("●", plain(words), "", "", "", ""),
        why=(title(plain(words, 80)), *said(plain(words))),
    )


def _wish_row(wish: Wish) -> Row:
    """What the person wants of one package."""
    kind, slot = wish.kind, wish.slot
    short, words = PREFERENCE_WORDS[kind], _PREFERENCE_KINDS_MEAN[kind]
    return Row(
        key=f"preference:{kind}:{slot}",
        cells=("◆", slot, "your preference", short, "", ""),
        tone="chosen",
        why=(title(f"{slot} {short}"), *said(words), Note("do", "Enter takes the preference back")),
        action="unpreference",
        of=wish,
    )


def _unsound_row(fault: str, leg: int) -> Row:
    """What does not fit together on the machine already."""
    name, _, what = fault.partition(" ")
    return Row(
        key=f"unsound:{leg}:{fault}",
        cells=("■", name, "", "", "", what),
        tone="stop",
        why=(
            title(name),
            *said(
                fault,
                "It is so before the leg. No plan may leave it so: what goes on, comes or goes "
                "away because of it is the least that mends it.",
            ),
        ),
    )


def _price_row(price: Price, leg: int) -> Row:
    """What keeping one package costs the others."""
    return Row(
        key=f"price:{leg}:{price.slot}",
        cells=("?", price.slot, "kept", f"holds {len(price.freed)} back", "", price.words),
        tone="caution",
        why=(
            title(f"Keep {price.slot}, or let it go?"),
            *said(
                f"You installed it by hand, so it is kept. That holds "
                f"{counted(len(price.freed), 'package')} back: {_few(price.freed)}.",
                f"Without it these go on, and this would go away: {_few(price.lost)}.",
            ),
            Note("do", "Enter lets it go and plans again"),
        ),
        action="let_go",
        of=OfPackage(price.slot),
    )


def _few(names: tuple[str, ...]) -> str:
    return ", ".join(shortened(names, 12))


def _question_row(question: ConfigQuestion) -> Row:
    """Whose version of a config file shall stand."""
    mine = question.answer == "mine"
    by = {"policy": ", as on every machine", "person": ", you decided"}.get(question.by, "")
    return Row(
        key=f"question:{question.path}",
        cells=(
            "?",
            question.path,
            "changed here",
            "mine stays" if mine else "take theirs",
            "",
            f"belongs to {question.package}{by}",
        ),
        tone="chosen",
        why=(
            title(f"Whose version of {question.path} shall stand?"),
            *said(
                f"You changed this file, and {question.package} may ship another version.",
                "Mine: your file stays as it is; the new version is set aside beside it."
                if mine
                else "Theirs: the new version is taken; your file is saved beside it.",
            ),
            Note("do", "Enter changes the answer"),
            Note("do", "v shows yours beside the shipped ones"),
            Note("do", "k keeps the answer for every machine"),
        ),
        action="answer",
        of=OfQuestion(question.path),
    )


def _choice_row(choice: PlanChoice, leg: int) -> Row:
    """A question whose answer changes the plan."""
    asked, answer = _KINDS[choice.kind], _answer_words(choice)
    decided = choice.answer != choice.default
    waiting = "quiet" if choice.kind == OBSOLETE else "caution"
    return Row(
        key=f"choice:{leg}:{choice.key}",
        cells=(
            "?",
            _without_scheme(choice.subject),
            asked,
            answer,
            "",
            plain(choice.words_of(choice.answer)),
        ),
        tone="chosen" if decided else waiting,
        why=(title(plain(choice.about)), *_options(choice)),
        action="choose",
        of=OfChoice(choice.key),
    )


_KINDS = {
    SOURCE: "third party",
    CHANNEL: "which kind",
    TOOL: "has a successor",
    FAMILY: "has a next one",
    OBSOLETE: "left",
    KEPT: "what is kept",
}


def _without_scheme(address: str) -> str:
    """The part of an address that tells it from others; what is none stays as it is."""
    return plain(address.partition(" ")[0]).rpartition("://")[2]


def _answer_words(choice: PlanChoice) -> str:
    return SOURCE_WORDS.get(choice.answer, plain(choice.answer).removeprefix("suite "))


def _options(choice: PlanChoice) -> tuple[Note, ...]:
    """What can be answered, what is, and how."""
    told = (
        f"{'◉' if option.answer == choice.answer else '○'} {plain(option.words)}"
        f"{' (the default)' if option.answer == choice.default else ''}"
        for option in choice.options
    )
    return (
        *said(*told),
        Note("do", "Enter answers otherwise and plans again"),
        Note("do", "k keeps the answer for every machine"),
    )


def _source_row(source: SourceOutcome, plan: LegPlan, leg: int) -> Row:
    """What becomes of one source."""
    tone = {"paused": "caution", "dropped": "caution", "unchanged": "quiet"}.get(
        source.outcome, "plain"
    )
    subject = f"{SOURCE} {source.uri} {source.old_suite}"
    choice = next((choice for choice in plan.choices if choice.key == subject), None)
    return Row(
        key=f"source:{leg}:{source.path}:{source.line}:{source.old_suite}",
        cells=(
            "▲" if tone == "caution" else "●",
            _without_scheme(source.uri),
            source.old_suite,
            source.new_suite or source.outcome,
            "",
            plain(source.reason),
        ),
        tone=tone,
        why=(
            title(f"Source {source.outcome}"),
            Note("seen", f"{source.path}:{source.line}"),
            *said(plain(source.reason)),
            *(Note("seen", f"signed by {_in_groups(signer)}") for signer in source.signers),
            *(_options(choice) if choice else ()),
            Note("code", plain(plan.sources.diff)),
        ),
        action="choose" if choice else "",
        of=OfChoice(subject) if subject else None,
    )


def _step_row(section: Section, row: StepRow, leg: int) -> Row:
    """One thing that a step changes which has no rows of its own kind."""
    size = byte_size(row.fetch_bytes) if row.fetch_bytes else ""
    return Row(
        key=step_key(leg, section.name, row.what),
        cells=(
            "▲" if row.warns else "●",
            plain(row.what),
            plain(row.old),
            plain(row.new),
            size,
            plain(row.why),
        ),
        tone="caution" if row.warns else "plain",
        why=(
            title(section.title.capitalize()),
            *said(plain(row.why)),
            *(Note("seen", plain(risk)) for risk in section.risks),
        ),
    )


def _key_row(signer: Signer, leg: int) -> Row:
    """A key that vouches for what the leg fetches."""
    fingerprint, signed = signer.fingerprint, signer.signed
    short = _in_groups(fingerprint[-16:])
    return Row(
        key=f"key:{leg}:{fingerprint}",
        cells=("●", f"… {short}", "key", f"signs {len(signed)}", "", ", ".join(signed)),
        tone="quiet",
        why=(
            title(f"The key … {short}"),
            Note("seen", _in_groups(fingerprint)),
            *said(
                f"It signed what {', '.join(signed)} offer.",
                "The machine trusts it already: nothing is fetched on the word of a key that "
                "it does not have. To be sure, hold the fingerprint against the one that its "
                "owner publishes elsewhere.",
            ),
        ),
    )


def _in_groups(fingerprint: str) -> str:
    """A key's fingerprint as people read it out."""
    text = plain(fingerprint, 80).upper()
    return " ".join(text[at : at + 4] for at in range(0, len(text), 4))


def _change_row(
    change: PackageChange, tone: str, plan: LegPlan, leg: int, role: Role | None
) -> Row:
    """One package's change."""
    size = byte_size(change.download_bytes) if change.download_bytes else ""
    stage = "one" if change.name in plan.packages.first_stage else "two"
    reason = plain(change.reason).removeprefix(f"{change.name} {change.old} ")
    return Row(
        key=f"package:{leg}:{change.name}",
        cells=(
            "▲" if tone == "caution" else "●" if change.is_chosen else "",
            change.name,
            change.old,
            change.new or change.successor,
            size,
            _short(change, role, reason),
        ),
        tone=tone,
        why=(
            title(change.name),
            *said(
                f"{change.old} → {change.new}" if change.new and change.old else "",
                f"{change.successor} takes its place" if change.successor else "",
                *plain(change.reason).split("; "),
                "you installed it by hand" if change.is_chosen else "",
                "part of the base system" if change.base else "",
                f"section {change.section}" if change.section else "",
                f"{byte_size(change.disk_bytes)} on disk" if change.disk_bytes else "",
                "another major version: read its notes on data and settings"
                if change.major
                else "",
                f"changes in stage {stage}" if change.new else "goes in stage two",
            ),
            *_afterwards(change, role),
        ),
        of=OfPackage(change.name),
    )


def _short(change: PackageChange, role: Role | None, reason: str) -> str:
    """Why, in one line: what the package is says more than that there is a newer one."""
    if change.successor:
        return "takes its place"
    if role is None or not reason.startswith("newer in"):
        return reason
    return f"{role.name}: {role.after}" if change.major or role.always else role.name


def _afterwards(change: PackageChange, role: Role | None) -> tuple[Note, ...]:
    if role is None or not change.new:
        return ()
    return (Note("do", f"{role.name}: {role.after}"),)


def room_rows(facts: Facts, plan: LegPlan, leg: int) -> Iterator[Row]:
    """Each file system that a leg needs room on, and what is free there."""
    for space in facts.space:
        fetch, grow = needs_at(facts, space.path, plan.download_bytes, plan.disk_bytes)
        if not fetch + grow:
            continue
        enough = space.free_bytes > fetch + grow
        parts = [f"{byte_size(fetch)} fetched"] if fetch else []
        parts += [f"{byte_size(grow)} more installed"] if grow else []
        yield Row(
            key=f"room:{leg}:{space.path}",
            cells=(
                "●" if enough else "■",
                space.path,
                f"{byte_size(space.free_bytes)} free",
                f"{byte_size(fetch + grow)} needed",
                "",
                ", ".join(parts),
            ),
            tone="plain" if enough else "stop",
            why=(
                title(f"Room on {space.path}"),
                *said(
                    f"{byte_size(space.free_bytes)} of {byte_size(space.total_bytes)} are free.",
                    "What is fetched can be deleted after the crossing.",
                ),
            ),
        )


def _restart_row(restart: Restart, leg: int) -> Row:
    """A service that runs and does not stay as it is; without a choice it stops for good."""
    choice, end = restart.choice, words_of(restart).becomes
    later = choice is not None and choice.answer == LATER
    return Row(
        key=f"service:{leg}:{restart.unit}",
        cells=(
            "↻" if choice else "▲",
            restart.unit,
            "runs",
            end,
            "",
            f"belongs to {restart.package}",
        ),
        tone="chosen" if later else "plain" if choice else "caution",
        why=(
            title(f"{restart.unit} {end}"),
            *said(
                f"{restart.package} ships it and changes. Its users lose their connection for "
                "that moment."
                if choice
                else f"{restart.package} ships it and goes away: nothing starts it again.",
                "Services that keep using files which were replaced are found by the proof.",
            ),
            *(_options(choice) if choice else ()),
        ),
        action="choose" if choice else "",
        of=OfChoice(choice.key) if choice else OfPackage(restart.package),
    )


def _level_row(level: LevelResult, leg: int) -> Row:
    """How well one preference is met."""
    words = words_of(level)
    proven = ("proven: fewer cannot be",) if level.proven else ()
    return Row(
        key=f"level:{leg}:{level.name}",
        cells=("●" if level.proven else "▲", words.what, "", words.becomes, "", words.why),
        tone="plain" if level.proven else "caution",
        why=(
            title(level.name),
            *said(words.why, words.becomes, *proven),
            Note("do", "o puts the preferences into another order"),
        ),
    )
