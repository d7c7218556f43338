"""Random use of the real window for so many minutes: keys, clicks, edits, readings, and runs going on.

Counts what nobody may see: an exception, a pause of the window, memory that grows.

    python -m benchmarks.random_use [MINUTES] [--seed N]
"""

import argparse
import sys
import tempfile
import threading
import time
import traceback
from collections import defaultdict
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from benchmarks.anything import NOTICED_S, Hands, open_window
from benchmarks.window import answer
from tensimeter.core.errors import UserError
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile

if TYPE_CHECKING:
    from tensimeter.ui.window import MainWindow

#: Between two acts, s: a hand that hurries.
APART_S = 0.25
#: Buttons that lead out of the window, or write where the person says.
LEFT_ALONE = (
    "All jobs",
    "Write",
    "write",
    "its scale",
    "print",
    "Take in",
    "keep in the bin",
    "Photo",
    "photo",
    "Instruments",
)


class AnyHands(Hands):
    """Keys and clicks on whatever is there, beside what `Hands` does; a run is on most of the time."""

    def __init__(self, window: "MainWindow", seed: int) -> None:
        super().__init__(window, seed)
        self.acts += [self.key, self.key, self.key, self.click, self.click, self.click, self.run, self.run]

    def key(self) -> None:
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest
        from PyQt6.QtWidgets import QApplication

        keys = Qt.Key
        pressed = self.chance.choice(
            (keys.Key_Tab, keys.Key_Tab, keys.Key_Backtab, keys.Key_Up, keys.Key_Down, keys.Key_Left,
             keys.Key_Right, keys.Key_Space, keys.Key_Return, keys.Key_Escape, keys.Key_F2, keys.Key_1,
             keys.Key_0, keys.Key_Period, keys.Key_M, keys.Key_Backspace, keys.Key_Delete, keys.Key_Home)
        )  # fmt: skip
        QTest.keyClick(QApplication.focusWidget() or self.window, pressed)

    def click(self) -> None:
        from PyQt6.QtWidgets import QAbstractButton

        there = [
            b for b in self.window.findChildren(QAbstractButton)
            if b.isVisible() and b.isEnabled()
            and not (b.text() or b.accessibleName()).startswith(LEFT_ALONE)
        ]  # fmt: skip
        self.chance.choice(there).click()

    def run(self) -> None:
        if not self.session.running:
            try:
                self.window.control.start("quick", present=True, anew=True)
            except UserError as refused:
                self.session.complain(str(refused))


class Watch:
    """Looks at what the window is doing whenever it has not answered for a while: the reason for a pause."""

    def __init__(self) -> None:
        self._since, self._where, self._work = 0.0, "", 0.0
        #: Seconds, and how many of them the window's thread was at work, by what it was about.
        self.seen: dict[str, list[tuple[float, float]]] = defaultdict(list)
        self._window = threading.get_ident()
        threading.Thread(target=self._look, name="watch", daemon=True).start()

    def begin(self) -> None:
        self._since, self._where, self._work = time.perf_counter(), "", time.thread_time()

    def over(self, what: str) -> float:
        """Something has been answered: how long it took, s."""
        took, self._since = time.perf_counter() - self._since, 0.0
        if took > NOTICED_S:
            self.seen[f"{what}: {self._where}"].append((took, time.thread_time() - self._work))
        return took

    def _look(self) -> None:
        while True:
            time.sleep(0.02)
            if self._since and not self._where and time.perf_counter() - self._since > NOTICED_S:
                self._where = self._stack()

    def _stack(self) -> str:
        # Not to be interrupted: a frame that is held on to would keep a painter beyond its widget's paint.
        turn = sys.getswitchinterval()
        sys.setswitchinterval(10.0)
        frame, mine = sys._current_frames().get(self._window), []
        while frame is not None:
            if "/tensimeter/" in frame.f_code.co_filename:
                mine.append((frame.f_code.co_filename, frame.f_code.co_name, frame.f_lineno))
            frame = frame.f_back
        sys.setswitchinterval(turn)
        return " < ".join(f"{Path(f).stem}.{name}:{line}" for f, name, line in _ends(mine)) or "Qt itself"


def _ends(frames: list[tuple[str, str, int]]) -> list[tuple[str, str, int]]:
    """The innermost frames, and the one that began it all."""
    return frames[:4] + frames[4:][-2:]


def _held_MB() -> float:
    """What this process holds now."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmRSS")) / 1024


def used(minutes: float, seed: int, folder: Path) -> int:
    from PyQt6.QtWidgets import QFileDialog

    from tensimeter.ui.sweep import Sweep

    for name in ("getOpenFileName", "getSaveFileName"):
        setattr(QFileDialog, name, staticmethod(lambda *_, **__: ("", "")))
    path = folder / f"use-{seed}.tensi"
    JobFile.create(path, demo_job("ridge-pier")).close()
    window = open_window(path)
    sweep = Sweep()
    sweep.settle(window.session)
    wrong: list[str] = []
    sys.excepthook = lambda *error: wrong.append("".join(traceback.format_exception(*error, limit=-3)))
    hands, pauses, held = AnyHands(window, seed), defaultdict[str, list[float]](list), list[float]()
    begin, watch = time.monotonic(), Watch()

    def timed(what: str, act: Callable[[], object]) -> None:
        watch.begin()
        try:
            act()
        except Exception:
            wrong.append(f"{what}: {traceback.format_exc(limit=-3)}")
        pauses[what].append(watch.over(what))

    while time.monotonic() - begin < 60 * minutes:
        act = hands.chance.choice(hands.acts)
        name = act.__name__
        stage = window.rail.buttons[window.stage_index].stage.id
        timed(f"{name} at {stage}", act)
        timed(f"painted after {name} at {stage}", answer)
        until = time.monotonic() + APART_S
        while time.monotonic() < until:
            timed("between", answer)
            time.sleep(0.002)
        held.append(_held_MB())
    if window.session.running:
        window.session.drop_load()
        while window.session.running:
            answer()
    window.close()
    _tell(pauses, held, wrong, f"{minutes:g} min, seed {seed}")
    for where, times in sorted(watch.seen.items(), key=lambda x: -max(x[1])[0]):
        longest, work = max(times)
        print(f"  {len(times)} ×, longest {1e3 * longest:.0f} ms, at work {1e3 * work:.0f}: {where}")
    return len(wrong)


def _tell(pauses: dict[str, list[float]], held: list[float], wrong: list[str], which: str) -> None:
    every = np.concatenate([np.array(times) for times in pauses.values()])
    third = max(len(held) // 3, 1)
    early, late = float(np.mean(held[third : third + third // 2 + 1])), float(np.mean(held[-third // 4 :]))
    print(
        f"{which}: {len(held)} acts, {len(wrong)} exceptions; longest pause "
        f"{1e3 * every.max():.0f} ms, {int((every > NOTICED_S).sum())} over {1e3 * NOTICED_S:.0f} ms; memory "
        f"{early:.0f} MB after a third, {late:.0f} MB at the end ({100 * (late / early - 1):+.0f} %)"
    )
    for line in wrong[:20]:
        print(" ", line)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("minutes", type=float, nargs="?", default=10.0)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        sys.exit(1 if used(asked.minutes, asked.seed, Path(scratch)) else 0)


if __name__ == "__main__":
    main()
