"""A test judged by all its readings: typed, from a file and from instruments alike."""

import math
from collections.abc import Iterable, Sequence

import numpy as np

from tensimeter.core.analysis.regulation import Readings, Regulation, left_line, regulation
from tensimeter.core.errors import UserError
from tensimeter.core.guarded import guarded
from tensimeter.core.heatup.soak_state import SoakState
from tensimeter.core.measurement.conformity import Accuracy, Band, Interval, Verdict, judge, worst
from tensimeter.core.measurement.readings import (
    PRETENDED,
    Reading,
    VoltsAmps,
    Wave,
    interval_of,
    pairs,
    real_ones,
    standing,
)
from tensimeter.core.model.instruments import CORRECTED, accuracy_of, put_right
from tensimeter.core.model.job import Job
from tensimeter.core.model.joined import joined
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.testplan.contradiction import contradiction
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import OPEN, Facts, Finding, Outcome, Plan, Step, StepResult, panel_of
from tensimeter.core.testplan.taken import is_set_to, taken

#: So many points at the most are held against what the design foretells, the newest.
MOST_FORETOLD = 100


def rates(result: Outcome) -> bool:
    """Whether a test is one that an output's rating is proven by: volts over amps at its own volts."""
    test = result.plan.test
    return kind_of(test).rates(test)


def shows_load(result: Outcome) -> bool:
    """Whether a load that one makes was shown to sink something; what was simulated shows nothing."""
    return not result.pretended and bool(kind_of(result.plan.test).sinks(result))


def already_read(result: Outcome | None, *, simulated: bool = True) -> frozenset[int]:
    """Steps that a run passes over: those of a test that was begun and not ended.

    What goes past a limit is taken as a whole, or its order would tell nothing; what was simulated is not
    there for real instruments (`simulated` False).
    """
    if (
        result is None
        or result.complete
        or any(s.past_limits or s.hold_s for s in result.plan.steps)
        or (bool(result.pretended) and not simulated)
    ):
        return frozenset()
    return frozenset(r.step.index for r in result.steps if r.taken)


def columns(job: Job, found: list[VoltsAmps]) -> Readings:
    """Pairs as the columns that the regulation analysis takes."""
    accuracies: dict[str, Accuracy] = {}
    known: dict[tuple[object, ...], str] = {}

    def key_of(reading: Reading) -> str:
        own = reading.accuracy
        told = (reading.instrument, reading.range, id(own), reading.quantity)
        key = known.get(told)
        if own is None or key is None:
            accuracy = own or accuracy_of(job, None, reading.quantity, reading.value)[0]
            # Volts and amps of one instrument are different circuits with different errors.
            key = f"{reading.instrument}|{reading.range}|{accuracy.text()}|{reading.quantity}"
            accuracies[key] = accuracy
            known[told] = key
        return key

    lead = job.campaign.sense_lead_ohm
    two_wire = np.array([pair.volts.wiring == "two-wire" for pair in found], float)
    amps = np.array([pair.amps.value for pair in found])
    volts = np.array([pair.volts.value for pair in found]) + lead * amps * two_wire
    return Readings(
        volts,
        amps,
        [key_of(pair.volts) for pair in found],
        [key_of(pair.amps) for pair in found],
        accuracies,
        0.0,
        lead * job.campaign.sense_lead_tolerance * float(two_wire.any()),
    )


def corrected(job: Job, pair: VoltsAmps) -> Interval | None:
    """Volts at the terminals with their interval: a two-wire reading gets its lead's drop back."""
    if pair.volts.wiring == "four-wire" or not job.campaign.sense_lead_ohm:
        return interval_of(pair.volts)
    drop = job.campaign.sense_lead_ohm * pair.amps.value
    plain = interval_of(pair.volts, (drop * job.campaign.sense_lead_tolerance,))
    return plain and Interval(plain.value + drop, plain.low + drop, plain.high + drop)


