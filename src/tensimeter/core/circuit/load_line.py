"""The load line: predicted volts of one output over its current, with a band."""

from collections.abc import Callable, Mapping
from functools import cached_property

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.circuit.network import build, has_source, sampled
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.electrical.elements import Network
from tensimeter.core.electrical.solution import Solution, State
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.job import Job
from tensimeter.core.path import OutputLink
from tensimeter.core.remembered import remembered

#: Draws for the typical spread; its 2.5 and 97.5 % points are then good to about a tenth of it.
DRAWS = 2000


class LoadLine(Struct, frozen=True, eq=False, dict=True):
    """Volts over amps of one output: nominal figures and the 2.5–50–97.5 % spread.

    The spread costs far more than the rest, and is worked out when it is first looked at.
    """

    output: str
    amps: Array
    volts: Array
    _spread: Callable[[], Array]

    @cached_property
    def _ends(self) -> Array:
        return self._spread()

    @property
    def low(self) -> Array:
        """2.5 % of such builds lie below it, V."""
        return np.asarray(self._ends[0])

    @property
    def median(self) -> Array:
        """Half of such builds lie below it, V."""
        return np.asarray(self._ends[1])

    @property
    def high(self) -> Array:
        """2.5 % of such builds lie above it, V."""
        return np.asarray(self._ends[2])


@remembered("design", "stock", "policy", "settings", kept=96)
def load_line(
    job: Job,
    output: str,
    amps: Array,
    *,
    others: Mapping[str, float] | None = None,
    network: Network | None = None,
    seed: int = 1,
) -> LoadLine | None:
    """Predicted volts of an output at currents `amps` (shape (n,)), the others drawing `others` (idle).

    The band is the typical spread of the parts' tolerances (seeded, 2 000 draws in one call),
    not a worst case. None where the job has no path to solve. Raises UserError for a broken path.
    """
    if not has_source(job):
        return None
    model = network or build(job)
    currents = np.atleast_1d(np.asarray(amps, float))
    loads: dict[str, Figure] = {**(others or {}), output: currents}
    solved = solve(model, loads)
    nominal = solved.whole(solved[output].V)

    def spread() -> Array:
        drawn = solve(sampled(model, job, np.random.default_rng(seed), DRAWS), loads)
        # Where nothing strays, one draw stands for all.
        return _ends(np.broadcast_to(drawn.whole(drawn[output].V), (DRAWS, len(currents))))

    return LoadLine(output, currents, nominal, spread)


def _ends(drawn: Array) -> Array:
    """The 2.5, 50 and 97.5 % points of draws (n, k) at each of k currents; NaN where not every draw runs."""
    ends = np.full((3, drawn.shape[1]), np.nan)
    complete = np.isfinite(drawn).all(axis=0)
    if complete.any():
        # Order statistics: as good as interpolated quantiles at this count, and quicker.
        ranks = np.rint(np.array([0.025, 0.5, 0.975]) * (DRAWS - 1)).astype(int)
        ends[:, complete] = np.sort(drawn[:, complete], axis=0)[ranks]
    return ends


def full_load(job: Job, share: float = 1.0) -> dict[str, float]:
    """Every output at a share of the current it must deliver, in A."""
    return {o.id: o.full_load_A * share for o in job.design.outputs()}


def explain_volts(job: Job, solution: Solution, network: Network, link_id: str) -> Derivation:
    """Why a link has these volts at a single operating point."""
    link = job.design.link(link_id)
    point = solution[link_id]
    element = network[link_id]
    volts = float(point.V)
    amps = float(point.I)
    kind = link.kind
    if kind == "converter":
        given = (
            Input("U_set", "set volts", float(element.set_V), "V"),  # type: ignore[union-attr]
            Input("R_out", "output resistance", float(element.resistance), "ohm"),  # type: ignore[union-attr]
            Input("I", "output current", amps, "A"),
        )
        assumed = (f"it {point_state(solution, link_id)}",)
        return Derivation(f"Volts of {link.name}", "U = U_set − R_out·I", given, volts, "V", assumed)
    if isinstance(link, OutputLink):
        above = job.design.path_to(link_id)
        if len(above) < 2:
            return Derivation(f"Volts of {link.name}", "as read", (), volts, "V")
        inner = explain_volts(job, solution, network, above[-2].id)
        return Derivation(
            f"Volts of {link.name}", inner.formula, inner.given, volts, "V", inner.assumptions, inner.source
        )
    source = float(point.V_in)
    ohms = float(element.resistance + element.contact)  # type: ignore[union-attr]
    given = (
        Input("U_in", "no-load volts" if kind == "unit" else "volts before it", source, "V"),
        Input("R", "resistance, both legs and contacts", ohms, "ohm"),
        Input("I", "current through it", amps, "A"),
    )
    return Derivation(f"Volts after {link.name}", "U = U_in − R·I", given, volts, "V", (), "Ohm's law")


def explain_input(solution: Solution, network: Network, link_id: str, name: str) -> Derivation:
    """Why a converter draws this input current: constant power."""
    point, element = solution[link_id], network[link_id]
    amps, volts = float(point.I), float(point.V)
    return Derivation(
        f"Input current of {name}",
        "I_in = (U·I + P0 + a·I + b·I²) / U_in",
        (
            Input("U", "output volts", volts, "V"),
            Input("I", "output current", amps, "A"),
            Input("P0", "loss without load", float(element.loss_fixed_W), "W"),  # type: ignore[union-attr]
            Input("a", "loss per ampere", float(element.loss_per_A), "V"),  # type: ignore[union-attr]
            Input("b", "loss per ampere squared", float(element.loss_per_A2), "ohm"),  # type: ignore[union-attr]
            Input("U_in", "input volts, upper root of U² − U0·U + P·R = 0", float(point.V_in), "V"),
        ),
        float(point.I_in),
        "A",
        ("a switching converter draws constant power: its current rises as its input sags",),
        "Power balance; Middlebrook's constant-power input (textbook)",
    )


def point_state(solution: Solution, link_id: str) -> str:
    """The state of a link at a single operating point, in words."""
    return State(int(solution[link_id].state)).words
