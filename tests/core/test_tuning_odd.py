"""Readings as nobody would take them: all that Tune asks of them ends in an answer, or in one sentence."""

import contextlib
from collections.abc import Callable

import numpy as np
import pytest

from tensimeter.core.circuit.along_path import places_along
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job
from tensimeter.core.testplan.meter_checks import as_check, meter_checks
from tensimeter.core.testplan.plan import plans_of
from tensimeter.core.tuning.before_after import compare, laps, picture
from tensimeter.core.tuning.causes import accepted, causes
from tensimeter.core.tuning.contacts import contacts, next_place, redo_sentence
from tensimeter.core.tuning.disagreement import disagreement_of
from tensimeter.core.tuning.trim_edits import with_trim
from tensimeter.core.tuning.trim_words import screw_sentence, trims_asked
from tensimeter.core.tuning.trims import trimming
from tensimeter.demo.library import demo_job, demo_names
from tensimeter.report.tuned import tuned

JOBS = [*map(demo_job, demo_names()), Job(name="empty")]
VALUES = (0.0, -1.0, 1e-9, 1.0, 5.0, 12.0, 13.6, 24.0, 1e4, float("inf"), 0.03)
AMPS = (0.0, -1.0, 1.0, 2.0, 8.0, 1e4, 1e-6, float("inf"))


def odd_readings(job: Job, rng: np.random.Generator) -> list[Reading]:
    """Up to sixty readings of any place, quantity, value, test, step and run, some with amps."""
    outputs = [o.id for o in job.design.outputs()]
    ends = ("", "-panel", "-panel-alone")
    places = [*(o + end for o in outputs for end in ends), *places_along(job), "nowhere"]
    places += [x.id for x in job.design.links] + [s.id for s in job.assembly.trims]
    tests = [None, "gone", *(t.id for t in job.campaign.tests)]
    rows: list[Reading] = []
    for scan in range(int(rng.integers(0, 60))):
        test = tests[int(rng.integers(len(tests)))]
        step = None if rng.random() < 0.4 else int(rng.integers(0, 14))
        run = None if rng.random() < 0.6 else int(rng.integers(0, 3))
        accuracy = None if rng.random() < 0.2 else Accuracy(of_reading=0.001, counts=2, resolution=0.001)
        quantity = ("V", "V", "V", "A", "turn", "C", "ohm")[int(rng.integers(7))]
        value = VALUES[int(rng.integers(len(VALUES)))]
        row = Reading(scan, float(scan), places[int(rng.integers(len(places)))], quantity, value,  # type: ignore[arg-type]
                      ("", "bench-meter", "gone")[int(rng.integers(3))], accuracy, "four-wire", "typed",
                      test=test, step=step, run=run, id=len(rows) + 1)  # fmt: skip
        rows.append(row)
        if rng.random() < 0.6:
            amps = AMPS[int(rng.integers(len(AMPS)))]
            rows.append(row._replace(quantity="A", value=amps, instrument="", id=len(rows) + 1))
    return rows


def asked(job: Job, rows: list[Reading]) -> list[Callable[[], object]]:
    """All that Tune asks of readings."""
    plans = plans_of(job)
    found: list[Callable[[], object]] = [
        lambda: accepted(job, causes(job, rows, plans).causes[0]),
        lambda: redo_sentence(contacts(job, rows)) + next_place(job, contacts(job, rows)),
        lambda: [screw_sentence(trimming(job, rows), s) for s in job.assembly.trims],
        lambda: trims_asked(job, trimming(job, rows)),
        lambda: tuned(job, rows),
    ]
    for check in meter_checks(job, rows):
        found += [lambda c=check: disagreement_of(job, c), lambda c=check: as_check(job, c, 1.0, None)]
    for plan in (p for p in plans.values() if p is not None):
        runs = laps(job, plan, rows)
        if len(runs) > 1:
            found.append(lambda p=plan, r=runs: picture(compare(job, p, r[-2], r[-1])))
    return found


@pytest.mark.filterwarnings("error::RuntimeWarning")
@pytest.mark.parametrize("seed", range(16))
def test_odd_readings_end_in_an_answer(seed: int) -> None:
    rng, job = np.random.default_rng(seed), JOBS[seed % len(JOBS)]
    outputs = job.design.outputs()
    if outputs and seed % 3 == 0:
        job = with_trim(with_trim(job, "One", outputs[0].id), "Two", f"{outputs[0].id}-panel")
    rows = odd_readings(job, rng)
    facts = list(rows)
    for ask in asked(job, rows):
        # One sentence is an answer too; anything else is not.
        with contextlib.suppress(UserError):
            ask()
    assert rows == facts
    with contextlib.suppress(UserError):
        shares = [c.probability for c in causes(job, rows, plans_of(job)).causes]
        assert sum(shares) == pytest.approx(1.0)
