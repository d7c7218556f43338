"""Where a typed line lands, whatever its order, units and marks, and whatever is in hand."""

import numpy as np
import pytest

from tensimeter.core.analysis.regulation import left_line
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Verdict
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import (
    CrossRegulation,
    Efficiency,
    LoadRegulation,
    Overload,
    Ripple,
    ShortCircuit,
    Soak,
    Tolerance,
)
from tensimeter.core.procedure.matrix import numbered
from tensimeter.core.readingline import understand
from tensimeter.core.testplan.advice import outcome_sentence
from tensimeter.core.testplan.destination import destination, in_hand_of
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.core.testplan.step import Plan

#: Test and step in hand; the line; place, value, amps; test and step where it counts. No test in hand: -.
TABLE = """
load 0    | mount 13.58V @4A        | mount 13.58 V 4        | load 6
load 0    | MOUNT 13,58 V @ 4 A     | mount 13.58 V 4        | load 6
load 0    | mount 13.58V 4A         | mount 13.58 V 4        | load 6
load 0    | mount 4A 13.58V         | mount 13.58 V 4        | load 6
load 0    | mount @4A 13.58V        | mount 13.58 V 4        | load 6
load 0    | mount @4 13.58          | mount 13.58 V 4        | load 6
load 0    | mount 4000mA 13580mV    | mount 13.58 V 4        | load 6
load 0    | mount 13.58V@4A         | mount 13.58 V 4        | load 6
load 0    | mount: 13.58V @4        | mount 13.58 V 4        | load 6
load 0    | mount = 13.58V @4       | mount 13.58 V 4        | load 6
load 0    | mount 13V58 @4          | refused                |
load 0    | 4A 13.58V               | mount 13.58 V 4        | load 6
load 0    | 13.58V 4A               | mount 13.58 V 4        | load 6
load 0    | 13.58 @4                | mount 13.58 V 4        | load 6
load 0    | @4A 13.58V              | mount 13.58 V 4        | load 6
load 0    | @4 13.58                | mount 13.58 V 4        | load 6
load 0    | 13.58@4                 | mount 13.58 V 4        | load 6
load 0    | 13.58                   | mount 13.58 V -        | - -
load 3    | 13.58                   | mount 13.58 V -        | - -
load 3    | 13.58V                  | mount 13.58 V -        | - -
load 3    | 13,58                   | mount 13.58 V -        | - -
load 3    | 13580mV                 | mount 13.58 V -        | - -
load 3    | mount 13.58             | mount 13.58 V -        | - -
load 3    | mou 13.58               | mount 13.58 V -        | - -
load 3    | 13.58 @4.75             | mount 13.58 V 4.75     | load 3
load 3    | 13.58 @3.2              | mount 13.58 V 3.2      | load 2
load 3    | 13.58 @0                | mount 13.58 V 0        | load 7
load 0    | 13.58 @5.6              | mount 13.58 V 5.6      | load -
load 0    | 13.58 @8.39             | mount 13.58 V 8.39     | load 5
load 0    | 13.58 @8.41             | mount 13.58 V 8.41     | load -
load 0    | 13.58 @12               | mount 13.58 V 12       | load -
load 3    | OL                      | mount inf V -          | - -
load 3    | -13.58                  | mount -13.58 V -       | - -
load 3    | +13.58V                 | mount 13.58 V -        | - -
load 3    | −13.58V @4.8            | mount -13.58 V 4.8     | load 3
load 3    | 1.358e1 @4.8            | mount 13.58 V 4.8      | load 3
load 3    | 13.58V 20               | refused                |
load 3    | 13.58 20                | refused                |
load 3    | 13.58V 13.5V            | refused                |
load 3    | 4A 5A                   | refused                |
load 3    | 13.58 @4V               | refused                |
load 3    | 13.58 @OL               | refused                |
load 3    | 13.58 @                 | refused                |
load 3    | @4A                     | refused                |
load 3    | 13.58 @4 @5             | refused                |
load 3    | 13.58V 4A 2W            | refused                |
load 3    | 13.5.8V                 | refused                |
load 3    | 13.58 ohmm              | refused                |
load 3    | 20Hz                    | refused                |
load 3    | mount                   | refused                |
load 3    | d 24.1                  | refused                |
load 3    | 4A                      | mount 4 A -            | - -
load 3    | hub 5.19V @1A           | hub 5.19 V 1           | hub 6
load 3    | camera hub 5.19V @1A    | hub 5.19 V 1           | hub 6
load 3    | camera 5187mV 400mA     | hub 5.187 V 0.4        | hub 1
load 3    | hub 1A 5.19V            | hub 5.19 V 1           | hub 6
load 3    | hub 5.19V               | hub 5.19 V -           | - -
load 3    | hub 5.19V @0.7          | hub 5.19 V 0.7         | hub 2
load 3    | dew 12.1V @1.5          | dew 12.1 V 1.5         | dew 6
load 3    | dew heater 12.1V @1.5   | dew 12.1 V 1.5         | dew 6
hub 1     | 5.19                    | hub 5.19 V -           | - -
hub 1     | mount 13.4 @8           | mount 13.4 V 8         | load 5
hub 1     | 5.19 @2                 | hub 5.19 V 2           | hub 5
hub 1     | hub-panel 5.2           | hub-panel 5.2 V -      | - -
load 4    | mount-panel 13.6        | mount-panel 13.6 V -   | - -
load 4    | mount-panel 13.6 @1.6   | mount-panel 13.6 V 1.6 | - -
load 4    | mount-panel 13.6 @8     | mount-panel 13.6 V 8   | - -
load 4    | mount-panel 1.6A 13.6V  | mount-panel 13.6 V 1.6 | - -
load 4    | donor a 24.1            | donor-a 24.1 V -       | - -
load 4    | front-end 13.6          | front-end 13.6 V -     | - -
load 4    | front end -0.2V         | front-end -0.2 V -     | - -
load 4    | ambient 21.5            | ambient 21.5 C -       | - -
load 4    | room 21.5               | ambient 21.5 C -       | - -
load 4    | sink 47.2C              | sink 47.2 C -          | - -
load 4    | front-end-case 47.2     | front-end-case 47.2 C - | - -
load 4    | wall 120                | wall 120 W -           | - -
load 4    | fan 34dB                | fan 34 dB -            | - -
load 4    | left bolt 41C           | left-bolt 41 C -       | - -
load 4    | earth-mount OL          | earth-mount inf ohm -  | - -
load 4    | earth-mount 2M2         | earth-mount 2.2e6 ohm - | - -
load 4    | earth-mount 0.3 ohm     | earth-mount 0.3 ohm -  | - -
load 4    | earth-mount 0.3         | earth-mount 0.3 ohm -  | - -
load 4    | 9 OL                    | apart-donor-a-plus-donor-a-case inf ohm - | - -
load 4    | 10 0.52V                | diode-donor-a-minus-donor-a-plus 0.52 V - | - -
load 4    | 10 0.52                 | diode-donor-a-minus-donor-a-plus 0.52 V - | - -
load 4    | 6: 0.2 ohm              | joined-earth-chassis 0.2 ohm - | - -
load 4    | 18 OL                   | earth-mount inf ohm -  | - -
load 4    | 18 12MΩ                 | earth-mount 12e6 ohm - | - -
load 4    | 99 OL                   | refused                |
ripple 2  | 42mVpp                  | mount 0.042 Vpp -      | - -
ripple 0  | 42mVpp @8A              | mount 0.042 Vpp 8      | ripple 2
ripple 0  | mount 42 mV pp @8       | mount 0.042 Vpp 8      | ripple 2
ripple 0  | 8A 42mVpp               | mount 0.042 Vpp 8      | ripple 2
load 0    | mount 42mVpp @4         | mount 0.042 Vpp 4      | ripple 1
load 0    | mount 42mVpp            | mount 0.042 Vpp -      | - -
load 0    | dew 42mVpp              | dew 0.042 Vpp -        | - -
eff 2     | wall 141                | wall 141 W -           | eff 2
eff 2     | wall 141W               | wall 141 W -           | eff 2
eff 4     | 13.4                    | mount 13.4 V -         | - -
eff 2     | 13.4 @6.02              | mount 13.4 V 6.02      | eff 4
short 1   | 2.4                     | dew 2.4 V -            | short 1
short 2   | 3.4                     | dew 3.4 A -            | short 2
short 2   | 3.4A                    | dew 3.4 A -            | short 2
short 2   | 0.05V 3.4A              | dew 0.05 V 3.4         | short 2
short 2   | 3.4A 0.05V              | dew 0.05 V 3.4         | short 2
short 2   | 50mV @3.4               | dew 0.05 V 3.4         | short 2
short 2   | mount 13.4 @8           | mount 13.4 V 8         | load 5
limit 5   | 12.1 @3.1               | dew 12.1 V 3.1         | limit 5
limit 5   | 2.1V 3.3A               | dew 2.1 V 3.3          | limit 5
limit 5   | 0.3 @0.02               | dew 0.3 V 0.02         | limit 5
limit 5   | 11.9                    | dew 11.9 V -           | limit 5
trim 1    | 11.95                   | mount 11.95 V -        | trim 1
trim 1    | mount 11.95             | mount 11.95 V -        | trim 1
trim 1    | 11.95 @0                | mount 11.95 V 0        | trim 1
trim 0    | 13.4 @8                 | mount 13.4 V 8         | load 5
trim 0    | mount 13.58V @4A        | mount 13.58 V 4        | load 6
cross 1   | hub 5.18                | hub 5.18 V -           | - -
cross 1   | hub 5.18V @0            | hub 5.18 V 0           | cross 1
cross 1   | 13.4                    | mount 13.4 V -         | - -
soak 0    | front-end-case 47.2     | front-end-case 47.2 C - | soak 0
soak 0    | case 47.2               | case 47.2 C -          | soak 0
soak 0    | ambient 21.5            | ambient 21.5 C -       | soak 0
soak 0    | fan 34dB                | fan 34 dB -            | soak 0
soak 0    | 13.4 @8                 | mount 13.4 V 8         | soak 1
soak 0    | 13.4                    | mount 13.4 V -         | soak 0
-         | mount 13.4 @8           | mount 13.4 V 8         | load 5
-         | hub 2A 5.1V             | hub 5.1 V 2            | hub 5
-         | dew 12.1                | dew 12.1 V -           | - -""".strip().splitlines()


