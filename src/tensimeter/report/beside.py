"""Several supplies beside one another: what each outlet claims, and what was found of it."""

from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct

from tensimeter.core.errors import UserError
from tensimeter.core.held.claims import claims
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.measurement.readings import PRETENDED_WORDS
from tensimeter.core.quantity import show, with_uncertainty
from tensimeter.report.sheet import outcomes
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import WaveBook

#: Supplies that are told beside one another at the most.
MOST_OTHERS = 20


class ComparedOutlet(Struct, frozen=True):
    """One outlet of one supply: what it claims, what was found, and by what."""

    supply: str
    outlet: str
    claimed: str
    found: str
    share: str
    verdict: Verdict
    note: str


def compared_outlets(paths: Sequence[Path]) -> tuple[ComparedOutlet, ...]:
    """Claimed against found of several supplies, by their job files; UserError where one can't be read."""
    if len(paths) > MOST_OTHERS:
        raise UserError(f"{MOST_OTHERS} supplies are told beside one another at the most.")
    rows: list[ComparedOutlet] = []
    for path in paths:
        with JobFile(path, read_only=True) as file:
            judged = outcomes(file.job, file.readings(), WaveBook(file).waves())
            for c in claims(file.job, judged):
                reached = c.reached_A
                rows.append(
                    ComparedOutlet(
                        file.job.name,
                        c.name,
                        show(c.claimed_A, "A", 3),
                        with_uncertainty(reached.value, reached.half_width, "A") if reached else "not read",
                        show(reached.value / c.claimed_A, "%", 3) if reached and c.claimed_A else "",
                        c.verdict,
                        PRETENDED_WORDS.get(c.pretended, ""),
                    )
                )
    return tuple(rows)
