"""Fuses: resistance, continuous use, choice of a rating, and whether the source can ever blow one."""

import math

import numpy as np
from msgspec import Struct

from tensimeter.core.errors import UserError

#: Volts across a fuse at its rating when its resistance is not known: a rule of thumb.
TYPICAL_DROP_V = 0.08
#: Conventional fusing current I_2 as a multiple of the rating, by how the fuse is built. Cartridge: 2.1
#: (IEC 60127-2, sheets 2 and 3); blade: 1.35 (ISO 8820-3); line (gG): up to 4 A 2.1, then 1.9, from 16 A on
#: 1.6 (IEC 60269-1 and -3). Where that is not known the largest.
FUSING = {"cartridge": 2.1, "blade": 1.35, "not known": 2.1}
#: Lowest and highest time to blow, s, over multiples of the rating: the gates of IEC 60127-2, sheets 2 (fast)
#: and 3 (slow); between them straight in the logarithms.
GATES: dict[str, tuple[tuple[float, float, float], ...]] = {
    "fast": ((2.1, 0.1, 1800.0), (2.75, 0.05, 2.0), (4.0, 0.01, 0.3), (10.0, 0.001, 0.02)),
    "slow": ((2.1, 1.0, 120.0), (2.75, 0.6, 10.0), (4.0, 0.15, 3.0), (10.0, 0.02, 0.3)),
    # Blades know one speed: ISO 8820-3.
    "blade": ((1.35, 0.75, 600.0), (2.0, 0.15, 5.0), (3.5, 0.04, 0.5), (6.0, 0.02, 0.1)),
}
#: Share of its melting i²t that a fuse stands again and again, some ten thousand times: a rule of thumb.
PULSE_SHARE = 0.3
#: How far past what it carries a wire may be for the conventional time: IEC 60364-4-43, 433.1.
OVERLOAD = 1.45
#: Ratings that fuses are sold in, in A: the R10 series of preferred numbers (ISO 3), as IEC 60127 uses it.
RATINGS = tuple(
    round(step * 10.0**decade, 4)
    for decade in (-1, 0, 1)
    for step in (1, 1.25, 1.6, 2, 2.5, 3.15, 4, 5, 6.3, 8)
)
#: Melting i²t of a fuse over the square of its rating, in s: rules of thumb by speed.
MELTING_S = {"fast": 0.5, "slow": 10.0}


def continuous_A(rated_A: float, share: float = 0.75) -> float:
    """Continuous current that a fuse is used at: a share of its rating.

    Parameters
    ----------
    rated_A, share : float
        The rating in A, and the share of it; 0.75 is the usual advice at 25 °C for fuses rated to UL 248-14.

    Returns
    -------
    float
        Amps.

    Examples
    --------
    >>> continuous_A(10.0)
    7.5
    """
    return rated_A * share


def protects(rated_A: float, certain_A: float, wire_A: float) -> bool:
    """Whether a fuse keeps a wire from overload.

    Parameters
    ----------
    rated_A, certain_A : float
        Its rating I_n, and the current I_2 at which it blows for certain within the conventional time, A.
    wire_A : float
        What the wire carries for good, I_z, A.

    Returns
    -------
    bool
        I_n ≤ I_z and I_2 ≤ 1.45·I_z.

    References
    ----------
    IEC 60364-4-43, 433.1.

    Examples
    --------
    A fuse that blows at twice its rating wants a wire of 2/1.45 of it.

    >>> protects(10.0, 20.0, 13.7), protects(10.0, 20.0, 13.8), protects(10.0, 14.0, 9.9)
    (False, True, False)
    """
    return rated_A <= wire_A * (1 + 1e-9) and certain_A <= OVERLOAD * wire_A * (1 + 1e-9)


def fusing_factor(family: str, rated_A: float) -> float:
    """Conventional fusing current over the rating.

    Parameters
    ----------
    family : str
        `cartridge`, `blade`, `line` or `not known`.
    rated_A : float
        Its rating, A.

    Returns
    -------
    float
        I_2/I_n of the family; the largest where it is not known.

    Examples
    --------
    >>> fusing_factor("blade", 15), fusing_factor("line", 10), fusing_factor("not known", 10)
    (1.35, 1.9, 2.1)
    """
    if family == "line":
        return 2.1 if rated_A <= 4 else 1.9 if rated_A < 16 else 1.6
    return FUSING[family]


