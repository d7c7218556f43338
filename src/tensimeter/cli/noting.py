"""What was written out of a job, noted in its own logbook."""

from pathlib import Path

from tensimeter.cli.streams import say
from tensimeter.core.errors import UserError
from tensimeter.store.jobfile import JobFile


def note_export(job: Path, words: str) -> None:
    """Write into a job's logbook what was exported of it; where that can't be, it is said and nothing else.

    A file of an older format is left as it is: to read it out must not bring it up.
    """
    try:
        with JobFile(job, read_only=True) as file:
            if not file.is_of_this_format:
                return
        with JobFile(job) as file:
            file.log("export", words)
    except UserError as trouble:
        say(f"Not noted in the logbook: {trouble}")
