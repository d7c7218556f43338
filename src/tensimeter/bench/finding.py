"""Who answers: ports and addresses asked for their identity, and nothing else."""

import contextlib
import re
from collections.abc import Iterable, Iterator
from pathlib import Path

from msgspec import Struct

from tensimeter.bench.link import listed
from tensimeter.bench.profile import Profile
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.setup import read_bench_file
from tensimeter.bench.visa import VisaInstrument

_ASK = Profile(role="hands", timeout_s=0.7, commands={"identify": "*IDN?"})


class Found(Struct, frozen=True):
    """One place that was asked: its resource, what it answered, or why it did not."""

    resource: str
    answer: str
    remark: str = ""


def resource_of(text: str) -> str:
    """A VISA resource from what was typed: `127.0.0.1:5025` is a socket, `/dev/ttyUSB0` a serial port."""
    plain = text.strip()
    host = re.fullmatch(r"([A-Za-z0-9.\-]+):(\d{1,5})", plain)
    if host:
        return f"TCPIP::{host[1]}::{host[2]}::SOCKET"
    return f"ASRL{plain}::INSTR" if plain.startswith("/dev/") else plain


def found_instruments(extra: Iterable[str] = (), bench_file: Path | None = None) -> Iterator[Found]:
    """Ask every port that is known, what was typed, and what a bench file names.

    Nothing but `*IDN?` is sent. UserError where the bench file can't be read.
    """
    places = [*listed(), *(resource_of(text) for text in extra if text.strip())]
    if bench_file is not None:
        places += [r for r in read_bench_file(bench_file).resources.values() if not r.startswith("replay:")]
    for resource in dict.fromkeys(places):
        try:
            instrument = VisaInstrument(resource, _ASK, resource)
        except LinkFailed as failed:
            yield Found(resource, "", str(failed))
            continue
        try:
            yield Found(resource, instrument.identity())
        except LinkFailed as failed:
            yield Found(resource, "", str(failed).removeprefix(f"{resource}: "))
        finally:
            with contextlib.suppress(LinkFailed):
                instrument.close()
