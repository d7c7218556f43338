"""With what a campaign is loaded and measured: what it can sink, and which parts of the stock do it best."""

import math
from collections.abc import Callable

import numpy as np

from tensimeter.core.arrays import Figure
from tensimeter.core.design.reach import load_reach_A
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.parts.fed_part import PlainLoad
from tensimeter.core.parts.instrument_part import (
    CurrentClamp,
    LineFeeder,
    SetLoad,
    TemperatureMeter,
    VoltMeter,
    WaveformRecorder,
)
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.path import OutputLink

#: What a campaign asks for, by its field: in words, and which parts of a stock can do it.
ROLES: dict[str, tuple[str, tuple[type, ...]]] = {
    "load": ("load", (SetLoad, PlainLoad)),
    "parallel_loads": ("beside it, in parallel", (SetLoad, PlainLoad)),
    "other_loads": ("at other outputs", (SetLoad, PlainLoad)),
    "voltmeter": ("voltmeter", (VoltMeter, SetLoad)),
    "ammeter": ("ammeter", (SetLoad, VoltMeter, CurrentClamp)),
    "thermometer": ("thermometer", (TemperatureMeter, VoltMeter)),
    "oscilloscope": ("oscilloscope", (WaveformRecorder,)),
    "clamp": ("clamp", (CurrentClamp,)),
    "line_source": ("line source", (LineFeeder,)),
}


def able(job: Job, role: str) -> list[PartRecord]:
    """The parts of the stock that can play a role."""
    return [p for p in job.stock if isinstance(p, ROLES[role][1]) and not _is_fed(job, p)]


def _is_fed(job: Job, part: PartRecord) -> bool:
    """Whether it is what an output is there for: then it is no load to test with."""
    return any(o.device == part.id for o in job.design.outputs())


def loads_in_parallel(job: Job) -> list[PartRecord]:
    """The loads at the output under test: the campaign's, and those beside it."""
    ids = (job.campaign.load, *job.campaign.parallel_loads)
    return [p for i in ids if (p := job.part(i)) is not None]


def sinks_A(job: Job, volts: Figure) -> np.ndarray | None:
    """What the loads at one output sink together at each of its volts, A; None where none of them is set.

    Each to its own amps, watts and lowest volts; a resistor beside them takes U/R.
    """
    loads = loads_in_parallel(job)
    if not any(isinstance(p, SetLoad) for p in loads):
        return None
    v = np.asarray(volts, float)
    whole = np.zeros_like(v)
    for part in loads:
        if isinstance(part, SetLoad):
            whole = whole + load_reach_A(part, v)
        elif isinstance(part, PlainLoad) and (plain := part.as_resistor()) is not None:
            whole = whole + np.where(v * v / plain[0] <= plain[1], v / plain[0], 0.0)
    return whole


def whole_mA(amps: float) -> float:
    """Amps as they are set: to whole milliamperes, and not above."""
    return math.floor(amps * 1000 + 1e-6) / 1000


def sunk_A(job: Job, output: OutputLink, wanted_A: float, volts: float | None = None) -> float:
    """What the loads sink of what is wanted of an output, A, to whole mA; at its own volts, or others."""
    able = sinks_A(job, output.nominal_V if volts is None else volts)
    most = wanted_A if able is None else min(wanted_A, float(able))
    return whole_mA(most)


def load_alone_A(job: Job, volts: float) -> float:
    """What the campaign's first load sinks by itself, A; without end where it is none that is set."""
    load = job.part(job.campaign.load)
    return float(load_reach_A(load, volts)) if isinstance(load, SetLoad) else float("inf")


def beside_A(job: Job, wanted: dict[str, float]) -> dict[str, float]:
    """What the further loads sink of what is wanted of other outputs, A by output; each takes one of them."""
    loads = [job.part(p) for p in job.campaign.other_loads]
    found = {}
    for (output, amps), load in zip(wanted.items(), (*loads, *[None] * len(wanted)), strict=False):
        able = (
            float(load_reach_A(load, job.output(output).nominal_V)) if isinstance(load, SetLoad) else math.inf
        )
        found[output] = whole_mA(min(amps, able))
    return found


