"""Why a supply does not read as designed: suspects ranked, and the reading that tells them apart most."""

import itertools
from collections import Counter
from collections.abc import Iterable, Mapping

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.circuit.network import has_source
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.measurement.readings import Reading, counting
from tensimeter.core.model.edits import with_link
from tensimeter.core.model.job import Job
from tensimeter.core.parts.suspect import SORTS, Suspect
from tensimeter.core.path import AsFound
from tensimeter.core.quantity import show
from tensimeter.core.testplan.step import Plan
from tensimeter.core.tuning.evidence import (
    HEALTHY,
    HEALTHY_PRIOR,
    NONE,
    NONE_PRIOR,
    Spread,
    Weighed,
    none_of_these,
    posterior,
    weighed,
    weighed_apart,
    weighed_both,
)
from tensimeter.core.tuning.foretold import Effect, Foretold
from tensimeter.core.tuning.heat import heat_figures
from tensimeter.core.tuning.next_reading import NextReading, along_path, next_reading, with_candidates
from tensimeter.core.tuning.observed import Observed, observed

#: So many suspects are tried two at a time, the likeliest.
PAIRED = 4
#: So many, the likeliest, are weighed again as the supply then is.
AGAIN = 10


class Cause(Struct, frozen=True):
    """One explanation: how likely it is, how large, what to look at. `partner` is the other one of two."""

    key: str
    link: str
    name: str
    unit: str
    size: Interval | None
    probability: float
    says: str
    look: str
    partner: "Cause | None" = None
    found: AsFound | None = None

    @property
    def label(self) -> str:
        """Its key; of two at once both."""
        return self.key if self.partner is None else f"{self.key}+{self.partner.key}"

    @property
    def title(self) -> str:
        """What it is, in a few words; of two at once both."""
        if self.key not in SORTS:
            return self.name
        own = f"{self.name}: {SORTS[self.key].title}"
        return own if self.partner is None else f"{own}, with {self.partner.title}"

    @property
    def sure(self) -> str:
        """How likely it is, in whole per cent; never all, never none."""
        if self.probability > 0.995:
            return "over 99 %"
        return f"{100 * self.probability:.0f} %" if self.probability >= 0.01 else "under 1 %"


class Causes(Struct, frozen=True, eq=False):
    """What readings tell of a supply: explanations, the likeliest first, and what to read next.

    `residual` is read less foretold (m,), `uncertainty` its 95 % half-width without any fault.
    """

    causes: tuple[Cause, ...]
    seen: Observed
    base: Array
    uncertainty: Array
    next: NextReading | None
    warnings: tuple[str, ...]
    #: What each of the causes changes of every figure (m,), in its mean.
    changes: tuple[Array, ...]
    #: Logarithm of the evidence of each of the causes, and how likely it was beforehand.
    evidence: tuple[tuple[float, float], ...]

    @property
    def residual(self) -> Array:
        """Read less foretold (m,)."""
        return np.asarray(self.seen.values - self.base)


def causes(job: Job, readings: Iterable[Reading], plans: Mapping[str, Plan | None]) -> Causes:
    """Suspects by the evidence of all standing readings.

    Raises
    ------
    UserError
        Where nothing is designed, or nothing was read that the design foretells.

    References
    ----------
    Bayes' rule over hypotheses with one size each, the sizes as likely beforehand: their evidence is summed
    over a grid, not approximated (MacKay, Information Theory, Inference, and Learning Algorithms, 28). Parts'
    tolerances and the shared gain and offset of each meter are integrated over as normal ones of their
    standard deviation (GUM, 4.3.7).
    """
    if not has_source(job):
        raise UserError("Nothing is joined yet that readings could be held against; draw the path in Design.")
    kept = list(readings)
    seen = observed(job, kept, plans)
    hot = heat_figures(job, counting(kept), plans) if seen.figures else []
    seen = replace(seen, figures=(*seen.figures, *hot))
    if len(seen.figures) < 2:
        raise UserError(
            "Too little was read to look for causes: read the volts of an output without load and loaded."
        )
    return found_in(job, seen)


