"""What the fan of a design does to a heat-up: when it turned, and where it will hold the sink."""

import itertools

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Flags
from tensimeter.core.heat_design.measuring_points import chain
from tensimeter.core.heatup.record import digit_of, noise_of
from tensimeter.core.heatup.turning_points import swinging
from tensimeter.core.model.job import Job
from tensimeter.core.rating.fan_cooling import fan_steps, resting_speed

#: How far off its own sensor switches a fan, K, and how far a sink's gain from it strays: rules of thumb.
SENSOR_K, GAIN_SPREAD = 2.0, 0.15
#: A sink that has less than this to cool stands still, and turns its fan off no more.
STILL_K = 0.5
#: Samples that a record is looked at in for turns, and the least climb in K that can be seen to bend.
MOST, LEAST_K = 2000, 0.4
#: Seconds after a step of the load until a sink goes its own way.
SETTLED_S = 120.0
#: How many times what a slope strays by a bend must be.
SURE = 4.0
#: Seconds before and after a moment over which it is seen how fast a sink goes.
WINDOW_S = 60.0


class Rung(Struct, frozen=True):
    """One speed of a fan: the °C of its sink at which it begins and ends, and K of the sink over the room."""

    from_C: float
    back_C: float
    speed: float
    sink_K: float


def rungs(job: Job, link: str, own_W: float, rest_W: float) -> tuple[Rung, ...]:
    """The speeds of the design's fan for a converter's sink at a heat, at rest first; one without a choice.

    `own_W` is lost in the converter, `rest_W` elsewhere inside the box.
    """
    resting = resting_speed(job)
    steps = [(-np.inf, -np.inf, resting)]
    if not resting:
        steps += [(s.from_C, s.back_C, s.speed) for s in fan_steps(job)]
    found = []
    for from_C, back_C, speed in steps:
        stages = chain(job, link, speed)
        if stages is None:
            return ()
        theta = stages.theta_K_W
        sink_K = own_W * theta["sink"] + (own_W + rest_W) * theta.get("air", 0.0)
        found.append(Rung(from_C, back_C, speed, sink_K))
    return tuple(found)


def turns(ladder: tuple[Rung, ...], time_s: Array, sink_C: Array, off_K: float) -> list[tuple[float, int]]:
    """When the fan went to another rung by a sink's temperatures (n,), and to which.

    Within `off_K` of a threshold the sink's own bend tells: it climbs or falls half as fast from then on, or
    less. Past that the fan is taken to have turned as the design says.
    """
    stride = max(len(time_s) // MOST, 1)
    t, c = time_s[::stride], sink_C[::stride]
    if len(t) < 3:
        return []
    up, down = bent(t, c, min(max((t[-1] - t[0]) / 15, WINDOW_S, 5 * _pause(t)), 5 * WINDOW_S))
    found: list[tuple[float, int]] = []
    at = 0
    for k, (now, celsius) in enumerate(zip(t.tolist(), c.tolist(), strict=True)):
        before = at
        if at + 1 < len(ladder):
            over = celsius - ladder[at + 1].from_C
            at += over >= off_K or (over >= -off_K and bool(up[k]))
        if at > 0 and at == before:
            under = ladder[at].back_C - celsius
            at -= under >= off_K or (under >= -off_K and bool(down[k]))
        if at != before:
            found.append((now, at))
    return found


def bent(time_s: Array, celsius: Array, window: float) -> tuple[Flags, Flags]:
    """At which samples (n,) a climb, and a fall, surely halved at once: by lines before and after."""
    before = _slope(time_s, celsius, time_s - window, time_s)
    after = _slope(time_s, celsius, time_s, time_s + window)
    whole = (time_s - window >= time_s[0]) & (time_s + window <= time_s[-1])
    digit = digit_of(celsius)
    noise = np.hypot(noise_of(time_s, celsius, digit), digit / np.sqrt(12))
    # A line through n even samples has a slope that strays by σ·√(12/n) over its length.
    count = max(window / _pause(time_s), 2.0)
    strays = noise * np.sqrt(12 / count) / window
    clear = (
        whole & (np.abs(before) * window > LEAST_K) & (np.abs(after - before) > SURE * np.sqrt(2) * strays)
    )
    return clear & (before > 0) & (after < before / 2), clear & (before < 0) & (after > before / 2)


def seen_turns(time_s: Array, celsius: Array, steps_s: tuple[float, ...]) -> tuple[Array, Array]:
    """°C of a sink (n,) at which it was seen that a fan came on, and that it went off; of none, empty.

    Only between two steps of the load: tops and bottoms of its swings there, and bends too sharp for a sink.
    A fan that goes off while a sink cools anyway may change too little to be seen.
    """
    on: list[float] = []
    off: list[float] = []
    edges = [*steps_s, np.inf]
    for begin, end in itertools.pairwise(edges):
        there = (time_s >= begin + SETTLED_S) & (time_s < end)
        t, c = time_s[there], celsius[there]
        if len(t) < 10:
            continue
        swings = swinging(t, c)
        # A sink that cools from the first reading on has turned at no top.
        tops = swings.tops_C[swings.tops_C > c[0] + LEAST_K]
        if len(tops):
            on += tops.tolist()
            off += swings.bottoms_C.tolist()
            continue
        up, down = bent(t, c, max(WINDOW_S, 5 * _pause(t)))
        on += c[up][:1].tolist()
        off += c[down][:1].tolist()
    return np.array(on), np.array(off)


def _pause(t: Array) -> float:
    """Seconds from one sample to the next; those of a log may come at one time."""
    return max(float(np.median(np.diff(t))), 1e-3)


def _slope(t: Array, c: Array, begin_s: Array, end_s: Array) -> Array:
    """Slope in K/s of the straight line through the samples of each stretch."""
    low, high = np.searchsorted(t, begin_s), np.searchsorted(t, end_s, side="right")
    x, y = t - t.mean(), c - c.mean()
    n, sx, sy, sxx, sxy = (
        sums[high] - sums[low]
        for sums in (np.append(0.0, np.cumsum(v)) for v in (np.ones_like(x), x, y, x * x, x * y))
    )
    spread = n * sxx - sx * sx
    return np.asarray((n * sxy - sx * sy) / np.where(spread > 0, spread, np.inf))


def held(
    ladder: tuple[Rung, ...], at: int, now_C: Array, final_C: Array, room_C: float, rng: "np.random.Generator"
) -> Array:
    """The hottest that a sink comes to, °C (k,), where it would end at `final_C` with the fan as it is.

    It goes to the next rung where that begins, and ends there or at what the rung lets it: as much less as
    the design says. A rung that cools below its own end swings back up to where it began. A threshold that
    has not acted yet lies beyond where the sink is now.
    """
    if not ladder:
        return final_C
    off = SENSOR_K * rng.standard_normal(final_C.shape)
    most = final_C
    if at > 0:
        back = np.minimum(ladder[at].back_C + off, now_C)
        most = np.where(final_C < back - STILL_K, ladder[at].from_C + off, final_C)
    for rung in ladder[at + 1 :]:
        share = rung.sink_K / ladder[at].sink_K if ladder[at].sink_K > 0 else 1.0
        gain = 1 - (1 - share) * (1 + GAIN_SPREAD * rng.standard_normal(final_C.shape))
        then, begins = room_C + (final_C - room_C) * gain, np.maximum(rung.from_C + off, now_C)
        most = np.where(most > begins, np.maximum(begins, then), most)
    return np.asarray(most)
