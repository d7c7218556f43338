"""Trims, two runs, contacts, two meters that disagree, and a meter that was checked."""

import numpy as np
import pytest
from benchmarks.trims import OVER, ROUNDS
from benchmarks.trims import outcome as followed_out
from msgspec.structs import replace

from tensimeter.core.circuit.along_path import drop_of, joints_of, link_of, pin_of, places_along
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Verdict
from tensimeter.core.measurement.readings import AS_SAID, Reading
from tensimeter.core.model.edits import changed
from tensimeter.core.model.instruments import put_right
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_check, without_check
from tensimeter.core.parts.figures import MeterCheckRecord
from tensimeter.core.readingline import understand
from tensimeter.core.testplan.check_words import check_kept_sentence
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.meter_checks import as_check, meter_checks
from tensimeter.core.testplan.plan import plan, plans_of
from tensimeter.core.tuning.asked import Asked
from tensimeter.core.tuning.before_after import changed_between, compare, laps, picture
from tensimeter.core.tuning.contacts import contacts, next_place, redo_sentence
from tensimeter.core.tuning.disagreement import LEADS_CAN_NOT, NOT_APART, disagreement, disagreement_of
from tensimeter.core.tuning.symptoms import _TABLE, FAULTS, SYMPTOMS, diagnosis, read_symptoms
from tensimeter.core.tuning.trim_edits import sealed, with_trim, without_trim
from tensimeter.core.tuning.trim_words import reach_words
from tensimeter.core.tuning.trims import _aims, trimming
from tensimeter.core.tuning.turning import Turned, behind_play, sensitivity, turns_for
from tensimeter.demo.library import demo_hand, demo_job
from tests.core.test_causes import FINE, MICRO, NUMBERS, plain_job, read

# -- trims ------------------------------------------------------------------------------------------


def test_play_lags_behind_the_shaft() -> None:
    """A play of 0.25: up by one it has come 0.75 on; back by 0.1 it stays; back by a half it follows."""
    at = behind_play(np.array([0.0, 1.0, 0.9, 0.5, 0.6]), 0.25)
    assert at == pytest.approx([-0.25, 0.75, 0.75, 0.5, 0.5])


def test_trims_are_set_by_following_the_advice() -> None:
    """Two to four screws that act on one another, with play, coarse hands and stops."""
    rng = np.random.default_rng(0)
    made = [followed_out(rng) for _ in range(20)]
    assert all(held for *_, held in made)
    assert sum(n <= ROUNDS for n, *_ in made) >= 18
    assert max(over for _, over, _ in made) <= OVER


def test_turns_by_hand() -> None:
    """2 V a turn on its own figure, 1 V on the other's: 0.5 V and 0.25 V up are a quarter of a turn."""
    turns = np.array([[0.0, 0.0], [0.5, 0.0], [1.0, 0.0], [1.0, 0.5], [1.0, 1.0]])
    figures = np.array([[10.0, 5.0], [11.0, 5.5], [12.0, 6.0], [12.0, 7.5], [12.0, 9.0]])
    found = sensitivity(Turned(("a", "b"), ("x", "y"), turns, figures, np.full(2, 0.001)))
    assert found.matrix == pytest.approx(np.array([[2.0, 0.0], [1.0, 3.0]]), abs=1e-9)
    own = found.per_turn("x", "a")
    assert own.value == pytest.approx(2.0)
    # Each setting is open by 0.02 turn, all in all: a turn of a whole is known to some 3 % and not better.
    assert 0.03 < own.half_width < 0.2
    first, second = turns_for(found, {"x": 12.5, "y": 9.25}, {}, ("b", "a"))
    assert (first.screw, second.screw) == ("b", "a")
    assert (first.turns, second.turns) == pytest.approx((0.0, 0.25), abs=1e-6)
    # Down is past and back, so that it ends turning up; a stop is kept, and said.
    down = turns_for(found, {"x": 11.5, "y": 8.75}, {}, ("a", "b"))[0]
    assert (down.turns, down.past) == pytest.approx((-0.25, 0.5), abs=1e-6)
    stop = turns_for(found, {"x": 14.0, "y": 10.0}, {"a": (-5.0, 1.25)}, ("a", "b"))[0]
    assert stop.stopped
    assert stop.ends_at == pytest.approx(1.25)
    with pytest.raises(UserError, match="Turn a screw"):
        sensitivity(Turned(("a",), ("x",), np.zeros((2, 1)), np.ones((2, 1)), np.ones(1)))


