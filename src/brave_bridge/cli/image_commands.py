"""The commands about image bundles."""

import sys
from collections.abc import Iterator
from typing import Annotated

import msgspec
import typer

from brave_bridge.cli import documents
from brave_bridge.cli.application import REFUSED, Json, app, print_document, print_said
from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.media.bundles import BundleSeen, bundles_here, look_into


@app.command()
def bundle(
    context: typer.Context,
    file: Annotated[str, typer.Argument(metavar="[FILE]", help="On the machine, or here.")] = "",
    profile: Annotated[str, typer.Option("--profile", help="Another than the machine has.")] = "",
    depot: Annotated[bool, typer.Option("--depot", help="List what the depot has.")] = False,
    fetch: Annotated[
        str, typer.Option("--fetch", help="Fetch the bundle of this release.", metavar="RELEASE")
    ] = "",
    source: Annotated[
        str, typer.Option("--from", help="Another depot than the machine's.", metavar="ADDRESS")
    ] = "",
    json: Json = False,
) -> None:
    """Read an image bundle to its end, and tell what it changes here; or fetch one of a depot."""
    desk = context.obj.desk()
    if depot or fetch:
        _from_depot(desk, source, fetch, json)
        return
    if not file:
        found = bundles_here(desk)
        lines = [f"● {plain(path)}" for path in found] or ["no bundle is on its storage"]
        print_document(json, documents.document("bundles", bundles=list(found)), lines)
        return
    seen = look_into(desk, file, profile)
    document = documents.document("bundle", **msgspec.to_builtins(seen))
    print_document(json, document, [plain(line) for line in _lines(seen)])
    if seen.stops:
        raise typer.Exit(REFUSED)


def _from_depot(desk: Desk, source: str, release: str, json: bool) -> None:
    # What fetches over a link is loaded by those alone who want that.
    from brave_bridge.workbench.media.depot import depot_address, fetch, offered_by

    address = source or depot_address(desk)
    if not release:
        found = offered_by(desk, address)
        document = documents.document("depot", address=address, **msgspec.to_builtins(found))
        lines = [f"{one.version}, serial {one.serial}: {one.file}" for one in found.bundles]
        print_document(json, document, [plain(line) for line in lines])
        return
    got = fetch(desk, address, release, lambda words: print(f"· {words}", file=sys.stderr))
    print_said(json, "bundle-fetched", plain(f"● {got.path}"), path=got.path)


def _lines(seen: BundleSeen) -> Iterator[str]:
    yield f"{seen.version}, build {seen.build}, serial {seen.serial}, made {seen.made[:10]}"
    yield f"  whole, signed by {', '.join(seen.signed_by)}"
    for one in seen.profiles:
        mark = "◉" if one.name == seen.profile else "○"
        size = f"{counted(one.components, 'component')}, {byte_size(one.size_bytes)}"
        yield f"{mark} profile {one.name}: {size}; {one.about}"
        if one.only_here:
            yield f"    beside {seen.profile} it has {', '.join(one.only_here)}"
    for change in seen.changes:
        versions = " → ".join(filter(None, (change.old, change.new)))
        maker = f", by {change.maker}" if change.maker else ""
        yield f"  {change.kind:<10} {change.name} {versions}{maker}"
    if not seen.changes:
        yield "  no component changes"
    for issue in seen.issues:
        yield f"▲ known: {issue.title}"
        if issue.cure:
            yield f"    {issue.cure}{' (its own tool applies it)' if issue.by_tool else ''}"
    for stop in seen.stops:
        yield f"■ {stop}"
