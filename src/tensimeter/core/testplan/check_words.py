"""What a comparison has shown, in words and as a picture; what to set, and what to read next."""

from datetime import UTC, datetime

import numpy as np

from tensimeter.core.analysis.comparison import Comparison
from tensimeter.core.analysis.meter_setting import Correction
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.errors import UserError
from tensimeter.core.model.compared_places import SET, SHOWS, compared_places
from tensimeter.core.model.job import Job
from tensimeter.core.parts.figures import MeterCheckRecord
from tensimeter.core.quantity import parse, show, with_uncertainty
from tensimeter.core.testplan.meter_checks import MeterCheck
from tensimeter.core.testplan.picture import Line, Picture, Spot
from tensimeter.core.testplan.step import panel_of

#: So many pairs at the most are drawn, the newest.
DRAWN = 500


def check_kept_sentence(check: MeterCheckRecord) -> str:
    """What a meter keeps of a comparison, in a sentence; dates in UTC."""
    day = datetime.fromtimestamp(check.at, UTC).strftime("%Y-%m-%d")
    until = datetime.fromtimestamp(check.until, UTC).strftime("%Y-%m-%d") if check.until is not None else ""
    room = f", {show(check.room_C, 'C', 3)}" if check.room_C is not None else ""
    left = f"{show(check.of_reading, '%', 2)} + {show(check.rest, check.quantity, 2)}"
    since = "all of its readings" if check.earlier_too else "its readings from then on"
    end = f", until {until}" if until else ""
    if check.setting:
        return (
            f"Kept on {day}{room}: what is set gives {check.gain:.4f} of it "
            f"{_and(check.offset, check.quantity)}, ± ({left}){end}."
        )
    return f"Kept on {day}{room}: {since} are corrected, ± ({left}){end}."


def _and(offset: float, unit: str) -> str:
    return f"{'less' if offset < 0 else 'plus'} {show(abs(offset), unit, 3)}"


#: What a subject shows or is set to, in words.
QUANTITY_WORDS = {"V": "volts", "A": "amps", "C": "temperature", "W": "watts", "ohm": "resistance"}
#: What a display may let one set, in words.
LETS = {
    "both": "gain and offset",
    "gain": "its gain alone",
    "offset": "its offset alone",
    "nothing": "nothing: to be known",
    "constant": "a constant in its firmware",
    "alarm": "an alarm threshold",
}
#: What stands in it now is asked for with these, and said like this.
STANDS = {"constant": "as it stands: 11.2, or 100k/10k", "alarm": "to act at, as in 13.9V"}
#: How what is let be set is corrected.
_CORRECTED = {"constant": "gain", "alarm": "nothing"}


def lets_of(lets: str) -> str:
    """What is corrected where something is let be set: a constant multiplies, as a gain does."""
    return _CORRECTED.get(lets, lets)


def constant_of(text: str) -> float:
    """A constant as it stands: a figure, or that of a divider by its two resistors, (R1 + R2)/R2.

    UserError for what is neither.
    """
    upper, slash, lower = text.partition("/")
    if not slash:
        value = parse(text)
    elif (foot := parse(lower, "ohm")) > 0:
        value = 1 + parse(upper, "ohm") / foot
    else:
        raise UserError(f"“{text}” is no divider: its lower resistor is above zero.")
    if not np.isfinite(value) or value == 0:
        raise UserError(f"“{text}” is no constant that can be corrected.")
    return value


def to_show(found: Comparison, true: float) -> float:
    """What is to be set, or will be shown, where there is to be `true`."""
    return (true - found.line.offset) / found.line.gain


#: How an error is told of what is read, and of what is set.
_SAYS = {False: "It shows", True: "It is set"}


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
        f"{_SAYS[check.subject.sets]} up to {with_uncertainty(abs(worst.value), worst.half_width, unit)} "
        f"{word} than there is ({show(share, '%', 2)} at {show(float(found.reference[k]), unit, 3)})"
    )
    if not found.tells_gain:
        return f"{text}."
    shown = "what is set" if check.subject.sets else "what it shows"
    return (
        f"{text}; true is {found.gain.value:.4f} ± {found.gain.half_width:.4f} of {shown}, "
        f"{'less' if found.offset.value < 0 else 'plus'} "
        f"{with_uncertainty(abs(found.offset.value), found.offset.half_width, unit)}."
    )