def test_what_a_turn_does_is_open_until_its_play_is_taken_up() -> None:
    """0.55 V a turn and a play of 0.2: said to be 0.55 only once it went on the same way."""
    shafts = np.array([0.0, 0.5, 1.0, 0.5])
    at = behind_play(shafts, 0.2, 0.0)
    volts = 12 + 0.55 * (at - at[0])

    def of(n: int):
        return sensitivity(Turned(("a",), ("x",), shafts[:n, None], volts[:n, None], np.full(1, 0.001)))

    assert not of(2).known[0]
    on = of(3).per_turn("x", "a")
    assert on.low < 0.55 < on.high < 0.66
    back = of(4)
    assert back.play_of("a").low <= 0.2 <= back.play_of("a").high
    assert back.play[0] == pytest.approx(0.2, abs=0.04)


def test_trims_of_a_job_from_what_is_typed() -> None:
    job = with_trim(plain_job(), "Unit, volts", "out", up="3", down="2")
    rows: list[Reading] = []

    def typed(text: str) -> None:
        line = understand(job, text, seen=())
        scan = next(NUMBERS)
        of = Reading(scan, 0.0, line.place, line.quantity, line.value, "meter", FINE, "four-wire", "typed")
        rows.append(of._replace(id=next(NUMBERS)))
        if line.at_A is not None:
            rows.append(of._replace(quantity="A", value=line.at_A, range=AS_SAID, id=next(NUMBERS)))

    assert "Read first" in trimming(job, rows).said
    typed("out 11.5V")
    assert "At what load" in trimming(job, rows).said
    typed("out 11.6V @0A")
    assert "Turn Unit, volts up by 0.12: “unit-volts 0.12 turn”" in trimming(job, rows).said
    typed("unit-volts 0.5")
    assert rows[-1].quantity == "turn"
    # Each turn is asked to be read, and goes on the same way until it is known what it does.
    assert trimming(job, rows).said == "Read again, as it stands now: out."
    typed("out 11.7V @0A")
    assert "not known well enough yet" in trimming(job, rows).said
    typed("unit-volts 1")
    typed("out 11.8V @0A")
    # A reading under load tells of the load: it is no turn's doing.
    loaded = read("out", 11.2, 8.0)
    rows += [r._replace(scan=loaded[0].scan) for r in loaded]
    found = trimming(job, rows)
    assert found.reads["out"] == 11.8 or found.found is not None
    assert found.found is not None
    assert found.turns[0].turns == pytest.approx(1.0, abs=0.04)
    assert "“unit-volts 2.00 turn”" in found.said
    typed("unit-volts 2 turn")
    typed("out 12.0V @0A")
    assert trimming(job, rows).held
    shut = sealed(job, "unit-volts", True)
    assert shut.assembly.trims[0].sealed
    assert without_trim(shut, "unit-volts").assembly.trims == ()
    for name, moves, up in (("", "out", ""), ("x", "nowhere", ""), ("x", "out", "-1"), ("x", "out", "2V")):
        with pytest.raises(UserError):
            with_trim(job, name, moves, up=up)


def test_trims_hold_by_what_the_meter_leaves_open() -> None:
    job = with_trim(plain_job(), "Unit, volts", "out")
    coarse = Accuracy(of_reading=0.01, counts=2, resolution=0.01)
    # 12.0 V by a meter of 1 %: within ± 0.5 % it may be, or not.
    assert not trimming(job, read("out", 12.0, 0.0, coarse)).held
    assert trimming(job, read("out", 12.0, 0.0, FINE)).held
    # A display whose output nobody read is no display that holds.
    shown = with_trim(plain_job(), "Span", "out-panel")
    only = read("out-panel", 12.0, 0.0, FINE)[:1]
    assert not trimming(shown, only).held
    # Loaded, an output is to read what it has there once it is right without load: a converter is aimed.
    pier = with_trim(demo_job("ridge-pier"), "Volts", "mount")
    idle = trimming(pier, read("mount", 13.6, 0.0)).targets["mount"]
    loaded = trimming(pier, read("mount", 13.3, 8.0)).targets["mount"]
    assert idle - loaded == pytest.approx(8 * (0.004 + 0.0061 + 0.0336), abs=0.005)


