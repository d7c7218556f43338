"""Ways to do it: each question, its choices with one line of reason, and what a choice does in this job."""

from collections.abc import Callable, Mapping

import numpy as np
from msgspec import Struct

from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.sources import outputs_by_common
from tensimeter.core.design.bands import trim
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed
from tensimeter.core.model.job import Job
from tensimeter.core.parts.fed_part import PlainLoad
from tensimeter.core.parts.instrument_part import SetLoad
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import FanLink, FuseLink
from tensimeter.core.quantity import show
from tensimeter.core.rating.dissipation import hot_spots
from tensimeter.core.rating.ladder import at


class PolicyOption(Struct, frozen=True):
    """One question: the field of the policy, its choices with a reason each, what it does in a job."""

    field: str
    question: str
    choices: Mapping[str, str]
    consequence: Callable[[Job], str] = lambda job: ""


def _protection(job: Job) -> str:
    """Which outputs have what."""
    said = []
    for output in job.design.outputs():
        path = job.design.path_to(output.id)
        fused = any(isinstance(x, FuseLink) for x in path)
        limited = any(getattr(x, "limit_A", None) for x in path)
        has = " and ".join(w for w, there in (("a fuse", fused), ("a set limit", limited)) if there)
        said.append(f"{output.name} has {has or 'neither'}")
    return "; ".join(said)


def _overload(job: Job) -> str:
    """What the donors do by themselves, and whether that is what is wanted."""
    wanted = job.policy.after_overload
    said = []
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, SourcePart) and part.beyond_words:
            differs = wanted != "as_unit" and part.latches_off != (wanted == "off_until_reset")
            wrong = ", which is not what is wanted" if differs else ""
            said.append(f"{link.name}: {part.beyond_words}{wrong}")
    return "; ".join(said)


def _reference(job: Job) -> str:
    stacked = any(x.kind == "unit" and x.fed_by for x in job.design.links)
    if job.policy.reference == "floating":
        return "every metal case stays earthed; each output is read to earth before it is loaded"
    return "one bond, at the bottom of the stack only" if stacked else "one bond, at one point"


def _commons(job: Job) -> str:
    groups = [" and ".join(o.name for o in group) for group in outputs_by_common(job)]
    if len(groups) < 2:
        return "there is one source"
    met = "joined at one point" if job.policy.commons == "joined" else "nothing joins them inside"
    if job.policy.reference == "negative_bonded":
        met = "each bonded to earth, and so joined"
    return f"{'; '.join(groups)}: {met}"


def _aim(job: Job) -> str:
    said = []
    for output in job.design.outputs():
        try:
            found = trim(job, changed(output, aim=job.policy.aim))
        except UserError:
            continue
        if found is not None:
            said.append(f"{output.name} {show(found.no_load_V, 'V', 4)} without load")
    return "; ".join(said)


def _proven(job: Job) -> str:
    """How long that is here, by the design's slowest hot spot."""
    if job.policy.proven_when != "settled":
        return ""
    try:
        _, solution, _ = at(job, full_load(job), as_set=True)
    except UserError:
        return ""
    slowest = max((s.time_constant_s for s in hot_spots(job, solution)), default=None)
    if slowest is None:
        return "no time constant is known yet"
    return f"two time constants here: {2 * slowest / 60:.0f} min"


def _loads(job: Job) -> str:
    loads = [
        p.name for p in job.stock if isinstance(p, SetLoad) or (isinstance(p, PlainLoad) and p.as_resistor())
    ]
    return f"in the stock: {', '.join(loads)}" if loads else "no load in the stock yet"


def _fan(job: Job) -> str:
    fans = [link for link in job.design.links if isinstance(link, FanLink)]
    return "; ".join(f"{f.name}: {f.control}" for f in fans) or "no fan in the path"


def _donor_share(job: Job) -> str:
    said = []
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, SourcePart) and part.shared_label:
            allowed = part.drives_A * part.believed * job.policy.donor_share
            said.append(f"{link.name} {show(allowed, 'A', 3)} of {show(part.drives_A, 'A', 3)}")
    return "; ".join(said)


