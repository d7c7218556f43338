"""What proving gives to mind: ways to earth, loads without a watchdog, sockets, heat."""

from collections.abc import Sequence

from tensimeter.core.circuit.network import has_source
from tensimeter.core.circuit.sources import bonded
from tensimeter.core.measurement.readings import HEARD, Reading, counting
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import open_state
from tensimeter.core.notice import Notice
from tensimeter.core.parts.instrument_part import SetLoad
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.testplan.registry import KINDS

#: Ohms from a floating output to earth below which it is not floating, and above which a bonded
#: one is not bonded; rules of thumb for a handheld meter.
FLOATING_OHM, BONDED_OHM = 100e3, 1.0


def _earth_notice(job: Job, output: OutputLink, readings: Sequence[Reading]) -> Notice | None:
    """The hold on an output's way to earth: open, lifted (None), or read and wrong."""
    place = f"earth-{output.id}"
    found = [r for r in readings if r.place == place and r.quantity == "ohm"]
    if not found:
        return Notice(
            f"earth:{output.id}",
            "hold",
            f"{output.name} to earth",
            f"Supply off and unplugged: read ohms from the {output.name} negative to the earth pin "
            f"and type it, e.g. “{place} {'0.3' if bonded(job, output.id) else 'OL'}”.",
            "prove",
            output.id,
            place,
            expect=(
                f"up to {show(BONDED_OHM, 'ohm')}"
                if bonded(job, output.id)
                else f"{show(FLOATING_OHM, 'ohm')} or more, or OL"
            ),
        )
    ohms = found[-1].value
    floating = not bonded(job, output.id)
    if (ohms >= FLOATING_OHM) if floating else (ohms <= BONDED_OHM):
        return None
    wanted, read = "floating" if floating else "bonded to earth", show(ohms, "ohm")
    return Notice(
        f"earth:{output.id}",
        "hold",
        f"{output.name} is not {wanted}",
        f"{'A beep, no figure,' if found[-1].range == HEARD else read} from its negative to earth, while by "
        f"the design it is {wanted}. Find out why, mend it, and read the ohms of “{place}” again.",
        "prove",
        output.id,
        place,
    )


def _by_tests(job: Job) -> list[Notice]:
    """What the kinds of test in the campaign give to mind, each thing once."""
    planned = {test.kind for test in job.campaign.tests}
    made = (n for key, kind in KINDS.items() if key in planned for n in kind.cautions(job))
    return list({notice.id: notice for notice in made}.values())


def prove_notices(job: Job, readings: Sequence[Reading]) -> list[Notice]:
    """What is still missing before the supply is proven."""
    found: list[Notice] = []
    live = counting(readings)
    if has_source(job):
        earth = (_earth_notice(job, output, live) for output in job.design.outputs())
        found += [notice for notice in earth if notice is not None]
    load = job.part(job.campaign.load)
    if isinstance(load, SetLoad) and not load.watchdog:
        found.append(
            Notice(
                "load:watchdog",
                "caution",
                "Stay with the load",
                f"{load.name} has no watchdog: if its link dies, nothing but you drops it. Keep the "
                "supply's switch within reach during a run.",
                "prove",
                None,
            )
        )
    edited = open_state(job)
    if edited is not None:
        found.append(
            Notice(
                "prove:state",
                "caution",
                "Was the supply changed, or only its description?",
                f"“{edited.what}” came after it was read. Type “supply changed”, and it is read anew; or "
                "“only described”, and what was read is judged by it. Until then nothing counts for it.",
                "prove",
                None,
            )
        )
    found += _by_tests(job)
    if job.design.outputs():
        found.append(
            Notice(
                "prove:amps-socket",
                "caution",
                "Mind the amps socket",
                "A meter left in its amps socket shorts the output it is put across. Check the socket "
                "before every reading of volts.",
                "prove",
                None,
            )
        )
        found.append(
            Notice(
                "prove:hot",
                "caution",
                "Hot after the load is off",
                "Sinks, bolts and resistors stay hot for many minutes. Keep wood and printed plastic "
                "away from them.",
                "prove",
                None,
            )
        )
    return found
