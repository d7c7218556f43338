"""What a supply is loaded and measured with, by what each does.

A kind takes a role or more and says what the role asks; one that leaves something out can't be made. Code
outside this package asks for a role, never for a kind.
"""

from abc import abstractmethod
from typing import TYPE_CHECKING

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.parts.compared import ComparedPart
from tensimeter.core.parts.figures import MeterRange


class Instrument(ComparedPart):
    """What reads something."""

    @abstractmethod
    def accuracy_for(self, quantity: str, value: float) -> tuple[Accuracy, str] | None:
        """Its accuracy for a value, and the name of its range; None where it can't read it."""

    @abstractmethod
    def accuracy_text(self) -> str:
        """Its accuracy in words; empty for what is none."""


class SetLoad(Instrument):
    """A load that sinks a current that is set."""

    if TYPE_CHECKING:

        @property
        def max_V(self) -> float: ...
        @property
        def max_A(self) -> float: ...
        @property
        def max_W(self) -> float: ...
        @property
        def on_ohm(self) -> float: ...
        @property
        def modes(self) -> tuple[str, ...]: ...
        @property
        def watchdog(self) -> bool: ...
        @property
        def volts(self) -> Accuracy: ...
        @property
        def amps(self) -> Accuracy: ...


class VoltMeter(Instrument):
    """What reads volts, and more, in ranges."""

    if TYPE_CHECKING:

        @property
        def ranges(self) -> tuple[MeterRange, ...]: ...

    @abstractmethod
    def range_for(self, quantity: str, value: float) -> MeterRange | None:
        """The finest range that can show the value, or None."""


class TemperatureMeter(Instrument):
    """What reads temperatures, one a channel."""

    if TYPE_CHECKING:

        @property
        def accuracy_K(self) -> float: ...
        @property
        def resolution_K(self) -> float: ...
        @property
        def channels(self) -> int: ...
        @property
        def lag_s(self) -> float: ...


class WaveformRecorder(Instrument):
    """What takes waveforms."""

    if TYPE_CHECKING:

        @property
        def bandwidth_Hz(self) -> float: ...
        @property
        def sample_Hz(self) -> float: ...
        @property
        def samples(self) -> float: ...
        @property
        def step_V(self) -> float: ...
        @property
        def gain_share(self) -> float: ...
        @property
        def earthed(self) -> bool: ...


class CurrentClamp(Instrument):
    """What reads amps without opening the path."""

    if TYPE_CHECKING:

        @property
        def most_A(self) -> float: ...
        @property
        def amps(self) -> Accuracy: ...


class LineFeeder(Instrument):
    """What feeds a line voltage that is set."""

    if TYPE_CHECKING:

        @property
        def most_V(self) -> float: ...
        @property
        def most_W(self) -> float: ...
        @property
        def watts(self) -> Accuracy | None: ...
