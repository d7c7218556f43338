"""Variants side by side, and the ones that are worth comparing for a problem that is found."""

import numpy as np
from msgspec import Struct

from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import has_source
from tensimeter.core.design.bands import allowed, cases
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, identifier, insert_link, with_link
from tensimeter.core.model.job import Job, Variant
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.converter import Converter
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import ConverterLink, OutputLink, UnitLink
from tensimeter.core.rating.dissipation import hot_spots, wall_W
from tensimeter.core.rating.ladder import at, continuous_full_load, ranked
from tensimeter.core.remembered import remembered


class Compared(Struct, frozen=True):
    """What one variant comes to, at full load: volts at an output, W, °C, what limits, own money."""

    name: str
    volts: float
    continuous_A: float
    wall_W: float
    hottest_C: float | None
    #: What stops it beyond its amps for good.
    stops: str
    gives_up_first: str
    used: float
    cost: float


def as_variant(job: Job) -> Variant:
    """What stands in the job now, kept as a variant under its name."""
    return Variant(name=job.variant, design=job.design, policy=job.policy, stock=job.stock)


def keep_variant(job: Job, name: str) -> Job:
    """The job with its design as it stands set aside, and going on under a new name."""
    taken = {job.variant, *(v.name for v in job.variants)}
    if not name.strip() or name in taken:
        raise UserError(f"A variant needs a name of its own; there are {', '.join(sorted(taken))}.")
    return job.model_copy(update={"variants": (*job.variants, as_variant(job)), "variant": name.strip()})


def take_up(job: Job, name: str) -> Job:
    """The job with another of its variants in hand; the one in hand is set aside."""
    wanted = next((v for v in job.variants if v.name == name), None)
    if wanted is None:
        raise UserError(f"There is no variant “{name}”.")
    others = tuple(as_variant(job) if v.name == name else v for v in job.variants)
    return laid_out(job, wanted).model_copy(update={"variants": others})


def without_variant(job: Job, name: str) -> Job:
    """The job without a variant; what stands in it stays."""
    return job.model_copy(update={"variants": tuple(v for v in job.variants if v.name != name)})


def laid_out(job: Job, variant: Variant) -> Job:
    """The job as a variant makes it, the others left aside."""
    return job.model_copy(
        update={
            "variant": variant.name,
            "design": variant.design,
            "policy": variant.policy,
            "stock": variant.stock,
            "variants": (),
        }
    )


@remembered(kept=8)
def compared(job: Job, output: str) -> list[Compared]:
    """The variant in hand and the others, at an output's full load; a broken one is left out."""
    found = []
    for variant in (as_variant(job), *job.variants):
        try:
            found.append(_compare(laid_out(job, variant), output))
        except (UserError, KeyError):
            continue
    return found


def _compare(job: Job, output: str) -> Compared:
    if not has_source(job):
        raise UserError("There is no path to compare.")
    _, solution, limits = at(job, full_load(job))
    for_good = continuous_full_load(job, output)
    first = ranked([limit for limit in limits if not limit.floor])[0]
    used = {link.part for link in job.design.links}
    return Compared(
        job.variant,
        float(solution[output].V),
        for_good.amps,
        float(wall_W(job, solution)),
        max((float(spot.hot_C) for spot in hot_spots(job, solution)), default=None),
        for_good.reason,
        first.name,
        float(first.fraction),
        sum(p.cost or 0.0 for p in job.stock if p.id in used),
    )


class Proposal(Struct, frozen=True):
    """A way out of a problem: its name, what it does in a line, and the job it makes."""

    name: str
    why: str
    job: Job


def proposals(job: Job, output: str) -> list[Proposal]:
    """What is worth comparing: ways to bring a rail back, to cool a linear stage, to spare donors."""
    found = [*_for_rails(job, output), *_for_linear(job, output)]
    feeding = [job.part(link.part) for link in job.design.path_to(output)]
    if any(isinstance(p, SourcePart) and p.shared_label for p in feeding) and job.policy.donor_share > 0.65:
        eased = job.model_copy(update={"policy": changed(job.policy, donor_share=0.65)})
        found.append(
            Proposal("donors at 65 %", "amps and watts of every donor held to 65 % of the label", eased)
        )
    taken = {job.variant, *(v.name for v in job.variants)}
    return [p for p in found if p.name not in taken]


