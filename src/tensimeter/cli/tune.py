"""tensimeter tune: what readings tell of displays, for scripts and headless machines."""

from pathlib import Path
from typing import Annotated

import typer

from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.core.analysis.comparison import correction
from tensimeter.core.errors import UserError
from tensimeter.core.testplan.meter_checks import MeterCheck, meter_checks
from tensimeter.store.jobfile import JobFile


@app.command("tune")
def tune_job(
    job: Path, view: Annotated[str, typer.Argument(help="meters")] = "meters", json: Json = False
) -> None:
    """What readings of a job tell of its displays: gain, offset, errors before and after."""
    if view != "meters":
        raise UserError(f"“{view}” is no view of tune; there is: meters.")
    with JobFile(job, read_only=True) as file:
        checks = meter_checks(file.job, file.readings())
    answer({"meters": [_told(check) for check in checks]}, json)


def _told(check: MeterCheck) -> dict[str, object]:
    found = check.found
    told: dict[str, object] = {
        "place": check.place,
        "output": check.output,
        "unit": check.unit,
        "readings": len(check.pairs),
        "pretended": check.pretended,
    }
    if found is None:
        return {**told, "warnings": [check.said]}
    return {
        **told,
        "gain": found.gain,
        "offset": found.offset,
        "worst_error_before": found.worst_before,
        "worst_error_after": found.worst_after,
        "residual_rms": found.residual_rms,
        "floor": found.floor,
        "curvature": found.curvature,
        "hysteresis": found.hysteresis,
        "odd_point": None if found.odd_one is None else found.odd_one + 1,
        "error_left": {lets: correction(found, lets).left for lets in ("both", "gain", "offset")},
        "next_points": list(check.points),
        "warnings": list(found.warnings),
    }
