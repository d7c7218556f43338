"""What a data sheet says besides its tests: runs that did not end well, what was changed, photos."""

import base64
import time

from tensimeter.core.testplan.registry import KINDS
from tensimeter.store.attachments import attachments
from tensimeter.store.jobfile import JobFile

#: What photos that are printed on the sheet belong to, and how many at the most.
SHEET_PHOTOS, MOST_PHOTOS = "sheet", 6


def unfinished_runs(file: JobFile) -> tuple[tuple[str, str, str], ...]:
    """When, of which test, and how it ended: every run that was not taken to its end."""
    job = file.job
    names = {t.id: f"{KINDS[t.kind].name}, {job.output(t.output).name}" for t in job.campaign.tests}
    return tuple(
        (_moment(run.at), names.get(run.test, run.test), run.sentence or run.ended or "never ended")
        for run in file.runs()
        if run.ended != "complete"
    )


def changes_made(file: JobFile) -> tuple[tuple[str, str], ...]:
    """What was changed on a part between the runs of a soak: its name, and what it was."""
    job = file.job
    links = {link.id: link.name for link in job.design.links}
    return tuple(
        (links.get(c.link, c.link), f"{c.what}, after run {c.after_run}" if c.after_run else c.what)
        for test in job.campaign.tests
        for c in test.changes_made
    )


def photos(file: JobFile) -> tuple[tuple[str, str], ...]:
    """Photos that were chosen for the sheet: name and data address, so that it needs nothing else."""
    chosen = [a for a in attachments(file, SHEET_PHOTOS) if a.is_photo][:MOST_PHOTOS]
    return tuple(
        (a.name, f"data:{a.media};base64,{base64.b64encode(file.blob('attachment', a.id)).decode()}")
        for a in chosen
    )


def _moment(at: float) -> str:
    return time.strftime("%Y-%m-%d %H:%M", time.localtime(at))
