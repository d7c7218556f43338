"""Filing and striking without a window; what the command line refuses, and how it says so."""

import json
from pathlib import Path

import numpy as np
import pytest

from tensimeter.core.measurement.plausible import doubts
from tensimeter.store.jobfile import JobFile


@pytest.fixture
def path(tensimeter, tmp_path: Path) -> Path:
    made = tmp_path / "ridge.tensi"
    assert tensimeter("demo", "ridge-pier", "--file", made)[0] == 0
    return made


def test_a_demo_is_written_once_and_is_called_one(tensimeter, path: Path) -> None:
    code, _, err = tensimeter("demo", "ridge-pier", "--file", path)
    assert (code, "exists already" in err) == (2, True)
    with JobFile(path) as file:
        assert file.job.demo
        assert file.readings() == []


def test_a_line_is_filed_and_struck(tensimeter, path: Path) -> None:
    code, out, _ = tensimeter("file", path, "mount", "13.58V", "@4A", "--json")
    assert code == 0
    told = json.loads(out)
    # By its hidden parts it gives more than it is drawn for: that is said at once.
    assert "foretold are 13.38 V to 13.47 V at 4 A; 13.58 V was read" in told.pop("contradicts")
    assert told == {
        "kept": 2, "id": 1, "place": "mount", "quantity": "V", "value": 13.58, "amps_A": 4.0,
        "test": "load-regulation", "step": 6, "stands": "4 A · mains ? · room ?",
    }  # fmt: skip
    code, out, _ = tensimeter("strike", path, "1", "--reason", "the wrong meter", "--json")
    assert (code, json.loads(out)["struck"]) == (0, [1, 2])
    code, _, err = tensimeter("strike", path, "1", "--reason", "once more")
    assert (code, "taken back already" in err) == (2, True)
    assert tensimeter("strike", path, "1", "--reason", "x")[0] == 2
    assert tensimeter("strike", path, "run", "9", "--reason", "no such run")[0] == 2
    code, out, _ = tensimeter("file", path, "hub 5.19V @1A", "mount 13.6 @0", "--json")
    assert [r["place"] for r in json.loads(out)["readings"]] == ["hub", "mount"]
    code, out, _ = tensimeter("strike", path, "last", "--by", "13.57V", "--reason", "misread", "--json")
    assert code == 0
    with JobFile(path) as file:
        assert [r.value for r in file.readings() if r.place == "mount" and r.quantity == "V"] == [13.57]
        assert any("the wrong meter" in entry.text for entry in file.logbook())


def test_what_is_said_beside_a_line_is_of_it_and_of_nothing_before(tensimeter, path: Path) -> None:
    assert tensimeter("file", path, "mount 13.6V")[0] == 0
    said = ("--at", "1.6A", "--mains", "231V", "--room", "21C")
    code, out, _ = tensimeter("file", path, *said, "mount 13.5V", "mount-panel 13.6V", "--json")
    assert (code, json.loads(out)["readings"][0]["stands"]) == (0, "1.6 A · 231 V mains · 21 °C")
    with JobFile(path) as file:
        first, *rest = file.readings()
        assert {r.scan for r in rest} == {rest[0].scan} != {first.scan}
        assert {(r.place, r.value) for r in rest} == {
            ("mount", 13.5), ("mount", 1.6), ("mains", 231.0), ("ambient", 21.0), ("mount-panel", 13.6),
        }  # fmt: skip
    # A line of its own completes what came before it.
    assert tensimeter("file", path, "hub 5.19V")[0] == 0
    code, out, _ = tensimeter("file", path, "hub @unloaded", "--json")
    assert (code, json.loads(out)["kept"]) == (0, 1)
    assert tensimeter("file", path, "--changed", "new fuse", "mount 13.6V @0A")[0] == 0
    with JobFile(path) as file:
        assert {r.state for r in file.readings()} == {1, file.job.states[-1].number}
        assert file.job.states[-1].what == "new fuse"


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["mount", "13.58", "4"], "not one figure"),
        (["mount", "13.58V", "4V"], "Put @ before"),
        (["moutn", "13.5V"], "Did you mean MOUNT?"),
        (["mount", "1.234,5"], "one decimal mark"),
        (["mount", "13602V", "@4A"], "far from the expected"),
        (["mount", "-13.5V"], "probes swapped"),
        (["mount", "13.5V", "@400A"], "far above"),
        ([], "one of them"),
        (["mount", "1e400"], "no size that anything here has"),
    ],
)
def test_what_is_not_understood_or_can_not_be_is_not_kept(
    tensimeter, path: Path, words: list[str], said: str
) -> None:
    code, _, err = tensimeter("file", path, *words)
    assert (code, said in err) == (2, True), err
    assert len(err.strip().splitlines()) == 1
    with JobFile(path) as file:
        assert file.readings() == []


