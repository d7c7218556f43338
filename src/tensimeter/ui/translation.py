"""The window in another language: a `.ts` file, as Qt's tools write it, read as it stands.

Shipped is `assets/translations/tensimeter.ts` with every text; a club fills in a copy and puts it into its
users' own folder, named by the language: `de.ts`, `pt_BR.ts`.
"""

import logging
import string
from pathlib import Path
from xml.etree import ElementTree

from platformdirs import user_config_path
from PyQt6.QtCore import QCoreApplication, QLocale, QTranslator

from tensimeter.core.errors import UserError
from tensimeter.store.regular import MOST_TEXT, read_regular

#: Marks of a text that the program has no more.
_GONE = ("vanished", "obsolete")
_spoken: "Translation | None" = None


def own_translations() -> Path:
    """The folder of a user's translations."""
    return user_config_path("tensimeter") / "translations"


def languages() -> list[str]:
    """Languages that are there, by the names of their files."""
    return sorted(p.stem for p in own_translations().glob("*.ts"))


def texts_of(path: Path) -> dict[str, str]:
    """Translated texts by what they stand for; UserError where the file can't be read.

    One whose places for figures are others than those of its source would break what it is put into: it is
    left out, and told in the log.
    """
    try:
        root = ElementTree.fromstring(read_regular(path, MOST_TEXT))
    except ElementTree.ParseError as error:
        raise UserError(f"{path} is no translation that can be read: {error}. It was left out.") from error
    found, odd = {}, 0
    for message in root.iter("message"):
        source, told = message.findtext("source") or "", message.find("translation")
        text = (told.text or "") if told is not None and told.get("type") not in _GONE else ""
        if source and text.strip():
            if _places(source) == _places(text):
                found[source] = text
            else:
                odd += 1
    if odd:
        logging.getLogger("tensimeter").warning("%s: %d texts have other places for figures", path, odd)
    return found


def _places(text: str) -> list[str] | None:
    try:
        return sorted(name for _, name, _, _ in string.Formatter().parse(text) if name is not None)
    except ValueError:
        # A single brace is a brace of the text itself.
        return None


class Translation(QTranslator):
    """Texts by themselves, wherever they stand."""

    def __init__(self, texts: dict[str, str]) -> None:
        super().__init__()
        self._texts = texts

    def translate(
        self, context: str | None, source: str | None, disambiguation: str | None = None, n: int = -1
    ) -> str:
        return self._texts.get(source or "", source or "")

    def isEmpty(self) -> bool:
        return not self._texts


def use_language(wanted: str) -> Translation | None:
    """Have the window speak a language (empty: the system's) where there is a translation; what is in use.

    A file that can't be read leaves the texts as they are.
    """
    global _spoken
    if _spoken is not None:
        QCoreApplication.removeTranslator(_spoken)
        _spoken = None
    name = wanted or QLocale.system().name()
    for stem in (name, name.partition("_")[0]):
        if stem in languages():
            try:
                made = Translation(texts_of(own_translations() / f"{stem}.ts"))
            except UserError as trouble:
                logging.getLogger("tensimeter").warning("%s", trouble)
                return None
            # Qt does not hold it.
            _spoken = made
            QCoreApplication.installTranslator(made)
            return made
    return None
