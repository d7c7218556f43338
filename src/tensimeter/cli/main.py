"""The command line; without a command it opens the window."""

import gc
import io
import logging
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from tensimeter import __version__
from tensimeter.cli.display import has_display
from tensimeter.core.errors import UserError, one_line

if TYPE_CHECKING:
    from typer import Typer


def run() -> None:
    """Entry point: a command, or the window for a job file (or for none)."""
    for stream in (sys.stdout, sys.stderr):
        # A terminal that knows no Ω, or a name that is no text, costs a sign and not the answer.
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")
    asked = "_TENSIMETER_COMPLETE" in os.environ
    if asked:
        from typer._completion_classes import completion_init

        completion_init()
    if not asked and (len(sys.argv) <= 1 or _is_job(sys.argv[1])):
        _guarded(lambda: sys.exit(_open_window(sys.argv[1:2])))
        return
    if sys.argv[1:] == ["--version"]:
        print(f"tensimeter {__version__}")
        return
    # The commands and what they need are not loaded for the window.
    from tensimeter.cli import (  # noqa: F401 - they add their own
        analyse,
        analyse_meter,
        analyse_soak,
        bench,
        compute,
        desktop,
        files,
        filing,
        measure,
        plate,
        size,
        size_box,
        size_flyback,
        size_heat,
        size_loads,
        size_sink,
        size_stage,
        size_wire,
        template,
        tune,
    )
    from tensimeter.cli.commands import app

    _guarded(lambda: _answer(app, asked))


def _answer(app: "Typer", asked: bool) -> None:
    """Run a command, by whatever way it was started: completion asks by this name."""
    from typer.main import get_command

    from tensimeter.cli.examples import with_examples
    from tensimeter.cli.streams import streamed

    command = get_command(app)
    if not asked:
        with_examples(command)
    with streamed(sys.argv[1:]) as words:
        command(args=words, prog_name="tensimeter")


def _is_job(word: str) -> bool:
    return not word.startswith("-") and (word.endswith(".tensi") or Path(word).is_file())


def _open_window(paths: list[str]) -> int:
    if not has_display() and not os.environ.get("QT_QPA_PLATFORM"):
        raise UserError(
            "There is no display to open a window on; “tensimeter --help” lists what works without one."
        )
    # Nothing is thrown away while modules are loaded; looking for it would only delay the window.
    gc.disable()
    from tensimeter.ui.app import open_window

    return int(open_window(Path(paths[0]) if paths else None, seen=has_display()))


def _guarded(action: object) -> None:
    """Bad input ends in one sentence on standard error and exit 2."""
    try:
        action()  # type: ignore[operator]
    except UserError as trouble:
        print(one_line(str(trouble)), file=sys.stderr)
        sys.exit(2)
    except KeyboardInterrupt:
        sys.exit(130)
    except BrokenPipeError:
        # The reader of our output went away; nothing is left to say to it.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(1)
    except OSError as trouble:
        named = one_line(Path(os.fsdecode(trouble.filename)).name)[:80] if trouble.filename else "A file"
        print(f"{named} can't be used: {trouble.strerror or trouble}.", file=sys.stderr)
        sys.exit(2)
    except Exception as fault:
        # Of the program itself: a sentence for who typed, the rest for who asks with --verbose.
        logging.getLogger("tensimeter").debug("a command failed", exc_info=True)
        told = " ".join(f"{type(fault).__name__}: {fault}".split())[:200]
        print(
            f"Internal error ({told}). What was kept before is kept; the same command with --verbose shows "
            "where it happened.",
            file=sys.stderr,
        )
        sys.exit(2)
