"""Taking back: what `strike 17, mistyped`, `replace 17 by 13.6 V, a slip` and `move 17 to ripple` mean.

strike   = "strike" (number | "last" | "run" number | "wave" number | "log" name) "," reason
replace  = "replace" (number | "last") "by" figure "," reason
move     = "move" (number | "last") "to" (test ["," step] | "nowhere")
"""

import re

from msgspec import Struct

from tensimeter.core.errors import UserError

#: The longest reason that is kept, characters; and the fewest that say anything.
MOST_REASON, MOST_TERSE = 200, 3


class Correction(Struct, frozen=True):
    """What is to be taken back, and why: `what` is reading, run, wave or log; `figure` replaces a reading.

    `to` moves a reading instead: a test and, after a comma, its step from 1 on; `nowhere` to none.
    """

    what: str
    target: str
    reason: str
    figure: str = ""
    to: str = ""

    @property
    def words(self) -> str:
        """What it will do, before it is done."""
        if self.to:
            return f"moves {self.what} {self.target} to {self.to}"
        return f"takes back {self.what} {self.target}: {self.reason}"


_STRIKE = re.compile(
    r"^strike\s+(?:(?P<what>run|wave|log)\s+)?(?P<target>last|\d+|[^,:]+?)\s*[,:]\s*(?P<reason>.+)$", re.I
)
_REPLACE = re.compile(
    r"^replace\s+(?P<target>last|\d+)\s+(?:by|with)\s+(?P<figure>[^:;]+?)\s*(?:[:;]|,\s)\s*(?P<reason>.+)$",
    re.I,
)
_MOVE = re.compile(r"^move\s+(?P<target>last|\d+)\s+to\s+(?P<to>\S.*)$", re.I)


def begins_correction(text: str) -> bool:
    """Whether a line begins as one that takes something back."""
    return bool(re.match(r"^\s*(strike|replace|move)\b", text, re.I))


def correction(text: str) -> Correction | None:
    """A line that takes something back; None where it is a reading. UserError where it is half of one."""
    line = text.strip()
    if not begins_correction(line):
        return None
    moved = _MOVE.match(line)
    if moved is not None:
        return Correction("reading", moved["target"], "", to=moved["to"].strip())
    strike, replace = _STRIKE.match(line), _REPLACE.match(line)
    if strike is not None:
        what = (strike["what"] or "reading").casefold()
        target = strike["target"].strip()
        if what != "log" and target != "last" and not target.isdecimal():
            raise UserError(f"“{target}” is no number; the number of a reading stands beside it.")
        return Correction(what, target, _reason(strike["reason"]))
    if replace is not None:
        return Correction("reading", replace["target"], _reason(replace["reason"]), replace["figure"].strip())
    raise UserError(
        "Say what and why: “strike 17, mistyped”, “replace 17 by 13.602 V, a slip” or “move 17 to ripple, 2”."
    )


def _reason(text: str) -> str:
    if len(text.strip()) < MOST_TERSE:
        raise UserError("Say in a few words why; it stays beside what is struck.")
    return text.strip()[:MOST_REASON]
