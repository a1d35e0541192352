"""The commands about kernels and boot."""

from typing import Annotated

import msgspec
import typer

from brave_bridge.cli import documents
from brave_bridge.cli.application import Json, Yes, app, confirm, follow_to_end, print_document
from brave_bridge.cli.kernel_texts import configuration_text, kernels_text, offered_text
from brave_bridge.core.formats.text import plain
from brave_bridge.core.kernels.kernel_package import series_of
from brave_bridge.workbench.boot.booting import (
    begin_boot_once,
    begin_starting_as_ever,
    begin_starting_other,
    boot_seen,
    must_be_tried_once,
)
from brave_bridge.workbench.boot.kernel_building import (
    Wishes,
    begin_build,
    configuration_of,
    tree_or_only,
    wanted_from,
)
from brave_bridge.workbench.boot.kernel_drivers import driver_lines, driver_report
from brave_bridge.workbench.boot.kernel_series import (
    begin_hold,
    begin_letting_go,
    must_be_held_by,
    what_a_hold_means,
)
from brave_bridge.workbench.boot.kernels import (
    begin_adding,
    begin_removal,
    kernels_of_ways_back,
    kernels_to_remove,
)
from brave_bridge.workbench.boot.offered_kernels import (
    fetched_branch,
    must_be_offered,
    offered_kernels,
)

Branch = Annotated[
    str,
    typer.Option(
        "--from",
        help="A source that the machine does not have: nothing else comes from it.",
        metavar='"deb URI SUITE COMPONENT"',
    ),
]
Tree = Annotated[
    str, typer.Argument(metavar="[TREE]", help="Its folder; the newest in /usr/src if left out.")
]
Config = Annotated[
    str, typer.Option("--config", help="Carry this over, not the running kernel's.", metavar="FILE")
]


@app.command()
def kernels(context: typer.Context, json: Json = False) -> None:
    """List the kernels, what boots next and why, and whether one can be tried once."""
    desk = context.obj.desk()
    seen = boot_seen(desk.facts(), kernels_of_ways_back(desk))
    document = documents.document("kernels", **msgspec.to_builtins(seen))
    print_document(json, document, kernels_text(seen))


@app.command("offered-kernels")
def list_offered(context: typer.Context, branch: Branch = "", json: Json = False) -> None:
    """List the kernels that the sources have, or that another source has."""
    desk = context.obj.desk()
    offered = offered_kernels(desk, fetched_branch(desk, branch) if branch else "")
    document = documents.document("offered-kernels", kernels=msgspec.to_builtins(offered))
    print_document(json, document, offered_text(offered))


@app.command()
def drivers(
    context: typer.Context,
    kernel: Annotated[str, typer.Argument(metavar="KERNEL", help="Installed or offered.")],
    json: Json = False,
) -> None:
    """Tell which devices of this machine a kernel drives that the running one does not."""
    report = driver_report(context.obj.desk(), kernel)
    document = documents.document("drivers", **msgspec.to_builtins(report))
    print_document(json, document, driver_lines(report))


@app.command("boot-once")
def boot_once(
    context: typer.Context,
    kernel: Annotated[str, typer.Argument(metavar="KERNEL", help="As kernels lists it.")],
    yes: Yes = False,
    json: Json = False,
) -> None:
    """Boot a kernel once; back by itself where it fails, the default where it is proven."""
    desk = context.obj.desk_to_begin_at()
    way = must_be_tried_once(desk.facts(), kernel)
    if not json:
        print(plain(f"{way.fails}\n{way.hangs}"))
    confirm(yes, f"Have {desk.machine.name} try {kernel} at its next boot?")
    follow_to_end(desk, begin_boot_once(desk, kernel, unattended=yes), json, ask=not yes)


@app.command("start-other")
def start_other(
    context: typer.Context,
    name: Annotated[
        str, typer.Argument(metavar="[NAME]", help="A number or title of the firmware's own list.")
    ] = "",
    clear: Annotated[bool, typer.Option("--clear", help="Take the choice back.")] = False,
    yes: Yes = False,
    json: Json = False,
) -> None:
    """Have the firmware start another system at the next boot alone (EFI)."""
    desk = context.obj.desk_to_begin_at()
    if clear or not name:
        follow_to_end(desk, begin_starting_as_ever(desk), json, ask=False)
        return
    confirm(yes, f"Have {desk.machine.name} start {name} at its next boot?")
    follow_to_end(desk, begin_starting_other(desk, name), json, ask=False)


