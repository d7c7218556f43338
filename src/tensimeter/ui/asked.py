"""Questions to instruments outside a run: no run begins while one is on, and none is asked in a run."""

import threading

from tensimeter.app.work_session import WorkSession
from tensimeter.bench.roles import LinkFailed

#: What is said while a run has the instruments.
RUN_IS_ON = "A run is on: its instruments are its own until it has ended."


class Asked:
    """A context that counts who asks at the moment, in whatever thread; LinkFailed while a run is on."""

    def __init__(self, session: WorkSession) -> None:
        self._session = session
        self._lock, self._count = threading.Lock(), 0

    @property
    def is_on(self) -> bool:
        return self._count > 0

    def __enter__(self) -> None:
        with self._lock:
            self._count += 1
        if self._session.running:
            self.__exit__()
            raise LinkFailed(RUN_IS_ON)

    def __exit__(self, *_: object) -> None:
        with self._lock:
            self._count -= 1
