"""Two meters that disagree in one loop or across one pair: by how much, whether they may, and why."""

from collections.abc import Sequence
from typing import Literal

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Interval, half_width_95
from tensimeter.core.model.instruments import accuracy_of, display_of
from tensimeter.core.model.job import Job
from tensimeter.core.parts.instrument_part import Instrument
from tensimeter.core.parts.path_part import InlineMeter
from tensimeter.core.quantity import show
from tensimeter.core.testplan.compared_pairs import widest
from tensimeter.core.testplan.meter_checks import MeterCheck
from tensimeter.core.tuning.evidence import Spread, Weighed, posterior, weighed

#: How likely each explanation is beforehand; rules of thumb.
PRIORS = {
    "alike": 0.4,
    "gain": 0.2,
    "reference_gain": 0.04,
    "offset": 0.1,
    "second_return": 0.12,
    "range": 0.02,
    "own_draw": 0.06,
    "pulsed": 0.03,
    "lead_drop": 0.1,
}
WORDS = {
    "alike": "Both may be right: they differ by no more than their accuracies allow.",
    "gain": "Its shunt or its gain is off, by {size}.",
    "reference_gain": "The reference is off, by {size}.",
    "offset": "It is off by {size} everywhere: its zero.",
    "second_return": "{size} of the current goes back another way, past its shunt in the negative.",
    "range": "It is on another range, or beyond the end of its own.",
    "own_draw": "It reads what it draws for itself as well, {size}.",
    "pulsed": "The current comes in pulses, and one of them shows a mean where the other does not.",
    "lead_drop": "A lead of {size} lies between the two places.",
}
#: The one reading that tells most of each.
NEXT = {
    "gain": "Read both again at a tenth and at all of the range.",
    "reference_gain": "Put a third meter into the same loop.",
    "offset": "Read both with nothing flowing.",
    "second_return": "Take everything else off the negative, data and earth leads too, and read both again.",
    "range": "Read both at a tenth of it.",
    "own_draw": "Feed it from elsewhere, and read both again.",
    "pulsed": "Read both with a resistor as the load.",
    "lead_drop": "Put both meters’ probes on the same two screws.",
}
#: What is never the reason for amps in one loop.
LEADS_CAN_NOT = "Leads can't make two ammeters in one loop differ: the same amps flow everywhere in it."
#: What can't be told apart by readings of one loop as it stands.
SHARES_OF_AMPS = ("gain", "reference_gain", "second_return")
NOT_APART = (
    "A gain that is off and a second way back leave the same trace in these readings: they can’t be told "
    "apart. One pair with everything else off the negative tells."
)
#: A gain that is off by more than this is none; traces are alike where their log-likelihoods are as near;
#: into how many shares what may go back is parted.
MOST_GAIN, ALIKE, FINE_SHARES = 0.15, 3.0, 851
#: A shunt's or a gain's own share, one standard deviation; what may go back another way.
GAIN_SD, RETURN_SHARES = 0.02, (0.02, 0.7)


class Explanation(Struct, frozen=True):
    """One reason why two meters differ: how likely, how large."""

    key: str
    probability: float
    size: Interval | None
    says: str


class Disagreement(Struct, frozen=True):
    """By how much two meters differ where they differ most, whether both accuracies allow it, and why."""

    difference: Interval
    inside_both: bool
    explanations: tuple[Explanation, ...]
    next: str
    notes: tuple[str, ...]


