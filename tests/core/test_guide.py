"""The guide over a first supply: each line that it offers takes one step, and nothing else does."""

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import new_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import card_from_nameplate, with_part
from tensimeter.core.procedure.guide import GUIDE, GUIDED, guided_job, step_at
from tensimeter.core.procedure.matrix import numbered
from tensimeter.core.readingline import understand
from tensimeter.store.library import part_named, shipped_parts

FINE = Accuracy(of_reading=0.0005, counts=3, resolution=0.001)


def facts(job: Job, line: str, place: str, number: int) -> list[Reading]:
    """What a line that is typed puts down; at the place taken up where it is a bare figure."""
    if place:
        figures = [(place, "V", float(line.split()[0]))]
    else:
        told = understand(job, line, numbered=numbered(job))
        figures = [(told.place, told.quantity, told.value)]
        if told.at_A is not None:
            figures.append((told.place, "A", told.at_A))
    at, by = float(number), "m"
    return [
        Reading(number, at, where, quantity, value, by, FINE, "two-wire", "typed", id=10 * number + k)
        for k, (where, quantity, value) in enumerate(figures)
    ]


def test_each_line_of_the_guide_takes_one_step() -> None:
    job, readings, at, typed = guided_job(), list[Reading](), 0, list[str]()
    assert (job.name, job.demo, job.stock) == (GUIDED, True, ())
    for number in range(1, 40):
        at = step_at(job, readings, at)
        if at == len(GUIDE):
            break
        step = GUIDE[at]
        line = step.line(job, readings)
        typed.append(line)
        if step.done is None:
            # Looked at, and passed by whoever looks.
            assert line == ""
            assert step_at(job, readings, at) == at
            at += 1
            continue
        assert not step.done(job, readings), step.title
        if step.where == "nameplate":
            job = with_part(job, part_named(shipped_parts(), line) or card_from_nameplate(job, line))
        elif step.where == "add":
            made = part_named(shipped_parts(), line)
            job = with_part(job, made) if made is not None else job
            last = job.design.links[-1].id if job.design.links else None
            job = new_link(job, made.name if made else line, last)
        else:
            readings += facts(job, line, step.place(job, readings), number)
    assert typed == [
        "24V 6.3A 150W donor", "Handheld multimeter", "donor", "Fuse 5 A slow", "output OUT 24V 3A", "",
        "1 OL", "24.00 V", "earth-out OL", "out 24.100V @0A", "out 24.053V @1.5A", "out 24.007V @3A", "",
    ]  # fmt: skip
    # Three points at three different amps; the same one thrice is no line.
    again = [r for r in readings if r.place != "out"] + [
        r._replace(scan=50 + k, id=500 + 2 * k + (r.quantity == "A"))
        for k in range(3) for r in readings if r.place == "out" and r.scan == 10
    ]  # fmt: skip
    assert GUIDE[step_at(job, again, 8)].title == "Volts under load"
    # What was taken back is open again; a step that was passed is not come back to.
    assert step_at(job.model_copy(update={"stock": ()}), [], 0) == 0
    assert step_at(job, readings, len(GUIDE)) == len(GUIDE)
