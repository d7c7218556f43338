"""What single parts give to mind: untested and doubted ones, sources that meet, batteries, meters."""

from tensimeter.core.design.alternatives import backfeed
from tensimeter.core.design.connected import connected
from tensimeter.core.design.fault import fault_A
from tensimeter.core.electrical.battery import charging
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.parts.kinds import Battery, Donor, FusePart, PanelMeter, RailSupply
from tensimeter.core.path import EitherLink, FuseLink, Link, MeterLink, OutputLink
from tensimeter.core.procedure.notice import Notice
from tensimeter.core.quantity import show


def stock_notices(job: Job) -> list[Notice]:
    """Parts of the path that were never tried, or whose label is not believed."""
    used = {link.part for link in job.design.links}
    untested = [
        p.name
        for p in job.stock
        if p.id in used and p.condition == "untested" and p.kind in ("donor", "converter")
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
    for part in job.stock:
        if part.id in used and part.doubt:
            text = (
                f"{part.name} is run {part.doubt * 100:.0f} % below its label. Measure it, then take the "
                "doubt off."
            )
            found.append(Notice(f"doubt:{part.id}", "caution", "A label that is doubted", text, "stock"))
    return found


def part_notices(job: Job) -> list[Notice]:
    """What sources, fuses, panel meters and devices of the path give to mind."""
    if problems(job.design, job.stock):
        return []
    found = [_backfeed_notice(link, text, grave) for link, text, grave in backfeed(job)]
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, Battery):
            found += _battery_source(job, link)
        elif isinstance(part, Donor) and (part.standby_V or part.family == "server"):
            found.append(_live_when_off(link, part.standby_V))
        elif isinstance(part, RailSupply) and not any(n.id == f"standby:{part.id}" for n in found):
            found.append(_rails_notice(link, part))
        elif isinstance(part, FusePart):
            found += _breaking(job, link, part)
        elif isinstance(part, PanelMeter):
            found += _second_return(job, link, part)
        if isinstance(link, OutputLink):
            found += _device_notices(job, link)
    return found


def _backfeed_notice(link: str, text: str, grave: bool) -> Notice:
    kind, title = ("miss", "Sources that feed each other") if grave else ("caution", "One of several sources")
    return Notice(f"backfeed:{link}", kind, title, text, "design", link)  # type: ignore[arg-type]


def _battery_source(job: Job, link: Link) -> list[Notice]:
    choosing = [x for x in job.design.links if isinstance(x, EitherLink) and link.id in x.others]
    behind = [*job.design.fed_from(link.id), *choosing]
    bare = [x.name for x in behind if not isinstance(x, FuseLink)]
    if not bare:
        return []
    fault = fault_A(job, link.id)
    amps = f" It drives {show(fault.amps, 'A', 2)} into a short." if fault else ""
    text = f"{', '.join(bare)} hangs on {link.name} without a fuse.{amps} Put one right at the battery."
    return [Notice(f"battery:{link.id}", "miss", "A battery without a fuse", text, "design", link.id)]


def _live_when_off(link: Link, standby_V: float | None) -> Notice:
    volts = f" {show(standby_V, 'V')} standby" if standby_V else " a standby"
    text = (
        f"{link.name} has{volts} output that is live whenever it is plugged in, whatever its enable line "
        "says, and a source behind it that can weld a tool. Unplug it before you touch its pins."
    )
    return Notice(f"standby:{link.id}", "caution", "Off, but live", text, "design", link.id)


def _rails_notice(link: Link, part: RailSupply) -> Notice:
    text = (
        f"{part.name}: its standby rail is live whenever it is plugged in. It runs while its enable line is "
        "joined to common; the 3.3 V sense wire stays joined to 3.3 V. Its common is bonded to earth."
    )
    return Notice(f"standby:{part.id}", "caution", "Off, but live", text, "design", link.id)


def _breaking(job: Job, link: Link, part: FusePart) -> list[Notice]:
    fault = fault_A(job, link.id)
    if fault is None or part.breaking_A is None or fault.amps <= part.breaking_A:
        return []
    text = (
        f"{show(fault.amps, 'A', 3)} may flow into a short there; {part.name} breaks "
        f"{show(part.breaking_A, 'A', 3)} at most and may arc on. Take one of higher breaking capacity."
    )
    return [Notice(f"breaks:{link.id}", "miss", f"{link.name} can't break a short", text, "design", link.id)]


def _second_return(job: Job, link: Link, part: PanelMeter) -> list[Notice]:
    """A shunt in the negative is bypassed where another outlet's negative meets behind it."""
    assert isinstance(link, MeterLink)
    own = [o for o in job.design.outputs() if link in job.design.path_to(o.id)]
    beside = [o.name for o in job.design.outputs() if o not in own]
    if part.shunt_in != "negative" or not beside or not own:
        return []
    text = (
        f"{link.name} measures in the negative of {own[0].name}. Where its negative meets that of "
        f"{', '.join(beside)} behind the meter, part of the current goes around the shunt and is not read."
    )
    return [Notice(f"return:{link.id}", "caution", "A second way back", text, "design", link.id)]


def _device_notices(job: Job, output: OutputLink) -> list[Notice]:
    device, part = connected(job, output), job.part(output.device)
    found = []
    if device.steep:
        text = (
            f"{device.name} draws far more for a little more voltage. Let a current limit hold it, and look "
            "at the volts without load before it is plugged in."
        )
        found.append(Notice(f"steep:{output.id}", "caution", "A steep load", text, "design", output.id))
    if not isinstance(part, Battery):
        return found
    limits = charging(part)
    if limits.refused:
        found.append(
            Notice(
                f"charge:{output.id}", "miss", "No plan to charge this", limits.refused, "design", output.id
            )
        )
        return found
    if job.policy.charging == "never":
        text = f"{output.name} feeds {part.name}, while the policy says that nothing is charged from it."
        found.append(Notice(f"charge:{output.id}", "miss", "Policy: no charging", text, "design", output.id))
        return found
    wrong = []
    if output.nominal_V > limits.volts * 1.005:
        wrong.append(f"{show(output.nominal_V, 'V')} is above the {show(limits.volts, 'V')} it ends at")
    if output.full_load_A > limits.most_A * 1.001:
        amps = f"{show(output.full_load_A, 'A')} is above the {show(limits.most_A, 'A')} it takes"
        wrong.append(f"{amps} (rule of thumb)")
    if not any(isinstance(x, FuseLink) for x in job.design.path_to(output.id)):
        wrong.append("no fuse is at the battery")
    if output.backfeed_guard == "nothing":
        wrong.append("nothing keeps it from feeding back when the supply is off")
    low, high = limits.between_C
    if wrong:
        text = f"{'; '.join(wrong)}. Charge only between {low:g} and {high:g} °C."
        found.append(
            Notice(f"charge:{output.id}", "miss", f"Charging at {output.name}", text, "design", output.id)
        )
    return found
