"""What the link in hand is sized by: each figure with its reason, worked from the design it stands in."""

from collections.abc import Callable

import numpy as np

from tensimeter.core.circuit.fault import fault_A
from tensimeter.core.circuit.network import build
from tensimeter.core.circuit.sources import stacked_units
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.electrical import feedback as feedbacks
from tensimeter.core.electrical import fuse as fuses
from tensimeter.core.electrical import wire
from tensimeter.core.electrical.pwm_dac import pwm_dac
from tensimeter.core.electrical.regulator import Regulator, nearest, r2_for
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.stack import stack
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.fed_part import PlainLoad
from tensimeter.core.parts.made_part import MadePart
from tensimeter.core.parts.path_part import BlowerPart, OvercurrentPart, WirePart
from tensimeter.core.parts.sized import Sized, figure
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import FanLink, Link, OutputLink, UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.rating.dissipation import hot_spots, inside_air_C
from tensimeter.core.rating.fan_cooling import fan_steps, swing
from tensimeter.core.rating.ladder import operating
from tensimeter.core.thermal.fan import quieter_dB
from tensimeter.core.thermal.heatsink import sink_needed
from tensimeter.core.thermal.ntc import counts, from_beta

#: Sizes that wire is sold in, mm², and the drop of a lead that is usually put up with: a rule of thumb.
WIRE_MM2, USUAL_DROP = (0.5, 0.75, 1.0, 1.5, 2.5, 4.0, 6.0, 10.0, 16.0), 0.03
#: Resistors of the E12 series over three decades, Ω: what a bin usually holds (IEC 60063).
E12 = tuple(
    r * 10.0**d for d in (1, 2, 3) for r in (10, 12, 15, 18, 22, 27, 33, 39, 47, 56, 68, 82)
)  # fmt: skip


def sized(job: Job, link_id: str, solution: Solution) -> Sized:
    """What a link is sized by at a single operating point; empty where nothing of it is sized."""
    link = job.design.link(link_id)
    make, part = _BY_KIND.get(link.kind), job.part(link.part)
    own = part.worked_out() if isinstance(part, MadePart) else Sized()
    if make is None or link_id not in solution.points:
        return own
    try:
        found = make(job, link, solution)
    except UserError as trouble:
        return Sized(own.figures, (str(trouble), *own.notes))
    return Sized(found.figures + own.figures, found.notes + own.notes)


def _fuse(job: Job, link: Link, solution: Solution) -> Sized:
    part, amps = job.part(link.part), float(solution[link.id].I)
    if not isinstance(part, OvercurrentPart):
        return Sized()
    behind = _thinnest_behind(job, link)
    fault = fault_A(job, link.id)
    inrush = max((o.inrush_A or 0.0 for o in _outputs_behind(job, link)), default=0.0)
    found = fuses.choose(
        max(amps, 1e-6),
        wire_A=behind[1] if behind else None,
        inrush_A2s=inrush**2 * 0.01,
        most_A=fault.amps if fault else None,
        speed=part.speed,
        share=job.policy.fuse_share,
        family=part.family,
    )
    figures = [
        figure(
            "Rating to take", "the least of the series with I_rated·share ≥ I", found.rated_A, "A",
            Input("I", "current here", amps, "A"),
            Input("share", "of its rating in continuous use", job.policy.fuse_share, "%"),
            Input("I²t", "of an inrush of 10 ms (rule of thumb)", inrush**2 * 0.01, ""),
            source="Ratings: IEC 60127, R10 series",
        ),
        figure(
            "Blows for certain at", "I_2 = factor of its family · I_rated", part.certain_A, "A",
            Input("I_rated", "the one that is there", part.rated_A, "A"),
            source="IEC 60127-2, IEC 60269, ISO 8820-3",
        ),
    ]  # fmt: skip
    if fault:
        figures.append(fault.worked(link.name))
        speed = "blade" if part.family == "blade" else part.speed
        longest = fuses.blow_s(part.rated_A, fault.amps, speed)[1]
        if np.isfinite(longest):
            figures.append(
                figure(
                    "A short blows it within", "gates over I/I_rated", longest, "s",
                    Input("I", fault.limiter or "what the path lets through", fault.amps, "A"),
                    source="IEC 60127-2, sheets 2 and 3, or ISO 8820-3: as generic curves",
                )
            )  # fmt: skip
    notes = list(found.warnings)
    if behind and not fuses.protects(part.rated_A, part.certain_A, behind[1]):
        notes.append(f"{behind[0]} carries {show(behind[1], 'A', 3)}: {part.name} does not protect it.")
    return Sized(tuple(figures), tuple(notes))