def test_a_log_is_filed_in_its_own_units_and_asked_about(tensimeter, path: Path, tmp_path: Path) -> None:
    log = tmp_path / "bench.csv"
    log.write_text("Time (s),Voltage (mV),Current (mA)\n0,13602,0\n5,13500,1600\n9,13420,3200\n")
    code, out, _ = tensimeter("file", path, "--log", log, "--test", "load-regulation", "--json")
    assert (code, json.loads(out)["rows"]) == (0, 3)
    with JobFile(path) as file:
        assert [r.value for r in file.readings() if r.quantity == "V"] == [13.602, 13.5, 13.42]
        assert {r.origin for r in file.readings()} == {"file"}
    assert tensimeter("strike", path, "log", "bench.csv", "--reason", "the wrong supply")[0] == 0
    with JobFile(path) as file:
        assert file.readings() == []
    for text, words in (
        ("v,i\n13602,0\n13500,2\n", "far from the expected"),
        ("v,i\n13.6,0\n13.55,1.6\n135.0,3.2\n13.45,4\n", "row 3 is ten times off"),
        ("v,i\n13.6,0\n13.5,1600\n13.4,3200\n", "unit in the header"),
    ):
        log.write_text(text)
        code, _, err = tensimeter("file", path, "--log", log, "--test", "load-regulation")
        assert code == 2
        assert any(w in err for w in words.split("|")), err
        assert "--accept" in err
    assert tensimeter("file", path, "--log", log, "--test", "load-regulation", "--accept")[0] == 0
    # What is sunk below zero would count as no load: it is turned, or not taken at all.
    log.write_text("v,i\n13.6,0\n13.5,-4\n")
    for more in ((), ("--accept",)):
        code, _, err = tensimeter("file", path, "--log", log, "--test", "load-regulation", *more)
        assert (code, "--map amps=-#2" in err) == (2, True)
    turned = tensimeter("file", path, "--log", log, "--test", "load-regulation", "--map", "amps=-#2")
    assert turned[0] == 0, turned


def test_an_analysis_refuses_what_can_not_be_right(tensimeter, tmp_path: Path) -> None:
    log = tmp_path / "log.csv"
    log.write_text("v,i\n13.6,0\n13.55,-2\n13.5,-4\n")
    code, _, err = tensimeter("analyse", "regulation", log)
    assert (code, "wires are swapped" in err) == (2, True)
    assert tensimeter("analyse", "regulation", log, "--accept", "--json")[0] == 2
    assert tensimeter("analyse", "regulation", log, "--map", "amps=-#2", "--json")[0] == 0
    log.write_text(
        "Time (min),Voltage (mV),Current (mA)\n" + "".join(f"{k},{4200 - 10 * k},1000\n" for k in range(61))
    )
    code, out, _ = tensimeter("analyse", "capacity", log, "--cutoff", "3.0", "--json")
    # One ampere for sixty minutes.
    assert json.loads(out)["charge_Ah"]["value"] == pytest.approx(1.0)
    log.write_text("time,temp\n" + "".join(f"{k},20\n" for k in range(5)))
    code, _, err = tensimeter("analyse", "soak", log)
    assert (code, "nothing rises" in err) == (2, True)
    for words in (
        ["analyse", "regulation", "/dev/null"],
        ["check", tmp_path],
        ["size", "ntc", "--beta", "1e400"],
    ):
        code, _, err = tensimeter(*words)
        assert code == 2, err
        assert "Traceback" not in err


