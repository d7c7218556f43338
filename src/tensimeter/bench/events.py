"""What a run tells, how it is steered, and why it stops."""

import math
import threading
from typing import TYPE_CHECKING, Literal

from msgspec import Struct

from tensimeter.core.measurement.readings import RUN_ENDS, Reading
from tensimeter.core.testplan.step import Step

if TYPE_CHECKING:
    from tensimeter.core.heatup.soak_state import SoakState

Kind = Literal[
    "started",
    "step",
    "live",
    "kept",
    "wave",
    "warmth",
    "ask",
    "skipped",
    "paused",
    "off",
    "complete",
    "protected",
    "aborted",
    "fault",
    "bug",
]

#: The kinds that end a run.
ENDS = RUN_ENDS


class Event(Struct, frozen=True):
    """What the engine tells; `readings` were committed before."""

    kind: Kind
    step: Step | None = None
    readings: tuple[Reading, ...] = ()
    volts: float = math.nan
    amps: float = math.nan
    celsius: tuple[float, ...] = ()
    at_s: float = 0.0
    text: str = ""
    #: What is known of a soak, with an event of its warmth.
    state: "SoakState | None" = None


class Dropped(Exception):
    """The user dropped the load."""


class Crossed(Exception):
    """A guard's limit was crossed."""


class Stopped(Exception):
    """The run stood still, its guard acted, or nobody answers any more: what is read now is of no load."""


class Skipped(Exception):
    """The user passed a point over."""


class Control:
    """What a user does to a run, from any thread."""

    def __init__(self) -> None:
        self.stop, self.running = threading.Event(), threading.Event()
        self.answered, self.skipping = threading.Event(), threading.Event()
        self.running.set()
        #: When the window last showed that it answers (s of the wall); None where there is none.
        self.window_seen: float | None = None

    def drop(self) -> None:
        self.stop.set()
        self.running.set()
        self.answered.set()

    def skip(self) -> None:
        self.skipping.set()
        self.answered.set()

    def check(self) -> None:
        """Raise what the user wants, if anything."""
        if self.stop.is_set():
            raise Dropped
        if self.skipping.is_set():
            self.skipping.clear()
            raise Skipped
