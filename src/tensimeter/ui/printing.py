"""Printing at its own size: a plate, a template, a sheet or a list, as its PDF has it."""

import tempfile
from pathlib import Path

from PyQt6.QtCore import QMarginsF, QPointF, QSize, QSizeF
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QWidget

from tensimeter.core.errors import UserError
from tensimeter.ui.parts.path_field import Makes

#: The finest that a page is drawn at, dots an inch: a page of A4 takes 35 MB at that.
FINEST = 300
_POINTS = 72.0


def ask_and_print(parent: QWidget, make: Makes) -> str:
    """Ask for a printer, then print; what is said of it."""
    with tempfile.TemporaryDirectory(prefix="tensimeter-") as folder:
        path = Path(folder) / "print.pdf"
        try:
            make(path)
        except UserError as trouble:
            return str(trouble)
        if not path.is_file():
            return "There is nothing to print yet."
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        dialog = QPrintDialog(printer, parent)
        if dialog.exec() != QPrintDialog.DialogCode.Accepted:
            return "Nothing was printed."
        try:
            pages = print_pdf(path, printer)
        except UserError as trouble:
            return str(trouble)
    return f"{pages} pages went to the printer, at 1:1."


def print_pdf(path: Path, printer: QPrinter) -> int:
    """Send each page of a PDF to a printer at its own size; how many there were. UserError for none."""
    document = QPdfDocument(None)
    document.load(str(path))
    if not document.pageCount():
        raise UserError(f"{path.name} has no page that can be printed.")
    painter = QPainter()
    for number in range(document.pageCount()):
        points = document.pagePointSize(number)
        _set_page(printer, points)
        if number == 0:
            if not painter.begin(printer):
                raise UserError("The printer takes nothing; see whether it is switched on and has paper.")
        else:
            printer.newPage()
        dots = min(printer.resolution(), FINEST)
        drawn = document.render(number, _scaled(points, dots / _POINTS))
        painter.save()
        # The drawing's dots as the printer's: what is 10 mm long there is 10 mm on the paper.
        painter.scale(printer.resolution() / dots, printer.resolution() / dots)
        painter.drawImage(QPointF(0, 0), drawn)
        painter.restore()
    painter.end()
    return document.pageCount()


def _set_page(printer: QPrinter, points: QSizeF) -> None:
    wide = points.width() > points.height()
    size = QPageSize(points.transposed() if wide else points, QPageSize.Unit.Point)
    turned = QPageLayout.Orientation.Landscape if wide else QPageLayout.Orientation.Portrait
    printer.setPageLayout(QPageLayout(size, turned, QMarginsF(0, 0, 0, 0)))
    printer.setFullPage(True)


def _scaled(points: QSizeF, scale: float) -> QSize:
    return QSize(round(points.width() * scale), round(points.height() * scale))
