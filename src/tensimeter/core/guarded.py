"""What can't be worked out says so in its own place; all that stands beside it is worked out all the same."""

import logging
from collections.abc import Callable
from typing import TypeVar

from tensimeter.core.errors import UserError

T = TypeVar("T")


def guarded(what: str, make: Callable[[], T], instead: Callable[[str], T]) -> T:
    """What `make` gives; where it fails, what `instead` makes of the sentence that says so.

    A fault of the program goes into the log with its traceback: its sentence says that nothing was lost.
    """
    try:
        return make()
    except UserError as trouble:
        return instead(f"{what}: {trouble}")
    except Exception as fault:
        logging.getLogger("tensimeter").exception("%s can't be worked out", what)
        return instead(
            f"{what} can't be worked out from this ({type(fault).__name__}: {fault}). What was read is kept; "
            "the log has the details."
        )
