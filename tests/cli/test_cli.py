"""The command line as a script meets it: JSON out, one sentence and exit 2 for bad input."""

import json
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

from tensimeter.bench.setup import read_voltmeter
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.readingline import understand
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile

from ..conftest import SPEED
from ..store.test_jobfile import damaged


def test_solve(tensimeter, path: Path) -> None:
    code, out, _ = tensimeter("solve", path, "--load", "MOUNT=4A", "--load", "hub=1500mA", "--json")
    found = json.loads(out)
    links = {x["id"]: x for x in found["links"]}
    assert code == 0
    assert links["mount"]["current_A"] == 4
    assert links["mount"]["voltage_V"] == pytest.approx(13.6 - 4 * 0.04369, abs=1e-3)
    assert links["hub"]["current_A"] == 1.5
    assert links["donor-a"]["current_A"] > links["donor-b"]["current_A"]
    assert found["warnings"] == []
    code, out, _ = tensimeter("solve", path, "--load", "MOUNT=9.2A")
    assert "Front end, hot spot: 107.4 °C of 105 °C" in out


def test_reach(tensimeter, path: Path) -> None:
    code, out, _ = tensimeter("reach", path, "MOUNT", "--load", "hub=1A", "--points", "40", "--json")
    assert code == 0
    border = json.loads(out)["border"]
    assert len(border) == 40
    # 85 K over 8.9 K/W are 9.551 W: 0.055·I² + 0.42·I + 1.3.
    assert border[10]["current_A"] == pytest.approx(9.011, abs=1e-3)
    assert border[10]["limiter"] == "Front end, hot spot"
    assert border[10]["short_time_A"] > 10.9
    assert border[-1]["limiter"].startswith("Donor")
    assert border[-1]["voltage_V"] == 40
    assert "hot spot" in tensimeter("reach", path, "mount")[1]
    code, _, err = tensimeter("reach", path, "nowhere")
    assert (code, "no output" in err) == (2, True)


def test_prove_then_analyse_gives_the_same_resistance(tensimeter, path: Path, tmp_path: Path) -> None:
    code, out, _ = tensimeter("prove", path, "load-regulation", "--stand-ins", "--json", "--speed", 400)
    proven = json.loads(out)
    assert code == 0
    assert [p["verdict"] for p in proven["points"]].count("holds") == 7
    assert proven["verdict"] == "too_close"
    # What was read for certain, a little below the 6.4 A that were set.
    assert 6.37 < proven["simulated_A"] < 6.4
    assert proven["simulated"] is True
    assert "proven_A" not in proven
    for point in proven["points"]:
        assert point["measured_V"]["low"] < point["measured_V"]["value"] < point["measured_V"]["high"]
    assert tensimeter("export", path, tmp_path / "out")[0] == 0
    log = tmp_path / "out" / "readings" / "load-regulation.csv"
    meters = ("--meter", "0.05%+3@0.001", "--ammeter", "0.08%+5@0.001")
    code, out, _ = tensimeter(
        "analyse", "regulation", log, "--nominal", "13.6V", "--tolerance", "3%", *meters, "--json"
    )
    found = json.loads(out)
    assert found["output_resistance_ohm"] == pytest.approx(proven["output_resistance_ohm"], rel=1e-9)
    assert found["verdict"] == "too_close"
    assert tensimeter("analyse", "regulation", log, "--require", "holds", "--tolerance", "3%")[0] == 1
    code, out, _ = tensimeter("import", tmp_path / "out", tmp_path / "twin.tensi")
    assert "40 readings" in out
    assert tensimeter("check", tmp_path / "twin.tensi")[0] == 0