def outcome(
    job: Job,
    worked_out: Plan,
    readings: Iterable[Reading],
    waves: Sequence[Wave] = (),
    *,
    running: bool = False,
    soak: SoakState | None = None,
    are_taken: bool = False,
) -> Outcome:
    """Judge a test by all its readings and waveforms; while it is running by what the run tells of heat.

    `are_taken` says that the readings are those that the test takes, and no others.

    Where something real was read, what was simulated does not count beside it; where nothing was, the
    outcome says that it is pretended.
    """
    test, output = worked_out.test, worked_out.output
    job = joined(job, output.id)
    live = put_right(job, list(readings) if are_taken else taken(job, worked_out, standing(readings)))
    own = tuple(w for w in waves if w.test == test.id)
    # What was said beside figures that are made up makes nothing real of them.
    real = real_ones(live) if any(r.known == "read" for r in real_ones(live)) else []
    real_waves = tuple(w for w in own if w.origin not in PRETENDED)
    pretended = "" if real or real_waves or not (live or own) else (live or own)[-1].origin
    if not pretended:
        live, own = real, real_waves
    facts = Facts(job, worked_out, tuple(live), own, running, soak)
    places = {output.id, *(s.place for s in worked_out.steps if s.place)}
    found = [p for place in sorted(places) for p in pairs(live, place, test.id)]
    found.sort(key=lambda p: p.volts.id or 0)
    latest: dict[tuple[int | None, str], VoltsAmps] = {
        (p.volts.step, p.volts.place): p for p in found if p.volts.step is not None
    }
    results = tuple(_told(facts, step, latest) for step in worked_out.steps)
    extra = tuple(p for p in found if p.volts.step is None)
    fit: Regulation | None = None
    fit_verdict, unfit = Verdict.NOT_MEASURED, ""
    left: list[VoltsAmps] = []
    kind = kind_of(test)
    if kind.fits_line(test):
        on_line, left = _parted(worked_out, _fitted(worked_out, found))
        fit, fit_verdict, unfit = guarded(
            "The line through the readings",
            lambda: (*_regulation(job, worked_out, on_line), ""),
            lambda sentence: (None, Verdict.NOT_MEASURED, sentence),
        )
    findings = (
        *([_failed("line", unfit)] if unfit else ()),
        *_left_findings(worked_out, left),
        *_corrected_findings(job, live),
        *guarded("What the design foretells", lambda: _contradicted(facts, found), lambda _: []),
        *_fit_findings(fit, fit_verdict, output),
        *guarded("What this test gives", lambda: kind.findings(facts, test), lambda s: [_failed("test", s)]),
        *guarded("The panel", lambda: _panel(facts), lambda s: [_failed("panel", s)]),
    )
    singles = [r.verdict for r in results if r.volts is not None and r.step.allowed != OPEN]
    singles += guarded("Readings beside the steps", lambda: _beside(facts, extra), lambda _: [])
    singles += [f.verdict for f in findings if f.verdict is not None]
    if kind.fits_line(test) and singles and fit is None:
        singles.append(fit_verdict)
    verdict = worst(singles) if singles else Verdict.NOT_MEASURED
    measured = sum(r.taken for r in results)
    return Outcome(
        worked_out, results, extra, fit, fit_verdict, verdict, measured, findings, facts, pretended
    )


def not_judged(worked_out: Plan, sentence: str) -> Outcome:
    """A test of which nothing can be told but why."""
    steps = tuple(StepResult(step, None, None, Verdict.NOT_MEASURED) for step in worked_out.steps)
    none = Verdict.NOT_MEASURED
    return Outcome(worked_out, steps, (), None, none, none, 0, (_failed("test", sentence),))


def _failed(key: str, sentence: str) -> Finding:
    """A finding that is missing: nothing is proven while it is."""
    return Finding(f"failed:{key}", "not worked out", text=sentence, verdict=Verdict.NOT_MEASURED)


def _beside(facts: Facts, extra: Sequence[VoltsAmps]) -> list[Verdict]:
    """Points between the steps, judged as those at them; around what they were set to, where it was said."""
    job, output, steps = facts.job, facts.plan.output, facts.plan.steps
    allowed = steps[0].allowed if steps and all(s.trim_V is None for s in steps) else OPEN
    found, settings = [], facts.settings(output.id)
    for pair in extra:
        set_V = settings.get(pair.volts.scan)
        elsewhere = set_V is not None and not is_set_to(set_V, output.nominal_V)
        band = Band.around(set_V, output.tolerance) if set_V is not None and elsewhere else allowed
        if band != OPEN:
            inside = _is_surely_inside(job, pair, band)
            found.append(Verdict.CONFORMS if inside else judge(corrected(job, pair), band))
    return found


