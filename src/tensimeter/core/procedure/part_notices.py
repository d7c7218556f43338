"""What single parts give to mind: untested and doubted ones, sources that meet, batteries, meters."""

from functools import partial

from tensimeter.core.circuit.connected import connected
from tensimeter.core.circuit.fault import fault_A
from tensimeter.core.circuit.network import has_source
from tensimeter.core.design.alternatives import backfeed
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.notice import Notice
from tensimeter.core.parts.fed_part import Charging, FedPart
from tensimeter.core.parts.made_part import MadePart
from tensimeter.core.parts.path_part import BlowerPart, PathPart
from tensimeter.core.path import FanLink, FuseLink, OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.rating.envelope import envelope
from tensimeter.core.rating.fan_cooling import fan_V
from tensimeter.core.remembered import remembered


@remembered(kept=8)
def stock_notices(job: Job) -> list[Notice]:
    """What is made here and does not hold, parts of the path never tried, labels that are not believed."""
    used = {link.part for link in job.design.links}
    untested = [
        p.name
        for p in job.stock
        if p.id in used and p.condition == "untested" and isinstance(p, PathPart) and p.tried_first
    ]
    found = []
    if untested:
        found.append(
            Notice(
                "stock:untested",
                "caution",
                "Untested parts in the path",
                f"{', '.join(untested)}. Try each alone, its case closed (its card, “dead or alive”), before "
                "the path relies on it.",
                "stock",
            )
        )
    found += [
        Notice(f"made:{part.id}:{k}", "miss", f"{part.name} does not hold", text, "stock")
        for part in job.stock
        if isinstance(part, MadePart)
        for k, text in enumerate(part.wrong())
    ]
    for part in job.stock:
        if part.id in used and part.doubt:
            text = (
                f"{part.name} is run {part.doubt * 100:.0f} % below its label. Measure it, then take the "
                "doubt off."
            )
            found.append(Notice(f"doubt:{part.id}", "caution", "A label that is doubted", text, "stock"))
    return found


@remembered(kept=8)
def part_notices(job: Job) -> list[Notice]:
    """What sources, fuses, panel meters and devices of the path give to mind."""
    if problems(job.design, job.stock):
        return []
    found = [_backfeed_notice(link, text, grave) for link, text, grave in backfeed(job)]
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, PathPart):
            known = {n.id for n in found}
            made = part.notices(job, link, partial(_fault_A, job, link.id))
            found += [n for n in made if n.id not in known]
        if isinstance(link, OutputLink):
            found += _device_notices(job, link)
        if isinstance(link, FanLink) and isinstance(part, BlowerPart):
            found += _fan_notices(job, link, part)
    return found


def _fan_notices(job: Job, link: FanLink, part: BlowerPart) -> list[Notice]:
    """A fan that stands still at the volts it gets, or at those of its slow step."""
    volts = fan_V(job, link, part)
    if volts < part.start_V:
        text = (
            f"{show(volts, 'V')} stand at it, and it starts at {show(part.start_V, 'V')}: it won't start. "
            "What it cools is worked out without it."
        )
        return [Notice(f"fan:{link.id}", "miss", f"{link.name} won't start", text, "design", link.id)]
    slow_V = link.slow_V or part.rated_V / 2
    if link.control in ("steps", "proportional") and slow_V < part.start_V:
        text = (
            f"Its slow step gives {show(slow_V, 'V')}, and it starts at {show(part.start_V, 'V')}: it stands "
            "still there. Raise the slow step, or switch it at one temperature."
        )
        title = f"{link.name} stands still when slow"
        return [Notice(f"fan:{link.id}", "caution", title, text, "design", link.id)]
    return []


def _backfeed_notice(link: str, text: str, grave: bool) -> Notice:
    kind, title = ("miss", "Sources that feed each other") if grave else ("caution", "One of several sources")
    return Notice(f"backfeed:{link}", kind, title, text, "design", link)  # type: ignore[arg-type]


def _fault_A(job: Job, link_id: str) -> float | None:
    fault = fault_A(job, link_id)
    return fault.most_A if fault else None


def _most_V(job: Job, output: OutputLink) -> tuple[float, str]:
    """The most volts that an output comes to, and in which state; its nominal where no path tells."""
    try:
        ends = envelope(job).ends(output.id, "V") if has_source(job) else None
    except UserError:
        ends = None
    if ends is None or ends[1].value <= output.nominal_V:
        return output.nominal_V, ""
    return ends[1].value, f" ({ends[1].state.words})"


def _device_notices(job: Job, output: OutputLink) -> list[Notice]:
    device, part = connected(job, output), job.part(output.device)
    found = []
    if device.steep:
        text = (
            f"{device.name} draws far more for a little more voltage. Let a current limit hold it, and look "
            "at the volts without load before it is plugged in."
        )
        found.append(Notice(f"steep:{output.id}", "caution", "A steep load", text, "design", output.id))
    limits = part.charging() if isinstance(part, FedPart) else None
    if part is not None and limits is not None:
        found += _charging_notices(job, output, part.name, limits)
    return found


def _charging_notices(job: Job, output: OutputLink, name: str, limits: Charging) -> list[Notice]:
    """What speaks against charging a battery at an output."""
    if limits.refused:
        return [
            Notice(
                f"charge:{output.id}", "miss", "No plan to charge this", limits.refused, "design", output.id
            )
        ]
    if job.policy.charging == "never":
        text = f"{output.name} feeds {name}, while the policy says that nothing is charged from it."
        return [Notice(f"charge:{output.id}", "miss", "Policy: no charging", text, "design", output.id)]
    wrong = []
    most, state = _most_V(job, output)
    if most > limits.volts * 1.005:
        wrong.append(f"{show(most, 'V', 4)}{state} is above the {show(limits.volts, 'V', 4)} it ends at")
    if output.full_load_A > limits.most_A * 1.001:
        amps = f"{show(output.full_load_A, 'A')} is above the {show(limits.most_A, 'A')} it takes"
        wrong.append(f"{amps} (rule of thumb)")
    if not any(isinstance(x, FuseLink) for x in job.design.path_to(output.id)):
        wrong.append("no fuse is at the battery")
    if output.backfeed_guard == "nothing":
        wrong.append("nothing keeps it from feeding back when the supply is off")
    low, high = limits.between_C
    for room in job.settings.rooms_C:
        if not low <= room <= high:
            wrong.append(f"the room's {show(room, 'C')} are outside what it may be charged in")
    if not wrong:
        return []
    text = f"{'; '.join(wrong)}. Charge only between {low:g} and {high:g} °C."
    return [Notice(f"charge:{output.id}", "miss", f"Charging at {output.name}", text, "design", output.id)]
