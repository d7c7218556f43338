"""What is known at a moment of a soak: where it ends, on what ground, whether a limit is passed."""

from functools import cached_property
from typing import Literal

import numpy as np
from msgspec import Struct

from tensimeter.core.heatup.forecast import Forecast
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.quantity import show

Call = Literal["will cross", "likely to cross", "can't tell yet", "stays below"]


class SoakState(Struct, frozen=True, eq=False, dict=True):
    """What is known at a moment of a soak. °C, s; `spot` is the junction, or the place itself without one."""

    link: str | None
    place: str
    place_name: str
    limit_C: float
    measured: Forecast
    spot: Forecast
    chance: float
    call: Call
    steady: bool
    runaway: bool
    elapsed_s: float
    #: Seconds since full load came on, and until it may be called proven.
    at_load_s: float
    left_s: float
    proven: bool
    room_C: float
    on_spot: bool
    #: At which load that is, where it is not the one in hand: empty, or as in `at 8 A `.
    at_full: str = ""
    #: K that the junction lies above the place.
    above_K: float = 0.0
    #: What its fan does on the way, where that matters to the end.
    fan: str = ""

    # A window asks these at every reading; a state is worked out but now and then.
    @cached_property
    def minutes_to_limit(self) -> Interval | None:
        """Minutes until the spot reaches its limit; None where it never does."""
        return self.spot.minutes_to(self.limit_C)

    @property
    def ground(self) -> str:
        """What the estimate rests on."""
        return self.measured.ground

    @cached_property
    def sentence(self) -> str:
        """What it says, on what ground, and how long it still takes."""
        what = self.at_full + ("the junction" if self.on_spot else self.place_name)
        final = self.spot.final
        ends = f"{show(final.value, 'C', 3)}, {show(final.low, 'C', 3)} … " + (
            show(final.high, "C", 3) if np.isfinite(final.high) else "no end known"
        )
        if self.runaway:
            return f"It runs away: {self.place_name} climbs ever faster. Drop the load."
        said = {
            "will cross": f"Will cross: {what} ends at {ends}, above {show(self.limit_C, 'C', 3)}",
            "likely to cross": f"Likely to cross {show(self.limit_C, 'C', 3)}: {what} ends at {ends}",
            "can't tell yet": f"Can't tell yet: {what} ends at {ends}; of {show(self.limit_C, 'C')}",
            "stays below": f"Stays below {show(self.limit_C, 'C', 3)}: {what} ends at {ends}",
        }[self.call]
        minutes = self.minutes_to_limit
        if minutes is not None and minutes.high > 0.5 and self.call in ("will cross", "likely to cross"):
            late = f"{minutes.high:.0f}" if np.isfinite(minutes.high) else "never"
            said += (
                f", in {minutes.value:.0f} min ({minutes.low:.0f} … {late})"
                if np.isfinite(minutes.value)
                else ""
            )
        ground = f" By {self.ground}{', ' if self.fan else ''}{self.fan}."
        if self.proven:
            return f"{said}.{ground} Steady, and held long enough to call it proven."
        if self.call == "stays below" and np.isfinite(self.left_s):
            return f"{said}.{ground} About {max(self.left_s / 60, 1):.0f} min more prove it."
        return said + "." + ground
