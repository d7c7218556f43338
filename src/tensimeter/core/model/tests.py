"""The tests of a campaign: what is to be shown of an output, and at which points."""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

from pydantic import Field

from tensimeter.core.record import Fraction, Identifier, Name, NotNegative, Positive, Record

#: Shares of full load in the order taken.
Shares = tuple[Fraction, ...]


class TestRecord(Record):
    """What every test has: its output, how long to wait at a point, how long to cool down before it."""

    # Its name begins like that of a test class, which it is not.
    __test__ = False

    #: Whether it holds its loads until its heat is foreseen, and tells what its stages are.
    soaks: ClassVar[bool] = False

    if TYPE_CHECKING:

        @property
        def kind(self) -> str:
            """The word that tells its kind in a file."""

    id: Identifier
    output: Identifier
    rest_s: NotNegative = 0.0
    dwell_s: Positive = 3.0
    longest_dwell_s: Positive = 20.0

    @property
    def watched_link(self) -> str | None:
        """The converter whose junction it watches; None: the hottest."""
        return None

    @property
    def watched_place(self) -> str | None:
        """Where its temperature is read; None: where the probes are."""
        return None

    @property
    def changes_made(self) -> "tuple[Changed, ...]":
        """What was changed between its runs."""
        return ()

    @property
    def steady_within_K(self) -> float:
        """It is steady when less than this is to come."""
        return 1.0

    @property
    def drops_when_sure(self) -> bool:
        """The load is dropped once the forecast is sure that a limit will be passed."""
        return False

    @property
    def corners(self) -> "tuple[Corner, ...]":
        """The points of a reach that it shows."""
        return ()


class LoadRegulation(TestRecord):
    """Volts at set currents, up and then down; repeated at each of the set volts, where there are any.

    `mode` is what the load holds constant: current, resistance or power.
    """

    kind: Literal["load-regulation"] = "load-regulation"
    mode: Literal["CC", "CR", "CP"] = "CC"
    points: Shares = (0.0, 0.2, 0.4, 0.6, 0.8, 1.0, 0.5, 0.0)
    set_V: tuple[Positive, ...] = ()
    dwell_s: Positive = 5.0
    longest_dwell_s: Positive = 30.0


class Corner(Record):
    """A point of the reach to be shown: V, A, and why it was chosen."""

    volts: Positive
    amps: NotNegative
    why: str = ""


class ReachPoints(TestRecord):
    """Points of an adjustable output's reach: corners, worst dissipation, beside each limit."""

    kind: Literal["reach"] = "reach"
    points: tuple[Corner, ...] = ()
    allowed: Fraction = 0.05

    @property
    def corners(self) -> tuple[Corner, ...]:
        return self.points


class Tolerance(TestRecord):
    """The volts as set, then the trim from end to end and back; `span_V` is what it must reach."""

    kind: Literal["tolerance"] = "tolerance"
    span_V: tuple[Positive, Positive] | None = None


class LineRegulation(TestRecord):
    """Volts at several line voltages, given as shares of the mains, at one load."""

    kind: Literal["line-regulation"] = "line-regulation"
    lines: tuple[Positive, ...] = (0.9, 1.0, 1.1, 1.0)
    share: Fraction = 1.0
    allowed: Fraction = 0.01


class CrossRegulation(TestRecord):
    """What the load of each output does to the volts of every other."""

    kind: Literal["cross-regulation"] = "cross-regulation"
    others: tuple[Identifier, ...] = ()
    share: Fraction = 1.0
    allowed: Fraction = 0.05


class Ripple(TestRecord):
    """Ripple and noise from a waveform at several loads."""

    kind: Literal["ripple"] = "ripple"
    points: Shares = (0.0, 0.5, 1.0)
    allowed_pp: Fraction = 0.01
    switching_Hz: Positive | None = None
    bandwidth_Hz: Positive | None = 20e6
    trim: Fraction = 0.01
    record_s: Positive = 0.05


class Transient(TestRecord):
    """A step of the load between two shares of full load, and how the volts follow."""

    kind: Literal["transient"] = "transient"
    low: Fraction = 0.25
    high: Fraction = 0.75
    band: Fraction = 0.01
    allowed_s: Positive = 0.01
    allowed_dip: Fraction = 0.05
    record_s: Positive = 0.02


class Overload(TestRecord):
    """Current limit: where it begins and of which kind, seen past it and back.

    `beyond` is how far past the expected limit is asked; `step` the share of it between two points near it.
    """

    kind: Literal["current-limit"] = "current-limit"
    beyond: Positive = 1.3
    step: Fraction = 0.015
    exposure_s: Positive = 2.0
    least_A: Positive | None = None
    most_A: Positive | None = None
    dwell_s: Positive = 0.4
    longest_dwell_s: Positive = 1.5


class OverVoltage(TestRecord):
    """Over-voltage trip, found by raising the trim without load."""

    kind: Literal["over-voltage"] = "over-voltage"
    begin: Positive = 1.02
    end: Positive = 1.4
    step: Fraction = 0.01
    most_V: Positive | None = None
    dwell_s: Positive = 0.5
    longest_dwell_s: Positive = 2.0


class ShortCircuit(TestRecord):
    """Current into a short for a limited time, and whether the output comes back."""

    kind: Literal["short-circuit"] = "short-circuit"
    exposure_s: Positive = 2.0
    most_A: Positive | None = None


class StartUp(TestRecord):
    """Switching on and off into a load: delay, rise, overshoot, hold-up; with others, in which order."""

    kind: Literal["start-up"] = "start-up"
    others: tuple[Identifier, ...] = ()
    share: Fraction = 0.5
    allowed_overshoot: Fraction = 0.05
    record_s: Positive = 2.0