def test_doubts_by_hand() -> None:
    steady = np.array([13.6, 13.5, 13.4, 13.3])
    assert doubts(volts=steady, amps=np.arange(4.0), expected_V=13.6, most_A=3.0) == []
    # A load at rest reads a little below zero; that is its ammeter's offset.
    assert doubts(amps=np.array([-0.01, 1.0, 2.0])) == []
    assert doubts(volts=np.array([13.6, 1.36, 13.5])) != []
    assert doubts(volts=np.array([136.0, 13.6, 13.5])) != []
    assert doubts(volts=np.array([13.6, 0.1, 13.5]), steady=False) == []
    assert doubts(volts=np.array([13.6, 13.5, 2.0, 1.0])) == []
    assert doubts(celsius=np.array([20.0, 21.0, 95.0, 21.5])) != []
    assert doubts(celsius=np.array([20.0, 40.0, 60.0, 80.0])) == []
    assert doubts(volts=np.array([]), amps=np.array([])) == []


def test_what_things_are_called_is_text_on_a_terminal(tensimeter, path: Path) -> None:
    with JobFile(path) as file:
        links = [
            link.model_copy(update={"name": "x[/red]\x1b[31m<b>y</b>"}) if link.id == "mount" else link
            for link in file.job.design.links
        ]
        design = file.job.design.model_copy(update={"links": tuple(links)})
        file.edit("renamed", file.job.model_copy(update={"design": design}))
    code, out, err = tensimeter("solve", path)
    assert code == 0, err
    assert "[/red]" in out
    assert "\x1b" not in out


def test_a_demo_is_the_same_whenever_it_is_played(tensimeter, tmp_path: Path) -> None:
    figures = []
    for name in ("a", "b"):
        path = tmp_path / f"{name}.tensi"
        tensimeter("demo", "ridge-pier", "--file", path)
        code, out, err = tensimeter(
            "prove", path, "minimum-load", "--output", "mount", "--stand-ins", "--json"
        )
        assert code == 0, err
        figures.append(json.loads(out))
    assert figures[0] == figures[1]
    assert figures[0]["simulated"]
    code, out, err = tensimeter("prove", path, "minimum-load", "--stand-ins", "--seed", "2")
    assert (code, "KeyError" in err) == (0, False)
    assert "findings" in out or "verdict" in out


def test_no_page_and_no_example_holds_an_address_of_anybodys_network() -> None:
    import re

    house = Path(__file__).parents[2]
    pages = [
        house / "README.md",
        *house.glob("docs/*.md"),
        *house.glob("src/**/*.py"),
        *house.glob("src/**/*.toml"),
    ]
    private = re.compile(r"\b(?:192\.168|10\.\d+\.\d+|172\.(?:1[6-9]|2\d|3[01]))\.\d+")
    assert [page.name for page in pages if private.search(page.read_text(encoding="utf-8"))] == []


@pytest.mark.parametrize(
    "words",
    [
        "size pwm-dac --supply 50 --frequency 50 --bits 12 --resistance OL --capacitance 12",
        "size rectifier --emf 50 --capacitance 3 --load 50 --resistance 12",
        "size wire --gauge 16awg --length 1e400 --current 3A",
        "size regulator --reference 1.25 --r1 240 --r2 5k --turns 0",
        "analyse regulation {log} --meter 1.2.3%+2@0.01",
        "size discharge --capacitance 5e-324 --resistance 1k --volts 400",
        "analyse leakage --open inf --loaded 6.8V",
        "solve {job} --load mount=1e20",
        "reach {job} mount --load hub=nan",
        "analyse limit {log} --json",
        "analyse ripple {log} --rate 0",
    ],
)
def test_what_once_went_wrong_ends_in_one_sentence(
    tensimeter, path: Path, tmp_path: Path, words: str
) -> None:
    log = tmp_path / "log.csv"
    log.write_text("v,i\n0,0\n0,0\n0,0\n")
    code, out, err = tensimeter(*(w.format(job=path, log=log) for w in words.split()))
    assert code in (0, 2), err
    assert "Traceback" not in err
    assert code == 0 or err.strip()
    assert "Infinity" not in out
    assert "NaN" not in out
    assert tensimeter("strike", path, "", "--reason", "nothing named")[0] == 2


