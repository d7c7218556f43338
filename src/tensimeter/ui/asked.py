"""Questions to instruments outside a run: no run begins while one is on, and none is asked in a run."""

import threading
import weakref
from collections.abc import Iterator
from typing import TYPE_CHECKING

from tensimeter.bench.roles import LinkFailed

if TYPE_CHECKING:
    from tensimeter.ui.session import Session

#: What is said while a run has the instruments.
RUN_IS_ON = "A run is on: its instruments are its own until it has ended."
#: Sessions of all windows: the instrument that one runs may stand in the bench of another.
_sessions: "weakref.WeakSet[Session]" = weakref.WeakSet()
_lock = threading.Lock()


class Asked:
    """A context that counts who asks at the moment, in whatever thread; LinkFailed while a run is on."""

    #: So many ask, in all windows.
    _count = 0

    def __init__(self, session: "Session") -> None:
        _sessions.add(session)

    @property
    def is_on(self) -> bool:
        return Asked._count > 0

    @property
    def run_is_on(self) -> bool:
        """Whether a run is on in any window."""
        return any(session.running for session in self.sessions())

    def sessions(self) -> "Iterator[Session]":
        """Those of all windows that are open."""
        return (session for session in list(_sessions) if not session.closed)

    def __enter__(self) -> None:
        with _lock:
            Asked._count += 1
        if self.run_is_on:
            self.__exit__()
            raise LinkFailed(RUN_IS_ON)

    def __exit__(self, *_: object) -> None:
        with _lock:
            Asked._count -= 1
