"""Whether a campaign goes on with a test after another one did not complete, and why not."""

from collections.abc import Sequence

from msgspec import Struct

from tensimeter.core.measurement.readings import RunEnd
from tensimeter.core.model.tests import Test
from tensimeter.core.testplan.registry import kind_of


class Ended(Struct, frozen=True):
    """A test that did not complete: how its run ended, and what was said of it."""

    test: Test
    kind: RunEnd
    text: str


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
        harsh = kind_of(test).past_limits or kind_of(test).heats
        if ended.test.output == test.output and harsh:
            return f"{name} ended at a limit of the same output ({ended.test.id}): look at it first"
    return ""
