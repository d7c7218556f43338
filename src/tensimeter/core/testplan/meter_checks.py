"""Displays held against references by readings of a job: what each output's own display is off by."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np

from tensimeter.core.analysis.comparison import Comparison, Correction, compared, points_for
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.design.reach import volts_span
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import PRETENDED, Measurand, Origin, Reading, counting
from tensimeter.core.model.instruments import accuracy_of, put_right
from tensimeter.core.model.job import Job
from tensimeter.core.parts.figures import MeterCheckRecord
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show, with_uncertainty
from tensimeter.core.testplan.picture import Line, Picture, Spot
from tensimeter.core.testplan.step import displays_of, panel_of

#: What a display of an output may show.
SHOWN: tuple[Measurand, ...] = ("V", "A")
#: How long a check is good for where nothing else is said, months, a rule of thumb; s of a month.
USUAL_MONTHS, MONTH_S = 12.0, 30.44 * 86400
MOST_MONTHS = 1200.0
#: So many pairs at the most are drawn, the newest.
DRAWN = 500
#: Digits that a panel is taken to have where nothing was read of it: as most show.
USUAL_DIGIT = 0.01


@dataclass(frozen=True)
class Pair:
    """What a display showed, and what the reference beside it read."""

    shown: Reading
    reference: Reading
    #: Amps that flowed, where they were read; whether everything else was off the negative.
    amps_A: float | None = None
    alone: bool = False


@dataclass(frozen=True)
class MeterCheck:
    """One display and quantity: its pairs in the order read, and what they tell, or why they tell nothing."""

    output: str
    name: str
    quantity: Measurand
    pairs: tuple[Pair, ...]
    found: Comparison | None
    said: str
    #: Values still to be compared, in the order to take them.
    points: tuple[float, ...]

    @property
    def place(self) -> str:
        """Where readings of it are filed."""
        return panel_of(self.output)

    @property
    def part(self) -> str | None:
        """The part of the stock that it is; None where nothing in the path says so."""
        return (self.pairs[-1].shown.instrument or None) if self.pairs else None

    @property
    def unit(self) -> str:
        """Its unit."""
        return self.quantity

    @property
    def pretended(self) -> Origin | None:
        """The origin of its newest pair, where nothing of it was real."""
        origins = [p.shown.origin for p in self.pairs]
        return origins[-1] if origins and PRETENDED.issuperset(origins) else None


def meter_checks(job: Job, readings: Iterable[Reading]) -> tuple[MeterCheck, ...]:
    """Every display of an output that was read, volts and amps each.

    A display's reading belongs to the reference that was read last before it, of the same output, quantity,
    test and step: another load's would tell of the load.
    """
    live = counting(readings)
    found = []
    for output in job.design.outputs():
        for quantity in SHOWN:
            pairs = _pairs(job, live, output.id, quantity)
            if pairs:
                found.append(_check(job, output, quantity, pairs))
    return tuple(found)


def as_check(
    job: Job, check: MeterCheck, at: float, months: float | None = USUAL_MONTHS, *, earlier_too: bool = False
) -> MeterCheckRecord:
    """What a comparison has shown, as its meter keeps it from `at` on, s since 1970; None: for good.

    UserError where it tells nothing, where it was made up, where no part of the stock is the display, or
    where it would be good for no time, or for ever.
    """
    if months is not None and not 0 < months <= MOST_MONTHS:
        raise UserError("A check is good for some months: more than none, a hundred years at the most.")
    found = check.found
    if found is None:
        raise UserError(check.said)
    if check.pretended and not job.demo:
        raise UserError("What was simulated or practised says nothing of a real meter; nothing was kept.")
    if check.part is None:
        raise UserError("Only a meter of the stock keeps a check: put a panel meter into the path first.")
    gain, offset = (found.line.gain, found.line.offset) if found.tells_gain else (1.0, 0.0)
    if not found.tells_gain:
        # Points that lie close together tell an offset alone.
        offset = float(np.mean(found.reference - found.shown))
    line = 1.96 * float(np.max(found.line.deviation(found.shown))) if found.tells_gain else 0.0
    scatter = 1.96 * float(np.hypot(found.standard.scatter, found.subject.scatter)) / len(found.shown) ** 0.5
    reference = job.part(check.pairs[-1].reference.instrument)
    return MeterCheckRecord(
        quantity=check.quantity, gain=gain, offset=offset, of_reading=found.standard.of_reading,
        rest=found.standard.offset + max(line, scatter) + found.floor,
        low=float(found.shown.min()), high=float(found.shown.max()), at=at,
        until=None if months is None else at + months * MONTH_S,
        room_C=job.settings.ambient_C, reference=reference.name if reference is not None else "",
        earlier_too=earlier_too,
    )  # fmt: skip


def check_kept_sentence(check: MeterCheckRecord) -> str:
    """What a meter keeps of a comparison, in a sentence; dates in UTC."""
    day = datetime.fromtimestamp(check.at, UTC).strftime("%Y-%m-%d")
    until = datetime.fromtimestamp(check.until, UTC).strftime("%Y-%m-%d") if check.until is not None else ""
    room = f", {show(check.room_C, 'C', 3)}" if check.room_C is not None else ""
    left = f"{show(check.of_reading, '%', 2)} + {show(check.rest, check.quantity, 2)}"
    since = "all of its readings" if check.earlier_too else "its readings from then on"
    end = f", until {until}" if until else ""
    return f"Kept on {day}{room}: {since} are corrected, ± ({left}){end}."


def proposed(
    job: Job, output: OutputLink, quantity: Measurand, digit: float = USUAL_DIGIT
) -> tuple[float, ...]:
    """Values at which a display is to be compared: over the range that its output is used in."""
    low, high = _range(job, output, quantity)
    try:
        return points_for(low, high, digit)
    except UserError:
        # A display so coarse, or a range so narrow, that there is nothing between its ends.
        return (low, high) if high > low else ()


def _range(job: Job, output: OutputLink, quantity: Measurand) -> tuple[float, float]:
    if quantity == "A":
        return 0.05 * output.full_load_A, output.full_load_A
    if output.adjustable:
        try:
            return volts_span(job, output.id)
        except UserError:
            pass
    # What is not set in use is trimmed about its nominal volts.
    return 0.9 * output.nominal_V, 1.1 * output.nominal_V


def _pairs(job: Job, live: Sequence[Reading], output: str, quantity: Measurand) -> tuple[Pair, ...]:
    latest: dict[tuple[str | None, int | None], Reading] = {}
    amps: dict[tuple[str | None, int | None], float] = {}
    found = []
    beside: tuple[str | None, int | None] | None = None
    panel, alone = displays_of(output)
    for r, counted in zip(live, put_right(job, live), strict=True):
        if not np.isfinite(r.value):
            continue
        at = (r.test, r.step)
        if r.place in (panel, alone) and at == (None, None) and beside is not None:
            # Its current is that of no step, and so was that of what was read just before it.
            at = beside
        if r.place == output and r.step is None:
            beside = at
        elif r.place == output:
            beside = None
        if r.place == output and r.quantity == "A":
            amps[at] = r.value
        if r.quantity == quantity and r.place == output:
            latest[at] = counted
        elif r.quantity == quantity and r.place in (panel, alone) and at in latest:
            found.append(Pair(r, latest[at], amps.get(at), r.place == alone))
    return tuple(found)


def _check(job: Job, output: OutputLink, quantity: Measurand, pairs: tuple[Pair, ...]) -> MeterCheck:
    digits = [p.shown.accuracy.resolution for p in pairs if p.shown.accuracy is not None]
    # Trailing zeros are often not typed: the finest digit seen is the display's own.
    digit = min(digits, default=USUAL_DIGIT)
    # With everything else off the negative it is another circuit: that tells why, and of no line.
    joined = [p for p in pairs if not p.alone] or list(pairs)
    shown = np.array([p.shown.value for p in joined])
    true = np.array([p.reference.value for p in joined])
    comparison, said = None, ""
    try:
        comparison = compared(shown, true, Accuracy(of_reading=0, resolution=digit), widest(job, joined))
    except UserError as trouble:
        said = str(trouble)
    wanted = proposed(job, output, quantity, digit)
    near = 0.05 * (max(wanted) - min(wanted)) if wanted else 0.0
    left = tuple(p for p in dict.fromkeys(wanted) if not np.any(np.abs(true - p) <= near))
    return MeterCheck(output.id, output.name, quantity, pairs, comparison, said, left)


def widest(job: Job, pairs: Sequence[Pair]) -> Accuracy:
    """The references' accuracy; of several ranges or meters the worst of each term."""
    of = [
        p.reference.accuracy or accuracy_of(job, None, p.reference.quantity, p.reference.value)[0]
        for p in pairs
    ]
    digit = max(a.resolution for a in of)
    return Accuracy(
        of_reading=max(a.of_reading for a in of),
        counts=max(a.offset for a in of) / digit,
        resolution=digit,
        noise_counts=max(a.noise_counts for a in of),
    )


