"""Photos, manuals and drawings kept in the job file with what they belong to."""

from pathlib import Path

from msgspec import Struct

from tensimeter.core.errors import UserError
from tensimeter.store.jobfile import JobFile
from tensimeter.store.regular import read_regular

#: Largest file that is taken in.
MOST_BYTES = 25_000_000
#: How a file that can be shown begins.
_SIGNATURES = {b"\x89PNG\r\n\x1a\n": "image/png", b"\xff\xd8\xff": "image/jpeg", b"%PDF-": "application/pdf"}
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
    """Take a photo or a PDF into the job; UserError for anything else, or where it can't be read."""
    data = read_regular(path, MOST_BYTES)
    media = next((m for start, m in _SIGNATURES.items() if data.startswith(start)), None)
    if media is None:
        raise UserError(f"{path.name} is no PNG, JPEG or PDF; nothing was taken in.")
    return file.add_attachment(subject, path.name, media, data)


def attachments(file: JobFile, subject: str = "") -> list[Attachment]:
    """What belongs to a subject (all for none) and was not taken away again, in the order taken in."""
    return [Attachment(*row) for row in file.attachment_rows(subject)]
