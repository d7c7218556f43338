"""Reading a long log, against pyarrow's own reader; and the memory that it takes."""

import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv

from benchmarks.measure import Row, in_turns
from tensimeter.store.logs import read_log

_HEADERS = ("time [s]", "voltage [V]", "current [A]", "temp sink [degC]", "set [A]")
_MEMORY = """
import re, sys
from pathlib import Path
from tensimeter.store.logs import read_log
import pyarrow.csv

def kilobytes(name):
    return int(re.search(name + r":\\s+(\\d+)", Path("/proc/self/status").read_text()).group(1))

before = kilobytes("VmRSS")
log = read_log(Path(sys.argv[1]))
print((kilobytes("VmRSS") - before) * 1024 / sum(c.nbytes for c in log.columns.values()))
"""


def _write(path: Path, rows: int) -> None:
    rng = np.random.default_rng(1)
    columns = [np.arange(rows) * 0.1, *rng.normal(13.5, 0.01, (4, rows)).round(4)]
    pa.csv.write_csv(pa.table(dict(zip(_HEADERS, columns, strict=True))), path)


def rows() -> list[Row]:
    found = []
    with tempfile.TemporaryDirectory() as scratch:
        for count in (100_000, 1_000_000):
            path = Path(scratch) / f"{count}.csv"
            _write(path, count)
            times = in_turns(lambda p=path: read_log(p), lambda p=path: pa.csv.read_csv(p), 5)
            found.append(Row("reading a 5-column log", f"{count} rows", *times, 1.5))
        held = subprocess.run([sys.executable, "-c", _MEMORY, str(path)], capture_output=True, text=True)
    found.append(
        Row(
            "memory with a log open, over its arrays",
            "1000000 rows",
            float(held.stdout or "nan"),
            1.0,
            3.0,
            plain=True,
        )
    )
    return found
