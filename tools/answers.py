"""What the program answers to a set of jobs, written down, to be compared before and after a rebuilding.

python tools/answers.py jobs FOLDER          three demos with what they read, and 200 random jobs
python tools/answers.py write FOLDER OUT     each command's JSON, each data sheet, each stage's texts
python tools/answers.py compare OUT OUT      what differs; exit 1 where anything does
"""

import contextlib
import io
import json
import os
import random
import re
import shlex
import shutil
import sys
import tempfile
from collections.abc import Iterator
from multiprocessing import get_context
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QAbstractButton

RANDOM_JOBS = 200
#: What differs between any two runs: when it was made, and where.
PASSING = re.compile(r"\d{4}-\d\d-\d\d(T[\d:.+]*| \d\d:\d\d(:\d\d)?)?|/tmp/[\w/.-]+|\b\d\d:\d\d:\d\d\b")
SIZES = """
derating --curve 50=6A --curve 70=3A --temperature 60 --used 4
derating --curve 50=6A --curve 70=3A --temperature 69 --used 4
discharge --capacitance 100u --start 400V --end 147.1518V --resistance 1k
discharge --capacitance 100u --start 400V --resistance 1k
dummy-load --volts 12V --current 0.5A
dummy-load --volts 12V --current 2A
fan --power 30W --still 2 --blown 0.8 --capacity 200 --on 60 --off 50 --speed 0.5
fan --power 30W --still 2 --blown 0.8 --capacity 9 --on 60 --off 59
feedback --pair 10k=15V --pair 40k=13.125V --volts 14V
feedback --reference 2.5 --upper 10k --lower 2k5 --fixed 10k --pot 5k --across upper
feedback --reference 2.5 --upper 10k --lower 2k5 --fixed 10k --trip 15V
feedback --reference 2.5 --upper 10k --lower 2k5 --fixed 10k --trip 16V
fuse --current 8A
fuse --current 8A --wire 24awg --source 9A
heat-sink --power 100W --junction 0.1 --sink 0.2 --flow 13.889m
heat-sink --power 20W --junction 1.5 --limit 125
heat-sink --power 30W --junction 0.5 --sink 1 --box 0.35 --ambient 20
heat-sink --power 40W --junction 0.7 --sink 1 --devices 2
heat-sink --power 90W --junction 0.7 --sink 1
ntc --resistance 10k --beta 3950 --series 10k --at 25
pwm-dac --supply 3.3V --frequency 1k --bits 12 --resistance 1k --capacitance 1u
pwm-dac --supply 3.3V --frequency 31k --bits 8 --resistance 10k --capacitance 1u
rectifier --emf 12.6V --rated 12V --rated-current 1.5A --capacitance 3300u --load 0A
rectifier --emf 12.6V --resistance 0.4 --diode 0.8 --bridge --capacitance 3300u --load 0A
regulator --pot 5k --valley 12V
regulator --r1 120R --pot 1k6 --adjust 0 --input 24V --current 2A --tap 12V=8V
regulator --r1 120R --pot 2k --volts 12V --input 22V --valley 15V --current 1A --bin 1k
regulator --r1 120R --volts 5V --adjust 0
regulator --r1 1k --pot 10k
regulator --r1 240R --r2 1k5
stack --unit '24V 5A' --unit '24V 2A' --unit '24V 5A'
stack --unit '24V 6.3A 150W' --unit '24V 5A' --tap 1A --trip 30V
transformer-fuse --current 2A --secondary 18V
wire --gauge 16awg --length 1.4 --current 3A
wire --gauge 0.75mm2 --length 140cm --current 30A
"""


