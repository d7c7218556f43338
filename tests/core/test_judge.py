"""Uncertainty against closed forms and plain simulation; the four verdicts."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad
from scipy.special import erf, ndtr

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import (
    Accuracy,
    Band,
    Interval,
    Verdict,
    capability,
    half_width_95,
    judge,
    parse_accuracy,
    worst,
)


def test_one_rectangle_is_095_of_its_bound() -> None:
    assert half_width_95([0.04]) == pytest.approx(0.038, rel=1e-12)


def test_two_equal_rectangles_make_a_triangle() -> None:
    # P(|x| ≤ h) = 1 − (1 − h/2a)² for the triangle on ±2a.
    assert half_width_95([1.0, 1.0]) == pytest.approx(2 * (1 - math.sqrt(0.05)), rel=1e-12)


def test_noise_alone_is_normal() -> None:
    assert half_width_95([], 0.5) == pytest.approx(0.979982, rel=1e-6)
    assert half_width_95([1e-6], 0.5) == pytest.approx(0.979982, rel=3e-3)
    assert half_width_95([], 0.0) == 0.0


@settings(max_examples=25, deadline=None)
@given(st.lists(st.floats(0.05, 2.0), min_size=1, max_size=5), st.floats(0.0, 1.0), st.integers(0, 2**31))
def test_sums_agree_with_plain_simulation(bounds: list[float], sigma: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    draws = 40_000
    total = sigma * rng.standard_normal(draws)
    for bound in bounds:
        total += rng.uniform(-bound, bound, draws)
    found = np.quantile(np.abs(total), 0.95)
    assert half_width_95(bounds, sigma) == pytest.approx(found, rel=0.025)


def test_a_reading_of_the_handheld() -> None:
    meter = parse_accuracy("0.5%+2@0.01")
    assert (meter.of_reading, meter.counts, meter.resolution) == (0.005, 2, 0.01)
    # ±0.068 V of gain and ±0.02 V of offset at 13.6 V: between the larger alone and the plain sum.
    assert 0.95 * 0.068 < meter.half_width(13.6) < 0.088
    assert meter.text() == "0.5%+2@0.01"


@pytest.mark.parametrize("a", [1.0, 3e-5])
@pytest.mark.parametrize("share", [0.0, 1e-7, 1e-4, 0.04, 0.05, 0.06, 0.5, 1.0])
@pytest.mark.parametrize("noise", [0.0, 1e-5, 0.02, 0.3, 2.0, 500.0, 5000.0])
def test_one_or_two_rectangular_terms_are_exact(a: float, share: float, noise: float) -> None:
    """The share inside, integrated over the trapezium of the rectangular terms, by SciPy: 0.95."""
    b, sigma = share * a, noise * a
    half = half_width_95([b, a], sigma)
    within = erf(half / sigma / math.sqrt(2)) if sigma > 0 and noise > 1e3 else None
    if within is None:

        def inside(x: float) -> float:
            if sigma == 0:
                return float(abs(x) <= half)
            return float(ndtr((half - x) / sigma) - ndtr((-half - x) / sigma))

        def density(x: float) -> float:
            flat = 1 / (2 * a)
            return flat if abs(x) <= a - b else flat * max(a + b - abs(x), 0.0) / (2 * b)

        edges = sorted(
            {0.0, a - b, a + b, *(e for e in (half, half - 6 * sigma, half + 6 * sigma) if 0 < e < a + b)}
        )
        within = 2 * sum(
            quad(lambda x: density(x) * inside(x), low, high, epsabs=1e-12, limit=200)[0]
            for low, high in itertools.pairwise(edges)
        )
    assert within == pytest.approx(0.95, abs=2e-6)


@pytest.mark.parametrize(
    ("text", "resolution", "expected"),
    [
        ("±(0.05% + 3 @ 1m)", None, (0.0005, 3, 0.001)),
        ("1,5%+3@10m", None, (0.015, 3, 0.01)),
        ("0.8%", 0.1, (0.008, 0, 0.1)),
        ("0.1%+5@100uV", None, (0.001, 5, 1e-4)),
    ],
)
def test_accuracy_as_it_is_printed(text: str, resolution: float | None, expected: tuple) -> None:
    found = parse_accuracy(text, resolution)
    assert (found.of_reading, found.counts, found.resolution) == pytest.approx(expected)


@pytest.mark.parametrize("text", ["", "good", "0.5%+2", "200%+1@0.01", "0.5+2@0.01", "0.5%+2@0"])
def test_accuracy_that_cannot_be(text: str) -> None:
    with pytest.raises(UserError):
        parse_accuracy(text)


@pytest.mark.parametrize(
    ("low", "high", "verdict"),
    [
        (13.3, 13.5, Verdict.CONFORMS),
        (13.2, 14.0, Verdict.CONFORMS),
        (13.1, 13.3, Verdict.TOO_CLOSE),
        (13.9, 14.1, Verdict.TOO_CLOSE),
        (13.0, 14.2, Verdict.TOO_CLOSE),
        (12.9, 13.1, Verdict.NONCONFORMING),
        (14.1, 14.3, Verdict.NONCONFORMING),
    ],
)
def test_the_whole_interval_decides(low: float, high: float, verdict: Verdict) -> None:
    assert judge(Interval((low + high) / 2, low, high), Band(13.2, 14.0)) is verdict


def test_open_bands_and_nothing_read() -> None:
    assert judge(None, Band(0, 1)) is Verdict.NOT_MEASURED
    assert judge(Interval(5, 4, 6), Band(None, 7)) is Verdict.CONFORMS
    assert judge(Interval(5, 4, 6), Band(7, None)) is Verdict.NONCONFORMING
    assert worst([Verdict.CONFORMS, Verdict.TOO_CLOSE]) is Verdict.TOO_CLOSE
    assert worst([Verdict.TOO_CLOSE, Verdict.NONCONFORMING, Verdict.CONFORMS]) is Verdict.NONCONFORMING
    assert worst([]) is Verdict.NOT_MEASURED
    assert Verdict.TOO_CLOSE.words == "too close to call"


def test_whether_a_meter_can_settle_a_limit_at_all() -> None:
    band = Band.around(5.2, 0.01)
    coarse = Accuracy(of_reading=0.01, counts=5, resolution=0.01)
    fine = Accuracy(of_reading=0.0005, counts=3, resolution=0.0001)
    assert not capability(coarse, band, 5.2).can_hold
    assert capability(fine, band, 5.2).can_hold
    assert capability(fine, band, 5.2).share < 0.1
    # A meter that cannot hold can still miss: the verdict is never "holds".
    half = coarse.half_width(5.2)
    assert judge(Interval(5.2, 5.2 - half, 5.2 + half), band) is Verdict.TOO_CLOSE
