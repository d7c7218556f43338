"""An evening at a shelf supply, line by line: what is kept, what stands, what is claimed and printed."""

import time
from pathlib import Path

import numpy as np
import pytest

from tensimeter.app.job_in_hand import JobInHand
from tensimeter.app.typed_lines import TypedLines
from tensimeter.core.errors import UserError
from tensimeter.core.held.claims import claims
from tensimeter.core.held.points import loaded
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import changed, readings_first, with_link, with_test, without_test
from tensimeter.core.model.heat_tests import Soak
from tensimeter.core.model.tests import LineRegulation
from tensimeter.core.plate.rating import outlet_plate, plate
from tensimeter.core.procedure.matrix import checked, matrix
from tensimeter.core.procedure.prove_notices import prove_notices
from tensimeter.core.readingline import understand
from tensimeter.core.standing import Load
from tensimeter.core.testplan.meter_checks import meter_checks
from tensimeter.core.testplan.soak.run import soak_runs
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile


class Quiet:
    """Nobody listens."""

    def __getattr__(self, name: str) -> object:
        return lambda *words: None


@pytest.fixture
def begin(tmp_path: Path):
    begun: list[JobInHand] = []

    def of(label: str) -> JobInHand:
        path = tmp_path / f"{len(begun)}.tensi"
        job = readings_first("Shelf", label) if " " in label else demo_job(label)
        begun.append(JobInHand(JobFile.create(path, job), Quiet()))
        return begun[-1]

    yield of
    for hand in begun:
        hand.file.close()


def typed(hand: JobInHand, *lines: str) -> list[Reading]:
    kept: list[Reading] = []
    for line in lines:
        kept = hand.take_line(hand.line(line))
    return kept


def printed(hand: JobInHand) -> str:
    now = hand.now
    found = plate(hand.job, now.outcomes(), now.readings, time.time())
    return "; ".join(e.text for part in (*(o.entries for o in found.outlets), found.whole) for e in part)


def test_the_evening(begin) -> None:
    hand = begin("0-30V 5A")
    (alone,) = typed(hand, "out 12.08V")
    assert hand.where(hand.line("out 12.08V").reading).startswith("at what current, and set to what?")
    completed = typed(hand, "@unloaded set 12V")
    assert [(r.place, r.value, r.known, r.scan) for r in completed] == [
        ("out", 0.0, "said", alone.scan), ("out-set", 12.0, "said", alone.scan),
    ]  # fmt: skip
    typed(hand, "out 11.93V @2A")
    # The display stands beside amps that were said, and is off by nothing; then the clamp is read.
    typed(hand, "out-panel 2.04A")
    assert not meter_checks(hand.job, hand.file.readings())
    typed(hand, "clamp 1.98A")
    (check,) = meter_checks(hand.job, hand.file.readings())
    assert check.pairs[0].reference.value == 1.98
    typed(hand, "set 5V", "out 5.02V", "out 4.1V @4.8A")
    soaked = typed(hand, "sink 46C +40min")
    died = typed(hand, "died +43min")
    assert died[0].at - soaked[0].at == pytest.approx(180)
    assert {(r.place, r.value) for r in died[1:]} >= {("out", 4.8), ("clock", 2580.0)}
    assert "1.97 A at 4.99 V" in printed(hand)
    typed(hand, "changed: thermal pad replaced")
    assert printed(hand) == ""
    typed(hand, "out 11.94V @2A set 12V")
    assert printed(hand) == (
        "12 V · 1.97 A for moments (amps said, not read); as of state 2, since “thermal pad replaced”; "
        "mains and room not read"
    )


def test_volts_alone_prove_nothing_however_often(begin) -> None:
    hand = begin("12V 5A")
    typed(hand, *["out 12.08V"] * 8)
    assert [r.quantity for r in hand.file.facts()] == ["V"] * 8
    assert hand.outcome.measured == 0
    assert printed(hand) == ""
    (claim,) = claims(hand.job, hand.now.outcomes())
    assert (claim.reached_A, claim.verdict) == (None, Verdict.NOT_MEASURED)