def _thinnest_behind(job: Job, link: Link) -> tuple[str, float] | None:
    """The lead behind a link that carries least, with its amps."""
    found = []
    for other in job.design.links:
        part = job.part(other.part)
        if isinstance(part, WirePart) and link in job.design.path_to(other.id):
            found.append((other.name, part.carries_A(job.settings.warmest_C)))
    return min(found, key=lambda f: f[1], default=None)


def _outputs_behind(job: Job, link: Link) -> list[OutputLink]:
    return [o for o in job.design.outputs() if link in job.design.path_to(o.id)]


def _lead(job: Job, link: Link, solution: Solution) -> Sized:
    part, point = job.part(link.part), solution[link.id]
    if not isinstance(part, WirePart):
        return Sized()
    amps, volts = float(point.I), float(point.V_in)
    length, insulation = part.leg_m(link) or 0.0, part.insulation_C
    figures = []
    chosen = None
    for size in WIRE_MM2:
        drop = wire.resistance(length, size * 1e-6, job.settings.ambient_C) * amps
        carries = wire.ampacity(size * 1e-6, insulation, job.settings.warmest_C)
        if carries >= amps and drop <= USUAL_DROP * volts:
            chosen = size
        figures.append(
            figure(
                f"{size:g} mm²: drops", "U = I·2·ρ·L/A, both legs", drop, "V",
                Input("I", "current here", amps, "A"),
                Input("L", "length of one leg", length, "m"),
                Input("carries", "in free air (rule of thumb)", carries, "A"),
                source="IEC 60028",
            )
        )  # fmt: skip
        if chosen:
            break
    if chosen is None:
        return Sized(tuple(figures[-3:]), ("No size up to 16 mm² keeps it: shorten it, or raise the volts.",))
    least = f"{chosen:g} mm² is the least that carries {show(amps, 'A', 3)}"
    reason = f"{least} and drops under {show(USUAL_DROP, '%')}."
    return Sized(tuple(figures[-3:]), (reason,))


def _unit(job: Job, link: Link, solution: Solution) -> Sized:
    """By what its part says; else as a unit of the stack that it stands in."""
    part = job.part(link.part)
    own = part.sized(operating(job, link, solution, build(job))) if isinstance(part, SourcePart) else None
    if own is not None:
        return own
    if not isinstance(part, SourcePart) or not part.stack_unit():
        return Sized()
    asked, stacked = _asked(job, link, part, solution), _stacked(job, link, solution)
    return Sized((*asked.figures, *stacked.figures), (*asked.notes, *stacked.notes))


def _asked(job: Job, link: Link, part: SourcePart, solution: Solution) -> Sized:
    """The label that a unit needs for what is asked of it, by the policy; what would do where it has not."""
    unit = part.stack_unit(believed=True)
    if unit is None or not part.shared_label:
        return Sized()
    share = job.policy.donor_share
    amps = float(solution[link.id].I)
    below = float(solution[link.fed_by].V) if link.fed_by else 0.0
    watts = (float(solution[link.id].V) - below) * amps
    need_A, need_W = amps / share, watts / share
    figures = (
        figure("Label, amps at least", "I/share", need_A, "A", Input("I", "asked of it", amps, "A")),
        figure("Label, watts at least", "P/share", need_W, "W", Input("P", "asked of it", watts, "W")),
    )
    has_W = unit.watts if unit.watts is not None else unit.volts * unit.amps
    if unit.amps >= need_A and has_W >= need_W:
        return Sized(figures)
    able = []
    for other in job.stock:
        made = other.stack_unit() if isinstance(other, SourcePart) and other.shared_label else None
        if made is not None and abs(made.volts - unit.volts) <= 0.1 * unit.volts:
            made_W = made.watts if made.watts is not None else made.volts * made.amps
            if made.amps >= need_A and made_W >= need_W:
                able.append((made_W, other.name))
    instead = f"{min(able)[1]} in the stock would do" if able else "Nothing in the stock would do"
    gives = share * min(unit.amps, has_W / unit.volts)
    text = f"{part.name} is too weak for it: as it is it gives {show(gives, 'A')} for good. {instead}."
    return Sized(figures, (text,))


