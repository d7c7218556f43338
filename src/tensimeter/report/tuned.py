"""What the data sheet says of tuning: displays and checks, causes taken in, two runs, contacts, trims."""

from collections.abc import Sequence

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.instruments import checks_of
from tensimeter.core.model.job import Job
from tensimeter.core.quantity import with_uncertainty
from tensimeter.core.testplan.check_words import QUANTITY_WORDS, check_kept_sentence, check_sentence
from tensimeter.core.testplan.meter_checks import meter_checks
from tensimeter.core.testplan.plan import plans_of
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.tuning.before_after import compare, laps
from tensimeter.core.tuning.contacts import contacts, joint_sentence, redo_sentence
from tensimeter.core.tuning.fan_plan import fan_plan
from tensimeter.core.tuning.fan_words import plan_sentence, sink_sentence, sweep_sentence, threshold_sentence
from tensimeter.core.tuning.trim_words import screw_sentence
from tensimeter.core.tuning.trims import trimming


def tuned(job: Job, readings: Sequence[Reading]) -> tuple[tuple[str, str], ...]:
    """What is said of each thing that was tuned: its name, and a sentence."""
    return (
        *_displays(job, readings),
        *_checks(job),
        *_found(job),
        *_runs(job, readings),
        *_contacts(job, readings),
        *_trims(job, readings),
        *_fan(job, readings),
    )


def _displays(job: Job, readings: Sequence[Reading]) -> list[tuple[str, str]]:
    return [
        (f"{c.name}, {QUANTITY_WORDS.get(c.quantity, '')}", check_sentence(c))
        for c in meter_checks(job, readings)
    ]


def _checks(job: Job) -> list[tuple[str, str]]:
    return [(p.name, check_kept_sentence(c)) for p in job.stock for c in checks_of(job, p.id)[-1:]]


def _found(job: Job) -> list[tuple[str, str]]:
    """Causes that are part of the model, and so not mended yet."""
    return [
        (f"{link.name}, as found", f"{f.reason} Not mended yet.")
        for link in job.design.links
        for f in link.found
    ]


def _runs(job: Job, readings: Sequence[Reading]) -> list[tuple[str, str]]:
    plans, told = plans_of(job), []
    for test in job.campaign.tests:
        planned = plans[test.id]
        runs = laps(job, planned, readings) if planned is not None else []
        if planned is None or len(runs) < 2:
            continue
        try:
            found = compare(job, planned, runs[-2], runs[-1])
        except UserError:
            continue
        name = f"{job.output(test.output).name}, {kind_of(test).name}, before and after"
        told.append((name, found.sentence))
    return told


def _contacts(job: Job, readings: Sequence[Reading]) -> list[tuple[str, str]]:
    found = contacts(job, readings)
    if not found.joints and not found.wires:
        return []
    worst = [joint_sentence(j) for j in found.joints if j.excess_ohm > 0]
    return [("Contacts", " ".join(worst[:3]) or redo_sentence(found))]


def _fan(job: Job, readings: Sequence[Reading]) -> list[tuple[str, str]]:
    """The fan, where anything was read of it."""
    try:
        plan = fan_plan(job, readings, plans_of(job))
    except UserError:
        return []
    if not plan.sweep.rows:
        return []
    told = (plan_sentence(plan), threshold_sentence(plan), sweep_sentence(plan.sweep), sink_sentence(plan))
    return [(plan.sweep.fan.name, " ".join(t for t in told if t))]


def _trims(job: Job, readings: Sequence[Reading]) -> list[tuple[str, str]]:
    found = trimming(job, readings)
    told = []
    for screw in found.screws:
        stands = found.stands.get(screw.id, 0.0)
        reads = found.reads.get(screw.moves)
        now = ""
        if reads is not None:
            now = f"{screw.moves} reads {with_uncertainty(reads.value, reads.half_width, screw.quantity)}; "
        shut = ", sealed" if screw.sealed else ""
        told.append(
            (screw.name, f"{now}{stands:+.2f} turns from where it was{shut}; {screw_sentence(found, screw)}.")
        )
    return told
