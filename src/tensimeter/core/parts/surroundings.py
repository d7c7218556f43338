"""What a part may ask of the job that it stands in, and of the point that it is worked at."""

from collections.abc import Callable
from functools import cached_property
from typing import Protocol

from msgspec import Struct

from tensimeter.core.arrays import Figure
from tensimeter.core.electrical.elements import Network
from tensimeter.core.electrical.solution import Point, Solution
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.path import Design, Link
from tensimeter.core.settings import Policy, Settings


class Surroundings(Protocol):
    """A job, as far as one of its parts looks into it."""

    @property
    def settings(self) -> Settings: ...
    @property
    def policy(self) -> Policy: ...
    @property
    def design(self) -> Design: ...
    @property
    def stock(self) -> tuple[PartRecord, ...]: ...
    def part(self, part_id: str | None) -> PartRecord | None: ...


class Operating(Struct, frozen=True, dict=True):
    """A part in its link at the operating points of a solution (arrays over them).

    `air_C` works out the air inside when it is asked for.
    """

    job: Surroundings
    link: Link
    solution: Solution
    network: Network
    air: Callable[[], Figure]

    @property
    def point(self) -> Point:
        return self.solution[self.link.id]

    @cached_property
    def air_C(self) -> Figure:
        """°C of the air inside."""
        return self.air()

    @property
    def own_V(self) -> Figure:
        """Its own volts: those at its positive less those of the unit that it stands on."""
        return self.point.V - (self.solution[self.link.fed_by].V if self.link.fed_by else 0.0)
