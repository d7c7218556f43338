"""Figures as instruments write them, and what they are multiplied by."""

import math
from typing import Annotated

from pydantic import AfterValidator, Field

#: What a meter writes where its range is exceeded.
OVER_WORDS = frozenset(("OL", "0L", "O.L", "0.L", ".OL", "OVER", "OVLD"))


def number(text: str) -> float:
    """A figure; infinite where it stands for more than can be shown (IEEE 488.2; SCPI 1999, 7.2.1.4)."""
    word = text.strip().upper()
    if word.lstrip("+-") in OVER_WORDS:
        return -math.inf if word.startswith("-") else math.inf
    value = float(text)
    if math.isnan(value):
        raise ValueError(text)
    return math.copysign(math.inf, value) if abs(value) >= 9.9e37 else value


def scaled(value: float, scale: float) -> float:
    """A figure times its scale, divided where that is exact, so that 13600 mV are 13.6 V to the last bit.

    >>> scaled(13600, 0.001)
    13.6
    """
    whole = round(1 / scale)
    return value / whole if whole and math.isclose(whole * scale, 1.0, rel_tol=1e-12) else value * scale


def _not_nothing(scale: float) -> float:
    if not 1e-12 <= abs(scale) <= 1e12:
        raise ValueError("a scale is from 1e-12 to 1e12, and not 0")
    return scale


#: What a figure is multiplied by so that it is in V, A, W or °C.
Scale = Annotated[float, Field(allow_inf_nan=False), AfterValidator(_not_nothing)]
