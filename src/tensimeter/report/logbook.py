"""The logbook as Markdown: what was done, day by day."""

import time
from collections.abc import Iterable

from tensimeter.core.plain_text import in_markdown
from tensimeter.store.entries import LogEntry


def as_markdown(name: str, entries: Iterable[LogEntry]) -> str:
    """A heading, then a line for each entry under its day.

    >>> print(as_markdown("Pier", [LogEntry(0.0, "remark", "warm *case*")]).splitlines()[0])
    # Pier, logbook
    """
    lines, day = [f"# {in_markdown(name)}, logbook"], ""
    for entry in entries:
        at = time.localtime(entry.at)
        now = time.strftime("%Y-%m-%d", at)
        if now != day:
            lines += ["", f"## {now}", ""]
            day = now
        lines.append(f"- {time.strftime('%H:%M:%S', at)} *{entry.kind}* {in_markdown(entry.text)}")
    return "\n".join(lines)