def test_a_display_of_amps_is_aimed_at_amps() -> None:
    job = with_trim(with_trim(plain_job(), "Volts", "out"), "Span", "out-panel", "A")
    volts, amps = job.assembly.trims
    assert _aims((volts, amps), {"out": 12.0, "out-panel": 3.0}) == {"out": 12.0, "out-panel": 3.0}
    shown = changed(amps, quantity="V")
    assert _aims((volts, shown), {"out": 12.0, "out-panel": 11.7})["out-panel"] == 12.0
    # What somebody wants it to show is what it is aimed at.
    wanted = changed(shown, target=11.9)
    assert _aims((volts, wanted), {"out": 12.0, "out-panel": 11.9})["out-panel"] == 11.9


def test_trims_tell_what_their_last_turn_would_do() -> None:
    job = with_trim(demo_job("ridge-pier"), "Hub volts", "hub", up="2", down="1")
    rows = [*read("hub", 5.15, 0.0), _turned("hub-volts", 0.25), *read("hub", 5.2, 0.0)]
    rows += [_turned("hub-volts", 0.5), *read("hub", 5.25, 0.0)]
    (said,) = reach_words(job, trimming(job, rows))
    # 0.2 V a turn, 1.5 turns left: 5.55 V, and the camera stands 5.4 V.
    assert "stands 5.4 V, 150 mV above what it reads" in said or "stands 5.4 V, 140 mV" in said
    assert "to its stop would give 5.5" in said
    assert "it reads more than that" in reach_words(job, trimming(job, read("hub", 5.6, 0.0)))[0]
    # Of a donor that is alone its own trip is known; nothing read, nothing said.
    lights = with_trim(demo_job("dome-workshop"), "Unit", "lights")
    assert "trips at 29 V" in reach_words(lights, trimming(lights, read("lights", 24.1, 0.0)))[0]
    assert reach_words(lights, trimming(lights, [])) == []


def _turned(screw: str, turns: float) -> Reading:
    n = next(NUMBERS)
    return Reading(n, 0.0, screw, "turn", turns, "", None, "four-wire", "typed", id=n)


# -- before and after -------------------------------------------------------------------------------


def _lap(job: Job, more: float, rng: np.random.Generator, meter: str = "meter") -> list[Reading]:
    """A load regulation of the plain job, `more` ohms in its path; one meter, its errors drawn once."""
    found = []
    for step, amps in enumerate((0.0, 2.0, 4.0, 6.0, 8.0)):
        true = 12.0 - (0.038 + more) * amps
        for r in read("out", round(true + 0.0005 * rng.standard_normal(), 3), amps, FINE, meter):
            found.append(r._replace(test="regulation", step=step))
    return found


def test_two_runs_alike_and_not() -> None:
    job, rng = plain_job(), np.random.default_rng(11)
    worked_out = plan(job, job.campaign.tests[0])
    wrong = right = 0
    for _ in range(60):
        same = laps(job, worked_out, _lap(job, 0.0, rng) + _lap(job, 0.0, rng))
        wrong += compare(job, worked_out, *same).verdict in ("better", "worse")
        # 1 mΩ less is 4 mV in the mean of five points; a reading scatters by 0.6 mV, two by 0.8 mV.
        mended = laps(job, worked_out, _lap(job, 0.0, rng) + _lap(job, -0.001, rng))
        right += compare(job, worked_out, *mended).verdict == "better"
    assert wrong <= 5
    assert right >= 58


