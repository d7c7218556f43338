"""What kinds of part have in common by what they do: feed, convert, pass on, take, measure.

A kind takes one role or more and says what the role asks; a kind that leaves something out can't be
made. Code outside this package asks for a role, never for a kind.
"""

from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from tensimeter.core.analysis.cross import Cross
from tensimeter.core.arrays import Array, Figure
from tensimeter.core.derivation import Derivation
from tensimeter.core.electrical.elements import Element
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.stack import Unit
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.notice import Notice
from tensimeter.core.parts.figures import EfficiencyPoint, FeedbackDivider, HotPoint, MeterRange, PulseControl
from tensimeter.core.parts.limit import Limit
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.parts.sized import Sized
from tensimeter.core.parts.steps import Alone, FaultCurrent, IncomingStep, PowerUpStep
from tensimeter.core.parts.surroundings import Operating, Surroundings
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
    def as_link(self, common: dict[str, Any]) -> Link:
        """The link that it makes; `common` is the link's id, name and part."""

    @abstractmethod
    def element(self, job: Surroundings, link: Link) -> Element:
        """What it is in the network, as its link joins it."""

    @abstractmethod
    def tolerances(self, spread: Spread) -> dict[str, float]:
        """Rectangular tolerances of its element's figures, as fractions, by the figure's name."""

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

    def problem(self, link: Link) -> str:
        """What is wrong with it as its link joins it, as one sentence; empty where nothing is."""
        return ""

    def notices(self, job: Surroundings, link: Link, fault_A: FaultCurrent) -> list[Notice]:
        """What it gives to mind where it stands."""
        return []

    def sized(self, here: Operating) -> Sized | None:
        """What it is sized by; None where that is not of the part alone."""
        return None

    def ratings_text(self, link: Link) -> str:
        """Its ratings beside its link; empty where what it does there says more."""
        return ""


@dataclass(frozen=True)
class LeastLoad:
    """What a source asks to be loaded with: V and A of the output that needs it, and that one's rated A."""

    volts: float
    minimum_A: float
    rated_A: float


@dataclass(frozen=True)
class Stored:
    """A reservoir: the unit it is in, F, V at the most, the place of the reading that shows it empty."""

    link: str
    name: str
    farad: float
    start_V: float
    place: str
    why: str


class SourcePart(PathPart):
    """What a path is fed from."""

    link_kind: ClassVar[str] = "unit"
    shelf: ClassVar[str] = "Donors"
    #: Ω may be read across its output while it is off.
    ohms_across: ClassVar[bool]
    #: What it keeps apart is read from the mains side to its output.
    isolates_mains: ClassVar[bool]
    #: Its output's common is joined to earth inside.
    common_earthed: ClassVar[bool]
    #: One case for several links, with an earth of its own.
    shared_case: ClassVar[bool] = False
    #: Whether its no-load volts and its ohms say what flows into a short.
    shorted_by_ohms: ClassVar[bool]
    #: It can drive its short-circuit current at any time: its fuse sits right at it.
    fused_at_once: ClassVar[bool]
    #: Its labelled amps are what the policy's share of a donor is taken of.
    shared_label: ClassVar[bool] = False

    @abstractmethod
    def loss_W(self, job: Surroundings, link: Link, solution: Solution) -> Array:
        """W that it turns into heat inside itself."""

    @abstractmethod
    def stack_unit(self, tap_A: float = 0.0, *, believed: bool = False) -> Unit | None:
        """It as a unit of a stack, with what is tapped at its positive; None where it is none.

        With `believed` its label counts as far as it is believed.
        """

    @abstractmethod
    def alone(self, link: Link) -> Alone | None:
        """What it gives with nothing behind it; None where the network says so."""

    @property
    @abstractmethod
    def strays(self) -> float:
        """How far its volts stray at first, as a fraction: by the mains, its charge, its setting."""

    @property
    @abstractmethod
    def over_voltage_V(self) -> float | None:
        """Volts at which it trips by itself; None where it has no trip, or none is known."""

    @property
    @abstractmethod
    def drives_A(self) -> float:
        """Amps that one output of it drives at the most, by its label."""

    @property
    @abstractmethod
    def metal_case(self) -> bool:
        """It has a metal case of its own in the supply, which is earthed."""

    @property
    @abstractmethod
    def wired_to_mains(self) -> bool:
        """The mains is wired to it in the box; else it has an inlet or needs none."""

    @property
    @abstractmethod
    def negative_on_case(self) -> bool:
        """Its negative is joined to its case inside, so that it can't stand on another unit."""

    @abstractmethod
    def stored(self, job: Surroundings, link: Link) -> Stored | None:
        """The reservoir in it that hands may meet; None for none."""

    def enabling(self, link: Link) -> Iterable[PowerUpStep]:
        """Steps of first power before it is tried alone, once for all its links."""
        return ()

    def separate_outputs(self) -> tuple[str, ...]:
        """Outputs that become sources of their own; empty where it is one source."""
        return ()

    def least_load(self, link: Link) -> LeastLoad | None:
        """The load that its output asks for; None where it asks for none at all."""
        return None

    def with_cross(self, found: Cross) -> "SourcePart | None":
        """Its card with what its outputs were read to do to one another; None where it has but one.

        Raises UserError where an output was read that is not on the card.
        """
        return None

    @property
    def runs_down(self) -> bool:
        return self.hours_at(1.0) is not None

    def shifted(self, link: Link, by_V: float) -> "SourcePart | None":
        """It with the output of a link moved; None where its volts can't be moved one by one."""
        return None

    def tap_switching(self, mains_Hz: float, full_A: float, dropout_V: float) -> tuple[int, float] | None:
        """Its highest tap, and the set V of the stage behind it up to which the lowest one does.

        None where it has no taps to switch between.
        """
        return None

    def valley_sag_V(self, here: Operating) -> Figure:
        """How far the valley of its ripple lies below its mean volts, in V."""
        return 0.0

    def hours_at(self, amps: float) -> float | None:
        """Hours that it lasts at a draw above zero; None where it does not run down."""
        return None

    def explain_hours(self, name: str, amps: float) -> Derivation | None:
        """Why it lasts so long at a draw; `name` is its link's."""
        return None

    @property
    @abstractmethod
    def holds_at_A(self) -> float | None:
        """Amps that it holds rather than gives up at, as its volts fall; None where it does not."""

    @property
    @abstractmethod
    def beyond_words(self) -> str:
        """What it does beyond its limit; empty where that is not known."""

    @property
    def latches_off(self) -> bool:
        """Beyond its limit it stays off until it is reset."""
        return False

    @property
    def plug_wire_A(self) -> float | None:
        """Amps that one wire of its main plug carries; None where it has no such harness."""
        return None

    @property
    def charged_after_off(self) -> bool:
        """A reservoir outside its case holds its volts after the switch."""
        return False

    @property
    def centre_tapped(self) -> bool:
        return False


