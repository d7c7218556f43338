"""`-` for standard input and output, and how much is told beside the answer."""

import contextlib
import logging
import shutil
import sys
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path

from tensimeter.core.errors import UserError, one_line

#: What is read of standard input at the most, bytes: no log that a command takes is larger.
MOST_BYTES = 2_000_000_000
#: Options behind which a file is written, and the kind of file that `-` is where nothing else is said.
_WRITTEN = {"-o": "", "--output": "", "--table": ".csv", "--curve": ".h"}
_KINDS = {"report": ".html", "plate": ".svg", "template": ".svg"}

_quiet = False


def be_quiet(quiet: bool) -> None:
    """Say nothing that was not asked for: errors and answers alone."""
    global _quiet
    _quiet = quiet


def be_verbose() -> None:
    """Tell on standard error what is done meanwhile."""
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(logging.Formatter("%(name)s: %(message)s"))
    # What other packages tell of themselves is for their own makers.
    told = logging.getLogger("tensimeter")
    told.handlers, told.propagate = [handler], False
    told.setLevel(logging.DEBUG)


def say(text: str) -> None:
    """What was done, in words, unless one wants it quiet."""
    if not _quiet:
        print("\n".join(one_line(line) for line in text.splitlines()))


@contextlib.contextmanager
def streamed(words: Sequence[str]) -> Iterator[list[str]]:
    """The words of a command with files where `-` stands; what is written there goes to standard output.

    A figure below zero is no `-`; one `-` is read, or written, and no more. UserError for more.
    """
    places = [k for k, word in enumerate(words) if word == "-" or word.startswith("-.")]
    places = [k for k in places if words[k] == "-" or (k and words[k - 1] in _WRITTEN)]
    if not places:
        yield list(words)
        return
    out = [k for k in places if k and words[k - 1] in _WRITTEN]
    into = [k for k in places if k not in out]
    if len(out) > 1 or len(into) > 1:
        raise UserError("“-” stands for one file that is read and one that is written; name the others.")
    with tempfile.TemporaryDirectory(prefix="tensimeter-") as folder:
        found = list(words)
        if into:
            found[into[0]] = str(_taken(Path(folder) / "standard-input"))
        if out:
            kind = words[out[0]][1:] or _WRITTEN[words[out[0] - 1]] or _KINDS.get(words[0], "")
            found[out[0]] = str(Path(folder) / f"standard-output{kind}")
        # Where a file goes to standard output nothing else may: what is answered goes beside it.
        ended: SystemExit | None = None
        with contextlib.redirect_stdout(sys.stderr if out else sys.stdout):
            try:
                yield found
            except SystemExit as exit_:
                # So a command ends, well or not.
                ended = exit_
        if out and (ended is None or not ended.code):
            _sent(Path(found[out[0]]))
        if ended is not None:
            raise ended


def _sent(made: Path) -> None:
    if made.is_file():
        sys.stdout.flush()
        with made.open("rb") as file:
            shutil.copyfileobj(file, sys.stdout.buffer)
        sys.stdout.flush()


def _taken(path: Path) -> Path:
    """Standard input as a file, so that it can be read as often as is wanted."""
    left = MOST_BYTES
    with path.open("wb") as file:
        while chunk := sys.stdin.buffer.read(min(1 << 20, left + 1)):
            left -= len(chunk)
            if left < 0:
                raise UserError("Standard input is too long to be a log; nothing was read.")
            file.write(chunk)
    # A waveform tells its kind by how it begins.
    with path.open("rb") as file:
        kind = ".npy" if file.read(6) == b"\x93NUMPY" else ".csv"
    return path.rename(path.with_suffix(kind))
