"""Photos, manuals and drawings kept in the job file with what they belong to."""

from pathlib import Path

from msgspec import Struct

from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.store.jobfile import JobFile
from tensimeter.store.regular import read_regular

#: Largest file that is taken in.
MOST_BYTES = 25_000_000
#: How a file that can be shown begins.
_SIGNATURES = {b"\x89PNG\r\n\x1a\n": "image/png", b"\xff\xd8\xff": "image/jpeg", b"%PDF-": "application/pdf"}
#: What belongs to no one thing of a job: its data sheet, the job itself, a view of how it is put together.
OF_THE_JOB = ("sheet", "job", "assembly")
SUFFIXES = {"image/png": ".png", "image/jpeg": ".jpg", "application/pdf": ".pdf"}


class Attachment(Struct, frozen=True):
    """One file: what it belongs to (such as `part:enclosed-a`), its name, its kind."""

    id: int
    at: float
    subject: str
    name: str
    media: str

    @property
    def is_photo(self) -> bool:
        return self.media.startswith("image/")


def attach(file: JobFile, subject: str, path: Path) -> int:
    """Take a photo or a PDF into the job; UserError for anything else, or where it can't be read.

    `subject` is what it belongs to: `sheet`, or a thing of this job such as `part:enclosed-a`.
    """
    data = read_regular(path, MOST_BYTES)
    _must_be_there(file.job, subject)
    media = next((m for start, m in _SIGNATURES.items() if data.startswith(start)), None)
    if media is None:
        raise UserError(f"{path.name} is no PNG, JPEG or PDF; nothing was taken in.")
    return file.add_attachment(subject, path.name, media, data)


def _must_be_there(job: Job, subject: str) -> None:
    """Refuse what would belong to nothing: nobody would find it again."""
    kind, _, of = subject.partition(":")
    there = {
        "part": {*(p.id for p in job.stock), *(link.id for link in job.design.links)},
        "face": {face.id for face in job.plate.faces},
    }
    if kind in there and of not in there[kind]:
        raise UserError(f"There is no {kind} “{of}” in this job; nothing was taken in.")
    if kind not in {*there, *OF_THE_JOB}:
        raise UserError(f"“{subject}” is nothing that a photo can belong to; nothing was taken in.")


def attachments(file: JobFile, subject: str = "") -> list[Attachment]:
    """What belongs to a subject (all for none) and was not taken away again, in the order taken in."""
    return [Attachment(*row) for row in file.attachment_rows(subject)]
