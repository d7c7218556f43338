"""Whether who answers at a name is who answered there before: ports and sensors change their places."""

import contextlib
import json
from typing import TYPE_CHECKING

from tensimeter.bench.replay import Replay
from tensimeter.core.errors import Doubtful, UserError
from tensimeter.store.jobfile import JobFile
from tensimeter.store.rows import instruments_of

if TYPE_CHECKING:
    from tensimeter.bench.setup import Bench

#: The kind of a run's event that says who answered where.
ANSWERED = "bench"


def note_instruments(file: JobFile, run: int, bench: "Bench") -> None:
    """Keep with a run who answered at which name."""
    if told := _answers(bench):
        file.run_event(run, ANSWERED, json.dumps(told))


def must_be_known(file: JobFile, bench: "Bench") -> None:
    """Doubtful where another instrument answers now at a name that a run of this job used; asks nobody."""
    before: dict[str, str] = {}
    for (sentence,) in file.pick_events(ANSWERED):
        with contextlib.suppress(UserError):
            # A row that is none tells of nobody; `check` names it.
            before |= instruments_of(sentence, 0)
    for resource, now in _answers(bench).items():
        then = before.get(resource, now)
        if then != now:
            raise Doubtful(
                f"At {resource} “{now[:60]}” answers now, and “{then[:60]}” did in the last run. Ports and "
                "sensors change their places: look which is which. Nothing was switched."
            )


def _answers(bench: "Bench") -> dict[str, str]:
    return {
        one.resource: one.known_as
        for one in bench.all().values()
        if not isinstance(one, Replay) and one.known_as and not one.simulated
    }
