"""What was read and the design can't explain: volts outside of what such builds give at those amps."""

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.compared_places import set_of
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.testplan.step import Plan, value_of
from tensimeter.core.testplan.taken import MAINS, MAINS_SHARE, is_set_to

#: What is to be found out, whichever of both is wrong.
ASKED = "One is wrong, the drawing or the supply; Causes in Tune tells what would explain it."


def foretold_V(plan: Plan, amps: float) -> Interval | None:
    """What the design foretells at amps of an output, with the spread of such builds; None: nothing.

    An interval of NaN says that by the design there is no point there.
    """
    line = plan.line
    if line is None or not len(line.amps) or amps > float(line.amps.max()):
        return None
    order = np.argsort(line.amps, kind="stable")
    ends = (line.volts, line.low, line.high)
    return Interval(*(float(np.interp(amps, line.amps[order], y[order])) for y in ends))


class Contradiction(Struct, frozen=True):
    """Volts that were read at amps of an output, and what the design foretells there."""

    output: OutputLink
    read: Interval
    amps: float
    foretold: Interval

    @property
    def far_V(self) -> float:
        """How far apart they are, V; not a number where by the design there is no point."""
        return abs(self.read.value - self.foretold.value)

    @property
    def words(self) -> str:
        """Both sides in words, and the question which of them is wrong."""
        amps = show(self.amps, "A", 3)
        read = f"{show(self.read.value, 'V', 4)} was read at {self.output.name}"
        if not np.isfinite([self.foretold.low, self.foretold.high]).all():
            return f"by the design it does not reach {amps}; {read}. {ASKED}"
        ends = f"{show(self.foretold.low, 'V', 4)} to {show(self.foretold.high, 'V', 4)}"
        return f"foretold are {ends} at {amps}; {read}. {ASKED}"


def contradiction(
    plan: Plan, volts: Interval | None, amps: float, moment: Sequence[Reading], mains_V: float
) -> Contradiction | None:
    """Where volts that were read are not what the design foretells; None where it may be so.

    `moment` is what else was read or said then: at another setting, or at mains that are not those of the
    design (`mains_V`), nothing is foretold. An interval that touches what is foretold contradicts nothing.
    """
    output = plan.output
    set_V, mains = value_of(moment, set_of(output.id), "V"), value_of(moment, MAINS, "V")
    if set_V is not None and not is_set_to(set_V, output.nominal_V):
        return None
    if mains is not None and abs(mains - mains_V) > MAINS_SHARE * mains_V:
        return None
    foretold = foretold_V(plan, amps) if volts is not None else None
    if foretold is None or volts is None:
        return None
    if not (math.isfinite(foretold.low) and math.isfinite(foretold.high)):
        inside = abs(volts.value - output.nominal_V) <= output.tolerance * output.nominal_V
        return Contradiction(output, volts, amps, foretold) if inside else None
    if volts.low <= foretold.high and volts.high >= foretold.low:
        return None
    return Contradiction(output, volts, amps, foretold)
