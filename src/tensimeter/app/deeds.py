"""What was done in this window, in order: edits and facts that were kept; undo takes back the last."""

from dataclasses import dataclass, field

from msgspec import Struct

from tensimeter.core.measurement.readings import Reading
from tensimeter.store.entries import UNDONE
from tensimeter.store.jobfile import JobFile


class Kept(Struct, frozen=True):
    """Facts that were kept together: a typed line, a log, a waveform."""

    name: str
    ids: tuple[int, ...]
    what: str = "reading"

    def take_back(self, file: JobFile) -> None:
        file.strike(self.ids, UNDONE, self.what)

    def do_again(self, file: JobFile) -> None:
        file.strike(self.ids, "", self.what)


class Corrected(Struct, frozen=True):
    """Facts that were struck with a reason, and what was kept in their place."""

    name: str
    readings: tuple[int, ...]
    waves: tuple[int, ...]
    reason: str
    instead: tuple[int, ...]

    def take_back(self, file: JobFile) -> None:
        self._set(file, "", UNDONE)

    def do_again(self, file: JobFile) -> None:
        self._set(file, self.reason, "")

    def _set(self, file: JobFile, struck: str, kept: str) -> None:
        file.strike(self.readings, struck)
        file.strike(self.waves, struck, "wave")
        file.strike(self.instead, kept)


@dataclass
class Deeds:
    """Edits are undone by the file, which remembers them; of facts only this window knows what was last."""

    file: JobFile
    done: list[Kept | Corrected | None] = field(default_factory=list)
    undone: list[Kept | Corrected | None] = field(default_factory=list)

    def kept(self, name: str, readings: list[Reading]) -> None:
        self._add(Kept(name, tuple(r.id for r in readings if r.id is not None)))

    def kept_wave(self, name: str, number: int) -> None:
        self._add(Kept(name, (number,), "wave"))

    def corrected(self, deed: Corrected) -> None:
        self._add(deed)

    def edited(self) -> None:
        self._add(None)

    def _add(self, deed: Kept | Corrected | None) -> None:
        self.done.append(deed)
        self.undone.clear()

    def undo_name(self) -> str:
        """What undo would take back; empty when there is nothing."""
        last = self.done[-1] if self.done else None
        return last.name if last is not None else self.file.undo_name()

    def redo_name(self) -> str:
        last = self.undone[-1] if self.undone else None
        return last.name if last is not None else self.file.redo_name()

    def undo(self) -> str:
        """Take back what was last: an edit is undone, facts are struck; its name, empty without one."""
        deed = self.done.pop() if self.done else None
        if deed is None:
            name = self.file.undo()
        else:
            name = deed.name
            deed.take_back(self.file)
        if name:
            self.undone.append(deed)
        return name

    def redo(self) -> str:
        """Do again what was undone last."""
        deed = self.undone.pop() if self.undone else None
        if deed is None:
            name = self.file.redo()
        else:
            name = deed.name
            deed.do_again(self.file)
        if name:
            self.done.append(deed)
        return name
