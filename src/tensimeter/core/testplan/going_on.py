"""Whether a campaign goes on with a test after another one did not complete, and why not."""

from collections.abc import Sequence

from msgspec import Struct

from tensimeter.core.measurement.readings import Reading, RunEnd
from tensimeter.core.model.tests import Test
from tensimeter.core.testplan.registry import kind_of

#: An output has given way below this share of the most that stood there in a run.
GONE = 0.5


class Ended(Struct, frozen=True):
    """A test that did not complete: how its run ended, and what was said of it."""

    test: Test
    kind: RunEnd
    text: str
    #: Whether its output gave way, and was not merely left before a limit.
    gave_way: bool = True


def gave_way(readings: Sequence[Reading], output: str) -> bool:
    """Whether the volts of an output had collapsed with the last reading of a run."""
    volts = [r.value for r in readings if (r.place, r.quantity, r.known) == (output, "V", "read")]
    return bool(volts) and volts[-1] < GONE * max(volts)


def why_not(test: Test, before: Sequence[Ended]) -> str:
    """Why a test is not run after those that did not complete; empty where it may be.

    What gave way may be hurt: at the same output nothing goes past a limit or is held warm until somebody has
    looked. A load that nobody wants on, and a bench that does not do as it is told, end the campaign.
    """
    for ended in before:
        name = kind_of(ended.test).name
        if ended.kind == "aborted":
            return "the load was dropped by hand"
        if ended.kind in ("fault", "bug"):
            return f"the bench gave up at {ended.test.id}; what is wrong there comes first"
        if ended.test.output != test.output:
            continue
        if ended.gave_way and (kind_of(test).past_limits or kind_of(test).heats):
            return f"the same output gave way at {name} ({ended.test.id}): look at it first"
        if kind_of(test).heats and kind_of(ended.test).heats:
            return f"{name} ({ended.test.id}) got too warm at the same output"
    return ""