def random_job(seed: int, folder: Path) -> None:
    """A job put together by chance from the parts that ship, with readings by chance."""
    from tensimeter.core.errors import UserError
    from tensimeter.core.model.edits import changed, new_link, with_campaign, with_link
    from tensimeter.core.model.job import Job
    from tensimeter.core.testplan.generator import generated
    from tensimeter.demo.library import demo_job, demo_names
    from tensimeter.store.jobfile import JobFile
    from tensimeter.store.library import shipped_parts

    chance = random.Random(seed)
    known = [p for name in demo_names() for p in demo_job(name).stock] + list(shipped_parts())
    parts = {p.name: p for p in known}
    stock = {p.id: p for p in chance.sample(list(parts.values()), min(len(parts), chance.randint(12, 40)))}
    job = Job(name=f"Random {seed}", stock=tuple(stock.values()))
    feeds = [p for p in stock.values() if p.kind in ("donor", "rails", "transformer", "battery")]
    joined = [p for p in stock.values() if p.kind in ("converter", "fuse", "lead", "wire", "connector")]
    others = [p for p in stock.values() if p.kind in ("panel_meter", "fan")]
    lines = [p.name for p in chance.sample(feeds, min(len(feeds), chance.randint(1, 2)))]
    for number in range(chance.randint(1, 3)):
        lines += [p.name for p in chance.sample(joined, min(len(joined), chance.randint(0, 4)))]
        lines += [p.name for p in chance.sample(others, min(len(others), chance.randint(0, 1)))]
        volts, amps = chance.choice([3.3, 5, 12, 13.6, 24]), chance.choice([0.5, 2, 5, 10])
        lines.append(f"output OUT{number} {volts}V {amps}A")
    after = None
    for line in lines:
        with contextlib.suppress(UserError):
            before = {link.id for link in job.design.links}
            job = new_link(job, ("or " if chance.random() < 0.05 else "") + line, after)
            new = [link for link in job.design.links if link.id not in before]
            if new and new[-1].kind not in ("output", "fan"):
                after = new[-1].id
    fed = [p.id for p in stock.values() if p.kind in ("device", "lamp", "motor", "battery", "resistor")]
    for output in job.design.outputs():
        fields = {"adjustable": chance.random() < 0.3, "aim": chance.choice(["terminals", "far_end"])}
        if fed and chance.random() < 0.4:
            fields["device"] = chance.choice(fed)
        job = with_link(job, changed(output, **fields))
    chosen = {
        role: next((p.id for p in stock.values() if p.kind == kind), None)
        for role, kind in (("load", "load"), ("voltmeter", "meter"), ("thermometer", "thermometer"))
    }
    job = with_campaign(
        job, **{k: v for k, v in chosen.items() if k in type(job.campaign).model_fields and v}
    )
    if chance.random() < 0.5:
        with contextlib.suppress(Exception):
            job = generated(job)
    path = folder / f"random-{seed:03}.tensi"
    JobFile.create(path, job).close()
    for output in job.design.outputs():
        for _ in range(chance.randint(0, 4)):
            amps = chance.uniform(0, 1.1 * output.full_load_A)
            volts = output.nominal_V * chance.uniform(0.9, 1.05)
            called("file", path, f"{output.name} {volts:.3f}V @{amps:.2f}A")


def jobs(folder: Path) -> None:
    """The files that are answered: made once, by the program as it was before."""
    folder.mkdir(parents=True, exist_ok=True)
    from tensimeter.demo.library import demo_job, demo_names
    from tensimeter.store.jobfile import JobFile
    from tensimeter.ui.headless import play

    for name in demo_names():
        if (folder / f"{name}.tensi").exists():
            continue
        JobFile.create(folder / f"{name}-new.tensi", demo_job(name)).close()
        print(*play(name, folder, 0.0), sep="\n")
    for seed in range(RANDOM_JOBS):
        random_job(seed, folder)


def called(*words: object) -> str:
    """What the program prints for these words, and its exit."""
    from tensimeter.cli.main import run

    out, err = io.StringIO(), io.StringIO()
    code, before = 0, sys.argv
    sys.argv = ["tensimeter", *map(str, words)]
    try:
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            run()
    except SystemExit as stop:
        code = int(stop.code or 0)
    except Exception as wrong:  # a bug of before is an answer as well
        err.write(f"{type(wrong).__name__}: {wrong}")
    finally:
        sys.argv = before
    return f"{code}\n{out.getvalue()}\n{err.getvalue()}"


