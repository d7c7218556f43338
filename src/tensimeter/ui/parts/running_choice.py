"""A named choice: this supply was built elsewhere and runs already. It is recorded."""

from PyQt6.QtWidgets import QPushButton

from tensimeter.core.model.assembly_edits import with_assembly
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session


class RunningChoice(QPushButton):
    def __init__(self, session: Session) -> None:
        super().__init__("already built and running")
        self.session = session
        self.setCheckable(True)
        self.setProperty("kind", "view")
        self.setToolTip(
            tr(
                "Prove then asks for its own holds only; that Assemble and Wake were passed is written on "
                "the "
                "sheet"
            )
        )
        self.clicked.connect(self._choose)
        session.job_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        self.setChecked(self.session.job.assembly.already_running)

    def _choose(self) -> None:
        running = self.isChecked()
        words = "said to be built and running already" if running else "to be assembled and woken here"
        if self.session.edit(words, with_assembly(self.session.job, already_running=running)) and running:
            self.session.note(
                "remark", "Taken as already built and running: not assembled or woken with Tensimeter."
            )
