"""How a sink is cooled as it warms: by still air, then by its fan step by step.

A fan that is switched by its sink's temperature cuts the heat-up into phases; each has its own
thermal resistance and ends where the next step of the fan begins.
"""

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Figure, Flags
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import BlowerPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import ConverterLink, FanLink, UnitLink
from tensimeter.core.thermal.enclosure import Enclosure, air_K_W
from tensimeter.core.thermal.fan import quieter_dB
from tensimeter.core.thermal.heatsink import AIR_DENSITY, AIR_HEAT

#: Conductance of a sink grows with flow to this power, and a box lets through half of a fan's free flow:
#: rules of thumb.
FLOW_POWER, BOX_SHARE = 0.6, 0.5
#: Steps that a proportional fan is worked out in, and K over which it goes from slow to full.
PROPORTIONAL_STEPS, PROPORTIONAL_K = 4, 15.0


class FanStep(Struct, frozen=True):
    """One speed of a fan: from this sink temperature up, back below the other; share of full speed."""

    from_C: float
    back_C: float
    speed: float


class Phase(Struct, frozen=True):
    """One phase of a heat-up, arrays over operating points: °C that the sink tends to, s, where it ends.

    `begins_C` is the sink's temperature at which it begins, `back_C` where it falls back to the one before.
    """

    final_C: Array
    time_constant_s: float
    begins_C: float
    back_C: float
    ends_C: float
    speed: float


def fan_steps(job: Job) -> tuple[FanStep, ...]:
    """The speeds of the design's fan, slowest first; empty without one. The first fan of a design counts."""
    found = ((x, job.part(x.part)) for x in job.design.links if isinstance(x, FanLink))
    link, fan = next(((x, p) for x, p in found if isinstance(p, BlowerPart)), (None, None))
    if link is None or fan is None:
        return ()
    full = speed_at(fan, fan_V(job, link, fan))
    always, slow = -math.inf, min(speed_at(fan, link.slow_V or fan.rated_V / 2), full)
    if link.control == "always":
        return (FanStep(always, always, full),)
    if link.control == "threshold":
        return (FanStep(link.on_C, link.off_C, full),)
    if link.control == "steps":
        return (FanStep(link.on_C, link.off_C, slow), FanStep(link.on_C + 10, link.off_C + 10, full))
    steps = []
    for k in range(PROPORTIONAL_STEPS):
        part = k / (PROPORTIONAL_STEPS - 1)
        begins = link.on_C + part * PROPORTIONAL_K
        back = link.off_C if k == 0 else begins
        steps.append(FanStep(begins, back, slow + part * (full - slow)))
    return tuple(steps)


def speed_at(fan: BlowerPart, volts: float) -> float:
    """The speed of a fan at given volts, as a share of that at its rated ones; 0 below those it starts at.

    A DC fan's speed goes with its volts, near enough (rule of thumb); beyond its rating none is counted on.
    """
    return 0.0 if volts < fan.start_V else min(volts / fan.rated_V, 1.0)


def fan_V(job: Job, link: FanLink, fan: BlowerPart) -> float:
    """The volts that a fan is fed with: what the nearest converter is set to, else the sources' own.

    Its rated volts where what feeds it can't be told.
    """
    path = job.design.path_to(link.id)
    converter = next((x for x in reversed(path) if isinstance(x, ConverterLink)), None)
    if converter is not None:
        return converter.set_V
    units = [(x, job.part(x.part)) for x in path if isinstance(x, UnitLink)]
    alone = [part.alone(x) for x, part in units if isinstance(part, SourcePart)]
    known = [found.volts for found in alone if found is not None]
    return sum(known) if known and len(known) == len(units) else fan.rated_V


def resting_speed(job: Job) -> float:
    """The speed of the design's fan while its sink is cool, as a share of full speed."""
    steps = fan_steps(job)
    return steps[0].speed if steps and math.isinf(steps[0].from_C) else 0.0


def fan_of(job: Job) -> BlowerPart | None:
    """The fan that cools: the first of the design."""
    parts = (job.part(x.part) for x in job.design.links if isinstance(x, FanLink))
    return next((p for p in parts if isinstance(p, BlowerPart)), None)


