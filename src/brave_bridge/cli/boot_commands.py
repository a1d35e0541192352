"""The commands about kernels and boot."""

from typing import Annotated

import msgspec
import typer

from brave_bridge.cli import documents
from brave_bridge.cli.application import Json, Yes, app, confirm, follow_to_end, print_document
from brave_bridge.core.formats.text import byte_size, plain
from brave_bridge.workbench.booting import (
    BootSeen,
    begin_boot_once,
    boot_seen,
    must_be_tried_once,
)


@app.command()
def kernels(context: typer.Context, json: Json = False) -> None:
    """List the kernels, what boots next and why, and whether one can be tried once."""
    desk = context.obj.desk()
    seen = boot_seen(desk.facts())
    document = documents.document("kernels", **msgspec.to_builtins(seen))
    print_document(json, document, _lines(seen))


def _lines(seen: BootSeen) -> list[str]:
    lines = []
    for kernel in seen.kernels:
        marks = ("runs" if kernel.running else "", "boots next" if kernel.next else "")
        told = ", ".join(filter(None, marks))
        size = byte_size(kernel.size_bytes)
        entry = kernel.entry or "no entry starts it"
        lines.append(f"{'◉' if kernel.running else '●'} {kernel.version}  {size}  {entry}  {told}")
    lines = lines or ["no kernel is installed here: a container, or /boot is not mounted"]
    lines += ["", "what boots next"]
    for link in seen.chain:
        mark = "■" if link.fault else "│"
        told = ", ".join(filter(None, (link.because, link.fault)))
        lines.append(f"  {mark} {link.name}: {link.value}{f' ({told})' if told else ''}")
    lines += [f"■ {words}" for words in seen.faults]
    if seen.once.refusal:
        lines += ["", f"nothing can be tried once: {seen.once.refusal}"]
        lines += [f"  instead: {words}" for words in seen.once.instead]
    return [plain(line).rstrip() for line in lines]


@app.command("boot-once")
def boot_once(
    context: typer.Context,
    kernel: Annotated[str, typer.Argument(metavar="KERNEL", help="As kernels lists it.")],
    yes: Yes = False,
    json: Json = False,
) -> None:
    """Boot a kernel once; back by itself where it fails, the default where it is proven."""
    desk = context.obj.desk()
    way = must_be_tried_once(desk.facts(), kernel)
    if not json:
        print(plain(f"{way.fails}\n{way.hangs}"))
    confirm(yes, f"Have {desk.machine.name} try {kernel} at its next boot?")
    follow_to_end(desk, begin_boot_once(desk, kernel, unattended=yes), json, ask=not yes)
