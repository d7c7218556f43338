"""What assembling and first power give to mind: holds lifted by readings, cautions where they bite."""

from collections.abc import Sequence

from tensimeter.core.assembly.wiring import mains_units
from tensimeter.core.circuit.network import has_source
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.notice import Notice
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import ConverterLink, UnitLink
from tensimeter.core.procedure.causes import causes
from tensimeter.core.procedure.first_power import power_up_results
from tensimeter.core.procedure.matrix import checked
from tensimeter.core.procedure.stored_energy import EMPTY_V, is_empty, stored
from tensimeter.core.quantity import show

#: Amps from which a source wants more than one thin wire: a rule of thumb.
THICK_A = 15.0


def build_notices(job: Job, readings: Sequence[Reading]) -> list[Notice]:
    """Holds and cautions of Assemble and Wake; one caution instead for a supply that was built elsewhere."""
    if problems(job.design, job.stock):
        return []
    if not has_source(job):
        return [] if job.assembly.already_running else [*_pairs(job, readings), *_wake(job, readings)]
    if job.assembly.already_running:
        text = (
            "This supply is taken as it stands, built and running: what Assemble and Wake would have read is "
            "not known. It is said so on the data sheet."
        )
        return [Notice("built:running", "caution", "Already built and running", text, "prove")]
    return [*_assemble(job, readings), *_cautions(job), *_wake(job, readings)]


def _assemble(job: Job, readings: Sequence[Reading]) -> list[Notice]:
    found = []
    for at in stored(job):
        if not is_empty(at, readings):
            text = (
                f"{show(at.farad, 'F')} at up to {show(at.start_V, 'V', 3)}, {at.why}. Empty it, then "
                "read it: "
                f"“{at.place} 0.4V”. It creeps back: read again before you touch it. Time alone lifts "
                "nothing."
            )
            key, title = f"charge:{at.link}", f"Stored charge in {at.name}"
            found.append(_hold(key, title, text, "assemble", at.link, at.place, f"up to {EMPTY_V:g} V"))
    found += _pairs(job, readings)
    if job.policy.insulation == "tape":
        for link in job.design.links:
            part = job.part(link.part)
            stacked = link.fed_by is not None and link.kind == "unit"
            if stacked and part is not None and (part.opened or part.isolation_ohm is not None):
                text = (
                    "Its negative is kept off its case by tape: that counts as temporary. Fit bushes "
                    "and washers."
                )
                found.append(
                    _hold(f"tape:{link.id}", f"Tape in {link.name}", text, "assemble", link.id, None)
                )
    return found


def _pairs(job: Job, readings: Sequence[Reading]) -> list[Notice]:
    """The pairs of the matrix that must be read before going on, and were not, or wrong."""
    found = []
    for check in checked(job, readings):
        pair = check.pair
        if not pair.hold or check.verdict is Verdict.CONFORMS:
            continue
        if check.reading is None:
            text = f"Expect {pair.expected} ({pair.why})."
        else:
            text = f"Read {show(check.reading.value, pair.quantity)}, expected {pair.expected}. {pair.wrong}"
        found.append(
            _hold(f"pair:{pair.place}", pair.name, text, "assemble", None, pair.place, pair.expected)
        )
    return found


def _hold(
    key: str, title: str, text: str, stage: str, link: str | None, place: str | None, expect: str = ""
) -> Notice:
    return Notice(key, "hold", title, text, stage, link, place, expect=expect)


def _cautions(job: Job) -> list[Notice]:
    """The usual cautions of building, each at the stage where it bites."""
    links = job.design.links
    sources = [part for x in links if isinstance(part := job.part(x.part), SourcePart)]
    outlets = sorted({o.nominal_V for o in job.design.outputs()})
    shared = [x.sink for x in links if isinstance(x, ConverterLink) and x.sink]
    said = (
        (
            bool(mains_units(job)), "mains:side", "A mains side of your own",
            "Fused live, switch, earth bond at one stud, strain relief, covered terminals, distance by eye. "
            "Local codes decide, and who may do it; a finished enclosed unit with its own inlet spares you "
            "this.",
        ),
        (
            any(part.plug_wire_A is not None for part in sources),
            "harness:trust", "Measure before you trust a colour",
            "Colours follow a published standard, and some supplies don't. Read each wire, with a light "
            "load.",
        ),
        (
            True, "assemble:swarf", "Swarf",
            "Drill before anything is mounted, and look for swarf and strands before the lid goes on.",
        ),
        (
            len(outlets) > 1, "assemble:plugs", "Different volts, different plugs",
            f"Outlets of {', '.join(show(v, 'V') for v in outlets)}: the same plug or colour on two of them "
            "will meet the wrong device one night.",
        ),
        (
            len(set(shared)) < len(shared), "assemble:tab", "A live tab",
            "Two parts on one sink: their metal tabs are live and rarely at the same volts. Insulate each, "
            "then read from tab to sink and from sink to case.",
        ),
        (
            any(part.centre_tapped for part in sources), "assemble:centre-tap", "One centre, one earth",
            "A centre tap that meets earth in a second place shorts half a winding: only one point may.",
        ),
        (
            any(part.drives_A >= THICK_A for part in sources), "assemble:thick", "Tens of amperes",
            "It can drive tens of amperes: through one thin wire or one contact that is a fire. Share them "
            "out, and fuse each branch for its own wire.",
        ),
        (
            job.settings.outdoors, "assemble:outdoors", "Rain, dew, glare",
            "Mains gear out of doors: under cover, behind a residual-current device, cable entries from "
            "below. Dew forms inside as the night cools.",
        ),
        (
            any(isinstance(x, UnitLink) and x.fed_by for x in links),
            "wake:clip", "An earthed clip shorts a stack",
            "An oscilloscope's clip and a computer's earth are earth: on the middle of a stack they short a "
            "unit.",
        ),
        (
            job.assembly.limiter in ("lamp", "variable_transformer") and bool(mains_units(job)),
            "wake:limiter", "It does not isolate",
            "A lamp in series and a variable transformer leave the mains where it is: what is bare is live.",
        ),
        (
            any(isinstance(x, ConverterLink) for x in links), "wake:trims", "Trims before plugs",
            "A trim that was left at its top gives an outlet the whole input. Set each before anything is "
            "joined.",
        ),
        (
            any(part.charged_after_off for part in sources), "wake:charge", "Switched off, still charged",
            "The reservoir holds its volts after the switch: read it before you move a wire.",
        ),
    )  # fmt: skip
    return [
        Notice(key, "caution", title, text, "wake" if key.startswith("wake:") else "assemble")
        for bites, key, title, text in said
        if bites
    ]


def _wake(job: Job, readings: Sequence[Reading]) -> list[Notice]:
    found = []
    for step in power_up_results(job, readings):
        s = step.step
        if not s.hold or step.verdict is Verdict.CONFORMS or s.band is None:
            continue
        low, high = s.band.ends
        expected = f"{show(low, s.quantity, 4)} to {show(high, s.quantity, 4)}"
        if step.reading is None:
            text = f"Probe {s.probe}; expect {expected}."
        else:
            first = causes(job, step)
            why = f" {first[0].words}" if first else ""
            text = f"Read {show(step.reading.value, s.quantity, 4)}, expected {expected}.{why}"
        found.append(_hold(f"wake:{s.id}", s.title, text, "wake", s.link, s.place, expected))
    return found
