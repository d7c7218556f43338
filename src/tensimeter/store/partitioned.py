"""Readings as Parquet, parted by job, run and channel, for whoever lays many evenings beside one another."""

import json
import math
import re
from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.store.jobfile import JobFile


def word_of(text: str) -> str:
    """A name as a folder of a partition: plain letters, figures and strokes."""
    return re.sub(r"[^a-z0-9]+", "-", text.casefold()).strip("-") or "unnamed"


def export_partitioned(file: JobFile, folder: Path) -> int:
    """Write every reading that counts to `job=…/run=…/channel=…/*.parquet`; how many rows.

    A channel is a place and what was read there. UserError where the folder holds something of this job.
    """
    import pyarrow as pa
    import pyarrow.dataset

    readings = file.readings()
    job = word_of(file.job.name)
    if (folder / f"job={job}").exists():
        raise UserError(f"{folder} has readings of {file.job.name} already; nothing was written.")
    if not readings:
        raise UserError(f"{file.path.name} has no readings yet; nothing was written.")
    table = pa.table(
        {
            "job": [job] * len(readings),
            "run": [r.run or 0 for r in readings],
            "channel": [f"{word_of(r.place)}-{r.quantity}" for r in readings],
            "id": [r.id for r in readings],
            "scan": [r.scan for r in readings],
            "at": [r.at for r in readings],
            "place": [r.place for r in readings],
            "quantity": [r.quantity for r in readings],
            "value": [r.value for r in readings],
            "over_range": [math.isinf(r.value) for r in readings],
            "instrument": [r.instrument for r in readings],
            "accuracy": [json.dumps(r.accuracy.model_dump()) if r.accuracy else "" for r in readings],
            "origin": [r.origin for r in readings],
            "test": [r.test or "" for r in readings],
            "step": pa.array([r.step for r in readings], pa.int64()),
            "note": [r.note for r in readings],
        }
    )
    parts = pa.dataset.partitioning(
        pa.schema([("job", pa.string()), ("run", pa.int64()), ("channel", pa.string())]), flavor="hive"
    )
    try:
        folder.mkdir(parents=True, exist_ok=True)
        pa.dataset.write_dataset(
            table, folder, format="parquet", partitioning=parts, max_partitions=10_000,
            existing_data_behavior="overwrite_or_ignore",
        )  # fmt: skip
    except OSError as error:
        raise UserError(f"{folder} can't be written: {error.strerror}. The job file is untouched.") from error
    return len(readings)
