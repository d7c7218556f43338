"""The data sheet laid out in a process of its own: python -m tensimeter.report.apart JOB MARK.

Laying out pages is seconds of plain arithmetic; done in a thread of the window's it would take every other
turn from it. What it reads is what was kept, so it needs nothing of the window but the file's path.
"""

import subprocess
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from tensimeter.core.errors import UserError
from tensimeter.core.quantity import localised, use_decimal_mark

if TYPE_CHECKING:
    from tensimeter.store.jobfile import JobFile

#: What the process ends with where a sentence on its error output says why there is no sheet.
TOLD = 3


def begun(path: Path) -> "subprocess.Popen[bytes]":
    """A process that lays out the sheet of a job file, with the decimal mark in use; it prints the PDF."""
    command = [sys.executable, "-m", "tensimeter.report.apart", str(path), localised(".")]
    return subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE)


def ended(process: "subprocess.Popen[bytes]") -> bytes:
    """The PDF once it is there; UserError with its sentence, or with that of a process that broke down."""
    made, said = process.communicate()
    if process.returncode == 0:
        return made
    last = said.decode(errors="replace").strip().rsplit("\n", 1)[-1]
    if process.returncode == TOLD:
        raise UserError(last)
    raise UserError(f"The sheet could not be laid out: {last or 'its process was ended'}.")


def html_of(file: "JobFile") -> bytes:
    """The sheet of a job as HTML."""
    from tensimeter.report.datasheet import html
    from tensimeter.report.sheet import build

    return html(build(file)).encode()


def put(path: Path, data: bytes) -> None:
    """Write a sheet; UserError where it can't be."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    except OSError as error:
        raise UserError(f"{path} can't be written: {error.strerror}.") from error


def main() -> int:
    from tensimeter.report.datasheet import html, pdf
    from tensimeter.report.sheet import build
    from tensimeter.store.jobfile import JobFile

    use_decimal_mark(sys.argv[2])
    try:
        with JobFile(Path(sys.argv[1]), read_only=True) as file:
            made = pdf(html(build(file), printed=True))
    except UserError as trouble:
        print(trouble, file=sys.stderr)
        return TOLD
    sys.stdout.buffer.write(made)
    return 0


if __name__ == "__main__":
    sys.exit(main())
