"""Tests of the campaign and records from files, called as a script calls them."""

import json
from pathlib import Path

import numpy as np
import pytest

from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import WaveBook


def limit_rows(kind: str) -> str:
    """A log of an output with its limit at 4 A, in the order taken."""
    up = [(12 - 0.05 * a, a, a) for a in np.linspace(0, 3.9, 20)]
    share = np.linspace(0.9, 0.1, 12)
    after = {
        "constant_current": [(11.8 * s, 4.0, 5.0) for s in share],
        "foldback": [(11.8 * s, 4.0 * (0.3 + 0.7 * s), 5.0) for s in share],
        "constant_power": [(11.8 * s, 4.0 / s, 5.0 / s) for s in share[:8]],
        "brown_out": [(11.8 * s, 4.0 * (1 + 2 * (1 - s)), 15.0) for s in share[:8]],
        "latch_off": [(0.0, 0.0, 4.1)] * 5 + [(0.0, 0.0, 0.0)] * 5,
        "hiccup": [((6.0, 4.0, 4.1) if k % 4 == 0 else (0.0, 0.0, 4.1)) for k in range(40)],
        "none_reached": [],
        "load_limited": [(11.8, 4.0, 4.5), (11.8, 4.0, 5.0)],
    }[kind]
    rows = [f"{k * 0.1:.1f},{v:.4f},{i:.4f},{s:.3f}" for k, (v, i, s) in enumerate([*up, *after])]
    return "time [s],voltage [V],current [A],set [A]\n" + "\n".join(rows)


@pytest.mark.parametrize(
    "kind",
    ["constant_current", "constant_power", "foldback", "hiccup", "latch_off", "brown_out", "none_reached",
     "load_limited"],
)  # fmt: skip
def test_analyse_limit_knows_each_kind(tensimeter, tmp_path: Path, kind: str) -> None:
    path = tmp_path / "limit.csv"
    path.write_text(limit_rows(kind))
    more = ["--load-max", "4A"] if kind == "load_limited" else []
    code, out, err = tensimeter("analyse", "limit", path, "--ammeter", "0.1%+2@0.001", *more, "--json")
    found = json.loads(out)
    assert (code, found["kind"], err) == (0, kind, "")
    if kind not in ("none_reached", "load_limited"):
        assert found["knee_A"]["value"] == pytest.approx(4.0, rel=0.02)
        assert found["knee_A"]["low"] < 4.05
    if kind == "hiccup":
        assert found["period_s"]["value"] == pytest.approx(0.4)
    # Half of the record tells less, and says so.
    path.write_text("\n".join(limit_rows("latch_off").splitlines()[:24]))
    unsure = json.loads(tensimeter("analyse", "limit", path, "--json")[1])
    assert unsure["kind"] == "unsure"
    assert "whether the volts come back" in unsure["warnings"][0]


def test_analyse_ripple_from_csv_and_numpy(tensimeter, tmp_path: Path) -> None:
    t = np.arange(100_000) / 1e6
    volts = 12 + 0.04 * np.sqrt(2) * np.sin(2 * np.pi * 100.3 * t)
    np.save(tmp_path / "w.npy", volts)
    code, out, _ = tensimeter(
        "analyse", "ripple", tmp_path / "w.npy", "--rate", "1M", "--switching", "65k", "--json"
    )
    found = json.loads(out)
    assert code == 0
    assert found["mean_V"]["value"] == pytest.approx(12, abs=1e-3)
    assert found["lines"][0]["name"] == "2 × mains"
    assert found["lines"][0]["rms_V"]["value"] == pytest.approx(0.04, rel=0.01)
    assert found["pp_V"]["value"] == pytest.approx(0.113, rel=0.01)
    assert found["warnings"] == []
    assert "spectrum" not in found
    (tmp_path / "w.csv").write_text(
        "t;v\n"
        + "\n".join(f"{a:.6f};{b:.5f}".replace(".", ",") for a, b in zip(t[:40000], volts, strict=False))
    )
    code, out, _ = tensimeter("analyse", "ripple", tmp_path / "w.csv", "--bandwidth", "20M")
    assert code == 0
    assert "2 × mains" in out
    assert "! The bandwidth limit" in out
    code, _, err = tensimeter("analyse", "ripple", tmp_path / "w.npy")
    assert (code, "--rate" in err) == (2, True)


