"""The reach that was shown beside the one that is predicted: what is only predicted is drawn apart."""

import numpy as np

from tensimeter.core.design.reach import most_A, reach, volts_span
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.job import Job
from tensimeter.core.plate.rating import OutletPlate
from tensimeter.core.testplan.picture import Line, Picture, Spot

#: Points of the grid that the predicted border is looked for on.
GRID = 60


def reach_picture(job: Job, outlet: OutletPlate) -> Picture | None:
    """Amps over volts: corners that were held, and the border that is predicted; None where none was held."""
    if not len(outlet.reach):
        return None
    volts, amps = outlet.reach[:, 0], outlet.reach[:, 1]
    shown = Line("held", np.array([volts[0], *volts, volts[-1]]), np.array([0.0, *amps, 0.0]), "fit")
    spots = tuple(Spot(v, a, verdict=Verdict.CONFORMS) for v, a in outlet.reach.tolist())
    return Picture("volts, V", "amps, A", spots, (shown, *_predicted(job, outlet.output)))


def _predicted(job: Job, output: str) -> list[Line]:
    """The border by design; nothing where it can't be told."""
    try:
        low, high = volts_span(job, output)
        most = most_A(job, output)
        found = reach(job, output, np.linspace(low, high, GRID), np.linspace(0.0, most, GRID))
    except UserError:
        return []
    border = [(b.volts, b.amps) for b in found.border() if np.isfinite(b.amps)]
    if not border:
        return []
    x, y = np.array(border).T
    return [Line("predicted", x, y, "prediction")]
