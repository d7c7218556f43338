"""Readings as the model of a design foretells them: of what, where, at which loads."""

from collections.abc import Iterable, Mapping
from typing import Literal

import numpy as np
from msgspec import Struct, field

from tensimeter.core.arrays import Array
from tensimeter.core.circuit.along_path import OTHER, link_of, other_of, places_of
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Measurand, Reading, counting
from tensimeter.core.model.compared_places import set_of
from tensimeter.core.model.instruments import accuracy_of, put_right
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import of_newest
from tensimeter.core.path import HEATED, OutputLink
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Plan, Step, panel_of
from tensimeter.core.testplan.taken import MAINS, MAINS_SHARE, SET_SHARE

#: So many readings at the most are held against the design, the newest of each test.
MOST = 400
#: The meter that a reading without one was taken with.
UNNAMED = "a meter"


class Observation(Struct, frozen=True):
    """One figure: what was read at `place`, with which meter, while the loads were those of `case`."""

    place: str
    quantity: Measurand | Literal["ln K/W"]
    value: float
    accuracy: Accuracy
    meter: str
    case: int


class Observed(Struct, frozen=True, eq=False):
    """All that was read of a design: figures, and the amps (n,) of each output at their cases.

    `ammeter` reads those amps; `left_out` says what of the readings is not used, in words.
    """

    figures: tuple[Observation, ...]
    loads: Mapping[str, Array]
    ammeter: Accuracy
    left_out: tuple[str, ...] = ()
    outputs: frozenset[str] = field(default_factory=frozenset)

    @property
    def values(self) -> Array:
        """What was read (m,)."""
        return np.array([f.value for f in self.figures])


class _Cases:
    """Loads that were seen, each once."""

    def __init__(self, outputs: Iterable[OutputLink]) -> None:
        self.outputs = [o.id for o in outputs]
        self._known: dict[tuple[float, ...], int] = {}

    def of(self, loads: Mapping[str, float]) -> int:
        key = tuple(round(max(loads.get(o, 0.0), 0.0), 6) for o in self.outputs)
        return self._known.setdefault(key, len(self._known))

    def arrays(self) -> dict[str, Array]:
        rows = np.array(list(self._known)).reshape(len(self._known), len(self.outputs))
        return {o: rows[:, k] for k, o in enumerate(self.outputs)}


def observed(job: Job, readings: Iterable[Reading], plans: Mapping[str, Plan | None]) -> Observed:
    """The standing readings of volts and amps that the design foretells, the newest of each step.

    What was read before the last turn of a trim is left out, and so are steps that move the mains or a trim,
    go past a limit or record a waveform: no figure of the design stands for them.
    """
    cases, figures = _Cases(job.design.outputs()), list[Observation]()
    latest: dict[tuple[object, str, str], Reading] = {}
    amps: dict[object, dict[str, float]] = {}
    read: set[tuple[object, str]] = set()
    skipped = 0
    live = put_right(job, of_newest(job, counting(readings)))
    elsewhere = _elsewhere(job, live)
    # A turn of a trim makes another supply of it.
    turned = max((k for k, r in enumerate(live) if r.quantity == "turn"), default=-1)
    for r in live[turned + 1 :]:
        if not np.isfinite(r.value) or (r.known == "said" and r.quantity != "A"):
            continue
        if r.scan in elsewhere:
            skipped += r.quantity == "V"
            continue
        step = _step(plans, r)
        if r.test is not None and (step is None or not _plain(step)) and r.step is not None:
            skipped += r.quantity in ("V", "A")
            continue
        key: object = (r.test, r.step) if r.step is not None else r.scan
        if _is_load(r) and (r.known == "read" or (key, r.place) not in read):
            amps.setdefault(key, {})[r.place] = r.value
            read |= {(key, r.place)} if r.known == "read" else set()
        if r.quantity in ("V", "A"):
            latest[key, r.place, r.quantity] = r
    known = {o.id for o in job.design.outputs()}
    newest = [(key, place, r) for (key, place, _), r in latest.items() if not _is_load(r)]
    foretold = _foretold(job)
    for key, place, r in newest[-MOST:]:
        loads = _loads(job, r, _step(plans, r), amps.get(key, {}))
        if loads is None or place not in foretold:
            continue
        accuracy = r.accuracy or accuracy_of(job, None, r.quantity, r.value)[0]
        figures.append(
            Observation(place, r.quantity, r.value, accuracy, meter_of(place, r.instrument), cases.of(loads))
        )
    told = _words(skipped, turned >= 0, len(newest))
    return Observed(tuple(figures), cases.arrays(), ammeter_of(job), told, frozenset(known))


