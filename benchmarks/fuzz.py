"""Every reader on made-up input: a sentence or a result, never a traceback, a hang or half a gigabyte.

Inputs follow from a reader's name and a number, so that a run can be stopped, taken up again and repeated.

    python -m benchmarks.fuzz [TOTAL] [--reader NAME] [--state FILE] [--seconds N]
"""

import contextlib
import io
import json
import multiprocessing
import random
import resource
import shutil
import signal
import sys
import tempfile
import time
import traceback
import zlib
from collections.abc import Callable
from pathlib import Path

HANG_S, MOST_MB = 2.0, 512
#: Figures that break arithmetic, and words that break parsers.
FIGURES = (
    "0", "-0", "1", "-1", "0.5", "13.58", "13,58", "1e400", "-1e400", "1e-400", "5e-324", "1e308", "inf",
    "-inf", "nan",
    "1e20", "10000000000000000000000", "4k7", "2M2", "1.2.3", "1,2,3", "1.234,5", "٣", "²", "1_000",
    "0x10", "OL", "9.9E37",
    "-9.9e37", "12 V", "1e15", "1e-18", "", " ", "--", "+-1", "1e", "e1", ".", ",", "%", "100%", "-5%",
    "1e5%",
)  # fmt: skip
WORDS = (
    "mount", "MOUNT", "hub", "donor a", "earth-mount", "sink", "case", "@", "@@", "V", "A", "mV", "Ω",
    "°C", "dB", "Vpp",
    "strike", "replace", "last", "run", "by", ",", ":", "[/red]", "{amps}", "{0.__class__}", "\x1b[31m",
    "\x00", "\n", "\r\n",
    "=cmd()", "../../etc", "/dev/stdin", "\u202e", "\ud800", "🔌", "a" * 300, "'", '"', "\\", "[[", "]]",
    "{", "}", "#", ";",
)  # fmt: skip
HEADERS = (
    "time [s]", "t", "Time (ms)", "Time (min)", "Time (h)", "Time (fortnight)", "voltage [V]", "v",
    "Voltage (mV)", "U/mV", "kV",
    "current [A]", "i", "Current (mA)", "I in uA", "mA", "temp sink [degC]", "T case (°F)", "ambient",
    "temp (K)", "set [A]",
    "v 12 V", "i 12 V (mA)", "v 5 V [mV]", "i 5 V", "note", "", "x" * 80, "Voltage (", "Voltage )(", "[]",
    "()", "V V",
)  # fmt: skip


def text_of(rng: random.Random, most: int = 8) -> str:
    return rng.choice(("", " ", " ")).join(
        rng.choice(rng.choice((FIGURES, WORDS))) for _ in range(rng.randint(0, most))
    )


def mutated(rng: random.Random, data: bytes, most: int = 6) -> bytes:
    """Bytes with a few of them changed, cut, doubled or moved."""
    out = bytearray(data)
    for _ in range(rng.randint(1, most)):
        at = rng.randrange(len(out) + 1)
        way = rng.randrange(6)
        if way == 0 and out:
            out[at % len(out)] = rng.randrange(256)
        elif way == 1:
            del out[at : at + rng.choice((1, 4, 60, 4096))]
        elif way == 2:
            out[at:at] = bytes(rng.randrange(256) for _ in range(rng.choice((1, 4, 16))))
        elif way == 3:
            out[at:at] = out[at : at + rng.choice((8, 64, 1024))]
        elif way == 4:
            out[at : at + 8] = b"\xff" * 8
        else:
            out[at:at] = rng.choice(FIGURES).encode("utf-8", "surrogatepass")
    return bytes(out[:2_000_000])


def csv_of(rng: random.Random) -> bytes:
    separator = rng.choice((",", ",", ";", "\t", "|"))
    columns = rng.sample(HEADERS, rng.randint(1, 5))
    lines = [separator.join(columns)]
    steady = rng.random() < 0.6
    for k in range(rng.choice((0, 1, 2, 3, 5, 8, 30, 200))):
        cells = []
        for c in range(len(columns)):
            wild = rng.random() < (0.02 if steady else 0.3)
            cells.append(
                rng.choice(FIGURES) if wild else repr(round(rng.choice((k, 13.6, 4.0, k * 0.1)) * (c + 1), 3))
            )
        if rng.random() < 0.02:
            cells.append("more")
        lines.append(separator.join(cells))
    text = rng.choice(("\n", "\r\n")).join(lines).encode("utf-8", "surrogatepass")
    return mutated(rng, text) if rng.random() < 0.2 else text


