"""What a kind of test is: how it is called, planned, read, judged and drawn.

Code outside `testplan.kinds` asks the kind, never which one it is.
"""

from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import ClassVar, Generic, Literal, TypeVar

from tensimeter.core.analysis.ripple import Ripple as RippleFigures
from tensimeter.core.measurement.readings import Measurand, Wave
from tensimeter.core.model.job import Job
from tensimeter.core.model.test_record import TestRecord
from tensimeter.core.notice import Notice
from tensimeter.core.path import LoadLink, OutputLink
from tensimeter.core.testplan.picture import Picture, in_band
from tensimeter.core.testplan.step import Facts, Finding, Outcome, Plan, Situation, Step

T = TypeVar("T", bound=TestRecord)
#: How a test is drawn: its load line, its waveforms, over the reach, over time, or as its own picture.
Plot = Literal["line", "wave", "reach", "heat", "picture"]
#: The hottest that a place may be read while its junction is not known: a rule of thumb.
PLACE_C = 85.0


class TestKind(ABC, Generic[T]):
    """One kind of test.

    `standard` is the term of IEC 61204 for it, empty where that defines none; `method` how it is measured.
    """

    # Its name begins like that of a test class, which it is not.
    __test__ = False

    record: ClassVar[type[TestRecord]]
    name: ClassVar[str]
    standard: ClassVar[str] = ""
    method: ClassVar[str]
    plot: ClassVar[Plot] = "picture"
    #: What it reads are temperatures over time.
    heats: ClassVar[bool] = False
    #: Whether a reading belongs to the step whose amps it was taken at.
    by_current: ClassVar[bool] = False
    #: Whether it is taken as a whole: it goes past a limit on purpose.
    past_limits: ClassVar[bool] = False
    #: Whether its points stand over an output's volts and amps, and so in its reach.
    in_reach: ClassVar[bool] = False
    #: Quantities that it takes as a display totals them.
    totals: ClassVar[frozenset[Measurand]] = frozenset()
    #: Whether its points are told apart by what stands around them: the mains, what other outputs carry.
    by_conditions: ClassVar[bool] = False
    #: Whether it takes all that was read of its load at times that somebody said.
    by_time: ClassVar[bool] = False
    #: Which of its waveforms stands for it on paper.
    printed_wave: ClassVar[Literal["first", "last"]] = "first"
    #: What its list of points or units is called, where it has one.
    lines_words: ClassVar[str] = ""

    @abstractmethod
    def steps(self, s: Situation, test: T) -> list[Step]:
        """Its points within the design's reach and the load's."""

    @abstractmethod
    def findings(self, facts: Facts, test: T) -> list[Finding]:
        """The figures that its readings give."""

    @abstractmethod
    def planned(self, job: Job, output: OutputLink) -> Sequence[T]:
        """It as a campaign plans it for an output; empty where the job's parts do not ask or allow it."""

    def fits(self, output: OutputLink) -> bool:
        """Whether it says anything of what ends a path: volts of an output, or amps of one's own load."""
        return not isinstance(output, LoadLink)

    def blank(self, job: Job, output: OutputLink) -> dict[str, object]:
        """Fields with which it is first planned by hand."""
        return {}

    def picture(self, result: Outcome, test: T) -> Picture:
        """What its plot shows."""
        return in_band(result)

    def sinks(self, result: Outcome) -> str:
        """What a load that one makes was shown to sink, in words; empty where it shows nothing of one."""
        return ""

    def rates(self, test: T) -> bool:
        """Whether an output's rating is proven by it: volts over amps at its own volts."""
        return False

    def fits_line(self, test: T) -> bool:
        """Whether its readings lie on a line whose slope is the output's resistance."""
        return False

    def unreachable(self, job: Job, test: T) -> list[str]:
        """What its loads can't do, a sentence each."""
        return []

    def hottest_C(self, job: Job, test: T) -> float:
        """How hot a place may be read while a load is held."""
        return PLACE_C

    def heat_mark(self, test: T) -> tuple[float, str] | None:
        """A temperature that it asks for by itself, and what that is."""
        return None

    def reader_words(self, job: Job, plan: Plan, test: T) -> str:
        """Whether what measures can settle the figure it asks for."""
        return ""

    def state_words(self, facts: Facts) -> str:
        """What its readings say as one sentence; empty where its findings say it."""
        return ""

    def spectrum(self, wave: Wave, mains_Hz: float, test: T) -> RippleFigures | None:
        """The figures and the spectrum of one of its waveforms; None where it asks for none."""
        return None

    def allowed_swing_V(self, plan: Plan, test: T) -> float | None:
        """Peak to peak that its waveforms may have, V; None where nothing is asked of that."""
        return None

    def cautions(self, job: Job) -> list[Notice]:
        """What it gives to mind before it is run."""
        return []

    def lines(self, test: T) -> str:
        """Its points or units as lines of text."""
        return ""

    def with_lines(self, text: str, test: T) -> T:
        """It with its points or units from lines of text; UserError names the line that is none."""
        return test