def texts(window: object) -> Iterator[str]:
    """What a window says: every text of every widget that shows, and every cell of every list."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtWidgets import QAbstractItemView, QComboBox, QListView, QWidget

    for widget in window.findChildren(QWidget):  # type: ignore[attr-defined]
        if not widget.isVisible():
            continue
        if isinstance(widget, QAbstractItemView) and widget.model() is not None:
            model = widget.model()
            for row in range(model.rowCount()):
                for column in range(1 if isinstance(widget, QListView) else model.columnCount()):
                    yield str(model.data(model.index(row, column), Qt.ItemDataRole.DisplayRole))
            continue
        if isinstance(widget, QComboBox):
            yield from (widget.itemText(k) for k in range(widget.count()))
        for name in ("text", "toPlainText", "title", "placeholderText", "toolTip", "accessibleName"):
            said = getattr(widget, name, None)
            if callable(said):
                with contextlib.suppress(TypeError):
                    yield str(said())


def views(window: object) -> dict[str, "QAbstractButton"]:
    """The buttons of which one at a time is pressed, by their text, the rail of stages left out."""
    from PyQt6.QtWidgets import QAbstractButton

    known = window.rail.buttons  # type: ignore[attr-defined]
    buttons = [b for b in window.findChildren(QAbstractButton) if b not in known]  # type: ignore[attr-defined]
    return {
        b.text(): b for b in buttons if b.isVisible() and b.isCheckable() and (b.group() or b.autoExclusive())
    }


def stages(path: Path) -> dict[str, list[str]]:
    """The texts of every stage and of every view in it, as one window shows them."""
    from tensimeter.store.jobfile import JobFile
    from tensimeter.ui.app import make_application
    from tensimeter.ui.pictures import settle, wait_until
    from tensimeter.ui.session import Session
    from tensimeter.ui.window import MainWindow

    make_application()
    broken: list[str] = []
    # A bug of before is an answer as well; unheard, it would end the process.
    sys.excepthook = lambda kind, wrong, _: broken.append(f"{kind.__name__}: {wrong}")
    window = MainWindow(Session(JobFile(path)))
    window.show()
    found = {}
    for k, button in enumerate(window.rail.buttons):
        window.go_to(k)
        settle(4)
        if button.stage.id == "plate":
            plate = window.stage("plate")
            wait_until(lambda plate=plate: plate.ready, 60)
        wait_until(lambda: False, 0.3)
        found[button.stage.id] = [PASSING.sub("*", t) for t in texts(window) if t.strip()]
        for name in views(window):
            next(b for b in views(window).values() if b.text() == name).click()
            wait_until(lambda: False, 0.1)
            found[f"{button.stage.id}/{name}"] = [PASSING.sub("*", t) for t in texts(window) if t.strip()]
    for test in window.session.job.campaign.tests:
        window.stage("prove")
        window.session.choose_test(test.id)
        wait_until(lambda: False, 0.1)
        found[f"prove {test.id}"] = [PASSING.sub("*", t) for t in texts(window) if t.strip()]
    window.close()
    sys.excepthook = sys.__excepthook__
    return found | {"broken": broken}


def answers(path: Path) -> dict[str, object]:
    """Everything that is answered to one job file."""
    from tensimeter.store.jobfile import JobFile

    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    found: dict[str, object] = {}
    with tempfile.TemporaryDirectory() as scratch:
        for variable in ("HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_DOCUMENTS_DIR"):
            os.environ[variable] = scratch
        copy = Path(shutil.copy(path, scratch))
        with JobFile(copy, read_only=True) as file:
            outputs = [(o.name, o.full_load_A) for o in file.job.design.outputs()]
        for share in (0.0, 0.5, 1.0, 1.3):
            loads = [x for name, amps in outputs for x in ("--load", f"{name}={share * amps:.3f}A")]
            found[f"solve {share}"] = called("solve", copy, *loads, "--json")
        for name, _ in outputs:
            found[f"reach {name}"] = called("reach", copy, name, "--json")
        found["check"] = called("check", copy)
        called("export", copy, Path(scratch) / "out")
        for made in sorted((Path(scratch) / "out").rglob("*.*")):
            if made.suffix in (".json", ".csv"):
                found[f"export {made.name}"] = PASSING.sub("*", made.read_text())
            if made.parent.name == "runs" or "soak" in made.name:
                for kind in ("regulation", "limit", "soak", "capacity"):
                    found[f"analyse {kind} {made.name}"] = called("analyse", kind, made, "--json")
        if "random" not in path.name or int(path.stem[-3:]) % 4 == 0:
            sheet = Path(scratch) / "sheet.html"
            said = called("report", copy, "-o", sheet)
            if not sheet.exists():
                sheet.write_text(said)
            words = re.sub(r"<svg.*?</svg>|<style.*?</style>|data:[^\"']+", "", sheet.read_text(), flags=re.S)
            found["sheet"] = [PASSING.sub("*", line) for line in words.splitlines() if line.strip()]
        try:
            found |= {f"stage {k}": v for k, v in stages(copy).items()}
        except Exception as wrong:  # likewise
            found["stages"] = f"{type(wrong).__name__}: {wrong}"
    return {k: PASSING.sub("*", v) if isinstance(v, str) else v for k, v in found.items()}


def demo_runs(folder: Path) -> dict[str, object]:
    """Every command that takes no job, and each demo's first test proven with simulated instruments."""
    lines = [line for line in SIZES.split("\n") if line]
    found: dict[str, object] = {line: called("size", *shlex.split(line), "--json") for line in lines}
    found["schema"] = called("schema")
    for path in sorted(folder.glob("*-new.tensi")):
        with tempfile.TemporaryDirectory() as scratch:
            copy = shutil.copy(path, scratch)
            found[f"prove {path.stem}"] = PASSING.sub("*", called("prove", copy, "--stand-ins", "--json"))
    return found


