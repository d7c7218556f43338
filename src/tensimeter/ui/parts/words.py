"""Every word of the window goes through here, so that a club can have it in its own language."""

from PyQt6.QtCore import QCoreApplication


def tr(text: str) -> str:
    """A text in the language that is in use; as it stands where nobody has translated it.

    Figures are put in afterwards: `tr("{0} answered").format(count)`.
    """
    return QCoreApplication.translate("Tensimeter", text) if text else text
