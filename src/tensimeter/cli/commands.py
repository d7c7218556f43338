"""The command that all others are added to."""

from typing import Annotated

import typer

from tensimeter.cli.streams import be_quiet, be_verbose

app = typer.Typer(
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
)


@app.callback()
def heard(
    quiet: Annotated[bool, typer.Option("--quiet", "-q", help="Answers and errors alone.")] = False,
    verbose: Annotated[
        bool, typer.Option("--verbose", help="What is done meanwhile, on standard error.")
    ] = False,
) -> None:
    """Proves what a home-made bench power supply really delivers.

    “-” is standard input where a log is read, and standard output behind -o: -o -.pdf says of which kind.
    """
    be_quiet(quiet)
    if verbose:
        be_verbose()
