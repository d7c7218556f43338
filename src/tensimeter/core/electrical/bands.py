"""Between which volts an output moves, as it and the others are loaded or idle; and what it may."""

from tensimeter.core.electrical.loadline import full_load
from tensimeter.core.electrical.network import build
from tensimeter.core.electrical.solver import solve
from tensimeter.core.job.design import OutputLink
from tensimeter.core.job.document import Job


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
    network = build(job)
    return [(words, float(solve(network, load)[output.id].V)) for words, load in loads]


def allowed(output: OutputLink) -> tuple[float, float]:
    """The volts that both the output's band and its device allow."""
    low = max(output.nominal_V * (1 - output.tolerance), output.device_min_V or 0.0)
    high = min(output.nominal_V * (1 + output.tolerance), output.device_max_V or float("inf"))
    return low, high
