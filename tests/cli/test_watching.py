"""A run that is watched: the line that lives in a terminal, and the plain log elsewhere."""

import io

import pytest
from rich.console import Console

from tensimeter.bench.events import Event
from tensimeter.cli.watching import Watching
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job

JOB = demo_job("ridge-pier")


def watched(test: str, *, terminal: bool) -> tuple[Watching, io.StringIO, list[str]]:
    written, asked = io.StringIO(), list[str]()
    watching = Watching(plan(JOB, JOB.test(test)), lambda: asked.append("asked"), quiet=False)
    watching.console = Console(
        file=written, force_terminal=terminal, width=120, markup=False, highlight=False
    )
    return watching, written, asked


def test_the_line_says_step_reading_expectation_and_time_left() -> None:
    watching, _, _ = watched("soak", terminal=True)
    part, full = watching.plan.steps
    watching.tell(Event("live", part, (), 13.41, 3.99, (31.25, 40.5), 100.0))
    assert watching.words(Event("live", part, (), 13.41, 3.99, (31.25, 40.5), 400.0)) == (
        # 300 s of part load and 7200 s of full load, 300 s after the first began.
        f"1/2 {part.title}  ·  13.410 V 3.990 A  ·  expected {part.predicted_V.value:.3f} V  ·  40.5 °C"
        "  ·  up to 120 min left"
    )
    watching.tell(Event("live", full, (), 13.2, 8.0, (), 700.0))
    assert watching.words(Event("live", full, (), 13.2, 8.0, (), 7880.0)).endswith("up to 20 s left")


def test_elsewhere_only_what_is_kept_is_written_and_what_is_asked() -> None:
    watching, written, asked = watched("load-regulation", terminal=False)
    step = watching.plan.steps[1]
    with watching:
        for kind in ("started", "live", "kept", "live"):
            watching.tell(Event(kind, step, (), 13.5, 1.0))
        watching.tell(Event("ask", step, text="Move the load\x1b[2J to MOUNT."))
    assert asked == ["asked"]
    lines = written.getvalue().splitlines()
    assert len(lines) == 2
    assert lines[0].endswith("1.000 A   13.5000 V")
    assert "\x1b" not in lines[1]
    assert lines[1].endswith("Then press Enter.")


@pytest.mark.parametrize("at", ["start", "end"])
def test_a_step_that_is_over_leaves_no_time_below_zero(at: str) -> None:
    watching, _, _ = watched("load-regulation", terminal=True)
    step = watching.plan.steps[0 if at == "start" else -1]
    watching.tell(Event("live", step, (), 13.5, 1.0, (), 0.0))
    words = watching.words(Event("live", step, (), 13.5, 1.0, (), 1e6))
    whole = len(watching.plan.steps) - 1 if at == "start" else 0
    assert words.endswith(f"about {5 * whole} s left")
