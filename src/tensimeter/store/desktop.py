"""The program among the others of a desktop: its entry, icon, file type, man page and completion.

Everything goes into the user's own folders and comes out of them again.
"""

import shutil
import subprocess
from collections.abc import Mapping
from importlib import resources
from pathlib import Path

from tensimeter.core.errors import UserError

#: By it a desktop knows the window, the entry and the icon to be of one program.
APP_ID = "org.tensimeter.Tensimeter"
MIME_TYPE = "application/x-tensimeter-job"


def asset(name: str) -> str:
    """One of the shipped files, as text."""
    return resources.files("tensimeter.assets").joinpath("desktop", name).read_text(encoding="utf-8")


def files(command: str, generated: Mapping[str, str]) -> dict[str, str]:
    """What is installed, by its path below the user's data folder; `command` starts the program."""
    # A space or a quote in a path has to be quoted for the entry's own rules.
    quoted = '"' + command.replace("\\", "\\\\").replace('"', '\\"') + '"' if " " in command else command
    return {
        f"applications/{APP_ID}.desktop": asset(f"{APP_ID}.desktop.txt").replace("{exec}", quoted),
        f"icons/hicolor/scalable/apps/{APP_ID}.svg": asset(f"{APP_ID}.svg"),
        "mime/packages/tensimeter.xml": asset("tensimeter-mime.xml"),
        f"metainfo/{APP_ID}.metainfo.xml": asset(f"{APP_ID}.metainfo.xml"),
        **generated,
    }


def install(data: Path, wanted: Mapping[str, str]) -> list[Path]:
    """Write the files below a data folder; UserError where that can't be, what was written stays told."""
    written: list[Path] = []
    for name, text in wanted.items():
        path = data / name
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
        except OSError as error:
            raise UserError(
                f"{path} can't be written: {error.strerror}. {len(written)} files stand."
            ) from error
        written.append(path)
    _refresh(data)
    return written


def remove(data: Path, wanted: Mapping[str, str]) -> list[Path]:
    """Take the files away again, and nothing else."""
    gone = []
    for name in wanted:
        path = data / name
        if path.exists():
            try:
                path.unlink()
            except OSError as error:
                raise UserError(f"{path} can't be taken away: {error.strerror}.") from error
            gone.append(path)
    _refresh(data)
    return gone


def _refresh(data: Path) -> None:
    """Have the desktop's own tools look again, where they are there."""
    for tool, folder in (
        ("update-desktop-database", "applications"), ("update-mime-database", "mime"),
        ("gtk-update-icon-cache", "icons/hicolor"),
    ):  # fmt: skip
        found = shutil.which(tool)
        if found and (data / folder).is_dir():
            quiet = ["-q", "-t"] if tool.startswith("gtk") else []
            subprocess.run([found, *quiet, str(data / folder)], capture_output=True, check=False, timeout=60)
