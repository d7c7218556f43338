"""What a run tells whoever watches it: in a terminal one line that lives, elsewhere a plain log."""

import math
from collections.abc import Callable
from types import TracebackType
from typing import Self

from rich.console import Console
from rich.live import Live
from rich.text import Text

from tensimeter.bench.events import ENDS, Event
from tensimeter.core.errors import one_line
from tensimeter.core.quantity import fixed, show
from tensimeter.core.testplan.step import Plan, Step

#: How often the line is drawn anew, a second.
PER_SECOND = 4


def step_words(step: Step) -> str:
    """A step in words: its title, or its load."""
    return step.title or f"{step.set_A:6.3f} A"


def left_s(plan: Plan, step: Step, since_s: float) -> float:
    """What the rest of a run takes, s, `since_s` after a step began: its holds, and a dwell at each point."""
    rest = [s.hold_s or plan.test.dwell_s for s in plan.steps[step.index :]]
    return max(sum(rest) - min(since_s, rest[0] if rest else 0.0), 0.0)


class Watching:
    """Takes the events of one run; what is kept is written for good, what stands only in a terminal.

    `on_ask` is called where a person must do something before the run goes on.
    """

    def __init__(self, plan: Plan, on_ask: Callable[[], None], *, quiet: bool) -> None:
        self.plan, self.on_ask, self.quiet = plan, on_ask, quiet
        # What people call things is text: nothing that a terminal would act on.
        self.console = Console(stderr=True, highlight=False, soft_wrap=True, markup=False, emoji=False)
        self.live: Live | None = None
        if self.console.is_terminal and not quiet:
            self.live = Live(console=self.console, transient=True, refresh_per_second=PER_SECOND)
        self.step: Step | None = None
        self.began_s = 0.0

    def __enter__(self) -> Self:
        if self.live is not None:
            self.live.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, trouble: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self.live is not None:
            self.live.stop()

    def tell(self, event: Event) -> None:
        """Take in one event, from any thread."""
        if self.quiet:
            return
        if event.step is not None and event.step is not self.step:
            self.step, self.began_s = event.step, event.at_s
        if event.kind == "kept" and event.step is not None:
            self._write(f"{step_words(event.step)}  {event.amps:.3f} A  {event.volts:8.4f} V")
        elif event.kind in ("wave", "warmth") and event.text:
            self._write(event.text)
        elif event.kind == "ask":
            self._write(f"{event.text} Then press Enter.")
            self.on_ask()
        if self.live is not None and event.kind in ("live", "kept", "started", "step"):
            self.live.update(Text(self.words(event), no_wrap=True, overflow="ellipsis"))
        elif self.live is not None and event.kind in ENDS:
            self.live.update(Text(""))

    def words(self, event: Event) -> str:
        """The line that stands: which step, what is read, what is expected, how long the rest takes."""
        step, plan = self.step, self.plan
        if step is None:
            return f"{plan.test.id} begins"
        told = [f"{step.index + 1}/{len(plan.steps)} {step_words(step).strip()}"]
        if math.isfinite(event.volts):
            told.append(f"{fixed(event.volts, 'V', 3)} {fixed(event.amps, 'A', 3)}")
        if step.predicted_V is not None:
            told.append(f"expected {fixed(step.predicted_V.value, 'V', 3)}")
        if event.celsius:
            told.append(fixed(max(event.celsius), "C", 1))
        left = left_s(plan, step, event.at_s - self.began_s)
        most = "up to " if step.hold_s else "about "
        told.append(f"{most}{show(left / 60, 'min', 2) if left >= 60 else f'{left:.0f} s'} left")
        return "  ·  ".join(told)

    def _write(self, words: str) -> None:
        self.console.print(Text(one_line(words)))
