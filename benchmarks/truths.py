"""A bench of one's own instruments at supplies with a hidden truth: what a run calls them, and what is true.

Load and meter are servers of this benchmark's own that speak SCPI; nothing of the program's stand-ins is
used. Twelve truths: a limit by current, by power, by sagging, one that latches, that hiccups, that folds
back straight and along a curve, none that the load reaches while volts drift, an output that dies, one
that comes back, two outlets of which one pulls the other down, and a limit under noise.

    python -m benchmarks.truths [SEEDS] [FIRST]
"""

import socketserver
import sys
import tempfile
import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
from msgspec import Struct

from tensimeter.bench.clock import SteppedClock
from tensimeter.bench.engine import Event, RunEngine
from tensimeter.bench.setup import open_bench
from tensimeter.core.analysis.current_limit import CurrentLimit
from tensimeter.core.held.points import held_A, points
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.edits import with_campaign, with_test
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job, Overrule
from tensimeter.core.model.tests import LoadRegulation, Outlets, Overload
from tensimeter.core.procedure.notices import notices, open_holds
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.kinds.overload import limit_of
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.step import Facts
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile

NOMINAL, ON_OHM = 13.6, 0.02
KINDS = {
    "current": "constant_current", "power": "constant_power", "sag": "brown_out", "latch": "latch_off",
    "hiccup": "hiccup", "foldback": "foldback", "bent": "foldback", "drift": "load_limited", "dies": "",
    "recovers": "unsure", "second": "", "noise": "constant_current",
}  # fmt: skip


class Demand:
    """What one load is set to."""

    def __init__(self) -> None:
        self.mode, self.on = "CURR", False
        self.values = {"CURR": 0.0, "RES": 1e6, "POW": 0.0}

    def amps(self, volts: float) -> float:
        if not self.on:
            return 0.0
        value = self.values[self.mode]
        wanted = {"CURR": value, "RES": volts / max(value, 1e-3), "POW": value / max(volts, 1e-3)}[self.mode]
        return min(wanted, volts / ON_OHM)


class Truth:
    """A supply by its hidden figures, and the loads at its two outlets."""

    def __init__(self, kind: str, rng: np.random.Generator, job: Job, clock: SteppedClock) -> None:
        self.kind, self.rng, self.clock = kind, rng, clock
        self.ohm = float(rng.uniform(0.004, 0.02))
        # The plan follows a limit up to 1.25 times what the design says; true ones lie where it looks.
        self.knee = float(rng.uniform(8.6, 10.6)) if kind not in ("drift", "dies") else 40.0
        self.dies_at = float(rng.uniform(2.0, 7.5))
        self.left, self.bow = float(rng.uniform(0.2, 0.7)), float(rng.uniform(-0.5, 0.5))
        self.sag = float(rng.uniform(1.2, 2.5))
        self.period, self.duty = float(rng.uniform(0.5, 1.5)), float(rng.uniform(0.2, 0.4))
        self.pull = float(rng.uniform(0.05, 0.12))
        self.loads = {"load": Demand(), "load2": Demand()}
        self.dead = False
        self.errors = {
            what: self._error(job, part, what, at)
            for what, part, at in (("V", "bench-meter", NOMINAL), ("A", "sink-150", 8.0))
        }

    def _error(self, job: Job, part: str, quantity: str, at: float) -> tuple[float, float, float]:
        """Gain, offset and noise of a meter, anywhere within what its card says."""
        card, _ = accuracy_of(job, part, quantity, at)  # type: ignore[arg-type]
        gain, offset = self.rng.uniform(-1, 1, 2) * (card.of_reading, card.offset)
        noise = card.noise_counts * card.resolution * (5.0 if self.kind == "noise" else 1.0)
        return float(gain), float(offset), float(noise)

    def read(self, quantity: str, true: float) -> float:
        gain, offset, noise = self.errors[quantity]
        return true * (1 + gain) + offset + float(self.rng.normal(0, noise))

    def limit_A(self, share: float) -> float:
        """What its limit lets through at a share of the volts."""
        if self.kind in ("foldback", "bent"):
            bend = self.bow * np.sin(np.pi * share) / np.pi if self.kind == "bent" else 0.0
            return float(self.knee * (self.left + (1 - self.left) * (share + bend)))
        if self.kind == "power":
            return min(self.knee / max(share, 1e-3), 4 * self.knee)
        if self.kind == "sag":
            return self.knee * (1 + (self.sag - 1) * (1 - share))
        return self.knee

    def now(self) -> tuple[float, float]:
        """Volts and amps of the first outlet as the loads stand."""
        load, other = self.loads["load"], self.loads["load2"]
        volts = NOMINAL
        if self.kind == "drift":
            volts *= 1 - 2e-6 * self.clock.now()
        if self.kind == "second" and other.on:
            volts -= self.pull * other.values["CURR"]
        wanted = load.amps(volts - self.ohm * self.knee)
        over = wanted > (self.dies_at if self.kind == "dies" else self.knee)
        if self.kind in ("latch", "dies"):
            self.dead |= over
        elif self.kind == "recovers":
            self.dead = (self.dead and load.amps(volts) > 0) or over
        elif self.kind == "hiccup" and over:
            alive = self.clock.now() / self.period % 1.0 < self.duty
            return (4.0, self.knee) if alive else (0.0, 0.0)
        if self.dead:
            return 0.0, 0.0
        if not over:
            found = volts
            for _ in range(40):
                found = volts - self.ohm * load.amps(found)
            return found, load.amps(found)
        at_knee = volts - self.ohm * self.knee
        above = 1.0
        for share in np.linspace(1.0, 0.0, 401).tolist():
            if self.limit_A(share) >= load.amps(share * at_knee):
                below = share
                for _ in range(40):
                    middle = (above + below) / 2
                    gives = self.limit_A(middle) >= load.amps(middle * at_knee)
                    above, below = (above, middle) if gives else (middle, below)
                return below * at_knee, load.amps(below * at_knee)
            above = share
        return 0.0, self.limit_A(0.0)


