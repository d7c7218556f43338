"""Between which volts an output moves, as it and the others are loaded or idle; and what it may."""

import numpy as np
from msgspec import Struct

from tensimeter.core.circuit.connected import connected
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import build
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.job import Job
from tensimeter.core.path import ConverterLink, LeadLink, OutputLink


def cases(job: Job, output: OutputLink) -> list[tuple[str, float]]:
    """Predicted volts of an output in the four corners of load, each with its words."""
    full = full_load(job)
    others = {k: v for k, v in full.items() if k != output.id}
    loads: tuple[tuple[str, dict[str, float]], ...] = (
        ("without load, the others loaded", others),
        ("without load, the others idle", {}),
        ("at full load, the others idle", {output.id: full[output.id]}),
        ("at full load, all loaded", full),
    )
    together = {k: np.array([load.get(k, 0.0) for _, load in loads]) for k in full}
    solution = solve(build(job), together)
    volts = solution.whole(solution[output.id].V).tolist()
    return [(words, v) for (words, _), v in zip(loads, volts, strict=True)]


def allowed(job: Job, output: OutputLink) -> tuple[float, float]:
    """The volts that both the output's band and its device allow."""
    device = connected(job, output)
    low = max(output.nominal_V * (1 - output.tolerance), device.lowest_V or 0.0)
    high = min(output.nominal_V * (1 + output.tolerance), device.highest_V or float("inf"))
    return low, high


class Trim(Struct, frozen=True):
    """What a converter is set to, so that an output's nominal stands where it is aimed; V."""

    converter: str
    name: str
    set_V: float
    drop_V: float
    no_load_V: float
    at_A: float
    aim: str

    def worked(self, nominal_V: float) -> Derivation:
        """Why it is set to this, and what stands at the output without load then."""
        return Derivation(
            f"Trim of {self.name}",
            "U_set = U_nom + drop up to where it is aimed, at full load",
            (
                Input("U_nom", "nominal", nominal_V, "V"),
                Input("drop", f"to the {self.aim}", self.drop_V, "V"),
                Input("I", "full load", self.at_A, "A"),
                Input("U_idle", "at the output without load, then", self.no_load_V, "V"),
            ),
            self.set_V,
            "V",
            ("the device must stand the volts without load",),
            "Ohm's law",
        )


def trim(job: Job, output: OutputLink) -> Trim | None:
    """The set volts for an output's aim at its own full load; None where no converter feeds it alone.

    Aimed at the terminals the lead's drop is left to the lead; aimed at the far end it is made up for.
    """
    path = job.design.path_to(output.id)
    place = next((k for k in range(len(path) - 1, -1, -1) if isinstance(path[k], ConverterLink)), None)
    if place is None:
        return None
    converter = path[place]
    solution = solve(build(job), {output.id: output.full_load_A}, as_set=True)
    far = output.aim == "far_end"
    ends = [link for link in path[place:] if far or not isinstance(link, LeadLink | OutputLink)]
    here = float(solution[ends[-1].id].V)
    assert isinstance(converter, ConverterLink)
    drop = converter.set_V - here
    where = "far end of the lead" if far else "terminals"
    wanted = output.nominal_V + drop
    return Trim(converter.id, converter.name, wanted, drop, wanted, output.full_load_A, where)
