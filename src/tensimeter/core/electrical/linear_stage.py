"""A linear stage that one makes: span of its divider, current limit, sharing, worst points, what is wrong.

Three-terminal or discrete, its pass devices share one sink; each has its ballast.
"""

import math
from functools import cached_property
from itertools import product

from msgspec import Struct

from tensimeter.core.electrical.stage_loop import THERMAL_V, Follower, StageAmplifier, StageLoop
from tensimeter.core.errors import UserError

#: How far two bases of one kind differ, V; the output's F from which a three-terminal part wants diodes;
#: share of volts below which a ballast does not make devices share. Rules of thumb.
BASES_DIFFER_V, DIODES_FROM_F, SHARES_WITHIN = 0.05, 10e-6, 0.2
#: Shares of its amps that its loop is judged at: a pass device that idles is slow.
LOOP_SHARES = (0.01, 0.1, 1.0)


class Divider(Struct, frozen=True):
    """Ω from output to the reference's pin (top) and from there to common (bottom); a pot in one leg.

    `end_ohm` is what a pot keeps at its end, `pin_A` flows out of a three-terminal part's pin. With its wiper
    `tied` to an end, a wiper that lifts off leaves all of the pot.
    """

    reference_V: float
    top_ohm: float
    bottom_ohm: float
    pot_ohm: float = 0.0
    pot_in: str = "bottom"
    end_ohm: float = 0.0
    tolerance: float = 0.01
    reference_tolerance: float = 0.02
    pin_A: float = 0.0
    #: Three-terminal: the reference stands across the top leg; discrete: across the bottom one.
    across_top: bool = True
    tied: bool = False

    def volts(self, wiper: float, top: float = 1.0, bottom: float = 1.0, reference: float = 1.0) -> float:
        """V out with the pot turned by `wiper` (0 its end, 1 all of it), figures off by factors.

        >>> Divider(1.25, 240, 0, 2400, end_ohm=0).volts(1.0)
        13.75
        """
        pot = self.end_ohm + (self.pot_ohm - self.end_ohm) * wiper if self.pot_ohm else 0.0
        up = (self.top_ohm + (pot if self.pot_in == "top" else 0.0)) * top
        down = (self.bottom_ohm + (pot if self.pot_in == "bottom" else 0.0)) * bottom
        held = self.reference_V * reference
        if self.across_top:
            return held * (1 + down / up) + self.pin_A * down if up > 0 else math.inf
        return held * (1 + up / down) if down > 0 else math.inf

    @property
    def span_V(self) -> tuple[float, float]:
        """Lowest and highest V that it is set to, its figures as printed."""
        low, high = sorted((self.volts(0.0), self.volts(1.0)))
        return low, high

    @property
    def worst_V(self) -> tuple[float, float]:
        """The same at the ends of all tolerances."""
        off, ref = self.tolerance, self.reference_tolerance
        corners = product((0.0, 1.0), (1 - off, 1 + off), (1 - off, 1 + off), (1 - ref, 1 + ref))
        found = [self.volts(*corner) for corner in corners]
        return min(found), max(found)

    @property
    def open_wiper_V(self) -> float:
        """What it goes to as the pot's wiper lifts off its track; inf where nothing holds it."""
        if not self.pot_ohm or self.tied:
            return max(self.span_V[1], self.volts(1.0))
        open_high = (self.pot_in == "bottom") == self.across_top
        return math.inf if open_high else self.reference_V

    @property
    def draws_A(self) -> float:
        """The least that flows through it: the reference across its leg, the pot at its most."""
        leg, own = (self.top_ohm, "top") if self.across_top else (self.bottom_ohm, "bottom")
        return self.reference_V / (leg + (self.pot_ohm if self.pot_in == own else 0.0))


class CurrentLimit(Struct, frozen=True):
    """A sense resistor that turns a base on at `turns_on_V`; folded back by a share of the output."""

    sense_ohm: float
    turns_on_V: float = 0.65
    fold: float = 0.0

    def amps(self, output_V: float) -> float:
        """Where it limits with the output at V: (Von·(1 + k) + k·Vout)/R.

        >>> CurrentLimit(0.22).amps(12.0) == CurrentLimit(0.22).amps(0.0)
        True
        """
        return (self.turns_on_V * (1 + self.fold) + self.fold * output_V) / self.sense_ohm


class Taps(Struct, frozen=True):
    """A relay that takes the upper tap above `up_V` of the output and lets it go `hysteresis_V` lower."""

    lower_high_V: float
    up_V: float
    hysteresis_V: float = 0.5
    coil_A: float = 0.0

    @property
    def back_V(self) -> float:
        """Output volts down to which the upper tap still feeds it."""
        return self.up_V - self.hysteresis_V

    def feed_V(self, volts: float, upper_V: float) -> float:
        """Highest input at an output that comes from above: the upper tap as long as the relay holds.

        >>> [Taps(15.0, 8.0, 1.0).feed_V(v, 30.0) for v in (6.9, 7.0, 8.0)]
        [15.0, 30.0, 30.0]
        """
        return upper_V if volts >= self.back_V else self.lower_high_V


