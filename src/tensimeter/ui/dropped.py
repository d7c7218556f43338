"""A file that is dropped on a job's window: jobs open, logs are taken in, photos go to what is in hand."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QMimeData

from tensimeter.ui.parts.words import tr

if TYPE_CHECKING:
    from tensimeter.ui.window import MainWindow

_PHOTOS = frozenset((".png", ".jpg", ".jpeg", ".pdf"))


def paths_in(mime: QMimeData | None) -> list[Path]:
    """The files of this machine that are dragged."""
    return [Path(url.toLocalFile()) for url in (mime.urls() if mime else []) if url.isLocalFile()]


def take(window: "MainWindow", path: Path) -> None:
    """Do with a file what its kind asks for; a sentence where nothing can be done."""
    kind = path.suffix.lower()
    if kind == ".tensi":
        window.job_wanted.emit(str(path))
    elif kind in _PHOTOS:
        _photo(window, path)
    else:
        window.stage("prove").campaign.take_in(path)


def _photo(window: "MainWindow", path: Path) -> None:
    from tensimeter.core.errors import UserError
    from tensimeter.report.annex import SHEET_PHOTOS
    from tensimeter.store.attachments import attach

    session = window.session
    link = next((x for x in session.job.design.links if x.id == session.subject), None)
    part = getattr(link, "part", None)
    subject, name = (
        (f"part:{part}", link.name) if part and link is not None else (SHEET_PHOTOS, "the data sheet")
    )
    try:
        attach(session.file, subject, path)
    except UserError as trouble:
        window.line.say(str(trouble))
        return
    session.say(tr("{0} is kept with {1}.").format(path.name, name))
    session.readings_changed.emit()
