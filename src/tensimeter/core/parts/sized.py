"""What a link is sized by: figures, each with its why."""

from dataclasses import dataclass

from tensimeter.core.explain import Given, Worked


@dataclass(frozen=True)
class Sized:
    """Figures of one link, each with its why, and what is to be said beside them."""

    figures: tuple[Worked, ...] = ()
    notes: tuple[str, ...] = ()


def figure(title: str, formula: str, value: float, unit: str, *given: Given, source: str = "") -> Worked:
    """One figure with what it was worked from."""
    return Worked(title, formula, given, value, unit, (), source)
