"""Anything anybody does, in any order: no figure that is shown may be of an earlier job, and none may fail.

Seeded edits, readings, undos, views and stages in the real window, what takes long worked out beside it. At
the end each stage is held against a window that was opened on the same file just now.

    python -m benchmarks.anything [ACTS] [--seed N] [--minutes M]
"""

import argparse
import gc
import os
import random
import shutil
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from benchmarks.window import answer
from tensimeter.core.model.edits import changed, with_link
from tensimeter.core.model.stock_edits import with_part
from tensimeter.demo.library import demo_job, demo_names
from tensimeter.store.jobfile import JobFile

if TYPE_CHECKING:
    from tensimeter.ui.window import MainWindow

STAGES = ("stock", "design", "assemble", "wake", "prove", "tune", "plate")
VIEWS = ("ladder", "heat", "sized", "faults", "variants", "ways", "conditions", "box")
#: So many looks in a row, 5 ms apart, at which nothing is waited for: then all is shown.
QUIET = 12
#: A pause of the window that somebody notices, s.
NOTICED_S = 0.1


def open_window(path: Path) -> "MainWindow":
    from tensimeter.ui.app import make_application
    from tensimeter.ui.aside import Aside
    from tensimeter.ui.session import Session
    from tensimeter.ui.window import MainWindow

    make_application()
    window = MainWindow(Session(JobFile(path), Aside(threaded=True)))
    window.resize(1280, 800)
    window.show()
    # As the program itself does: what stands now stays.
    gc.collect()
    gc.freeze()
    return window


def rest(window: "MainWindow", seconds: float = 60.0) -> None:
    """Until nothing is waited for any more."""
    quiet, end = 0, time.monotonic() + seconds
    while quiet < QUIET and time.monotonic() < end:
        answer()
        plate = window._made.get("plate")
        laying = plate is not None and plate.isVisible() and not plate.ready
        quiet = 0 if window.session.aside.waits() or laying else quiet + 1
        time.sleep(0.005)


class Hands:
    """Somebody who does anything, by a seed."""

    def __init__(self, window: "MainWindow", seed: int) -> None:
        self.window, self.session, self.chance = window, window.session, random.Random(seed)
        self.acts: list[Callable[[], object]] = [
            self.edit_link, self.edit_link, self.edit_part, self.type, self.type, self.type, self.undo,
            self.redo, self.stage, self.stage, self.subject, self.test, self.point, self.view,
        ]  # fmt: skip

    def act(self) -> str:
        chosen = self.chance.choice(self.acts)
        chosen()
        return chosen.__name__

    def edit_link(self) -> None:
        link = self.chance.choice(self.session.job.design.links)
        fields = [n for n in ("set_V", "limit_A", "full_load_A", "tolerance") if getattr(link, n, None)]
        if fields:
            field = self.chance.choice(fields)
            moved = getattr(link, field) * self.chance.uniform(0.9, 1.1)
            self.session.edit(field, with_link(self.session.job, changed(link, **{field: round(moved, 4)})))

    def edit_part(self) -> None:
        part = self.chance.choice(self.session.job.stock)
        fields = [n for n in ("rated_A", "output_resistance_ohm", "loss_fixed_W") if getattr(part, n, None)]
        if fields:
            field = self.chance.choice(fields)
            moved = getattr(part, field) * self.chance.uniform(0.8, 1.2)
            self.session.edit(field, with_part(self.session.job, changed(part, **{field: round(moved, 5)})))

    def type(self) -> None:
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest

        output = self.chance.choice(self.session.job.design.outputs())
        volts = output.nominal_V * self.chance.uniform(0.97, 1.02)
        amps = round(self.chance.uniform(0, output.full_load_A), 2)
        lines = (
            f"{output.id} {volts:.3f} @{amps}A", f"{output.id} {volts:.2f}V", f"earth-{output.id} OL",
            f"{self.chance.randint(1, 12)} 0.3", "strike last, mistyped", "sink 41",
        )  # fmt: skip
        self.window.line.entry.setFocus()
        self.window.line.entry.setText(self.chance.choice(lines))
        QTest.keyClick(self.window.line.entry, Qt.Key.Key_Return)

    def undo(self) -> None:
        self.session.undo()

    def redo(self) -> None:
        self.session.redo()

    def stage(self) -> None:
        self.window.stage(self.chance.choice(STAGES))

    def subject(self) -> None:
        self.session.choose(self.chance.choice(self.session.job.design.links).id)

    def test(self) -> None:
        tests = self.session.job.campaign.tests
        if tests:
            self.session.choose_test(self.chance.choice(tests).id)

    def point(self) -> None:
        output = self.chance.choice(self.session.job.design.outputs())
        self.session.set_load(output.id, round(self.chance.uniform(0, output.full_load_A), 2))

    def view(self) -> None:
        self.window.stage("design").findings.show_view(self.chance.choice(VIEWS))


