"""Each campaign that a document leans on runs here at its smallest size: one that can't run has failed."""

import importlib
import json
import random
import re
import subprocess
import sys
from pathlib import Path

import pytest
from benchmarks import dropping, dying, edited, evenings, full, killed, pairing, sessions, sinking, stale

ROOT = Path(__file__).parents[1]
#: Those that run in a test of their own beside the code that they try.
ELSEWHERE = {"coverage", "loops", "flybacks", "budgets", "hostile_schemas", "plates", "trims"}


def test_every_campaign_of_a_document_is_there_and_is_run_by_the_suite() -> None:
    texts = [p.read_text() for p in (*ROOT.glob("docs/*.md"), ROOT / "README.md", ROOT / "CONTRIBUTING.md")]
    cited = {name for text in texts for name in re.findall(r"benchmarks[./]([a-z_]+)", text)}
    run = {
        m.__name__.split(".")[-1]
        for m in (dropping, dying, edited, evenings, full, killed, pairing, sessions, sinking, stale)
    } | {"fuzz"}
    assert cited <= run | ELSEWHERE
    for path in sorted((ROOT / "benchmarks").glob("[a-z]*.py")):
        importlib.import_module(f"benchmarks.{path.stem}")


def test_every_reader_is_fuzzed_by_what_it_is_and_a_failure_ends_in_a_failure() -> None:
    words = [sys.executable, "-m", "benchmarks.fuzz", "40"]
    done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=False)
    told = json.loads(done.stdout.splitlines()[-1])
    assert (told["failed"], done.returncode) == (0, 0), done.stdout
    assert len(told["by_reader"]) == 15


def test_no_evening_claims_what_its_lines_do_not_show() -> None:
    assert sessions.main(len(sessions.LABELS) * 4, 5) == 0


def test_plates_print_and_analyses_pair_what_was_read_alone() -> None:
    assert edited.main(80, 5) == 0
    assert pairing.main(20, 5) == 0


def test_no_step_is_planned_that_the_loads_in_hand_can_not_sink() -> None:
    assert sinking.main(8, 5) == 0


def test_lines_as_people_say_them_land_as_they_are_meant(capsys: pytest.CaptureFixture[str]) -> None:
    assert evenings.main() == 0
    # What is meant plainly is asked about only where a place is new.
    asked = [row for row in capsys.readouterr().out.splitlines() if " asked: " in row]
    assert len(asked) <= 4
    assert all("is a new place" in row for row in asked)


def test_a_kill_loses_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    # Two seconds and one, on a machine of a twentieth of this one's speed.
    monkeypatch.setattr(killed, "OFF_S", 40.0)
    monkeypatch.setattr(killed, "REOPENED_S", 20.0)
    # Killed so early that nothing had been shown yet it tells nothing: then it is killed again.
    assert any(killed.one(tmp_path, random.Random(seed))[0] > 0 for seed in range(6))


def test_a_program_that_dies_leaves_the_load_off(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(dying, "ON_S", 600.0)
    monkeypatch.setattr(dying, "OFF_S", 40.0)
    found = dying.one((0, "kill"))
    assert found["off_s"] < dying.OFF_S
    assert (found["lost"], found["wrong"]) == (0, 0)


def test_a_disk_that_fills_up_and_answers_that_mix() -> None:
    lossless, off, shown, ended, _ = full.one(30_000)
    assert (lossless, off) == (True, True), ended
    assert shown > 0
    assert stale.one(1)[3] == []


def test_a_fault_of_one_question_drops_the_load() -> None:
    role, query, test = dropping.QUERIES[0]
    case = dropping.Case(dropping.KINDS[0], role, query, test, False, True)
    seconds, kind, text = dropping.run(case)
    assert 0 <= seconds <= 2.0, text
    assert kind in ("fault", "protected", "aborted")
