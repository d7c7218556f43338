"""Sentences that say where a test stands: is the meter fine enough, what do the readings say, next."""

import numpy as np

from tensimeter.core.analysis.regulation import next_reading
from tensimeter.core.measurement.conformity import Verdict, capability
from tensimeter.core.measurement.readings import Reading, pairs
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.parts.instrument_part import VoltMeter
from tensimeter.core.quantity import localised, show, with_uncertainty
from tensimeter.core.testplan.by_hand import is_by_strides
from tensimeter.core.testplan.evaluation import columns, extended_words, limit_words
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import OPEN, Outcome, Plan


def _percent(share: float) -> str:
    return localised(f"{share * 100:.2g}") + " %"


def meter_sentence(job: Job, plan: Plan, meter: str | None = None) -> str:
    """Whether the meter in hand can settle the allowed band at all, before anything is read."""
    chosen = meter or job.campaign.voltmeter
    nominal = plan.output.nominal_V
    if not plan.steps or plan.steps[0].allowed == OPEN or not plan.steps[0].allowed.ends[1] < np.inf:
        return ""
    accuracy, range_ = accuracy_of(job, chosen, "V", nominal)
    part = job.part(chosen)
    name = part.name if part and range_ != "assumed" else "A plain handheld (assumed)"
    able = capability(accuracy, plan.steps[0].allowed, nominal)
    said = f"{name} reads ± {show(able.half_width, 'V', 2)} here"
    if not able.can_hold:
        return (
            f"{said}, wider than the allowed band: it can never call this held. "
            f"{_finer(job, plan, accuracy.half_width(nominal))}"
        )
    if able.share > 0.3:
        return (
            f"{said}, {_percent(able.share)} of the allowed half-width: near an edge it will be "
            f"too close to call. {_finer(job, plan, accuracy.half_width(nominal))}"
        )
    return f"{said}, {_percent(able.share)} of the allowed half-width: fine enough."


def settle_sentence(job: Job, plan: Plan) -> str:
    """Whether what measures can settle the figure that a test asks for, before anything is read."""
    return kind_of(plan.test).reader_words(job, plan, plan.test)


def _finer(job: Job, plan: Plan, half_width: float) -> str:
    """Which meter of the stock would do better."""
    nominal, best = plan.output.nominal_V, None
    for part in job.stock:
        if not isinstance(part, VoltMeter):
            continue
        accuracy, range_ = accuracy_of(job, part.id, "V", nominal)
        half = accuracy.half_width(nominal)
        if range_ != "assumed" and half < 0.7 * half_width and (best is None or half < best[1]):
            best = (part.name, half)
    if best:
        return f"{best[0]} would read ± {show(best[1], 'V', 2)}."
    return "A finer meter, or a finer range, would settle it."


def outcome_sentence(result: Outcome) -> str:
    """What the readings of a test say so far, in one or two sentences."""
    output, fit = result.plan.output, result.regulation
    if not result.plan.steps:
        return "This test has no points yet: list them under Set-up."
    if not result.measured and not result.extra and not result.findings:
        begin = result.plan.steps[0]
        return f"Nothing read yet. First: {begin.title or show(begin.set_A, 'A', 3)}."
    if not kind_of(result.plan.test).fits_line(result.plan.test):
        return _found_sentence(result)
    taken = f"{result.measured} of {len(result.steps)} points read."
    if fit is None:
        return f"{taken} A second current gives resistance and regulation."
    r, reg = fit.output_resistance_ohm, fit.load_regulation
    text = f"{with_uncertainty(r.value, r.half_width, 'ohm')} at {output.name}; "
    extended = extended_words(fit)
    if extended:
        text += f"regulation {extended} (at most {limit_words(output)})."
    else:
        text += (
            f"regulation {with_uncertainty(reg.value, reg.half_width, '%')} of at most "
            f"{limit_words(output)}: {result.regulation_verdict.words}."
        )
    ends = next((f.text for f in result.findings if f.key == "line_ends"), "")
    text += f" It {ends}" if ends else ""
    failing = [s for s in result.steps if s.verdict in (Verdict.NONCONFORMING, Verdict.TOO_CLOSE)]
    if failing:
        first = min(failing, key=lambda s: s.step.set_A)
        at = show(first.step.set_A, "A", 3)
        missing = first.verdict is Verdict.NONCONFORMING
        text += f" At {at} the volts {'miss' if missing else 'are too close to call'}."
    elif result.complete:
        text += " Every point holds."
    if fit.curved:
        text += " The points bend: one resistance does not say it all."
    return text if result.complete else f"{taken} {text}"