class LinearStage(Struct, frozen=True, dict=True):
    """A stage by its parts; V in at the most and at the least (mean, valley), wanted V and A."""

    divider: Divider
    amps: float
    in_high_V: float
    in_low_V: float
    in_stands_V: float
    devices: int
    ballast_ohm: float
    junction_K_W: float
    mounting_K_W: float
    sink_K_W: float
    air_C: float
    hottest_C: float
    limit: CurrentLimit | None = None
    #: Three-terminal: what it drops, and the least it must be loaded with.
    drop_V: float = 2.0
    least_A: float = 0.0
    follower: Follower | None = None
    amplifier: StageAmplifier | None = None
    output_F: float = 100e-6
    esr_ohm: float = 0.1
    diodes: bool = False
    taps: "Taps | None" = None
    #: What a pre-regulator keeps across it; None without one.
    tracks_V: float | None = None

    def feed_V(self, volts: float) -> float:
        """Highest input volts with the output at V: of its tap, or what a pre-regulator leaves."""
        feed = self.taps.feed_V(volts, self.in_high_V) if self.taps else self.in_high_V
        return feed if self.tracks_V is None else min(feed, volts + self.tracks_V)

    def loop(self, volts: float | None = None, amps: float | None = None) -> StageLoop | None:
        """The loop of a discrete stage at V and A; None of a three-terminal part, whose own it is."""
        if self.follower is None or self.amplifier is None:
            return None
        of = self.divider
        volts = self.divider.span_V[1] if volts is None else volts
        down = of.bottom_ohm or of.pot_ohm
        top = max(volts / of.reference_V - 1, 0.0) * down
        return StageLoop(
            self.follower, self.amplifier, of.reference_V, top, down, self.output_F, self.esr_ohm,
            self.amps if amps is None else amps,
        )  # fmt: skip

    @cached_property
    def margins(self) -> list[tuple[float, float]]:
        """Share of full amps, phase margin in ° (−180 where it oscillates); none of a three-terminal."""
        found = []
        for share in LOOP_SHARES:
            one = self.loop(amps=self.amps * share)
            if one is None:
                return []
            margin = one.phase_margin if one.loop.stable else -180.0
            found.append((share, 180.0 if margin is None else margin))
        return found

    @property
    def dropout_V(self) -> float:
        """Volts between input and output that it needs at full amps, at its highest volts."""
        loop = self.loop()
        sense = self.limit.sense_ohm * self.amps if self.limit else 0.0
        if loop is None:
            return self.drop_V + self.ballast_ohm * self.amps / self.devices + sense
        return loop.lowest_in_V() - loop.output_V + sense

    @property
    def most_V(self) -> float:
        """Highest V out that the lowest input still lets through at full amps."""
        return self.in_low_V - self.dropout_V

    @cached_property
    def share(self) -> float:
        """Of all amps, in the device that takes most: bases differ, ballast evens them out."""
        n = self.devices
        if n == 1:
            return 1.0
        each = self.amps / n
        slope = self.ballast_ohm + THERMAL_V / each
        return min(1 / n + (n - 1) / n * BASES_DIFFER_V / slope / self.amps, 1.0)

    def junction_C(self, volts: float, amps: float) -> float:
        """°C of the device that takes most with the output at V and A, its input at the highest."""
        watts = max(self.feed_V(volts) - volts, 0.0) * amps
        own = watts * self.share * (self.junction_K_W + self.mounting_K_W)
        return self.air_C + watts * self.sink_K_W + own

    @property
    def short_A(self) -> float:
        """Amps into a short: by its limit; without one what it is asked for, and more."""
        return self.limit.amps(0.0) if self.limit else self.amps

    @cached_property
    def worst_points(self) -> list[tuple[str, float, float, float]]:
        """Words, V, A, °C: lowest volts at full amps, and a short."""
        low = max(self.divider.span_V[0], 0.0)
        found = [
            ("at its lowest volts", low, self.amps, self.junction_C(low, self.amps)),
            ("into a short", 0.0, self.short_A, self.junction_C(0.0, self.short_A)),
        ]
        if self.taps:
            back = self.taps.back_V
            found.append(("as its relay falls back", back, self.amps, self.junction_C(back, self.amps)))
        return found

    @property
    def holds_A(self) -> float:
        """Amps for good at its lowest volts, by its hottest junction."""
        low = max(self.divider.span_V[0], 0.0)
        over = max(self.feed_V(low) - low, 1e-9)
        chain = self.sink_K_W + self.share * (self.junction_K_W + self.mounting_K_W)
        return max(self.hottest_C - self.air_C, 0.0) / (over * chain)


def checked(stage: LinearStage) -> LinearStage:
    """Itself; UserError where a figure can't be."""
    of = stage.divider
    above = (of.reference_V, stage.amps, stage.in_high_V, stage.in_low_V, stage.in_stands_V, stage.devices)
    if not all(math.isfinite(x) and x > 0 for x in above):
        raise UserError("Reference, amps, input volts and devices of a stage are above zero.")
    if not math.isfinite(of.span_V[1]):
        raise UserError("The divider has no end: a leg of it comes to nothing. Put a fixed resistor into it.")
    if stage.in_low_V > stage.in_high_V:
        raise UserError("Its lowest input lies above its highest.")
    if of.pot_ohm and of.end_ohm > of.pot_ohm:
        raise UserError("What a pot keeps at its end is less than all of it.")
    return stage