POLICY_OPTIONS: tuple[PolicyOption, ...] = (
    PolicyOption("donor_share", "How hard a donor is run", {}, _donor_share),
    PolicyOption(
        "reference",
        "Reference of the output",
        {
            "floating": "nothing downstream can short it through earth",
            "negative_bonded": "a known potential, and a fault to earth shows at once",
        },
        _reference,
    ),
    PolicyOption(
        "commons",
        "Negatives of several sources",
        {
            "apart": "each source stays a supply of its own, and may be stacked outside",
            "joined": "one negative for all: signals between devices have one reference",
        },
        _commons,
    ),
    PolicyOption(
        "aim",
        "Where the trim is aimed",
        {
            "terminals": "what the label says is what stands at the socket",
            "far_end": "the device gets its nominal; without load it gets more",
        },
        _aim,
    ),
    PolicyOption(
        "protection",
        "What protects",
        {
            "fuse": "needs no supply of its own and never oscillates",
            "electronic": "fast, exact, resets itself; a shorted switch defeats it",
            "both": "the limit acts daily, the fuse when the limit has failed",
        },
        _protection,
    ),
    PolicyOption(
        "after_overload",
        "After an overload",
        {
            "as_unit": "what the unit does by itself is shown and lived with",
            "goes_on": "a slow start of a motor does not end the evening",
            "off_until_reset": "a fault in the wiring is not fed again and again",
        },
        _overload,
    ),
    PolicyOption(
        "after_heat",
        "After over-temperature",
        {
            "stay_off": "something is wrong, and someone should look",
            "restart": "it carries on with hysteresis; it may cycle for hours unseen",
        },
    ),
    PolicyOption(
        "fan",
        "Fan",
        {
            "always": "simplest, and never too late",
            "threshold": "quiet at rest; may hunt",
            "steps": "quiet at rest, slow when warm, fast when hot",
            "proportional": "no steps to hear; needs a sensor that can be trusted",
        },
        _fan,
    ),
    PolicyOption(
        "test_load",
        "Test load",
        {
            "what_is_there": "prediction and verdict take each load's own behaviour into account",
            "resistors": "cheap and honest; they follow the volts",
            "electronic": "any current, by a knob or a computer",
            "real_device": "what counts in the end, but it can't be set",
        },
        _loads,
    ),
    PolicyOption(
        "short_circuit",
        "Short-circuit test",
        {
            "through_resistor": "the current is read before nothing holds it back",
            "straight": "the real fault; only once the current is known",
        },
    ),
    PolicyOption(
        "donor_case",
        "A donor's case",
        {
            "closed": "what its maker tested stays as it was",
            "opened": "allows repair and insulation; adds holds for stored charge and distances",
        },
    ),
    PolicyOption(
        "harness",
        "Harness of a PC supply",
        {
            "breakout": "nothing is cut; one more contact in the way",
            "cut": "short and solid; every wire's rail has to be read first",
        },
    ),
    PolicyOption(
        "spare_wires",
        "Spare wires",
        {
            "insulated": "can be used later; they take room and may touch",
            "cut_at_board": "tidy; the case is opened for it",
        },
    ),
    PolicyOption(
        "insulation",
        "A negative that is bonded to its chassis",
        {"hardware": "bushes and washers last", "tape": "counts as temporary: a hold stays open"},
    ),
    PolicyOption(
        "first_power",
        "First power",
        {
            "behind_limit": "a mistake shows as volts that don't rise, not as smoke",
            "straight": "nothing between; only for what has run before",
        },
    ),
    PolicyOption(
        "trusted",
        "Whose figure counts",
        {
            "best_known": "the instrument of best known accuracy; all are kept, a disagreement is a finding",
            "display": "the supply's own display",
            "load": "the load's display",
            "third_meter": "a meter that is neither",
        },
    ),
    PolicyOption(
        "display_off",
        "A display that is off",
        {
            "per_case": "decided with the error before and after in sight",
            "better_parts": "mended for good",
            "constant": "the measured value is put into its constant",
            "live_with_it": "its error stands on the plate",
        },
    ),
    PolicyOption(
        "proven_when",
        "When it counts as proven",
        {
            "settled": "until the forecast is settled, at least two time constants",
            "moments": "electrical only; says nothing of heat",
            "two_hours": "a fixed time, whatever the heat does",
        },
        _proven,
    ),
    PolicyOption(
        "charging",
        "Charging batteries from it",
        {
            "with_limits": "chemistry's limits, a fuse at the battery, something against backfeed",
            "never": "nothing is charged from it",
        },
    ),
)


def donor_share_words(job: Job) -> str:
    """The usual school that the donors' share belongs to."""
    share = job.policy.donor_share
    for value, words in ((1.0, "as labelled"), (0.8, "80 % continuous"), (0.65, "65 % continuous")):
        if np.isclose(share, value):
            return words
    return "own figure"