def test_what_is_said_of_two_runs() -> None:
    job, rng = plain_job(), np.random.default_rng(3)
    worked_out = plan(job, job.campaign.tests[0])
    rows = _lap(job, 0.05, rng) + _lap(job, 0.0, rng)
    first, second = laps(job, worked_out, rows)
    found = compare(job, worked_out, first, second)
    assert found.verdict == "better"
    assert found.points[-1].difference.value == pytest.approx(0.4, abs=0.003)
    assert "nearer to nominal by" in found.sentence
    assert compare(job, worked_out, second, first).verdict == "worse"
    assert len(picture(found).spots) == 5
    # Another meter: its whole uncertainty counts, and 4 mV are not to be told.
    other = laps(job, worked_out, _lap(job, 0.0, rng) + _lap(job, -0.001, rng, "other"))
    far = compare(job, worked_out, *other)
    assert far.verdict in ("alike", "cannot_tell")
    assert "same meter" in far.sentence
    deeds = [(first.at + 1, "lead made anew"), (second.at + 99, "later")]
    assert changed_between(first, second, worked_out, deeds) == ["lead made anew"]
    half = replace(second, rows={k: r for k, r in second.rows.items() if k[0] > 90})
    with pytest.raises(UserError, match="no figure in common"):
        compare(job, worked_out, first, half)
    # The same steps at more amps: brought back by the slope that was read.
    moved = [r._replace(value=r.value + 0.5) if r.quantity == "A" else r for r in _lap(job, 0.0, rng)]
    moved = [r._replace(value=round(12 - 0.038 * (2.0 * (r.step or 0) + 0.5), 3)) if r.quantity == "V" else r
             for r in moved]  # fmt: skip
    brought = compare(job, worked_out, *laps(job, worked_out, _lap(job, 0.0, rng) + moved))
    assert all(abs(p.difference.value) < 0.004 for p in brought.points)


# -- contacts ---------------------------------------------------------------------------------------


def test_millivolts_along_the_path() -> None:
    job = plain_job()
    assert set(places_along(job)) == {"joint-drop", "joint-least", "wire-drop", "wire-joints", "out-other"}
    assert link_of("wire-joints") == "wire"
    rows = read(drop_of("joint"), 0.032, 8.0, MICRO) + read(drop_of("wire"), 0.352, 8.0, MICRO)
    found = contacts(job, rows)
    lead, plug = found.joints
    # 44 mΩ; the design has 20 mΩ of copper, 5 % more at the most, and 4 mΩ of joints, half as much again.
    assert lead.ohm.value == pytest.approx(0.044)
    assert lead.allowed.ends[1] == pytest.approx(0.021 + 0.006)
    assert lead.excess_ohm == pytest.approx(0.017)
    assert lead.lost_W == pytest.approx(0.020 * 64)
    assert (lead.verdict, plug.verdict) == (Verdict.NONCONFORMING, Verdict.CONFORMS)
    assert "To make anew: Lead" in redo_sentence(found)
    assert "joints of Lead" in next_place(job, found)
    joints = contacts(job, rows + read(joints_of("wire"), 0.192, 8.0, MICRO))
    assert joints.redo is not None
    assert getattr(joints.redo, "place", "") in ("wire-joints", "wire-drop")
    assert redo_sentence(contacts(job, [])) == "Nothing was read along the path yet."
    # Without a current there are no ohms.
    assert contacts(job, read(drop_of("wire"), 0.0, 0.0)).joints == ()


def test_the_wires_of_a_plug() -> None:
    """Under a lamp of 2 A two yellow wires lose 60 and 180 mV; a grey one gives way: it is a signal."""
    job = demo_job("dome-workshop")
    assert pin_of(10) in places_along(job)
    rows = []
    for pin, idle, loaded in (
        (10, 12.05, 11.99),
        (11, 12.05, 11.87),
        (8, 5.0, 1.2),
        (4, 3.31, 3.30),
        (6, 0.0, 0.0),
    ):
        first = read(pin_of(pin), idle, 0.0)[:1]
        rows += first + read(pin_of(pin), loaded, 2.0)
    wires = {w.pin: w for w in contacts(job, rows).wires}
    assert (wires[10].kind, wires[8].kind, wires[4].kind, wires[6].kind) == (
        "rail",
        "signal",
        "wrong_colour",
        "dead",
    )
    assert wires[10].ohm is not None
    assert wires[10].ohm.value == pytest.approx(0.03, abs=1e-6)
    assert wires[11].times == pytest.approx(3.0)
    assert wires[11].worse
    assert wires[10].share == pytest.approx(0.75)
    # Power good stands at 5 V idle, as it should: it is no rail of the wrong colour.
    grey = contacts(job, read(pin_of(8), 5.0, 0.0)[:1])
    assert (grey.wires[0].kind, grey.redo) == ("signal", None)