def check_worked(check: MeterCheck) -> Derivation | None:
    """How the gain of a display came about; None where its pairs tell none."""
    found, unit = check.found, check.unit
    if found is None:
        return None
    return Derivation(
        f"Gain: {check.name}",
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


def setting_sentence(
    check: MeterCheck, chosen: Correction, lets: str = "both", stands: str = "", step: float = 0.0
) -> str:
    """What to set in a display, and what is left then; `stands` is what a constant or a threshold is now.

    UserError where that can't be read.
    """
    found, unit = check.found, check.unit
    assert found is not None
    if lets == "alarm":
        if not stands.strip():
            return "Say at what it is to act, and what to set it to is told."
        at = parse(stands, unit)
        to = with_uncertainty(to_show(found, at), found.worst_after.half_width, unit)
        return f"To act at {show(at, unit, 4)} set it to {to}."
    if lets == "constant":
        rest = f"{show(max(chosen.left, found.floor), unit, 2)} is left then."
        if not stands.strip():
            return f"Multiply the constant by {chosen.gain:.5f}; {rest}"
        old = constant_of(stands)
        return f"Put {old * chosen.gain:.5g} in place of {old:.5g}; {rest}"
    if check.subject.sets:
        return _what_to_set(found, unit)
    acts = []
    if chosen.gain != 1.0:
        acts.append(f"multiply its gain by {chosen.gain:.4f}")
    if abs(chosen.offset) >= found.floor:
        word = "add" if chosen.offset > 0 else "take off"
        nudges = f" ({abs(round(chosen.offset / step))} steps)" if step else ""
        acts.append(f"{word} {show(abs(chosen.offset), unit, 3)}{nudges}")
    left = max(chosen.left, found.floor)
    rest = f"{show(left, unit, 2)} is left of its own errors, {show(found.floor, unit, 2)} being half a digit"
    reference = show(found.worst_after.half_width, unit, 2)
    if not acts:
        return f"Nothing is set: {rest}; the reference leaves ± {reference}."
    words = " and ".join(acts)
    return f"{words[0].upper()}{words[1:]}: {rest}; the reference leaves ± {reference}."


def beside_sentence(check: MeterCheck) -> str:
    """How what is set or shown goes with the volts there; empty where that was not read, or is nothing."""
    slope = check.found.per_volt if check.found is not None else None
    if slope is None or check.quantity not in ("A", "W"):
        return ""
    sure = abs(slope.value) > slope.half_width
    top = float(np.abs(check.found.reference).max()) if check.found is not None else 0.0
    if not sure:
        most = max(abs(slope.low), abs(slope.high))
        return f"Over the volts it keeps what it is to within {show(most, check.unit, 2)} a volt."
    if check.quantity == "A":
        return (
            f"It changes by {show(slope.value, 'A', 2)} ± {show(slope.half_width, 'A', 1)} a volt: as if "
            f"{show(1 / abs(slope.value), 'ohm', 2)} were {'across' if slope.value > 0 else 'taken off'} it."
        )
    return f"It changes by {with_uncertainty(slope.value / top, slope.half_width / top, '%')} a volt."


def _what_to_set(found: Comparison, unit: str) -> str:
    """What a setter is set to so that there is what is wanted, at both ends of what was compared."""
    ends = [float(found.reference.min()), float(found.reference.max())]
    told = [f"for {show(e, unit, 4)} set {show(to_show(found, e), unit, 4)}" for e in ends]
    words = ", ".join(told)
    return f"{words[0].upper()}{words[1:]}."


def _others(job: Job) -> str:
    """How meters and settings of the stock are held against a better meter; empty where there are none."""
    places = compared_places(job)
    meter = next((p for p in places if p.endswith(SHOWS)), "")
    setting = next((p for p in places if p.endswith(SET)), "")
    told = [f"a meter, right after a better one: {meter} 4.02A"] if meter else []
    told += [f"what is set, before what it gives is read: {setting} 4A"] if setting else []
    return f"The same for {'; '.join(told)}." if told else ""


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
            "Several loads tell its gain, several set volts that of its volts.\n"
            f"{_others(job)}"
        )
    if not check.points and check.found is None:
        return "Compare it at both ends of its range."
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
    unit, word = check.unit, "is set to" if check.subject.sets else "shows"
    return Picture(f"what it {word}, {unit}", f"{word} less true, {unit}", tuple(before), lines)
