"""A fan as read, the quietest setting that holds at the worst, its thresholds and its curve."""

import itertools

import numpy as np
import pytest

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Measurand, Reading
from tensimeter.core.model.edits import with_link
from tensimeter.core.model.job import Job
from tensimeter.core.rating.envelope import envelope
from tensimeter.core.readingline import understand
from tensimeter.core.testplan.plan import plans_of
from tensimeter.core.tuning.fan_plan import FanPlan, fan_plan
from tensimeter.core.tuning.fan_words import (
    as_c,
    as_csv,
    fan_asked,
    plan_sentence,
    sweep_sentence,
    threshold_sentence,
)
from tensimeter.demo.library import demo_hand, demo_job


def bench(full_A: float, hottest_C: float | None = None) -> Job:
    job = demo_job("finishers-bench")
    job = with_link(job, job.output("bath").model_copy(update={"full_load_A": full_A}))
    return job.model_copy(update={"settings": job.settings.model_copy(update={"hottest_C": hottest_C})})


def read(*rows: tuple[str, Measurand, float]) -> list[Reading]:
    return [
        Reading(k, float(k), place, q, v, "", None, "four-wire", "typed", id=k)
        for k, (place, q, v) in enumerate(rows, 1)
    ]


def planned(job: Job, *rows: tuple[str, Measurand, float], keep_K: float = 10.0) -> FanPlan:
    return fan_plan(job, read(*rows), plans_of(job), keep_K)


def swept(*pairs: tuple[float, float]) -> list[tuple[str, Measurand, float]]:
    return [row for v, rpm in pairs for row in (("fan", "V", v), ("fan", "rpm", rpm))]


def test_a_fan_starts_higher_than_it_stops_and_the_worst_start_counts() -> None:
    up, down = ((0, 0), (4, 0), (5, 1200), (8, 2000), (12, 3000)), ((6, 1500), (4, 900), (3, 0))
    again = ((5, 0), (5.5, 1400))
    sweep = planned(bench(1.0), *swept(*up, *down, *again)).sweep
    assert sweep.starts is not None
    assert sweep.stops is not None
    assert (sweep.starts.low, sweep.starts.high) == (5, 5.5)
    assert (sweep.stops.low, sweep.stops.high) == (3, 4)
    assert sweep.least_V == pytest.approx(6.05)
    # Below that it is not sure to turn, whatever its line says.
    assert sweep.speed(6.0) == 0.0
    assert sweep.speed(12.0) == 1.0
    assert "between 5 V and 5.5 V" in sweep_sentence(sweep)
    # Nothing typed, or nothing that tells: the label's start is taken, and said to be.
    for rows in ((), swept((12, 3000)), swept((5, 0)), swept((-3, 100), (np.inf, 0))):
        one = planned(bench(1.0), *rows).sweep
        assert one.least_V == 6.0
        assert "was not seen" in sweep_sentence(one)


def test_loudness_follows_what_was_heard_without_the_room() -> None:
    rows: list[tuple[str, Measurand, float]] = []
    for v, share in ((0.0, 0.0), (6.0, 0.5), (9.0, 0.75), (12.0, 1.0)):
        own = 10 ** (3.5) * share**5.5
        rows += [("fan", "V", v), ("fan", "rpm", 3000 * share), ("fan", "dB", 10 * np.log10(10**2.0 + own))]
    sweep = planned(bench(1.0), *rows).sweep
    assert sweep.room_dB == pytest.approx(20.0)
    assert sweep.loud_dB(12.0) == pytest.approx(35.0, abs=0.01)
    assert sweep.loudness is not None
    assert sweep.loudness[1] == pytest.approx(55.0, abs=0.1)
    assert sweep.loud_dB(1.0) is None


def test_the_quietest_setting_is_the_one_that_a_fan_held_there_would_bear_out() -> None:
    plan = planned(bench(1.05))
    volts = plan.quietest_V
    assert volts is not None
    assert 6.0 < volts < 12.0
    # Another way: the fan always on at those volts, and the ladder's own hottest state at 0.5 V.
    job = bench(1.05)
    fan = job.design.link("fan").model_copy(update={"control": "always"})
    aux = job.design.link("aux").model_copy(update={"set_V": volts})
    low = job.design.link("regulator").model_copy(update={"set_V": 0.5})
    held = envelope(with_link(with_link(with_link(job, fan), aux), low)).worst()
    hot = max(lim.shown[0] for lim, _ in held if lim.name == "Regulator, hot spot")
    assert hot == pytest.approx(float(plan.hottest.hot_C[plan.quietest]), abs=0.3)
    assert hot <= 125 - 10 + 0.01
    assert "BATH set to" in plan_sentence(plan)
    # A hotter room needs more of it, a wider distance too; beyond what it can do it says so.
    assert (planned(bench(1.05, hottest_C=26)).quietest_V or 99) > volts
    assert (planned(bench(1.05), keep_K=12).quietest_V or 99) > volts
    late = planned(bench(1.5))
    assert late.quietest is None
    assert late.thresholds is None
    assert "Even at full speed" in plan_sentence(late)
    calm = planned(bench(0.3))
    assert (calm.quietest_V, calm.curve, threshold_sentence(calm)) == (0.0, (), "")


