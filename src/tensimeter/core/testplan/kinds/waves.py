"""Tests that are told by a waveform: ripple and noise, load transient, switching on and off."""

from functools import lru_cache
from typing import Literal

from tensimeter.core.analysis.ripple import Ripple as RippleFigures
from tensimeter.core.analysis.ripple import ripple
from tensimeter.core.analysis.startup import StartUp as StartUpFigures
from tensimeter.core.analysis.startup import hold_up_s, start_up
from tensimeter.core.analysis.transient import Transient as TransientFigures
from tensimeter.core.analysis.transient import transient
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Band, Verdict, judge
from tensimeter.core.measurement.readings import Wave
from tensimeter.core.measurement.recorder import Recorder
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import Ripple, StartUp, Transient
from tensimeter.core.notice import Notice
from tensimeter.core.parts.instrument_part import WaveformRecorder
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.testplan.equipment import loads_words, sunk_A, would_reach
from tensimeter.core.testplan.kind import TestKind
from tensimeter.core.testplan.kinds.along_load import along
from tensimeter.core.testplan.step import OPEN, Capture, Facts, Finding, Plan, Situation, Step


def recorder_of(job: Job, instrument: str) -> Recorder:
    """How the recorder errs that a waveform was taken with; the usual where that is not known."""
    part = job.part(instrument)
    return Recorder(part.gain_share, part.step_V) if isinstance(part, WaveformRecorder) else Recorder()


@lru_cache(maxsize=64)
def ripple_of(
    wave: Wave, mains_Hz: float, switching: float | None, bandwidth: float | None, trim: float
) -> RippleFigures | str:
    """Ripple figures of a waveform, kept as long as they are asked for; a sentence where there are none."""
    try:
        return ripple(wave.volts, wave.rate_Hz, mains_Hz, switching, bandwidth, trim)
    except UserError as trouble:
        return str(trouble)


@lru_cache(maxsize=64)
def transient_of(wave: Wave, band: float, recorder: Recorder) -> TransientFigures | str:
    """The figures of a load step; the reason where there are none."""
    try:
        return transient(wave.time_s, wave.volts, band, 0.0 if wave.start_s < 0 else None, recorder)
    except UserError as trouble:
        return str(trouble)


@lru_cache(maxsize=64)
def start_of(wave: Wave, nominal: float, recorder: Recorder) -> StartUpFigures | str:
    """The figures of a start; the reason where there are none."""
    try:
        return start_up(wave.time_s, wave.volts, nominal, recorder)
    except UserError as trouble:
        return str(trouble)


def _short(name: str) -> str:
    """A line's name without the doubt that is told once for all."""
    return name.replace(", or an alias of it", "")


_SWITCHED: tuple[Literal["power_on", "power_off"], ...] = ("power_on", "power_off")