def test_what_is_claimed_is_held_against_what_was_read(tensimeter, path: Path) -> None:
    for words in ("hub 5.19V @0.2A", "hub 5.1V @1A", "hub 4.2V @1.5A"):
        assert tensimeter("file", path, *words.split())[0] == 0
    code, out, _ = tensimeter("claims", path, "--json")
    assert code == 0
    rows = {r["name"]: r for r in json.loads(out)["claims"]}
    hub, unit = rows["CAMERA HUB"], rows["Donor A"]
    assert (hub["claimed_A"], hub["reached_A"]["value"], hub["falls_at_A"]["value"]) == (2.0, 1.0, 1.5)
    assert (hub["verdict"], rows["MOUNT"]["verdict"], unit["verdict"]) == (
        "misses",
        "not_measured",
        "not_measured",
    )
    # 5.1 W at the hub, by a converter, off one donor of 24 V: some quarter of an ampere.
    assert 0.2 < unit["reached_A"]["value"] < 0.35


def test_a_log_as_it_comes_is_filed_with_what_was_taken_for_what(
    tensimeter, path: Path, tmp_path: Path
) -> None:
    log = tmp_path / "abend.csv"
    rows = "\n".join(f"{k};13,{60 - k};{-k},0 A" for k in range(5))
    log.write_bytes(f"Messung 7\nZeit;Spannung;Last\n{rows}\nEnde\n".encode("latin-1"))
    assert tensimeter("file", path, "--log", log)[0] == 2
    named = ("--map", "amps=-Last")
    code, out, said = tensimeter("file", path, "--log", log, *named, "--json")
    assert code == 0, said
    found = json.loads(out)
    assert found["rows"] == 5
    assert "a comma is the decimal mark" in found["said"]
    assert any(s.startswith("“Last") and s.endswith("taken for amps") for s in found["said"])
    with JobFile(path) as file:
        amps = [r.value for r in file.readings() if r.quantity == "A"]
    assert amps == pytest.approx([0, 1, 2, 3, 4])
    code, out, _ = tensimeter("analyse", "regulation", log, *named, "--nominal", "13.6V", "--json")
    assert code == 0
    assert json.loads(out)["no_load_V"]["value"] == pytest.approx(13.6, abs=0.01)
    for wrong in ("volts", "colour=blue", "decimal=dot", "volts=#9"):
        assert tensimeter("analyse", "regulation", log, "--map", wrong, "--nominal", "13.6V")[0] == 2


def test_a_log_of_heat_is_of_places_that_are_said_and_of_the_load_that_stands(
    tensimeter, path: Path, tmp_path: Path
) -> None:
    log = tmp_path / "heat.csv"
    rows = [f"{30 * k},{43 - 22 * 0.967**k:.2f},{21 + 0.01 * (k % 3):.2f}" for k in range(180)]
    log.write_text("time [s],Kanal 1 [degC],Kanal 2 [degC]\n" + "\n".join(rows))
    soak = ("--log", log, "--test", "soak")
    code, _, err = tensimeter("file", path, *soak)
    assert (code, "are no places that are known" in err) == (2, True)
    of = ("--map", "case=Kanal 1,room=#3")
    # Of a load that nobody told nothing is claimed, however steady it got.
    assert tensimeter("file", path, *soak, *of)[0] == 0
    assert "min from cold" not in tensimeter("plate", path)[1]
    # Nor where nobody read the volts meanwhile.
    assert tensimeter("file", path, "--at", "8A", *soak, *of, "--accept")[0] == 0
    assert "min from cold" not in tensimeter("plate", path)[1]
    whole = [f"{row},13.5{k % 3}" for k, row in enumerate(rows)]
    log.write_text("time [s],Kanal 1 [degC],Kanal 2 [degC],volts [V]\n" + "\n".join(whole))
    assert tensimeter("file", path, "--at", "8A", *soak, *of, "--accept")[0] == 0
    assert "13.6 V · 7.99 A for 89 min from cold (amps said, not read)" in tensimeter("plate", path)[1]
    assert tensimeter("file", path, "--log", log, "--map", "case=#2", "--test", "load-regulation")[0] == 2