@app.command("hold-series")
def hold_series(
    context: typer.Context,
    series: Annotated[str, typer.Argument(metavar="[SERIES]", help="Such as 6.1.")] = "",
    let_go: Annotated[bool, typer.Option("--let-go", help="Take the hold back whole.")] = False,
    yes: Yes = False,
    json: Json = False,
) -> None:
    """Stay on a series of kernels: its fixes come, other series do not; or let it go on."""
    desk = context.obj.desk_to_begin_at()
    if let_go:
        follow_to_end(desk, begin_letting_go(desk), json, ask=False)
        return
    facts = desk.facts()
    series = series or series_of(facts.kernel_that_came_up)
    must_be_held_by(desk.machine, facts, series)
    if not json:
        print("\n".join(plain(line) for line in what_a_hold_means(facts, series)))
    confirm(yes, f"Hold the kernels of {desk.machine.name} at {series}?")
    follow_to_end(desk, begin_hold(desk, series), json, ask=False)


@app.command("add-kernel")
def add_kernel(
    context: typer.Context,
    kernel: Annotated[str, typer.Argument(metavar="KERNEL", help="As offered-kernels has it.")],
    branch: Branch = "",
    try_it: Annotated[
        bool, typer.Option("--try", help="Restart into it once; keep it where it is proven.")
    ] = False,
    yes: Yes = False,
    json: Json = False,
) -> None:
    """Install a kernel that a source has, beside those that are there."""
    desk = context.obj.desk_to_begin_at()
    lists = fetched_branch(desk, branch) if branch else ""
    offered = must_be_offered(desk, kernel, lists=lists)
    confirm(yes, f"Install {offered.package} {offered.version} on {desk.machine.name}?")
    follow_to_end(desk, begin_adding(desk, offered.packages, lists, try_it=try_it), json, ask=False)


@app.command("remove-kernels")
def remove_kernels(
    context: typer.Context,
    wanted: Annotated[
        list[str] | None, typer.Argument(metavar="[KERNEL]...", help="As kernels lists them.")
    ] = None,
    old: Annotated[
        bool, typer.Option("--old", help="All that neither run, boot next, nor are spare.")
    ] = False,
    yes: Yes = False,
    json: Json = False,
) -> None:
    """Take kernels away; never what runs or boots next, and never the last spare one."""
    desk = context.obj.desk_to_begin_at()
    going = kernels_to_remove(desk, wanted or (), old=old)
    confirm(yes, f"Take {', '.join(going)} away from {desk.machine.name}?")
    follow_to_end(desk, begin_removal(desk, going), json, ask=False)


@app.command("kernel-config")
def kernel_config(
    context: typer.Context, tree: Tree = "", config: Config = "", json: Json = False
) -> None:
    """Show what the configuration of a kernel's source changes, in groups, with its own words."""
    desk = context.obj.desk()
    found = configuration_of(desk, tree_or_only(desk, tree), Wishes(config=config))
    document = documents.document("kernel-config", **msgspec.to_builtins(found))
    print_document(json, document, configuration_text(found))


@app.command("build-kernel")
def build_kernel(
    context: typer.Context,
    tree: Tree = "",
    config: Config = "",
    set_: Annotated[
        list[str], typer.Option("--set", help="Set an option.", metavar="OPTION=VALUE")
    ] = [],  # noqa: B006
    keep: Annotated[
        list[str], typer.Option("--keep", help="This option must be on.", metavar="OPTION")
    ] = [],  # noqa: B006
    let_go: Annotated[
        list[str],
        typer.Option("--let-go", help="This one need not be, though it is used.", metavar="OPTION"),
    ] = [],  # noqa: B006
    jobs: Annotated[
        int, typer.Option("--jobs", help="How many at a time; as cores and memory allow.")
    ] = 0,
    configure_only: Annotated[
        bool, typer.Option("--configure-only", help="Build nothing yet.")
    ] = False,
    yes: Yes = False,
    json: Json = False,
) -> None:
    """Configure, build and install a kernel from its source; what runs stays the default."""
    desk = context.obj.desk_to_begin_at()
    wishes = Wishes(
        config=config,
        wanted=dict(wanted_from(set_)),
        keep=tuple(name.removeprefix("CONFIG_") for name in keep),
        let_go=tuple(name.removeprefix("CONFIG_") for name in let_go),
        jobs=jobs,
        configure_only=configure_only,
    )
    procedure = begin_build(desk, tree_or_only(desk, tree), wishes, unattended=yes)
    follow_to_end(desk, procedure, json, ask=not yes)
