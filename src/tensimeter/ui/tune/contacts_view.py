"""Millivolts along the path: ohms of each joint beside the design, wires of a plug, the one to redo."""

from PyQt6.QtWidgets import QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.quantity import fixed, show, with_uncertainty
from tensimeter.core.tuning.asked import Asked
from tensimeter.core.tuning.contacts import (
    Contacts,
    Joint,
    WireOfPlug,
    contact_asked,
    contacts,
    next_place,
    picture,
    redo_sentence,
    worked,
)
from tensimeter.ui.parts.picture_plot import PicturePlot
from tensimeter.ui.parts.text import label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme
from tensimeter.ui.tune.view import TuneView, figures_table, fill

_KINDS = {
    "rail": "a rail",
    "signal": "a signal, no rail",
    "wrong_colour": "not what its colour says",
    "dead": "carries nothing",
    "unknown": "not known",
}


class ContactsView(TuneView):
    """Joints in a table, the costliest first; wires of a plug below, where any were read."""

    words, key = "Contacts", "contacts"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.found: Contacts | None = None
        self.next = label("", "strong", wrap=True)
        self.column.addWidget(self.next)
        self.table = figures_table(
            ("place", "", "at", "has", "designed", "at most", "too much", "lost", "so it"),
            "joints of the path", words=(0, 1, 8),
        )  # fmt: skip
        self.column.addWidget(self.table, 5)
        self.wires = figures_table(
            ("wire", "colour", "is", "idle", "under load", "has", "of its neighbours", "carries"),
            "wires of the plug", words=(0, 1, 2),
        )  # fmt: skip
        self.column.addWidget(self.wires, 4)
        self.plot = PicturePlot()
        self.plot.setAccessibleName(tr("ohms of each place, of the most that it may have"))
        self.plot.setMinimumHeight(theme.px(170))
        self.column.addWidget(self.plot, 5)
        self._below = QWidget()
        self.column.addWidget(self._below, 1)

    def worked(self) -> Derivation | None:
        """How the ohms of the place in hand came about."""
        item = self.table.currentItem()
        at = self.table.indexOfTopLevelItem(item) if item is not None else -1
        joints = self.found.joints if self.found is not None else ()
        return worked(joints[at]) if 0 <= at < len(joints) else None

    def first_focus(self) -> QWidget:
        return self.table

    def refresh(self) -> None:
        """The newest of each place."""
        job, readings = self.session.job, self.session.now.readings
        self.aside(lambda: contacts(job, readings), self._take)

    def asks(self) -> list[Asked]:
        asked = contact_asked(self.session.job, self.found) if self.found is not None else None
        return [asked] if asked is not None else []

    def _take(self, found: Contacts) -> None:
        self.found = found
        self.title.setText(
            tr("Contacts") if found.joints or found.wires else tr("Nothing was read along the path yet")
        )
        if found.joints or found.wires:
            self.sentence.setText(redo_sentence(found))
        else:
            self.sentence.setText(
                tr(
                    "Load an output, put both probes across one lead or one joint, and type the millivolts "
                    "with "
                    "the amps. Of a lead both legs count together; its joints are its lugs, crimps and "
                    "screws."
                )
            )
        self.next.setText(next_place(self.session.job, found))
        self.next.setVisible(bool(self.next.text()))
        self.table.setVisible(bool(found.joints))
        self.wires.setVisible(bool(found.wires))
        self._below.setVisible(not found.joints and not found.wires)
        self.plot.setVisible(bool(found.joints))
        if found.joints:
            self.plot.show_picture(picture(found))
        fill(self.table, [_joint(j) for j in found.joints])
        fill(self.wires, [_wire(w) for w in found.wires])


def _milliohm(ohm: float) -> str:
    return fixed(1e3 * ohm, "", 2) + " mΩ"


def _joint(j: Joint) -> tuple[str, ...]:
    return (
        j.name, j.what, show(j.amps_A, "A", 3), with_uncertainty(j.ohm.value, j.ohm.half_width, "ohm"),
        _milliohm(j.designed_ohm), _milliohm(j.allowed.ends[1]),
        _milliohm(j.excess_ohm) if j.excess_ohm else "", show(j.lost_W, "W", 2), tr(j.verdict.words),
    )  # fmt: skip


def _wire(w: WireOfPlug) -> tuple[str, ...]:
    return (
        f"pin {w.pin}", w.colour, _KINDS[w.kind], fixed(w.idle_V, "V", 3),
        "" if w.loaded_V is None else fixed(w.loaded_V, "V", 3),
        "" if w.ohm is None else with_uncertainty(w.ohm.value, w.ohm.half_width, "ohm"),
        "" if w.times is None else f"× {w.times:.2g}", "" if w.share is None else show(w.share, "%", 2),
    )  # fmt: skip