#: Over its rating by no more than this a fuse holds an hour and more (a cartridge), or a hundred (a blade).
HOLDS = {"fast": 1.5, "slow": 1.5, "blade": 1.1}


def blow_s(rated_A: float, amps: float, speed: str = "slow") -> tuple[float, float]:
    """Between which times a fuse blows at a current.

    Parameters
    ----------
    rated_A, amps : float
        Its rating and what flows, A.
    speed : str
        `slow` or `fast` of a cartridge, or `blade`.

    Returns
    -------
    (float, float)
        Shortest and longest, s; both infinite where it holds, and the longest infinite below its first gate.
        Past the last gate i²t is constant.

    References
    ----------
    Gates of IEC 60127-2, standard sheets 2 and 3, and of ISO 8820-3.

    Examples
    --------
    >>> [round(t, 3) for t in blow_s(10.0, 40.0, "fast")], blow_s(10.0, 12.0)
    ([0.01, 0.3], (inf, inf))
    """
    gates, times = GATES[speed], amps / rated_A
    if times < HOLDS[speed]:
        return math.inf, math.inf
    if times < gates[0][0]:
        return gates[0][1], math.inf
    if times > gates[-1][0]:
        shrink = (gates[-1][0] / times) ** 2
        return gates[-1][1] * shrink, gates[-1][2] * shrink
    at = np.log([g[0] for g in gates])
    least, most = (np.interp(math.log(times), at, np.log([g[k] for g in gates])) for k in (1, 2))
    return float(np.exp(least)), float(np.exp(most))


class Choice(Struct, frozen=True):
    """A rating and why: A, A²s; `warnings` are what it can't do."""

    rated_A: float
    continuous_A: float
    blows_for_certain_A: float
    melting_A2s: float
    warnings: tuple[str, ...]


def choose(
    current_A: float,
    *,
    wire_A: float | None = None,
    inrush_A2s: float = 0.0,
    most_A: float | None = None,
    speed: str = "slow",
    share: float = 0.75,
    family: str = "not known",
) -> Choice:
    """The smallest rating for a continuous current and an inrush; checked against wire and source.

    `wire_A` is what the wire behind it carries, `most_A` what the source can ever deliver. An inrush may take
    `PULSE_SHARE` of the melting i²t, so that it does not age the fuse. Raises UserError where no rating up to
    80 A will do.
    """
    if not current_A > 0 or not 0 < share <= 1 or inrush_A2s < 0:
        raise UserError("The current must be above zero, the share of rating in use at most 100 %.")
    melting = MELTING_S[speed]
    fitting = [
        r
        for r in RATINGS
        if r * share >= current_A * (1 - 1e-9) and PULSE_SHARE * melting * r * r >= inrush_A2s
    ]
    if not fitting:
        raise UserError(f"No fuse up to {RATINGS[-1]:g} A is for {current_A:.3g} A with this inrush.")
    rated = fitting[0]
    certain = fusing_factor(family, rated) * rated
    warnings = []
    if wire_A is not None and not protects(rated, certain, wire_A):
        warnings.append(
            f"The wire carries {wire_A:.3g} A: a {rated:g} A fuse does not protect it. Take a thicker wire."
        )
    if most_A is not None and most_A < certain:
        warnings.append(
            f"The source delivers {most_A:.3g} A at most; this fuse needs about "
            f"{certain:.3g} A to blow for certain: it protects nothing."
        )
    return Choice(rated, rated * share, certain, melting * rated**2, tuple(warnings))


def transformer_primary_A(
    dc_A: float, secondary_V: float, primary_V: float, rms_factor: float = 1.8
) -> float:
    """Primary rms current in A of a transformer whose secondary feeds a reservoir at `dc_A`.

    The secondary's rms current is 1.8 to 2 times the DC behind a reservoir (rule of thumb; the
    rectifier's own figure is better), times the ratio of volts.
    """
    if min(dc_A, secondary_V, primary_V) <= 0 or rms_factor < 1:
        raise UserError("Currents and volts must be above zero, the rms factor at least 1.")
    return rms_factor * dc_A * secondary_V / primary_V
