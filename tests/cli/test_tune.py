"""Displays against references, from a table and from a job's own readings."""

import json
from pathlib import Path

import pytest

from tensimeter.core.testplan.check_words import check_worked
from tensimeter.core.testplan.meter_checks import meter_checks
from tensimeter.store.jobfile import JobFile


def test_from_a_table(tensimeter, tmp_path: Path) -> None:
    table = tmp_path / "panel.csv"

    def asked(text: str, *options: str) -> tuple[int, str, str]:
        table.write_text(text)
        return tensimeter("analyse", "meter", table, *options)

    rows = "panel [mA];reference [A]\n500;0,540\n4000;4,250\n8000;8,490\n4000;4,251\n"
    code, text, _ = asked(
        rows, "--accuracy", "0.1%+2@0.001", "--counts", "0.01", "--constant", "1000", "--json"
    )
    found = json.loads(text)
    assert code == 0
    assert found["unit"] == "A"
    assert found["gain"]["value"] == pytest.approx(1.06, abs=1e-3)
    assert found["offset"]["value"] == pytest.approx(0.01, abs=3e-3)
    assert found["worst_error_before"]["value"] == pytest.approx(-0.49)
    assert abs(found["worst_error_after"]["value"]) < 0.002
    assert found["constant"]["new"] == pytest.approx(1060, abs=1)
    told = asked(rows, "--tolerance", "0.2%")[1]
    assert "worst error before" in told
    assert "mA" in told
    assert "can't settle" in told
    for wrong in (
        "panel [V],reference [A]\n1,1\n2,2\n", "a,b\n1,1\n2,2\n", "panel,reference\n1,1\n1,1\n", "",
        "panel,reference\n1,1\n2,word\n", "panel,reference,ref2\n1,1,1\n2,2,2\n",
    ):  # fmt: skip
        code, _, said = asked(wrong)
        assert (code, said.count("\n")) == (2, 1), said
    for options in (("--counts", "0"), ("--tolerance", "5"), ("--lets", "all"), ("--step", "-1")):
        code, _, said = asked(rows, *options)
        assert (code, said.count("\n")) == (2, 1), said


def test_from_a_job(tensimeter, path: Path) -> None:
    for k, amps in enumerate((0.1, 0.5, 1.0, 1.5, 2.0)):
        # The reference is an ammeter that was read: of what was only said no display is off.
        for line in (f"hub {5.02 - 0.01 * k:.3f} @{amps}A", f"hub {amps}A @{amps}A",
                     f"hub-panel {0.94 * amps:.2f}A @{amps}A"):  # fmt: skip
            assert tensimeter("file", path, line)[0] == 0
    code, text, _ = tensimeter("tune", path, "meters", "--json")
    (amps,) = json.loads(text)["meters"]
    assert (code, amps["unit"], amps["readings"], amps["place"]) == (0, "A", 5, "hub-panel")
    assert amps["gain"]["low"] < 1 / 0.94 < amps["gain"]["high"]
    assert amps["worst_error_before"]["value"] == pytest.approx(-0.12)
    assert amps["error_left"]["both"] < 1e-9
    said = json.loads(tensimeter("file", path, "hub 5.01 @2A", "hub-panel 1.8A", "--json")[1])
    assert len(json.loads(tensimeter("tune", path, "--json")[1])["meters"][0]["warnings"]) == 0, said
    lines = ("hub 5.0V @2A", "hub 2A", "hub-panel 1.6A")
    last = json.loads(tensimeter("file", path, *lines, "--json")[1])["readings"][-1]
    assert len(json.loads(tensimeter("tune", path, "--json")[1])["meters"][0]["warnings"]) >= 1
    # It stands beside what was read at the same moment, not beside what was said, or read before.
    with JobFile(path, read_only=True) as file:
        (check,) = meter_checks(file.job, file.readings())
        assert (check.pairs[-1].shown.value, check.pairs[-1].reference.value) == (1.6, 2.0)
        told = check_worked(check).text()
        assert "pairs of display and reference" in told
        assert "95 %" in told
    # A display that was misread is struck, and what is said of it follows; no fact is changed.
    assert tensimeter("strike", path, last["id"], "--reason", "misread")[0] == 0
    assert json.loads(tensimeter("tune", path, "--json")[1])["meters"][0]["gain"] == amps["gain"]
    with JobFile(path, read_only=True) as file:
        assert [len(check.pairs) for check in meter_checks(file.job, file.readings())] == [5]
        assert len(file.facts()) == 27
    code, _, said = tensimeter("tune", path, "moods")
    assert (code, said.count("\n")) == (2, 1)