def resistance_at(still_K_W: float, blown_K_W: float | None, speed: float) -> float:
    """K/W of a sink at a share of the fan's full speed; its conductance grows with flow^0.6."""
    if blown_K_W is None or speed <= 0:
        return still_K_W
    still, blown = 1 / still_K_W, 1 / blown_K_W
    return float(1 / (still + max(blown - still, 0.0) * speed**FLOW_POWER))


def still_air_K_W(job: Job) -> float:
    """K/W of the air inside without a fan: as typed, else by the box's size; 0 with its lid off or no box."""
    settings = job.settings
    if settings.lid_off or settings.box_K_W or settings.box is None:
        return settings.box_K_W
    box = settings.box
    size = (box.length_mm / 1e3, box.width_mm / 1e3, box.height_mm / 1e3)
    return air_K_W(Enclosure(*size, box.metal, box.vents_cm2 * 1e-4), settings.ambient_C)


def box_resistance(box_K_W: float, fan: BlowerPart | None, speed: float) -> float:
    """K/W of the air inside: through the walls, and out with the air that a fan moves, ΔT = P/(ρ·c·Q)."""
    if not box_K_W:
        return 0.0
    carried = 0.0
    if fan is not None and speed > 0:
        carried = AIR_DENSITY * AIR_HEAT * fan.flow_m3_h / 3600 * BOX_SHARE * speed
    return 1 / (1 / box_K_W + carried)


def settled(phases: Sequence[Phase]) -> Array:
    """°C that the sink settles at, or the top of its swing where the fan hunts."""
    last = phases[-1]
    found = _held(last)
    for phase in reversed(phases[:-1]):
        found = np.where(phase.final_C <= phase.ends_C, _held(phase), found)
    return np.asarray(found)


def _held(phase: Phase) -> Array:
    """A step that cools below its own end swings back up to where it begins."""
    if not math.isfinite(phase.begins_C):
        return phase.final_C
    return np.where(phase.final_C < phase.back_C, phase.begins_C, phase.final_C)


def seconds_to(phases: Sequence[Phase], start_C: Figure, limit_C: Figure) -> Array:
    """Seconds from a start until the sink is at its limit, phase by phase; infinite where it never is."""
    at: Array = np.asarray(start_C, float)
    total: Array = np.zeros(())
    reached: Flags = np.zeros((), bool)
    for phase in phases:
        end = np.minimum(limit_C, phase.ends_C)
        with np.errstate(divide="ignore", invalid="ignore"):
            share = (end - at) / (phase.final_C - at)
            took = -phase.time_constant_s * np.log1p(-np.clip(share, 0.0, 1.0))
        took = np.where(end <= at, 0.0, np.where(phase.final_C <= end, np.inf, took))
        total = total + np.where(reached, 0.0, took)
        reached = reached | (np.asarray(limit_C) <= phase.ends_C)
        at = np.maximum(at, np.minimum(end, phase.ends_C))
    return total


class Swing(Struct, frozen=True):
    """What the fan does at one operating point: in words, its period in s, its share at the faster step."""

    words: str
    period_s: float | None
    share: float
    louder_dB: float | None


def swing(phases: Sequence[Phase]) -> Swing:
    """Whether a fan rests, runs at a step, or hunts between two, at a single operating point."""
    for k, phase in enumerate(phases):
        final, ends = float(phase.final_C), phase.ends_C
        if final > ends:
            continue
        hunts = math.isfinite(phase.begins_C) and final < phase.back_C
        if not hunts:
            speed = phase.speed
            words = (
                "rests"
                if speed == 0
                else "runs at full speed"
                if speed == 1
                else f"runs at {speed * 100:.0f} %"
            )
            return Swing(words, None, float(speed > 0), quieter_dB(1.0, speed) if 0 < speed < 1 else None)
        below = phases[k - 1]
        warm = _between(below, phase.back_C, phase.begins_C)
        cool = _between(phase, phase.begins_C, phase.back_C)
        period = warm + cool
        return Swing("hunts", period, cool / period if period else 0.0, None)
    return Swing("runs at full speed", None, 1.0, None)


def _between(phase: Phase, start_C: float, end_C: float) -> float:
    final = float(phase.final_C)
    return phase.time_constant_s * math.log((final - start_C) / (final - end_C))