def test_a_supply_that_failed_is_free_again_once_it_is_mended(begin) -> None:
    hand = begin("12V 5A")
    typed(hand, "out 12.0V @0A", "out 11.9V @2A", "out 9.1V @4A", "room 31C", "out 11.95V @4A")
    # What failed in this state has failed, whatever is read after it.
    assert "1.97 A for moments" in printed(hand)
    typed(hand, "changed: joint soldered anew", "out 12.0V @0A", "out 11.95V @4A")
    assert "3.96 A for moments" in printed(hand)
    assert "as of state 2" in printed(hand)
    hand.undo()
    hand.undo()
    hand.undo()
    assert "1.97 A for moments" in printed(hand)


def test_a_moment_is_of_one_state_and_of_one_setting(begin) -> None:
    hand = begin("ridge-pier")
    typed(hand, "mount 13.5V @1.6A")
    lead = hand.job.design.link("mount-lead")
    hand.edit("longer lead", with_link(hand.job, changed(lead, length_m=4.0)))
    (panel, amps) = typed(hand, "mount-panel 13.6V")
    assert panel.scan != hand.file.facts()[0].scan
    assert (amps.value, amps.known, amps.state) == (1.6, "said", panel.state)
    assert panel.state == hand.job.states[-1].number
    # What it is set to stands beside what was read with it, not beside what was read before.
    bench = begin("finishers-bench")
    typed(bench, "@0.5A set 12V", "bath 12.06V", "set 5V", "bath 5.02V", "set 9V", "bath 9.05V")
    checks = meter_checks(bench.job, bench.file.readings())
    (check,) = (c for c in checks if c.subject.sets and c.quantity == "V")
    assert [(p.shown.value, p.reference.value) for p in check.pairs] == [(12, 12.06), (5, 5.02), (9, 9.05)]


def test_circumstances_are_those_of_what_holds(begin) -> None:
    hand = begin("12V 5A")
    typed(hand, "mains 207V", "out 9.1V @4A", "mains 231V", "out 12.0V @0A", "out 11.9V @2A")
    # At 207 V it failed: proven is what was read at 231 V.
    assert "231 V~, as said" in printed(hand)
    assert "207" not in printed(hand)
    assert "room not read" in printed(hand)


def test_when_a_line_was_typed_tells_no_time(begin) -> None:
    hand = begin("ridge-pier")
    hand.choose_test("soak")
    begun, kept = time.time(), hand._import
    for day, told in ((0, ""), (1, "+{}min")):
        for minute in range(40):
            at = begun + 86400.0 * day + 60.0 * minute
            for text in ("mount 13.5V (@8A)", "case 41C (@8A)"):
                words = f"{text} {told.format(minute)}".strip()
                hand.lines.keep(hand.lines.understood(words, "mount", hand.understood, at), kept, at)
        hand._after_readings()
        held = loaded(hand.job, hand.now.outcomes(), "mount")
        assert [(one.minutes, one.known) for one in held] == ([(39.0, "said")] if day else [])


@pytest.mark.parametrize("asked", [True, False])
def test_a_soak_by_hand_is_of_one_load_and_as_long_as_was_said(begin, asked) -> None:
    """On two days half an hour each is no day, and what was read counts whichever test was in hand."""
    hand = begin("ridge-pier")
    hand.choose_test("soak" if asked else "load-regulation")
    begun, kept = time.time(), hand._import
    for day, most in ((0, 31), (1, 25)):
        for minute in range(0, most, 3):
            at = begun + 86400.0 * day + 60.0 * minute
            for text in ("mount 13.5V (@8A)", "case 41C (@8A)"):
                words = f"{text} +{minute}min"
                hand.lines.keep(hand.lines.understood(words, "mount", hand.understood, at), kept, at)
    hand._after_readings()
    held = loaded(hand.job, hand.now.outcomes(), "mount")
    assert [(one.minutes, one.known) for one in held] == [(24.0, "said")]


