"""The figures of the link in hand, each with its why."""

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
from tensimeter.core.path import UnitLink
from tensimeter.core.quantity import fixed, show
from tensimeter.core.rating.dissipation import wall_W
from tensimeter.core.rating.ladder import battery_hours
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Figure, clear
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: Draws of the spread that is shown.
DRAWS = 20_000


class FiguresRow(QWidget):
    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._row = FlowLayout(self, theme.px(18))

    def empty(self) -> None:
        clear(self._row)

    def show_output(self, output_id: str) -> None:
        network, solution, _ = present(self.session.now.solved)
        job = self.session.job
        subject = self.session.subject or output_id
        link = job.design.link(subject)
        point = solution[subject]
        volts = Figure(
            f"{link.name} {fixed(float(point.V), 'V', 3)}",
            lambda: explain_volts(job, solution, network, subject),
        )
        shown = [volts]
        if link.kind == "converter":
            shown.append(
                Figure(
                    f"draws {fixed(float(point.I_in), 'A', 3)}",
                    lambda: explain_input(solution, network, subject, link.name),
                )
            )
        if link.kind == "output":
            shown.append(
                Figure(f"takes {fixed(float(point.power_out), 'W', 1)}", lambda: _taken(link.name, point))
            )
            shown.append(self._spread_figure(output_id))
            device = job.part(link.device)
            for met in device_points(job, link.id):
                shown.append(
                    Figure(f"{device.name if device else ''} {met.words}", partial(met.worked, link.name))
                )
            aimed = trim(job, link)
            if aimed is not None:
                text = f"trim {aimed.name} to {fixed(aimed.set_V, 'V')}"
                shown.append(Figure(text, lambda: aimed.worked(link.nominal_V)))
        else:
            shown.append(Figure(f"loses {fixed(float(point.loss), 'W', 2)}", lambda: _loss(link.name, point)))
        wall = float(wall_W(job, solution))
        shown.append(
            Figure(
                f"from the wall {fixed(wall, 'W', 0)}",
                lambda: Derivation(
                    "Power from the wall",
                    "P = Σ (U·I + losses) over the sources",
                    tuple(
                        Input("I", f"through {x.name}", float(solution[x.id].I), "A")
                        for x in job.design.links
                        if isinstance(x, UnitLink)
                    ),
                    wall,
                    "W",
                    ("each source's own losses: its efficiency, or copper, diodes and capacitor",),
                ),
            )
        )
        fault = fault_A(job, subject)
        if fault is not None:
            shown.append(Figure(f"a short draws {show(fault.amps, 'A', 3)}", lambda: fault.worked(link.name)))
        for name, lasts in battery_hours(job, solution).items():
            text = f"{job.design.link(name).name} lasts {fixed(lasts, 'h', 1)}"
            shown.append(Figure(text, partial(_lasting, job, solution, name)))
        for figure in shown:
            figure.asked.connect(self.session.why)
            self._row.addWidget(figure)

    def _spread_figure(self, output: str) -> Figure:
        """2.5 to 97.5 % of an output's volts; its why tells the corners, which are the worst case."""
        job, load, network = self.session.job, dict(self.session.load), present(self.session.now.solved)[0]
        drawn: list[Spread] = []

        def why() -> Derivation | None:
            return _why_spread(drawn[0], corners(job, load, volts_of(output), network)) if drawn else None

        figure = Figure("95 % of builds …", why)

        def show_spread(found: Spread) -> None:
            drawn.append(found)
            figure.setText(f"95 % of builds {fixed(found.low, '')} … {fixed(found.high, 'V')}")

        work = partial(spread, job, load, volts_of(output), draws=DRAWS, network=network)
        self.session.aside.ask("spread", figure, work, show_spread)
        return figure


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
