"""The figures of the link in hand, each with its why."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QWidget

from tensimeter.core.circuit.fault import fault_A
from tensimeter.core.circuit.load_line import explain_input, explain_volts
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.design.bands import trim
from tensimeter.core.design.device_point import device_points
from tensimeter.core.design.worst_case import Corners, Spread, corners, spread, volts_of
from tensimeter.core.electrical.solution import Point, Solution
from tensimeter.core.model.job import Job
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import OutputLink, UnitLink
from tensimeter.core.quantity import fixed, show
from tensimeter.core.rating.dissipation import wall_W
from tensimeter.core.rating.ladder import battery_hours
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Figure
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: Draws of the spread that is shown.
DRAWS = 20_000


#: A figure in words, and what works it out.
_Told = tuple[str, Callable[[], Derivation | None]]


class FiguresRow(QWidget):
    """The figures stay where they are and tell what is shown next."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._row = FlowLayout(self, theme.px(18))
        self._figures: list[Figure] = []
        self._spread = SpreadFigure(session)
        self._spread.asked.connect(session.why)

    def empty(self) -> None:
        """Nothing is told."""
        for figure in (*self._figures, self._spread):
            figure.hide()

    def show_output(self, output_id: str) -> None:
        """Tell the figures of the link in hand; of an output where none is."""
        subject = self.session.subject or output_id
        told = self._told(subject)
        for text, why in told[len(self._figures) :]:
            figure = Figure(text, why)
            figure.asked.connect(self.session.why)
            self._figures.append(figure)
            self._row.addWidget(figure)
            # Last of all, wherever it was.
            self._row.addWidget(self._spread)
        for k, figure in enumerate(self._figures):
            figure.setVisible(k < len(told))
            if k < len(told):
                figure.tell(*told[k])
        is_output = isinstance(self.session.job.design.link(subject), OutputLink)
        self._spread.setVisible(is_output)
        if is_output:
            self._spread.show_output(output_id)

    def _told(self, subject: str) -> list[_Told]:
        network, solution, _ = present(self.session.now.solved)
        job = self.session.job
        link, point = job.design.link(subject), solution[subject]
        told: list[_Told] = [
            (
                f"{link.name} {fixed(float(point.V), 'V', 3)}",
                partial(explain_volts, job, solution, network, subject),
            )
        ]
        if link.kind == "converter":
            why = partial(explain_input, solution, network, subject, link.name)
            told.append((f"draws {fixed(float(point.I_in), 'A', 3)}", why))
        if isinstance(link, OutputLink):
            told.append((f"takes {fixed(float(point.power_out), 'W', 1)}", partial(_taken, link.name, point)))
            device = job.part(link.device)
            for met in device_points(job, link.id):
                name = device.name if device else ""
                told.append((f"{name} {met.words}", partial(met.worked, link.name)))
            aimed = trim(job, link)
            if aimed is not None:
                text = f"trim {aimed.name} to {fixed(aimed.set_V, 'V')}"
                told.append((text, partial(aimed.worked, link.nominal_V)))
        else:
            told.append((f"loses {fixed(float(point.loss), 'W', 2)}", partial(_loss, link.name, point)))
        wall = float(wall_W(job, solution))
        told.append((f"from the wall {fixed(wall, 'W', 0)}", partial(_from_wall, job, solution, wall)))
        fault = fault_A(job, subject)
        if fault is not None:
            told.append((f"a short draws {show(fault.amps, 'A', 3)}", partial(fault.worked, link.name)))
        for name, lasts in battery_hours(job, solution).items():
            text = f"{job.design.link(name).name} lasts {fixed(lasts, 'h', 1)}"
            told.append((text, partial(_lasting, job, solution, name)))
        return told


class SpreadFigure(Figure):
    """2.5 to 97.5 % of an output's volts; its why tells the corners, which are the worst case."""

    def __init__(self, session: Session) -> None:
        super().__init__("95 % of builds …", self._worked)
        self.session = session
        self._drawn: tuple[Spread, Callable[[], Corners]] | None = None

    def show_output(self, output: str) -> None:
        """Draw the builds of an output at the operating point in hand."""
        session = self.session
        job, load, network = session.job, dict(session.load), present(session.now.solved)[0]
        ends = partial(corners, job, load, volts_of(output), network)
        # What was told before stays there in grey: a text of another length would move all that is around it.
        self._drawn = None
        self.setEnabled(False)

        def show_spread(found: Spread) -> None:
            self._drawn = found, ends
            self.setEnabled(True)
            self.setText(tr("95 % of builds {0} … {1}").format(fixed(found.low, ""), fixed(found.high, "V")))

        work = partial(spread, job, load, volts_of(output), draws=DRAWS, network=network)
        session.aside.ask("spread", self, work, show_spread)

    def _worked(self) -> Derivation | None:
        return _why_spread(self._drawn[0], self._drawn[1]()) if self._drawn else None


def _from_wall(job: Job, solution: Solution, wall_W: float) -> Derivation:
    sources = [x for x in job.design.links if isinstance(x, UnitLink)]
    return Derivation(
        "Power from the wall",
        "P = Σ (U·I + losses) over the sources",
        tuple(Input("I", f"through {x.name}", float(solution[x.id].I), "A") for x in sources),
        wall_W,
        "W",
        ("each source's own losses: its efficiency, or copper, diodes and capacitor",),
    )


def _why_spread(found: Spread, ends: Corners) -> Derivation:
    return Derivation(
        "Spread of the output's volts",
        f"2.5 %, median and 97.5 % of {DRAWS} seeded draws of every tolerance",
        (
            Input("least", "every part at its worse end, corner", ends.low, "V"),
            Input("most", "every part at its worse end, corner", ends.high, "V"),
        ),
        found.median,
        "V",
        ("tolerances are rectangular and independent; the corners are the worst case, this is not",),
        "Monte Carlo: GUM Supplement 1 (JCGM 101)",
        (found.low, found.high),
    )


def _lasting(job: Job, solution: Solution, link_id: str) -> Derivation | None:
    link = job.design.link(link_id)
    part = job.part(link.part)
    return part.explain_hours(link.name, float(solution[link_id].I)) if isinstance(part, SourcePart) else None


def _taken(name: str, point: Point) -> Derivation:
    given = (Input("U", "volts at it", float(point.V), "V"), Input("I", "current set", float(point.I), "A"))
    return Derivation(f"Power at {name}", "P = U·I", given, float(point.power_out), "W")


def _loss(name: str, point: Point) -> Derivation:
    return Derivation(
        f"Loss in {name}",
        "P = U_in·I_in − U·I",
        (
            Input("U_in·I_in", "power taken in", float(point.power_in), "W"),
            Input("U·I", "power passed on", float(point.power_out), "W"),
        ),
        float(point.loss),
        "W",
        (),
        "Power balance",
    )
