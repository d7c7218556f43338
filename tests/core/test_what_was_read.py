"""What a line says of conditions, which test takes what was read, and which state of the supply it is of."""

import pytest

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import AS_SAID, Reading
from tensimeter.core.model.edits import changed, readings_first, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.nameplate import read_outlets
from tensimeter.core.model.states import answered, changed_state, circuit_of, edited, newest, of_newest
from tensimeter.core.standing import Load, SaidLine, Standing, moment_of_day, said, taken_apart
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.taken import taken

FINE = Accuracy(of_reading=0.0005, counts=2, resolution=0.001)

#: As people say it: the reading in it, what stands from then on, what is of it alone, s since the load.
LINES = """
out 12.08V                | out 12.08V    |                      |                   |
@unloaded set 12V         |               | load=0A set=12V      |                   |
out 11.93V @2A            | out 11.93V    | load=2A              |                   |
13.58V@4A                 | 13.58V        | load=4A              |                   |
@2A 12.3V                 | 12.3V         | load=2A              |                   |
4A 13.5V                  | 4A 13.5V      |                      |                   |
out 5V unloaded           | out 5V        | load=0A              |                   |
out 5V @ no load          | out 5V        | load=0A              |                   |
@10R                      |               | load=10R             |                   |
11.9V @55W                | 11.9V         | load=55W             |                   |
with lamp 21W             |               | joined=lamp 21W      |                   |
out 11.7V with the motor  | out 11.7V     | joined=the motor     |                   |
set to 5V                 |               | set=5V               |                   |
bench load set 4A         | bench load set 4A |                  |                   |
room 31C                  | room 31C      | room=31C             |                   |
mains 207V                | mains 207V    | mains=207V           |                   |
mains 207V 50Hz           |               | mains=207V hertz=50Hz |                  |
out 12V @2A mains 207V room 31C | out 12V | load=2A mains=207V room=31C |            |
out 12.1V (@2A set 12V)   | out 12.1V     |                      | load=2A set=12V   |
sink 46C +40min           | sink 46C      |                      |                   | 2400
sink 46C + 1h 30min       | sink 46C      |                      |                   | 5400
out +12.1V                | out +12.1V    |                      |                   |
""".strip().splitlines()


@pytest.mark.parametrize("row", LINES)
def test_a_line_is_taken_apart_as_it_is_meant(row: str) -> None:
    line, reading, lasting, alone, after = (x.strip() for x in [*row.split("|"), ""][:5])
    found = taken_apart(line)

    def told(conditions: tuple[tuple[str, str], ...]) -> str:
        return " ".join(f"{what}={value}" for what, value in conditions)

    assert (found.reading, told(found.lasting), told(found.alone)) == (reading, lasting, alone)
    assert found.after_s == (float(after) if after else None)


def test_what_happened_and_what_was_changed_are_no_readings() -> None:
    assert taken_apart("changed: thermal pad replaced") == SaidLine("", changed="thermal pad replaced")
    assert taken_apart("only described").answer == "described"
    trip = taken_apart("12 V tripped at 6.4A +35min")
    assert (trip.event, trip.event_place, trip.alone, trip.after_s) == (
        "tripped", "12 V", (("load", "6.4A"),), 2100.0,
    )  # fmt: skip
    at = taken_apart("14:05 out 11.9V")
    assert (at.clock, at.reading) == ((14, 5, 0), "out 11.9V")
    noon = 1_790_000_000.0
    assert -86400 < moment_of_day((14, 5, 0), noon) - noon <= 60


def test_what_nobody_said_is_not_known() -> None:
    nothing = Standing()
    assert nothing.words("out", adjustable=True) == "? A · set ? · mains ? · room ?"
    stands = said(nothing, "out", taken_apart("@2A set 12V mains 207V room 31C").lasting)
    assert stands.words("out") == "2 A · set 12 V · 207 V mains · 31 °C"
    # One load goes from outlet to outlet: what the others carry then nobody has said.
    moved = said(stands, "hub", (("load", "1A"),))
    assert (moved.words("out").split(" ")[0], moved.loads["hub"].amps) == ("?", 1.0)
    both = said(stands, "hub", (("load", "1A"),), also=True)
    assert set(both.loads) == {"out", "hub"}
    assert stands.unloaded().loads == {}
    assert Load(ohms=10.0).amps_at(12.0) == pytest.approx(1.2)
    assert Load(watts=60.0).amps_at(12.0) == pytest.approx(5.0)
    assert Load(joined="motor").amps_at(12.0) is None
    for wrong in ("@-2A", "@4V", "@0R", "mains 0V", "@2A @3A"):
        with pytest.raises(UserError):
            said(nothing, "out", taken_apart(wrong).lasting)