class Efficiency(TestRecord):
    """Watts out over watts in at several loads; the rest is heat."""

    kind: Literal["efficiency"] = "efficiency"
    points: Shares = (0.0, 0.1, 0.25, 0.5, 0.75, 1.0)
    least: Fraction = 0.0


class MinimumLoad(TestRecord):
    """The least load at which the volts stay in their band."""

    kind: Literal["minimum-load"] = "minimum-load"
    points: Shares = (0.0, 0.01, 0.02, 0.05, 0.1, 0.2)


class Outlets(TestRecord):
    """Every outlet of a box at its full load by itself, then all together in stages."""

    kind: Literal["outlets"] = "outlets"
    others: tuple[Identifier, ...] = ()
    stages: Shares = (0.5, 1.0)


class Bought(Record):
    """One of several bought units: its name and what is claimed of it."""

    name: Name
    claimed_V: Positive
    claimed_A: Positive


class ClaimedFound(TestRecord):
    """What is claimed of several bought units against what is found."""

    kind: Literal["claimed-found"] = "claimed-found"
    units: tuple[Bought, ...] = ()
    tolerance: Fraction = 0.05


class CapacityDown(TestRecord):
    """Charge and energy of a battery or power bank down to a cut-off, at one load."""

    kind: Literal["capacity"] = "capacity"
    share: Fraction = 0.5
    cutoff_V: Positive | None = None
    claimed_Ah: Positive | None = None
    own_A: NotNegative = 0.0
    every_s: Positive = 10.0


class RealDevice(TestRecord):
    """A lamp, a motor or the device itself as the load: volts without it, as it starts, as it runs."""

    kind: Literal["real-device"] = "real-device"
    device: Identifier | None = None


class Changed(Record):
    """What was changed on a part after a run of a test: a pad seated anew, a switch replaced."""

    link: Identifier
    what: Name
    #: The last run before it; None: before any.
    after_run: int | None = None


class Soak(TestRecord):
    """A part load, then full load held while temperatures are read, until they stand or their time is up.

    `link` is the converter whose junction is watched (the hottest where None), `place` where its temperature
    is read. `stop_when_sure` drops the load once the forecast is sure that a limit will be passed.
    """

    soaks: ClassVar[bool] = True

    kind: Literal["soak"] = "soak"
    link: Identifier | None = None
    place: Name | None = None
    stages: Shares = (0.5, 1.0)
    part_s: Positive = 600.0
    hold_s: Positive = 7200.0
    every_s: Positive = 10.0
    steady_K: Positive = 1.0
    stop_when_sure: bool = True
    changes: tuple[Changed, ...] = ()

    @property
    def watched_link(self) -> str | None:
        return self.link

    @property
    def watched_place(self) -> str | None:
        return self.place

    @property
    def changes_made(self) -> tuple[Changed, ...]:
        return self.changes

    @property
    def steady_within_K(self) -> float:
        return self.steady_K

    @property
    def drops_when_sure(self) -> bool:
        return self.stop_when_sure


class Endurance(Soak):
    """Hours at one load, with every interruption and failure on record; two slow time constants at least."""

    kind: Literal["endurance"] = "endurance"  # type: ignore[assignment]
    stages: Shares = (1.0,)
    hold_s: Positive = 4 * 3600.0
    every_s: Positive = 30.0


class FanTest(TestRecord):
    """What the fan does at idle, half, full, and where most is lost: where it comes on and goes off.

    `quiet_dB` is how loud it may be at idle; `on_by_C` the temperature by which it must be on.
    """

    kind: Literal["fan"] = "fan"
    stages: Shares = (0.0, 0.5, 1.0, 0.0)
    hold_s: Positive = 1200.0
    every_s: Positive = 10.0
    quiet_dB: Positive | None = None
    on_by_C: Positive | None = None


class OverTemperature(TestRecord):
    """Full load until the supply's own protection acts on heat, and what it does after: stays off, cycles."""

    kind: Literal["over-temperature"] = "over-temperature"
    hold_s: Positive = 5400.0
    every_s: Positive = 10.0
    most_C: Positive = 110.0
    below_C: Positive | None = None


class SensorCheck(TestRecord):
    """A sensor against a reference at two or three temperatures; and which of several places is hottest.

    `sensor` and `reference` are places of readings in °C; `allowed_K` is how far off it may be.
    """

    kind: Literal["sensor"] = "sensor"
    sensor: Name = "sensor"
    reference: Name = "sink"
    points: Shares = (0.0, 0.5, 1.0)
    allowed_K: Positive = 3.0
    dwell_s: Positive = 60.0
    longest_dwell_s: Positive = 600.0


#: The record of every kind of test.
KINDS_OF_TEST: tuple[type[TestRecord], ...] = (
    LoadRegulation,
    ReachPoints,
    Tolerance,
    LineRegulation,
    CrossRegulation,
    Ripple,
    Transient,
    Overload,
    OverVoltage,
    ShortCircuit,
    StartUp,
    Efficiency,
    MinimumLoad,
    Outlets,
    ClaimedFound,
    CapacityDown,
    RealDevice,
    Soak,
    Endurance,
    FanTest,
    OverTemperature,
    SensorCheck,
)

if TYPE_CHECKING:
    Test = TestRecord
else:
    #: What a campaign holds: any kind of test, told apart by its `kind`.
    Test = Annotated[reduce(or_, KINDS_OF_TEST), Field(discriminator="kind")]
