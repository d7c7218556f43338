"""The tests whose readings are temperatures over time."""

from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.model.test_record import Changed, Shares, TestRecord
from tensimeter.core.record import Identifier, Name, Positive


class Soak(TestRecord):
    """A part load, then full load held while temperatures are read, until they stand or their time is up.

    `link` is the converter whose junction is watched (the hottest where None), `place` where its temperature
    is read. `stop_when_sure` drops the load once the forecast is sure that a limit will be passed.
    """

    soaks: ClassVar[bool] = True

    kind: Literal["soak"] = "soak"
    link: Annotated[
        Identifier | None, Quantity("", "part watched", "the converter whose junction is watched")
    ] = None
    place: Annotated[Name | None, Quantity("", "temperature read at", "where its temperature is read")] = None
    stages: Annotated[Shares, Quantity("%", "stages, shares of full load", "loads one after another")] = (
        0.5,
        1.0,
    )
    part_s: Annotated[Positive, Quantity("s", "part load for", "how long a part load is held")] = 600.0
    hold_s: Annotated[Positive, Quantity("s", "hold for", "how long the last load is held")] = 7200.0
    every_s: Annotated[Positive, Quantity("s", "read every", "read every so often")] = 10.0
    steady_K: Annotated[
        Positive, Quantity("K", "steady when less is to come than", "steady when less than this is to come")
    ] = 1.0
    stop_when_sure: Annotated[
        bool, Quantity("", "drop the load once a crossing is sure", "drop the load once a crossing is sure")
    ] = True
    changes: Annotated[tuple[Changed, ...], Quantity("", "changes", "what was changed between two runs")] = ()
    others: Annotated[
        tuple[Identifier, ...], Quantity("", "others", "outputs that are loaded as well, all along")
    ] = ()

    @property
    def watched_link(self) -> str | None:
        """The link whose heat is watched; None for the hottest."""
        return self.link

    @property
    def watched_place(self) -> str | None:
        """Where the probe sits that is judged; None for the one nearest the link."""
        return self.place

    @property
    def changes_made(self) -> tuple[Changed, ...]:
        """What was changed between its runs."""
        return self.changes

    @property
    def steady_within_K(self) -> float:
        """Still to come when it counts as steady, K."""
        return self.steady_K

    @property
    def drops_when_sure(self) -> bool:
        """Whether it ends before it is steady, once its end is certain."""
        return self.stop_when_sure


class Endurance(Soak):
    """Hours at one load, with every interruption and failure on record; two slow time constants at least."""

    kind: Literal["endurance"] = "endurance"  # type: ignore[assignment]
    stages: Annotated[Shares, Quantity("%", "stages, shares of full load", "loads one after another")] = (
        1.0,
    )
    hold_s: Annotated[Positive, Quantity("s", "hold for", "how long the last load is held")] = 4 * 3600.0
    every_s: Annotated[Positive, Quantity("s", "read every", "read every so often")] = 30.0


class FanTest(TestRecord):
    """What the fan does at idle, half, full, and where most is lost: where it comes on and goes off.

    `quiet_dB` is how loud it may be at idle; `on_by_C` the temperature by which it must be on.
    """

    kind: Literal["fan"] = "fan"
    stages: Annotated[Shares, Quantity("%", "stages, shares of full load", "loads one after another")] = (
        0.0,
        0.5,
        1.0,
        0.0,
    )
    hold_s: Annotated[Positive, Quantity("s", "hold for", "how long the last load is held")] = 1200.0
    every_s: Annotated[Positive, Quantity("s", "read every", "read every so often")] = 10.0
    quiet_dB: Annotated[Positive | None, Quantity("dB", "quiet at idle, at most", "loudest at idle")] = None
    on_by_C: Annotated[Positive | None, Quantity("°C", "on by", "must be on by then")] = None


class OverTemperature(TestRecord):
    """Full load until the supply's own protection acts on heat, and what it does after: stays off, cycles."""

    kind: Literal["over-temperature"] = "over-temperature"
    hold_s: Annotated[Positive, Quantity("s", "hold for", "how long the last load is held")] = 5400.0
    every_s: Annotated[Positive, Quantity("s", "read every", "read every so often")] = 10.0
    most_C: Annotated[Positive, Quantity("°C", "stop at the latest at", "the test ends there")] = 110.0
    below_C: Annotated[Positive | None, Quantity("°C", "must act below", "must have acted below")] = None


class SensorCheck(TestRecord):
    """A sensor against a reference at two or three temperatures; and which of several places is hottest.

    `sensor` and `reference` are places of readings in °C; `allowed_K` is how far off it may be.
    """

    kind: Literal["sensor"] = "sensor"
    sensor: Annotated[Name, Quantity("", "sensor, a place of readings", "where the temperature is felt")] = (
        "sensor"
    )
    reference: Annotated[Name, Quantity("", "reference, a place of readings", "what it is held against")] = (
        "sink"
    )
    points: Annotated[Shares, Quantity("%", "points, shares of full load", "where it is read")] = (
        0.0,
        0.5,
        1.0,
    )
    allowed_K: Annotated[Positive, Quantity("K", "may be off by", "how far it may be off")] = 3.0
    dwell_s: Annotated[Positive, Quantity("s", "wait at a point", "wait at a point at least")] = 60.0
    longest_dwell_s: Annotated[Positive, Quantity("s", "wait at most", "wait at a point at most")] = 600.0
