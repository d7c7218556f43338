"""What a link is sized by: figures, each with its why."""

from msgspec import Struct

from tensimeter.core.derivation import Derivation, Input


class Sized(Struct, frozen=True):
    """Figures of one link, each with its why, and what is to be said beside them."""

    figures: tuple[Derivation, ...] = ()
    notes: tuple[str, ...] = ()


def figure(title: str, formula: str, value: float, unit: str, *given: Input, source: str = "") -> Derivation:
    """One figure with what it was worked from."""
    return Derivation(title, formula, given, value, unit, (), source)