def test_a_soak_is_of_its_own_outlet_and_rests_on_its_last_run(begin) -> None:
    hand = begin("ridge-pier")
    begun, kept = time.time(), hand._import
    for day, room in ((0, 31), (1, 20)):
        for minute in range(0, 25, 3):
            at = begun + 86400.0 * day + 60.0 * minute
            for text in ("mount 13.5V @8A", "also hub 5.1V @2A", "case 41C", f"room {room}C"):
                words = f"{text} +{minute}min"
                hand.lines.keep(hand.lines.understood(words, "mount", hand.understood, at), kept, at)
    hand._after_readings()
    (held,) = loaded(hand.job, hand.now.outcomes(), "mount")
    # Neither volts nor amps of the hub are the mount's, though they were said of one moment.
    assert (held.minutes, held.amps) == (24.0, pytest.approx(7.99, abs=0.01))
    (run,) = soak_runs([r for r in hand.now.readings if r.at > begun + 43200.0], "mount")
    assert set(run.amps[np.isfinite(run.amps)]) == {8.0}
    assert set(run.volts[np.isfinite(run.volts)]) == {13.5}


def test_a_load_that_is_said_again_after_an_hour_begins_anew(begin) -> None:
    hand = begin("12V 5A")
    begun = time.time() - 90000.0
    for at, text in (
        (begun, "out 11.9V @4A"),
        (begun + 86400, "out 11.9V @4A"),
        (begun + 86400 + 60, "sink 30C +1min"),
    ):
        hand.lines.keep(hand.lines.understood(text, "out", hand.understood, at), hand._import, at)
    last = hand.file.readings()[-1]
    assert last.at == pytest.approx(begun + 86400 + 60, abs=1)
    # As a program says that is begun only then.
    assert TypedLines(hand.file)._began == pytest.approx(begun + 86400, abs=1)


def test_what_was_taken_back_lends_no_amps_to_what_is_read_after_it(begin) -> None:
    hand = begin("12V 5A")
    typed(hand, "out 11.9V @2A")
    hand.undo()
    (panel, amps) = typed(hand, "out-panel 2.04A")
    assert (panel.place, amps.place, amps.value, amps.known) == ("out-panel", "out", 2.0, "said")


def test_what_happened_ends_a_claim(begin) -> None:
    hand = begin("12V 5A")
    typed(hand, "out 12.0V @0A", "out 11.9V @2A", "out 11.85V @4A")
    assert "3.96 A" in printed(hand)
    typed(hand, "tripped at 3.1A")
    assert "1.97 A for moments" in printed(hand)
    # With a load that nobody knows it failed at any.
    typed(hand, "smoke")
    assert printed(hand) == ""


def test_an_edit_of_the_supply_rates_nothing_until_it_is_said(begin) -> None:
    hand = begin("ridge-pier")
    typed(hand, "mount 13.58V @0A", "mount 13.5V @1.6A")
    assert "1.59 A for moments" in printed(hand)
    elsewhere = changed(hand.job.settings, mains_V=120.0)
    hand.edit("another place", hand.job.model_copy(update={"settings": elsewhere}))
    assert "1.59 A for moments" in printed(hand)
    assert "V~" not in printed(hand)
    lead = hand.job.design.link("mount-lead")
    hand.edit("longer lead", with_link(hand.job, changed(lead, length_m=4.0)))
    assert any(n.id == "prove:state" for n in hand.now.notices)
    assert "for moments" not in printed(hand)
    assert "nothing is rated: edited since it was read (longer lead)" in printed(hand)
    typed(hand, "only described")
    assert "1.59 A for moments" in printed(hand)
    with pytest.raises(UserError, match="Nothing is asked"):
        typed(hand, "supply changed")


