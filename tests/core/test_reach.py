"""Reach, heat and spread: against hand figures, points solved alone, and SciPy's integration."""

import numpy as np
import pytest
from msgspec.structs import asdict, replace
from scipy.integrate import solve_ivp

from tensimeter.core.circuit.network import build, sampled
from tensimeter.core.design.reach import (
    COLLAPSE,
    adjustable,
    load_reach_A,
    reach,
    set_to,
    spread_border,
    volts_span,
)
from tensimeter.core.design.worst_case import corners, spread, volts_of
from tensimeter.core.electrical.elements import Network
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, readings_first, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.path import LeadLink
from tensimeter.core.rating.dissipation import hot_spots, losses, wall_W
from tensimeter.core.rating.ladder import at, ladder
from tensimeter.demo.library import demo_job

VOLTS, AMPS = np.linspace(1, 40, 40), np.linspace(0, 14, 141)


@pytest.fixture
def hot(demo: Job) -> Job:
    """The front end on a small sink, in a closed box."""
    part = changed(demo.part("front-end-40"), switch_K_W=2.0, sink_K_W=6.5, sink_J_K=150.0, hot_limit_C=105.0)
    job = with_part(demo, part)
    return job.model_copy(update={"settings": changed(job.settings, box_K_W=0.15)})


def test_every_point_of_the_map_is_the_ladder_solved_alone(hot: Job) -> None:
    found = reach(hot, "mount", VOLTS, AMPS, {"hub": 1.0})
    for v, i in ((13.0, 8.0), (25.0, 6.0), (39.0, 11.5), (5.0, 13.0)):
        k, m = int(np.argmin(abs(VOLTS - v))), int(np.argmin(abs(AMPS - i)))
        drop = 0.004 * AMPS[m] + (0.0061 + 2 * 2 * 1.7241e-8 / 2.5e-6 + 4 * 0.0015) * AMPS[m]
        network = build(hot).with_values({("front-end", "set_V"): VOLTS[k] + drop})
        solution = solve(network, {"mount": AMPS[m], "hub": 1.0}, as_set=True)
        assert float(solution["mount"].V) == pytest.approx(VOLTS[k], abs=1e-9)
        limits = ladder(hot, solution, network)
        worst = max(limits, key=lambda limit: float(limit.fraction))
        assert found.share[k, m] == pytest.approx(float(worst.fraction), rel=1e-9)
        assert found.names[found.limiter[k, m]] == worst.name


def test_the_border_carries_the_limit_that_is_used_up(demo: Job) -> None:
    """At 9.011 A the front end loses the 9.551 W that heat it by 85 K; above it the donors' 120 W stop it."""
    border = {round(b.volts): b for b in reach(demo, "mount", VOLTS, AMPS).border()}
    assert border[12].amps == pytest.approx(9.011, abs=1e-3)
    assert border[12].limiter == "Front end, hot spot"
    assert border[30].limiter == "Donor A, continuous watts" or border[30].limiter.startswith("Donor")
    # By power balance at the border of 30 V: both donors at 120 W, less the front end's own loss.
    amps = border[30].amps
    taken = 30 * amps + 0.0396 * amps**2 + 0.004 * amps**2 + 1.3 + 0.42 * amps + 0.055 * amps**2
    assert taken < 240
    assert taken > 0.97 * 240


def test_the_policy_moves_the_border(demo: Job) -> None:
    eased = demo.model_copy(update={"policy": changed(demo.policy, donor_share=0.65)})
    before = reach(demo, "mount", VOLTS, AMPS).border()[30]
    after = reach(eased, "mount", VOLTS, AMPS).border()[30]
    assert after.amps / before.amps == pytest.approx(0.65 / 0.8, rel=0.03)


def test_collapse_and_headroom_are_limits_with_a_name(demo: Job) -> None:
    """A long thin feed in front of the front end: the constant power can't be carried there."""
    weak = changed(demo.part("enclosed-b"), output_resistance_ohm=4.0)
    found = reach(with_part(demo, weak), "mount", VOLTS, AMPS)
    assert COLLAPSE in {found.names[k] for k in np.unique(found.limiter)}
    assert not found.inside[-1, -1]
    assert np.isinf(found.share[-1, -1])


def test_another_branch_that_collapses_is_named_as_such(demo: Job) -> None:
    """The dew module behind 40 Ω: no share of a limit is told for a state that does not exist."""
    thin = changed(demo.part("lead-3m"), id="thin", measured_ohm=40.0)
    job = with_part(demo, thin)
    lead = LeadLink(id="feed", name="Feed", part="thin", fed_by="donor-b")
    module = changed(job.design.link("dew-module"), fed_by="feed")
    links = (*(module if x.id == "dew-module" else x for x in job.design.links), lead)
    job = job.model_copy(update={"design": changed(job.design, links=links)})
    found = reach(job, "mount", VOLTS, AMPS, {"dew": 3.0})
    assert not np.isnan(found.share).any()
    assert not found.inside.any()
    assert {found.names[k] for k in np.unique(found.limiter)} == {COLLAPSE}
    assert reach(job, "mount", VOLTS, AMPS).inside.any()


