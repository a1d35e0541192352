"""Running a command line: ``brave-bridge [--tree DIR | --demo NAME] COMMAND``."""

import json
import os
import sys

import typer

from brave_bridge.cli import documents, texts
from brave_bridge.cli.application import DONE, REFUSED, app
from brave_bridge.cli.names import PROGRAM, VARIABLE
from brave_bridge.cli.table import load_commands
from brave_bridge.core.formats.text import told_by_system
from brave_bridge.machines.loading import loading
from brave_bridge.machines.port import MachineError
from brave_bridge.runner.ready_runner import ReadyRunner
from brave_bridge.runner.starter import lost_words
from brave_bridge.store.faults import DatabaseError
from brave_bridge.workbench.lines import CatalogueError
from brave_bridge.workbench.refusal import Refused


def run(words: list[str], ready: ReadyRunner | None = None) -> int:
    """Run a command line; its exit code. Whatever is refused is told in a sentence.

    ``ready`` is a runner that loads already.
    """
    with loading():
        load_commands(() if VARIABLE in os.environ else words)
    command = typer.main.get_command(app)
    if words_of_loss := lost_words():
        print(texts.plain(f"brave-bridge: {words_of_loss}"), file=sys.stderr)
    if VARIABLE in os.environ:
        from typer.completion import completion_init

        completion_init()
    wants_json = "--json" in words
    try:
        command(args=words, prog_name=PROGRAM, obj=ready)
        return DONE
    except SystemExit as end:
        return end.code if isinstance(end.code, int) else DONE
    except KeyboardInterrupt:
        print("nothing more was done", file=sys.stderr)
        return REFUSED
    except Refused as refusal:
        return _refuse(wants_json, refusal.what, refusal.why, refusal.remedy)
    except MachineError as error:
        what = f"{error.attempted} on {error.machine}"
        return _refuse(wants_json, what, error.seen, error.remedy)
    except (DatabaseError, CatalogueError) as error:
        return _refuse(wants_json, "reading or writing", str(error), "")
    except OSError as error:
        return _refuse(wants_json, "reading or writing", told_by_system(error), "")


def _refuse(wants_json: bool, what: str, why: str, remedy: str) -> int:
    if wants_json:
        document = documents.document("error", what=what, why=why, remedy=remedy)
        print(json.dumps(document, indent=1))
    sentence = f"brave-bridge: {what}: {why}" + (f" ({remedy})" if remedy else "")
    print(texts.plain(sentence), file=sys.stderr)
    return REFUSED
