"""What an output does when more is asked than it gives: where its limit begins, and which kind it is.

Points are judged in the order taken and with the volts as the parameter: over current alone a limit that
folds back has two volts for one current.
"""

from enum import StrEnum

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Flags
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Interval, half_width_95

#: A point has left regulation where its volts are this share below the line of the points before, or this
#: many times their scatter, whichever is more.
LEFT_SHARE, LEFT_SIGMA = 0.02, 6.0
#: A line is not drawn on through points that leave it further and further by more than this share.
BEND_SHARE = 1.5e-3
#: Below this share of the no-load volts and of the knee's current an output is dead.
DEAD_SHARE = 0.12
#: A limit keeps its current where that is within this share of the knee when the volts have gone.
CURRENT_SHARE = 0.12
#: One that gives back more than this share of the knee, for certain, folds back.
FOLD_SHARE = 0.05
#: How much a current may bend over the volts on its way down, for its fall: from straight to a quick turn.
BENDS = (0.0, 0.1, 0.3, 1.0)
#: A line that falls is drawn on to the knee where it was followed from so near, as a share of the volts.
FOLLOWED = 0.8
#: So many points a line that bends is drawn through at the most: what is more is averaged.
MOST_POINTS = 120
#: Points below which what scatters is widened by Student's t.
FEW = 8
#: Readings that a phase of a hiccup must have, so that none is missed between them.
FEW_IN_PHASE = 2
#: A load has run out where it is within this share of what it can.
RAN_OUT_SHARE = 0.02


class _Error(Struct, frozen=True):
    """How an ammeter errs; exact where nothing is known of one."""

    ammeter: Accuracy | None

    def half(self, amps: float, sigma: float = 0.0, rectangular: float = 0.0) -> float:
        """95 % half-width at a current, A; what a fit scatters is told, else a single reading's counts."""
        shared = (self.ammeter.of_reading * amps, self.ammeter.offset) if self.ammeter else ()
        own = self.ammeter.scatter if self.ammeter and not sigma else 0.0
        return half_width_95((*shared, rectangular), float(np.hypot(sigma, own)))


class LimitKind(StrEnum):
    """The kinds of limit, and `unsure` where the points fit more than one or none."""

    CONSTANT_CURRENT = "constant_current"
    CONSTANT_POWER = "constant_power"
    FOLDBACK = "foldback"
    HICCUP = "hiccup"
    LATCH_OFF = "latch_off"
    BROWN_OUT = "brown_out"
    NONE_REACHED = "none_reached"
    LOAD_LIMITED = "load_limited"
    UNSURE = "unsure"

    @property
    def words(self) -> str:
        """What the law is called on screen and sheet."""
        return _WORDS[self]


_WORDS = {
    LimitKind.CONSTANT_CURRENT: "constant current",
    LimitKind.CONSTANT_POWER: "constant power",
    LimitKind.FOLDBACK: "foldback",
    LimitKind.HICCUP: "hiccup: it tries again and again",
    LimitKind.LATCH_OFF: "latch-off until reset",
    LimitKind.BROWN_OUT: "brown-out: the volts sag, nothing limits",
    LimitKind.NONE_REACHED: "none reached",
    LimitKind.LOAD_LIMITED: "none reached: the load ran out first",
    LimitKind.UNSURE: "unsure",
}


_TOO_LATE = "The first points are out of regulation already: begin at no load, in smaller steps."


class CurrentLimit(Struct, frozen=True):
    """Kind; A at the knee and into a short with 95 % intervals; s of a hiccup's cycle and its share on.

    `recovers`: whether the output came back once less was asked; None where that was not tried.
    """

    kind: LimitKind
    knee_A: Interval | None = None
    short_A: Interval | None = None
    recovers: bool | None = None
    period_s: Interval | None = None
    duty: float | None = None
    reason: str = ""


class _Points(Struct, frozen=True):
    """The record and its regulation line: V = no_load − ohm·I, with the scatter about it."""

    v: Array
    i: Array
    set_A: Array | None
    time: Array | None
    no_load: float
    ohm: float
    scatter: float
    out: Flags

    @property
    def first(self) -> int:
        return int(np.argmax(self.out))

    @property
    def most_A(self) -> float:
        """The largest current that flowed in regulation before the first point that left it."""
        return float(self.i[: self.first].max())

    def regulated(self, amps: float) -> float:
        return self.no_load - self.ohm * amps