def beside_words(job: Job, output: OutputLink, wanted_A: float) -> list[str]:
    """What a further load can't sink of what is wanted of an output while others are read, and what would."""
    able_A = beside_A(job, {output.id: wanted_A})[output.id]
    if able_A >= wanted_A - 1e-9:
        return []
    return [
        f"While others are read, {output.name} can be loaded with {able_A:.3g} A of {wanted_A:.3g} A: the "
        f"second load sinks no more. {would_reach(wanted_A - able_A, output.nominal_V)}"
    ]


def would_reach(missing_A: float, volts: float) -> str:
    """What would reach the rest: a second load, or a resistor beside the first."""
    ohms = volts / missing_A
    return (
        f"A second load of {missing_A:.3g} A beside it would reach it, or a resistor of {ohms:.3g} Ω "
        f"that stands {missing_A * volts:.0f} W."
    )


def loads_words(job: Job) -> str:
    """The names of the loads at one output."""
    return " with ".join(p.name for p in loads_in_parallel(job))


def best(job: Job, role: str, volts: float, amps: float) -> str | None:
    """The part of the stock that plays a role best at an output's volts and amps; None without one."""
    scored = [(s, p.id) for p in able(job, role) if (s := _SCORES[role](p, volts, amps)) is not None]
    return min(scored, key=lambda x: x[0])[1] if scored else None


def _of_load(part: PartRecord, volts: float, amps: float) -> float | None:
    """What reaches the amps comes first, then the finer ammeter."""
    if not isinstance(part, SetLoad):
        return None
    missing = max(amps - float(load_reach_A(part, volts)), 0.0)
    return missing * 1e3 + part.amps.half_width(amps)


def _reads(quantity: str, at: int) -> Callable[[PartRecord, float, float], float | None]:
    """Scored by how far off it may read; `at` tells whether volts (0) or amps (1) are read."""

    def score(part: PartRecord, *figures: float) -> float | None:
        found = getattr(part, "accuracy_for", lambda *_: None)(quantity, figures[at])
        return found[0].half_width(figures[at]) if found else None

    return score


def _of_heat(part: PartRecord, volts: float, amps: float) -> float | None:
    return part.accuracy_K / (1 + part.channels) if isinstance(part, TemperatureMeter) else None


def _of_recorder(part: PartRecord, volts: float, amps: float) -> float | None:
    return part.step_V if isinstance(part, WaveformRecorder) else None


def _there(part: PartRecord, volts: float, amps: float) -> float | None:
    return 0.0


_SCORES: dict[str, Callable[[PartRecord, float, float], float | None]] = {
    "load": _of_load,
    "voltmeter": _reads("V", 0),
    "ammeter": _reads("A", 1),
    "thermometer": _of_heat,
    "oscilloscope": _of_recorder,
    "clamp": _reads("A", 1),
    "line_source": _there,
}


def proposed(job: Job) -> Job:
    """The job measured with the best that its stock has, role by role.

    By the output that asks for the most watts; what is joined beside the load stays as it is.
    """
    return _played(job, tuple(_SCORES))


def filled(job: Job) -> Job:
    """The job with the roles that nobody plays yet played by the best in stock; what was chosen stays."""
    return _played(job, tuple(role for role in _SCORES if getattr(job.campaign, role) is None))


def _played(job: Job, roles: tuple[str, ...]) -> Job:
    outputs = job.design.outputs()
    if not outputs:
        return job
    heaviest = max(outputs, key=lambda o: o.nominal_V * o.full_load_A)
    found = {role: best(job, role, heaviest.nominal_V, heaviest.full_load_A) for role in roles}
    chosen = {role: part for role, part in found.items() if part is not None}
    return with_campaign(job, **chosen) if chosen else job
