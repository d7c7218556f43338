"""What a typed line means, what it asks about, what it refuses; and the hold points it lifts."""

import math
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model import edits, stock_edits
from tensimeter.core.model.job import Job, Overrule
from tensimeter.core.procedure.notices import must_be_lifted, notices, open_holds
from tensimeter.core.procedure.stages import STAGES
from tensimeter.core.readingline import InHand, completion, understand


@pytest.mark.parametrize(
    ("text", "place", "quantity", "value", "at"),
    [
        ("mount 13.58V @4A", "mount", "V", 13.58, 4.0),
        ("MOUNT 13,58 V @ 4 A", "mount", "V", 13.58, 4.0),
        ("mount 13.58 @400mA", "mount", "V", 13.58, 0.4),
        ("mount: 13.58", "mount", "V", 13.58, None),
        ("camera hub 5187mV @0", "hub", "V", 5.187, 0.0),
        ("camera 5.19V", "hub", "V", 5.19, None),
        ("donor a 24.1", "donor-a", "V", 24.1, None),
        ("sink 47.2C", "sink", "C", 47.2, None),
        ("ambient 21.5", "ambient", "C", 21.5, None),
        ("earth-mount OL", "earth-mount", "ohm", math.inf, None),
        ("earth-mount 2M2", "earth-mount", "ohm", 2.2e6, None),
        ("earth-mount 0.3 ohm", "earth-mount", "ohm", 0.3, None),
        ("13.6 @2A", "mount", "V", 13.6, 2.0),
        ("13.6V", "mount", "V", 13.6, None),
        ("front end -0.2V", "front-end", "V", -0.2, None),
    ],
)
def test_lines(demo: Job, text: str, place: str, quantity: str, value: float, at: float | None) -> None:
    found = understand(demo, text, InHand("mount"))
    assert (found.place, found.quantity) == (place, quantity)
    assert found.value == pytest.approx(value)
    assert found.at_A == (None if at is None else pytest.approx(at))


@pytest.mark.parametrize(
    ("text", "step", "at_step"),
    [("mount 13.58V @4A", 0.01, 0.01), ("mount 13.6", 0.1, 0.01), ("hub 5187mV @1.503A", 0.001, 0.001)],
)
def test_the_last_digit_is_the_resolution(demo: Job, text: str, step: float, at_step: float) -> None:
    found = understand(demo, text)
    assert found.resolution == pytest.approx(step)
    assert found.at_resolution == pytest.approx(at_step)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "mount",
        "mount volts",
        "13.58",
        "donor 24.1",
        "mount 13.5V @2V",
        "mount 5Hz",
        "@4A",
        "mount 1.2.3V",
    ],
)
def test_lines_that_mean_nothing(demo: Job, text: str) -> None:
    with pytest.raises(UserError):
        understand(demo, text)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("mount -13.4V", "swapped"),
        ("mount 1.358V", "decimal point"),
        ("mount 136", "decimal point"),
        ("mount 13 @-4", "wires swapped"),
    ],
)
def test_what_cannot_be_right_is_asked_not_refused(demo: Job, text: str, words: str) -> None:
    found = understand(demo, text, InHand("mount", predicted_V=13.4))
    assert words in found.question
    assert not understand(demo, "mount 13.3V @4", InHand("mount", predicted_V=13.4)).question


def test_places_complete_and_new_ones_are_said(demo: Job) -> None:
    assert completion(demo, "mou") == "NT"
    assert completion(demo, "earth-ca") == "mera hub"
    assert completion(demo, "") == ""
    assert completion(demo, "zzz") == ""
    assert "a new place" in understand(demo, "left bolt 41C").summary
    assert "over range" in understand(demo, "mount OL").summary


@given(st.text(max_size=50))
def test_any_line_is_understood_or_refused(text: str) -> None:
    job = edits.readings_first("Shed", "12V 5A")
    try:
        found = understand(job, text, InHand("out", predicted_V=12.0))
    except UserError:
        return
    assert found.quantity in ("V", "A", "C", "ohm", "W", "dB", "Vpp")
    assert not math.isnan(found.value)


def earth(place: str, ohms: float, number: int = 1) -> Reading:
    return Reading(number, time.time(), place, "ohm", ohms, "", None, "two-wire", "typed", id=number)


def test_a_hold_is_lifted_by_the_right_reading_only(demo: Job, running: Job) -> None:
    def held(readings: list[Reading], job: Job = demo) -> list[str]:
        return [n.title for n in open_holds(notices(job, readings), "prove", "mount")]

    assert held([]) == ["MOUNT to earth"]
    with pytest.raises(UserError, match="Hold point open"):
        must_be_lifted(running, [], "mount")
    assert held([earth("earth-mount", 12.0)]) == ["MOUNT is not floating"]
    assert held([earth("earth-mount", 12.0), earth("earth-mount", math.inf, 2)]) == []
    must_be_lifted(running, [earth("earth-mount", 5e6)], "mount")
    # One that was built with the program has its holds of Assemble and Wake before a real load as well.
    with pytest.raises(UserError, match="live pin to neutral pin"):
        must_be_lifted(demo, [earth("earth-mount", 5e6)], "mount")
    bonded = demo.model_copy(update={"policy": edits.changed(demo.policy, reference="negative_bonded")})
    assert held([earth("earth-mount", math.inf)], bonded) == ["MOUNT is not bonded to earth"]
    assert held([earth("earth-mount", 0.2)], bonded) == []


def test_an_overruled_hold_stays_visible(demo: Job) -> None:
    entry = Overrule(hold="earth:mount", reason="bench is isolated")
    job = demo.model_copy(update={"overruled": (entry,)})
    notice = next(n for n in notices(job) if n.id == "earth:mount")
    assert notice.overruled == "bench is isolated"
    assert not open_holds(notices(job), "prove", "mount")
    assert len(open_holds(notices(job), "prove")) == 2


def test_cautions_stand_where_they_bite(demo: Job) -> None:
    found = {n.id: n for n in notices(demo)}
    assert found["fuse:mount-fuse"].stage == "design"
    assert "60 V" in found["stack:earth"].text
    assert found["stock:untested"].kind == "caution"
    assert "prove:amps-socket" in found
    unguarded = stock_edits.with_part(demo, edits.changed(demo.part("sink-150"), watchdog=False))
    assert any(n.id == "load:watchdog" for n in notices(unguarded))
    third = edits.new_link(demo, "Enclosed 24 V 150 W, A", "donor-b")
    assert any(n.id == "stack:60V" and n.kind == "hold" for n in notices(third))
    faulty = stock_edits.with_part(demo, edits.changed(demo.part("enclosed-a"), condition="faulty"))
    assert any("is faulty" in n.title for n in notices(faulty))
    heavy = edits.with_link(demo, edits.changed(demo.output("mount"), full_load_A=9.2))
    assert any(n.kind == "miss" and "Front end, hot spot" in n.title for n in notices(heavy))
    assert all("safe" not in n.text.casefold().split() for n in notices(demo))
    assert [s.name for s in STAGES][4] == "Prove"