def answer(truth: Truth, role: str, line: str) -> list[str]:
    """What an instrument answers to one message of commands."""
    told: list[str] = []
    for part in line.split(";"):
        word, _, value = part.strip().lstrip(":").partition(" ")
        load = truth.loads.get(role)
        if word == "*ESE":
            answer.masks[role] = int(value)  # type: ignore[attr-defined]
        elif word == "*ESE?":
            told.append(str(answer.masks.get(role, 0)))  # type: ignore[attr-defined]
        elif word == "*IDN?":
            told.append(f"Own,{role},1,1")
        elif word == "SYST:ERR?":
            told.append('0,"none"')
        elif word == "MEAS:VOLT:DC?":
            told.append(f"{truth.read('V', truth.now()[0]):.4f}")
        elif load is None:
            continue
        elif word == "FUNC":
            load.mode = value
        elif word in load.values:
            load.values[word] = float(value)
        elif word == "INP":
            load.on = value == "ON"
        elif word == "INP?":
            told.append("1" if load.on else "0")
        elif word in ("MEAS:VOLT?", "MEAS:CURR?"):
            volts, amps = truth.now() if role == "load" else (12.0, load.amps(12.0))
            told.append(f"{volts if 'VOLT' in word else truth.read('A', amps):.4f}")
    return told


answer.masks = {}  # type: ignore[attr-defined]


def served(truth: Truth, role: str) -> socketserver.ThreadingTCPServer:
    """One instrument at a port of its own."""

    class Handler(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            for raw in self.rfile:
                told = answer(truth, role, raw.decode().strip())
                if told:
                    self.wfile.write((";".join(told) + "\n").encode())

    server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Handler)
    server.daemon_threads = True
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server


class Told(Struct):
    """What came of one truth."""

    kind_right: bool
    knee_inside: bool | None
    words: str


def one(kind: str, seed: int) -> Told:
    """Run a supply's test on a bench of its own, and hold it against what is true."""
    rng = np.random.default_rng([seed, list(KINDS).index(kind)])
    clock, job = SteppedClock(), _job(kind)
    truth = Truth(kind, rng, job, clock)
    roles = ("load", "voltmeter", *(["load2"] if kind == "second" else []))
    servers = {role: served(truth, role) for role in roles}
    resources = {r: f"TCPIP::127.0.0.1::{s.server_address[1]}::SOCKET" for r, s in servers.items()}
    with tempfile.TemporaryDirectory() as folder, JobFile.create(Path(folder) / "own.tensi", job) as file:
        bench = open_bench(job, resources, clock=clock)
        ended = _run(file, truth, bench)
        bench.close()
        for server in servers.values():
            server.shutdown()
            server.server_close()
        worked_out = plan(file.job, file.job.test("t"))
        readings = file.readings()
        judged = outcome(file.job, worked_out, readings)
        if truth.loads["load"].on or truth.loads["load2"].on:
            return Told(False, None, f"the load was left on; {ended.kind}: {ended.text}")
        if kind == "dies":
            return _death(file.job, judged, truth, ended)
        if kind == "second":
            return _pulled(judged, truth, ended)
        assert judged.facts is not None
        return _limit(limit_of(Facts(file.job, worked_out, tuple(judged.facts.readings))), truth, ended)


