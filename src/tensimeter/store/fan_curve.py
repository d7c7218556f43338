"""A fan's curve as a file that a controller is given: a table, or a plain C array."""

from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.core.tuning.fan_plan import FanPlan
from tensimeter.core.tuning.fan_words import as_c, as_csv

#: What a file's ending asks for.
WRITES = {".csv": as_csv, ".c": as_c, ".h": as_c}


def write_curve(plan: FanPlan, path: Path) -> None:
    """Write the curve; UserError for another ending, without a curve, or where it can't be written."""
    write = WRITES.get(path.suffix.casefold())
    if write is None:
        raise UserError(f"A curve is written as {', '.join(WRITES)}; “{path.name}” is none of these.")
    if not plan.curve:
        raise UserError("The fan need not turn: there is no curve to be written.")
    try:
        path.write_text(write(plan), encoding="utf-8")
    except OSError as error:
        raise UserError(f"{path} could not be written ({error.strerror}); nothing was changed.") from error