def _is_surely_inside(job: Job, pair: VoltsAmps, band: Band) -> bool:
    """Whether volts hold by the plain sum of what they may be off: their interval need not be worked out."""
    volts, accuracy = pair.volts, pair.volts.accuracy
    if accuracy is None or not math.isfinite(volts.value):
        return False
    drop = job.campaign.sense_lead_ohm * pair.amps.value if volts.wiring == "two-wire" else 0.0
    half = accuracy.at_most(volts.value, abs(drop) * job.campaign.sense_lead_tolerance)
    return band.ends[0] <= volts.value + drop - half and volts.value + drop + half <= band.ends[1]


def _panel(facts: Facts) -> list[Finding]:
    """How far the supply's own display is off, where it was read beside the reference."""
    worst_off: Interval | None = None
    count = 0
    for step in facts.plan.steps:
        place = step.place or facts.plan.output.id
        shown, true = facts.interval(step.index, "V", panel_of(place)), facts.interval(step.index, "V", place)
        if shown is None or true is None:
            continue
        count += 1
        off, half = shown.value - true.value, math.hypot(shown.half_width, true.half_width)
        if worst_off is None or abs(off) > abs(worst_off.value):
            worst_off = Interval(off, off - half, off + half)
    if worst_off is None:
        return []
    return [
        Finding(
            "the_panel_reads_off_by", "the panel reads off by", "V", worst_off, f"at most, of {count} points"
        )
    ]


def _told(facts: Facts, step: Step, latest: dict[tuple[int | None, str], VoltsAmps]) -> StepResult:
    nothing = StepResult(step, None, None, Verdict.NOT_MEASURED)
    return guarded(f"Step {step.index + 1}", lambda: _result(facts, step, latest), lambda _: nothing)


def _result(facts: Facts, step: Step, latest: dict[tuple[int | None, str], VoltsAmps]) -> StepResult:
    place = step.place or facts.plan.output.id
    pair = latest.get((step.index, place))
    alone = None if pair else facts.last(step.index, "V", place)
    volts = corrected(facts.job, pair) if pair else interval_of(alone) if alone else None
    verdict = judge(volts, step.allowed)
    if step.allowed == OPEN:
        verdict = Verdict.NOT_MEASURED
    also = []
    for where, quantity in step.also:
        reading = facts.last(step.index, quantity, where)
        if reading is not None:
            also.append((where, reading))
    peaks = facts.last(step.index, "Vpp", place)
    return StepResult(step, pair, volts, verdict, facts.wave(step.index), tuple(also), peaks)


def contradiction_of(job: Job, plans: Iterable[Plan], rows: Sequence[Reading]) -> str:
    """In words where what was read of a moment is not what the design foretells; empty where it may be."""
    for plan in plans:
        for pair in pairs(rows, plan.output.id) if kind_of(plan.test).rates(plan.test) else ():
            amps = pair.amps.value
            odd = contradiction(plan, corrected(job, pair), amps, rows, job.settings.mains_V)
            if odd is not None:
                return odd.words
    return ""


def _contradicted(facts: Facts, found: Sequence[VoltsAmps]) -> list[Finding]:
    """The point that is furthest from what the design foretells, where it can't explain it; and how many."""
    plan = facts.plan
    if not kind_of(plan.test).rates(plan.test) or plan.line is None:
        return []
    mains_V = facts.job.settings.mains_V
    odd = [
        one
        for pair in [p for p in found if p.volts.place == plan.output.id][-MOST_FORETOLD:]
        if (
            one := contradiction(
                plan, corrected(facts.job, pair), pair.amps.value, facts.at_scan(pair.volts.scan), mains_V
            )
        )
        is not None
    ]
    if not odd:
        return []
    more = f" {len(odd)} points are so." if len(odd) > 1 else ""
    furthest = max(odd, key=lambda one: float(np.nan_to_num(one.far_V)))
    return [Finding("contradicted", "not as drawn", text=f"{furthest.words}{more}", is_note=True)]


def _fitted(worked_out: Plan, found: list[VoltsAmps]) -> list[VoltsAmps]:
    """The pairs that one line goes through: at several set volts, those of the first."""
    at = {s.trim_V for s in worked_out.steps}
    if len(at) < 2:
        return found
    first = worked_out.steps[0].trim_V
    return [p for p in found if p.volts.step is not None and worked_out.steps[p.volts.step].trim_V == first]