def _job(kind: str) -> Job:
    whole = demo_job("ridge-pier").model_copy(update={"demo": False})
    # The bench of this benchmark has a load, a meter, and at the most a second load.
    whole = with_campaign(whole, thermometer=None, probes=(), oscilloscope=None, line_source=None)
    whole = whole.model_copy(update={"campaign": whole.campaign.model_copy(update={"tests": ()})})
    tests = {
        "dies": LoadRegulation(id="t", output="mount"),
        "second": Outlets(id="t", output="mount", others=("dew",)),
    }
    built = whole.assembly.model_copy(update={"already_running": True})
    whole = with_test(whole, tests.get(kind, Overload(id="t", output="mount")))
    whole = whole.model_copy(update={"assembly": built})
    passed = open_holds(notices(whole, []), "prove", "mount")
    told = tuple(Overrule(hold=n.id, reason="a bench of numbers alone") for n in passed)
    return whole.model_copy(update={"overruled": told})


def _run(file: JobFile, truth: Truth, bench: object) -> Event:
    def tell(event: Event) -> None:
        if event.kind == "ask":
            if "wall" in event.text:
                truth.dead = truth.kind == "dies" and truth.dead
            engine.answer()

    engine = RunEngine(file, plan(file.job, file.job.test("t")), bench, tell, present=True)  # type: ignore[arg-type]
    engine.start()
    engine.wait_for_end()
    engine.join()
    assert engine.ended is not None
    return engine.ended


def _limit(found: CurrentLimit | None, truth: Truth, ended: Event) -> Told:
    if found is None:
        return Told(False, None, f"nothing found; {ended.kind}: {ended.text}")
    right = found.kind.value == KINDS[truth.kind]
    knee = found.knee_A
    inside = knee.low <= truth.knee <= knee.high if knee is not None and truth.kind != "drift" else None
    ends = f"{knee.low:.3f} to {knee.high:.3f}" if knee is not None else "none"
    if truth.kind == "hiccup":
        period = found.period_s
        right &= period is None or period.low <= truth.period <= period.high
        ends += f", period {truth.period:.3f} in {period}"
    return Told(
        right, inside, f"{found.kind.value} {found.reason}, knee {truth.knee:.3f} in {ends}; {ended.kind}"
    )


def _death(job: Job, judged: object, truth: Truth, ended: Event) -> Told:
    """An output that died at some load has failed there; what it held before still counts."""
    shown = held_A(points(job, [judged], "mount"))  # type: ignore[list-item]
    right = ended.kind != "complete" and judged.verdict is Verdict.NONCONFORMING  # type: ignore[attr-defined]
    right &= shown is None or shown < truth.dies_at
    return Told(right, None, f"dies at {truth.dies_at:.2f}, shown {shown}; {ended.kind}: {ended.text}")


def _pulled(judged: object, truth: Truth, ended: Event) -> Told:
    """An outlet that another pulls down holds alone and not beside it."""
    verdicts = {r.step.title: r.verdict for r in judged.steps if r.step.place == "mount"}  # type: ignore[attr-defined]
    low = NOMINAL - truth.pull * 3.0 - truth.ohm * 8.0
    together = [v for title, v in verdicts.items() if "all at 100 %" in title]
    alone = [v for title, v in verdicts.items() if "alone" in title]
    expected = Verdict.NONCONFORMING if low < NOMINAL * 0.97 - 0.01 else Verdict.CONFORMS
    near = abs(low - NOMINAL * 0.97) < 0.02
    right = alone == [Verdict.CONFORMS] and (near or together == [expected])
    words = f"together {low:.3f} V: {[v.value for v in together]}, alone {[v.value for v in alone]}"
    return Told(right, None, f"{words}; {ended.kind}: {ended.text}")


def main(seeds: int = 5, first: int = 0) -> int:
    """Every truth at so many seeds; prints what was wrong, then how many were right."""
    right = total = inside = knees = 0
    told: Callable[[str], None] = lambda words: print(words, flush=True)  # noqa: E731
    for kind in KINDS:
        for seed in range(first, first + seeds):
            found = one(kind, seed)
            total, right = total + 1, right + found.kind_right
            if found.knee_inside is not None:
                knees, inside = knees + 1, inside + found.knee_inside
            if not found.kind_right or found.knee_inside is False:
                told(f"{kind} {seed}: {found.words}")
    told(f"{right} of {total} told rightly, {inside} of {knees} knees inside")
    return 0 if right == total and inside >= 0.95 * knees else 1


if __name__ == "__main__":
    sys.exit(main(*(int(x) for x in sys.argv[1:])))
