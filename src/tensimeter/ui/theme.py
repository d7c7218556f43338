"""Colours by name for paper and night, the shipped type, and the style sheet made from both."""

from importlib import resources

from PyQt6.QtCore import QByteArray, QObject, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QApplication

from tensimeter.assets.colours import NIGHT, PAPER, Colours


class Theme(QObject):
    """The theme in use; `changed` tells painted widgets to repaint."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.night = False
        self.scale = 1.0
        self._worn: object = None

    @property
    def colours(self) -> Colours:
        return NIGHT if self.night else PAPER

    def colour(self, name: str, alpha: float = 1.0) -> QColor:
        made = QColor(getattr(self.colours, name))
        made.setAlphaF(alpha)
        return made

    def font(self, points: float = 10.5, bold: bool = False) -> QFont:
        font = QFont("B612")
        font.setPointSizeF(points * self.scale)
        font.setBold(bold)
        return font

    #: Whether a run is heard: a sound at each point that is read, and when hands are wanted.
    sound = True

    def px(self, pixels: float) -> int:
        """A length that grows with the text."""
        return round(pixels * self.scale)

    def use(self, night: bool | None = None, scale: float | None = None) -> None:
        """Switch to day or night, or to another size of text."""
        self.night = self.night if night is None else night
        self.scale = self.scale if scale is None else scale
        app = QApplication.instance()
        wanted = (app, self.night, self.scale)
        if wanted == self._worn:
            return
        self._worn = wanted
        if isinstance(app, QApplication):
            app.setFont(self.font())
            app.setPalette(_palette(self.colours))
            app.setStyleSheet(_style(self))
        self.changed.emit()


theme = Theme()


def load_fonts() -> None:
    folder = resources.files("tensimeter.assets").joinpath("fonts")
    for name in ("Regular", "Bold", "Italic"):
        QFontDatabase.addApplicationFontFromData(QByteArray(folder.joinpath(f"B612-{name}.otf").read_bytes()))


def icon(name: str, colour: str = "ink", size: int = 18) -> QIcon:
    """A shipped icon in a named colour."""
    path = resources.files("tensimeter.assets").joinpath("icons", f"{name}.svg")
    data = path.read_text().replace("currentColor", getattr(theme.colours, colour))
    renderer = QSvgRenderer(QByteArray(data.encode()))
    pixmap = QPixmap(QSize(size, size) * 2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    renderer.render(painter)
    painter.end()
    return QIcon(pixmap)


def _palette(c: Colours) -> QPalette:
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: c.paper,
        QPalette.ColorRole.Base: c.sheet,
        QPalette.ColorRole.AlternateBase: c.paper,
        QPalette.ColorRole.Text: c.ink,
        QPalette.ColorRole.WindowText: c.ink,
        QPalette.ColorRole.Button: c.sheet,
        QPalette.ColorRole.ButtonText: c.ink,
        QPalette.ColorRole.Highlight: c.chosen,
        QPalette.ColorRole.HighlightedText: c.ink,
        QPalette.ColorRole.PlaceholderText: c.pencil,
        QPalette.ColorRole.ToolTipBase: c.sheet,
        QPalette.ColorRole.ToolTipText: c.ink,
    }
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    return palette


def _style(t: Theme) -> str:
    c, px = t.colours, t.px
    tick = resources.files("tensimeter.assets").joinpath("icons", "tick.svg")
    arrow = resources.files("tensimeter.assets").joinpath("icons", "arrow-down.svg")
    return f"""
    QWidget {{ color: {c.ink}; font-size: {10.5 * t.scale}pt; }}
    #page {{ background: {c.paper}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: 0; }}
    QLabel[kind="heading"] {{ font-size: {13 * t.scale}pt; font-weight: bold; }}
    QLabel[kind="caption"] {{ font-size: {9 * t.scale}pt; color: {c.pencil}; }}
    QLabel[kind="reading"] {{ font-size: {22 * t.scale}pt; }}
    QLabel[kind="strong"] {{ font-weight: bold; }}
    QLabel[kind="prediction"] {{ color: {c.prediction}; font-size: {9 * t.scale}pt; }}
    QLineEdit, QComboBox, QPlainTextEdit, QDoubleSpinBox {{
        background: {c.sheet}; border: 1px solid {c.rule}; border-radius: 2px;
        padding: {px(3)}px {px(6)}px; selection-background-color: {c.prediction};
        selection-color: {c.sheet}; }}
    QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus {{ border: 2px solid {c.prediction};
        padding: {px(2)}px {px(5)}px; }}
    QComboBox::drop-down {{ border: 0; width: {px(18)}px; }}
    QComboBox::down-arrow {{ image: url("{arrow}"); width: {px(11)}px; height: {px(11)}px; }}
    QTreeView::branch {{ image: none; border-image: none; background: transparent; }}
    QHeaderView {{ background: transparent; border: 0; }}
    QComboBox QAbstractItemView {{ background: {c.sheet}; border: 1px solid {c.rule};
        selection-background-color: {c.chosen}; selection-color: {c.ink}; }}
    QPushButton {{ background: {c.sheet}; border: 1px solid {c.pencil}; border-radius: 2px;
        padding: {px(4)}px {px(10)}px; }}
    QPushButton:hover {{ background: {c.chosen}; }}
    QPushButton:focus {{ border: 2px solid {c.prediction}; padding: {px(3)}px {px(9)}px; }}
    QPushButton:disabled {{ color: {c.pencil}; border-color: {c.rule}; }}
    QPushButton[kind="quiet"] {{ border: 1px solid transparent; background: transparent;
        color: {c.prediction}; padding: {px(2)}px {px(4)}px; text-align: left; }}
    QPushButton[kind="quiet"]:focus {{ border: 1px solid {c.prediction}; }}
    QPushButton[kind="view"] {{ border: 0; border-bottom: 2px solid transparent; background: transparent;
        color: {c.pencil}; padding: {px(3)}px {px(6)}px; }}
    QPushButton[kind="view"]:checked {{ color: {c.ink}; font-weight: bold; border-bottom-color: {c.ink}; }}
    QPushButton[kind="view"]:focus {{ border: 1px solid {c.prediction}; padding: {px(3)}px {px(5)}px; }}
    QPushButton[kind="main"] {{ background: {c.ink}; color: {c.sheet}; border-color: {c.ink};
        font-weight: bold; }}
    QPushButton[kind="drop"] {{ background: {c.miss}; color: {c.sheet}; border: 0;
        font-size: {15 * t.scale}pt; font-weight: bold; padding: {px(8)}px; }}
    QToolButton {{ border: 1px solid transparent; background: transparent; padding: {px(3)}px; }}
    QToolButton:hover {{ background: {c.chosen}; }}
    QToolButton:focus {{ border: 1px solid {c.prediction}; }}
    QTreeWidget, QListWidget {{ background: transparent; border: 0; outline: 0; }}
    QTreeWidget:focus, QListWidget:focus {{ border: 1px solid {c.prediction}; }}
    QTreeWidget::item, QListWidget::item {{ padding: {px(3)}px {px(6)}px;
        border-bottom: 1px solid {c.rule}; color: {c.ink}; }}
    QTreeWidget::item:selected, QListWidget::item:selected {{ background: {c.chosen};
        color: {c.ink}; }}
    QTreeView::indicator, QCheckBox::indicator {{ width: {px(13)}px; height: {px(13)}px;
        border: 1px solid {c.pencil}; background: {c.sheet}; }}
    QTreeView::indicator:checked, QCheckBox::indicator:checked {{ image: url("{tick}"); }}
    QCheckBox:focus {{ border: 1px solid {c.prediction}; }}
    QHeaderView::section {{ background: transparent; color: {c.pencil}; border: 0;
        border-bottom: 1px solid {c.pencil}; padding: {px(3)}px {px(6)}px;
        font-size: {9 * t.scale}pt; }}
    QScrollBar:vertical {{ background: transparent; width: {px(9)}px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: {px(9)}px; margin: 0; }}
    QScrollBar::handle {{ background: {c.rule}; min-height: 24px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QFrame#guide {{ background: {c.sheet}; border: none; border-bottom: 1px solid {c.rule}; }}
    QProgressBar {{ border: 1px solid {c.rule}; background: {c.sheet}; height: {px(6)}px; }}
    QProgressBar::chunk {{ background: {c.prediction}; }}
    QToolTip {{ background: {c.sheet}; color: {c.ink}; border: 1px solid {c.rule}; }}
    #rule {{ background: {c.rule}; }}
    #card {{ background: {c.sheet}; border: 1px solid {c.rule}; }}
    #line {{ background: {c.sheet}; }}
    """
