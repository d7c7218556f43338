"""One limit of one link: what is used of what is allowed."""

from functools import cached_property

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.path import Link
from tensimeter.core.quantity import show


class Limit(Struct, frozen=True, dict=True):
    """One limit of one link: what is used of what is allowed (arrays over operating points)."""

    link: str
    name: str
    short: str
    used: Array
    allowed: Figure
    unit: str
    note: str
    rated: Figure
    #: Added to what is used and allowed where it is shown: a rise is shown as a temperature.
    offset: Figure = 0.0
    #: A limit that is only reached after a while.
    heat: bool = False
    #: A least load: below it, not above it, is the trouble.
    floor: bool = False

    @property
    def shown(self) -> tuple[float, float]:
        """Used and allowed as they are shown, for a single operating point."""
        return float(self.used + self.offset), float(self.allowed + self.offset)

    @property
    def sentence(self) -> str:
        """Used of allowed, for a single operating point."""
        used, allowed = self.shown
        return f"{show(used, self.unit, 4)} of {show(allowed, self.unit, 4)}"

    @cached_property
    def fraction(self) -> Array:
        """Share used; infinite where there is no running state."""
        with np.errstate(over="ignore", divide="ignore", invalid="ignore"):
            share = np.asarray(self.used, float) / self.allowed
        return np.where(np.isfinite(share), share, np.inf)

    def worked(self) -> Derivation:
        """Why this limit stands where it does; for a single operating point."""
        used, allowed = self.shown
        given = [Input("used", self.short, used, self.unit), Input("limit", self.note, allowed, self.unit)]
        if self.heat:
            given.append(Input("air", "what both are counted from", float(self.offset), "C"))
        if self.rated is not self.allowed:
            given.append(Input("rated", "before the policy's share", float(self.rated), self.unit))
        return Derivation(self.name, "share used = used / limit", tuple(given), float(self.fraction), "%")


def limit(
    link: Link, short: str, used: Figure, allowed: Figure, unit: str, note: str, rated: Figure | None = None
) -> Limit:
    """A limit of a link; `rated` is what was allowed before a policy took its share."""
    name = f"{link.name}, {short}"
    before = allowed if rated is None else rated
    return Limit(link.id, name, short, np.asarray(used), allowed, unit, note, before)


def least_load(link: Link, minimum_A: float, flows_A: Figure) -> list[Limit]:
    """The limit of a source that asks for a load; none where it asks for nothing."""
    if not minimum_A:
        return []
    least = limit(link, "least load", minimum_A, np.maximum(flows_A, 1e-9), "A", "what flows now")
    return [replace(least, floor=True)]
