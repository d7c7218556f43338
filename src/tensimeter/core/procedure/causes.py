"""What a wrong value usually means: causes that the design itself can predict, the likeliest first."""

from msgspec import Struct

from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.job import Job
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.parts.steps import PowerUpStep
from tensimeter.core.path import ConverterLink, UnitLink
from tensimeter.core.procedure.first_power import PowerUpResult, power_up_steps

#: How near a reading must lie to what a cause predicts, as a fraction.
NEAR = 0.06


class Cause(Struct, frozen=True):
    """One cause: what it would read, in words, and how far the reading is from it, as a fraction."""

    words: str
    predicted: float
    off: float


def causes(job: Job, found: PowerUpResult) -> list[Cause]:
    """Causes for a reading that does not hold; empty where it holds.

    What the step's own link explains comes first, the nearest prediction on top; then, as one line, the
    nearest other place that should read so.
    """
    step, reading = found.step, found.reading
    if reading is None or found.verdict is Verdict.CONFORMS or step.quantity != "V" or step.expected is None:
        return []
    value = reading.value
    scale = max(abs(step.expected), 1.0)

    def near(guesses: list[tuple[str, float]]) -> list[Cause]:
        made = [Cause(w, p, abs(value - p) / max(abs(p), 0.05 * scale)) for w, p in guesses]
        return sorted((cause for cause in made if cause.off <= NEAR), key=lambda cause: cause.off)

    ranked = near([*_general(step), *_of_link(job, step)]) + near(_elsewhere(job, step))[:1]
    if not ranked:
        side = (
            "too high: a trim or a reference"
            if value > step.expected
            else "too low: a load, a drop or a trim"
        )
        ranked = [Cause(f"Nothing in the design predicts it; it is {side}.", step.expected, 1.0)]
    return ranked


def _general(step: PowerUpStep) -> list[tuple[str, float]]:
    assert step.expected is not None
    return [
        ("Reversed: the probes, or the wires behind them.", -step.expected),
        ("Nothing there: an open fuse, a joint, an enable that is not pulled, or it is unplugged.", 0.0),
    ]


def _of_link(job: Job, step: PowerUpStep) -> list[tuple[str, float]]:
    """What a fault of the link itself, or of the stack under it, would read."""
    guesses: list[tuple[str, float]] = []
    link = next((x for x in job.design.links if x.id == step.link), None)
    part = job.part(link.part) if link else None
    if isinstance(link, ConverterLink) and isinstance(part, ConverterPart) and step.id.startswith("trim"):
        given = next((s.expected for s in power_up_steps(job) if s.id == f"in-{link.id}"), None) or 0.0
        top = min(part.out_max_V, given - (part.dropout_V if part.topology == "step_down" else 0.0))
        guesses += [
            ("Its trim stands at its top: turn it down before anything is connected.", top),
            ("Its input stands at its output: its switch is shorted or its feedback is open.", given),
            (
                "Its input less its dropout: its feedback is open, or it is set above its input.",
                given - part.dropout_V,
            ),
            ("Its trim stands at its bottom.", part.out_min_V),
        ]
    if step.id.startswith(("stack", "in-")) and link is not None:
        units = [x for x in job.design.path_to(link.id) if isinstance(x, UnitLink)]
        for unit in units:
            source = job.part(unit.part)
            alone = source.stack_unit() if isinstance(source, SourcePart) else None
            if alone is not None and step.expected is not None and len(units) > 1:
                left = step.expected - alone.volts
                guesses.append((f"{unit.name} is off, shorted, or its joint is open.", left))
                guesses.append((f"{unit.name} stands the wrong way round in the stack.", left - alone.volts))
    return guesses


def _elsewhere(job: Job, step: PowerUpStep) -> list[tuple[str, float]]:
    """What other places should read: a reading there means swapped wires."""
    others = [
        s for s in power_up_steps(job) if s.expected is not None and s.quantity == "V" and s.id != step.id
    ]
    return [
        (f"That is what belongs at {s.probe}: swapped wires, or the wrong place.", s.expected)
        for s in others
        if s.expected is not None and step.expected is not None
        and abs(s.expected - step.expected) > NEAR * max(abs(step.expected), 1e-9)
    ]  # fmt: skip