class ConverterPart(PathPart):
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

    @abstractmethod
    def with_losses(self, points: Sequence[EfficiencyPoint]) -> "ConverterPart":
        """It with these efficiencies, its losses fitted to them."""

    @abstractmethod
    def as_fitted(self, case_K_W: float, case_J_K: float, sink: SinkFigures) -> "ConverterPart":
        """It with its heat as it was read, under an id of its own."""


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


class InlineMeter(PassivePart):
    """A meter that the path runs through."""

    link_kind: ClassVar[str] = "panel_meter"

    if TYPE_CHECKING:

        @property
        def shunt_in(self) -> str: ...
        @property
        def draws_A(self) -> float: ...
        @property
        def volts(self) -> Accuracy: ...


class BlowerPart(PassivePart):
    """What moves air."""

    link_kind: ClassVar[str] = "fan"

    if TYPE_CHECKING:

        @property
        def rated_V(self) -> float: ...
        @property
        def start_V(self) -> float: ...
        @property
        def flow_m3_h(self) -> float: ...


class SinkPart(PartRecord):
    """What sheds the heat of the parts that stand on it."""

    elsewhere: ClassVar[str] = "is chosen at the converter that stands on it"

    @abstractmethod
    def as_sink(self) -> SinkFigures: ...


@dataclass(frozen=True)
class Connected:
    """A device by its lowest and highest volts (None: not known), its first draw in A, its name."""

    name: str
    lowest_V: float | None = None
    highest_V: float | None = None
    inrush_A: float | None = None
    steep: bool = False


@dataclass(frozen=True)
class Charging:
    """What a battery may be charged with: V at the end, A at most, °C between; and what forbids it."""

    volts: float
    most_A: float
    between_C: tuple[float, float]
    refused: str


class FedPart(ABC):
    """What may be fed at an output."""

    @abstractmethod
    def connected(self) -> Connected:
        """What it stands, and what it draws at first."""

    def charging(self) -> Charging | None:
        """What it may be charged with; None for what is not charged, and so feeds nothing back."""
        return None


class PlainLoad(ABC):
    """A load that can't be set: it draws what it draws."""

    @abstractmethod
    def draw_A(self, volts: float) -> float:
        """Amps that it draws as it runs."""

    def as_resistor(self) -> tuple[float, float] | None:
        """Its Ω and the W that it stands, where it is a plain resistor."""
        return None

    @abstractmethod
    def unfit(self, volts: float) -> str:
        """What speaks against joining it at these volts; empty where nothing does."""


class Instrument(PartRecord):
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
