"""What a job has learnt that outlives it: a supply with the rating that it has shown."""

from tensimeter.core.errors import UserError
from tensimeter.core.held.points import proven_A
from tensimeter.core.model.edits import identifier
from tensimeter.core.model.job import Job
from tensimeter.core.parts.donor import Donor
from tensimeter.core.testplan.step import Outcome


def proven_supply(job: Job, found: Outcome) -> Donor:
    """An output as a supply of its own, with its measured volts and resistance and the amps it has shown.

    UserError where nothing is proven, or too little was read for a line.
    """
    output, fit = found.plan.output, found.regulation
    amps = proven_A(found)
    if found.pretended:
        raise UserError(f"{output.name} was only {found.pretended}: that proves nothing, and is not kept.")
    if not amps or fit is None:
        raise UserError(f"Nothing is proven of {output.name} yet: read its test in Prove first.")
    name = f"{job.name}, {output.name}"[:80]
    return Donor(
        id=identifier(name, ()),
        name=name,
        condition="works",
        no_load_V=fit.no_load_V.value,
        tolerance=min(max(fit.no_load_V.half_width / fit.no_load_V.value, 1e-4), 1.0),
        output_resistance_ohm=max(fit.output_resistance_ohm.value, 0.0),
        rated_A=amps,
        rated_W=amps * fit.no_load_V.value,
        note=f"proven to {amps:.3g} A; its resistance {fit.output_resistance_ohm.value * 1e3:.3g} mΩ",
        origins=dict.fromkeys(("no_load_V", "rated_A", "rated_W", "output_resistance_ohm"), "measured"),
    )