def toml_of(rng: random.Random, tables: tuple[str, ...], keys: tuple[str, ...]) -> bytes:
    lines: list[str] = []
    for _ in range(rng.randint(0, 5)):
        lines.append(rng.choice(("", f"[{rng.choice(tables)}]", f"[[{rng.choice(tables)}]]")))
        for _ in range(rng.randint(0, 5)):
            value = rng.choice((
                json.dumps(text_of(rng, 3)), rng.choice(FIGURES), "true", "[]", "{}", '"CURR {amps}"',
                '"INP ON"', '"load"',
                "9" * 6000, "[" * 900, '"TCPIP::127.0.0.1::1::SOCKET"', "[[1, 2], [3, 4]]", "1979-05-27",
            ))  # fmt: skip
            lines.append(f"{rng.choice(keys)} = {value}")
    return "\n".join(lines).encode("utf-8", "surrogatepass")


ROLE_KEYS = (
    "role",
    "termination",
    "timeout_s",
    "baud",
    "encoding",
    "commands",
    "read_volts",
    "set_amps",
    "on",
    "off",
    "is_on",
    "read_amps",
    "identify",
    "sequence",
    "x",
)
BENCH_KEYS = ("resource", "profile", "replay", "speed", "kind", "on", "off", "line", "coil", "x")
PART_KEYS = (
    "kind",
    "name",
    "rated_A",
    "rated_W",
    "no_load_V",
    "max_A",
    "max_W",
    "points",
    "note",
    "count",
    "ranges",
    "curve",
    "x",
)


class Bed:
    """What the readers need, made once a process."""

    def __init__(self, folder: Path) -> None:
        # What is imported by the first input that wants it is not that input's time.
        import scipy.optimize
        import scipy.signal
        import scipy.stats  # noqa: F401

        from tensimeter.core.measurement.readings import Reading
        from tensimeter.core.model.edits import readings_first
        from tensimeter.core.model.instruments import accuracy_of
        from tensimeter.demo.library import demo_job
        from tensimeter.store.exchange import export
        from tensimeter.store.jobfile import JobFile

        self.folder = folder
        self.jobs = [demo_job(n) for n in ("ridge-pier", "dome-workshop", "finishers-bench")]
        self.jobs.append(readings_first("Shed", "12V 5A"))
        self.texts = [job.model_dump_json().encode() for job in self.jobs]
        good = folder / "good.tensi"
        with JobFile.create(good, self.jobs[0]) as file:
            run = file.begin_run("load-regulation", {"load": "x"})
            rows = []
            for k in range(8):
                for q, v in (("V", 13.6 - 0.05 * k), ("A", float(k)), ("C", 30.0 + k)):
                    accuracy, range_ = accuracy_of(self.jobs[0], None, q, v)
                    rows.append(
                        Reading(
                            k + 1,
                            float(k),
                            "mount",
                            q,
                            v,
                            "",
                            accuracy,
                            "two-wire",
                            "typed",
                            range_,
                            "load-regulation",
                            k,
                            run,
                        )
                    )
            file.keep(rows)
            file.run_event(run, "complete", "all")
            file.log("remark", "fine")
            file.strike([1], "try")
            export(file, folder / "out")
        self.db = good.read_bytes()
        self.exported = {
            p.relative_to(folder / "out"): p.read_bytes() for p in (folder / "out").rglob("*") if p.is_file()
        }
        self.path = folder / "input"

    def written(self, data: bytes, name: str = "input") -> Path:
        path = self.folder / name
        path.write_bytes(data)
        return path


