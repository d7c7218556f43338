"""Sources that may feed instead of one another: a design for each, and what they do to each other."""

from tensimeter.core.circuit.network import build
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.edits import changed, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.path import EitherLink
from tensimeter.core.quantity import show


def fed_instead(job: Job) -> list[tuple[str, Job]]:
    """The job as each of the other sources would feed it, with words for it."""
    found = []
    for link in job.design.links:
        if isinstance(link, EitherLink) and link.fed_by is not None:
            for source in link.others:
                made = with_link(job, fed_by(link, source))
                found.append((f"from {job.design.link(source).name}", made))
    return found


def fed_by(link: EitherLink, source: str) -> EitherLink:
    """The choice with another of its sources feeding; the one before stands by."""
    rest = [other for other in (link.fed_by, *link.others) if other not in (None, source)]
    return changed(link, fed_by=source, others=tuple(rest))


def backfeed(job: Job) -> list[tuple[str, str, bool]]:
    """What sources that may feed instead of one another do: (link id, sentence, whether it is grave).

    Compared at their volts without load, where the difference is largest for a light load.
    """
    found = []
    volts = {k: float(p.V) for k, p in solve(build(job), {}).points.items() if p.V.size == 1}
    for link in job.design.links:
        if not isinstance(link, EitherLink) or link.fed_by is None:
            continue
        sources = sorted((link.fed_by, *link.others), key=lambda s: -volts[s])
        high, low = sources[0], sources[-1]
        names = {s: job.design.link(s).name for s in sources}
        higher = f"{names[high]} ({show(volts[high], 'V')})"
        lower = f"{names[low]} ({show(volts[low], 'V')})"
        if link.guard == "nothing":
            text = f"Nothing keeps {higher} from feeding into {lower}. Put diodes or a switch between them."
        elif link.guard == "diodes":
            text = (
                f"Of both plugged in {higher} feeds, not {lower}; the diodes must stand "
                f"{show(volts[high], 'V')} backwards and drop {show(link.diode_V, 'V')}; "
                "their hot tab is live."
            )
        else:
            text = (
                f"The switch must part {higher} before it joins {lower}, in both legs where a negative is "
                "bonded to earth; one that bridges while it turns joins them for a moment."
            )
        found.append((link.id, text, link.guard == "nothing"))
    return found