def current_limit(
    volts: Array,
    amps: Array,
    time_s: Array | None = None,
    set_A: Array | None = None,
    load_max_A: float | None = None,
    load_max_W: float | None = None,
    ammeter: Accuracy | None = None,
) -> CurrentLimit:
    """Knee and kind from volts and amps (n,) in the order taken; `set_A` is what the load was set to.

    The knee is where the limit's own line meets that of regulation: a straight line in the current over
    volts for constant current, foldback and brown-out, a constant product for constant power; for an output
    that goes off, the step within which it went. Raises UserError for fewer than four points, no numbers, or
    no point in regulation to begin from.
    """
    p = _points(volts, amps, time_s, set_A)
    error = _Error(ammeter)
    if not p.out.any():
        return _not_reached(p, load_max_A, load_max_W)
    first = p.first
    if first < 2:
        raise UserError(_TOO_LATE)
    if _asked_fell_short(p, load_max_A, load_max_W):
        return CurrentLimit(LimitKind.LOAD_LIMITED, reason="the load ran out before the volts fell")
    dead = (p.v < DEAD_SHARE * p.no_load) & (p.i < DEAD_SHARE * p.most_A)
    recovers = _recovers(p)
    step = _within_step(p, error)
    cycles = _cycles(p, dead)
    if cycles >= 4:
        period, duty = _cycle(p, dead)
        return CurrentLimit(LimitKind.HICCUP, step, None, recovers, period, duty)
    after = p.out & (np.arange(len(p.v)) >= first)
    if dead[after].any():
        return _went_dead(p, dead, after, step, recovers, cycles)
    return _traced(p, after, recovers, error)


