"""The reach map and the worst case, against bare NumPy over as many points."""

import numpy as np

from benchmarks.measure import Row, in_turns
from tensimeter.core.design.reach import reach
from tensimeter.core.design.worst_case import spread, volts_of
from tensimeter.core.model.edits import without_link
from tensimeter.core.model.job import Job
from tensimeter.demo.library import demo_job
from tensimeter.ui.app import keep_memory

LIMITERS = 12


def two_donors() -> Job:
    """The demo's two stacked donors with the front end's branch alone."""
    job = demo_job("ridge-pier")
    for link in ("dew", "dew-lead", "dew-module", "hub", "hub-lead", "hub-module"):
        job = without_link(job, link)
    return job


def map_row(points: int) -> Row:
    job, rng = two_donors(), np.random.default_rng(1)
    volts, amps = np.linspace(1, 40, points), np.linspace(0, 12, points)
    a, b = rng.random((points, points)), rng.random((points, points))

    def floor() -> None:
        for _ in range(LIMITERS):
            (a * 1.01 - b) > 0  # noqa: B015 - only its time is wanted

    times = in_turns(lambda: reach(job, "mount", volts, amps), floor, 25)
    return Row("reach map, two donors, 12 limiters and more", f"{points} × {points}", *times, 10.0)


def worst_case_row(draws: int) -> Row:
    """The floor draws the same figures and works the same path by hand, straight down."""
    job = two_donors()

    def floor() -> object:
        rng = np.random.default_rng(1)

        def around(value: float, share: float) -> np.ndarray:
            return rng.uniform(value * (1 - share), value * (1 + share), (draws, 1))

        emf = around(24.1, 0.01) + around(24.2, 0.01)
        source = around(0.018, 0.3) + around(0.018, 0.3)
        set_V, inner = around(13.6, 0.003), around(0.004, 0.3)
        fixed, per_A, per_A2 = around(1.3, 0.2), around(0.42, 0.2), around(0.055, 0.2)
        fuse, wire, contact = around(0.0061, 0.2), around(0.0276, 0.05), around(0.006, 0.5)
        amps = 8.0
        front = set_V - inner * amps
        power = front * amps + fixed + per_A * amps + per_A2 * amps**2
        feed = (emf + np.sqrt(emf**2 - 4 * power * source)) / 2
        volts = np.where(np.isfinite(feed), front - (fuse + wire + contact) * amps, np.nan)
        return np.quantile(volts, [0.025, 0.5, 0.975]), source * (power / feed) ** 2

    times = in_turns(lambda: spread(job, {"mount": 8.0}, volts_of("mount"), draws=draws), floor, 9)
    return Row("worst case, spread of the output's volts", f"{draws} draws", *times, 3.0)


def rows() -> list[Row]:
    # As the window does when it starts; the floor has the good of it too.
    keep_memory()
    return [*(map_row(n) for n in (100, 200, 400)), worst_case_row(25_000), worst_case_row(100_000)]
