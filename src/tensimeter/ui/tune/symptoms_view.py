"""What is seen of a channel that no reading of its path explains: what it points at, what to probe next."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QPushButton, QWidget

from tensimeter.core.tuning.symptoms import SYMPTOMS, Diagnosis, diagnosis
from tensimeter.ui.parts.text import label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme
from tensimeter.ui.tune.view import TuneView, figures_table, fill

_NOT_LOOKED = "not looked at"


class SymptomsView(TuneView):
    """Answers at the left, one a symptom; the parts that may be at fault at the right."""

    words, key = "Symptoms", "symptoms"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.title.setText(tr("What is seen"))
        self.next = label("", "strong", wrap=True)
        self.column.addWidget(self.next)
        row = QHBoxLayout()
        row.setSpacing(theme.px(24))
        self.column.addLayout(row, 1)
        form = QWidget()
        grid = QGridLayout(form)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(theme.px(6))
        self.answers: dict[str, QComboBox] = {}
        for line, (key, (words, answers)) in enumerate(SYMPTOMS.items()):
            box = QComboBox()
            box.setAccessibleName(words)
            box.addItems([_NOT_LOOKED, *answers])
            box.activated.connect(lambda _=0: self.refresh())
            grid.addWidget(label(words), line, 0)
            grid.addWidget(box, line, 1)
            self.answers[key] = box
        self.note = QPushButton(tr("note it, and begin anew"))
        self.note.setToolTip(
            tr("what was seen and what it points at goes to the logbook; a part was changed")
        )
        self.note.clicked.connect(self._note)
        grid.addWidget(self.note, len(SYMPTOMS), 1)
        grid.setRowStretch(len(SYMPTOMS) + 1, 1)
        row.addWidget(form, 0, Qt.AlignmentFlag.AlignTop)
        self.table = figures_table(
            ("it may be", "how likely", "then"), "parts that may be at fault", words=(2, 0)
        )
        row.addWidget(self.table, 1, Qt.AlignmentFlag.AlignTop)

    def first_focus(self) -> QWidget:
        return next(iter(self.answers.values()))

    @property
    def seen(self) -> dict[str, str]:
        """What was answered."""
        return {k: box.currentText() for k, box in self.answers.items() if box.currentIndex() > 0}

    @property
    def found(self) -> Diagnosis:
        """What the answers point at."""
        return diagnosis(self.seen)

    def refresh(self) -> None:
        """Weigh what was answered."""
        found, seen = self.found, self.seen
        self.sentence.setText(
            tr(
                "For what volts along the path don’t explain. How likely a symptom is by each part at "
                "fault is "
                "a rule of thumb, stated in the program. Mains off and reservoirs empty before a hand goes "
                "in."
            )
        )
        words = SYMPTOMS[found.next][0] if found.next else ""
        first = found.suspicions[0]
        likeliest = f" Likeliest: {first.name}. {first.act}" if seen else ""
        self.next.setText((f"Look next: {words} …" if words else "All was looked at.") + likeliest)
        self.note.setEnabled(bool(seen))
        fill(self.table, [(s.name, f"{100 * s.probability:.0f} %", s.act) for s in found.suspicions])
        # All parts are few, and are seen at once.
        self.table.setMinimumHeight(self.table.maximumHeight())

    def _note(self) -> None:
        told = "; ".join(f"{SYMPTOMS[k][0]} {answer}" for k, answer in self.seen.items())
        first = self.found.suspicions[0]
        self.session.note(
            "remark", f"Seen: {told}. It points at {first.name}, {100 * first.probability:.0f} %."
        )
        for box in self.answers.values():
            box.setCurrentIndex(0)
        self.refresh()