def _found_sentence(result: Outcome) -> str:
    """The findings that weigh most, in words; a part of a test is said to be one."""
    gone = next((f for f in result.findings if f.key == "output_gone"), None)
    if gone is not None:
        return f"The output was gone {gone.text}."
    said = kind_of(result.plan.test).state_words(result.facts) if result.facts is not None else ""
    if said:
        return said
    part = (
        "" if result.complete else f"A part of it so far, {result.measured} of {len(result.steps)} points. "
    )
    judged = [f for f in result.findings if f.verdict is not None]
    wrong = [f for f in judged if f.verdict in (Verdict.NONCONFORMING, Verdict.TOO_CLOSE)]
    # Of figures that nothing is asked of, shares say most.
    plain = sorted(result.findings, key=lambda f: f.unit != "%")
    shown = (wrong or judged or plain)[:3]
    words = []
    for f in shown:
        value = with_uncertainty(f.value.value, f.value.half_width, f.unit) if f.value else f.text
        words.append(f"{f.name}: {value}" + (f", {f.verdict.words}" if f.verdict else ""))
    if judged and not wrong and len(judged) > len(shown):
        words.append(f"{len(judged)} figures judged, all hold" if result.verdict is Verdict.CONFORMS else "")
    return part + "; ".join(w for w in words if w) + ("." if words else "")


def next_sentence(job: Job, result: Outcome, readings: list[Reading]) -> str:
    """Which reading would tell most next; empty while there is none to compare with."""
    if is_by_strides(result.plan):
        # What is asked next follows from what held and what did not: the step in hand says it.
        return ""
    found = pairs(readings, result.plan.output.id, result.plan.test.id)
    if not kind_of(result.plan.test).fits_line(result.plan.test):
        held = any(step.hold_s for step in result.plan.steps)
        return _most_telling(result) if result.measured and not held else ""
    if len(found) < 2 or result.regulation is None:
        return ""
    best = next_reading(columns(job, found), result.plan.output.nominal_V, result.plan.most_A)
    if best is None or not np.isfinite(best[1]) or best[1] > 0.97:
        return ""
    gain = _percent(1 - best[1])
    return f"A reading at {show(best[0], 'A', 3)} would narrow the resistance most, by {gain}."


def _most_telling(result: Outcome) -> str:
    """The open point that is least certain: expected nearest to an edge of what is allowed."""
    waiting = [r.step for r in result.steps if not r.taken and r.step.phase in ("", "approach")]
    if not waiting:
        return ""
    rooms = {
        s.index: min(s.predicted_V.value - s.allowed.ends[0], s.allowed.ends[1] - s.predicted_V.value)
        for s in waiting
        if s.predicted_V is not None and np.isfinite(s.allowed.ends).any()
    }
    if not rooms:
        return f"Next: {waiting[0].title or show(waiting[0].set_A, 'A', 3)}."
    nearest = min(rooms, key=lambda index: rooms[index])
    step, room = next(s for s in waiting if s.index == nearest), rooms[nearest]
    where = step.title or show(step.set_A, "A", 3)
    edge = f"{show(abs(room), 'V', 2)} {'inside' if room >= 0 else 'outside'} its band"
    return f"{where[0].upper()}{where[1:]} would settle most: it is expected {edge}."