def read_line(bed: Bed, rng: random.Random) -> None:
    from tensimeter.core.correction_line import correction
    from tensimeter.core.errors import UserError
    from tensimeter.core.readingline import InHand, completion, understand
    from tensimeter.core.standing import Standing, said, taken_apart

    text, job = text_of(rng), rng.choice(bed.jobs)
    completion(job, text)
    apart = taken_apart(text)
    with contextlib.suppress(UserError):
        said(Standing(), "out", (*apart.lasting, *apart.alone))
    if correction(text) is None:
        asked = rng.choice(((), (("sink", "C"), ("earth-mount", "V"))))
        place = rng.choice((None, "mount", "out"))
        in_hand = InHand(place, "V", asked, rng.choice((None, 13.6)), rng.choice((None, 8.0)))
        understand(job, text, in_hand, rng.choice(((), ("left",))))


def read_figure(bed: Bed, rng: random.Random) -> None:
    from tensimeter.core.measurement.conformity import parse_accuracy
    from tensimeter.core.quantity import parse, show

    text = text_of(rng, 3)
    if rng.random() < 0.3:
        parse_accuracy(text, 0.01)
    else:
        show(parse(text, rng.choice(("V", "A", "ohm", "C", ""))), "V")


def read_profile(bed: Bed, rng: random.Random) -> None:
    from tensimeter.bench.profile import load_profile

    load_profile(str(bed.written(toml_of(rng, ("commands", "x", "commands.on"), ROLE_KEYS), "p.toml")))


def read_bench(bed: Bed, rng: random.Random) -> None:
    from tensimeter.bench.setup import read_bench_file

    read_bench_file(
        bed.written(
            toml_of(rng, ("load", "voltmeter", "load2", "cut", "cut2", "teapot", "scope"), BENCH_KEYS)
        )
    )


def read_library(bed: Bed, rng: random.Random) -> None:
    from tensimeter.store.library import library

    library(bed.written(toml_of(rng, ("part", "parts"), PART_KEYS), "parts.toml"))


def read_csv(bed: Bed, rng: random.Random) -> None:
    import numpy as np

    from tensimeter.core.measurement.plausible import doubts
    from tensimeter.store.logs import read_load_cases, read_log, read_temperatures

    path = bed.written(csv_of(rng), "log.csv")
    way = rng.randrange(3)
    if way == 0:
        log = read_log(path)
        assert all(not np.isnan(c).any() for c in log.columns.values())
        doubts(volts=log.columns.get("volts"), amps=log.columns.get("amps"), expected_V=13.6, most_A=8)
    elif way == 1:
        heat = read_temperatures(path)
        assert all(np.isfinite(c).all() for c in heat.celsius.values())
    else:
        read_load_cases(path)


def analyse_csv(bed: Bed, rng: random.Random) -> None:
    kind = rng.choice(("regulation", "cross", "limit", "ripple", "transient", "soak", "capacity", "meter"))
    path = bed.written(csv_of(rng), "log.csv")
    more = {
        "capacity": ["--cutoff", rng.choice(FIGURES)],
        "ripple": ["--rate", rng.choice(("1k", *FIGURES))],
    }.get(kind, [])
    _command(["analyse", kind, str(path), *more, "--json"])


def size_line(bed: Bed, rng: random.Random) -> None:
    """A sizing with each of its options, most of them sensible."""
    from typer.main import get_command

    _load_commands()
    commands = get_command(_app()).commands["size"].commands  # type: ignore[attr-defined]
    kind = rng.choice(sorted(commands))
    words = ["size", kind]
    for parameter in commands[kind].params:
        option = next((o for o in parameter.opts if o.startswith("--")), "")
        if not option or option in ("--json", "--help", "--fitted") or parameter.is_flag:
            continue
        if parameter.required or rng.random() < 0.5:
            wild = rng.random() < 0.3
            words += [
                option,
                rng.choice(
                    FIGURES if wild else ("16awg", "1.4", "3", "470u", "1k", "50", "12", "0.5", "4:6:2")
                ),
            ]
    _command([*words, "--json"])


def other_line(bed: Bed, rng: random.Random) -> None:
    good = str(bed.folder / "good.tensi")
    f = [rng.choice(FIGURES) for _ in range(4)]
    _command(rng.choice((
        ["solve", good, "--load", f"mount={f[0]}", "--json"], ["reach", good, "mount", "--load",
        f"hub={f[0]}", "--json"],
        ["analyse", "leakage", "--open", f[0], "--loaded", f[1], "--meter", f[2], "--shunt", f[3], "--json"],
        ["file", good, text_of(rng, 4).replace("\x00", "")], ["strike", good, text_of(rng, 2) or "x",
        "--reason", text_of(rng, 2)],
        ["reach", good, text_of(rng, 2) or "x", "--points", f[0]], ["check", text_of(rng, 2) or "x"],
        ["analyse", "regulation", "/dev/null"],
    )))  # fmt: skip