def disagreement(
    quantity: Literal["V", "A"],
    shown: Array,
    reference: Array,
    subject: Accuracy,
    standard: Accuracy,
    *,
    amps: Array | None = None,
    draws_A: float = 0.0,
    low_side: bool = False,
    alone: Array | None = None,
) -> Disagreement:
    """Why two meters that read the same differ, by their readings (n,) taken in pairs.

    Parameters
    ----------
    quantity : str
        Volts across one pair, or amps in one loop.
    shown, reference : array (n,)
        What the one and the other read, V or A.
    subject, standard : Accuracy
        How well each claims to read.
    amps : array (n,), optional
        The current in A beside volts: what a lead would lose.
    draws_A : float
        What the first meter draws for itself, A.
    low_side : bool
        Whether its shunt sits in the negative.
    alone : array (n,) of bool, optional
        Pairs that were read with everything else off the negative.

    Raises
    ------
    UserError
        With no pair, or a value over range.

    References
    ----------
    Bayes' rule with the evidence summed over the size of each explanation (MacKay, Information Theory,
    Inference, and Learning Algorithms, 28); gain and offset of both are shared by all pairs (GUM, F.1.2).
    """
    a, b = np.asarray(shown, float), np.asarray(reference, float)
    if not len(a) or a.shape != b.shape or not np.isfinite(a + b).all():
        raise UserError("Two meters are compared by what both read at the same moments, none over range.")
    gap = a - b
    spread = _spread(a, b, subject, standard)
    k = int(np.argmax(np.abs(gap) / np.sqrt(spread.sd**2 + np.sum(spread.common**2, axis=1))))
    half = _half(float(a[k]), float(b[k]), subject, standard)
    reasons = _reasons(quantity, b, amps, draws_A, low_side, alone)
    alike = Weighed((), float(spread.log_likelihood(gap)), PRIORS["alike"], np.ones(1), ())
    weights = [alike, *(weighed(0, c, gap, spread, PRIORS[key], all_sizes=True) for key, c, _ in reasons)]
    keys = ["alike", *(key for key, _, _ in reasons)]
    shares = posterior([w.log_evidence for w in weights], [PRIORS[key] for key in keys])
    tied = "second_return" in keys and alone is None and _tied(b, gap, spread)
    if tied:
        # How large each is wont to be decides nothing: what was taken for one may be the other.
        among = [keys.index(key) for key in SHARES_OF_AMPS]
        priors = np.array([PRIORS[key] for key in SHARES_OF_AMPS])
        shares[among] = shares[among].sum() * priors / priors.sum()
    told = [
        _explained(key, float(p), w, sizes, quantity)
        for key, p, w, sizes in zip(
            keys, shares, weights, [None, *(sizes for _, _, sizes in reasons)], strict=True
        )
    ]
    told.sort(key=lambda e: -e.probability)
    doubt = next((e.key for e in told if e.key != "alike"), "gain")
    settled = told[0].key == "alike" and told[0].probability > 0.95
    second = next((e for e in told if e.key == "second_return"), None)
    # What shares its trace with a gain is told apart by one act alone.
    if second is not None and alone is None and second.probability > 0.02 and told[0].key != "alike":
        doubt = "second_return"
    return Disagreement(
        Interval(float(gap[k]), float(gap[k]) - half, float(gap[k]) + half),
        bool(np.all(np.abs(gap) <= [_half(x, y, subject, standard) for x, y in zip(a, b, strict=True)])),
        tuple(told),
        "" if settled else NEXT[doubt],
        (*((LEADS_CAN_NOT,) if quantity == "A" else ()), *((NOT_APART,) if tied else ())),
    )


def _tied(b: Array, gap: Array, spread: Spread) -> bool:
    """Whether a share of the amps is missing that may go back another way, or be a gain's that is off."""
    shares = np.linspace(-MOST_GAIN, RETURN_SHARES[1], FINE_SHARES)
    fits = spread.log_likelihood(gap + shares[:, None] * b)
    either = (shares >= RETURN_SHARES[0]) & (shares <= MOST_GAIN)
    return bool(fits[either].max() > fits.max() - ALIKE)


def _spread(a: Array, b: Array, subject: Accuracy, standard: Accuracy) -> Spread:
    columns = [
        subject.of_reading * a, np.full(len(a), subject.offset),
        standard.of_reading * b, np.full(len(a), standard.offset),
    ]  # fmt: skip
    own = np.full(len(a), float(np.hypot(subject.scatter, standard.scatter)))
    return Spread(own, np.stack(columns, axis=1) / np.sqrt(3))


def _half(a: float, b: float, subject: Accuracy, standard: Accuracy) -> float:
    bounds = (subject.of_reading * abs(a), subject.offset, standard.of_reading * abs(b), standard.offset)
    return half_width_95(bounds, float(np.hypot(subject.scatter, standard.scatter)))