# -- two meters that disagree -----------------------------------------------------------------------

PANEL = Accuracy(of_reading=0.01, counts=3, resolution=0.01)
AMPS = np.array([0.5, 1.0, 2.0, 3.0, 4.0])


def _shown(true: np.ndarray, accuracy: Accuracy, rng: np.random.Generator) -> np.ndarray:
    gain, offset = rng.uniform(-1, 1, 2)
    read_ = true * (1 + gain * accuracy.of_reading) + offset * accuracy.offset
    read_ = read_ + accuracy.noise_counts * accuracy.resolution * rng.standard_normal(len(true))
    return np.asarray(np.round(read_ / accuracy.resolution) * accuracy.resolution)


def test_leads_never_and_a_second_return() -> None:
    rng = np.random.default_rng(2)
    alike = found = 0
    for k in range(40):
        share = rng.uniform(0.06, 0.5) * (k % 2)
        amps, part = np.append(AMPS, [2.0, 4.0]), np.append(np.full(5, share), [0.0, 0.0])
        alone = np.array([False] * 5 + [True] * 2)
        told = disagreement(
            "A", _shown(amps * (1 - part), PANEL, rng), _shown(amps, FINE, rng), PANEL, FINE,
            low_side=True, draws_A=0.02, alone=alone,
        )  # fmt: skip
        assert all(e.key != "lead_drop" for e in told.explanations)
        assert told.notes == (LEADS_CAN_NOT,)
        found += told.explanations[0].key == "second_return" and bool(share)
        alike += told.explanations[0].key == "alike" and told.inside_both and not share
    assert (found, alike >= 18) == (20, True)


@pytest.mark.parametrize("share", [0.06, 0.1, 0.14])
def test_a_gain_and_a_second_return_are_not_told_apart_by_one_loop_as_it_stands(share: float) -> None:
    rng = np.random.default_rng(8)
    read_ = _shown(AMPS * (1 - share), PANEL, rng), _shown(AMPS, FINE, rng)
    told = disagreement("A", *read_, PANEL, FINE, low_side=True)
    by = {e.key: e.probability for e in told.explanations}
    # By what is usual alone: 0.2 to 0.12; neither is nearly sure.
    assert by["gain"] / by["second_return"] == pytest.approx(0.2 / 0.12)
    assert max(by.values()) < 0.65
    assert NOT_APART in told.notes
    assert "off the negative" in told.next
    # What shows too much has lost nothing on another way back.
    more = disagreement("A", _shown(AMPS * (1 + share), PANEL, rng), AMPS, PANEL, FINE, low_side=True)
    assert more.explanations[0].key == "gain"
    assert NOT_APART not in more.notes
    # One pair read alone tells: with a gain that is off it is off there as well.
    amps, alone = np.append(AMPS, 4.0), np.array([False] * 5 + [True])
    for part, key in ((share, "gain"), (0.0, "second_return")):
        shown = _shown(amps * (1 - np.where(alone, part, share)), PANEL, rng)
        found = disagreement("A", shown, _shown(amps, FINE, rng), PANEL, FINE, low_side=True, alone=alone)
        assert found.explanations[0].key == key
        assert NOT_APART not in found.notes