def test_analyse_regulation_says_what_it_assumed(tensimeter, tmp_path: Path) -> None:
    log = tmp_path / "log.csv"
    log.write_text("volts;amps\n12,08;0\n11,94;2\n11,79;4\n")
    code, out, _ = tensimeter("analyse", "regulation", log, "--json")
    found = json.loads(out)
    assert code == 0
    assert found["output_resistance_ohm"]["value"] == pytest.approx(0.0725, abs=1e-3)
    assert len(found["warnings"]) == 3
    code, out, _ = tensimeter("analyse", "regulation", log, "--nominal", "12", "--lead", "21m", "--json")
    assert json.loads(out)["output_resistance_ohm"]["value"] == pytest.approx(0.0515, abs=1e-3)
    code, out, _ = tensimeter("analyse", "regulation", log, "--tolerance", "0.1%", "--meter", "1%+5@0.01")
    assert "can't settle this tolerance" in out


def test_report_schema_and_check(tensimeter, path: Path, tmp_path: Path) -> None:
    assert tensimeter("report", path, "-o", tmp_path / "s.html")[0] == 0
    assert (tmp_path / "s.html").exists()
    assert json.loads(tensimeter("schema")[1])["title"] == "Job"
    _, out, _ = tensimeter("check", path, "--json")
    assert json.loads(out)["whole"] is True


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (["solve", "none.tensi"], "There is no file"),
        (["solve", "{job}", "--load", "MOUNT"], "write OUTPUT=4A"),
        (["solve", "{job}", "--load", "MOON=4A"], "no output “MOON”"),
        (["solve", "{job}", "--load", "MOUNT=-4A"], "zero or above"),
        (["solve", "{job}", "--load", "MOUNT=4V"], "value in A"),
        (["prove", "{job}", "warp", "--stand-ins"], "no test “warp”"),
        (["prove", "{job}", "load-regulation"], "Choose one"),
        (["prove", "{job}", "load-regulation", "--bench", "none.toml"], "Hold point open"),
        (
            ["prove", "{job}", "load-regulation", "--bench", "none.toml", "--overrule", "known good"],
            "live pin to neutral pin",
        ),
        (
            [
                "prove",
                "{job}",
                "load-regulation",
                "--bench",
                "none.toml",
                "--overrule",
                "known-good",
                "--already-running",
            ],
            "can't be read",
        ),
        (["analyse", "regulation", "{empty}"], "is empty"),
        (["analyse", "regulation", "{words}"], "not a number"),
        (["analyse", "regulation", "{one}"], "Two pairs"),
        (["analyse", "regulation", "{good}", "--tolerance", "0"], "no tolerance"),
        (["analyse", "regulation", "{good}", "--meter", "fine"], "not an accuracy"),
        (["analyse", "regulation", "{good}", "--require", "perfect"], "no verdict"),
        (["size", "wire", "--gauge", "thick", "--length", "1", "--current", "1"], "not a wire size"),
        (["size", "wire", "--gauge", "16awg", "--length", "-1", "--current", "1"], "zero or above"),
        (["report", "{job}", "-o", "sheet.doc"], "as .pdf or .html"),
        (["check", "{text}"], "something else"),
        (["check", "{newer}"], "newer Tensimeter"),
        (["check", "{truncated}"], "damaged or cut short"),
        (["import", "nowhere", "b.tensi"], "not an exported job"),
        (["stand-ins"], "Name a job file"),
        (["stand-ins", "--demo", "moon"], "no demo “moon”"),
        (["demo", "moon"], "no demo “moon”"),
    ],
)
def test_bad_input_is_one_sentence_and_exit_2(
    tensimeter, path: Path, tmp_path: Path, demo: Job, monkeypatch, words: list[str], sentence: str
) -> None:
    monkeypatch.chdir(tmp_path)
    given = {"job": path}
    for name, text in (
        ("empty", ""),
        ("words", "v,i\n1,0\nlots,2\n"),
        ("one", "v,i\n1,0\n"),
        ("good", "v,i\n1,0\n0.9,2\n"),
    ):
        given[name] = tmp_path / f"{name}.csv"
        given[name].write_text(text)
    for kind in ("text", "newer", "truncated"):
        given[kind] = tmp_path / f"{kind}.tensi"
        JobFile.create(given[kind], demo).close()
        damaged(given[kind], kind)
    before = path.read_bytes() if "--overrule" not in words else b""
    code, _, err = tensimeter(*(w.format(**given) for w in words))
    assert code == 2
    assert sentence in err
    assert "Traceback" not in err
    assert len(err.strip().splitlines()) == 1
    if before:
        assert path.read_bytes() == before


