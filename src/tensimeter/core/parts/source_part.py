"""What a path is fed from, and what each such part says of itself.

A kind takes a role or more and says what the role asks; one that leaves something out can't be made. Code
outside this package asks for a role, never for a kind.
"""

from abc import abstractmethod
from collections.abc import Iterable
from typing import ClassVar

from msgspec import Struct

from tensimeter.core.analysis.cross import Cross
from tensimeter.core.arrays import Array, Figure
from tensimeter.core.derivation import Derivation
from tensimeter.core.electrical.elements import Element
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.stack import LIMIT_SHARE, Unit
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.parts.steps import Alone, PowerUpStep
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.path import Link


class LeastLoad(Struct, frozen=True):
    """What a source asks to be loaded with: V and A of the output that needs it, and that one's rated A."""

    volts: float
    minimum_A: float
    rated_A: float


class Stored(Struct, frozen=True):
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

    def trips_at_V(self, link: Link) -> float | None:
        """Volts at which the output that a link takes trips; its own where it has one output."""
        return self.over_voltage_V

    def below_common(self, link: Link) -> bool:
        """Whether a link takes a rail whose volts stand below its common."""
        return False

    def wire_colour(self, link: Link) -> str:
        """The colour of the wires that a link takes; empty where they are the builder's choice."""
        return ""

    @property
    def rail_colours(self) -> dict[str, str]:
        """The colours of its rails' wires, and which rail each is; empty without rails."""
        return {}

    @property
    @abstractmethod
    def drives_A(self) -> float:
        """Amps that one output of it drives at the most, by its label."""

    def claimed_A(self, link: Link) -> float:
        """Amps that its label claims for the output that a link takes."""
        return self.drives_A

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

    @property
    def joined_to_case(self) -> bool | None:
        """Whether its negative is joined to its case; None where nobody has read that, and it may be."""
        return self.negative_on_case

    @abstractmethod
    def stored(self, job: Surroundings, link: Link) -> Stored | None:
        """The reservoir in it that hands may meet; None for none."""

    def most_A(self, link: Link) -> tuple[float, bool]:
        """The most amps that it may hold at its output, and whether that is only assumed."""
        known = self.current_limit_A(link)
        return (known, False) if known is not None else (LIMIT_SHARE * self.drives_A, True)

    def shorted_A(
        self, job: Surroundings, link: Link, beyond_ohm: float, *, highest: bool = False
    ) -> float | None:
        """Rms amps into a short behind `beyond_ohm`, Ω; None where its no-load volts over the ohms say it.

        With `highest` at high mains and the upper end of its volts.
        """
        return None

    @property
    def line_ends(self) -> tuple[float, ...]:
        """Shares of the nominal mains between which its volts follow it; empty where they do not."""
        return ()

    def at_line(self, job: Surroundings, link: Link, share: float) -> Element:
        """Its element at a share of the nominal mains; UserError where it gives nothing there."""
        return self.element(job, link)

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
    def folds_to_A(self) -> float:
        """Amps that are left where its volts have gone: what it holds, unless it folds back."""
        return self.holds_at_A or 0.0

    @property
    def fold_assumed(self) -> bool:
        """Whether that is only assumed."""
        return False

    @property
    @abstractmethod
    def beyond_words(self) -> str:
        """What it does beyond its limit; empty where that is not known."""

    @property
    def shorted_words(self) -> tuple[str, str]:
        """What acts where its output is shorted, and how fast."""
        known = self.beyond_words
        return (f"its own {known}", "at once") if known else ("not known: it may drive on", "not known")

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
