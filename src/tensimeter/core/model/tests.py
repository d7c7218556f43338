"""The tests of a campaign: what is to be shown of an output, and at which points."""

from typing import TYPE_CHECKING, Annotated, Literal

from tensimeter.core.by_kind import ByKind
from tensimeter.core.described import Quantity
from tensimeter.core.model.heat_tests import Endurance, FanTest, OverTemperature, SensorCheck, Soak
from tensimeter.core.model.test_record import Corner, Shares, TestRecord
from tensimeter.core.record import Fraction, Identifier, Name, NotNegative, Positive, Record


class LoadRegulation(TestRecord):
    """Volts at set currents, up and then down; repeated at each of the set volts, where there are any.

    `mode` is what the load holds constant: current, resistance or power.
    """

    kind: Literal["load-regulation"] = "load-regulation"
    mode: Annotated[Literal["CC", "CR", "CP"], Quantity("", "mode", "what the load holds constant")] = "CC"
    points: Annotated[Shares, Quantity("%", "points, shares of full load", "where it is read")] = (
        0.0,
        0.2,
        0.4,
        0.6,
        0.8,
        1.0,
        0.5,
        0.0,
    )
    set_V: Annotated[tuple[Positive, ...], Quantity("V", "set to", "volts that it is set to")] = ()
    dwell_s: Annotated[Positive, Quantity("s", "wait at a point", "wait at a point at least")] = 5.0
    longest_dwell_s: Annotated[Positive, Quantity("s", "wait at most", "wait at a point at most")] = 30.0


class ReachPoints(TestRecord):
    """Points of an adjustable output's reach: corners, worst dissipation, beside each limit."""

    kind: Literal["reach"] = "reach"
    points: Annotated[
        tuple[Corner, ...], Quantity("%", "points, shares of full load", "where it is read")
    ] = ()
    allowed: Annotated[Fraction, Quantity("%", "allowed change", "how far it may change")] = 0.05

    @property
    def corners(self) -> tuple[Corner, ...]:
        """The points that are set one after another."""
        return self.points


class Tolerance(TestRecord):
    """The volts as set, then the trim from end to end and back; `span_V` is what it must reach."""

    kind: Literal["tolerance"] = "tolerance"
    span_V: Annotated[
        tuple[Positive, Positive] | None,
        Quantity("V", "trim must reach, low and high", "volts that the trim must reach"),
    ] = None


class LineRegulation(TestRecord):
    """Volts at several line voltages, given as shares of the mains, at one load."""

    kind: Literal["line-regulation"] = "line-regulation"
    lines: Annotated[
        tuple[Positive, ...], Quantity("%", "line, shares of the mains", "line volts, as shares of nominal")
    ] = (0.9, 1.0, 1.1, 1.0)
    share: Annotated[
        Fraction,
        Quantity("%", "at this share of full load", "share of what it is rated for, or of full load"),
    ] = 1.0
    allowed: Annotated[Fraction, Quantity("%", "allowed change", "how far it may change")] = 0.01


class CrossRegulation(TestRecord):
    """What the load of each output does to the volts of every other."""

    kind: Literal["cross-regulation"] = "cross-regulation"
    others: Annotated[tuple[Identifier, ...], Quantity("", "others", "further ones of its kind")] = ()
    share: Annotated[
        Fraction,
        Quantity("%", "at this share of full load", "share of what it is rated for, or of full load"),
    ] = 1.0
    allowed: Annotated[Fraction, Quantity("%", "allowed change", "how far it may change")] = 0.05


class Ripple(TestRecord):
    """Ripple and noise from a waveform at several loads."""

    kind: Literal["ripple"] = "ripple"
    points: Annotated[Shares, Quantity("%", "points, shares of full load", "where it is read")] = (
        0.0,
        0.5,
        1.0,
    )
    allowed_pp: Annotated[
        Fraction, Quantity("%", "allowed p-p, of the volts", "ripple and noise that is allowed")
    ] = 0.01
    switching_Hz: Annotated[
        Positive | None, Quantity("Hz", "switching", "switching frequency, where known")
    ] = None
    bandwidth_Hz: Annotated[Positive | None, Quantity("Hz", "bandwidth", "fastest that it follows")] = 20e6
    trim: Annotated[Fraction, Quantity("%", "left out as spikes, of the time", "what counts as spikes")] = (
        0.01
    )
    record_s: Annotated[Positive, Quantity("s", "record", "length of the record")] = 0.05