class RippleKind(TestKind[Ripple]):
    """Ripple and noise from a waveform."""

    record = Ripple
    plot = "wave"
    by_current = True
    printed_wave = "last"
    name = "ripple and noise"
    standard = "periodic and random deviation"
    method = "A waveform at the terminals with the shortest ground, at no, half and full load."

    def steps(self, s: Situation, test: Ripple) -> list[Step]:
        return along(s, test.points, capture=Capture("none", test.record_s, 0.0))

    def allowed_swing_V(self, plan: Plan, test: Ripple) -> float | None:
        return test.allowed_pp * plan.output.nominal_V

    def findings(self, facts: Facts, test: Ripple) -> list[Finding]:
        band = Band(None, test.allowed_pp * facts.plan.output.nominal_V)
        found: list[Finding] = []
        notes: list[str] = []
        for step in facts.plan.steps:
            at = f"at {show(step.set_A, 'A')}" if step.set_A else "at no load"
            typed = facts.interval(step.index, "Vpp")
            wave = facts.wave(step.index)
            if wave is None:
                if typed is not None:
                    said = "as read off the screen"
                    found.append(
                        Finding(f"pp:{step.index}", f"p-p {at}", "V", typed, said, judge(typed, band), band)
                    )
                continue
            figures = ripple_of(
                wave, facts.job.settings.mains_Hz, test.switching_Hz, test.bandwidth_Hz, test.trim
            )
            if isinstance(figures, str):
                found.append(Finding(f"pp:{step.index}", f"p-p {at}", text=figures, is_note=True))
                continue
            within = figures.within(recorder_of(facts.job, wave.instrument))
            pp, seen = within.pp_V, judge(within.pp_V, band)
            # What a digitiser's step hides is not known to hold.
            seen = Verdict.TOO_CLOSE if within.blind and seen is Verdict.CONFORMS else seen
            lines = "; ".join(
                f"{_short(x.name) or show(x.frequency_Hz, 'Hz')} {show(x.rms_V, 'V')}"
                for x in figures.lines[:3]
            )
            notes += [w for w in figures.warnings if w not in notes]
            blind = "a step of the digitiser hides it" if within.blind else ""
            found.append(Finding(f"pp:{step.index}", f"p-p {at}", "V", pp, blind, seen, band))
            name = f"p-p without spikes {at}"
            found.append(Finding(f"pp_without_spikes:{step.index}", name, "V", within.pp_trimmed_V))
            found.append(Finding(f"rms:{step.index}", f"rms {at}", "V", within.rms_V, lines))
        return found + [Finding(f"note:{k}", "mind", text=n, is_note=True) for k, n in enumerate(notes)]

    def planned(self, job: Job, output: OutputLink) -> list[Ripple]:
        if not isinstance(job.part(job.campaign.oscilloscope), WaveformRecorder):
            return []
        return [Ripple(id="x", output=output.id)]

    def spectrum(self, wave: Wave, mains_Hz: float, test: Ripple) -> RippleFigures | None:
        figures = ripple_of(wave, mains_Hz, test.switching_Hz, test.bandwidth_Hz, test.trim)
        return None if isinstance(figures, str) else figures

    def reader_words(self, job: Job, plan: Plan, test: Ripple) -> str:
        scope = job.part(job.campaign.oscilloscope)
        room = test.allowed_pp * plan.output.nominal_V
        if not isinstance(scope, WaveformRecorder):
            return "No oscilloscope in hand: bring a waveform as a file, or type p-p as in “mount 42mVpp”."
        half = 2 * scope.step_V + scope.gain_share * room
        fine = "fine enough" if half < 0.3 * room else "too coarse"
        return f"{scope.name} reads ± {show(half, 'V', 2)} there, {fine} for {show(room, 'V', 2)} p-p."

    def cautions(self, job: Job) -> list[Notice]:
        return earthed_clip(job)


class TransientKind(TestKind[Transient]):
    """How far the volts swing when the load steps, and how soon they are back."""

    record = Transient
    plot = "wave"
    name = "load transient"
    standard = "transient recovery time, load"
    method = "The load steps up, then down; recovery runs until the volts stay inside the band."

    def steps(self, s: Situation, test: Transient) -> list[Step]:
        low, high = s.amps((test.low, test.high)).tolist()
        return [
            Step(
                a,
                None,
                OPEN,
                f"{show(a, 'A')} to {show(b, 'A')}",
                capture=Capture("load_step", test.record_s, 0.2, b),
            )
            for a, b in ((low, high), (high, low))
        ]

    def findings(self, facts: Facts, test: Transient) -> list[Finding]:
        nominal = facts.plan.output.nominal_V
        far = Band(None, test.allowed_dip * nominal)
        soon = Band(None, test.allowed_s)
        found = []
        for step in facts.plan.steps:
            wave = facts.wave(step.index)
            if wave is None:
                continue
            figures = transient_of(wave, test.band, recorder_of(facts.job, wave.instrument))
            if isinstance(figures, str):
                found.append(Finding(f"step:{step.index}", f"{step.title}", text=figures, is_note=True))
                continue
            up = step.capture is not None and (step.capture.to_A or 0) > step.set_A
            value = figures.dip_V if up else figures.overshoot_V
            word = "dip" if up else "overshoot"
            found.append(
                Finding(
                    f"{word}:{step.index}", f"{word}, {step.title}", "V", value, "", judge(value, far), far
                )
            )
            if figures.recovery_s is None:
                text = figures.warnings[0] if figures.warnings else "not within the record"
                found.append(
                    Finding(
                        f"recovery:{step.index}",
                        f"recovery, {step.title}",
                        text=text,
                        verdict=Verdict.TOO_CLOSE,
                    )
                )
                continue
            recovery = figures.recovery_s
            text = f"into ± {100 * test.band:g} %"
            found.append(
                Finding(
                    f"recovery:{step.index}",
                    f"recovery, {step.title}",
                    "s",
                    recovery,
                    text,
                    judge(recovery, soon),
                    soon,
                )
            )
        return found

    def planned(self, job: Job, output: OutputLink) -> list[Transient]:
        if not isinstance(job.part(job.campaign.oscilloscope), WaveformRecorder):
            return []
        return [Transient(id="x", output=output.id)]

    def cautions(self, job: Job) -> list[Notice]:
        return earthed_clip(job)