def _for_rails(job: Job, output: str) -> list[Proposal]:
    path = job.design.path_to(output)
    unit = path[0]
    part = job.part(unit.part)
    wanted = path[-1]
    if (
        not isinstance(part, SourcePart)
        or not isinstance(unit, UnitLink)
        or not isinstance(wanted, OutputLink)
    ):
        return []
    rail = part.least_load(unit)
    if rail is None:
        return []
    dummy_A = max(rail.minimum_A, round(0.1 * rail.rated_A, 2))
    dummy = OutputLink(
        id=identifier("dummy", (x.id for x in job.design.links)), name="DUMMY", fed_by=unit.id,
        nominal_V=rail.volts, full_load_A=dummy_A, tolerance=0.2,
    )  # fmt: skip
    loaded = insert_link(job, dummy, unit.id)
    # Trimmed so that what it does between its corners lies in the middle of what is allowed.
    volts = [v for _, v in cases(job, wanted)]
    shift = sum(allowed(job, wanted)) / 2 - (min(volts) + max(volts)) / 2
    try:
        moved = part.shifted(unit, shift)
    except UserError:
        # A rail that is not there to be moved, as where the loads bring it down altogether.
        moved = None
    module = Converter(
        id=identifier("both-ways-module", (p.id for p in job.stock)), name="Both-ways module",
        topology="both_ways", out_min_V=1.2, out_max_V=30, in_max_V=32, rated_A=max(5.0, wanted.full_load_A),
        dropout_V=0.0, loss_per_A=0.7, loss_per_A2=0.02, cost=9.0,
    )  # fmt: skip
    link = ConverterLink(
        id=identifier("both-ways", (x.id for x in job.design.links)), name="Both-ways module", part=module.id,
        set_V=wanted.nominal_V,
    )  # fmt: skip
    steadied = insert_link(with_part(job, module), link, path[-2].id)
    name = unit.rail or unit.name
    found = [Proposal("dummy load", f"{dummy_A:g} A always drawn from {name}, as heat", loaded)]
    if moved is not None:
        trimmed = f"{name} trimmed by {shift:+.2f} V"
        found.append(Proposal("feedback shift", trimmed, with_part(job, moved)))
    why = "a both-ways module holds the volts, and costs its loss"
    return [*found, Proposal("converter behind it", why, steadied)]


def _for_linear(job: Job, output: str) -> list[Proposal]:
    stage = next(
        (
            (link, part)
            for link in reversed(job.design.path_to(output))
            if isinstance(link, ConverterLink)
            and isinstance(part := job.part(link.part), ConverterPart)
            and part.topology == "linear"
        ),
        None,
    )
    if stage is None:
        return []
    link, part = stage
    found = []
    unit = next((x for x in job.design.path_to(link.id) if isinstance(x, UnitLink)), None)
    source = job.part(unit.part) if unit else None
    full = max((o.full_load_A for o in job.design.outputs()), default=0.0)
    taps = (
        source.tap_switching(job.settings.mains_Hz, full, part.dropout_V)
        if isinstance(source, SourcePart)
        else None
    )
    if unit is not None and taps is not None:
        highest, up_to = taps
        found.append(
            Proposal(
                "tap switching",
                f"the lowest tap while it is set to {up_to:g} V or less, the highest above",
                with_link(job, changed(unit, tap=highest, switch_V=up_to)),
            )
        )
    if part.sink_K_W is not None:
        bigger = changed(part, sink_K_W=round(part.sink_K_W / 2, 3), sink_J_K=part.sink_J_K * 2)
        found.append(
            Proposal("bigger sink", "half the thermal resistance, twice the mass", with_part(job, bigger))
        )
    before = Converter(
        id=identifier("pre-regulator", (p.id for p in job.stock)), name="Step-down pre-regulator",
        out_min_V=1.2, out_max_V=40, in_max_V=60, rated_A=max(3.0, part.rated_A), loss_per_A=0.5, cost=6.0,
    )  # fmt: skip
    pre = ConverterLink(
        id=identifier("pre-regulator", (x.id for x in job.design.links)), name="Pre-regulator",
        part=before.id, set_V=float(np.clip(link.set_V + part.dropout_V + 1.0, 1.2, 40)),
    )  # fmt: skip
    grown = with_part(job, before)
    feeder = link.fed_by
    links = (*grown.design.links, changed(pre, fed_by=feeder))
    moved = grown.model_copy(update={"design": changed(grown.design, links=links)})
    found.append(
        Proposal(
            "pre-regulator",
            "a step-down holds the linear stage's input 1 V over what it needs",
            with_link(moved, changed(link, fed_by=pre.id)),
        )
    )
    return found