def write(folder: Path, out: Path) -> None:
    paths = sorted(folder.glob("*.tensi"))
    # A window leaves much behind: each process answers a few jobs only.
    with get_context("spawn").Pool(2, maxtasksperchild=6) as pool:
        runs = pool.apply_async(demo_runs, (folder,))
        found = {p.name: a for p, a in zip(paths, pool.imap(answers, paths, 1), strict=True)}
        found["without a job"] = runs.get()
    out.write_text(json.dumps(found, indent=0, sort_keys=True))
    print(f"{len(found)} sets of answers, {sum(map(len, found.values()))} answers: {out}")


def compare(first: Path, second: Path) -> int:
    """Prints what differs, the first line of each difference; the number of answers that do."""
    before, after = json.loads(first.read_text()), json.loads(second.read_text())
    differing = 0
    for name in sorted(before.keys() | after.keys()):
        mine, theirs = before.get(name, {}), after.get(name, {})
        for key in sorted(mine.keys() | theirs.keys()):
            if mine.get(key) == theirs.get(key):
                continue
            differing += 1
            rows = [
                str(x).splitlines() if isinstance(x, str) else x or []
                for x in (mine.get(key), theirs.get(key))
            ]
            pairs = zip(*(r + [""] * (max(map(len, rows)) - len(r)) for r in rows), strict=True)
            was, now = next(((str(a), str(b)) for a, b in pairs if a != b), ("", "other line ends"))
            place = next((k for k, (a, b) in enumerate(zip(was, now, strict=False)) if a != b), 0)
            shown = slice(max(0, place - 40), place + 100)
            print(f"{name} · {key}\n  - {was[shown]}\n  + {now[shown]}")
    print(f"{differing} answers differ")
    return differing


if __name__ == "__main__":
    verb, *words = sys.argv[1:]
    found = {"jobs": jobs, "write": write, "compare": compare}[verb](*map(Path, words))
    sys.exit(bool(found))
