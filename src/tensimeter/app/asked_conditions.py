"""What a step asks for and nobody has said yet, as a line that says so."""

from tensimeter.core.model.job import Job
from tensimeter.core.standing import Standing
from tensimeter.core.testplan.step import Plan, Step


def unsaid(job: Job, plan: Plan, step: Step, stands: Standing) -> str:
    """The next line that says what a step asks for; empty where all of it stands."""
    place = step.place or plan.output.id
    told = []
    if not _carries(stands, place, step.set_A):
        told.append(_load(step.set_A))
    if step.trim_V is not None and stands.set_V.get(place) != step.trim_V:
        told.append(f"set {step.trim_V:g}V")
    if step.line_V is not None and stands.mains_V != step.line_V:
        told.append(f"mains {step.line_V:g}V")
    if told:
        return " ".join(told)
    beside = {o: 0.0 for o, what in step.also if what == "V" and o in {x.id for x in job.design.outputs()}}
    for output, amps in {**beside, **dict(step.others)}.items():
        if not _carries(stands, output, amps):
            return f"also {job.output(output).name} {_load(amps)}"
    return ""


def _carries(stands: Standing, output: str, amps: float) -> bool:
    load = stands.loads.get(output)
    return load is not None and load.amps is not None and abs(load.amps - amps) <= 1e-9


def _load(amps: float) -> str:
    return f"@{amps:g}A" if amps else "@unloaded"