def _points(volts: Array, amps: Array, time_s: Array | None, set_A: Array | None) -> _Points:
    v, i = np.asarray(volts, float), np.asarray(amps, float)
    given = [x for x in (v, i, time_s, set_A) if x is not None]
    if len(v) < 4 or any(len(x) != len(v) for x in given):
        raise UserError("A limit needs four points or more, each with volts and amps.")
    if not all(np.isfinite(x).all() for x in given):
        raise UserError("Volts, amps, time and settings must be numbers: leave overloads out.")
    no_load = float(v[: max(len(v) // 20, 1)].max())
    if no_load <= 0:
        raise UserError("The first point has no volts: begin with the output on and no load.")
    ohm, scatter, line = _line(v, i, no_load)
    if np.abs(line[:2] - v[:2]).max() > LEFT_SHARE * no_load:
        raise UserError(_TOO_LATE)
    out = line - v > max(LEFT_SHARE * no_load, LEFT_SIGMA * scatter)
    return _Points(v, i, set_A, time_s, float(line[0] + ohm * i[0]), ohm, scatter, out)


def _line(v: Array, i: Array, no_load: float) -> tuple[float, float, Array]:
    """Regulation line grown from the first points: Ω, V of scatter, and its volts at every point."""
    ohm, scatter, line = 0.0, 0.0, np.full(len(v), no_load)
    count = 2
    while count < len(v):
        head = slice(0, count)
        if np.ptp(i[head]) > 1e-9:
            slope, base = np.polyfit(i[head], v[head], 1)
            ohm = float(np.clip(-slope, 0.0, 0.2 * no_load / max(float(i.max()), 1e-9)))
            base = float(np.mean(v[head] + ohm * i[head]))
        else:
            base = float(np.mean(v[head]))
        line = base - ohm * i
        left = v[head] - line[head]
        scatter = float(np.sqrt(left @ left / max(count - 2, 1)))
        allowed = max(LEFT_SHARE * no_load, LEFT_SIGMA * scatter if count > 4 else 0.0)
        below = line[count : count + 3] - v[count : count + 3]
        bends = len(below) == 3 and count > 3 and bool((np.diff(below) > 0).all())
        if below[0] > allowed or (bends and below[0] > max(LEFT_SIGMA * scatter, BEND_SHARE * no_load)):
            break
        count += 1
    return ohm, scatter, line


def _not_reached(p: _Points, load_A: float | None, load_W: float | None) -> CurrentLimit:
    most = float(p.i.max())
    ran_out = _ran_out(most, float((p.v * p.i).max()), load_A, load_W)
    short = p.set_A is not None and bool((p.i < (1 - 2 * RAN_OUT_SHARE) * p.set_A - 0.02 * most).any())
    if ran_out or short:
        return CurrentLimit(LimitKind.LOAD_LIMITED, reason=f"the load gave out at {most:.4g} A")
    return CurrentLimit(LimitKind.NONE_REACHED, reason=f"in regulation up to {most:.4g} A")


def _ran_out(amps: float, watts: float, load_A: float | None, load_W: float | None) -> bool:
    keep = 1 - RAN_OUT_SHARE
    return bool((load_A and amps >= keep * load_A) or (load_W and watts >= keep * load_W))


def _asked_fell_short(p: _Points, load_A: float | None, load_W: float | None) -> bool:
    """Whether the volts left only where the load itself was at its end and its setting no longer followed."""
    at = p.first
    before = p.i[:at]
    return _ran_out(float(before.max()), float((p.v[:at] * before).max()), load_A, load_W) and (
        p.i[at] < DEAD_SHARE * before.max() and p.v[at] > 0.5 * p.no_load
    )


def _within_step(p: _Points, error: _Error) -> Interval:
    """The knee of an output that goes off: between the last current that held and the first that did not."""
    low = p.most_A
    asked = p.set_A[p.out] if p.set_A is not None else p.i[p.out]
    above = asked[asked > low]
    if p.time is not None or p.set_A is not None:
        held = p.set_A[~p.out] if p.set_A is not None else p.i[~p.out]
        low = max(low, float(held[held <= (above.min() if len(above) else np.inf)].max(initial=low)))
        above = above[above > low]
    high = float(above.min()) if len(above) else low + _last_step(p)
    return _between(low, high, error)


def _between(low: float, high: float, error: _Error) -> Interval:
    """Somewhere between what held and what did not: both are bounds, and the ammeter errs at either."""
    middle, half = (low + high) / 2, (high - low) / 2 + error.half(high)
    return Interval(middle, middle - half, middle + half)


def _last_step(p: _Points) -> float:
    """By how much more was asked where that is not known: as much as the time before, A; a rule of thumb."""
    held = np.unique(p.i[: p.first])
    return max(float(held[-1] - held[-2]) if len(held) > 1 else 0.0, 0.02 * p.most_A)


def _recovers(p: _Points) -> bool | None:
    """Whether volts came back after an overload, once the load was set below what had held."""
    later = np.arange(len(p.v)) > p.first
    if p.set_A is not None:
        tried = later & (p.set_A < 0.9 * p.most_A)
        return bool((~p.out[tried]).any()) if tried.any() else None
    back = later & ~p.out & (p.i < p.most_A)
    return True if back.any() else None


def _cycles(p: _Points, dead: Flags) -> int:
    """Changes between dead and alive while no less was asked: what an output does by itself."""
    changes = 0
    for k in range(p.first + 1, len(p.v)):
        if dead[k] == dead[k - 1]:
            continue
        steady = p.set_A is None or (
            abs(p.set_A[k] - p.set_A[k - 1]) <= 0.05 * p.most_A and p.set_A[k] > 0.5 * p.most_A
        )
        changes += steady
    return changes


def _cycle(p: _Points, dead: Flags) -> tuple[Interval | None, float]:
    """s from one try to the next with its 95 % interval, and the share of the time that it is alive.

    A try began somewhere between two readings. It is timed where those lie closest; None where they lie so
    far apart that one may be missed.
    """
    watched = _watched(p)
    alive, time = ~dead[watched], p.time[watched] if p.time is not None else None
    duty = float(alive.mean())
    turns = np.flatnonzero(np.diff(alive)) + 1
    if time is None or len(turns) < 3 or float(np.median(np.diff(turns))) < FEW_IN_PHASE:
        return None, duty
    began = turns[alive[turns]]
    if len(began) < 2:
        return None, duty
    gaps = time[began] - time[began - 1]
    between = np.diff(time[began] - gaps / 2)
    count = len(between)
    strays = float(between.std(ddof=1)) / np.sqrt(count) if count > 1 else 0.0
    half = half_width_95((gaps[0] / 2 / count, gaps[-1] / 2 / count), strays)
    period = float(between.mean())
    return Interval(period, period - half, period + half), duty


def _watched(p: _Points) -> slice:
    """The longest stretch since the volts left whose readings came as close as any did."""
    if p.time is None or len(p.v) - p.first < 3:
        return slice(p.first, len(p.v))
    gaps = np.diff(p.time[p.first :])
    breaks = np.flatnonzero(gaps > 2 * float(np.quantile(gaps, 0.2)))
    edges = np.concatenate([[-1], breaks, [len(gaps)]])
    k = int(np.argmax(np.diff(edges)))
    return slice(p.first + int(edges[k]) + 1, p.first + int(edges[k + 1]) + 1)


def _went_dead(
    p: _Points, dead: Flags, after: Flags, step: Interval, recovers: bool | None, cycles: int
) -> CurrentLimit:
    if cycles >= 2:
        reason = "it went off and came back, but too seldom to call it hiccup: watch it for longer"
        return CurrentLimit(LimitKind.UNSURE, step, None, recovers, reason=reason)
    if recovers is False and bool(dead[-1]):
        return CurrentLimit(LimitKind.LATCH_OFF, step, Interval(0.0, 0.0, 0.0), False)
    if recovers is None:
        reason = "it went off; set the load to nothing and see whether the volts come back by themselves"
    else:
        reason = "it went off and came back once less was asked: a limit that folds to nothing, or a trip"
    return CurrentLimit(LimitKind.UNSURE, step, None, recovers, reason=reason)


def _traced(p: _Points, after: Flags, recovers: bool | None, error: _Error) -> CurrentLimit:
    """Constant current, foldback, constant power or brown-out, from points whose volts have left."""
    v, i = p.v[after], p.i[after]
    # Below the knee in current and yet out of regulation, with less asked: coming back, not limiting.
    knee_guess = max(p.most_A, 1e-9)
    share = v / p.no_load
    low = float(share.min())
    if low > 0.8:
        reason = f"the volts were followed down to {100 * low:.0f} % only: ask for more"
        knee = Interval(knee_guess, knee_guess, np.inf)
        return CurrentLimit(LimitKind.UNSURE, knee, None, recovers, reason=reason)
    straight = _straight(share, i, p, error)
    # A current that falls may fall faster or slower where nobody followed it.
    folded = _nearer(straight, p, error, drawn_on=float(share.max()) < FOLLOWED)
    at_low = float(np.mean(i[share <= low + 0.1])) / straight.knee.value
    short = straight.short if low < 0.25 else None
    fallen = 1 - straight.short.value / straight.knee.value
    if at_low < 1 and fallen > FOLD_SHARE:
        if fallen < 3 * straight.fall_sigma:
            return _unsure(straight, recovers, "the current falls too little to tell foldback from a limit")
        return CurrentLimit(LimitKind.FOLDBACK, folded, short, recovers)
    if abs(at_low - 1) <= CURRENT_SHARE:
        if np.ptp(share) > 0.3 and _power_fits(v, i, straight):
            return _unsure(straight, recovers, "constant current and constant power fit alike")
        return CurrentLimit(LimitKind.CONSTANT_CURRENT, _nearer(straight, p, error), short, recovers)
    if at_low < 1:
        return CurrentLimit(LimitKind.FOLDBACK, folded, short, recovers)
    power = v * i
    mean = float(power.mean())
    off_power = float(np.sqrt(np.mean((i - mean / v) ** 2)))
    off_line = max(straight.rms, 1e-3 * knee_guess)
    if len(i) < 4:
        return _unsure(straight, recovers, "too few points below the knee to tell power from sag")
    if max(off_power, 1e-3 * knee_guess) < 0.5 * off_line:
        knee = _power_knee(p, power, error)
        return CurrentLimit(LimitKind.CONSTANT_POWER, knee, None, recovers)
    if off_line < 0.5 * max(off_power, 1e-3 * knee_guess):
        return CurrentLimit(LimitKind.BROWN_OUT, straight.knee, None, recovers)
    return _unsure(straight, recovers, "constant power and sag fit alike: follow it further down")


def _nearer(straight: "_Straight", p: _Points, error: _Error, *, drawn_on: bool = False) -> Interval:
    """The knee by what held and what did not, where a line tells less, or is `drawn_on` too far to there.

    By the amps that flowed: a log tells no others, and gives the same.
    """
    if p.set_A is None:
        return straight.knee
    low, above = p.most_A, p.set_A[p.out & (p.set_A > p.most_A)]
    high = max(low + _last_step(p), float(above.min()) if len(above) else low)
    knee = _between(low, high, error)
    return straight.knee if knee.half_width >= straight.knee.half_width and not drawn_on else knee


def _unsure(straight: "_Straight", recovers: bool | None, reason: str) -> CurrentLimit:
    return CurrentLimit(LimitKind.UNSURE, straight.knee, None, recovers, reason=reason)


class _Straight(Struct, frozen=True):
    """Current as a line over the share of volts: A at knee and at none; how it scatters about a straight one.

    `fall_sigma` is how sure it is by what share of the knee the current falls.
    """

    knee: Interval
    short: Interval
    fall_sigma: float
    rms: float


class _Line(Struct, frozen=True, eq=False):
    """A straight line over the share of volts: what fits it, its covariance, the factor for 95 %."""

    theta: Array
    covariance: Array
    factor: float

    def at(self, x: float) -> tuple[float, float]:
        """A at a share of the volts, and 1.96 times that is its 95 %."""
        row = np.array([1.0, x])[: len(self.theta)]
        return float(row @ self.theta), self.factor * float(np.sqrt(row @ self.covariance @ row))


class _Case:
    """A line with room for a bend: points (n,), A there, for one span of a Wiener process and one noise, A.

    A straight part of which nothing is known before, plus a Wiener process integrated once, which is what a
    smoothing spline assumes (Wahba 1978).
    """

    def __init__(self, x: Array, i: Array, span: float, noise: float) -> None:
        self.x, self.span = x, span
        self.whole = span**2 * _wiener(x, x) + noise**2 * np.eye(len(x))
        self.design = np.column_stack([np.ones(len(x)), x])
        solved = np.linalg.solve(self.whole, np.column_stack([self.design, i]))
        self.gram = self.design.T @ solved[:, :2]
        self.theta = np.linalg.solve(self.gram, self.design.T @ solved[:, 2])
        self.left = i - self.design @ self.theta

    @property
    def evidence(self) -> float:
        """Log of its restricted likelihood."""
        off = self.left @ np.linalg.solve(self.whole, self.left)
        return float(-0.5 * (off + np.linalg.slogdet(self.whole)[1] + np.linalg.slogdet(self.gram)[1]))

    def at(self, x: float) -> tuple[float, float]:
        """Mean and variance at a share."""
        here, row = np.array([x]), np.array([1.0, x])
        near = self.span**2 * _wiener(here, self.x)[0]
        solved = np.linalg.solve(self.whole, near)
        rest = row - self.design.T @ solved
        var = (
            self.span**2 * _wiener(here, here)[0, 0] - near @ solved + rest @ np.linalg.solve(self.gram, rest)
        )
        return float(row @ self.theta + solved @ self.left), max(float(var), 0.0)


class _Bent(Struct, frozen=True, eq=False):
    """A line that may be bent: what may be the case, how likely each is, the factor for 95 %."""

    cases: tuple[_Case, ...]
    weights: Array
    factor: float

    def at(self, x: float) -> tuple[float, float]:
        """A at a share of the volts, and 1.96 times that is its 95 %."""
        found = np.array([case.at(x) for case in self.cases])
        middle = float(self.weights @ found[:, 0])
        var = self.weights @ (found[:, 1] + (found[:, 0] - middle) ** 2)
        return middle, self.factor * float(np.sqrt(var))


def _straight(share: Array, i: Array, p: _Points, error: _Error) -> _Straight:
    flat = len(i) < 3 or float(np.ptp(share)) < 0.05
    plain = _least_squares(share, i, 1 if flat else 2)
    left = i - (plain.theta[0] if flat else plain.theta[0] + plain.theta[1] * share)
    rms = float(np.sqrt(left @ left / max(len(i) - len(plain.theta), 1)))
    line = plain if flat else _bent(share, i, plain, rms, error)

    def at(x: float) -> Interval:
        value, sigma = line.at(x)
        half = error.half(value, sigma)
        return Interval(value, value - half, value + half)

    # Where the line meets V = V0 − R·I.
    meets = at(1.0).value
    if not flat:
        meets /= 1 + float(plain.theta[1]) * p.ohm / p.no_load
    knee = at(p.regulated(meets) / p.no_load)
    if flat and knee.value < p.most_A * (1 - CURRENT_SHARE):
        # Nothing between the knee and the foot was seen: the knee lies above what was held.
        knee = _within_step(p, error)
    sloped = 0.0 if flat else float(np.sqrt(plain.covariance[1, 1]))
    return _Straight(knee, at(0.0), sloped / max(abs(knee.value), 1e-12), rms)


def _least_squares(share: Array, i: Array, count: int) -> _Line:
    """A straight line, level or not, by what scatters about it."""
    # Only wanted here, and slow to load.
    from scipy.special import stdtrit  # noqa: PLC0415

    design = np.column_stack([np.ones(len(i)), share])[:, :count]
    theta, *_ = np.linalg.lstsq(design, i, rcond=None)
    left, freedom = i - design @ theta, len(i) - count
    rms = float(np.sqrt(left @ left / max(freedom, 1)))
    covariance = np.asarray(np.linalg.pinv(design.T @ design) * max(rms, 1e-12) ** 2, float)
    factor = float(stdtrit(freedom, 0.975)) / 1.96 if 0 < freedom < 60 else 1.0
    return _Line(np.asarray(theta, float), covariance, factor)


def _bent(share: Array, i: Array, plain: _Line, rms: float, error: _Error) -> _Bent:
    """The line with room for a bend: the more the current falls, the more it may bend on the way."""
    fall = max(abs(float(plain.theta[1])), 1e-9)
    least = max(error.ammeter.scatter if error.ammeter else 0.0, 1e-4 * float(i.max()))
    noises = sorted({max(least, x) for x in (0.0, rms / 3, rms, 2 * rms)})
    factor = plain.factor if len(i) < FEW else 1.0
    share, i = _averaged(share, i)
    cases = tuple(_Case(share, i, span * fall, noise) for span in BENDS for noise in noises)
    told = np.array([case.evidence for case in cases])
    weights = np.exp(told - told.max())
    return _Bent(cases, weights / weights.sum(), factor)


def _averaged(share: Array, i: Array) -> tuple[Array, Array]:
    """Points beside one another as one, where there are many; how each scatters is left as it is."""
    if len(i) <= MOST_POINTS:
        return share, i
    groups = np.array_split(np.argsort(share, kind="stable"), MOST_POINTS)
    return np.array([share[g].mean() for g in groups]), np.array([i[g].mean() for g in groups])


def _wiener(x: Array, y: Array) -> Array:
    """Covariance of a Wiener process integrated once, (n, m), of unit intensity."""
    low, high = np.minimum.outer(x, y), np.maximum.outer(x, y)
    return np.asarray(low**3 / 3 + (high - low) * low**2 / 2)


def _power_fits(v: Array, i: Array, straight: _Straight) -> bool:
    off = float(np.sqrt(np.mean((i - float((v * i).mean()) / v) ** 2)))
    return off <= straight.rms


def _power_knee(p: _Points, power: Array, error: _Error) -> Interval:
    watts = float(power.mean())
    # V·I = P on the regulation line V0 − R·I.
    root = p.no_load**2 - 4 * p.ohm * watts
    amps = (p.no_load - np.sqrt(root)) / (2 * p.ohm) if p.ohm > 1e-9 and root > 0 else watts / p.no_load
    half = error.half(float(amps), float(power.std()) / float(np.sqrt(len(power))) / p.no_load)
    return Interval(float(amps), float(amps) - half, float(amps) + half)