def _reasons(
    quantity: str, b: Array, amps: Array | None, draws_A: float, low_side: bool, alone: Array | None
) -> list[tuple[str, Array, Array]]:
    """Each reason with what it changes of shown less reference by its sizes (g, n), and those sizes."""
    n = len(b)
    gains = _normal_sizes(GAIN_SD)
    most = max(float(np.abs(b).max()), 1e-6)
    zeros = np.linspace(-0.1, 0.1, 41) * most
    found = [
        ("gain", gains[:, None] * b, gains),
        ("reference_gain", -gains[:, None] * b, gains),
        ("offset", np.broadcast_to(zeros[:, None], (len(zeros), n)), zeros),
    ]
    factors = np.array([0.001, 0.01, 0.1, 10.0, 100.0])
    found.append(("range", (factors[:, None] - 1) * b, factors))
    if quantity == "A":
        if low_side:
            shares = np.linspace(*RETURN_SHARES, 41)
            there = np.ones(n) if alone is None else np.where(alone, 0.0, 1.0)
            found.append(("second_return", -shares[:, None] * b * there, shares))
        if draws_A > 0:
            drawn = draws_A * np.linspace(0.5, 1.5, 11)
            found.append(("own_draw", np.broadcast_to(drawn[:, None], (len(drawn), n)), drawn))
        form = np.linspace(0.1, 1.0, 21)
        found.append(("pulsed", form[:, None] * b * _steep(b), form))
    elif amps is not None and np.any(amps):
        ohms = np.concatenate([-np.geomspace(1e-3, 0.5, 21)[::-1], np.geomspace(1e-3, 0.5, 21)])
        found.append(("lead_drop", ohms[:, None] * np.asarray(amps, float), ohms))
    return found


def _steep(b: Array) -> Array:
    """A pulsed current's form factor falls as its pulses grow wider: more off at small loads."""
    return 1 - 0.6 * np.abs(b) / max(float(np.abs(b).max()), 1e-12)


def _normal_sizes(sd: float) -> Array:
    """Sizes at quantiles, so that all are as likely; with long ends (Student, 2), for what is broken."""
    from scipy.stats import t  # noqa: PLC0415

    return np.asarray(t.ppf((np.arange(61) + 0.5) / 61, 2) * sd)


def _explained(key: str, p: float, w: Weighed, sizes: Array | None, unit: str) -> Explanation:
    size = None
    if sizes is not None and p > 0:
        at = w.mixes[0] @ sizes
        mean = float(w.weights @ at)
        sd = float(np.sqrt(np.maximum(w.weights @ (at - mean) ** 2, 0.0)))
        size = Interval(mean, mean - 1.96 * sd, mean + 1.96 * sd)
    units = {"offset": unit, "own_draw": "A", "lead_drop": "ohm"}
    value = 0.0 if size is None else float(size.value)
    value = value if key == "gain" else abs(value)
    shown = show(value, units.get(key, "%"), 2)
    return Explanation(key, p, size, WORDS[key].format(size=shown))


def likeliest(found: Disagreement) -> Sequence[Explanation]:
    """The explanations that are worth a look, the likeliest first."""
    return [e for e in found.explanations if e.probability > 0.01]


def disagreement_of(job: Job, check: MeterCheck) -> Disagreement:
    """Why a meter of volts or amps and what was read beside it differ.

    UserError where nothing was read, and for what is no such meter: a setting, a thermometer.
    """
    if check.subject.sets or check.quantity not in ("V", "A"):
        raise UserError("Only of two meters that read volts or amps is it told why they differ.")
    part = job.part(check.part)
    built_in = check.output and not isinstance(part, Instrument)
    stated = (
        display_of(job, check.output, check.quantity)[0]
        if built_in
        else accuracy_of(job, check.part, check.quantity, check.pairs[-1].shown.value)[0]
    )
    claimed = [p.shown.accuracy or stated for p in check.pairs]
    amps = [p.amps_A for p in check.pairs]
    alone = np.array([p.alone for p in check.pairs])
    return disagreement(
        "A" if check.quantity == "A" else "V",
        np.array([p.shown.value for p in check.pairs]),
        np.array([p.reference.value for p in check.pairs]),
        max(claimed, key=lambda a: (a.of_reading, a.offset)),
        widest(job, check.pairs),
        amps=np.array([a or 0.0 for a in amps]) if any(amps) else None,
        draws_A=part.draws_A if isinstance(part, InlineMeter) else 0.0,
        # Where its shunt sits is not known of a display that is no part: most sit in the negative.
        low_side=part.shunt_in == "negative" if isinstance(part, InlineMeter) else bool(built_in),
        alone=alone if alone.any() else None,
    )
