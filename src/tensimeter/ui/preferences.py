"""What a user has settled once for all jobs, kept by Qt in the user's own settings."""

import os
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import asdict
from platformdirs import user_documents_path
from PyQt6.QtCore import QLocale, QSettings

from tensimeter.ui.theme import theme

if TYPE_CHECKING:
    from tensimeter.core.model.job import Job

#: The mains that are offered: volts and hertz.
MAINS = ((230.0, 50.0), (240.0, 50.0), (120.0, 60.0), (127.0, 60.0), (100.0, 50.0), (100.0, 60.0))

#: What the environment said before something else was chosen here.
_before: dict[str, str] = {}


class Preferences(Struct, frozen=True):
    """Empty text: as the system has it, or the program's own."""

    decimal_mark: str = ""
    language: str = ""
    mains_V: float = 230.0
    mains_Hz: float = 50.0
    sound: bool = True
    notify: bool = True
    jobs_folder: str = ""
    visa: str = ""

    def apply(self) -> None:
        """Have the program follow them from now on."""
        from tensimeter.bench.link import VISA_VARIABLE
        from tensimeter.core.quantity import use_decimal_mark

        mark = self.decimal_mark or ("," if QLocale.system().decimalPoint() == "," else ".")
        use_decimal_mark(mark)
        theme.sound = self.sound
        if self.visa:
            _before.setdefault(VISA_VARIABLE, os.environ.get(VISA_VARIABLE, ""))
            os.environ[VISA_VARIABLE] = self.visa
        elif VISA_VARIABLE in _before:
            os.environ[VISA_VARIABLE] = _before.pop(VISA_VARIABLE)

    def folder(self) -> Path:
        """Where new jobs are kept."""
        return Path(self.jobs_folder) if self.jobs_folder else user_documents_path() / "Tensimeter"

    def of_new_job(self, job: "Job") -> "Job":
        """A job that is just begun, on the mains of the house."""
        settings = job.settings.model_copy(update={"mains_V": self.mains_V, "mains_Hz": self.mains_Hz})
        return job.model_copy(update={"settings": settings})


def preferences() -> Preferences:
    """What is kept; a value that is none counts as not said."""
    kept, found = QSettings(), {}
    for name, default in asdict(Preferences()).items():
        try:
            found[name] = kept.value(name, default, type(default))
        except (TypeError, ValueError):
            continue
    wanted = Preferences(**found)
    return wanted if wanted.decimal_mark in ("", ".", ",") else Preferences()


def keep_preferences(wanted: Preferences) -> None:
    """Keep them, and follow them at once."""
    kept = QSettings()
    for name, value in asdict(wanted).items():
        kept.setValue(name, value)
    wanted.apply()