def _load_commands() -> None:
    from tensimeter.cli import analyse, bench, compute, files, filing, measure, size, size_heat  # noqa: F401  # noqa: F401


def _app():
    from tensimeter.cli.commands import app

    return app


def _command(words: list[str]) -> None:
    """A command as it is typed: only its own refusals are allowed, and no infinities in its JSON."""
    _load_commands()
    app = _app()
    out, err = io.StringIO(), io.StringIO()
    words = [w.encode("utf-8", "replace").decode() for w in words]
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            app(words, standalone_mode=False)
        except SystemExit:
            return
        except Exception as error:
            if type(error).__module__.split(".")[0] in ("click", "typer"):
                return
            raise
    if "--json" in words and out.getvalue().strip():
        json.loads(
            out.getvalue(), parse_constant=lambda c: (_ for _ in ()).throw(AssertionError(f"{c} in JSON"))
        )


def read_wave(bed: Bed, rng: random.Random) -> None:
    import numpy as np

    from tensimeter.store.waveforms import read_waveform

    if rng.random() < 0.3:
        read_waveform(bed.written(csv_of(rng), "w.csv"), rng.choice((None, 1e3, 0.0, -1.0, float("inf"))))
        return
    data = io.BytesIO()
    shape = rng.choice(((8,), (8, 2), (2, 8), (0,), (2, 2, 2)))
    np.save(data, np.ones(shape, rng.choice((np.float32, np.int16, np.float64, np.complex64))))
    raw = data.getvalue()
    if rng.random() < 0.4:
        # A header that asks for more than there is.
        raw = raw.replace(
            b"(8,", rng.choice((b"(10**12,", b"(2000000000,", b"(-1,", b"('a',", b"(8,) * 9, (")), 1
        )
    if rng.random() < 0.5:
        raw = mutated(rng, raw)
    read_waveform(bed.written(raw, "w.npy"), 1e3)


def read_json(bed: Bed, rng: random.Random) -> None:
    from tensimeter.core.model.job import read_job

    if rng.random() < 0.3:
        read_job(mutated(rng, rng.choice(bed.texts)))
        return
    data = json.loads(rng.choice(bed.texts))
    for _ in range(rng.randint(1, 4)):
        _spoil(rng, data)
    job = read_job(data)
    _use(job)


def _spoil(rng: random.Random, data: object) -> None:
    """Change one leaf or branch of a job at random."""
    at, key = data, None
    for _ in range(rng.randint(1, 6)):
        keys = list(at) if isinstance(at, dict) else list(range(len(at))) if isinstance(at, list) else []
        if not keys:
            break
        holder, key = at, rng.choice(keys)
        at = holder[key]
        if rng.random() < 0.2:
            break
    if key is None:
        return
    old = holder[key]
    if isinstance(old, float | int) and not isinstance(old, bool) and rng.random() < 0.8:
        holder[key] = rng.choice(
            (0, 1, -1, old * 1000, old / 1000, 1e15, 1e-18, 1e308, 5e-324, 10**25, None, -old)
        )
    elif isinstance(old, list) and old and rng.random() < 0.5:
        holder[key] = old * rng.choice((0, 2, 3)) if len(old) < 50 else []
    else:
        holder[key] = rng.choice(
            (None, "", "x", "mount", "donor-a", 0, [], {}, True, "a" * 500, "front-end", -1.5)
        )


def _use(job) -> None:
    """What a window asks of a job when it opens it."""
    from tensimeter.core.circuit.load_line import full_load
    from tensimeter.core.circuit.network import has_source
    from tensimeter.core.errors import UserError
    from tensimeter.core.procedure.notices import notices
    from tensimeter.core.rating.ladder import at
    from tensimeter.core.testplan.plan import plan

    load = full_load(job)
    notices(job)
    if has_source(job):
        with contextlib.suppress(UserError):
            at(job, load)
    for test in job.campaign.tests[:2]:
        with contextlib.suppress(UserError):
            plan(job, test)


