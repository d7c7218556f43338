"""States of the supply: which readings are of the supply as it stands now, and what parted them.

A reading is of the state that was the newest when it was kept. Whoever edits what is electrical after
something was read is asked once: was the supply changed, or only its description? Until that is answered,
the safe side is taken: nothing that was read before counts for the supply as it is drawn now.
"""

import hashlib
import json
from collections.abc import Iterable
from typing import Any

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job, State
from tensimeter.core.path import OutputLink

#: The state that a supply is in before anything of it was changed.
FIRST = 1
#: What a link or a part says that carries no current: names, money, wishes, notes.
_WORDS = frozenset(
    ("name", "note", "cost", "count", "origins", "jack_colour", "found", "condition", "doubt", "checks",
     "size_mm", "opened", "isolation_ohm", "bonded", "family", "shelf", "photo")
)  # fmt: skip
#: Of an output only how it is joined is the supply; all else is what is wanted of it.
_OF_OUTPUT = frozenset(("id", "fed_by", "part", "backfeed_guard", "kind"))


def circuit_of(job: Job) -> str:
    """A short mark of all that is electrical in a design: it differs where what is drawn conducts otherwise.

    Wishes (an output's volts, amps and tolerances), settings of the place, names and money are left out.
    """
    links: list[dict[str, Any]] = []
    used: set[str] = set()
    for link in job.design.links:
        said = link.model_dump(mode="json")
        wanted = _OF_OUTPUT if isinstance(link, OutputLink) else frozenset(said) - _WORDS
        links.append({k: v for k, v in said.items() if k in wanted})
        used |= {v for v in said.values() if isinstance(v, str)}
    parts = [
        {k: v for k, v in p.model_dump(mode="json").items() if k not in _WORDS}
        for p in job.stock
        if p.id in used
    ]
    text = json.dumps([sorted(links, key=lambda x: str(x["id"])), sorted(parts, key=lambda x: str(x["id"]))])
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def state_of(job: Job) -> int:
    """The number of the state that a reading kept now is of."""
    return job.states[-1].number if job.states else FIRST


#: Higher than any state's number.
_END = 2**62


def newest(job: Job) -> range:
    """The numbers of the state that counts: the newest, with those that only a description parts from it.

    Numbers only rise. One that is in it and of no state is of a change that was taken back: what was read
    meanwhile is of the state before.
    """
    return states_in_order(job)[-1][0]


def of_newest(job: Job, readings: Iterable[Reading]) -> list[Reading]:
    """The readings of the state that counts."""
    if not job.states:
        return list(readings)
    mine = newest(job)
    return [r for r in readings if r.state in mine]


def states_in_order(job: Job) -> list[tuple[range, str]]:
    """The numbers of each state, with what it was changed by; the first has no such words."""
    begun = [(FIRST, ""), *((s.number, s.what) for s in job.states if s.how != "described")]
    ends = [number for number, _ in begun[1:]] + [_END]
    return [(range(number, end), what) for (number, what), end in zip(begun, ends, strict=True)]


def open_state(job: Job) -> State | None:
    """The edit of which nobody has said yet whether the supply was changed; None where there is none."""
    last = job.states[-1] if job.states else None
    return last if last is not None and last.how == "open" else None


def changed_state(job: Job, what: str, at: float, number: int) -> Job:
    """The job with a new state, begun at `at` s since 1970 and named by what was changed."""
    words = what.strip()[:80]
    if len(words) < 3:
        raise UserError("Say in a few words what was changed: “changed: second capacitor added”.")
    return _with(job, *job.states, State(number=number, what=words, at=at, how="changed"))


def answered(job: Job, *, changed: bool) -> Job:
    """The job with the question about its last edit answered: the supply was changed, or only described.

    UserError where nothing is asked.
    """
    last = open_state(job)
    if last is None:
        raise UserError("Nothing is asked: no electrical edit since the last reading is open.")
    how = "changed" if changed else "described"
    return _with(job, *job.states[:-1], last.with_fields(how=how))


def edited(before: Job, after: Job, name: str, at: float, number: int, read: Iterable[int]) -> Job:
    """What an edit becomes: where it moves what is electrical after something was read, a state is opened.

    `read` are the states that have readings; `number` is one that none has yet. An edit that brings back what
    stood before takes the question with it.
    """
    if after.states != before.states:
        return after
    if after.design is before.design and after.stock is before.stock:
        return after
    seen, last = set(read), open_state(after)
    if last is not None and last.number not in seen:
        return _with(after, *after.states[:-1]) if circuit_of(after) == last.circuit else after
    mine = newest(after)
    if not any(number in mine for number in seen):
        return after
    drawn = circuit_of(before)
    if circuit_of(after) == drawn:
        return after
    return _with(after, *after.states, State(number=number, what=name[:80], at=at, how="open", circuit=drawn))


def _with(job: Job, *states: State) -> Job:
    return job.with_fields(states=states)


def states_words(job: Job) -> str:
    """Which state counts, in words; empty where the supply was never changed."""
    parted = [s for s in job.states if s.how != "described"]
    if not parted:
        return ""
    last = parted[-1]
    if last.how == "open":
        return f"edited since it was read ({last.what}): say whether the supply was changed"
    return f"state {len(parted) + 1}, since “{last.what}”"