def test_volts_a_lead_and_what_tells_it() -> None:
    """30 mΩ between the two places: 120 mV at 4 A, and of volts a lead may be the reason."""
    amps = np.array([0.0, 1.0, 2.0, 4.0])
    told = disagreement("V", np.full(4, 12.0), 12 - 0.03 * amps, FINE, FINE, amps=amps)
    first = told.explanations[0]
    assert (first.key, told.inside_both) == ("lead_drop", False)
    assert first.size is not None
    assert first.size.value == pytest.approx(0.03, abs=0.003)
    assert "same two screws" in told.next
    assert told.difference.value == pytest.approx(0.12)
    own = disagreement("A", AMPS + 0.08, AMPS, replace_noise(PANEL), FINE, draws_A=0.08)
    assert {e.key for e in own.explanations[:2]} == {"own_draw", "offset"}
    with pytest.raises(UserError):
        disagreement("A", np.array([]), np.array([]), PANEL, FINE)


def replace_noise(accuracy: Accuracy) -> Accuracy:
    return accuracy.model_copy(update={"of_reading": 0.001, "counts": 1.0})


# -- a meter that was checked -----------------------------------------------------------------------


def _checked(job: Job, **fields: object) -> Job:
    check = MeterCheckRecord(
        quantity="V", gain=1.01, offset=-0.02, of_reading=0.0002, rest=0.002, low=1.0, high=20.0, at=1000.0
    )
    return with_check(job, "bench-meter", check.with_fields(**fields))


def test_a_check_changes_verdicts_and_no_fact() -> None:
    job = demo_job("ridge-pier")
    test = job.test("load-regulation-hub")
    rows = []
    for step, s in enumerate(plan(job, test).steps[:2]):
        for r in read("hub", 5.0 if s.set_A == 0 else 4.99, s.set_A, FINE, "bench-meter"):
            rows.append(r._replace(test=test.id, step=step, at=2000.0))
    facts = list(rows)
    before = outcome(job, plan(job, test), rows)
    later = _checked(job)
    after = outcome(later, plan(later, test), rows)
    assert rows == facts
    assert before.steps[0].volts is not None
    assert after.steps[0].volts is not None
    assert after.steps[0].volts.value == pytest.approx(1.01 * before.steps[0].volts.value - 0.02)
    # 4.99 V are just below the 4.992 V that are allowed; put right they are 5.02 V.
    assert (before.steps[1].verdict, after.steps[1].verdict) != (Verdict.CONFORMS, Verdict.CONFORMS)
    assert after.steps[1].verdict is Verdict.CONFORMS
    assert any(f.key == "corrected:bench-meter" for f in after.findings)
    assert without_check(later, "bench-meter", 0).part("bench-meter") == job.part("bench-meter")
    with pytest.raises(UserError):
        with_check(job, "fuse-16", MeterCheckRecord(
            quantity="V", gain=1, offset=0, of_reading=0, rest=0, low=0, high=1, at=0))  # fmt: skip


@pytest.mark.parametrize(
    ("fields", "at", "value", "right"),
    [
        ({}, 2000.0, 10.0, True),
        ({}, 500.0, 10.0, False),
        ({"earlier_too": True}, 500.0, 10.0, True),
        ({"until": 1500.0}, 2000.0, 10.0, False),
        ({}, 2000.0, 30.0, False),
        ({}, 2000.0, float("inf"), False),
        ({"quantity": "A"}, 2000.0, 10.0, False),
    ],
)
def test_when_a_check_counts(fields: dict[str, object], at: float, value: float, right: bool) -> None:
    job = _checked(demo_job("ridge-pier"), **fields)
    (r, _) = read("mount", value, 1.0, FINE, "bench-meter")
    (counted,) = put_right(job, [r._replace(at=at)])
    assert (counted.value != value) is right
    assert ("corrected" in counted.range) is right
    if right:
        assert counted.accuracy is not None
        # 0.02 % of 10 V and 2 mV, over 0.95.
        assert counted.accuracy.of_reading * 10 + counted.accuracy.offset == pytest.approx(0.004 / 0.95)