def _elsewhere(job: Job, live: Iterable[Reading]) -> set[int]:
    """Moments at volts or mains that were said, and that are not those of the design."""
    nominal = {set_of(o.id): o.nominal_V for o in job.design.outputs()}
    nominal[MAINS] = job.settings.mains_V
    share = {MAINS: MAINS_SHARE}
    return {
        r.scan
        for r in live
        if r.quantity == "V" and r.place in nominal
        and abs(r.value - nominal[r.place]) > share.get(r.place, SET_SHARE) * nominal[r.place]
    }  # fmt: skip


def _foretold(job: Job) -> set[str]:
    """Every place whose figures the design foretells; not the wires of a plug, nor what drives a fan."""
    links = [x for x in job.design.links if x.kind not in HEATED]
    outputs = [o.id for o in job.design.outputs()]
    along = (place for x in links for place in places_of(job, x))
    return {*(x.id for x in links), *along, *map(panel_of, outputs), *map(other_of, outputs)}


def _is_load(r: Reading) -> bool:
    """Whether it is the current that was drawn, as the load or its ammeter reads it."""
    return r.quantity == "A" and not r.place.endswith(("-panel", OTHER))


def meter_of(place: str, instrument: str | None) -> str:
    """Which meter read a figure: a display, or another meter, that is no part is one of its own."""
    if place.endswith(OTHER):
        return instrument or place
    return instrument or (place if place.endswith("-panel") else UNNAMED)


def ammeter_of(job: Job) -> Accuracy:
    """How well the loads' amps are known, at the largest full load."""
    most = max((o.full_load_A for o in job.design.outputs()), default=1.0)
    return accuracy_of(job, job.campaign.ammeter, "A", most, 0.001)[0]


def _step(plans: Mapping[str, Plan | None], r: Reading) -> Step | None:
    plan = plans.get(r.test or "")
    if plan is None or r.step is None or not kind_of(plan.test).by_current or r.step >= len(plan.steps):
        return None
    return plan.steps[r.step]


def _plain(step: Step) -> bool:
    """Whether volts and amps there are those of normal use, as designed."""
    moved = step.line_V is not None or step.trim_V is not None
    return not (moved or step.past_limits or step.capture is not None or step.hand)


def _loads(job: Job, r: Reading, step: Step | None, told: Mapping[str, float]) -> dict[str, float] | None:
    """What every output drew as a figure was read; None where that is not known.

    `told` are the amps of that moment by place: of outputs, or beside a figure along the path.
    """
    outputs = {o.id for o in job.design.outputs()}
    place = link_of(r.place.removesuffix("-panel"))
    own = {o: a for o, a in told.items() if o in outputs}
    amps = told.get(place, next(iter(own.values()), None) if len(own) == 1 else told.get(r.place))
    if step is not None:
        under = step.place or (place if place in outputs else "")
        mine = under or _one_below(job, place, outputs)
        if not mine:
            return None
        return {**dict(step.others), mine: step.set_A if amps is None else amps}
    if own:
        return own if place in own or place not in outputs else None
    if amps is None and r.test is None:
        # Nothing said of a load, and no test: taken as without load, as of a unit that is tried alone.
        return {} if place not in outputs else None
    mine = place if place in outputs else _one_below(job, place, outputs)
    return {mine: amps} if mine and amps is not None else None


def _one_below(job: Job, link: str, outputs: set[str]) -> str:
    """The one output that a link feeds; empty where it feeds none or several."""
    found = [o for o in outputs if link in [x.id for x in job.design.path_to(o)]]
    return found[0] if len(found) == 1 else ""


def _words(skipped: int, turned: bool, count: int) -> tuple[str, ...]:
    told = []
    if count > MOST:
        told.append(f"The newest {MOST} of {count} figures are used.")
    if skipped:
        told.append(f"{skipped} readings are not used: of a soak, past a limit, with mains or trim moved.")
    if turned:
        told.append("What was read before a trim was turned is not used.")
    return tuple(told)
