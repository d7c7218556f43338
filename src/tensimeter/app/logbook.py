"""The logbook of a job as it is looked through: every entry and photo, by words, link, test and kind."""

import re
from collections.abc import Iterable

from msgspec import Struct

from tensimeter.core.model.job import Job
from tensimeter.store.attachments import attachments
from tensimeter.store.entries import LogEntry
from tensimeter.store.jobfile import JobFile

#: Kinds of entry, as they are chosen from.
KINDS = ("edit", "reading", "run", "remark", "export", "photo")
#: So many entries at the most are looked through, the newest.
MOST = 200_000


class Wanted(Struct, frozen=True):
    """What is looked for: words, and what an entry must be about; empty for all."""

    words: str = ""
    kind: str = ""
    link: str = ""
    test: str = ""


class PhotoEntry(LogEntry, frozen=True):
    """A photo as an entry; `attachment` is its id in the job file."""

    attachment: int = 0


def entries_of(file: JobFile) -> list[LogEntry]:
    """Every entry and every photo that was kept, in the order they came."""
    photos = [
        PhotoEntry(a.at, "photo", f"{a.name}, of {a.subject.replace(':', ' ')}", a.id)
        for a in attachments(file)
        if a.is_photo
    ]
    return sorted([*file.logbook(MOST), *photos], key=lambda e: e.at)


def chosen(job: Job, entries: Iterable[LogEntry], wanted: Wanted) -> list[LogEntry]:
    """The entries that are looked for. One is about a link or a test where it names it, by name or by id."""
    patterns = [_named(words) for words in (_of_link(job, wanted.link), _of_test(job, wanted.test)) if words]
    words = wanted.words.casefold().split()
    return [
        e
        for e in entries
        if (not wanted.kind or e.kind == wanted.kind)
        and all(p.search(e.text) for p in patterns)
        and all(word in e.text.casefold() for word in words)
    ]


def _of_link(job: Job, link_id: str) -> list[str]:
    link = next((x for x in job.design.links if x.id == link_id), None)
    if link is None:
        return []
    part = job.part(getattr(link, "part", None))
    return [link.id, link.name, *([part.id] if part is not None else [])]


def _of_test(job: Job, test_id: str) -> list[str]:
    return [t.id for t in job.campaign.tests if t.id == test_id]


def _named(words: list[str]) -> re.Pattern[str]:
    alternatives = "|".join(re.escape(word) for word in sorted(words, key=len, reverse=True))
    return re.compile(rf"(?<![\w-])(?:{alternatives})(?![\w])", re.IGNORECASE)
