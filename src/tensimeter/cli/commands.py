"""The command that all others are added to."""

import typer

app = typer.Typer(
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
    help="Proves what a home-made bench power supply really delivers.",
)