def shown(window: "MainWindow") -> dict[str, list[str]]:
    """All that each stage shows, with the strip and what is to be minded."""
    from PyQt6.QtWidgets import QLabel, QListWidget, QTreeWidget

    found: dict[str, list[str]] = {}
    for stage in STAGES:
        widget = window.stage(stage)
        rest(window)
        # What the line said of the last thing typed is of that window alone.
        said = [
            x.text() for x in window.findChildren(QLabel)
            if x.isVisible() and x.text() and not window.line.isAncestorOf(x)
        ]  # fmt: skip
        for tree in widget.findChildren(QTreeWidget):
            if tree.isVisible():
                rows = [tree.topLevelItem(k) for k in range(tree.topLevelItemCount())]
                said += [row.text(c) for row in rows if row is not None for c in range(tree.columnCount())]
        for things in widget.findChildren(QListWidget):
            said += [things.item(k).text() for k in range(things.count())]  # type: ignore[union-attr]
        said += [f"{c.name} {c.volts} {c.amps} {c.limit}" for c in window.strip.cells]
        said += [f"{b.stage.id} {b.caption}" for b in window.rail.buttons]
        if stage == "design" and window.stage("design").map.isVisible():
            made = window.stage("design").map.made
            said += [f"{b.volts:.3f} {b.amps:.6f} {b.limiter}" for b in (made.reach.border() if made else [])]
        found[stage] = said
    return found


def same_hands(window: "MainWindow", like: "MainWindow") -> None:
    """Bring a window to the link, test, step, point and views that another has in hand."""
    one, other = window.session, like.session
    one.load = dict(other.load)
    one.now = one.now.with_load(one.load, other.now.volts)
    if other.test_id is not None:
        one.choose_test(other.test_id)
    one.choose(other.subject)
    one.choose_step(other.step_index)
    window.stage("design").findings.show_view(like.stage("design").findings.view)


def compared(window: "MainWindow", folder: Path) -> list[str]:
    """Where a window shows something else than one that is opened just now."""
    rest(window)
    window.session.file.settle()
    twin = folder / "twin.tensi"
    shutil.copy(window.session.file.path, twin)
    fresh = open_window(twin)
    same_hands(fresh, window)
    mine, its = shown(window), shown(fresh)
    fresh.close()
    wrong = []
    for stage in STAGES:
        if mine[stage] != its[stage]:
            first = [(a, b) for a, b in zip(mine[stage], its[stage], strict=False) if a != b][:3]
            wrong.append(f"{stage}: {len(mine[stage])} and {len(its[stage])} texts; {first}")
    return wrong


def used(
    acts: int, seed: int, folder: Path, seconds: float = 0.0, apart_s: float = 0.0
) -> tuple[list[str], list[tuple[float, str]]]:
    """What went wrong over so many acts (or so long), and how long the window took over each.

    With `apart_s` between two acts, as hands are not quicker than that.
    """
    path = folder / f"anything-{seed}.tensi"
    JobFile.create(path, demo_job(demo_names()[seed % len(demo_names())])).close()
    window = open_window(path)
    hands, wrong, took = Hands(window, seed), [], []
    end = time.monotonic() + seconds
    done = 0
    while done < acts or time.monotonic() < end:
        begin = time.perf_counter()
        name = "?"
        try:
            name = hands.act()
            answer()
        except Exception:
            wrong.append(f"act {done}, {name}: {traceback.format_exc(limit=-3)}")
        took.append((time.perf_counter() - begin, name))
        done += 1
        wait = time.perf_counter() + apart_s
        while time.perf_counter() < wait:
            answer()
            time.sleep(0.002)
    wrong += compared(window, folder)
    window.close()
    return wrong, took


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("acts", type=int, nargs="?", default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--minutes", type=float, default=0.0)
    parser.add_argument("--apart", type=float, default=0.0, help="seconds between two acts")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        wrong, took = used(asked.acts, asked.seed, Path(scratch), asked.minutes * 60, asked.apart)
    took.sort()
    late = Counter(name for t, name in took if t > NOTICED_S)
    print(
        f"{len(took)} acts, seed {asked.seed}: p95 {1e3 * took[int(0.95 * len(took))][0]:.0f} ms, longest "
        f"{1e3 * took[-1][0]:.0f} ms, {late.total()} over {NOTICED_S * 1e3:.0f} ms {dict(late)}; "
        f"{len(wrong)} wrong"
    )
    for line in wrong[:20]:
        print(" ", line)
    sys.exit(1 if wrong else 0)


if __name__ == "__main__":
    main()
