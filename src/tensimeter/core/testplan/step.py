"""What a test consists of, and what its readings give: steps, plans, findings, outcomes."""

import math
import re
from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import Literal

import numpy as np
from msgspec import Struct

from tensimeter.core.analysis.regulation import Regulation
from tensimeter.core.arrays import Array
from tensimeter.core.circuit.load_line import LoadLine, load_line
from tensimeter.core.derivation import Derivation
from tensimeter.core.electrical.elements import Network
from tensimeter.core.heatup.soak_state import SoakState
from tensimeter.core.measurement.conformity import Band, Interval, Verdict
from tensimeter.core.measurement.readings import Measurand, Reading, VoltsAmps, Wave, interval_of
from tensimeter.core.model.compared_places import set_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import Test
from tensimeter.core.path import OutputLink
from tensimeter.core.rating.ladder import FullLoad

#: Where the watts that a supply takes are read.
WALL = "wall"
#: Where a fan's volts and its loudness are read.
FAN = "fan"
#: Nothing is asked of the volts there; they are read to be told.
OPEN = Band(None, None)
#: approach: ends once the output has left regulation; trace: past the limit, for a short time; watch: several
#: readings soon after one another; back: less is asked again.
Phase = Literal["", "approach", "trace", "watch", "back"]


def panel_of(place: str) -> str:
    """Where the reading of an output's own display is filed, beside the reference."""
    return f"{place}-panel"


def alone_of(place: str) -> str:
    """Where the same display is filed, read with everything but the load taken off the negative."""
    return f"{panel_of(place)}-alone"


def displays_of(place: str) -> tuple[str, str]:
    """Both places where readings of an output's own display are filed."""
    return panel_of(place), alone_of(place)


class Capture(Struct, frozen=True):
    """A waveform to be taken: what sets it off, its length in s, and the share of it before that."""

    event: Literal["none", "load_step", "power_on", "power_off"]
    record_s: float
    before: float = 0.2
    #: The load that is stepped to, A.
    to_A: float | None = None
    #: A hand joins it; it is no load that can be set.
    by_hand: bool = False


class Step(Struct, frozen=True):
    """One point of a test: what to set, what to expect of the volts, what is allowed.

    `place` is the output whose volts are judged (that of the test where empty), `others` what the other
    outputs draw, `ohms` and `watts` a load set as a resistance or a power, `line_V` and `trim_V` where those
    are moved, `also` what is read beside volts and amps, `hand` what only hands can do.
    """

    set_A: float
    prediction: "Prediction | Interval | None"
    allowed: Band
    title: str = ""
    place: str = ""
    others: tuple[tuple[str, float], ...] = ()
    ohms: float | None = None
    watts: float | None = None
    line_V: float | None = None
    trim_V: float | None = None
    also: tuple[tuple[str, Measurand], ...] = ()
    capture: Capture | None = None
    phase: Phase = ""
    exposure_s: float | None = None
    scans: int = 1
    every_s: float = 0.1
    #: The supply is switched off for a while before it.
    reset: bool = False
    #: Read again and again until the volts are down to this.
    until_V: float | None = None
    #: Held loaded for so long, s, read every `every_s`.
    hold_s: float | None = None
    #: What a bare figure typed at it is.
    asks: Measurand = "V"
    #: The supply's protection may take the output away meanwhile.
    may_trip: bool = False
    hand: str = ""
    #: Where it stands among the steps; told by the plan.
    index: int = 0

    @property
    def predicted_V(self) -> Interval | None:
        """Volts that are expected there, by the design with the spread of such builds, or as claimed."""
        return self.prediction.interval if isinstance(self.prediction, Prediction) else self.prediction

    @property
    def past_limits(self) -> bool:
        """Whether it goes where volts and amps are no longer those of normal use."""
        return self.phase in ("trace", "watch", "approach") or self.exposure_s is not None


class Plan(Struct, frozen=True):
    """A test worked out: its steps and what limits it."""

    test: Test
    output: OutputLink
    full_load: FullLoad
    steps: tuple[Step, ...]
    unreachable: tuple[str, ...]
    line: LoadLine | None
    #: °C that a place may get to while a load is held.
    hottest_C: float = 85.0

    @property
    def duration_s(self) -> float:
        """Predicted time in s: the dwell of every step, its record, plus a second each to read."""
        return self.test.rest_s + sum(
            self.test.dwell_s
            + 1.0
            + (s.capture.record_s if s.capture else 0.0)
            + (s.every_s * (s.scans - 1) if s.until_V is None else 0.0)
            + (s.hold_s or 0.0)
            for s in self.steps
        )

    @property
    def energy_J(self) -> float:
        """Energy that goes into the load, J."""
        volts = self.output.nominal_V
        return sum(s.set_A * volts * (self.test.dwell_s + 1.0 + (s.hold_s or 0.0)) for s in self.steps)

    @property
    def most_A(self) -> float:
        """The largest current that a step sets, A."""
        return max((step.set_A for step in self.steps), default=0.0)