@pytest.mark.parametrize(
    ("label", "outlets"),
    [
        ("30V 5A", [(None, 30, 5)]),
        ("0-30V 0-5A", [(0, 30, 5)]),
        ("1.25..27V 1A", [(1.25, 27, 1)]),
        ("0 to 30 V 3 A", [(0, 30, 3)]),
        ("2 × 0-20V 1A", [(0, 20, 1), (0, 20, 1)]),
        ("+5V 15A +12V 8A −12V 0.5A", [(None, 5, 15), (None, 12, 8), (None, 12, 0.5)]),
        ("24V 6.3A 150W", [(None, 24, 6.3)]),
    ],
)
def test_labels_of_supplies_that_exist(label: str, outlets: list[tuple[float | None, float, float]]) -> None:
    assert [(o.low_V, o.volts, o.amps) for o in read_outlets(label)] == outlets
    job = readings_first("Shelf", label)
    assert [o.adjustable for o in job.design.outputs()] == [low is not None for low, _, _ in outlets]
    assert {t.output for t in job.campaign.tests} == {o.id for o in job.design.outputs()}


def test_labels_that_say_too_little_are_refused() -> None:
    for label in ("0-30V", "+5V 15A −12V 0A", "5A"):
        with pytest.raises(UserError):
            read_outlets(label)


def rows_of(*points: tuple[float, float | None, float | None]) -> list[Reading]:
    """Moments of an output: volts, amps, what it was set to; None where nobody said."""
    rows: list[Reading] = []
    for k, (volts, amps, set_V) in enumerate(points):
        for place, q, value, range_ in (
            ("out", "V", volts, ""), ("out", "A", amps, AS_SAID), ("out-set", "V", set_V, AS_SAID),
        ):  # fmt: skip
            if value is not None:
                fact = (k, 60.0 * k, place, q, value, "", FINE, "two-wire", "typed", range_)
                rows.append(Reading(*fact, id=len(rows) + 1))
    return rows


def test_a_test_takes_what_fits_whoever_asked_for_it() -> None:
    job = readings_first("Shelf", "12V 5A")
    line = plan(job, job.campaign.tests[0])

    def steps(*points: tuple[float, float | None, float | None]) -> list[int | None]:
        return [r.step for r in taken(job, line, rows_of(*points)) if r.quantity == "V"]

    up = [s.set_A for s in line.steps]
    # Volts that nobody said the amps of are a point of no test; a current that was not planned is one.
    assert steps((12.0, None, None), (12.0, 1.7, None)) == [None]
    # Read again at no load it is the first point; after the load, the last.
    assert steps((12.0, 0.0, None), (12.0, 0.0, None), (11.9, up[2], None)) == [0, 0, 2]
    assert steps((12.0, 0.0, None), (11.9, up[2], None), (12.0, 0.0, None)) == [0, 2, len(up) - 1]
    # Set to other volts it says nothing of its own.
    assert steps((5.0, 1.0, 5.0)) == []
    assert outcome(job, line, rows_of((12.0, None, None))).measured == 0


def test_settings_fill_the_reach() -> None:
    job = readings_first("Shelf", "0-30V 5A")
    reach = plan(job, job.campaign.tests[0])
    found = outcome(job, reach, rows_of((5.02, 2.0, 5.0), (11.9, 2.0, 12.0), (29.9, 5.0, 30.0)))
    assert (found.measured, len(found.extra)) == (1, 2)
    assert found.verdict.value == "holds"
    fell = outcome(job, reach, rows_of((5.02, 2.0, 5.0), (4.1, 4.8, 5.0)))
    assert fell.verdict.value == "misses"


def test_only_the_newest_state_counts(demo: Job) -> None:
    job = changed_state(demo, "pad replaced", 1e9, 7)
    rows = [r._replace(state=s) for r, s in zip(rows_of((12.0, 0.0, None)), (1, 7), strict=True)]
    assert [r.state for r in of_newest(job, rows)] == [7]
    # What was read while a change stood that was taken back is of the state before it.
    assert [n for n in (6, 7, 8) if n in newest(job)] == [7, 8]
    # Said to be the description alone, what was read before counts as well.
    link = demo.design.link("mount-lead")
    longer = with_link(demo, changed(link, length_m=3.3))
    assert circuit_of(longer) != circuit_of(demo)
    opened = edited(demo, longer, "longer", 1e9, 9, [1])
    assert (newest(opened).start, opened.states[-1].how) == (9, "open")
    assert newest(answered(opened, changed=False)).start == 1
    assert newest(answered(opened, changed=True)).start == 9
    # Brought back before anything was read of it, nothing is asked any more; wishes and names ask nothing.
    assert edited(opened, with_link(opened, link), "back", 1e9, 10, [1]).states == ()
    wish = with_link(demo, changed(demo.output("mount"), full_load_A=3.0, tolerance=0.01))
    assert edited(demo, wish, "less", 1e9, 9, [1]).states == ()
    assert edited(demo, longer, "longer", 1e9, 9, []).states == ()
    with pytest.raises(UserError, match="Nothing is asked"):
        answered(demo, changed=True)
    with pytest.raises(UserError, match="what was changed"):
        changed_state(demo, " ", 1e9, 2)