def read_database(bed: Bed, rng: random.Random) -> None:
    from tensimeter.store.jobfile import JobFile
    from tensimeter.store.waves import WaveBook

    data = bed.db
    out = bytearray(data)
    for _ in range(rng.randint(1, 8)):
        at = rng.randrange(100, len(out)) if rng.random() < 0.9 else rng.randrange(100)
        out[at] = rng.randrange(256)
    for old in bed.folder.glob("d.tensi*"):
        old.unlink()
    path = bed.written(bytes(out), "d.tensi")
    with JobFile(path, read_only=rng.random() < 0.5) as file:
        file.readings()
        file.runs()
        file.logbook()
        WaveBook(file).waves()
        file.check()


def read_rows(bed: Bed, rng: random.Random) -> None:
    """A whole file with rows of wrong kinds in it."""
    import sqlite3

    from tensimeter.store.database import TABLES
    from tensimeter.store.jobfile import JobFile

    for old in bed.folder.glob("r.tensi*"):
        old.unlink()
    path = bed.written(bed.db, "r.tensi")
    db = sqlite3.connect(path)
    table = rng.choice(TABLES)
    with contextlib.suppress(sqlite3.Error):
        db.execute(f"DROP TRIGGER {table}_no_update")
        column = rng.choice([r[1] for r in db.execute(f"PRAGMA table_info({table})")])
        value = rng.choice(
            (
                None,
                -1,
                10**18,
                1e308,
                "x",
                b"\xff\xfe",
                "{}",
                "[" * 3000,
                '{"of_reading": 7}',
                "nan",
                float("inf"),
            )
        )
        db.execute(f"UPDATE {table} SET {column} = ?", (value,))
        db.commit()
    db.close()
    with JobFile(path) as file:
        file.readings()
        file.runs()
        file.logbook()
        file.undo()
        file.check()


def read_folder(bed: Bed, rng: random.Random) -> None:
    from tensimeter.store.exchange import import_folder

    folder, made = bed.folder / "in", bed.folder / "made.tensi"
    shutil.rmtree(folder, ignore_errors=True)
    for relative, data in bed.exported.items():
        (folder / relative).parent.mkdir(parents=True, exist_ok=True)
        (folder / relative).write_bytes(data)
    victim = folder / rng.choice([r for r in bed.exported if r.parent == Path(".")])
    way = rng.randrange(5)
    if way == 0:
        victim.unlink()
        victim.symlink_to("/etc/hostname")
    elif way == 1:
        victim.unlink()
    else:
        victim.write_bytes(mutated(rng, victim.read_bytes()))
    try:
        import_folder(folder, made).close()
    finally:
        left = [p.name for p in bed.folder.glob(".made*")]
        assert not left, f"left behind: {left}"
        for old in bed.folder.glob("made.tensi*"):
            old.unlink()


def read_bin(bed: Bed, rng: random.Random) -> None:
    from tensimeter.store.bin import Bin

    path = bed.folder / "bin.db"
    if not getattr(bed, "bin", b""):
        with Bin(bed.folder / "good-bin.db") as bin_:
            for part in bed.jobs[0].stock[:6]:
                bin_.keep(part)
        bed.bin = (bed.folder / "good-bin.db").read_bytes()
    for old in bed.folder.glob("bin.db*"):
        old.unlink()
    out = bytearray(bed.bin)
    for _ in range(rng.randint(1, 6)):
        out[rng.randrange(len(out))] = rng.randrange(256)
    path.write_bytes(bytes(out))
    with Bin(path) as bin_:
        for kept in bin_.parts():
            bin_.history(kept.part.id)


#: Each reader and its share of the whole: what is quick is tried more often.
READERS: dict[str, tuple[Callable[[Bed, random.Random], None], float]] = {
    "line": (read_line, 0.29),
    "figure": (read_figure, 0.27),
    "profile": (read_profile, 0.09),
    "bench": (read_bench, 0.09),
    "library": (read_library, 0.06),
    "csv": (read_csv, 0.08),
    "wave": (read_wave, 0.04),
    "json": (read_json, 0.03),
    "database": (read_database, 0.015),
    "rows": (read_rows, 0.006),
    "folder": (read_folder, 0.004),
    "bin": (read_bin, 0.004),
    "analyse": (analyse_csv, 0.009),
    "size": (size_line, 0.008),
    "other": (other_line, 0.004),
}


