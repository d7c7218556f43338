"""Runaways by seed, and normal heat-ups with lag and load steps: what is flagged, and when.

python -m benchmarks.runaways
"""

from concurrent.futures import ProcessPoolExecutor

import numpy as np

from tensimeter.core.heatup.record import HeatUp
from tensimeter.core.heatup.runaway import runs_away

LIMIT_C, STEP_S = 105.0, 1.0
#: A runaway that is at its limit sooner after a step of the load than this shows no slope to tell it by.
SEEN_S = 600.0


def heated(seed: int, *, away: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray, tuple[float, ...]]:
    """s, °C as read, room as read, load steps: two nodes, a lagging probe, integrated second by second."""
    rng = np.random.default_rng([seed, int(away)])
    inner, outer = rng.uniform(0.5, 3), rng.uniform(3, 8)
    small, large = rng.uniform(8, 30), rng.uniform(120, 400)
    room, drift = rng.uniform(12, 28), rng.uniform(-1, 1) / 3600
    lag, noise, digit = rng.uniform(2, 60), rng.uniform(0.05, 0.4), float(rng.choice([0.1, 0.1, 1.0]))
    seconds = int(rng.uniform(1.5, 4) * outer * large)
    steps = tuple(float(s) for s in np.sort(rng.uniform(0, seconds * 0.7, rng.integers(0, 3))))
    loop = rng.uniform(1.3, 2.2) if away else rng.uniform(0, 0.5)
    watts = rng.uniform(20, 45) / (inner + outer)
    growth = loop / (watts * (inner + outer))
    case = sink = shown = room
    t, read, ambient = [], [], []
    every = int(rng.integers(2, 16))
    for k in range(20 * seconds if away else seconds):
        air = room + drift * k
        share = 0.4 + 0.6 * (1 + sum(k >= s for s in steps)) / (1 + len(steps))
        heat = watts * share * (1 + growth * (case - room))
        into = (case - sink) / inner
        case += STEP_S * (heat - into) / small
        sink += STEP_S * (into - (sink - air) / outer) / large
        shown += STEP_S * (case - shown) / lag
        if k % every == 0:
            t.append(float(k))
            read.append(np.round((shown + noise * rng.standard_normal()) / digit) * digit)
            ambient.append(np.round((air + 0.1 * rng.standard_normal()) / 0.1) * 0.1)
        if case >= LIMIT_C:
            break
    return np.array(t), np.array(read), np.array(ambient), (0.0, *steps)


def flagged(job: tuple[int, bool]) -> tuple[float | None, float]:
    """Seconds at which it was first flagged, looking every half minute; and when the record ended."""
    seed, away = job
    t, read, ambient, steps = heated(seed, away=away)
    for end in np.arange(300.0, t[-1] + 30, 30.0):
        part = t <= end
        if runs_away(HeatUp(t[part], read[part], ambient[part], tuple(s for s in steps if s < end))):
            return float(end), float(t[-1])
    return None, float(t[-1])


def _seen(seed: int) -> bool:
    t, read, _, steps = heated(seed, away=True)
    return read[-1] > LIMIT_C - 12 and t[-1] - max(s for s in steps if s < t[-1]) > SEEN_S


def main() -> None:
    with ProcessPoolExecutor(2) as pool:
        seeds = [k for k in range(60) if _seen(k)][:20]
        away = list(pool.map(flagged, [(k, True) for k in seeds]))
        normal = list(pool.map(flagged, [(k, False) for k in range(200)]))
    seen = [when / end for when, end in away if when is not None]
    at = f"{np.median(seen):.2f} of the time to it (median), {max(seen):.2f} at the latest"
    print(f"runaways flagged before the limit: {len(seen)} of {len(away)}, at {at}")
    print(f"false alarms: {sum(when is not None for when, _ in normal)} of 200")


if __name__ == "__main__":
    main()
