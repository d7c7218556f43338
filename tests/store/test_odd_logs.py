"""Every odd log is read to the same figures; what can be read in two ways is asked about."""

from pathlib import Path

import numpy as np
import pytest

from tensimeter.core.errors import UserError
from tensimeter.store.logs import read_log
from tests.store.odd_logs import AMPS, REFUSED, TIME, VOLTS, logs

ALL = dict(logs())


def test_there_are_sixty_of_them() -> None:
    assert len(ALL) >= 60


@pytest.mark.parametrize("name", ALL)
def test_a_log_as_it_comes_is_read_right(tmp_path: Path, name: str) -> None:
    path = tmp_path / "log.csv"
    path.write_bytes(ALL[name])
    log = read_log(path)
    time, volts, amps = log.need("time", "volts", "amps")
    assert volts == pytest.approx(VOLTS)
    assert amps == pytest.approx(AMPS, abs=1e-9)
    assert time - time[0] == pytest.approx(TIME, abs=1e-5)
    # Of what was put in order it is said what was taken for what; a plain table needs no words.
    assert not log.said or any("taken for volts" in s or "left out" in s for s in log.said)


@pytest.mark.parametrize("name", REFUSED)
def test_what_is_not_clear_is_asked_or_refused(tmp_path: Path, name: str) -> None:
    raw, said = REFUSED[name]
    path = tmp_path / "log.csv"
    path.write_bytes(raw)
    with pytest.raises(UserError, match=said):
        read_log(path).need("time", "volts", "amps")


def test_what_was_asked_is_answered(tmp_path: Path) -> None:
    path = tmp_path / "log.csv"
    path.write_bytes(REFUSED["thousands or decimals"][0])
    assert read_log(path, {"decimal": "comma"}).columns["volts"] == pytest.approx([13.6, 13.55])
    assert read_log(path, {"decimal": "point"}).columns["volts"] == pytest.approx([13600, 13550])
    path.write_bytes(REFUSED["day or month"][0])
    day = 86400.0
    assert read_log(path, {"dates": "day-first"}).columns["time"] == pytest.approx([0, day])
    assert read_log(path, {"dates": "month-first"}).columns["time"] == pytest.approx([0, 31 * day])
    path.write_bytes(REFUSED["hours or minutes"][0])
    assert read_log(path, {"times": "minutes-seconds"}).columns["time"] == pytest.approx([0, 1])
    assert read_log(path, {"times": "hours-minutes"}).columns["time"] == pytest.approx([0, 60])
    path.write_bytes(REFUSED["days of a spreadsheet"][0])
    # Whoever names the column has not said what it is written in.
    with pytest.raises(UserError, match="times=days"):
        read_log(path, {"time": "#1", "volts": "#2", "amps": "#3"})
    assert read_log(path, {"times": "days"}).columns["time"] == pytest.approx([0, 1, 2], abs=1e-3)
    assert read_log(path, {"times": "seconds"}).columns["time"][0] == 46355.84375
    path.write_bytes(REFUSED["two channels of volts"][0])
    assert read_log(path, {"volts": "#3"}).columns["volts"] == pytest.approx([5, 5])


def test_columns_without_a_header_and_the_other_way_round_are_named(tmp_path: Path) -> None:
    path = tmp_path / "log.txt"
    path.write_text("0 13.6 -0.0\n1 13.5 -1.2\n2 13.4 -2.4\n")
    with pytest.raises(UserError, match="--map"):
        read_log(path)
    log = read_log(path, {"time": "#1", "volts": "#2", "amps": "-#3"})
    assert log.columns["amps"] == pytest.approx([0, 1.2, 2.4])
    assert "it has no header: columns are numbered" in log.said
    with pytest.raises(UserError, match="no column"):
        read_log(path, {"volts": "#9"})


def test_over_range_is_told_apart_from_a_gap(tmp_path: Path) -> None:
    path = tmp_path / "log.csv"
    path.write_text("time,voltage,current\n0,13.6,1\n1,OL,2\n2,,3\n3,13.4,4\n")
    log = read_log(path)
    assert np.isinf(log.columns["volts"]).tolist() == [False, True, False]
    assert any("1 of 4 rows" in s for s in log.said)
    with pytest.raises(UserError, match="over the instrument's range"):
        log.need("volts")