def test_every_view_of_a_job(tensimeter, path: Path) -> None:
    def told(view: str, *options: str) -> dict:
        code, text, said = tensimeter("tune", path, view, *options, "--json")
        assert code == 0, said
        return json.loads(text)

    code, _, said = tensimeter("tune", path, "causes")
    assert (code, said.count("\n")) == (2, 1)
    assert "Too little was read" in said
    code, _, said = tensimeter("tune", path, "before-after")
    assert (code, "read twice" in said) == (2, True)
    assert told("contacts")["joints"] == []
    assert told("trims")["trims"] == []
    # 5.2 V behind 15 mΩ of the module and 47.5 mΩ of the lead; 40 mΩ more than that are read.
    for line in ("hub 5.2V @0.001A", "hub 5.098V @1A", "hub 4.995V @2A"):
        assert tensimeter("file", path, line)[0] == 0
    found = told("causes")
    keys = {(c["key"], c["link"]) for c in found["causes"]}
    assert {("contact", "hub-lead"), ("source_ohms", "hub-module"), ("healthy", None)} <= keys
    assert found["healthy"] < 0.05
    asked = found["next_reading"]
    assert asked["amps_A"] == pytest.approx(2.0)
    assert "contact" in asked["expected"]
    assert sum(c["probability"] for c in found["causes"]) == pytest.approx(1.0, abs=1e-3)
    # The reading that was asked for, and the joints: the lead's own.
    for line in ("hub-lead-drop 175mV @2A", "hub-lead-joints 96mV @2A"):
        assert tensimeter("file", path, line)[0] == 0
    first = told("causes")["causes"][0]
    assert (first["key"], first["link"], first["unit"]) == ("contact", "hub-lead", "ohm")
    assert first["size"]["low"] < 0.04 < first["size"]["high"]
    count = told("causes")["readings"]
    for line in ("hub-other 4.99V @2A", "hub-other 2.01A @2A"):
        kept = json.loads(tensimeter("file", path, line, "--json")[1])
        assert (kept["place"], kept["test"], kept["amps_A"]) == ("hub-other", None, 2.0)
    # Another meter is one more figure each; the current said with it is the load's, filed at the output.
    assert told("causes")["readings"] == count + 2
    with JobFile(path, read_only=True) as file:
        other = [r for r in file.readings() if r.place == "hub-other"]
    assert [(r.quantity, r.value, r.instrument) for r in other] == [("V", 4.99, ""), ("A", 2.01, "")]
    joints = told("contacts")
    assert joints["redo"] == "hub-lead-joints"
    assert joints["joints"][0]["resistance_ohm"]["value"] == pytest.approx(0.048)
    assert tensimeter("tune", path, "contacts")[1].count("hub-lead") >= 2
    for line in ("hub 5.2V @0.001A", "hub 5.138V @1A", "hub 5.075V @2A"):
        assert tensimeter("file", path, line)[0] == 0
    (changed,) = told("before-after")["comparisons"]
    assert (changed["test"], changed["verdict"], changed["unit"]) == ("load-regulation-hub", "better", "V")
    assert changed["points"][-1]["difference"]["value"] == pytest.approx(0.08)
    # Of another supply built alike: its last run beside this one's last.
    assert told("before-after", "--test", "load-regulation-hub", "--with", str(path))["comparisons"]
    assert told("trims", "--add", "Hub volts=hub")["trims"][0]["trim"] == "hub-volts"
    assert "Read first" in told("trims")["next"] or told("trims")["next"]
    seen = told("causes", "--symptom", "output=right", "--symptom", "display=dead")
    assert seen["suspicions"][0]["key"] == "display"
    assert seen["next_probe"] not in ("output", "display")
    adding = [("trims", "--add", text) for text in ("Hub volts", "x=nowhere")]
    adding.append(("causes", "--symptom", "dead"))
    for wrong in (*adding, ("meters", "--keep", "hub A"), ("levels",)):
        code, _, said = tensimeter("tune", path, *wrong)
        assert (code, said.count("\n")) == (2, 1), said