def test_a_sink_that_was_read_counts_more_than_its_label() -> None:
    job = bench(1.0)
    by_label = planned(job)
    # At 1 A and 12 V set, 19 W: 1.5 K/W in still air by the label, a third more as read.
    own = float(by_label.hottest.own_W[0])
    assert own > 19
    worse = planned(job, ("ambient", "C", 22.0), ("bath", "A", 1.0), ("fan", "V", 0.0), ("fan", "rpm", 0.0),
                    ("regulator-sink", "C", 62.0))  # fmt: skip
    assert len(worse.found) == 1
    assert worse.found[0].share > 1.1
    assert (worse.quietest_V or 99) > (by_label.quietest_V or 0)
    # A temperature without a load says nothing of K/W.
    assert planned(job, ("fan", "V", 0.0), ("regulator-sink", "C", 62.0)).found == ()


def test_thresholds_and_curve_keep_what_they_promise() -> None:
    plan = planned(bench(1.0))
    ends = plan.thresholds
    assert ends is not None
    on, off = ends
    assert on - off >= 4
    hot = plan.hottest
    # At the worst heat, with the fan at rest until it comes on, the part is just not too hot.
    above = float(hot.hot_C[plan.quietest] - hot.sink_C[plan.quietest])
    assert on + above == pytest.approx(125 - 10 - 2, abs=0.01)
    points = plan.curve
    assert all(b.sink_C > a.sink_C and b.volts > a.volts for a, b in itertools.pairwise(points))
    assert points[-1].speed == 1.0
    table = [line.split(",") for line in as_csv(plan).splitlines()[1:]]
    numbers = [part.strip(" {},").split(", ") for part in as_c(plan).splitlines() if part.startswith("    {")]
    assert [(round(10 * float(c)), round(1000 * float(v))) for c, v, *_ in table] == [
        (int(c), int(v)) for c, v in numbers
    ]


def test_a_curve_says_how_far_down_each_step_is_kept() -> None:
    plan = planned(bench(1.0))
    table = [[float(x) for x in line.split(",")] for line in as_csv(plan).splitlines()[1:]]
    on, off = plan.thresholds
    # Each step is left as far below where it was taken as the switch's own ends lie apart.
    assert {round(up - down, 1) for up, _, _, down in table} == {round(on - off, 1)}
    assert f"fan_back = {round(10 * (on - off))};" in as_c(plan)


def test_what_is_not_known_of_a_fan_is_said() -> None:
    with pytest.raises(UserError, match="no fan"):
        planned(demo_job("ridge-pier"))
    with pytest.raises(UserError, match="below their limits"):
        planned(bench(1.0), keep_K=-1)
    job = bench(1.0)
    cold = job.part("linear")
    assert cold is not None
    bare = job.model_copy(
        update={
            "stock": tuple(
                p.model_copy(update={"switch_K_W": None, "sink_K_W": None}) if p.id == "linear" else p
                for p in job.stock
            )
        }
    )
    with pytest.raises(UserError, match="sheds its heat"):
        planned(bare)


def test_the_demo_fan_is_found_as_it_was_hidden() -> None:
    job, hand = bench(1.0), demo_hand(demo_job("finishers-bench"))
    assert hand is not None
    rows: list[Reading] = []
    for k, asked in enumerate(fan_asked(planned(job).sweep), 1):
        line = understand(job, hand.line(asked, rows))
        rows.append(
            Reading(
                k, float(k), line.place, line.quantity, line.value, "", None, "four-wire", "simulated", id=k
            )
        )
    sweep = fan_plan(job, rows, plans_of(job)).sweep
    assert sweep.pretended == "simulated"
    assert sweep.starts is not None
    assert sweep.starts.low < 5.4 <= sweep.starts.high
    assert sweep.stops is not None
    assert sweep.stops.low <= 3.6 < sweep.stops.high
    assert sweep.loudness is not None
    assert sweep.loudness[0] == pytest.approx(31.0, abs=0.5)