def found_in(job: Job, seen: Observed) -> Causes:
    """Suspects by the evidence of figures that were read."""
    m = len(seen.figures)
    whole = Foretold(job, with_candidates(job, seen))
    gap = seen.values - whole.base[:m]
    effects = list(whole.known_effects)
    ranked = _ranked(whole, effects, gap)
    told = [_cause(effects, w) for w in ranked]
    uncertainty = 1.96 * np.sqrt(whole.sd[:m] ** 2 + np.sum(whole.common[:m] ** 2, axis=1))
    nxt = next_reading(whole, m, effects, ranked, told)
    warnings = list(seen.left_out)
    if told[0].key == NONE:
        nxt = nxt or along_path(whole, m, gap)
        warnings.append(
            "Nothing that is known explains these readings; read volts along the path, one by one."
        )
    every = [e.change for e in effects]
    changes = [
        (w.weights @ w.change(every))[:m] if w.keys and w.keys != (-1,) else np.zeros(m) for w in ranked
    ]
    evidence = tuple((w.log_evidence, w.prior) for w in ranked)
    return Causes(
        tuple(told), seen, whole.base[:m], uncertainty, nxt, tuple(warnings), tuple(changes), evidence
    )


def _ranked(whole: Foretold, effects: list[Effect], gap: Array) -> list[Weighed]:
    """Every hypothesis with its posterior, the likeliest first.

    The likeliest few are weighed once more with tolerances as they act on a supply that is so; `effects` then
    say how.
    """
    count = Counter(e.suspect.key for e in effects)
    m = len(gap)
    spread = Spread(whole.sd[:m], whole.common[:m])

    def single(k: int) -> Weighed:
        e = effects[k]
        prior = e.share * SORTS[e.suspect.key].prior / count[e.suspect.key]
        own = spread if e.sd is None or e.common is None else Spread(e.sd[:m], e.common[:m])
        if e.suspect.shares is not None:
            return weighed_apart(k, e.change[:, :m], e.suspect.shares, gap, own, prior)
        return weighed(k, e.change[:, :m], gap, own, prior)

    singles = [single(k) for k in range(len(effects))]
    for w in sorted(singles, key=_merit)[-AGAIN:]:
        k = w.keys[0]
        nearest = int(np.argmax(w.weights @ w.mixes[0]))
        effects[k] = whole.as_found(effects[k], nearest)
        singles[k] = single(k)
    one = np.ones(1)
    healthy = Weighed((), float(spread.log_likelihood(gap)), HEALTHY_PRIOR, one, ())
    nothing = Weighed((-1,), none_of_these(gap, spread.sd, spread.common), NONE_PRIOR, one, ())
    able = [w for w in singles if effects[w.keys[0]].suspect.shares is None]
    best = sorted(able, key=_merit)[-PAIRED:]
    pairs = []
    for a, b in itertools.combinations(best, 2):
        one, two = (effects[w.keys[0]].change[:, :m] for w in (a, b))
        pairs.append(weighed_both((a.keys[0], b.keys[0]), one, two, gap, spread, a.prior * b.prior))
    every = [healthy, nothing, *singles, *pairs]
    shares = posterior([w.log_evidence for w in every], [w.prior for w in every])
    told = [replace(w, probability=float(p)) for w, p in zip(every, shares, strict=True)]
    return sorted(told, key=lambda w: -w.probability)


def _merit(w: Weighed) -> float:
    return w.log_evidence + float(np.log(w.prior))


