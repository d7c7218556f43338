"""A first supply, step by step: what is typed where, and how one sees that it was done."""

import math
from collections.abc import Callable, Sequence
from typing import Literal

from msgspec import Struct

from tensimeter.core.measurement.readings import Reading, pairs, standing
from tensimeter.core.model.job import Job
from tensimeter.core.parts.instrument_part import VoltMeter
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.parts.steps import PowerUpStep
from tensimeter.core.path import UnitLink
from tensimeter.core.procedure.first_power import power_up_results
from tensimeter.core.procedure.matrix import checked, matrix
from tensimeter.core.quantity import fixed

#: The job that is guided by its name; all in it is made up.
GUIDED = "Guided first supply"
#: So many points of a load regulation are enough to see a line.
POINTS = 3

Readings = Sequence[Reading]
Where = Literal["nameplate", "add", "line", ""]


def _nothing_to_type(job: Job, readings: Readings) -> str:
    return ""


class GuideStep(Struct, frozen=True):
    """One act: its stage, what it is and why, what may be typed for it, and into which line.

    `done` tells by the job and its readings; None where there is only something to look at.
    """

    stage: str
    title: str
    words: str
    where: Where = ""
    line: Callable[[Job, Readings], str] = _nothing_to_type
    done: Callable[[Job, Readings], bool] | None = None
    #: The place that is read, where it has to be taken up first; empty for none.
    place: Callable[[Job, Readings], str] = _nothing_to_type


def guided_job() -> Job:
    """The empty job that the guide begins with."""
    return Job(name=GUIDED, demo=True)


def step_at(job: Job, readings: Readings, passed: int) -> int:
    """The step in hand: the first from `passed` on that is not done; as many as there are where all is."""
    for k in range(passed, len(GUIDE)):
        done = GUIDE[k].done
        if done is None or not done(job, readings):
            return k
    return len(GUIDE)


def _has_source(job: Job, readings: Readings) -> bool:
    return any(isinstance(p, SourcePart) for p in job.stock)


def _has_meter(job: Job, readings: Readings) -> bool:
    return any(isinstance(p, VoltMeter) for p in job.stock)


def _output(job: Job) -> str:
    outputs = job.design.outputs()
    return outputs[0].id if outputs else ""


def _pair_line(job: Job, readings: Readings) -> str:
    """The pair that is read next, by its number, with what a sound build shows."""
    for number, check in enumerate(checked(job, readings), start=1):
        if check.reading is None:
            return f"{number} {'0.2' if check.pair.kind == 'joined' else 'OL'}"
    return ""


def _pair_read(job: Job, readings: Readings) -> bool:
    places = {p.place for p in matrix(job)}
    return any(r.place in places for r in readings)


def _first_power_step(job: Job, readings: Readings) -> PowerUpStep | None:
    for here in power_up_results(job, readings, lambda _: job):
        if here.reading is None and here.step.band is not None and here.step.expected is not None:
            return here.step
    return None


def _first_power_line(job: Job, readings: Readings) -> str:
    step = _first_power_step(job, readings)
    return fixed(step.expected, step.quantity, 2) if step is not None else ""


def _first_power_place(job: Job, readings: Readings) -> str:
    step = _first_power_step(job, readings)
    return step.place if step is not None else ""


def _first_power_read(job: Job, readings: Readings) -> bool:
    places = {here.step.place for here in power_up_results(job, readings, lambda _: job)}
    return any(r.place in places and r.quantity == "V" for r in readings)


def _earth_line(job: Job, readings: Readings) -> str:
    return f"earth-{_output(job)} OL"


def _earth_read(job: Job, readings: Readings) -> bool:
    return any(r.place == f"earth-{_output(job)}" for r in standing(readings))


#: What the made-up supply gives: at no load, and less for each amp, V and Ω.
_GIVES_V, _LOSES_OHM = 24.10, 0.031


def _point_line(job: Job, readings: Readings) -> str:
    taken = len(pairs(readings, _output(job)))
    amps = min(1.5 * taken, 3.0)
    return f"{_output(job)} {_GIVES_V - _LOSES_OHM * amps:.3f}V @{amps:g}A"


def _points_read(job: Job, readings: Readings) -> bool:
    found = [p for p in pairs(readings, _output(job)) if math.isfinite(p.volts.value)]
    return len({p.amps.value for p in found}) >= POINTS


GUIDE: tuple[GuideStep, ...] = (
    GuideStep(
        "stock", "A card from its label",
        "What stands on a donor's label makes its card. Type it, and press Enter.",
        "nameplate", lambda *_: "24V 6.3A 150W donor", _has_source,
    ),
    GuideStep(
        "stock", "What it is measured with",
        "A meter is a card too: its accuracy goes into every verdict. Type its name; the library knows it.",
        "nameplate", lambda *_: "Handheld multimeter", _has_meter,
    ),
    GuideStep(
        "design", "The path begins with a source",
        "Parts are joined by their names, each to the one before. Type the donor's name, and press Enter.",
        "add", lambda *_: "donor", lambda job, _: any(isinstance(x, UnitLink) for x in job.design.links),
    ),
    GuideStep(
        "design", "A fuse, and the outlet",
        "A donor can feed a short with far more than a wire bears: a fuse comes first. Enter takes it from "
        "the library.",
        "add", lambda *_: "Fuse 5 A slow", lambda job, _: any(x.kind == "fuse" for x in job.design.links),
    ),
    GuideStep(
        "design", "The outlet",
        "A path ends with an output: its name, its volts, the amps that its load takes.",
        "add", lambda *_: "output OUT 24V 3A", lambda job, _: bool(job.design.outputs()),
    ),
    GuideStep(
        "design", "What gives up first",
        "The ladder ranks every limit of the path, and the load line shows volts over amps with their "
        "spread. With a bar in hand F1 tells how its figure came about. Look around, then go on.",
    ),
    GuideStep(
        "assemble", "Before it is switched on",
        "Nothing is plugged in yet. What must be joined and what must be apart is read with the meter; a "
        "number and a figure will do. What must be read is a hold: it keeps the later stages back.",
        "line", _pair_line, _pair_read,
    ),
    GuideStep(
        "wake", "First power",
        "On a real bench: lamp or current limit in the lead, one hand, and the mains off before anything is "
        "touched. Each step says what to read and what is expected; type what the meter shows.",
        "line", _first_power_line, _first_power_read, _first_power_place,
    ),
    GuideStep(
        "prove", "Is the outlet free of earth?",
        "Before anything real is joined to it: minus to earth, with the ohmmeter. OL is over range, so it is "
        "open.",
        "line", _earth_line, _earth_read,
    ),
    GuideStep(
        "prove", "Volts under load",
        "Set a load, read the volts, type both; an instrument or a log would file them the same way. Three "
        "points make a line, with its resistance and what it is uncertain by.",
        "line", _point_line, _points_read,
    ),
    GuideStep(
        "plate", "What may be printed on its front",
        "Only what was shown, with what it was shown by. Here all is made up, and the sheet says so. That "
        "is the whole way: your own supply begins with its label, at Ctrl+O.",
    ),
)  # fmt: skip
