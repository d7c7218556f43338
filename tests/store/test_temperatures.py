"""Logs of temperatures: places by header, times in any unit, and sentences for what is none."""

from pathlib import Path

import pytest

from tensimeter.core.errors import UserError
from tensimeter.store.logs import read_temperatures


def written(folder: Path, text: str) -> Path:
    path = folder / "log.csv"
    path.write_text(text)
    return path


@pytest.mark.parametrize(
    ("text", "times", "celsius"),
    [
        ("time [s],temp [degC]\n0,20.5\n10,21\n", [0, 10], {"temperature": [20.5, 21]}),
        (
            "t;temp sink [degC];ambient\n0;20,5;19\n1;21,5;19,5\n",
            [0, 1],
            {"sink": [20.5, 21.5], "ambient": [19, 19.5]},
        ),
        ("time [min]\ttemperature front-end-case\n0\t20\n2\t30\n", [0, 120], {"front-end-case": [20, 30]}),
        ("elapsed,T case,Room [C]\n0,20,18\n5,22,18\n", [0, 5], {"case": [20, 22], "room": [18, 18]}),
        ("time (h),Temp Coil Left (C)\n0,20\n1,60\n", [0, 3600], {"coil-left": [20, 60]}),
    ],
)
def test_places_and_times_are_told_by_their_headers(tmp_path: Path, text: str, times, celsius) -> None:
    found = read_temperatures(written(tmp_path, text))
    assert found.time_s.tolist() == times
    assert {k: v.tolist() for k, v in found.celsius.items()} == celsius
    assert found.volts is None


def test_volts_and_amps_may_stand_beside(tmp_path: Path) -> None:
    found = read_temperatures(written(tmp_path, "t,volts,amps,temp case\n0,13.5,4,20\n9,13.4,8,30\n"))
    assert found.volts.tolist() == [13.5, 13.4]
    assert found.amps.tolist() == [4, 8]
    which = {"case": "Kanal 1", "ambient": "#3"}
    kanals = read_temperatures(
        written(tmp_path, "t,Kanal 1 (°C),Kanal 2 (°C)\n0,20,18\n9,30,18\n"), named=which
    )
    assert {k: v.tolist() for k, v in kanals.celsius.items()} == {"case": [20, 30], "ambient": [18, 18]}
    named = read_temperatures(written(tmp_path, "when,temp\n0,20\n3,21\n"), "when")
    assert named.time_s.tolist() == [0, 3]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("temp\n20\n", "no column of times"),
        ("time,volts\n0,1\n", "no column of temperatures"),
        ("time,temp\n0,warm\n", "not a number"),
        ("time,temp\n0,\n", "empty cells"),
        ("", "empty"),
    ],
)
def test_what_is_no_log_of_temperatures(tmp_path: Path, text: str, said: str) -> None:
    with pytest.raises(UserError, match=said):
        read_temperatures(written(tmp_path, text))