@pytest.fixture(scope="module")
def proving(demo: Job) -> Job:
    return with_campaign(
        demo,
        tests=(
            LoadRegulation(id="load", output="mount"),
            LoadRegulation(id="dew", output="dew"),
            LoadRegulation(id="hub", output="hub"),
            Ripple(id="ripple", output="mount"),
            Efficiency(id="eff", output="mount"),
            ShortCircuit(id="short", output="dew"),
            Overload(id="limit", output="dew"),
            Tolerance(id="trim", output="mount", span_V=(12, 15)),
            CrossRegulation(id="cross", output="mount", others=("hub",)),
            Soak(id="soak", output="mount"),
        ),
    )


@pytest.fixture(scope="module")
def planned(proving: Job) -> dict[str, Plan]:
    return {t.id: plan(proving, t) for t in proving.campaign.tests}


@pytest.fixture(scope="module")
def points(proving: Job) -> dict:
    return numbered(proving)


def _read(job: Job) -> ReadSoFar:
    """The first four points of MOUNT, two of HUB: read before."""
    rows = []
    for place, count in (("mount", 4), ("hub", 1)):
        for step in range(count):
            for quantity, value in (("V", 13.5), ("A", 1.6 * step)):
                fact = (len(rows) // 2, 0.0, place, quantity, value, "m", None, "four-wire", "typed", "")
                rows.append(Reading(*fact, id=len(rows) + 1))
    return ReadSoFar(job, rows)


@pytest.mark.parametrize("row", TABLE)
def test_where_a_line_lands(proving: Job, planned: dict[str, Plan], points: dict, row: str) -> None:
    in_hand, typed, read, counts = (x.strip() for x in row.split("|"))
    plans = dict(planned)
    test, _, step = in_hand.partition(" ")
    hand = plans.pop(test, None)
    at = int(step) if step else None

    def take() -> tuple:
        line = understand(proving, typed, in_hand_of(hand, at), numbered=points)
        ordered = [p for p in (hand, *plans.values()) if p is not None]
        return line, destination(proving, line, ordered, _read(proving), at)

    if read == "refused":
        with pytest.raises(UserError):
            take()
        return
    line, found = take()
    place, value, quantity, amps = read.split()
    assert (line.place, line.quantity) == (place, quantity)
    assert line.value == pytest.approx(float(value))
    assert found.at_A == (None if amps == "-" else pytest.approx(float(amps)))
    test = found.plan.test.id if found.plan is not None else "-"
    assert f"{test} {'-' if found.step is None else found.step}" == counts
    # What it is a point of follows from its circumstances; only what is no point stays with its test.
    assert found.test in (None, test)
    assert found.words


def typed(job: Job, test: str, *lines: str) -> list[Reading]:
    """Lines as they are typed one after another, filed where they count."""
    worked_out = plan(job, job.test(test))
    rows: list[Reading] = []
    for line in lines:
        so_far = ReadSoFar(job, rows)
        step = so_far.next_step(worked_out)
        said = understand(job, line, in_hand_of(worked_out, step))
        where = destination(job, said, [worked_out], so_far, step)
        meter = Accuracy(of_reading=0.0005, counts=2, resolution=0.001)
        for quantity, value in (("V", said.value), ("A", where.at_A)):
            fact = (len(rows) // 2, 0.0, said.place, quantity, value, "m", meter, "four-wire", "typed", "")
            rows.append(Reading(*fact, where.test, where.step, id=len(rows) + 1))
    return rows


def test_a_line_ends_where_the_volts_leave_it(proving: Job) -> None:
    lines = ("5.20 @0", "5.18 @0.4", "5.16 @0.8", "5.14 @1.2", "2.1 @1.25")
    found = outcome(proving, plan(proving, proving.test("hub")), typed(proving, "hub", *lines))
    # 50 mΩ: the collapsed point is none of the line.
    assert found.regulation.output_resistance_ohm.value == pytest.approx(0.05, abs=1e-4)
    ends = next(f for f in found.findings if f.key == "line_ends")
    assert ends.text.startswith("gives 1.25 A, at 2.1 V")
    assert "current limit test" in ends.text
    # At 2 A nothing was read: the line would give 5.1 V, and no verdict is given on that.
    assert found.regulation_verdict is Verdict.NOT_MEASURED
    said = outcome_sentence(found)
    assert "not measured at 2 A; the line would give 5.1 V, 1.9 %" in said
    # The collapsed point itself misses.
    assert found.verdict is Verdict.NONCONFORMING


def test_swapped_probes_and_many_points_leave_no_line() -> None:
    amps = np.linspace(0.0, 5.0, 10_000)
    assert not left_line(-12.0 + 0.05 * amps, amps, amps).any()
    assert not left_line(12.0 - 0.05 * amps, amps, amps).any()
    gone = left_line(np.where(amps > 4.9, 3.0, 12.0 - 0.05 * amps), amps, amps)
    assert gone.sum() == (amps > 4.9).sum()


def test_a_slip_between_two_points_is_no_knee() -> None:
    amps = np.array([0.0, 1.0, 2.0, 3.0])
    out = left_line(np.array([12.0, 11.9, 1.18, 11.7]), amps, amps)
    assert not out.any()
    asked = np.array([0.0, 1.0, 2.0, 3.0])
    folded = left_line(np.array([12.0, 11.9, 11.8, 6.0]), np.array([0, 1.0, 2.0, 1.5]), asked)
    assert folded.tolist() == [False, False, False, True]
