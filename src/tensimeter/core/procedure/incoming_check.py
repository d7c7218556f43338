"""Dead or alive: how a part of each family is tried by itself, its case closed.

Each step says what to do, where to probe, what to expect and what a value outside rules out. The
readings stay facts at their own place, `alive-PART-STEP`.
"""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from tensimeter.core.electrical.battery import nominal_V, span_V
from tensimeter.core.electrical.reservoir import source_curve
from tensimeter.core.measurement.conformity import Band, Verdict, judge, worst
from tensimeter.core.measurement.readings import Quantity, Reading, counting, interval_of
from tensimeter.core.model.job import Job
from tensimeter.core.parts.kinds import Battery, Converter, Donor, FusePart, LeadPart, Part, RailSupply
from tensimeter.core.parts.kinds import Fan as FanPart
from tensimeter.core.parts.kinds import Transformer as TransformerPart

#: Below this a path from pole to pole counts as shorted, Ω; from an output to its case it must exceed the
#: other. Rules of thumb for a handheld meter.
SHORTED_OHM, ISOLATED_OHM = 5.0, 1e6
#: Share of the rated amps that is light: it tells a rail from a signal and harms nothing.
LIGHT = 0.1


@dataclass(frozen=True)
class Try:
    """One step: what to do, where, what is expected, and what a value outside it rules out.

    `field` is the field of the card that the reading may be taken onto.
    """

    id: str
    place: str
    do: str
    probe: str
    quantity: Quantity
    band: Band
    expected: float | None
    rules_out: str
    caution: str = ""
    field: str = ""


@dataclass(frozen=True)
class Tried:
    """A step with what was read at it, and the verdict."""

    step: Try
    reading: Reading | None
    verdict: Verdict


def tries(job: Job, part: Part) -> tuple[Try, ...]:
    """The steps for a part's family; empty where there is nothing to try."""
    make = _BY_KIND.get(part.kind)
    return tuple(make(job, part)) if make else ()


def tried(job: Job, part: Part, readings: Sequence[Reading]) -> list[Tried]:
    """Every step of a part with its latest reading, judged."""
    live = counting(readings)
    found = []
    for step in tries(job, part):
        own = [r for r in live if r.place == step.place and r.quantity == step.quantity]
        found.append(Tried(step, own[-1] if own else None, _verdict(step, own[-1] if own else None)))
    return found


def outcome(found: Sequence[Tried]) -> Verdict:
    """The worst of the steps; not measured while one is open."""
    return worst(t.verdict for t in found)


def learnt(found: Sequence[Tried]) -> dict[str, float]:
    """Fields of the card that readings which hold can fill."""
    return {
        t.step.field: t.reading.value
        for t in found
        if t.step.field and t.reading is not None and math.isfinite(t.reading.value)
        if t.verdict is not Verdict.MISSES and t.reading.value > 0
    }


def _verdict(step: Try, reading: Reading | None) -> Verdict:
    if reading is None:
        return Verdict.NOT_MEASURED
    if math.isinf(reading.value):
        return Verdict.HOLDS if step.band.high is None else Verdict.MISSES
    return judge(interval_of(reading), step.band)


def _step(part: Part, key: str, do: str, probe: str, quantity: Quantity, band: Band, **more: Any) -> Try:
    expected = more.pop("expected", None)
    return Try(key, f"alive-{part.id}-{key}", do, probe, quantity, band, expected, **more)


def _no_short(part: Part, probe: str = "output + to −") -> Try:
    return _step(
        part, "short", "Unplugged, and left so for a minute: read ohms.", probe, "ohm",
        Band(SHORTED_OHM, None), rules_out="A short: its output stage or reservoir is gone. For parts.",
    )  # fmt: skip


_FIRST = "Behind a limit or a lamp in series; hands off. Plug in."
_MAINS = "Its case stays closed. What is inside stays charged after it is unplugged."


def _donor(job: Job, part: Donor) -> Iterator[Try]:
    nominal, light = part.no_load_V, LIGHT * part.rated_A
    server, do = part.family == "server", _FIRST
    yield _no_short(part)
    yield _step(
        part, "case", "Still unplugged: read ohms to the case.", "output − to metal case or earth pin", "ohm",
        Band(ISOLATED_OHM, None), field="isolation_ohm",
        rules_out="Its negative meets the case: it can't stand in a stack, and it earths what it feeds.",
    )  # fmt: skip
    if server and part.standby_V:
        yield _step(
            part, "standby", f"{_FIRST} Only the standby is live.", "standby pin to common", "V",
            Band.around(part.standby_V, 0.05), expected=part.standby_V, caution=_MAINS,
            rules_out="No standby: its mains side is dead; the enable pin will do nothing.",
        )  # fmt: skip
        do = "Pull the enable pin to common through a kilohm."
    yield _step(
        part, "volts", do, "output, without load", "V", Band.around(nominal, max(part.tolerance, 0.05)),
        expected=nominal, caution="" if server else _MAINS, field="no_load_V",
        rules_out="Far below or pulsing: it protects itself. Far above: unplug at once.",
    )  # fmt: skip
    loaded = nominal - part.output_resistance_ohm * light
    yield _step(
        part, "light", f"Load it lightly, about {light:.2g} A.", "output", "V", Band.around(loaded, 0.05),
        expected=loaded,
        rules_out="It sags under next to nothing: it needs repair, or a least load that it did not get.",
    )  # fmt: skip
    yield _step(
        part, "warm", "After five minutes of that.", "case, the hottest place", "C", Band(None, 50.0),
        rules_out="Hot under a light load: leave it.",
    )  # fmt: skip


