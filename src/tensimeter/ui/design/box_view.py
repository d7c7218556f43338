"""The place and the box: where it is used, whether the parts fit in, what is still to buy."""

from collections.abc import Callable

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from tensimeter.core.assembly.box_fit import Fit, fit
from tensimeter.core.quantity import fixed
from tensimeter.core.record import Record
from tensimeter.core.settings import BoxRecord
from tensimeter.ui.parts.form import RecordForm
from tensimeter.ui.parts.text import label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class BoxPlan(QFrame):
    """The box from above, to scale: parts by number, those above others dashed, cables at the dashed side."""

    def __init__(self, box: BoxRecord, found: Fit) -> None:
        super().__init__()
        self.box, self.found = box, found
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName(tr("floor of the box"))
        where = "; ".join(f"{p.name} at {p.x_mm:.0f}, {p.y_mm:.0f}, {p.z_mm:.0f} mm" for p in found.placed)
        self.setAccessibleDescription(where)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(300), self.heightForWidth(theme.px(300)))

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return min(round(width * self.box.width_mm / self.box.length_mm), theme.px(330))

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.box
        scale = min((self.width() - 2) / box.length_mm, (self.height() - 2) / box.width_mm)
        floor = QRectF(1, 1, box.length_mm * scale, box.width_mm * scale)
        painter.setPen(QPen(theme.colour("pencil"), 1.5))
        painter.setBrush(theme.colour("sheet"))
        painter.drawRect(floor)
        cable = QRectF(floor.right() - box.cable_mm * scale, 1, box.cable_mm * scale, floor.height())
        painter.setPen(QPen(theme.colour("rule"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(cable.topLeft(), cable.bottomLeft())
        painter.setFont(theme.font(9, bold=True))
        numbered = sorted(enumerate(self.found.placed, 1), key=lambda each: each[1].z_mm)
        for number, part in numbered:
            place = QRectF(
                1 + part.x_mm * scale, 1 + part.y_mm * scale, part.length_mm * scale, part.width_mm * scale
            )
            raised = part.z_mm > 0
            line = Qt.PenStyle.DashLine if raised else Qt.PenStyle.SolidLine
            painter.setPen(QPen(theme.colour("prediction"), 1, line))
            painter.setBrush(theme.colour("prediction", 0.05 if raised else 0.12))
            painter.drawRect(place)
            painter.setPen(theme.colour("ink"))
            # What lies above another keeps to a corner, so that both numbers are read.
            corner = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
            inner = place.adjusted(0, 0, -theme.px(4), -theme.px(2))
            painter.drawText(inner, corner if raised else Qt.AlignmentFlag.AlignCenter, str(number))


#: Of the settings, what is of the box; the rest are the conditions it works under.
_OF_BOX = ("box", "box_K_W", "lid_off", "bundled", "ready_made")


class ConditionsView(QWidget):
    """Mains, room, weather: under what the supply works, and is judged."""

    def __init__(self, session: Session, apply: Callable[[Record, str], bool]) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        words = (
            "Predicted at the room as it is; every rating that protects is judged at the mains 10 % low and "
            "high, and at the hottest and the coldest room named here."
        )
        column.addWidget(label(words, "caption", wrap=True))
        self.form = RecordForm(session.job.settings, apply, session.complain, hidden=_OF_BOX)
        self.form.setMaximumWidth(theme.px(420))
        column.addWidget(self.form, 0, Qt.AlignmentFlag.AlignTop)


class BoxView(QWidget):
    """`apply` takes the changed settings and words for the edit."""

    def __init__(self, session: Session, apply: Callable[[Record, str], bool]) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label(self._to_buy(), wrap=True))
        settings = session.job.settings
        conditions = [name for name in type(settings).model_fields if name not in _OF_BOX]
        self.form = RecordForm(settings, apply, session.complain, hidden=conditions)
        self.form.setMaximumWidth(theme.px(330))
        row = QHBoxLayout()
        row.addWidget(self.form, 0, Qt.AlignmentFlag.AlignTop)
        plan = QVBoxLayout()
        if settings.box is None:
            words = "Add a box, and the parts whose size is known are placed in it."
            plan.addWidget(label(words, "caption", wrap=True))
        else:
            found = fit(session.job, settings.box)
            plan.addWidget(label(found.sentence, wrap=True))
            plan.addWidget(BoxPlan(settings.box, found))
            for number, part in enumerate(found.placed, 1):
                size = f"{part.length_mm:.0f} × {part.width_mm:.0f} mm, {part.height_mm:.0f} mm high"
                size += f", {part.z_mm:.0f} mm above the floor" if part.z_mm else ""
                plan.addWidget(label(f"{number}  {part.name}: {size}", "caption", wrap=True))
        plan.addStretch(1)
        row.addLayout(plan, 1)
        column.addLayout(row)

    def _to_buy(self) -> str:
        """What is in the path and still to buy, and what it comes to."""
        job = self.session.job
        used = {x for link in job.design.links for x in (link.part, getattr(link, "sink", None))}
        wanted = [p for p in job.stock if p.id in used and p.condition == "to buy"]
        if not wanted:
            return "Nothing in the path is marked “to buy” on its card."
        total = sum((p.cost or 0.0) * p.count for p in wanted)
        unpriced = [p.name for p in wanted if p.cost is None]
        text = f"Still to buy: {', '.join(p.name for p in wanted)}; {fixed(total, '', 2)} in own money"
        if job.settings.ready_made is not None:
            text += f", against {fixed(job.settings.ready_made, '', 2)} for a ready-made one"
        return text + (f". Without a price: {', '.join(unpriced)}." if unpriced else ".")
