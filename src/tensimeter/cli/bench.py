"""Commands about instruments: try a profile, see who answers."""

from pathlib import Path
from typing import Annotated

import typer

from tensimeter.bench.finding import found_instruments
from tensimeter.bench.profile import load_profile
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.trying import tried_at
from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.core.errors import UserError


@app.command("check-profile")
def check_profile(
    profile: Annotated[str, typer.Argument(help="A shipped profile's name, or the path of your own.")],
    resource: Annotated[str, typer.Argument(help="Where the instrument is: TCPIP::…::SOCKET, ASRL…")],
    json: Json = False,
) -> None:
    """Try each command of a profile on an instrument and show its answer; nothing is switched on."""
    wanted = load_profile(profile)
    try:
        rows = tried_at(resource, wanted, resource)
    except LinkFailed as failed:
        raise UserError(str(failed)) from failed
    bad = [row for row in rows if row.fits is False]
    table = [
        {
            "command": row.command,
            "sent": row.sent,
            "answer": row.answer,
            "fits": {True: "yes", False: "no", None: "not tried"}[row.fits],
            "remark": row.remark,
            "raw": "  ".join(f"{'→' if said.sent else '←'} {said}" for said in row.raw)[:400],
        }
        for row in rows
    ]
    words = f"{len(bad)} of {len(rows)} commands do not fit" if bad else "every command that was tried fits"
    answer({"role": wanted.role, "commands": table, "result": words}, json)
    if bad:
        raise typer.Exit(1)


@app.command("instruments")
def instruments(
    at: Annotated[list[str], typer.Option("--at", help="Also ask this resource or HOST:PORT.")] = [],  # noqa: B006
    bench: Annotated[Path | None, typer.Option(help="Also ask what a bench file names.")] = None,
    json: Json = False,
) -> None:
    """See which instruments answer; they are asked who they are and nothing else."""
    rows = [
        {"resource": f.resource, "answer": f.answer, "remark": f.remark} for f in found_instruments(at, bench)
    ]
    answer({"instruments": rows, "warnings": [] if rows else ["Nothing was found to ask."]}, json)