def test_a_check_is_kept_and_the_facts_stay(tensimeter, tmp_path: Path) -> None:
    """The panel meter of the finisher's bench reads low by 6 %: kept, its readings are put right."""
    from tensimeter.core.model.instruments import put_right

    path = tmp_path / "bath.tensi"
    assert tensimeter("demo", "finishers-bench", "--file", path)[0] == 0
    for amps in (0.2, 0.6, 1.0, 1.5):
        lines = (f"bath {12 - 0.06 * amps:.3f}V @{amps}A", f"bath {amps}A", f"bath-panel {0.94 * amps:.3f}A")
        assert tensimeter("file", path, *lines)[0] == 0
    with JobFile(path, read_only=True) as file:
        facts = file.readings()
    code, text, said = tensimeter("tune", path, "meters", "--keep", "bath A", "--earlier-too", "--json")
    assert code == 0, said
    assert json.loads(text)["kept"] == "front-meter"
    assert json.loads(text)["explanations"][0]["key"] == "gain"
    with JobFile(path, read_only=True) as file:
        assert file.readings() == facts
        right = [r.value for r in put_right(file.job, facts) if r.place == "bath-panel"]
    assert right == pytest.approx([0.2, 0.6, 1.0, 1.5], abs=0.003)
    code, _, said = tensimeter("tune", path, "meters", "--keep", "bath V")
    assert (code, "There is no display" in said) == (2, True)


def test_a_fan_and_a_load_setting_by_typed_lines(tensimeter, tmp_path: Path) -> None:
    path = tmp_path / "bench.tensi"
    assert tensimeter("demo", "finishers-bench", "--file", path)[0] == 0
    for line in ("fan 4V", "fan 0rpm", "fan 5V", "fan 1150 rpm", "fan 12V", "fan 2900rpm", "fan 30dB"):
        assert tensimeter("file", path, line)[0] == 0, line
    code, text, said = tensimeter("tune", path, "fan", "--curve", tmp_path / "fan.h", "--json")
    found = json.loads(text)
    assert code == 0, said
    assert found["starts_V"] == {"value": 5.0, "low": 4.0, "high": 5.0}
    assert (found["least_V"], found["holds"], found["quietest_V"]) == (5.5, False, None)
    assert (tmp_path / "fan.h").read_text().count("{") == len(found["curve"]) + 2
    curves = (("--curve", tmp_path / name) for name in ("fan.xls", "no/x.c"))
    for wrong in (("--keep-below", "101"), *curves):
        code, _, said = tensimeter("tune", path, "fan", *wrong)
        assert (code, said.count("\n")) == (2, 1), said
    # A load that sinks 1 % less than it is set to, and 12 mA; the volts beside it are another load's.
    for amps in (0.5, 2, 4):
        for line in (f"sink-60-set {amps}A", "bath 11.9V", f"bench-meter-shows {0.99 * amps - 0.012:.3f}A"):
            assert tensimeter("file", path, line)[0] == 0, line
    code, text, said = tensimeter("tune", path, "meters", "--keep", "sink-60-set A", "--json")
    told = json.loads(text)
    assert (code, told["kept"]) == (0, "sink-60"), said
    (load,) = [m for m in told["meters"] if m["place"] == "sink-60-set"]
    assert load["readings"] == 3
    assert load["gain"]["low"] < 0.99 < load["gain"]["high"]
    assert load["offset"]["low"] < -0.012 < load["offset"]["high"]