class StartUpKind(TestKind[StartUp]):
    """Rise, overshoot and fall when it is switched."""

    record = StartUp
    plot = "wave"
    name = "start-up and shutdown"
    standard = "start-up time, hold-up time, turn-on overshoot"
    method = "Switched on and off at the wall into a load while the output is recorded."

    def steps(self, s: Situation, test: StartUp) -> list[Step]:
        found = []
        for output in (test.output, *test.others):
            link = s.job.output(output)
            amps = sunk_A(s.job, link, link.full_load_A * test.share)
            if amps <= 0:
                continue
            for event in _SWITCHED:
                word = "on" if event == "power_on" else "off"
                capture = Capture(event, test.record_s, 0.1)
                hand = f"Switch the supply {word} at the wall when the record waits for it."
                found.append(
                    Step(amps, None, OPEN, f"{link.name}, {word}", output, capture=capture, hand=hand)
                )
        return found

    def findings(self, facts: Facts, test: StartUp) -> list[Finding]:
        found: list[Finding] = []
        begins: list[tuple[float, str]] = []
        for step in facts.plan.steps:
            wave = facts.wave(step.index)
            if wave is None or step.capture is None:
                continue
            link = facts.job.output(step.place)
            if step.capture.event == "power_off":
                lowest_V = (1 - link.tolerance) * link.nominal_V
                recorder = recorder_of(facts.job, wave.instrument)
                held = hold_up_s(wave.time_s, wave.volts, lowest_V, recorder)
                name = f"hold-up, {link.name}"
                if held is None:
                    found.append(Finding(f"hold_up:{link.id}", name, text="longer than the record"))
                else:
                    found.append(Finding(f"hold_up:{link.id}", name, "s", held))
                continue
            figures = start_of(wave, link.nominal_V, recorder_of(facts.job, wave.instrument))
            if isinstance(figures, str):
                found.append(Finding(f"start:{link.id}", f"start, {link.name}", text=figures, is_note=True))
                continue
            begins.append((figures.delay_s.value, link.name))
            band = Band(None, test.allowed_overshoot)
            over, delay, rise = figures.overshoot, figures.delay_s, figures.rise_s
            words = "to half the volts" + (", falls back on its way" if figures.falls_back else "")
            found.append(Finding(f"start:{link.id}", f"start, {link.name}", "s", delay, words))
            found.append(Finding(f"rise:{link.id}", f"rise, {link.name}", "s", rise, "from 10 to 90 %"))
            found.append(
                Finding(
                    f"overshoot:{link.id}", f"overshoot, {link.name}", "%", over, "", judge(over, band), band
                )
            )
        if len(begins) > 1:
            found.append(Finding("order", "order", text=" before ".join(name for _, name in sorted(begins))))
        return found

    def planned(self, job: Job, output: OutputLink) -> list[StartUp]:
        outputs = job.design.outputs()
        if output != outputs[0] or not isinstance(job.part(job.campaign.oscilloscope), WaveformRecorder):
            return []
        return [StartUp(id="x", output=output.id, others=tuple(o.id for o in outputs[1:]))]

    def unreachable(self, job: Job, test: StartUp) -> list[str]:
        found = []
        for link in (job.output(o) for o in (test.output, *test.others)):
            wanted = link.full_load_A * test.share
            able = sunk_A(job, link, wanted)
            if able < wanted - 1e-3:
                found.append(
                    f"{link.name} is switched with {able:.3g} A of {wanted:.3g} A: {loads_words(job)} sinks "
                    f"no more there. {would_reach(wanted - able, link.nominal_V)}"
                )
        return found

    def blank(self, job: Job, output: OutputLink) -> dict[str, object]:
        return {"others": tuple(o.id for o in job.design.outputs() if o.id != output.id)}

    def cautions(self, job: Job) -> list[Notice]:
        return earthed_clip(job)


def earthed_clip(job: Job) -> list[Notice]:
    """The caution of a recorder whose clip is earth."""
    scope = job.part(job.campaign.oscilloscope)
    if not isinstance(scope, WaveformRecorder) or not scope.earthed:
        return []
    text = (
        "It shorts a stack's middle, a bonded negative or a primary. Look at the output's earth "
        "reading first; read across two probes where it does not float."
    )
    return [Notice("prove:clip", "caution", "The oscilloscope's clip is earth", text, "prove", None)]
