"""What makes other volts, what sheds its heat, and what each says of itself.

A kind takes a role or more and says what the role asks; one that leaves something out can't be made. Code
outside this package asks for a role, never for a kind.
"""

from abc import abstractmethod
from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar

from tensimeter.core.parts.compared import ComparedPart
from tensimeter.core.parts.figures import EfficiencyPoint, FeedbackDivider, HotPoint, PulseControl
from tensimeter.core.parts.hot_part import HotPart
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.thermal.heatsink import SinkFigures


class ConverterPart(PathPart, ComparedPart):
    """What makes other volts of those at its input, up to a current limit."""

    link_kind: ClassVar[str] = "converter"
    tried_first: ClassVar[bool] = True

    if TYPE_CHECKING:

        @property
        def topology(self) -> str: ...
        @property
        def out_min_V(self) -> float: ...
        @property
        def out_max_V(self) -> float: ...
        @property
        def in_max_V(self) -> float: ...
        @property
        def rated_A(self) -> float: ...
        @property
        def dropout_V(self) -> float: ...
        @property
        def start_V(self) -> float | None: ...
        @property
        def switch_K_W(self) -> float | None: ...
        @property
        def junction_K_W(self) -> float: ...
        @property
        def case_J_K(self) -> float: ...
        @property
        def sink_K_W(self) -> float | None: ...
        @property
        def sink_blown_K_W(self) -> float | None: ...
        @property
        def sink_J_K(self) -> float: ...
        @property
        def hot_limit_C(self) -> float: ...
        @property
        def hot_derating(self) -> tuple[HotPoint, ...]: ...
        @property
        def efficiencies(self) -> tuple[EfficiencyPoint, ...]: ...
        @property
        def feedback(self) -> FeedbackDivider | None: ...
        @property
        def control(self) -> PulseControl | None: ...

    @property
    @abstractmethod
    def over_voltage_V(self) -> float | None:
        """Volts at which it trips by itself; None where it has no trip, or none is known."""

    @property
    def steps_down(self) -> bool:
        """Its output lies below its input by its dropout at least."""
        return self.topology in ("step_down", "linear")

    @abstractmethod
    def as_sink(self) -> SinkFigures | None:
        """What it sheds its heat with where it stands on no other sink; None where it says nothing."""

    def hot_part(self) -> HotPart | None:
        above, inside, limit_C = self.switch_K_W, self.junction_K_W, self.hot_limit_C
        return HotPart(above, inside, self.case_J_K, self.as_sink(), limit_C, self.hot_derating)

    @abstractmethod
    def with_losses(self, points: Sequence[EfficiencyPoint]) -> "ConverterPart":
        """It with these efficiencies, its losses fitted to them."""


class SinkPart(PartRecord):
    """What sheds the heat of the parts that stand on it."""

    elsewhere: ClassVar[str] = "is chosen at the converter that stands on it"

    @abstractmethod
    def as_sink(self) -> SinkFigures: ...
