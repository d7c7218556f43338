"""The drill table of a face as a file."""

from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.core.model.faces import FaceRecord
from tensimeter.core.plate.drilling import as_table


def write_table(face: FaceRecord, path: Path) -> None:
    """Write the drill table as .csv; UserError for another ending, and where it can't be written."""
    if path.suffix.casefold() != ".csv":
        raise UserError(f"{path.name}: a drill table is written as .csv.")
    try:
        path.write_text(as_table(face), encoding="utf-8")
    except OSError as error:
        raise UserError(f"{path} can't be written: {error.strerror}.") from error
