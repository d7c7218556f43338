"""The one reading that tells explanations apart most, and what each of them foretells of it."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.circuit.along_path import DROP, JOINTS, LEAST, OTHER, link_of, other_of, places_of
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Measurand
from tensimeter.core.model.instruments import accuracy_of, display_of
from tensimeter.core.model.job import Job
from tensimeter.core.quantity import show
from tensimeter.core.testplan.step import panel_of
from tensimeter.core.tuning.asked import Asked
from tensimeter.core.tuning.evidence import Spread, Weighed
from tensimeter.core.tuning.foretold import Effect, Foretold
from tensimeter.core.tuning.observed import Observation, Observed, meter_of

if TYPE_CHECKING:
    from tensimeter.core.tuning.causes import Cause

#: So many explanations at the most are told apart; those less likely than this are left aside.
TOLD_APART, LEAST_SHARE = 10, 0.005
#: A reading that tells less than this, in nats, is not proposed.
LEAST_NATS = 0.02
#: How well a clamp or a plain ammeter reads a loop's amps where nothing is known of it.
PLAIN_AMMETER = Accuracy(of_reading=0.005, counts=2, resolution=0.01)


class NextReading(Struct, frozen=True):
    """Where to read what, at which amps of which output; by each explanation (key, link) what it would be.

    `nats` is how much it tells in the mean.
    """

    place: str
    quantity: Measurand
    output: str
    amps_A: float
    expected: tuple[tuple[str, str, float, float], ...]
    nats: float

    @property
    def other_meter(self) -> bool:
        """Whether it is read with another meter than those in use."""
        return self.place.endswith(OTHER)


def with_candidates(job: Job, seen: Observed) -> Observed:
    """What was read, and behind it every reading that might come next."""
    cases = {o: list(a) for o, a in seen.loads.items()}
    figures: list[Observation] = []

    def case(output: str, load: float) -> int:
        for o, column in cases.items():
            column.append(load if o == output else 0.0)
        return len(cases[output]) - 1

    for output in job.design.outputs():
        for share in (0.0, 0.5, 1.0):
            number = case(output.id, share * output.full_load_A)
            figures += _at(job, output.id, number, loaded=share > 0)
    arrays = {o: np.array(column) for o, column in cases.items()}
    return replace(seen, figures=(*seen.figures, *figures), loads=arrays)


def _at(job: Job, output: str, case: int, *, loaded: bool) -> list[Observation]:
    """What may be read while one output is loaded: volts along its path, and across its leads."""
    nominal = job.output(output).nominal_V

    def of(place: str, value: float, by: str | None = job.campaign.voltmeter) -> Observation:
        known = accuracy_of(job, by, "V", value, 0.001)[0]
        return Observation(place, "V", 0.0, known, meter_of(place, by), case)

    found = [of(output, nominal), of(other_of(output), nominal, None)]
    shown, part = display_of(job, output, "V")
    panel = panel_of(output)
    found.append(Observation(panel, "V", 0.0, shown, meter_of(panel, part), case))
    for link in job.design.path_to(output)[:-1]:
        found.append(of(link.id, nominal))
        if loaded:
            found += [of(place, 0.1) for place in places_of(job, link)]
    if loaded:
        place = other_of(output)
        found.append(Observation(place, "A", 0.0, PLAIN_AMMETER, meter_of(place, None), case))
    return found


def next_reading(
    whole: Foretold, m: int, effects: Sequence[Effect], ranked: Sequence[Weighed], told: "Sequence[Cause]"
) -> NextReading | None:
    """The candidate behind the first m figures that tells most; None where none tells anything.

    What it tells is bounded from below by the distances between what the explanations foretell, pair by pair
    (Kolchinsky and Tracey, Estimating mixture entropy with pairwise distances, Entropy 19 (2017) 361, with
    the Bhattacharyya distance).
    """
    kept = [k for k, w in enumerate(ranked) if w.probability > LEAST_SHARE and w.keys != (-1,)][:TOLD_APART]
    if len(kept) < 2:
        return None
    means, variances = _foretold_by(whole, m, effects, [ranked[k] for k in kept])
    shares = np.array([ranked[k].probability for k in kept])
    told_nats = _information(means, variances, shares / shares.sum())
    best = int(np.argmax(told_nats))
    if told_nats[best] < LEAST_NATS:
        return None
    figure = whole.seen.figures[m + best]
    output = next((o for o, a in whole.seen.loads.items() if a[figure.case] > 0), "")
    expected = tuple(
        (told[k].label, told[k].link, float(means[j, best]), 1.96 * float(np.sqrt(variances[j, best])))
        for j, k in enumerate(kept)
    )
    amps = float(whole.seen.loads[output][figure.case]) if output else 0.0
    return NextReading(figure.place, _measured(figure), output, amps, expected, float(told_nats[best]))


def _measured(figure: Observation) -> Measurand:
    """What is read; of what may be asked for next everything is volts or amps."""
    return "A" if figure.quantity == "A" else "V"


def along_path(whole: Foretold, m: int, gap: Array) -> NextReading | None:
    """Where nothing explains what was read: volts across the first place that nobody read yet.

    Of the output whose figures are off most. None where all of its path was read.
    """
    figures = whole.seen.figures
    if not m:
        return None
    off = np.abs(gap) / np.sqrt(whole.sd[:m] ** 2 + np.sum(whole.common[:m] ** 2, axis=1))
    case = figures[int(np.argmax(off))].case
    loads = {o: float(a[case]) for o, a in whole.seen.loads.items()}
    output = max(loads, key=lambda o: loads[o])
    read = {f.place for f in figures[:m]}
    best: tuple[float, int] | None = None
    for k in range(m, len(figures)):
        f = figures[k]
        amps = float(whole.seen.loads[output][f.case])
        if f.place in read or amps <= 0 or f.place.endswith((OTHER, "-panel")):
            continue
        if best is None or amps > best[0]:
            best = (amps, k)
    if best is None:
        return None
    f = figures[best[1]]
    expected = (("healthy", "", float(whole.base[best[1]]), 1.96 * float(whole.sd[best[1]])),)
    return NextReading(f.place, _measured(f), output, best[0], expected, 0.0)


def _foretold_by(
    whole: Foretold, m: int, effects: Sequence[Effect], ranked: Sequence[Weighed]
) -> tuple[Array, Array]:
    """Mean and variance (k, c) of each candidate by each explanation, given all that was read."""
    gap = whole.seen.values[:m] - whole.base[:m]
    changes = [e.change for e in effects]
    means, variances = [], []
    for w in ranked:
        alone = effects[w.keys[0]] if len(w.keys) == 1 else None
        sd, common = whole.sd, whole.common
        if alone is not None and alone.sd is not None and alone.common is not None:
            sd, common = alone.sd, alone.common
        # Candidates and what was read vary together through what they share alone.
        cross = common[m:] @ common[:m].T
        known = Spread(sd[:m], common[:m]).solved(cross)
        own = sd[m:] ** 2 + np.sum(common[m:] ** 2, axis=1) - np.sum(known * cross, axis=1)
        change = w.change(changes) if w.keys else np.zeros((1, len(whole.base)))
        here = whole.base[m:] + change[:, m:] + (gap - change[:, :m]) @ known.T
        mean = w.weights @ here
        means.append(mean)
        variances.append(np.maximum(own, 0) + w.weights @ (here - mean) ** 2 + 1e-18)
    return np.array(means), np.array(variances)


def _information(means: Array, variances: Array, shares: Array) -> Array:
    """Nats (c,) that each candidate tells of which explanation holds, from below."""
    a, b = variances[:, None, :], variances[None, :, :]
    distance = 0.25 * (means[:, None] - means[None]) ** 2 / (a + b) + 0.5 * np.log(
        (a + b) / (2 * np.sqrt(a * b))
    )
    inside = np.einsum("j,ijc->ic", shares, np.exp(-distance))
    return np.asarray(-np.einsum("i,ic->c", shares, np.log(inside)))


def asked_by(n: NextReading) -> Asked:
    """The figure that it asks for."""
    return Asked(n.place, n.quantity, n.output, n.amps_A)


def next_sentence(job: Job, n: NextReading) -> str:
    """What to read next, and how it is typed."""
    output = next((o for o in job.design.outputs() if o.id == n.output), None)
    load = ", without load"
    if output is not None and n.amps_A:
        load = f" with {show(n.amps_A, 'A', 3)} at {output.name}"
    typed = f"{n.place} … {n.quantity}" + (f" @{n.amps_A:.3g}A" if n.amps_A else "")
    return f"Read next: {_where(job, n)}{load}. Type “{typed}”."


def _where(job: Job, n: NextReading) -> str:
    place = n.place
    link_id = link_of(place.removesuffix("-panel"))
    name = next((x.name for x in job.design.links if x.id == link_id), link_id)
    what = {
        DROP: "volts across {}",
        JOINTS: "volts across the joints of {} alone",
        LEAST: "the least volts along any one conductor of {}",
    }
    if n.other_meter:
        what[OTHER] = (
            "amps in the loop of {}, by another ammeter"
            if n.quantity == "A"
            else "volts right at {}, by another meter"
        )
    found = next((words for end, words in what.items() if place.endswith(end)), "volts at {}")
    return f"the display of {name}" if place.endswith("-panel") else found.format(name)