def _stacked(job: Job, link: Link, solution: Solution) -> Sized:
    """The stack that a donor stands in: what its diodes and its insulation must stand."""
    bottom = job.design.path_to(link.id)[0]
    units = [x for x in job.design.links if isinstance(x, UnitLink) and bottom in job.design.path_to(x.id)]
    units = [x for x in units if stacked_units(job, [x])]
    parts = stacked_units(job, units)
    if len(parts) < 2:
        return Sized(
            notes=("It stands alone: no reverse diode and no insulation beyond its own is asked for.",)
        )
    through = [float(solution[x.id].I) for x in units]
    taps = [max(a - b, 0.0) for a, b in zip(through, [*through[1:], 0.0], strict=True)]
    pairs = zip(parts, taps, strict=True)
    made = [u for p, tap in pairs if (u := p.stack_unit(tap, believed=True)) is not None]
    found = stack(made, job.policy.donor_share)
    figures = (
        figure(
            "Insulation to its case, at least", "the sum of all trips", found.isolation_V, "V",
            *(Input("U", p.name, u.highest_V, "V") for p, u in zip(parts, made, strict=True)),
        ),
        figure("Reverse diode, amps", "what the strongest unit drives", found.diode_A, "A"),
        figure("Reverse diode, volts", "its unit's trip", max(found.diode_inverse_V), "V"),
        figure("Heat of a diode that acts", "P = Uf·I, Uf = 0.9 V (rule of thumb)", found.diode_W, "W"),
        figure("Stack without load, most", "volts with their tolerances", found.highest_V, "V"),
    )  # fmt: skip
    return Sized(figures, found.warnings)


def _converter(job: Job, link: Link, solution: Solution) -> Sized:
    part, point = job.part(link.part), solution[link.id]
    if not isinstance(part, ConverterPart):
        return Sized()
    figures: list[Derivation] = []
    notes: list[str] = []
    loss = float(point.loss)
    if loss > 0:
        try:
            air = float(inside_air_C(job, solution))
            needed = sink_needed([loss], 0.0, part.switch_K_W or 0.0, part.hot_limit_C, air)
            figures.append(
                figure(
                    "Sink, at most", "θ = (T_limit − T_air − P·θ_switch)/P", needed, "K/W",
                    Input("P", "lost in it", loss, "W"), Input("T_air", "air inside", air, "C"),
                    Input("T_limit", "hottest it may get", part.hot_limit_C, "C"),
                )
            )  # fmt: skip
        except UserError as trouble:
            notes.append(str(trouble))
    if part.feedback is not None:
        _feedback(job, part, getattr(link, "set_V", 0.0), figures, notes)
    if part.control is not None:
        c = part.control
        found = pwm_dac(c.supply_V, c.pulse_Hz, c.bits, c.filter_ohm, c.filter_F)
        given = (Input("f", "pulses", c.pulse_Hz, "Hz"), Input("R", "filter", c.filter_ohm, "ohm"))
        figures += [
            figure("Set-point ripple, p-p", "U/(4·f·R·C) at half duty", found.ripple_pp_V, "V", *given),
            figure("One step", "U/2^n", found.step_V, "V"),
            figure("Settles within", "R·C·ln 2^(n+1)", found.settling_s, "s", *given),
        ]
        if not found.half_step_ripple:
            notes.append(f"The ripple leaves {found.bits_left:.1f} of its {c.bits} bits.")
    return Sized(tuple(figures), tuple(notes))


