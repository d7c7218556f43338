"""Whether a window can be shown."""

import os


def has_display() -> bool:
    """Whether a window can be shown."""
    chosen = os.environ.get("QT_QPA_PLATFORM", "")
    if chosen:
        return chosen not in ("offscreen", "minimal")
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