def test_a_job_known_by_readings_has_no_path_to_solve(tensimeter, shed_file: JobFile) -> None:
    shed_file.keep([])
    assert understand(shed_file.job, "out 12V").place == "out"
    code, _, err = tensimeter("solve", shed_file.path)
    assert code == 2
    assert "known by its readings only" in err


def test_stand_ins_serve_another_process_and_stop(tmp_path: Path) -> None:
    words = [
        sys.executable,
        "-m",
        "tensimeter",
        "stand-ins",
        "--demo",
        "ridge-pier",
        "--speed",
        "100",
        "--output",
        "hub",
    ]
    served = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
    try:
        assert served.stdout is not None
        resources = json.loads(served.stdout.readline())
        import pyvisa

        manager = pyvisa.ResourceManager("@py")
        meter = manager.open_resource(resources["voltmeter"], read_termination="\n", write_termination="\n")
        assert float(meter.query("MEAS:VOLT:DC?")) == pytest.approx(5.187, abs=0.02)
        meter.close()
    finally:
        served.terminate()
    assert served.wait(10) == 0


def test_without_a_display_the_window_says_so(tensimeter, path: Path, monkeypatch) -> None:
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    code, _, err = tensimeter(path)
    assert code == 2
    assert "no display" in err


@pytest.mark.parametrize(
    ("name", "test", "low", "high"),
    [
        # The shutter's tired contact: 11 + 8 + 34.5 + 48 mΩ, where 61 mΩ were predicted.
        ("dome-workshop", "load-regulation", 0.098, 0.105),
        # The clamp: 6 + 25.4 + 27.6 + 11 mΩ.
        ("finishers-bench", "load-regulation", 0.086, 0.094),
    ],
)
def test_what_is_hidden_in_the_other_demos_is_found(
    tensimeter, tmp_path: Path, name: str, test: str, low: float, high: float
) -> None:
    path = tmp_path / f"{name}.tensi"
    JobFile.create(path, demo_job(name)).close()
    code, out, err = tensimeter("prove", path, test, "--stand-ins", "--speed", "400", "--json")
    assert code == 0, err
    found = json.loads(out)["output_resistance_ohm"]
    assert found["low"] < found["value"] < found["high"]
    assert low < found["value"] < high
    code, out, _ = tensimeter("report", path, "-o", tmp_path / "sheet.html")
    assert code == 0
    assert demo_job(name).name.replace("'", "&#39;") in (tmp_path / "sheet.html").read_text()


def test_analyse_cross(tensimeter, tmp_path: Path) -> None:
    path = tmp_path / "cases.csv"
    path.write_text("i 12 V,v 12 V,i 5 V,v 5 V\n0,12.04,0,5.04\n5,11.985,0,5.06\n0,12.49,10,4.98\n")
    code, out, _ = tensimeter("analyse", "cross", path, "--json")
    found = json.loads(out)
    assert code == 0
    assert found["rails"] == ["12 V", "5 V"]
    assert found["resistance_ohm"][0][1]["value"] == pytest.approx(-0.045)
    assert (found["worst"]["rail"], found["worst"]["by"]) == ("12 V", "5 V")
    assert any("As many cases as unknowns" in w for w in found["warnings"])
    path.write_text("i 12 V,v 12 V,i 5 V,v 5 V\n0,12,0,5\n")
    code, _, err = tensimeter("analyse", "cross", path)
    assert (code, "tell the rails' currents apart" in err) == (2, True)