def test_minutes_where_only_heat_stops_it(hot: Job) -> None:
    found = reach(hot, "mount", np.array([13.6]), AMPS)
    timed = np.isfinite(found.minutes[0]) & (found.minutes[0] > 0)
    assert timed.any()
    m = int(np.flatnonzero(timed)[-1])
    network = build(hot).with_values({("front-end", "set_V"): 13.6 + 0.0437 * AMPS[m]})
    spot = hot_spots(hot, solve(network, {"mount": AMPS[m]}, as_set=True))[0]
    loss, air = float(spot.loss_W), float(spot.air_C)

    def sink(_, t):
        return (loss - (t - air) / 6.5) / 150.0

    run = solve_ivp(sink, (0, found.minutes[0, m] * 60), [air], rtol=1e-9, atol=1e-9)
    assert run.y[0, -1] + 2.0 * loss == pytest.approx(105.0, abs=0.5)
    # More current, less time; and what may stay for good has no clock.
    assert (np.diff(found.minutes[0][timed]) < 0).all()
    assert np.isinf(found.minutes[0][found.inside[0]]).all()
    border, longer = found.border()[0], found.border(timed=True)[0]
    assert longer.amps > border.amps
    assert border.limiter == "Front end, hot spot"


def test_heat_adds_up_to_what_is_lost(hot: Job) -> None:
    _, solution, limits = at(hot, {"mount": 8.0, "dew": 3.0, "hub": 2.0})
    lost = losses(hot, solution)
    into_leads = sum(float(solution[k].loss) for k in ("mount-lead", "dew-lead", "hub-lead"))
    useful = sum(float(solution[k].power_out) for k in ("mount", "dew", "hub"))
    donors_own = sum(float(solution[k].loss) for k in ("donor-a", "donor-b"))
    wall = float(wall_W(hot, solution))
    total = sum(float(v) for v in lost.values()) + into_leads + useful
    # A donor's efficiency counts all that is lost in it; its output resistance is inside that figure.
    assert total == pytest.approx(wall, rel=0.01)
    assert donors_own < 0.01 * wall
    spot = hot_spots(hot, solution)[0]
    assert float(spot.air_C) == pytest.approx(20 + 0.15 * sum(float(v) for v in lost.values()))
    assert float(spot.hot_C) == pytest.approx(float(spot.air_C) + 8.5 * float(spot.loss_W))
    rung = next(limit for limit in limits if limit.heat)
    assert rung.shown == pytest.approx((float(spot.hot_C), 105.0))
    assert "T = T_air" in spot.worked().text()


def test_what_a_load_can_sink(demo: Job) -> None:
    amps = load_reach_A(demo.part("sink-150"), np.array([0.25, 7.5, 15.0, 100.0, 130.0]))
    assert amps == pytest.approx([5.0, 20.0, 10.0, 1.5, 0.0])


def test_outputs_that_cannot_be_set(demo: Job) -> None:
    assert volts_span(demo, "mount") == (0.5, 40)
    assert adjustable(demo, "hub").id == "hub-module"
    with pytest.raises(UserError, match="no converter to set"):
        reach(readings_first("Shed", "12V 5A"), "out", VOLTS, AMPS)
    broken = with_link(demo, changed(demo.design.link("mount-lead"), part="nothing"))
    with pytest.raises(UserError, match="lead"):
        reach(broken, "mount", VOLTS, AMPS)


def test_spread_and_corners_of_the_output(demo: Job) -> None:
    """By hand: set volts ± 0.3 %, and 8 A through what each part may be at most."""
    found = spread(demo, {"mount": 8.0}, volts_of("mount"), draws=20_000)
    ends = corners(demo, {"mount": 8.0}, volts_of("mount"))
    copper = 2 * 2 * 1.7241e-8 / 2.5e-6
    worst = 13.6 * 0.997 - 8 * (0.004 * 1.3 + 0.0061 * 1.2 + copper * 1.05 + 0.006 * 1.5)
    assert ends.low == pytest.approx(worst, abs=1e-9)
    assert ends.low < found.low < found.median < found.high < ends.high
    assert found.median == pytest.approx(13.6 - 8 * (0.004 + 0.0061 + copper + 0.006), abs=2e-3)
    # The standard deviation of the sum of rectangles, twice of it near the 95 % ends.
    rectangles = [13.6 * 0.003, 8 * 0.004 * 0.3, 8 * 0.0061 * 0.2, 8 * copper * 0.05, 8 * 0.006 * 0.5]
    sigma = np.sqrt(sum(r**2 for r in rectangles) / 3)
    assert (found.high - found.low) / 2 == pytest.approx(1.85 * sigma, rel=0.06)
    assert found.lost == 0
    weak = with_part(demo, changed(demo.part("enclosed-b"), output_resistance_ohm=40.0))
    assert spread(weak, {"mount": 8.0}, volts_of("mount"), draws=100).lost == 1.0


def test_the_border_strays_as_the_same_builds_drawn_one_by_one() -> None:
    job = demo_job("ridge-pier")
    volts, amps = np.array([6.0, 13.6, 30.0]), np.linspace(0, 12, 121)
    found = spread_border(job, "mount", volts, amps, draws=60, seed=4)
    drawn = sampled(build(job), job, np.random.default_rng(4), 60, 2)
    ends = []
    for k in range(60):
        own = Network(
            tuple(
                replace(e, **{f: np.ravel(v)[k] for f, v in asdict(e).items() if isinstance(v, np.ndarray)})
                for e in drawn.elements
            )
        )
        row = []
        for v in volts:
            loads = {"mount": amps}
            _, _, limits = at(job, loads, set_to(job, "mount", float(v), loads, own), as_set=True)
            most = np.max([np.broadcast_to(x.used / x.allowed, amps.shape) for x in limits if not x.floor], 0)
            row.append(float(np.interp(1.0, np.maximum.accumulate(most), amps)))
        ends.append(row)
    low, middle, high = np.quantile(np.array(ends), [0.025, 0.5, 0.975], axis=0)
    assert found.low == pytest.approx(low, abs=0.03)
    assert found.median == pytest.approx(middle, abs=0.03)
    assert found.high == pytest.approx(high, abs=0.03)
    assert (found.low < found.high).all()