class Transient(TestRecord):
    """A step of the load between two shares of full load, and how the volts follow."""

    kind: Literal["transient"] = "transient"
    low: Annotated[Fraction, Quantity("%", "steps from, of full load", "the lower load")] = 0.25
    high: Annotated[Fraction, Quantity("%", "steps to, of full load", "the higher load")] = 0.75
    band: Annotated[
        Fraction, Quantity("%", "band to recover into", "within which it counts as recovered")
    ] = 0.01
    allowed_s: Annotated[Positive, Quantity("s", "allowed recovery", "recovered within")] = 0.01
    allowed_dip: Annotated[Fraction, Quantity("%", "allowed dip, of the volts", "how far it may dip")] = 0.05
    record_s: Annotated[Positive, Quantity("s", "record", "length of the record")] = 0.02


class Overload(TestRecord):
    """Current limit: where it begins and of which kind, seen past it and back.

    `beyond` is how far past the expected limit is asked; `step` the share of it between two points near it.
    """

    kind: Literal["current-limit"] = "current-limit"
    beyond: Annotated[Positive, Quantity("", "beyond its limit", "what it does past its limit")] = 1.3
    step: Annotated[Fraction, Quantity("%", "step near the limit", "between two points")] = 0.015
    exposure_s: Annotated[Positive, Quantity("s", "at most past the limit", "longest past the limit")] = 2.0
    least_A: Annotated[Positive | None, Quantity("A", "least", "least amps that it must hold")] = None
    most_A: Annotated[Positive | None, Quantity("A", "most", "most amps")] = None
    dwell_s: Annotated[Positive, Quantity("s", "wait at a point", "wait at a point at least")] = 0.4
    longest_dwell_s: Annotated[Positive, Quantity("s", "wait at most", "wait at a point at most")] = 1.5


class OverVoltage(TestRecord):
    """Over-voltage trip, found by raising the trim without load."""

    kind: Literal["over-voltage"] = "over-voltage"
    begin: Annotated[Positive, Quantity("", "begin", "first volts tried, times nominal")] = 1.02
    end: Annotated[Positive, Quantity("", "end", "last volts tried, times nominal")] = 1.4
    step: Annotated[Fraction, Quantity("%", "step near the limit", "between two points")] = 0.01
    most_V: Annotated[Positive | None, Quantity("V", "most", "most volts")] = None
    dwell_s: Annotated[Positive, Quantity("s", "wait at a point", "wait at a point at least")] = 0.5
    longest_dwell_s: Annotated[Positive, Quantity("s", "wait at most", "wait at a point at most")] = 2.0


class ShortCircuit(TestRecord):
    """Current into a short for a limited time, and whether the output comes back."""

    kind: Literal["short-circuit"] = "short-circuit"
    exposure_s: Annotated[Positive, Quantity("s", "at most past the limit", "longest past the limit")] = 2.0
    most_A: Annotated[Positive | None, Quantity("A", "most", "most amps")] = None


class StartUp(TestRecord):
    """Switching on and off into a load: delay, rise, overshoot, hold-up; with others, in which order."""

    kind: Literal["start-up"] = "start-up"
    others: Annotated[tuple[Identifier, ...], Quantity("", "others", "further ones of its kind")] = ()
    share: Annotated[
        Fraction,
        Quantity("%", "at this share of full load", "share of what it is rated for, or of full load"),
    ] = 0.5
    allowed_overshoot: Annotated[Fraction, Quantity("%", "allowed overshoot", "how far it may overshoot")] = (
        0.05
    )
    record_s: Annotated[Positive, Quantity("s", "record", "length of the record")] = 2.0


class Efficiency(TestRecord):
    """Watts out over watts in at several loads; the rest is heat."""

    kind: Literal["efficiency"] = "efficiency"
    points: Annotated[Shares, Quantity("%", "points, shares of full load", "where it is read")] = (
        0.0,
        0.1,
        0.25,
        0.5,
        0.75,
        1.0,
    )
    least: Annotated[Fraction, Quantity("%", "least efficiency", "least that is asked")] = 0.0


