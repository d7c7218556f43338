"""tensimeter install-desktop: the program in the menu, its file type, man page and completion."""

import os
import shutil
import sys
from pathlib import Path
from typing import Annotated, Any

import typer
from typer._completion_shared import get_completion_script

from tensimeter import __version__
from tensimeter.cli.commands import app
from tensimeter.cli.streams import say
from tensimeter.store import desktop

#: A command as the library that reads them has it; its own type is not for others.
TyperCommand = Any
#: Who completes asks by this, as the shell's script sets it.
ASKED = "_TENSIMETER_COMPLETE"


@app.command("install-desktop")
def install_desktop(
    remove: Annotated[bool, typer.Option("--remove", help="Take all of it away again.")] = False,
) -> None:
    """Put the program into the menu, with file type, man page and completion; in the user's own folders."""
    data = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local/share")
    command = shutil.which("tensimeter") or str(Path(sys.argv[0]).resolve())
    root = typer.main.get_command(app)
    wanted = desktop.files(
        command,
        {
            "man/man1/tensimeter.1": man_page(root),
            "bash-completion/completions/tensimeter": completion("bash"),
            "zsh/site-functions/_tensimeter": completion("zsh"),
            "fish/vendor_completions.d/tensimeter.fish": completion("fish"),
        },
    )
    if remove:
        gone = desktop.remove(data, wanted)
        say(f"{len(gone)} files taken away." if gone else "Nothing of it was there.")
        return
    for path in desktop.install(data, wanted):
        say(str(path))
    say("Tensimeter is in the menu and opens .tensi files; --remove takes all of it away again.")


def completion(shell: str) -> str:
    """The shell's script that asks the program what may follow."""
    return get_completion_script(prog_name="tensimeter", complete_var=ASKED, shell=shell) + "\n"


def man_page(root: TyperCommand) -> str:
    """All commands' own help as one page of the manual, section 1."""
    lines = [
        f'.TH TENSIMETER 1 "" "tensimeter {__version__}" "User Commands"',
        ".SH NAME",
        "tensimeter \\- proves what a home\\-made bench power supply really delivers",
        ".SH SYNOPSIS",
        ".B tensimeter\n[\\fIJOB\\fR]",
        ".br",
        ".B tensimeter\n\\fICOMMAND\\fR [\\fIARGUMENTS\\fR]",
        ".SH DESCRIPTION",
        "Without a command it opens the window, with the job file that is named or with the first page.",
        ".SH COMMANDS",
    ]
    for path, command in _walk(root, ()):
        lines += _command(path, command)
    lines += [
        ".SH EXIT STATUS",
        "0 when it was computed, 1 where a verdict that was required is not there, 2 for bad input.",
        ".SH FILES",
        "A .tensi file is a job: an SQLite database that is only ever added to.",
    ]
    return "\n".join(lines) + "\n"


def _walk(command: TyperCommand, path: tuple[str, ...]) -> list[tuple[tuple[str, ...], TyperCommand]]:
    found: list[tuple[tuple[str, ...], TyperCommand]] = []
    for name, inner in sorted(getattr(command, "commands", {}).items()):
        here = (*path, name)
        found += _walk(inner, here) if getattr(inner, "commands", None) else [(here, inner)]
    return found


def _command(path: tuple[str, ...], command: TyperCommand) -> list[str]:
    arguments = [p for p in command.params if p.param_type_name == "argument"]
    named = " ".join(f"\\fI{_roff((p.metavar or p.name or '').upper())}\\fR" for p in arguments)
    lines = [f".SS {_roff(' '.join(path))} {named}".rstrip(), _roff(command.help or "")]
    for option in command.params:
        if option.param_type_name == "option" and not getattr(option, "hidden", False):
            lines += [
                ".TP",
                f"\\fB{_roff(', '.join(option.opts))}\\fR",
                _roff(getattr(option, "help", None) or ""),
            ]
    return lines


def _roff(text: str) -> str:
    """Text that the formatter takes as it stands."""
    flat = " ".join(text.split()).replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{flat}" if flat[:1] in (".", "'") else flat
