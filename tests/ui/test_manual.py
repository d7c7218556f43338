"""The manual inside: it opens at the stage one is at, is searched, and what it shows is run."""

import re
import shlex
from pathlib import Path

import pytest

from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.manual_window import ManualWindow, pages
from tensimeter.ui.window import MainWindow


def test_it_opens_at_the_stage_and_is_searched(open_window, tmp_path: Path, keys) -> None:
    window: MainWindow = open_window(JobFile.create(tmp_path / "a.tensi", demo_job("ridge-pier")))
    window.go_to(2)
    window.setFocus()
    keys(window, "F1")
    manual = window.manual
    assert manual.list.currentItem().text() == "Assemble"
    assert "hold point" in manual.page.toPlainText()
    manual.look_for.setText("nineteen times")
    assert [manual.list.item(k).text() for k in range(manual.list.count())] == ["Uncertainty in plain words"]
    assert manual.page.textCursor().selectedText() == "nineteen times"
    manual.look_for.setText("no such words")
    assert manual.list.count() == 0
    window.go_to(5)
    window.ask_why()
    assert window.manual is manual
    assert manual.list.currentItem().text() == "Tune"
    assert len(window.findChildren(ManualWindow)) == 1


def test_it_has_twelve_pages_at_most_and_no_stage_is_missing() -> None:
    titles = [title for title, _ in pages()]
    assert len(titles) <= 12
    assert titles[1:8] == ["Stock", "Design", "Assemble", "Wake", "Prove", "Tune", "Plate"]
    assert all(len(text.split()) > 25 for _, text in pages())


COMMANDS = [
    line.removeprefix("tensimeter ")
    for _, text in pages()
    for block in re.findall(r"```\n(.*?)```", text, re.S)
    for line in block.splitlines()
    if line.startswith("tensimeter ")
]


@pytest.mark.parametrize("command", COMMANDS)
def test_a_command_of_the_manual_runs_as_it_is_written(
    command: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    from tensimeter.cli.main import run

    monkeypatch.chdir(tmp_path)
    JobFile.create(tmp_path / "JOB", demo_job("ridge-pier")).close()
    rows = "\n".join(f"{k};13,{60 - k};{-k},0" for k in range(5))
    (tmp_path / "evening.csv").write_text(f"Zeit;Spannung;Last\n{rows}\n")
    monkeypatch.setattr("sys.argv", ["tensimeter", *shlex.split(command)])
    code = 0
    try:
        run()
    except SystemExit as stop:
        code = int(stop.code or 0)
    assert code == 0, capsys.readouterr().err
