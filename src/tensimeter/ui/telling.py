"""What a run tells somebody who looks elsewhere: a notification, and the window asks to be seen."""

from PyQt6.QtWidgets import QApplication, QWidget

from tensimeter.bench.events import ENDS, Event
from tensimeter.core.model.job import Job
from tensimeter.ui.preferences import preferences

_TITLES = {
    "complete": "Run complete",
    "protected": "A limit was crossed; the load is off",
    "aborted": "Run ended",
    "fault": "Run stopped",
    "bug": "Run stopped",
    "ask": "Hands are wanted",
}
#: Urgency by the desktop's notification specification: low 0, normal 1, critical 2.
_URGENT = frozenset(("protected", "fault", "bug"))
_SERVICE, _PATH, _FACE = (
    "org.freedesktop.Notifications",
    "/org/freedesktop/Notifications",
    "org.freedesktop.Notifications",
)


#: Kinds of value on the bus, by Qt's numbers (QMetaType::UInt, QString, UChar).
_UINT, _STRING, _BYTE = 3, 10, 37


def tell(window: QWidget, job: Job, event: Event) -> bool:
    """Tell of a run's end, or that hands are wanted, where nobody looks at the window; whether it was."""
    if event.kind not in ENDS | {"ask"} or window.isActiveWindow() or not preferences().notify:
        return False
    QApplication.alert(window)
    return _notify(f"{_TITLES[event.kind]}: {job.name}", event.text, urgent=event.kind in _URGENT)


def _notify(title: str, text: str, *, urgent: bool) -> bool:
    """Through the desktop's bus; False where there is none."""
    # It is loaded when there is something to tell.
    from PyQt6.QtCore import QMetaType, QVariant
    from PyQt6.QtDBus import QDBusArgument, QDBusConnection, QDBusMessage

    bus = QDBusConnection.sessionBus()
    if not bus.isConnected():
        return False
    call = QDBusMessage.createMethodCall(_SERVICE, _PATH, _FACE, "Notify")
    replaces, actions = QDBusArgument(), QDBusArgument()
    replaces.add(0, _UINT)
    actions.beginArray(QMetaType(_STRING))
    actions.endArray()
    urgency = QDBusArgument()
    urgency.add(2 if urgent else 1, _BYTE)
    hints = {"urgency": QVariant(urgency), "desktop-entry": QVariant(_desktop_entry())}
    call.setArguments(["Tensimeter", replaces, "", title, text, actions, hints, -1])
    return bus.send(call)


def _desktop_entry() -> str:
    app = QApplication.instance()
    return app.desktopFileName() if isinstance(app, QApplication) else ""
