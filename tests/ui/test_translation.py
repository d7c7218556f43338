"""The window in another language: every text of its own goes through Qt's translation."""

import importlib.util
from collections.abc import Iterator
from pathlib import Path
from xml.etree import ElementTree
from xml.sax.saxutils import escape

import pytest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QLabel, QLineEdit, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.procedure.stages import STAGES
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.settings_window import SettingsWindow
from tensimeter.ui.start_page import StartPage
from tensimeter.ui.translation import languages, own_translations, texts_of, use_language

ROOT = Path(__file__).parents[2]
TOOL = ROOT / "tools" / "texts.py"
SHIPPED = ROOT / "src" / "tensimeter" / "assets" / "translations" / "tensimeter.ts"


def texts() -> set[str]:
    """Every text that is handed to the translation, as it stands in the code."""
    spec = importlib.util.spec_from_file_location("texts", TOOL)
    tool = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(tool)
    return {text for of in tool.texts().values() for text in of}


def written(sources: dict[str, str]) -> str:
    rows = "".join(
        f"<message><source>{escape(a)}</source><translation>{escape(b)}</translation></message>"
        for a, b in sources.items()
    )
    return f'<?xml version="1.0"?><TS version="2.1"><context><name>x</name>{rows}</context></TS>'


@pytest.fixture
def other(own_home: Path) -> Iterator[set[str]]:
    """A language in which every text stands between marks."""
    every = texts()
    own_translations().mkdir(parents=True)
    (own_translations() / "xx.ts").write_text(written({t: f"«{t}»" for t in every}), encoding="utf-8")
    assert use_language("xx") is not None
    yield every
    assert use_language("none") is None


def shown(root: QWidget) -> Iterator[tuple[QWidget, str]]:
    for widget in root.findChildren(QWidget):
        if isinstance(widget, QLabel | QAbstractButton):
            yield widget, widget.text()
        if isinstance(widget, QLineEdit):
            yield widget, widget.placeholderText()
        yield widget, widget.toolTip()
        yield widget, widget.accessibleName()


def test_every_text_of_the_window_is_in_the_language_that_is_chosen(
    other: set[str], open_window, job_file: JobFile, qtbot
) -> None:
    window = open_window(job_file)
    window.show_settings()
    page = StartPage()
    qtbot.addWidget(page)
    for stage in STAGES:
        window.stage(stage.id)
        QApplication.processEvents()
        left = {text for _, text in shown(window) if text in other}
        assert not left, (stage.id, left)
    assert {text for _, text in shown(page) if text in other} == set()
    assert sum(text.startswith("«") for _, text in shown(window)) > 100
    settings = window.findChild(SettingsWindow)
    assert settings.language.findData("xx") >= 0


def test_the_shipped_file_has_every_text() -> None:
    """Written anew by `make texts`."""
    root = ElementTree.parse(SHIPPED).getroot()
    assert {m.findtext("source") for m in root.iter("message")} == texts()


def test_a_translation_that_would_break_a_sentence_is_left_out(own_home: Path, tmp_path: Path) -> None:
    path = tmp_path / "de.ts"
    path.write_text(
        written({
            "{0} answered": "geantwortet", "Stop": "Halt", "{0} of {1}": "{1} von {0}",
            "a": " ", "x {": "y {",
        })
    )  # fmt: skip
    assert texts_of(path) == {"Stop": "Halt", "{0} of {1}": "{1} von {0}", "x {": "y {"}
    path.write_text("no XML")
    with pytest.raises(UserError, match="no translation that can be read"):
        texts_of(path)
    own_translations().mkdir(parents=True)
    (own_translations() / "de.ts").write_text("no XML")
    assert languages() == ["de"]
    assert use_language("de_AT") is None
