"""Displays against references, from a table and from a job's own readings."""

import json
from pathlib import Path

import pytest

from tensimeter.core.testplan.meter_checks import check_worked, meter_checks
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
        for line in (f"hub {5.02 - 0.01 * k:.3f} @{amps}A", f"hub-panel {0.94 * amps:.2f}A @{amps}A"):
            assert tensimeter("file", path, line)[0] == 0
    code, text, _ = tensimeter("tune", path, "meters", "--json")
    (amps,) = json.loads(text)["meters"]
    assert (code, amps["unit"], amps["readings"], amps["place"]) == (0, "A", 5, "hub-panel")
    assert amps["gain"]["low"] < 1 / 0.94 < amps["gain"]["high"]
    assert amps["worst_error_before"]["value"] == pytest.approx(-0.12)
    assert amps["error_left"]["both"] < 1e-9
    assert tensimeter("file", path, "hub 5.01 @0.5A")[0] == 0
    last = json.loads(tensimeter("file", path, "hub-panel 1.6A @2A", "--json")[1])
    assert len(json.loads(tensimeter("tune", path, "--json")[1])["meters"][0]["warnings"]) >= 1
    # Said with its current it stands beside the reference of that current, not beside what was read last.
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
        assert len(file.facts()) == 18
    code, _, said = tensimeter("tune", path, "moods")
    assert (code, said.count("\n")) == (2, 1)