class Situation(Struct, frozen=True):
    """What planning a test starts from: the output, its full load, what the loads in stock can sink."""

    job: Job
    output: OutputLink
    full: FullLoad
    most_A: float
    network: Network | None

    @property
    def band(self) -> Band:
        """Within what the output must stay."""
        return Band.around(self.output.nominal_V, self.output.tolerance)

    def amps(self, shares: tuple[float, ...]) -> Array:
        """Currents for shares of full load, rounded down to what a load can be set to."""
        return np.floor(np.array(shares) * self.most_A * 1000 + 1e-6) / 1000

    def line(
        self, amps: Array, others: Mapping[str, float] | None = None, network: Network | None = None
    ) -> LoadLine | None:
        """The load line that the test is held against; None where no path is known."""
        return load_line(self.job, self.output.id, amps, others=others, network=network or self.network)


class Prediction(Struct, frozen=True):
    """Volts of a load line at one of its currents."""

    line: LoadLine
    index: int

    @property
    def value(self) -> float:
        """Nominal volts."""
        return float(self.line.volts[self.index])

    @property
    def interval(self) -> Interval:
        """Volts with the spread of such builds."""
        line, k = self.line, self.index
        return Interval(self.value, float(line.low[k]), float(line.high[k]))


def predicted(line: LoadLine | None, index: int) -> Prediction | None:
    """What a load line expects at one of its currents; None where nothing is predicted."""
    if line is None or not np.isfinite(line.volts[index]):
        return None
    return Prediction(line, index)


class Facts(Struct, frozen=True, dict=True):
    """All that was read for one test: standing readings and waveforms, in the order taken."""

    job: Job
    plan: Plan
    readings: tuple[Reading, ...]
    waves: tuple[Wave, ...] = ()
    #: What a run that is on has told of a soak; what takes long is not worked out anew while it is on.
    running: bool = False
    soak: SoakState | None = None

    def last(self, step: int, quantity: str, place: str | None = None) -> Reading | None:
        """The latest figure of a quantity at a step; at the output under test where no place is named."""
        where = place or self.plan.steps[step].place or self.plan.output.id
        return self._latest.get((step, quantity, where))

    @cached_property
    def _latest(self) -> dict[tuple[int | None, str, str], Reading]:
        """The latest figure by step, quantity and place; what is over range is none."""
        return {(r.step, r.quantity, r.place): r for r in self.readings if math.isfinite(r.value)}

    def settings(self, output: str) -> dict[int, float]:
        """What an output was set to, V, by the scan of which that was said."""
        place = set_of(output)
        return {r.scan: r.value for r in self.readings if r.place == place and r.quantity == "V"}

    def at_scan(self, scan: int) -> list[Reading]:
        """All that was read or said at one moment."""
        return self._by_scan.get(scan, [])

    @cached_property
    def _by_scan(self) -> dict[int, list[Reading]]:
        found: dict[int, list[Reading]] = {}
        for r in self.readings:
            found.setdefault(r.scan, []).append(r)
        return found

    def interval(self, step: int, quantity: str, place: str | None = None) -> Interval | None:
        """The last reading of a step with its uncertainty; None where there is none."""
        reading = self.last(step, quantity, place)
        return interval_of(reading) if reading else None

    def wave(self, step: int) -> Wave | None:
        """The last waveform of a step; None where there is none."""
        found = [w for w in self.waves if w.step == step]
        return found[-1] if found else None


def value_of(rows: Sequence[Reading], place: str, quantity: str) -> float | None:
    """What was read or said at a place at a moment; None where nothing was."""
    return next((r.value for r in reversed(rows) if r.place == place and r.quantity == quantity), None)


class Finding(Struct, frozen=True):
    """One figure that a test gives: value with its 95 % interval, or words; its verdict where it has one.

    `key` tells it apart from the others of its test, in files and scripts too: it stays whatever the words.
    """

    key: str
    name: str
    unit: str = ""
    value: Interval | None = None
    text: str = ""
    verdict: Verdict | None = None
    allowed: Band | None = None
    worked: Derivation | None = None
    #: A sentence rather than a figure.
    is_note: bool = False


def slug(name: str) -> str:
    """A name as a word of a key or of a place."""
    return re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-") or "unit"


class StepResult(Struct, frozen=True):
    """A step with what was read there and its verdict."""

    step: Step
    pair: VoltsAmps | None
    volts: Interval | None
    verdict: Verdict
    wave: Wave | None = None
    also: tuple[tuple[str, Reading], ...] = ()
    #: Peak to peak, read off a screen instead of recorded.
    peaks: Reading | None = None

    @property
    def taken(self) -> bool:
        """Whether its volts or waveform are there; where no volts are judged, all else that it asks for."""
        if any(x is not None for x in (self.pair, self.volts, self.wave, self.peaks)):
            return True
        return bool(self.also) and self.step.allowed == OPEN and len(self.also) == len(self.step.also)


class Outcome(Struct, frozen=True, eq=False):
    """What the readings say about a test, computed from facts and design."""

    plan: Plan
    steps: tuple[StepResult, ...]
    extra: tuple[VoltsAmps, ...]
    regulation: Regulation | None
    regulation_verdict: Verdict
    verdict: Verdict
    measured: int
    findings: tuple[Finding, ...] = ()
    facts: Facts | None = None
    #: `simulated` or `practice` where nothing real was read: it proves nothing. Empty otherwise.
    pretended: str = ""

    @property
    def complete(self) -> bool:
        """Whether every step that must be read was read; a log past a limit is one whole."""
        if self.extra and not self.measured and any(s.past_limits for s in self.plan.steps):
            return True
        return all(
            r.taken
            for r in self.steps
            if r.step.phase not in ("approach", "trace", "watch") and (not r.step.reset)
        )
