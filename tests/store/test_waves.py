"""Waveforms as facts in the job file: kept, told from one another, exported and read back."""

import contextlib
import sqlite3
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tensimeter.core.analysis.extremes import Envelope
from tensimeter.core.analysis.startup import hold_up_s, start_up
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.store.exchange import export, import_folder
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waveforms import read_waveform
from tensimeter.store.waves import WaveBook, keep_wave

VOLTS = 13.6 + 0.01 * np.sin(np.arange(5000) / 7)


def test_waves_are_kept_and_fetched_when_asked_for(job_file: JobFile) -> None:
    book = WaveBook(job_file)
    number = keep_wave(job_file, VOLTS, 1e6, "mount", start_s=-0.001, test="ripple", step=1, instrument="s")
    (wave,) = book.waves()
    assert (wave.id, wave.place, wave.test, wave.step, wave.samples) == (number, "mount", "ripple", 1, 5000)
    assert wave.volts == pytest.approx(VOLTS, abs=1e-6)
    assert wave.time_s[0] == -0.001
    keep_wave(job_file, VOLTS[:10], 1e3, "hub", origin="file")
    again = book.waves()
    # One is made once: what was worked out of it stays.
    assert again[0] is wave
    assert [w.samples for w in again] == [5000, 10]
    assert job_file.check() == []
    with pytest.raises(UserError, match="rows are never changed"):
        job_file._row("UPDATE wave SET step = 2")
    with pytest.raises(KeyError):
        job_file.add("nonsense", x=1)


def test_waves_go_out_and_come_back(job_file: JobFile, tmp_path: Path) -> None:
    keep_wave(job_file, VOLTS, 1e6, "mount", test="ripple", step=0, note="by hand")
    export(job_file, tmp_path / "out")
    plain = np.load(tmp_path / "out" / "waves" / "1.npy", allow_pickle=False)
    assert plain == pytest.approx(VOLTS, abs=1e-6)
    assert read_waveform(tmp_path / "out" / "waves" / "1.npy", 1e6).volts == pytest.approx(VOLTS, abs=1e-6)
    with import_folder(tmp_path / "out", tmp_path / "back.tensi") as back:
        (wave,) = WaveBook(back).waves()
        assert (wave.test, wave.step, wave.note, wave.rate_Hz) == ("ripple", 0, "by hand", 1e6)
        assert wave.volts == pytest.approx(VOLTS, abs=1e-6)
    (tmp_path / "out" / "waves" / "1.npy").unlink()
    with pytest.raises(UserError, match="Nothing was made"):
        import_folder(tmp_path / "out", tmp_path / "other.tensi")


def test_a_file_from_before_waves_gets_the_table(tmp_path: Path, demo: Job) -> None:
    path = tmp_path / "old.tensi"
    JobFile.create(path, demo).close()
    db = sqlite3.connect(path)
    db.execute("DROP TABLE wave")
    db.commit()
    db.close()
    with JobFile(path, read_only=True) as old:
        assert WaveBook(old).waves() == []
    with JobFile(path) as file:
        keep_wave(file, VOLTS, 1e6, "mount")
        assert len(WaveBook(file).waves()) == 1


def test_a_damaged_wave_is_one_sentence(job_file: JobFile) -> None:
    row = {
        "at": 0.0,
        "place": "m",
        "rate": 1.0,
        "start": 0.0,
        "samples": 3,
        "instrument": "",
        "origin": "file",
    }
    job_file.add("wave", **row, note="", data=b"not an array", revision=job_file.revision)
    (wave,) = WaveBook(job_file).waves()
    with pytest.raises(UserError, match="rest of the job is whole"):
        _ = wave.volts


@settings(max_examples=60, deadline=None)
@given(
    st.integers(2, 40_000), st.floats(0, 1), st.floats(0, 1), st.integers(10, 2000), st.integers(0, 2**32 - 1)
)
def test_an_envelope_hides_no_peak(count: int, a: float, b: float, columns: int, seed: int) -> None:
    values = np.random.default_rng(seed).normal(size=count)
    first, last = sorted((int(a * count), int(b * count)))
    index, shown = Envelope(values).view(first, last, columns)
    if last - first < 2:
        return
    assert len(shown) <= max(2 * 8 * columns, 130)
    part = values[first:last]
    # Runs at the ends may reach beyond what was asked for; within, nothing is lost.
    assert shown.max() >= part.max()
    assert shown.min() <= part.min()
    assert (np.diff(index) >= 0).all()


@settings(max_examples=60, deadline=None)
@given(data=st.binary(max_size=300), ending=st.sampled_from([".npy", ".csv"]))
def test_any_bytes_are_a_waveform_or_a_sentence(data: bytes, ending: str) -> None:
    import tempfile

    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / f"w{ending}"
        path.write_bytes(data)
        with contextlib.suppress(UserError):
            assert len(read_waveform(path, 1e6).volts) >= 2


def test_starts_and_hold_up() -> None:
    t = np.linspace(-0.1, 0.9, 2001)
    rise = np.clip((t - 0.2) / 0.1, 0, 1) * 12
    found = start_up(t, rise, 12)
    assert found.delay_s.value == pytest.approx(0.25, abs=2e-3)
    assert found.rise_s.value == pytest.approx(0.08, abs=2e-3)
    assert (found.overshoot.value, found.falls_back) == (0.0, False)
    dip = rise - 6 * np.exp(-(((t - 0.28) / 0.004) ** 2))
    assert start_up(t, dip, 12).falls_back
    assert hold_up_s(t, np.where(t < 0.05, 12, 3), 11).value == pytest.approx(0.05, abs=1e-3)
    assert hold_up_s(t, np.full_like(t, 12), 11) is None
    for volts, said in ((np.zeros_like(t), "did not come up"), (np.full_like(t, 12), "was up before")):
        with pytest.raises(UserError, match=said):
            start_up(t, volts, 12)
    with pytest.raises(UserError, match="fifty samples"):
        start_up(t[:10], rise[:10], 12)
