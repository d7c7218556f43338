"""Copper wire: size, resistance, and how much current it carries."""

import math
import re

import numpy as np

from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.errors import UserError
from tensimeter.core.quantity import parse

#: Annealed copper at 20 °C, Ω·m (IEC 60028).
RHO_20 = 1.7241e-8
#: Temperature coefficient of copper at 20 °C, 1/K (IEC 60028).
ALPHA_20 = 0.00393


def awg_area(gauge: float) -> float:
    """Cross-section of American wire gauge.

    Parameters
    ----------
    gauge : float
        Its number; 00, 000 and 0000 are −1, −2 and −3.

    Returns
    -------
    float
        Area, m².

    References
    ----------
    ASTM B258: d = 0.127 mm·92^((36−n)/39); its table gives 1.31 mm² for gauge 16.

    Examples
    --------
    >>> round(awg_area(16) * 1e6, 3)
    1.309
    """
    diameter = 0.127e-3 * 92 ** ((36 - gauge) / 39)
    return float(math.pi / 4 * diameter**2)


def parse_area(text: str) -> float:
    """Cross-section in m² from `16awg`, `AWG 16`, `0.75mm2` or `0,75 mm²`; UserError otherwise."""
    compact = text.strip().casefold().replace(" ", "")
    gauge = re.fullmatch(r"(?:awg)?(\d{1,2})(?:awg)?", compact)
    if gauge and "awg" in compact:
        number = int(gauge.group(1))
        if number > 40:
            raise UserError(f"“{text}” is no wire gauge for a supply; give 0 to 40 AWG or mm².")
        return awg_area(number)
    metric = re.fullmatch(r"([\d.,]+)(?:mm2|mm²)", compact)
    if not metric:
        raise UserError(f"“{text}” is not a wire size; write 16awg or 0.75mm2.")
    area = parse(metric.group(1))
    if area <= 0:
        raise UserError(f"“{text}” is not a wire size; it must be above zero.")
    return area * 1e-6


def resistivity(temperature: float = 20.0) -> float:
    """Resistivity of annealed copper.

    Parameters
    ----------
    temperature : float
        Of the copper, °C.

    Returns
    -------
    float
        ρ20·(1 + α20·(T − 20)), Ω·m.

    References
    ----------
    IEC 60028: ρ20 = 1.7241e−8 Ω·m, α20 = 0.00393 /K.

    Examples
    --------
    >>> resistivity(20.0)
    1.7241e-08
    """
    return RHO_20 * (1 + ALPHA_20 * (temperature - 20))


def resistance(length: float, area: float, temperature: float = 20.0) -> float:
    """Resistance of both legs of a lead.

    Parameters
    ----------
    length, area, temperature : float
        Length of one leg in m, cross-section of a leg in m², copper in °C.

    Returns
    -------
    float
        2·ρ·L/A, Ω.

    Examples
    --------
    By IEC 60028 a metre of 1 mm² has 17.241 mΩ at 20 °C.

    >>> round(resistance(1.0, 1e-6) * 1e3, 3)
    34.482
    """
    return 2 * resistivity(temperature) * length / area


#: Share of what a circuit carries alone, bundled with others, by their number: IEC 60364-5-52, table B.52.17,
#: bunched in air or enclosed.
BUNDLED = {
    1: 1.0,
    2: 0.8,
    3: 0.7,
    4: 0.65,
    5: 0.6,
    6: 0.57,
    7: 0.54,
    8: 0.52,
    9: 0.5,
    12: 0.45,
    16: 0.41,
    20: 0.38,
}


def bundle_factor(circuits: int) -> float:
    """Share of its current that a circuit carries among so many bundled ones.

    Parameters
    ----------
    circuits : int
        How many circuits lie together, itself counted.

    Returns
    -------
    float
        Of the next larger number in the table; of twenty from there on.

    Raises
    ------
    UserError
        For less than one.

    References
    ----------
    IEC 60364-5-52, table B.52.17.

    Examples
    --------
    >>> bundle_factor(1), bundle_factor(3), bundle_factor(10)
    (1.0, 0.7, 0.45)
    """
    if circuits < 1:
        raise UserError("A bundle has one circuit or more.")
    return BUNDLED[next((n for n in BUNDLED if n >= circuits), 20)]


def ampacity(area: float, insulation: float = 70.0, ambient: float = 20.0, bundled: int = 1) -> float:
    """Continuous current of a single wire in free air, a rule of thumb.

    Parameters
    ----------
    area : float
        Cross-section, m².
    insulation, ambient : float
        What the insulation stands and the air around it, °C.
    bundled : int
        How many circuits lie together with it.

    Returns
    -------
    float
        Amps; zero where the air is as hot as the insulation may be.

    Notes
    -----
    I = 13·A^0.62 (A in mm², a 30 K rise) follows published tables for single conductors within some
    15 % from 0.5 to 10 mm²; scaled with the root of the rise that the insulation allows (loss goes
    with I², cooling about with the rise).

    Examples
    --------
    >>> ampacity(1e-6, insulation=50.0, ambient=20.0)
    13.0
    """
    rise = max(insulation - ambient, 0.0)
    return float(13 * (area * 1e6) ** 0.62 * np.sqrt(rise / 30) * bundle_factor(bundled))


def explain_resistance(length: float, area: float, temperature: float = 20.0) -> Derivation:
    """Why a lead has this resistance."""
    return Derivation(
        "Resistance of a lead, both legs",
        "R = 2·ρ20·(1 + α20·(T − 20 °C))·L / A",
        (
            Input("ρ20·(1 + α20·(T − 20))", "copper, Ω·m", resistivity(temperature), ""),
            Input("L", "length of one leg", length, "m"),
            Input("A", "cross-section, m²", area, ""),
            Input("T", "temperature of the copper", temperature, "C"),
        ),
        resistance(length, area, temperature),
        "ohm",
        ("annealed copper; both legs alike",),
        "IEC 60028 (ρ20 = 1.7241e−8 Ω·m, α20 = 0.00393 /K); gauges: ASTM B258",
    )