def test_an_outlet_below_common_is_read_as_a_meter_shows_it(begin) -> None:
    hand = begin("+12V 8A −12V 0.5A")
    _, below = hand.job.design.outputs()
    assert (below.name, below.below, below.nominal_V) == ("−12 V", True, 12.0)
    (volts, amps) = typed(hand, "-12V −11.93V @0.3A")
    assert (volts.place, volts.value, volts.note, amps.value) == (below.id, 11.93, "-12V −11.93V @0.3A", 0.3)
    typed(hand, "+12V 12.05V @4A", f"{below.id}-panel -11.9V")
    assert [r.value for r in hand.file.readings() if r.place == f"{below.id}-panel"] == [11.9]
    assert "12 V · 3.96 A for moments" in printed(hand)
    assert "−12 V · 276 mA for moments" in printed(hand)
    with pytest.raises(UserError, match="is −12 V the outlet"):
        typed(hand, "−12V 0.5A")
    # Amps below zero are asked about there as anywhere.
    assert understand(hand.job, f"{below.id} -0.5A").value == -0.5


def test_outlets_read_one_after_the_other_are_not_printed_as_loaded_at_once(begin) -> None:
    hand = begin("+5V 3A +12V 2A")
    first, second = (o.id for o in hand.job.design.outputs())
    typed(hand, f"{first} 5.02V @3A", f"{second} 12.0V @2A")
    assert "each outlet by itself, not all at once" in printed(hand)
    typed(hand, f"also {first} 5.01V @3A")
    assert "each outlet by itself" not in printed(hand)


def two_soaks(folder: Path) -> JobInHand:
    """A drawn supply with two outlets of which each has its own converter, and a soak at full load."""
    job = demo_job("ridge-pier").model_copy(update={"demo": False})
    job = with_link(job, changed(job.design.link("dew-module"), part="front-end-40"))
    for output, link in (("mount", "front-end"), ("dew", "dew-module")):
        job = with_test(job, Soak(id=f"held-{output}", output=output, link=link, stages=(1.0,)))
    return JobInHand(JobFile.create(folder / "two.tensi", job), Quiet())


def held(hand: JobInHand, *lines: str, cases: tuple[str, ...]) -> None:
    """A load that is held for three hours, its cases read until they stand."""
    for line in lines:
        hand.take_line(hand.line(line))
    for minute in (1, 4, 8, 12, 20, 30, 45, 60, 90, 120, 150, 180):
        for case in cases:
            hand.take_line(hand.line(f"{case} {20 + 30 * (1 - 2 ** (-minute / 15)):.1f}C +{minute}min"))
        if minute in (4, 180):
            for line in lines:
                hand.take_line(hand.line(f"{line} +{minute}min"))


@pytest.mark.parametrize(
    ("evenings", "said"),
    [
        ([(("also mount 13.58V @8A", "also dew 11.98V @3A"), ("front-end-case", "dew-module-case"))], None),
        (
            [(("mount 13.58V @8A",), ("front-end-case",)), (("dew 11.98V @3A",), ("dew-module-case",))],
            "each outlet by itself, not all at once",
        ),
        (
            [
                (("mount 13.58V @8A",), ("front-end-case",)),
                (("dew 11.98V @3A",), ("dew-module-case",)),
                (("also mount 13.56V @8A", "also dew 11.98V @3A"), ()),
            ],
            "all at once for moments only",
        ),
    ],
)
def test_a_soak_through_several_outlets_is_one_fact(evenings, said, tmp_path: Path) -> None:
    hand = two_soaks(tmp_path)
    for lines, cases in evenings:
        held(hand, *lines, cases=cases)
    found = plate(hand.job, hand.now.outcomes(), hand.now.readings, 2e9)
    lasting = [e.text for o in found.outlets for e in o.entries if e.key == "continuous"]
    assert [t.partition(" A ")[0] for t in lasting] == ["13.6 V · 7.99", "12 V · 2.99"]
    assert next((e.text for e in found.whole if e.key == "apart"), None) == said