def _feedback(
    job: Job, part: ConverterPart, set_V: float, figures: list[Derivation], notes: list[str]
) -> None:
    """The divider that sets it: what it gives, the resistor for the volts wanted, the span of a trim."""
    f = part.feedback
    assert f is not None
    divider = feedbacks.Divider(f.reference_V, f.upper_ohm, f.lower_ohm)
    given = (
        Input("Vref", "reference", f.reference_V, "V"),
        Input("R2", "upper leg", f.upper_ohm, "ohm"),
        Input("R1", "lower leg", f.lower_ohm, "ohm"),
    )
    figures.append(figure("As its divider stands", "U = Vref·(1 + R2/R1)", divider.volts(), "V", *given))
    adjust = 50e-6 if part.topology == "linear" else 0.0
    wanted = r2_for(Regulator(f.lower_ohm, reference_V=f.reference_V, adjust_A=adjust), set_V)
    owned = [made[0] for p in job.stock if isinstance(p, PlainLoad) and (made := p.as_resistor())]
    near = nearest(wanted, [*owned, *E12])
    said = " and ".join(show(r, "ohm") for r in near.parts)
    figures.append(
        figure("Upper leg for its set volts", "R2 = (U − Vref)/(Vref/R1 + Iadj)", wanted, "ohm", *given)
    )
    if near.ohms > 0:
        notes.append(f"Nearest from E12 and the bin: {said} {near.joined}, {show(near.ohms, 'ohm', 4)}.")
    if f.pot_ohm:
        span = f.span()
        pot = Input("pot", f"its potentiometer, {f.pot_at}", f.pot_ohm, "ohm")
        figures.append(figure("Its trim reaches", "from the divider", span.high_V, "V", *given, pot))
        turn = "(highest − lowest)/10, as if even"
        figures.append(figure("A turn of ten moves it", turn, feedbacks.per_turn_V(span), "V", *given, pot))
        if f.pot_at == "across lower leg" and f.fixed_ohm is None:
            notes.append(f"A fixed resistor of {show(f.lower_ohm, 'ohm')} before its trim is assumed.")
        if span.trip_margin_V is not None and span.trip_margin_V <= 0:
            notes.append("With tolerances, its reference's too, it reaches its own over-voltage trip.")
        left = "its input's volts" if np.isinf(span.open_V) else show(span.open_V, "V", 4)
        notes.append(f"An open wiper leaves {left}: it fails {span.fails}.")


def _fan(job: Job, link: Link, solution: Solution) -> Sized:
    part = job.part(link.part)
    if not isinstance(part, BlowerPart) or not isinstance(link, FanLink):
        return Sized()
    figures, notes = [], []
    for spot in hot_spots(job, solution):
        if not np.isfinite(float(spot.loss_W)):
            continue
        found = swing(spot.phases)
        period = (
            f", every {found.period_s / 60:.1f} min, {found.share * 100:.0f} % of it on"
            if found.period_s
            else ""
        )
        notes.append(f"For {spot.name} it {found.words}{period}.")
    for step in fan_steps(job):
        if 0 < step.speed < 1:
            figures.append(
                figure(
                    f"Quieter from {step.from_C:g} °C on by", "50·log10(n2/n1), fan laws",
                    -quieter_dB(1.0, step.speed), "dB", Input("n2/n1", "of full speed", step.speed, "%"),
                )
            )  # fmt: skip
    slow = link.slow_V
    if slow is not None and slow < part.start_V:
        notes.append(
            f"{show(slow, 'V')} does not start it: it needs {show(part.start_V, 'V')}. Kick it first."
        )
    if link.sensor is not None:
        s = link.sensor
        curve = from_beta(s.at_25_ohm, s.beta_K)
        for celsius, words in ((link.on_C, "comes on"), (link.off_C, "goes off")):
            ohms = curve.ohms(celsius)
            figures.append(
                figure(
                    f"Counts where it {words}", "N·R/(R + R_series), R = R25·exp(β·(1/T − 1/T25))",
                    counts(ohms, s.series_ohm, s.counts), "", Input("R", f"at {celsius:g} °C", ohms, "ohm"),
                )
            )  # fmt: skip
    return Sized(tuple(figures), tuple(notes))


_BY_KIND: dict[str, Callable[[Job, Link, Solution], Sized]] = {
    "unit": _unit,
    "converter": _converter,
    "fuse": _fuse,
    "lead": _lead,
    "fan": _fan,
}
