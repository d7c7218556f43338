"""Every command that the README shows is run as it is written, on demo data and this machine alone."""

import re
import shlex
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from typer.main import get_command

from tensimeter.cli.commands import app
from tensimeter.cli.examples import EXAMPLES
from tensimeter.core.plate.face_edits import new_face
from tensimeter.demo.library import demo_job
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile

README = Path(__file__).parents[2] / "README.md"
#: Served until it is stopped; the whole campaign, each test of which is run elsewhere; 127.0.0.1 with a port.
ELSEWHERE = ("stand-ins --demo", "prove JOB all", "check-profile")


def commands() -> Iterator[str]:
    for line in README.read_text(encoding="utf-8").splitlines():
        if line.startswith(".venv/bin/tensimeter "):
            yield re.sub(r"\s#\s.*$", "", line.removeprefix(".venv/bin/tensimeter ")).strip()


ALL = list(commands())


@pytest.fixture
def here(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, demo) -> Path:
    """A folder with all that the README names: a job called JOB, logs, a waveform."""
    monkeypatch.chdir(tmp_path)
    bench = demo_job("finishers-bench")
    JobFile.create(tmp_path / "JOB", demo).close()
    JobFile.create(tmp_path / "BENCH", bench).close()
    amps = np.linspace(0, 4, 9)
    rows = "\n".join(f"{13.6 - 0.03 * a:.4f},{a:.3f}" for a in amps)
    (tmp_path / "log.csv").write_text(f"voltage [V],current [A]\n{rows}\n")
    volts = 13.0 + np.minimum(0.6, np.maximum(0, 12 - amps * 3))
    over = "\n".join(f"{k},{v:.3f},{a:.3f}" for k, (v, a) in enumerate(zip(volts, amps * 3, strict=True)))
    (tmp_path / "overload.csv").write_text(f"time [s],voltage [V],current [A]\n{over}\n")
    (tmp_path / "cases.csv").write_text(
        "v 12 V,i 12 V,v 5 V,i 5 V\n12.1,0,5.1,0\n12.0,2,5.12,0\n12.2,0,5.0,3\n"
        "12.05,2,5.02,3\n12.02,1,5.05,2\n"
    )
    t = np.arange(0, 1800, 5.0)
    warm = "\n".join(f"{s:g},{22 + 40 * (1 - np.exp(-s / 400)):.2f},22.0" for s in t)
    (tmp_path / "LOG.csv").write_text(f"time [s],temp sink [degC],ambient [degC]\n{warm}\n")
    pack = "\n".join(f"{s:g},{12.6 - s / 1500:.3f},1.000" for s in t * 2)
    (tmp_path / "pack.csv").write_text(f"time [s],voltage [V],current [A]\n{pack}\n")
    held = "\n".join(f"{a:g},{1.012 * a + 0.004:.3f}" for a in np.linspace(0.5, 4, 8))
    (tmp_path / "meter.csv").write_text(f"panel [A],reference [A]\n{held}\n")
    step_s = np.linspace(0, 0.02, 2001)
    dip = 13.6 - 0.3 * np.exp(-np.maximum(step_s - 0.005, 0) / 1e-3) * (step_s > 0.005)
    (tmp_path / "step.csv").write_text(
        "time [s],voltage [V]\n" + "\n".join(f"{s:.5f},{v:.4f}" for s, v in zip(step_s, dip, strict=True))
    )
    k = np.arange(1_000_000)
    np.save(tmp_path / "scope.npy", 13.6 + 0.01 * np.sin(2 * np.pi * 65e3 * k / 10e6))
    return tmp_path


def test_the_readme_shows_commands() -> None:
    assert len(ALL) > 20
    assert all(any(part in c for c in ALL) for part in ELSEWHERE)


@pytest.mark.parametrize("command", [c for c in ALL if not any(part in c for part in ELSEWHERE)])
def test_a_command_of_the_readme_runs_as_it_is_written(tensimeter, here: Path, command: str) -> None:
    run_as_written(tensimeter, here, command)


#: Served until it is stopped; played in its own test; asks an instrument that is served in a test of its own.
SERVED = ("stand-ins", "demo", "check-profile")


@pytest.mark.parametrize("words", [w for w in EXAMPLES if w not in SERVED])
def test_the_example_of_each_command_runs_as_it_is_written(tensimeter, here: Path, words: str) -> None:
    if words == "import":
        assert tensimeter("export", "JOB", "folder")[0] == 0
    run_as_written(tensimeter, here, f"{words} {EXAMPLES[words]}")


def test_every_command_shows_its_example(tensimeter) -> None:
    def ends(command, words: str):
        inner = getattr(command, "commands", None)
        return [w for n, c in inner.items() for w in ends(c, f"{words} {n}".strip())] if inner else [words]

    tensimeter("--help")
    assert sorted(ends(get_command(app), "")) == sorted(EXAMPLES)
    for words in ("size fuse", "logbook"):
        assert f"Example: tensimeter {words} {EXAMPLES[words]}" in tensimeter(*words.split(), "-h")[1]


def run_as_written(tensimeter, here: Path, command: str) -> None:
    words = shlex.split(command)
    if words[:3] == ["tune", "JOB", "fan"]:
        # Of the demos the finisher's bench has a fan.
        words[1] = "BENCH"
    if words[0] == "strike":
        for _ in range(9):
            assert tensimeter("file", "JOB", "mount 13.58V @4A")[0] == 0
    if words[0] == "template":
        with JobFile(here / "JOB") as file:
            file.edit("front", new_face(file.job, "front", "260mm", "110mm", "2mm", "metal"))
    code, out, said = tensimeter(*words)
    assert code == 0, (command, said)
    assert out.strip()


def test_a_profile_is_tried_as_it_is_written(tensimeter, stand_ins: SimulatedBench) -> None:
    written = next(c for c in ALL if c.startswith("check-profile"))
    words = shlex.split(written)
    words[2] = stand_ins.resources["scope"]
    code, out, said = tensimeter(*words)
    assert code == 0, said
    assert "samples" in out