def test_a_beep_tells_that_something_conducts_and_not_how_well(begin) -> None:
    hand = begin("ridge-pier")
    pairs = {p.kind: (k, p) for k, p in enumerate(matrix(hand.job), start=1)}
    said = {"joined": Verdict.TOO_CLOSE, "apart": Verdict.NONCONFORMING, "not_shorted": Verdict.TOO_CLOSE}
    for kind, verdict in said.items():
        number, pair = pairs[kind]
        typed(hand, f"{number} beep")
        found = next(c for c in checked(hand.job, hand.now.readings) if c.pair == pair)
        assert found.verdict is verdict, kind
    typed(hand, f"{pairs['joined'][0]} 0.2")
    assert {c.pair: c.verdict for c in checked(hand.job, hand.now.readings)}[
        pairs["joined"][1]
    ] is Verdict.CONFORMS
    # A hold is lifted by ohms alone, whichever way the output is to stand to earth.
    for reference in ("floating", "negative_bonded"):
        job = hand.job.model_copy(update={"policy": changed(hand.job.policy, reference=reference)})
        typed(hand, "earth-mount beep")
        assert any(n.id == "earth:mount" for n in prove_notices(job, hand.now.readings))
    with pytest.raises(UserError, match="where ohms are asked"):
        typed(hand, f"{pairs['diode'][0]} beep")
    with pytest.raises(UserError, match="where ohms are asked"):
        typed(hand, "mount beep")


def test_conditions_go_on_in_another_program_and_grow_stale(begin) -> None:
    hand = begin("12V 5A")
    typed(hand, "out 11.93V @2A")
    path = hand.file.path
    hand.file.close()
    with JobFile(path) as file:
        again = JobInHand(file, Quiet())
        # Said again it is the same moment; not said it is not known, and never carried over in silence.
        beside = typed(again, "out-panel 2.04A @2A")
        assert beside[0].scan == file.facts()[0].scan
        (bare,) = typed(again, "out 11.92V (@2A)")[:1]
        assert bare.scan != beside[0].scan
        line = again.lines.understood("out 11.9V", "out", again.understood, now=time.time() + 4000)
        assert line.standing.loads == {}


def test_a_point_of_line_regulation_is_told_by_its_mains(begin) -> None:
    """0.1 V of 12 V between the mains that were said, whatever mains were planned."""
    hand = begin("12V 5A")
    hand.edit("a test", with_test(hand.job, LineRegulation(id="line", output="out")))
    hand.choose_test("line")
    assert hand.as_asked == "@5A mains 207V"
    line = hand.line("out 11.90V @5A")
    assert hand.where(line.reading, line.standing).endswith("once it is said: mains 207V")
    hand.take_line(line)
    assert hand.now.outcome("line").findings == ()
    typed(hand, "out 11.90V @5A mains 215V", "out 12.00V @5A mains 241V", "out 12.30V @2A mains 253V")
    found = hand.now.outcome("line").findings[0]
    assert (found.text, round(found.value.value, 4)) == ("from 215 to 241 V", round(0.1 / 12, 4))


def test_what_was_read_counts_without_a_test(begin) -> None:
    hand = begin("12V 5A")
    typed(hand, "12.0V @1A", "12.0V @5A", "9V @3A", "11.9V @2A")
    output = hand.job.design.outputs()[0]
    assert 1.9 < outlet_plate(hand.job, hand.now.outcomes(), output).most_A < 2.0
    hand.edit("out", without_test(hand.job, "load-regulation"))
    typed(hand, "12.0V @2.5A")
    assert 2.4 < outlet_plate(hand.job, hand.now.outcomes(), output).most_A < 2.5


def test_a_figure_that_may_be_an_outlet_or_its_volts_is_asked_about(begin) -> None:
    hand = begin("+5V 15A +12V 8A")
    assert hand.output_id == "5-v"
    with pytest.raises(UserError, match="is 12 V the outlet, or what was read"):
        hand.line("12V 2A")
    typed(hand, "12 V @7A")
    (reading, *_) = typed(hand, "12V 11.9V at 2A")
    assert (reading.place, reading.value) == ("12-v", 11.9)
    # What stands in a file and none of ours wrote says nothing.
    hand.file.log("stands", "@2A @3A set nonsense")
    assert TypedLines(hand.file).standing.loads == {"12-v": Load(amps=2.0)}
