"""One card of the right column."""

from typing import Literal

from msgspec import Struct


class Notice(Struct, frozen=True):
    """One card of the right column: what, why, what to do.

    A hold is lifted only by the reading named in `lifted_by` (a place); a caution stands.
    """

    id: str
    kind: Literal["miss", "hold", "caution"]
    title: str
    text: str
    stage: str
    link: str | None = None
    lifted_by: str | None = None
    overruled: str = ""
    #: What to read there, in a few words.
    expect: str = ""
