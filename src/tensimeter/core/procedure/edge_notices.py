"""What the design comes to at its edges: no load, high mains, every tolerance, a source at its trip."""

from collections.abc import Collection
from typing import Literal

from tensimeter.core.circuit.connected import connected
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import has_source
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.notice import Notice
from tensimeter.core.path import UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.rating.envelope import Envelope, envelope
from tensimeter.core.rating.ladder import at

#: What is used may pass what is allowed by rounding alone.
ROUNDING = 1e-9
#: So many limits are told of one by one.
TOLD = 3


def edges_of(job: Job) -> Envelope | None:
    """The envelope of a design; None where there is no path, or one that is told of because it is broken."""
    if not has_source(job):
        return None
    try:
        return envelope(job)
    except UserError:
        return None


def edge_notices(job: Job, told: Collection[str] = (), edges: Envelope | None = None) -> list[Notice]:
    """Ratings that are passed in some state of the design, each with the state that does it.

    Outputs of `told` were told of already; `edges` is the design's envelope where it is worked out already.
    """
    found = edges or edges_of(job)
    if found is None:
        return []
    return [
        *_over_rated(job, found),
        *_over_share(job, found),
        *_over_device(job, found, told),
        *_to_touch(job, found),
    ]


def _over_rated(job: Job, found: Envelope) -> list[Notice]:
    """Parts that see more volts than they stand, by themselves or with one source at its trip."""
    told: dict[str, Notice] = {}
    for faults in (False, True):
        for limit, state in found.worst(faults=faults):
            if limit.unit != "V" or limit.heat or limit.floor or limit.name in told:
                continue
            if not limit.short.startswith(("input volts", "volts", "reservoir volts")):
                continue
            if float(limit.fraction) > 1 + ROUNDING:
                kind: Literal["caution", "miss"] = "caution" if state.fault else "miss"
                when = "as a source trips" if state.fault else "at its edge"
                text = f"{limit.sentence} ({limit.note}): {state.words}."
                told[limit.name] = Notice(
                    f"edge:{limit.name}", kind, f"{limit.name}: over {when}", text, "design", limit.link
                )  # fmt: skip
    return list(told.values())


def _over_share(job: Job, found: Envelope) -> list[Notice]:
    """Amps, watts and temperatures that are passed at an edge and not at full load; all in one notice."""
    _, _, nominal = at(job, full_load(job), as_set=True)
    before = {limit.name for limit in nominal if float(limit.fraction) > 1 + ROUNDING}
    passed = [
        (limit, state)
        for limit, state in found.worst()
        if limit.unit != "V" and not limit.floor and limit.name not in before
        if float(limit.fraction) > 1 + ROUNDING
    ]
    if not passed:
        return []
    passed.sort(key=lambda each: -float(each[0].fraction))
    said = [f"{limit.name}: {limit.sentence}, {state.words}" for limit, state in passed[:TOLD]]
    if len(passed) > TOLD:
        said.append(f"and {len(passed) - TOLD} more, in what gives up first")
    text = f"{'; '.join(said)}. The spreads are rules of thumb until a part's figures are measured."
    title = "Passed at the edges of what parts and mains may be"
    return [Notice("edge:shares", "caution", title, text, "design", passed[0][0].link)]


def _over_device(job: Job, found: Envelope, before: Collection[str]) -> list[Notice]:
    """Outputs that pass what their device stands, though not at nominal volts."""
    told = []
    for output in job.design.outputs():
        device, ends = connected(job, output), found.ends(output.id, "V")
        if ends is None or device.highest_V is None or output.id in before:
            continue
        most = ends[1]
        if most.value > device.highest_V * (1 + ROUNDING):
            name = device.name[0].upper() + device.name[1:]
            text = (
                f"{show(most.value, 'V', 4)}: {most.state.words}. {name} stands "
                f"{show(device.highest_V, 'V', 4)}."
            )
            title = f"{output.name}: above what its device stands"
            told.append(Notice(f"device:{output.id}", "miss", title, text, "design", output.id))
    return told


def _to_touch(job: Job, found: Envelope) -> list[Notice]:
    """The highest volts of the design, where they are a hazard to touch."""
    highest = None
    for link in job.design.links:
        ends = found.ends(link.id, "V")
        if ends is not None and (highest is None or ends[1].value > highest[1].value):
            highest = (link, ends[1])
    if highest is None or highest[1].value <= job.settings.touch_V:
        return []
    link, end = highest
    if isinstance(link, UnitLink) and link.fed_by:
        # A stack's volts have a hold of their own, which a reading lifts.
        return []
    text = (
        f"{link.name} comes to {show(end.value, 'V', 4)}: {end.state.words}. From "
        f"{show(job.settings.touch_V, 'V')} on it is a hazard to touch: cover it, and read it before you "
        "reach in. Local codes decide what else it asks for."
    )
    return [Notice("volts:touch", "caution", "Volts that are a hazard to touch", text, "design", link.id)]
