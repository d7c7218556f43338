"""What every test of a campaign has."""

from typing import TYPE_CHECKING, Annotated, ClassVar

from tensimeter.core.described import Quantity
from tensimeter.core.record import Fraction, Identifier, Name, NotNegative, Positive, Record

#: Shares of full load in the order taken.
Shares = tuple[Fraction, ...]


class Corner(Record):
    """A point of the reach to be shown: V, A, and why it was chosen."""

    volts: Annotated[Positive, Quantity("", "volts", "volts, or how well it reads them")]
    amps: Annotated[NotNegative, Quantity("", "amps", "amps, or how well it reads them")]
    why: Annotated[str, Quantity("", "why", "why it was chosen")] = ""


class Changed(Record):
    """What was changed on a part after a run of a test: a pad seated anew, a switch replaced."""

    link: Annotated[Identifier, Quantity("", "part watched", "the converter whose junction is watched")]
    what: Annotated[Name, Quantity("", "what", "what it is, in words")]
    #: The last run before it; None: before any.
    after_run: Annotated[int | None, Quantity("", "after run", "the last run before it")] = None


class TestRecord(Record):
    """What every test has: its output, how long to wait at a point, how long to cool down before it."""

    # Its name begins like that of a test class, which it is not.
    __test__ = False

    #: Whether it holds its loads until its heat is foreseen, and tells what its stages are.
    soaks: ClassVar[bool] = False

    if TYPE_CHECKING:

        @property
        def kind(self) -> str:
            """The word that tells its kind in a file."""

    id: Identifier
    output: Annotated[Identifier, Quantity("", "output", "the output that is tested")]
    rest_s: Annotated[NotNegative, Quantity("s", "cool down before", "cool down before the test")] = 0.0
    dwell_s: Annotated[Positive, Quantity("s", "wait at a point", "wait at a point at least")] = 3.0
    longest_dwell_s: Annotated[Positive, Quantity("s", "wait at most", "wait at a point at most")] = 20.0

    @property
    def watched_link(self) -> str | None:
        """The converter whose junction it watches; None: the hottest."""
        return None

    @property
    def watched_place(self) -> str | None:
        """Where its temperature is read; None: where the probes are."""
        return None

    @property
    def changes_made(self) -> tuple[Changed, ...]:
        """What was changed between its runs."""
        return ()

    @property
    def steady_within_K(self) -> float:
        """It is steady when less than this is to come."""
        return 1.0

    @property
    def drops_when_sure(self) -> bool:
        """The load is dropped once the forecast is sure that a limit will be passed."""
        return False

    @property
    def corners(self) -> tuple[Corner, ...]:
        """The points of a reach that it shows."""
        return ()