def _late(*_: object) -> None:
    raise TimeoutError


def batch(job: tuple[str, int, int]) -> tuple[str, int, list[str], float]:
    """Try some inputs of one reader; how many, what failed, and the most MB that the process took."""
    import warnings

    from tensimeter.core.errors import UserError

    name, begin, end = job
    warnings.simplefilter("ignore")
    warnings.filterwarnings("error", category=RuntimeWarning, module="tensimeter")
    read, _ = READERS[name]
    failed: list[str] = []
    signal.signal(signal.SIGALRM, _late)
    signal.signal(signal.SIGPROF, _late)
    with tempfile.TemporaryDirectory() as scratch:
        bed = Bed(Path(scratch))
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        for number in range(begin, end):
            rng = random.Random(zlib.crc32(name.encode()) * 1_000_003 + number)
            # Its own time counts, not the machine's; what sleeps is found by the clock on the wall.
            begun = time.process_time()
            signal.setitimer(signal.ITIMER_PROF, 3 * HANG_S)
            signal.setitimer(signal.ITIMER_REAL, 60)
            try:
                read(bed, rng)
            except UserError as trouble:
                if not str(trouble).strip() or "\n" in str(trouble).strip():
                    failed.append(f"{name} {number}: no single sentence: {str(trouble)[:120]!r}")
            except TimeoutError:
                failed.append(f"{name} {number}: HANG")
            except BaseException as error:
                at = traceback.extract_tb(error.__traceback__)[-1]
                failed.append(
                    f"{name} {number}: {type(error).__name__}: {str(error)[:100]} at "
                    f"{Path(at.filename).name}:{at.lineno}"
                )
            finally:
                signal.setitimer(signal.ITIMER_PROF, 0)
                signal.setitimer(signal.ITIMER_REAL, 0)
            if time.process_time() - begun > HANG_S:
                failed.append(f"{name} {number}: took {time.process_time() - begun:.1f} s")
        grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
        if grown > MOST_MB:
            failed.append(f"{name} {begin}-{end}: grew by {grown:.0f} MB")
    return name, end - begin, failed, grown


def main(total: int, only: str, state: Path | None, seconds: float) -> int:
    done: dict[str, int] = json.loads(state.read_text()) if state and state.exists() else {}
    jobs = []
    for name, (_, share) in READERS.items():
        if only in ("", name):
            wanted = max(int(total * (share if not only else 1)), 1)
            size = max(min(wanted // 20, 5000), 50)
            begin = done.get(name, 0)
            jobs += [(name, k, min(k + size, wanted)) for k in range(begin, wanted, size)]
    random.Random(0).shuffle(jobs)
    # Batches of one reader are taken in order, so that what is done is always its beginning.
    order = {name: iter(sorted(j for j in jobs if j[0] == name)) for name in READERS}
    jobs = [next(order[name]) for name, _, _ in jobs]
    begun, bad, most = time.monotonic(), 0, 0.0
    with multiprocessing.get_context("spawn").Pool(2, maxtasksperchild=8) as pool:
        for name, count, failed, grown in pool.imap(batch, jobs):
            done[name] = done.get(name, 0) + count
            most = max(most, grown)
            bad += len(failed)
            for text in failed[:6]:
                print(text, flush=True)
            if state:
                state.write_text(json.dumps(done))
            if time.monotonic() - begun > seconds:
                pool.terminate()
                break
    print(
        json.dumps(
            {"inputs": sum(done.values()), "failed": bad, "most_grown_MB": round(most), "by_reader": done}
        )
    )
    return bad


if __name__ == "__main__":
    words = sys.argv[1:]

    def option(name: str, default: str) -> str:
        return words[words.index(name) + 1] if name in words else default

    count = int(words[0]) if words and words[0].isdigit() else 1_000_000
    state_file = option("--state", "")
    sys.exit(
        1
        if main(
            count,
            option("--reader", ""),
            Path(state_file) if state_file else None,
            float(option("--seconds", "1e9")),
        )
        else 0
    )