#: What a display may let one set, in words.
LETS = {
    "both": "gain and offset",
    "gain": "its gain alone",
    "offset": "its offset alone",
    "nothing": "nothing: to be known",
}


def check_sentence(check: MeterCheck) -> str:
    """What a display is off by, in a sentence."""
    found = check.found
    if found is None:
        return check.said
    worst, unit = found.worst_before, check.unit
    k = int(np.argmax(np.abs(found.shown - found.reference)))
    word = "more" if worst.value > 0 else "less"
    share = abs(worst.value / found.reference[k]) if found.reference[k] else 0.0
    text = (
        f"It shows up to {with_uncertainty(abs(worst.value), worst.half_width, unit)} {word} than "
        f"there is ({show(share, '%', 2)} at {show(float(found.reference[k]), unit, 3)})"
    )
    if not found.tells_gain:
        return f"{text}."
    return (
        f"{text}; true is {found.gain.value:.4f} ± {found.gain.half_width:.4f} of what it shows, "
        f"{'less' if found.offset.value < 0 else 'plus'} "
        f"{with_uncertainty(abs(found.offset.value), found.offset.half_width, unit)}."
    )


def check_worked(check: MeterCheck) -> Derivation | None:
    """How the gain of a display came about; None where its pairs tell none."""
    found, unit = check.found, check.unit
    if found is None:
        return None
    return Derivation(
        f"Gain of {check.name}'s own display",
        "true = a·shown + b, the likeliest line through pairs that err in both",
        (
            Input("n", "pairs of display and reference", float(len(check.pairs)), ""),
            Input("s₁", "scatter of the display: noise and half a digit", found.subject.scatter, unit),
            Input("s₂", "scatter of the reference", found.standard.scatter, unit),
            Input("g", "bound of the reference's own gain", found.standard.of_reading, "%"),
            Input("o", "bound of its offset", found.standard.offset, unit),
            Input("b", "what is added", found.offset.value, unit),
        ),
        found.gain.value,
        "",
        (
            "the reference's gain and offset are the same at every pair",
            "the display does not drift meanwhile",
        ),
        "York et al., Am. J. Phys. 72 (2004) 367; the GUM for what the reference has in common",
        (found.gain.low, found.gain.high),
    )


