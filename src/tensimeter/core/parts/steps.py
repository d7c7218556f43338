"""Steps that a part asks for: before it is used at all, and when its path is first powered."""

from collections.abc import Callable

from msgspec import Struct

from tensimeter.core.measurement.conformity import Band
from tensimeter.core.measurement.readings import Measurand
from tensimeter.core.parts.part import PartRecord

#: Below this a path from pole to pole counts as shorted, Ω; from an output to its case it must exceed the
#: other. Rules of thumb for a handheld meter.
SHORTED_OHM, ISOLATED_OHM = 5.0, 1e6
#: Share of the rated amps that is light: it tells a rail from a signal and harms nothing.
LIGHT = 0.1
#: How a source is switched on by itself, and what is said of its mains side.
FIRST = "Behind a limit or a lamp in series; hands off. Plug in."
MAINS = "Its case stays closed. What is inside stays charged after it is unplugged."
#: When to pull the plug.
STOP = "A lamp that stays bright, a limit that holds, a smell, a hum: pull the plug."
#: How far a source may stray at first, as a fraction, beyond its own tolerance.
UNIT_BAND = 0.05


class IncomingStep(Struct, frozen=True):
    """One step of an incoming check: what to do, where, what is expected, what a value outside rules out.

    `field` is the field of the card that the reading may be taken onto.
    """

    id: str
    place: str
    do: str
    probe: str
    quantity: Measurand
    band: Band
    expected: float | None
    rules_out: str
    caution: str = ""
    field: str = ""


class PowerUpStep(Struct, frozen=True):
    """One step of first power. Without a band it is looked at, not read."""

    id: str
    title: str
    do: str
    probe: str
    place: str
    quantity: Measurand
    band: Band | None
    expected: float | None
    stop: str
    link: str | None = None
    hold: bool = False


class Alone(Struct, frozen=True):
    """What a source gives by itself: V, how far it may stray as a fraction, how it is switched on."""

    volts: float
    share: float
    switched_on: str


def incoming_step(
    part: PartRecord,
    key: str,
    do: str,
    probe: str,
    quantity: Measurand,
    band: Band,
    *,
    rules_out: str,
    expected: float | None = None,
    caution: str = "",
    field: str = "",
) -> IncomingStep:
    """A step of a part's own; its reading has a place of its own."""
    place = f"alive-{part.id}-{key}"
    return IncomingStep(key, place, do, probe, quantity, band, expected, rules_out, caution, field)


def no_short(part: PartRecord, probe: str = "output + to −") -> IncomingStep:
    """Ohms across an output before any power: a short is found here."""
    return incoming_step(
        part, "short", "Unplugged, and left so for a minute: read ohms.", probe, "ohm",
        Band(SHORTED_OHM, None), rules_out="A short: its output stage or reservoir is gone. For parts.",
    )  # fmt: skip


#: Amps into a short right behind a link; None where it is not known.
FaultCurrent = Callable[[], float | None]
