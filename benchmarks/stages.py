"""Hidden thermal models by seed: how often the fitted θ and C of each stage hold the truth.

python -m benchmarks.stages [RUNS]
"""

import sys
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from scipy.integrate import solve_ivp

from tensimeter.core.thermal.rc_ladder import CauerLadder, Heating, Track, fit_ladder

DESIGN = CauerLadder({"case": 2.0, "sink": 6.0, "air": 0.9}, {"case": 14.0, "sink": 220.0, "air": 600.0})
POWER_SHARE = 0.05


def tried(seed: int) -> list[bool]:
    """θ and C of case, sink and air: inside their 95 % interval or not."""
    rng = np.random.default_rng([seed, 41])
    true = DESIGN.with_vector(DESIGN.vector() + 0.4 * rng.standard_normal(6))
    heat = 8.0 * (1 + POWER_SHARE * rng.standard_normal())
    room = rng.uniform(12, 28)
    theta, c = true.theta_K_W, true.capacity_J_K

    def flow(t: float, x: np.ndarray) -> list[float]:
        watts = heat * (0.35 if t < 900 else 1.0)
        into_sink, into_air = (x[0] - x[1]) / theta["case"], (x[1] - x[2]) / theta["sink"]
        out = (x[2] - room - t / 3600) / theta["air"]
        return [
            (watts - into_sink) / c["case"],
            (into_sink - into_air) / c["sink"],
            (into_air + 6.0 - out) / c["air"],
        ]

    t = np.sort(rng.uniform(0, 7200, 700))
    solution = solve_ivp(flow, (0, 7200), [room] * 3, t_eval=t, method="LSODA", rtol=1e-8, max_step=20)
    tracks = []
    for k, place in enumerate(("case", "sink", "air")):
        offset, noise = rng.uniform(-1, 1), 0.15
        read = np.round((solution.y[k] + offset + noise * rng.standard_normal(len(t))) / 0.1) * 0.1
        tracks.append(Track(place, t, read, noise, 1.0))
    known = 8.0 * np.array([0.35, 1.0])
    heating = Heating(
        np.array([0.0, 900.0]),
        {"case": known, "air": np.array([6.0, 6.0])},
        np.array([0.0, 7200.0]),
        np.array([room, room + 2.0]),
    )
    found = fit_ladder(DESIGN, heating, tracks)
    inside = []
    for place in ("case", "sink", "air"):
        for value, of in ((theta[place], found.theta(place)), (c[place], found.capacity(place))):
            inside.append(of.low <= value <= of.high)
    return inside


def main() -> None:
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else 50
    with ProcessPoolExecutor(2) as pool:
        rows = np.array(list(pool.map(tried, range(runs))))
    names = [f"{what} {place}" for place in ("case", "sink", "air") for what in ("θ", "C")]
    for name, column in zip(names, rows.T, strict=True):
        print(f"{name:8} inside its interval in {int(column.sum())} of {runs}")
    print(f"all together {int(rows.sum())} of {rows.size}")


if __name__ == "__main__":
    main()
