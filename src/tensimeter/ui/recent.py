"""The jobs opened lately, kept in the user's data directory."""

import json
from pathlib import Path

from platformdirs import user_data_path


def _recent_path() -> Path:
    return user_data_path("tensimeter") / "recent.json"


def recent() -> list[Path]:
    """Jobs opened lately that are still there, the newest first."""
    try:
        found = json.loads(_recent_path().read_text())
        return [Path(p) for p in found if isinstance(p, str) and Path(p).is_file()]
    except (OSError, ValueError, TypeError):
        return []


def remember(path: Path) -> None:
    """Put a job on top of the recent ones; a list that can't be kept is no reason to stop."""
    paths = [str(path.resolve()), *(str(p) for p in recent() if p != path.resolve())]
    try:
        _recent_path().parent.mkdir(parents=True, exist_ok=True)
        _recent_path().write_text(json.dumps(paths[:12]))
    except OSError:
        return