def test_a_display_keeps_what_a_comparison_has_shown() -> None:
    job = demo_job("finishers-bench")
    rows = []
    for amps in (0.1, 0.5, 1.0, 1.5):
        rows += [r._replace(test="load-regulation", step=0) for r in read("bath", 12.0, amps)]
        shown = Reading(rows[-1].scan, 0.0, "bath-panel", "A", round(0.94 * amps, 3), "front-meter",
                        Accuracy(of_reading=0.005, counts=3, resolution=0.001), "four-wire", "typed",
                        test="load-regulation", step=0, id=next(NUMBERS))  # fmt: skip
        rows.append(shown)
    (check,) = meter_checks(job, rows)
    kept = as_check(job, check, 5000.0)
    for months in (0.0, -1.0, 1e9):
        with pytest.raises(UserError, match="months"):
            as_check(job, check, 5000.0, months)
    assert kept.gain == pytest.approx(1 / 0.94, rel=0.002)
    assert "its readings from then on are corrected" in check_kept_sentence(kept)
    later = with_check(job, "front-meter", kept)
    (right,) = put_right(later, [rows[-1]._replace(at=6000.0)])
    assert right.value == pytest.approx(1.5, abs=0.003)
    told = disagreement_of(job, check)
    assert (told.explanations[0].key, told.inside_both) == ("gain", False)
    # Where the display's shunt sits in the negative a second way back is asked about.
    assert "off the negative" in told.next
    with pytest.raises(UserError):
        as_check(job, replace(check, found=None, said="Too few."), 0.0, None)
    assert plans_of(job)["load-regulation"] is not None


def test_a_hand_reads_what_is_asked_for() -> None:
    """Of the hub 2 A: its display shows 6 % less, another ammeter does not, and volts stay volts."""
    hand = demo_hand(demo_job("ridge-pier"))
    assert hand is not None
    assert hand.line(Asked("hub-panel", "A", "hub", 2.0)) == "hub-panel 1.88A @2A"
    amps = hand.line(Asked("hub-other", "A", "hub", 2.0))
    assert amps.startswith("hub-other ")
    assert amps.endswith("A @2A")
    assert float(amps.split()[1].rstrip("A")) == pytest.approx(2.0, abs=0.03)
    assert hand.line(Asked("hub-other", "V", "hub", 2.0)).split()[1].endswith("V")
    assert hand.line(Asked("some-trim", "turn", to=0.5)) == "some-trim 0.50 turn"
    with pytest.raises(UserError, match="nothing to read"):
        hand.line(Asked("nowhere", "V", "hub", 2.0))
    assert demo_hand(Job(name="own")) is None


# -- symptoms ---------------------------------------------------------------------------------------


def test_symptoms_by_hand_and_what_to_probe() -> None:
    """Right output, wrong display: 0.12·0.93·0.65 of the display against the others by their own rows."""
    found = diagnosis({"output": "right", "display": "wrong"})
    others = sum(
        FAULTS[k][0] * first * second
        for k, first, second in (
            ("supply", 0.10, 0.15), ("joint", 0.10, 0.20), ("reference", 0.05, 0.13),
            ("amplifier", 0.05, 0.08), ("pass_device", 0.03, 0.08), ("trim", 0.10, 0.23),
            ("loop", 0.10, 0.23),
        )
    )  # fmt: skip
    own = 0.12 * 0.93 * 0.65
    assert found.suspicions[0].key == "display"
    assert found.suspicions[0].probability == pytest.approx(own / (own + others))
    shorted = {"output": "too high", "knob": "does nothing", "at_pass_device": "nearly none"}
    assert diagnosis(shorted).suspicions[0].key == "pass_device"
    assert diagnosis({"output": "noisy"}).suspicions[0].key == "loop"
    # What was looked at is not asked for again; where all was, nothing is.
    first = diagnosis({})
    assert first.next in SYMPTOMS
    assert first.nats > 0.2
    assert diagnosis({k: answers[0] for k, (_, answers) in SYMPTOMS.items()}).next == ""
    for rows in _TABLE.values():
        assert all(sum(row) == pytest.approx(1.0) for row in rows.values())
        assert set(rows) == set(FAULTS)
    for wrong in ({"colour": "red"}, {"output": "blue"}):
        with pytest.raises(UserError):
            diagnosis(wrong)
    with pytest.raises(UserError, match="output=dead"):
        read_symptoms(["dead"])