def test_analyse_leakage(tensimeter) -> None:
    words = "analyse leakage --open 64V --meter 10M --shunt 100k --loaded 6.8V --mains 50 --limit 0.25m"
    code, out, _ = tensimeter(*words.split(), "--json")
    found = json.loads(out)
    assert code == 0
    assert found["verdict"] == "holds"
    # A bare resistance explains the two readings by the larger current: R/V is straight in R.
    slope = (10e6 / 64 - 99_010 / 6.8) / (10e6 - 99_010)
    assert found["touch_current_A"]["value"] == pytest.approx(1 / (99_010 / 6.8 - slope * 97_010), rel=1e-4)
    assert found["source"] == "not told apart"
    told = json.loads(tensimeter(*words.split(), "--second", "10k=0.686", "--accuracy", "1%", "--json")[1])
    # 6.8 V across 99 kΩ are 69 µA, nearly all that a capacitance can drive.
    assert (told["source"], told["touch_current_A"]["value"]) == (
        "capacitive",
        pytest.approx(6.8 / 99_010, rel=0.02),
    )
    code, out, _ = tensimeter(*words.replace("6.8V", "63V").split(), "--json", "--require", "holds")
    assert code == 1
    assert "Treat it as live" in json.loads(out)["warnings"][0]
    assert "touch current" in tensimeter(*words.split())[1]
    code, _, err = tensimeter(*words.replace("64V", "4V").split())
    assert (code, "not below the open one" in err) == (2, True)


def test_a_supply_that_runs_already_is_proven_and_it_is_recorded(
    tensimeter, path: Path, tmp_path: Path, stand_ins
) -> None:
    bench = tmp_path / "bench.toml"
    tables = [f'[{role}]\nresource = "{at}"\n' for role, at in stand_ins.resources.items()]
    bench.write_text(f"speed = {SPEED}\n" + "".join(tables))
    words = ("prove", path, "load-regulation", "--bench", bench, "--json")
    code, _, err = tensimeter(*words)
    assert (code, "Hold point open" in err) == (2, True)
    code, out, err = tensimeter(*words, "--already-running", "--overrule", "floats, read last week")
    assert code == 0, err
    assert json.loads(out)["simulated_A"] > 0
    with JobFile(path, read_only=True) as file:
        assert file.job.assembly.already_running
        assert [o.reason for o in file.job.overruled] == ["floats, read last week"]
        assert any("already built and running" in entry.text for entry in file.logbook())
    assert tensimeter("report", path, "-o", tmp_path / "sheet.html")[0] == 0
    sheet = (tmp_path / "sheet.html").read_text()
    assert "taken as already built and running" in sheet
    assert "overruled, “floats, read last week”" in sheet
    # Said once, it need not be said again.
    assert tensimeter(*words)[0] == 0


def test_a_voltmeter_that_is_not_there_gives_one_sentence(tmp_path: Path, demo: Job) -> None:
    file = tmp_path / "bench.toml"
    for text, said in (
        ('[voltmeter]\nresource = "TCPIP::127.0.0.1::9::SOCKET"\n', "voltmeter"),
        ("[voltmeter]\nresource = 3\n", "needs a line resource"),
        ("speed = 0\n", "above zero"),
        ("not toml", "is not a bench file"),
    ):
        file.write_text(text)
        with pytest.raises(UserError, match=said):
            read_voltmeter(demo, file)


def test_version_and_help_in_short(tensimeter) -> None:
    code, text, _ = tensimeter("--version")
    project = tomllib.loads((Path(__file__).parents[2] / "pyproject.toml").read_text())
    assert (code, text) == (0, f"tensimeter {project['project']['version']}\n")
    for words in (("-h",), ("plate", "-h"), ("size", "sink-load", "-h")):
        code, text, _ = tensimeter(*words)
        assert (code, "Usage" in text) == (0, True)