def setting_sentence(check: MeterCheck, chosen: Correction) -> str:
    """What to set in a display, and what is left then."""
    found, unit = check.found, check.unit
    assert found is not None
    acts = []
    if chosen.gain != 1.0:
        acts.append(f"multiply its gain by {chosen.gain:.4f}")
    if abs(chosen.offset) >= found.floor:
        word = "add" if chosen.offset > 0 else "take off"
        acts.append(f"{word} {show(abs(chosen.offset), unit, 3)}")
    left = max(chosen.left, found.floor)
    rest = f"{show(left, unit, 2)} is left of its own errors, {show(found.floor, unit, 2)} being half a digit"
    reference = show(found.worst_after.half_width, unit, 2)
    if not acts:
        return f"Nothing is set: {rest}; the reference leaves ± {reference}."
    words = " and ".join(acts)
    return f"{words[0].upper()}{words[1:]}: {rest}; the reference leaves ± {reference}."


def asked_of(job: Job, check: MeterCheck | None) -> str:
    """What to read next of a display, as it is typed."""
    outputs = job.design.outputs()
    if check is None:
        if not outputs:
            return ""
        place, first = panel_of(outputs[0].id), outputs[0]
        return (
            f"First the meter: {first.id} {first.nominal_V:g}V @{first.full_load_A:g}A\n"
            f"then the display: {place} {first.nominal_V:g}V\n"
            f"and: {place} {first.full_load_A:g}A\n"
            "Several loads tell its gain, several set volts that of its volts."
        )
    if not check.points:
        return "Its range is covered. A second comparison after setting it is the proof."
    values = ", ".join(show(p, check.unit, 3) for p in check.points[:4])
    return f"Compare also at {values}: both ends and the middle, up and down, between its digits."


def check_picture(check: MeterCheck, chosen: Correction) -> Picture:
    """Error over what is shown: as read, with intervals, its line, and what is left once it is set."""
    found = check.found
    assert found is not None
    bounds = found.standard
    before = [
        Spot(s, s - r, bounds.half_width(r, (found.floor,)))
        for s, r in zip(found.shown[-DRAWN:].tolist(), found.reference[-DRAWN:].tolist(), strict=True)
    ]
    ends = np.array([found.shown.min(), found.shown.max()])
    true = found.line.gain * ends + found.line.offset
    lines = (
        Line("as it reads", ends, ends - true, "fit"),
        Line("once set", ends, chosen.gain * ends + chosen.offset - true, "prediction"),
        Line("", ends, np.zeros(2), "path"),
    )
    unit = check.unit
    return Picture(f"what it shows, {unit}", f"shown less true, {unit}", tuple(before), lines)
