"""What the columns of a kind of log were taken for, kept so that the next one of its kind needs no asking."""

import hashlib
import json
from collections.abc import Mapping, Sequence

from platformdirs import user_data_path

#: So many kinds are remembered, the newest.
MOST_KINDS = 200


def _key(headers: Sequence[str]) -> str:
    return hashlib.sha256("\x1f".join(headers).encode()).hexdigest()[:24]


def _all() -> dict[str, dict[str, str]]:
    try:
        found = json.loads((user_data_path("tensimeter") / "log-shapes.json").read_text())
    except (OSError, ValueError):
        return {}
    return {k: v for k, v in found.items() if isinstance(v, dict)} if isinstance(found, dict) else {}


def remembered_shape(headers: Sequence[str]) -> dict[str, str]:
    """The mapping of a log with such headers; empty where none was kept."""
    return {k: v for k, v in _all().get(_key(headers), {}).items() if isinstance(v, str)}


def remember_shape(headers: Sequence[str], mapping: Mapping[str, str]) -> None:
    """Keep a mapping; where that can't be done the next log is asked about again."""
    kept = _all()
    kept.pop(_key(headers), None)
    kept[_key(headers)] = dict(mapping)
    folder = user_data_path("tensimeter")
    try:
        folder.mkdir(parents=True, exist_ok=True)
        newest = dict(list(kept.items())[-MOST_KINDS:])
        (folder / "log-shapes.json").write_text(json.dumps(newest))
    except OSError:
        return