def _rails(job: Job, part: RailSupply) -> Iterator[Try]:
    yield _step(
        part, "standby", f"{_FIRST} Only the standby rail is live.", "standby wire to common", "V",
        Band.around(5.0, 0.05), expected=5.0, caution=_MAINS,
        rules_out="No standby: its mains side is dead.",
    )  # fmt: skip
    enable = "Join the enable wire to common; give the 5 V rail its least load."
    for k, rail in enumerate(part.rails):
        yield _step(
            part, f"rail-{k + 1}", enable if k == 0 else "Still running.", f"{rail.name} to common", "V",
            Band.around(rail.volts, rail.tolerance), expected=rail.volts,
            rules_out=f"{rail.name} out of its band: see whether load on 5 V brings it in.",
        )  # fmt: skip
    yield _step(
        part, "good", "Still running.", "power-good wire to common, through a light load", "V",
        Band(2.4, 5.25), expected=5.0,
        rules_out="Low: it says itself that a rail is wrong. A signal, no rail: it falls under a lamp.",
    )  # fmt: skip


def _transformer(job: Job, part: TransformerPart) -> Iterator[Try]:
    dc = source_curve(part, len(part.tap_V) - 1, job.settings.mains_Hz).mean.volts[0]
    yield _step(
        part, "isolation", "Unplugged, reservoir read empty: read ohms.", "primary to secondary", "ohm",
        Band(ISOLATED_OHM, None), rules_out="It does not isolate: dangerous. Cut its cable off.",
        caution="Read the volts of the reservoir first; they creep back after it was emptied.",
    )  # fmt: skip
    yield _step(
        part, "winding", "Still unplugged.", "across the secondary", "ohm",
        Band(0.0, max(20 * part.resistance_ohm, 5.0)), expected=part.resistance_ohm,
        rules_out="Open: its winding or its thermal fuse is gone.",
    )  # fmt: skip
    missing = "Half of it: a diode or half a winding is missing."
    yield _step(
        part, "reservoir", f"{_FIRST} No load.", "across the reservoir, DC", "V",
        Band.around(dc, part.high_line + 0.03), expected=dc, caution=_MAINS,
        rules_out=f"{missing} It comes from {max(part.tap_V):g} V rms.",
    )  # fmt: skip


def _battery(job: Job, part: Battery) -> Iterator[Try]:
    empty, full = span_V(part)
    alive, amps = Band(empty, full * 1.02), LIGHT * part.rated_A
    yield _step(
        part, "rest", "At rest for an hour, nothing connected.", "terminals", "V", alive,
        expected=nominal_V(part),
        rules_out="Below empty: it was discharged too far; a lithium one is not to be charged again.",
        caution="It can't be switched off: cover one terminal while you work at the other.",
    )  # fmt: skip
    yield _step(
        part, "light", f"Load it with about {amps:.2g} A for a minute.", "terminals", "V", alive,
        expected=nominal_V(part) - amps * part.resistance_ohm,
        rules_out="It falls away: its capacity or its resistance is gone.",
    )  # fmt: skip


def _converter(job: Job, part: Converter) -> Iterator[Try]:
    need = part.dropout_V if part.topology in ("step_down", "linear") else 0.0
    low = max(part.out_min_V, 1.0)
    given = min(low + need + 6.0, 0.8 * part.in_max_V)
    yield _no_short(part, "input + to −, both ways round")
    yield _step(
        part, "through", "Nothing connected.", "input + to output +", "ohm", Band(SHORTED_OHM, None),
        rules_out="A short: its switch is gone; what is at its input would stand at its output.",
    )  # fmt: skip
    yield _step(
        part, "idle", f"{given:.2g} V at its input behind a limit of half an ampere; turn the trim down.",
        "output, without load", "V", Band(0.0, max(low * 1.1, 2.5)), expected=low,
        rules_out="It stays up: the trim turns the other way, or its feedback is open.",
    )  # fmt: skip
    yield _step(
        part, "up", "Turn the trim up slowly, short of the input.", "output, without load", "V",
        Band(low, given), expected=max(given - need - 1.0, low),
        rules_out="It does not follow: its reference or its trim is gone.",
    )  # fmt: skip


def _fuse(job: Job, part: FusePart) -> Iterator[Try]:
    yield _step(
        part, "ohms", "Out of its circuit, the probes' ohms taken off.", "end to end in its holder", "ohm",
        Band(0.0, 2.0), expected=part.resistance_ohm, field="resistance_ohm",
        rules_out="Open, or a holder that does not grip.",
    )  # fmt: skip


def _lead(job: Job, part: LeadPart) -> Iterator[Try]:
    yield _step(
        part, "ohms", "Far ends joined; an ampere through it and volts read, or ohms less the probes'.",
        "both near ends", "ohm", Band(0.0, 2.0), field="measured_ohm",
        rules_out="Far more than its copper: a bad crimp, or a wire broken inside its sleeve.",
    )  # fmt: skip


def _fan(job: Job, part: FanPart) -> Iterator[Try]:
    yield _step(
        part, "starts", "Raise the volts from zero until it starts by itself.", "its terminals", "V",
        Band(0.0, part.rated_V), expected=part.start_V, field="start_V",
        rules_out="It needs a push: its bearing is gone; it will stand still one day.",
    )  # fmt: skip


_BY_KIND: dict[str, Callable[[Job, Any], Iterator[Try]]] = {
    "donor": _donor,
    "rails": _rails,
    "transformer": _transformer,
    "battery": _battery,
    "converter": _converter,
    "fuse": _fuse,
    "lead": _lead,
    "fan": _fan,
}