def _parted(worked_out: Plan, found: list[VoltsAmps]) -> tuple[list[VoltsAmps], list[VoltsAmps]]:
    """The pairs that lie on a line, and those where the volts have left it."""
    if len(found) < 3:
        return found, []
    asked = [worked_out.steps[p.volts.step].set_A if p.volts.step is not None else np.nan for p in found]
    volts, amps = np.array([(p.volts.value, p.amps.value) for p in found]).T
    out = left_line(volts, amps, np.array(asked))
    return [p for p, o in zip(found, out, strict=True) if not o], [
        p for p, o in zip(found, out, strict=True) if o
    ]


def _left_findings(worked_out: Plan, left: list[VoltsAmps]) -> list[Finding]:
    """What an output gave at the most where its volts left the line: a limit, not a resistance."""
    if not left:
        return []
    most = max(left, key=lambda p: p.amps.value)
    step = most.volts.step
    asked = worked_out.steps[step].set_A if step is not None else worked_out.full_load.amps
    of = f" of {show(asked, 'A', 3)}" if most.amps.value < 0.97 * asked else ""
    text = (
        f"gives {show(most.amps.value, 'A', 3)}{of}, at {show(most.volts.value, 'V', 3)}: the line ends "
        "before it, and it is left out of the resistance. A current limit test shows what limits."
    )
    return [Finding("line_ends", "the line ends at", "A", interval_of(most.amps), text)]


def extended_words(fit: Regulation) -> str:
    """What a line would give where it was not read; empty where it was."""
    if fit.extended_from_A is None:
        return ""
    volts = show(fit.full_load_V.value, "V", 4)
    share = show(fit.load_regulation.value, "%", 2)
    return f"not measured at {show(fit.full_load_A, 'A', 3)}; the line would give {volts}, {share}"


def limit_words(output: OutputLink) -> str:
    """The change of an output's volts that is allowed; said where nobody has set it."""
    own = OutputLink.model_fields["regulation_limit"].default == output.regulation_limit
    return f"{show(output.regulation_limit, '%', 2)}{', the program’s own default' if own else ''}"


def _fit_findings(fit: Regulation | None, verdict: Verdict, output: OutputLink) -> list[Finding]:
    if fit is None:
        return []
    worked = fit.worked()
    limit = output.regulation_limit
    band = Band(-limit, limit)
    extended = extended_words(fit)
    own = f"at most {limit_words(output)}" if "default" in limit_words(output) else ""
    return [
        Finding("no_load_volts", "no-load volts", "V", fit.no_load_V),
        Finding("volts_at_full_load", "volts at full load", "V", fit.full_load_V, extended),
        Finding(
            "output_resistance",
            "output resistance",
            "ohm",
            fit.output_resistance_ohm,
            worked=worked["resistance"],
        ),
        Finding(
            "load_regulation",
            "load regulation",
            "%",
            fit.load_regulation,
            extended or own,
            verdict,
            band,
            worked["regulation"],
        ),
    ]


def _regulation(job: Job, worked_out: Plan, found: list[VoltsAmps]) -> tuple[Regulation | None, Verdict]:
    output = worked_out.output
    try:
        fit = regulation(columns(job, found), output.nominal_V, worked_out.full_load.amps)
    except UserError:
        # Too few readings for a line, which is no fault: there is just no figure yet.
        return None, Verdict.NOT_MEASURED
    if fit.extended_from_A is not None:
        # What was not read is not judged: a line may end anywhere.
        return fit, Verdict.NOT_MEASURED
    limit = output.regulation_limit
    return fit, judge(fit.load_regulation, Band(-limit, limit))


def _corrected_findings(job: Job, live: Sequence[Reading]) -> list[Finding]:
    """Which meters' readings are put right by what a comparison has shown."""
    meters = dict.fromkeys(r.instrument for r in live if CORRECTED in r.range)
    found = []
    for meter in meters:
        part = job.part(meter)
        text = f"{part.name if part else meter}: its readings are corrected by its check"
        found.append(Finding(f"corrected:{meter}", CORRECTED, text=text, is_note=True))
    return found
