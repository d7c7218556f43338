"""What every part of a path says of itself, and the roles of those that pass the current on.

A kind takes a role or more and says what the role asks; one that leaves something out can't be made. Code
outside this package asks for a role, never for a kind.
"""

from abc import abstractmethod
from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar, Literal

from tensimeter.core.electrical.elements import Element, Extremes, extremes_of
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.notice import Notice
from tensimeter.core.parts.compared import ComparedPart
from tensimeter.core.parts.hot_part import HotPart
from tensimeter.core.parts.limit import Limit
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.parts.sized import Sized
from tensimeter.core.parts.steps import FaultCurrent, IncomingStep
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect
from tensimeter.core.path import Link
from tensimeter.core.settings import Spread
from tensimeter.core.thermal.heatsink import SinkFigures


class PathPart(PartRecord):
    """A part that a link of the path is made of."""

    #: The kind of link that it makes.
    link_kind: ClassVar[str]
    #: Untested, it is tried alone before a path relies on it.
    tried_first: ClassVar[bool] = False

    @abstractmethod
    def as_link(self, link_id: str, name: str) -> Link:
        """The link that it makes."""

    @abstractmethod
    def element(self, job: Surroundings, link: Link) -> Element:
        """What it is in the network, as its link joins it."""

    @abstractmethod
    def tolerances(self, spread: Spread) -> dict[str, float]:
        """Rectangular tolerances of its element's figures, as fractions, by the figure's name."""

    def extremes(self, job: Surroundings, link: Link, element: Element, line: float = 1.0) -> Extremes:
        """The least and the most that its element's figures may be, by name, at a share of the nominal mains.

        What protects is judged between these; what is typical is drawn from `tolerances`.
        """
        return extremes_of(element, self.tolerances(job.policy.spread))

    @abstractmethod
    def limits(self, here: Operating) -> list[Limit]:
        """Every limit of it at the operating points."""

    @abstractmethod
    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        """How it is tried by itself, its case closed, before anything relies on it."""

    @abstractmethod
    def current_limit_A(self, link: Link) -> float | None:
        """Amps at which it limits or trips; None where it does not, or where that is not known."""

    def limiting_words(self, name: str, amps: str) -> str:
        """What it does at those amps, beyond its limit; `name` is its link's."""
        return f"{name} limits at {amps}"

    @property
    def when_tripped(self) -> str:
        """What becomes of a device whose first draw is more than it lets through."""
        return "it starts slowly, or its limit trips"

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        """What may be wrong with it, as readings would show it; nothing where its link carries no load."""
        return iter(())

    def strand_ohm(self, link: Link) -> float | None:
        """Ω of what several conductors of a leg carry together; None where a single one carries all."""
        return None

    def problem(self, link: Link) -> str:
        """What is wrong with it as its link joins it, as one sentence; empty where nothing is."""
        return ""

    def notices(self, job: Surroundings, link: Link, fault_A: FaultCurrent) -> list[Notice]:
        """What it gives to mind where it stands."""
        return []

    def sized(self, here: Operating) -> Sized | None:
        """What it is sized by; None where that is not of the part alone."""
        return None

    def hot_part(self) -> HotPart | None:
        """What gets hottest in it, and how it sheds its heat; None where that is not said."""
        return None

    def with_heat(self, case_K_W: float, case_J_K: float, sink: SinkFigures) -> "PathPart":
        """It with its heat as it was read, under an id of its own; `case_K_W` from its case to the sink."""
        return self

    def ratings_text(self, link: Link) -> str:
        """Its ratings beside its link; empty where what it does there says more."""
        return ""


class PassivePart(PathPart):
    """What passes the current on, and never limits it."""

    def current_limit_A(self, link: Link) -> float | None:
        return None


class OvercurrentPart(PassivePart):
    """What opens the path at too much current."""

    if TYPE_CHECKING:

        @property
        def rated_A(self) -> float: ...
        @property
        def speed(self) -> Literal["fast", "slow"]: ...
        @property
        def family(self) -> str: ...

    @abstractmethod
    def can_blow(self, most_A: float) -> bool:
        """Whether a source that delivers at most so many amps is sure to open it."""

    @property
    @abstractmethod
    def certain_A(self) -> float:
        """Amps that open it for certain within minutes."""

    @property
    @abstractmethod
    def ohms(self) -> float:
        """Its resistance, as stated or estimated."""


class WirePart(PassivePart):
    """Two conductors of some length."""

    if TYPE_CHECKING:

        @property
        def insulation_C(self) -> float: ...

    @abstractmethod
    def leg_m(self, link: Link) -> float | None:
        """Length of one leg, in m; None where neither it nor its link says so."""

    @abstractmethod
    def carries_A(self, ambient_C: float) -> float:
        """Amps that it carries in free air."""


class InlineMeter(PassivePart, ComparedPart):
    """A meter that the path runs through."""

    link_kind: ClassVar[str] = "panel_meter"

    if TYPE_CHECKING:

        @property
        def shunt_in(self) -> str: ...
        @property
        def draws_A(self) -> float: ...
        @property
        def volts(self) -> Accuracy: ...
        @property
        def amps(self) -> Accuracy: ...


class BlowerPart(PassivePart):
    """What moves air."""

    link_kind: ClassVar[str] = "fan"

    if TYPE_CHECKING:

        @property
        def rated_V(self) -> float: ...
        @property
        def start_V(self) -> float: ...
        @property
        def loudness_dB(self) -> float | None: ...
        @property
        def flow_m3_h(self) -> float: ...
