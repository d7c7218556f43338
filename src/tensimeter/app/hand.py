"""The step in hand outside a test: what to do, where its reading goes, what is expected."""

from collections.abc import Callable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.measurement.conformity import Band, Verdict
from tensimeter.core.measurement.readings import Measurand, Reading, standing
from tensimeter.core.model.job import Job
from tensimeter.core.parts.source_part import Stored
from tensimeter.core.procedure.first_power import PowerUpResult, power_up_results
from tensimeter.core.procedure.matrix import Checked, checked
from tensimeter.core.procedure.stored_energy import EMPTY_V, is_empty, stored


class Hand(Struct, frozen=True):
    """A step in hand outside a test: what to do, where its reading goes, what is expected.

    What was taken up `once` is put away when it is read.
    """

    title: str
    do: str
    place: str
    name: str
    quantity: Measurand
    band: Band
    expected: float | None
    verdict: Verdict
    last: Reading | None
    once: bool = False


def hand_of_pair(check: Checked) -> Hand:
    """A pair of the isolation and continuity matrix."""
    pair = check.pair
    return Hand(
        "Isolation and continuity", f"Expect {pair.expected}", pair.place, pair.name, pair.quantity,
        pair.band, None, check.verdict, check.reading,
    )  # fmt: skip


def hand_of_power_up(here: PowerUpResult) -> Hand | None:
    """A step of first power; None where nothing is read at it."""
    step = here.step
    if step.band is None:
        return None
    return Hand(
        step.title, step.do, step.place, step.probe, step.quantity, step.band, step.expected, here.verdict,
        here.reading,
    )  # fmt: skip


def hand_of_charge(at: Stored, readings: Sequence[Reading]) -> Hand:
    """A reservoir that must be read empty."""
    own = [r for r in standing(readings) if r.place == at.place and r.quantity == "V"]
    verdict = Verdict.NOT_MEASURED
    if own:
        verdict = Verdict.CONFORMS if is_empty(at, readings) else Verdict.NONCONFORMING
    return Hand(
        "Stored charge", "Read it empty", at.place, f"{at.name}, across its reservoir", "V",
        Band(-EMPTY_V, EMPTY_V), 0.0, verdict, own[-1] if own else None,
    )  # fmt: skip


def hand_at(
    job: Job, readings: Sequence[Reading], job_of: Callable[[Reading], Job | None], place: str
) -> Hand | None:
    """The step whose reading is filed at a place, taken up once; None where there is none such."""
    for check in checked(job, readings):
        if check.pair.place == place:
            return replace(hand_of_pair(check), once=True)
    for at in stored(job):
        if at.place == place:
            return replace(hand_of_charge(at, readings), once=True)
    for here in power_up_results(job, readings, job_of):
        if here.step.place == place and (found := hand_of_power_up(here)) is not None:
            return replace(found, once=True)
    return None
