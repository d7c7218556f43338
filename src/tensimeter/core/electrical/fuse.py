"""Fuses: resistance, continuous use, and whether the source can ever blow one."""

from tensimeter.core.explain import Given, Worked
from tensimeter.core.job.parts import FusePart

#: Volts across a fuse at its rating when its resistance is not known: a rule of thumb.
TYPICAL_DROP_V = 0.08
#: Current, as a multiple of the rating, that blows a fuse within minutes: a rule of thumb.
CERTAIN_TO_BLOW = 2.0


def resistance(fuse: FusePart) -> float:
    """Resistance in Ω, as stated or from the typical drop at its rating."""
    return fuse.resistance_ohm or TYPICAL_DROP_V / fuse.rated_A


def continuous_A(fuse: FusePart, share: float = 0.75) -> float:
    """Continuous current in A that a fuse is used at: a share of its rating.

    The default of 0.75 is the usual advice at 25 °C for fuses rated to UL 248-14.
    """
    return fuse.rated_A * share


def can_blow(fuse: FusePart, most_A: float) -> bool:
    """Whether a source that delivers at most `most_A` is sure to blow the fuse."""
    return most_A >= CERTAIN_TO_BLOW * fuse.rated_A


def explain_resistance(fuse: FusePart) -> Worked:
    """Why a fuse is taken to have this resistance."""
    if fuse.resistance_ohm is not None:
        given = (Given("R", "as stated for the part", fuse.resistance_ohm, "ohm"),)
        return Worked("Resistance of the fuse", "R", given, fuse.resistance_ohm, "ohm")
    return Worked(
        "Resistance of the fuse",
        "R = U / I_rated",
        (
            Given("U", "typical drop at the rating", TYPICAL_DROP_V, "V"),
            Given("I_rated", "rating", fuse.rated_A, "A"),
        ),
        resistance(fuse),
        "ohm",
        ("a rule of thumb; measure it and enter the figure",),
    )