class MinimumLoad(TestRecord):
    """The least load at which the volts stay in their band."""

    kind: Literal["minimum-load"] = "minimum-load"
    points: Annotated[Shares, Quantity("%", "points, shares of full load", "where it is read")] = (
        0.0,
        0.01,
        0.02,
        0.05,
        0.1,
        0.2,
    )


class Outlets(TestRecord):
    """Every outlet of a box at its full load by itself, then all together in stages."""

    kind: Literal["outlets"] = "outlets"
    others: Annotated[tuple[Identifier, ...], Quantity("", "others", "further ones of its kind")] = ()
    stages: Annotated[Shares, Quantity("%", "stages, shares of full load", "loads one after another")] = (
        0.5,
        1.0,
    )


class Bought(Record):
    """One of several bought units: its name and what is claimed of it."""

    name: Annotated[Name, Quantity("", "name", "what it is called; links and lists show it")]
    claimed_V: Annotated[Positive, Quantity("V", "claimed", "volts that are claimed")]
    claimed_A: Annotated[Positive, Quantity("A", "claimed", "amps that are claimed")]


class ClaimedFound(TestRecord):
    """What is claimed of several bought units against what is found."""

    kind: Literal["claimed-found"] = "claimed-found"
    units: Annotated[tuple[Bought, ...], Quantity("", "units", "the units, one by one")] = ()
    tolerance: Annotated[Fraction, Quantity("%", "tolerance", "how far its volts may stray")] = 0.05


class CapacityDown(TestRecord):
    """Charge and energy of a battery or power bank down to a cut-off, at one load."""

    kind: Literal["capacity"] = "capacity"
    share: Annotated[
        Fraction,
        Quantity("%", "at this share of full load", "share of what it is rated for, or of full load"),
    ] = 0.5
    cutoff_V: Annotated[Positive | None, Quantity("V", "cutoff", "volts at which it ends")] = None
    claimed_Ah: Annotated[Positive | None, Quantity("Ah", "claimed", "charge that is claimed")] = None
    #: A power bank's label counts its cells: what they hold comes out at other volts, less what is lost.
    claimed_cell_V: Annotated[
        Positive | None,
        Quantity("V", "claimed at, cell volts", "volts that the claim counts; empty: the output's"),
    ] = None
    conversion: Annotated[
        Fraction, Quantity("%", "cells to output", "share of cells' energy that comes out; a rule of thumb")
    ] = 0.9
    own_A: Annotated[NotNegative, Quantity("A", "the load's own draw", "what the load itself draws")] = 0.0
    every_s: Annotated[Positive, Quantity("s", "read every", "read every so often")] = 10.0


class OwnLoad(TestRecord):
    """A load that one makes, against another ammeter: at amps and volts, warm, as it starts, held."""

    kind: Literal["own-load"] = "own-load"
    mode: Annotated[Literal["CC", "CP"], Quantity("", "mode", "what the load holds constant")] = "CC"
    points: Annotated[Shares, Quantity("%", "points, shares of its amps", "where it is read")] = (
        0.1,
        0.5,
        1.0,
    )
    volts: Annotated[
        tuple[Positive, ...], Quantity("V", "fed with", "volts that it is tried at; empty: as it is fed")
    ] = ()
    allowed: Annotated[
        Fraction, Quantity("%", "allowed change", "of its amps over volts, and cold to warm")
    ] = 0.01
    allowed_start: Annotated[
        Fraction, Quantity("%", "allowed at a start", "how far its amps may go over what is set")
    ] = 0.2
    hold_s: Annotated[Positive, Quantity("s", "held for", "at its watts, until its case stands still")] = (
        1800.0
    )


class RealDevice(TestRecord):
    """A lamp, a motor or the device itself as the load: volts without it, as it starts, as it runs."""

    kind: Literal["real-device"] = "real-device"
    device: Annotated[Identifier | None, Quantity("", "device", "the part that is fed")] = None


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
    OwnLoad,
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
    Test = Annotated[TestRecord, ByKind(KINDS_OF_TEST)]
