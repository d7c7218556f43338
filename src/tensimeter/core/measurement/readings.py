"""Readings as facts: what was read, with what, and how it got in."""

import math
from collections.abc import Callable, Iterable, Sequence
from functools import cached_property
from operator import attrgetter
from typing import Literal, NamedTuple, get_args

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.measurement.conformity import Accuracy, Interval

Measurand = Literal["V", "A", "C", "ohm", "W", "s", "Vpp", "dB", "turn", "rpm", "Ah", "Wh", "H", "F", "event"]
Origin = Literal["typed", "file", "instrument", "simulated", "practice"]
#: The range of amps that nobody read: they are what the load was set to.
AS_SET = "as set"
#: The range of what nobody read: a person said that it is so.
AS_SAID = "as said"
#: Events after which an output no longer gave what it was loaded with; and others that are told.
FAILED_BY: frozenset[str] = frozenset(("died", "smoke", "cut", "tripped"))
#: Of those, the ones after which nothing flows any more.
ENDED_BY: frozenset[str] = FAILED_BY - {"smoke"}
EVENTS: frozenset[str] = FAILED_BY | {"restarted", "recovered", "fan on", "fan off"}
#: How the range of what a meter said by its tone alone is kept.
HEARD = "heard"
#: Where the seconds since the load began are filed, where somebody said them.
CLOCK = "clock"
#: How a run ends: all steps taken; a limit was crossed; somebody dropped the load; an instrument, a link or
#: the supply gave up; the program itself did.
RunEnd = Literal["complete", "protected", "aborted", "fault", "bug"]
RUN_ENDS: frozenset[str] = frozenset(get_args(RunEnd))
#: Where a reading is of nothing real: from simulated instruments, or from the practice supply.
PRETENDED: frozenset[str] = frozenset(("simulated", "practice"))
#: How that is said beside a figure.
PRETENDED_WORDS = {"simulated": "simulated, proves nothing", "practice": "practice, proves nothing"}


class Reading(NamedTuple):
    """One fact. `scan` joins what was read at the same moment; `value` is inf for over range.

    `at` is in seconds since 1970; `corrects` names the reading that this one replaces.
    """

    scan: int
    at: float
    place: str
    quantity: Measurand
    value: float
    instrument: str
    accuracy: Accuracy | None
    wiring: Literal["two-wire", "four-wire"]
    origin: Origin
    range: str = ""
    test: str | None = None
    step: int | None = None
    run: int | None = None
    note: str = ""
    corrects: int | None = None
    id: int | None = None
    #: Which state of the supply it is of; see `core.model.states`.
    state: int = 1

    @property
    def known(self) -> Literal["read", "said", "set"]:
        """How it is known: read off something, said by a person, or set at an instrument that answered."""
        return "said" if self.range == AS_SAID else "set" if self.range == AS_SET else "read"


class Wave(Struct, frozen=True, eq=False, dict=True):
    """One waveform as a fact: volts at an even rate; `start_s` is the first sample's time from its event.

    The samples are fetched when they are first asked for.
    """

    id: int
    at: float
    place: str
    rate_Hz: float
    start_s: float
    samples: int
    instrument: str
    origin: Origin
    test: str | None
    step: int | None
    run: int | None
    note: str
    fetch: Callable[[], Array]

    @cached_property
    def volts(self) -> Array:
        """Samples, V, read when they are asked for."""
        return self.fetch()

    @property
    def time_s(self) -> Array:
        """Seconds from the event (n,)."""
        return self.start_s + np.arange(self.samples) / self.rate_Hz


#: Accuracy of a meter that nothing is known of; said wherever it is used.
UNKNOWN_METER = "0.5%+2"


def resolution_of(text: str) -> float:
    """Value of the last digit typed: 0.01 for `13.58`; exponents and prefixes are not followed."""
    digits = text.strip().lstrip("+-").replace(",", ".")
    number = "".join(c for c in digits if c.isdigit() or c == ".")
    decimals = len(number.split(".")[1]) if "." in number else 0
    return float(10.0**-decimals)


def real_ones(readings: Iterable[Reading]) -> list[Reading]:
    """The readings of something real; what was simulated or practised proves nothing."""
    return [r for r in readings if r.origin not in PRETENDED]


def interval_of(reading: Reading, extra: Sequence[float] = ()) -> Interval | None:
    """A reading with its 95 % interval; None for a value over range or without accuracy."""
    if not math.isfinite(reading.value) or reading.accuracy is None:
        return None
    half = reading.accuracy.half_width(reading.value, extra)
    return Interval(reading.value, reading.value - half, reading.value + half)


def standing(readings: Iterable[Reading]) -> list[Reading]:
    """The readings that count: those that no later one corrects."""
    kept = list(readings)
    replaced = set(map(attrgetter("corrects"), kept)) - {None}
    return [r for r in kept if r.id not in replaced] if replaced else kept


def counting(readings: Iterable[Reading]) -> list[Reading]:
    """The readings that count where the newest of a place is asked for.

    What was simulated or practised counts only where nothing real was read of that quantity there.
    """
    live = standing(readings)
    origins = set(map(attrgetter("origin"), live))
    if origins.isdisjoint(PRETENDED) or origins <= PRETENDED:
        return live
    real = {(r.place, r.quantity) for r in live if r.origin not in PRETENDED}
    return [r for r in live if r.origin not in PRETENDED or (r.place, r.quantity) not in real]


class VoltsAmps(NamedTuple):
    """Volts and amps read at one moment at one place."""

    volts: Reading
    amps: Reading


def pairs(readings: Iterable[Reading], place: str, test: str | None = None) -> list[VoltsAmps]:
    """Volts and amps of an output by scan, in the order taken; incomplete scans are left out.

    Amps that were read stand before those that were set or said.
    """
    volts: dict[int, Reading] = {}
    amps: dict[int, Reading] = {}
    scans: dict[int, None] = {}
    for r in standing(readings):
        if r.place != place or (test is not None and r.test != test):
            continue
        scans[r.scan] = None
        if r.quantity == "V":
            volts[r.scan] = r
        elif r.quantity == "A" and (r.scan not in amps or r.known == "read" or amps[r.scan].known != "read"):
            amps[r.scan] = r
    return [
        VoltsAmps(v, a)
        for scan in scans
        if (v := volts.get(scan)) is not None
        and (a := amps.get(scan)) is not None
        and math.isfinite(v.value + a.value)
    ]


def amps_by_moment(readings: Iterable[Reading]) -> dict[tuple[int, str], Reading]:
    """The amps of each moment and place; those that were read stand before those that were set or said."""
    found: dict[tuple[int, str], Reading] = {}
    for r in readings:
        key = (r.scan, r.place)
        if r.quantity == "A" and (r.known == "read" or key not in found or found[key].known != "read"):
            found[key] = r
    return found


def thinned(readings: Sequence[Reading], most: int) -> list[Reading]:
    """Every so many scans of each run that has more than `most` of them, its newest always among them.

    For what is shown while a run goes on: verdicts are taken from all readings.
    """
    scans: dict[int, dict[int, None]] = {}
    for r in readings:
        if r.run is not None:
            scans.setdefault(r.run, {})[r.scan] = None
    dropped: set[int] = set()
    for of_run in scans.values():
        each = -(-len(of_run) // most)
        if each > 1:
            ordered = list(of_run)
            kept = {ordered[-1], *ordered[::each]}
            dropped.update(s for s in ordered if s not in kept)
    return [r for r in readings if r.scan not in dropped] if dropped else list(readings)