def _cause(effects: list[Effect], w: Weighed) -> Cause:
    if not w.keys:
        return Cause(
            HEALTHY, "", "Nothing is wrong", "", None, w.probability,
            "All readings are as designed, within tolerances and meters.", "",
        )  # fmt: skip
    if w.keys == (-1,):
        return Cause(
            NONE, "", "None of these", "", None, w.probability,
            "Nothing that is known explains the readings.", "Read volts along the path, one by one.",
        )  # fmt: skip
    found = []
    for key, mix in zip(w.keys, w.mixes, strict=True):
        s = effects[key].suspect
        size = _size(mix @ s.sizes, w.weights)
        says = s.says.format(size=_words(size, s.unit))
        found.append(
            Cause(
                s.key,
                s.link,
                s.name,
                s.unit,
                size,
                w.probability,
                says,
                s.look,
                found=_as_found(s, size, says),
            )
        )
    return found[0] if len(found) == 1 else replace(found[0], partner=found[1])


def _as_found(suspect: Suspect, size: Interval, reason: str) -> AsFound | None:
    """How its link is then; None where no single figure of it says so."""
    if suspect.as_found is None:
        return None
    field, times, plus = suspect.as_found(size.value)
    return AsFound(key=suspect.key, field=field, times=times, plus=plus, reason=reason)


def worked(found: Causes, cause: Cause) -> Derivation:
    """How likely a cause is, and by what."""
    log, prior = found.evidence[found.causes.index(cause)]
    best, best_prior = max(found.evidence, key=lambda e: e[0] + float(np.log(e[1])))
    return Derivation(
        f"How likely: {cause.title}",
        "p = prior·evidence / Σ prior·evidence, evidence = mean over sizes of exp(−½·rᵀC⁻¹r) / √det C",
        (
            Input("m", "figures that were read", float(len(found.seen.figures)), ""),
            Input("prior", "beforehand, a rule of thumb", prior, "%"),
            Input("ln e", "its evidence, logarithm", log, ""),
            Input("ln e₁", "that of the likeliest", best, ""),
            Input("prior₁", "the likeliest beforehand", best_prior, "%"),
        ),
        cause.probability,
        "%",
        (
            "one fault, or two whose changes add up",
            "every size that would show is as likely beforehand as any other",
            "parts stray as normal ones of the deviation that their tolerances have",
        ),
        "Bayes’ rule: MacKay, Information Theory, Inference, and Learning Algorithms, 28",
    )


def accepted(job: Job, cause: Cause) -> Job:
    """The job with a cause made part of its model: prediction, reach, ladder and plate follow.

    UserError where no figure of a link says it: a meter's gain is kept with the meter, a wiring is put right.
    """
    wanted = [c for c in (cause, cause.partner) if c is not None]
    if any(c.found is None for c in wanted):
        raise UserError("No figure of the design says this: mend it, or keep a check of the meter.")
    for c in wanted:
        link = job.design.link(c.link)
        before = [f for f in link.found if f.key == c.key]
        others = tuple(f for f in link.found if f.key != c.key)
        # What is found now is beside what was found before: it is part of the model by now.
        found = before[0].then(c.found) if before and c.found is not None else c.found
        job = with_link(job, link.with_fields(found=(*others, found)))
    return job


def mended(job: Job, link_id: str, key: str) -> Job:
    """The job with a cause taken back once it is mended."""
    link = job.design.link(link_id)
    return with_link(job, link.with_fields(found=tuple(f for f in link.found if f.key != key)))


def _size(sizes: Array, weights: Array) -> Interval:
    """The likeliest middle and the 95 % interval of a size."""
    order = np.argsort(sizes)
    reached = np.cumsum(weights[order])
    low, middle, high = (
        float(sizes[order][min(int(np.searchsorted(reached, share)), len(sizes) - 1)])
        for share in (0.025, 0.5, 0.975)
    )
    return Interval(middle, low, high)


def _words(size: Interval, unit: str) -> str:
    if unit == "times":
        return f"{size.value:.2g} times"
    if unit == "":
        return f"{size.value:.0f}"
    return show(size.value, unit, 2)