def test_prove_each_test_and_all_of_them(tensimeter, path: Path) -> None:
    code, out, err = tensimeter(
        "prove", path, "line-regulation", "--stand-ins", "--output", "hub", "--speed", 60
    )
    assert code == 0
    assert "line 207 V" in err
    assert "from 207 to 253 V" in out
    code, out, _ = tensimeter("prove", path, "ripple", "--stand-ins", "--speed", 60, "--json")
    found = json.loads(out)
    assert (found["test"], found["verdict"]) == ("ripple", "misses")
    assert [p["waveform"] for p in found["points"]] == [True] * 3
    rms = next(f for f in found["findings"].values() if f["name"] == "rms at 8 A")
    assert rms["value"]["value"] == pytest.approx(0.0156, rel=0.1)
    assert "proven_A" not in found
    code, _, _ = tensimeter(
        "prove", path, "ripple", "--stand-ins", "--speed", 60, "--go-on", "--require", "holds"
    )
    assert code == 1
    with JobFile(path) as file:
        kinds = [t.kind for t in file.job.campaign.tests]
        assert {"line-regulation", "ripple"} <= set(kinds)
        assert len(WaveBook(file).waves()) == 3
        assert file.job.test("line-regulation").output == "hub"
    for words, said in (
        (("prove", path, "nonsense", "--stand-ins"), "no test “nonsense”"),
        (("prove", path, "ripple", "--stand-ins", "--output", "none"), "no output “none”"),
    ):
        code, _, err = tensimeter(*words)
        assert (code, said in err) == (2, True)


def test_prove_all_of_a_small_job(tensimeter, shed_file: JobFile, demo) -> None:
    from tensimeter.core.model.edits import with_campaign
    from tensimeter.core.model.stock_edits import with_part

    job = shed_file.job
    for part in demo.stock:
        if part.kind in ("load", "meter"):
            job = with_part(job, part)
    job = with_campaign(job, load="sink-150", voltmeter="bench-meter", ammeter="sink-150")
    shed_file.edit("a bench", job)
    shed_file.close()
    code, out, err = tensimeter("prove", shed_file.path, "all", "--stand-ins", "--speed", 60, "--json")
    # A supply that is known by its nameplate has nothing behind it to simulate: the run says so and ends.
    assert code == 1
    assert "Only 0.00 V stand at OUT without load" in err
    bodies = json.loads(out)["tests"]
    assert [b["test"] for b in bodies] == ["tolerance"]
    assert "A part of it only: 0 of 1 points were read." in bodies[0]["warnings"]
    with JobFile(shed_file.path) as file:
        assert {t.kind for t in file.job.campaign.tests} == {"tolerance", "load-regulation"}


def test_a_profile_is_checked_and_instruments_answer(tensimeter, stand_ins: SimulatedBench) -> None:
    load, meter = stand_ins.resources["load"], stand_ins.resources["voltmeter"]
    code, out, _ = tensimeter("check-profile", "generic-load", load, "--json")
    found = json.loads(out)
    assert (code, found["result"]) == (0, "every command that was tried fits")
    assert {c["command"]: c["fits"] for c in found["commands"]}["on"] == "not tried"
    code, out, _ = tensimeter("check-profile", "generic-load", meter)
    assert code == 1
    assert "do not fit" in out
    code, _, err = tensimeter("check-profile", "generic-load", "TCPIP::127.0.0.1::1::SOCKET")
    assert code in (1, 2)
    code, _, err = tensimeter("check-profile", "no-such", load)
    assert (code, "can't be read" in err) == (2, True)
    code, out, _ = tensimeter("instruments", "--at", meter, "--json")
    answers = [i["answer"] for i in json.loads(out)["instruments"]]
    assert "Simulated,multimeter,0,1" in answers
    assert not stand_ins.load_drawing
