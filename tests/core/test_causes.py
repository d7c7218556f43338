"""Why a supply does not read as designed: causes by Ohm's law, evidence against other methods."""

import itertools

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.stats import multivariate_normal, norm

from tensimeter.core.circuit.along_path import drop_of, joints_of, least_of, other_of
from tensimeter.core.circuit.network import build
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Interval
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Campaign, Job
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.parts.connector import Connector
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.lead import LeadPart
from tensimeter.core.path import ConnectorLink, Design, LeadLink, OutputLink, UnitLink
from tensimeter.core.testplan.plan import plans_of
from tensimeter.core.tuning.causes import Causes, accepted, causes, found_in, mended, worked
from tensimeter.core.tuning.evidence import (
    HEALTHY,
    NONE,
    Spread,
    none_of_these,
    posterior,
    weighed,
    weighed_both,
)
from tensimeter.core.tuning.foretold import Foretold
from tensimeter.core.tuning.heat import theta_figure
from tensimeter.core.tuning.next_reading import next_sentence
from tensimeter.core.tuning.observed import observed
from tensimeter.demo.library import demo_job

FINE = Accuracy(of_reading=0.0005, counts=3, resolution=0.001)
MICRO = Accuracy(of_reading=0.0005, counts=3, resolution=0.00001)
NUMBERS = itertools.count(1)


def plain_job(**donor: object) -> Job:
    """12 V behind 10 mΩ, a plug of two contacts, a lead of 20 mΩ copper and four contacts of 1 mΩ."""
    stock = (
        Donor(id="unit", name="Unit", no_load_V=12.0, rated_A=10, output_resistance_ohm=0.01, rated_W=120,
              tolerance=0.005, **donor),
        Connector(id="plug", name="Plug", contacts=2, contact_ohm=0.004, contact_A=8),
        LeadPart(id="lead", name="Lead", length_m=1.0, area_mm2=1.7241, contact_ohm=0.001),
    )  # fmt: skip
    links = (
        UnitLink(id="source", name="Source", part="unit"),
        ConnectorLink(id="joint", name="Plug", part="plug", fed_by="source"),
        LeadLink(id="wire", name="Lead", part="lead", fed_by="joint"),
        OutputLink(id="out", name="OUT", fed_by="wire", nominal_V=12, full_load_A=8, tolerance=0.05),
    )
    campaign = Campaign(tests=(LoadRegulation(id="regulation", output="out"),))
    return Job(name="plain", stock=stock, design=Design(links=links), campaign=campaign)


def read(
    place: str, volts: float, amps: float, accuracy: Accuracy = FINE, meter: str = "meter"
) -> list[Reading]:
    scan = next(NUMBERS)
    pair = (("V", volts, accuracy, meter), ("A", amps, FINE, "load"))
    return [
        Reading(scan, float(scan), place, quantity, value, by, of, "four-wire", "typed", id=next(NUMBERS))
        for quantity, value, of, by in pair
    ]  # fmt: skip


def by_hand(amps: float, *, emf: float = 12.0, more_ohm: float = 0.0) -> float:
    """Ohm's law: 10 mΩ of the source, 2·4/2 mΩ of the plug, 20 mΩ of copper, 4 mΩ of the lead's joints."""
    return emf - amps * (0.010 + 0.004 + 0.020 + 0.004 + more_ohm)


def told(found: Causes, key: str) -> float:
    return next(c.probability for c in found.causes if c.key == key)


def along(more: float, *, emf: float = 12.0) -> list[Reading]:
    """The output over its load, and each joint at 8 A, the lead's joints being worse."""
    rows = [
        x for amps in (0.0, 2.0, 4.0, 8.0) for x in read("out", by_hand(amps, emf=emf, more_ohm=more), amps)
    ]
    rows += read(drop_of("joint"), 8 * 0.004, 8.0, MICRO, "fine meter")
    rows += read(drop_of("wire"), 8 * (0.024 + more), 8.0, MICRO, "fine meter")
    return rows + read(joints_of("wire"), 8 * (0.004 + more), 8.0, MICRO, "fine meter")


def test_what_the_design_foretells_is_ohms_law() -> None:
    seen = observed(plain_job(), along(0.0), {})
    whole = Foretold(plain_job(), seen)
    assert whole.base == pytest.approx(seen.values, abs=2e-5)
    # The source's ohms stray by 30 % and are taken as rectangular: at 8 A 24 mV/√3 of every loaded reading.
    columns = whole.common[[3, 6]]
    assert np.isclose(np.abs(columns[0]), 8 * 0.003 / 3**0.5, rtol=1e-6).any()
    # A drop across the lead has nothing of it.
    assert not np.isclose(np.abs(columns[1]), 8 * 0.003 / 3**0.5, rtol=1e-3).any()


def test_as_designed_nothing_is_wrong() -> None:
    found = causes(plain_job(), along(0.0), {})
    assert found.causes[0].key == HEALTHY
    assert found.causes[0].probability > 0.6
    assert sum(c.probability for c in found.causes) == pytest.approx(1.0)
    assert abs(found.residual).max() < 1e-4
    assert told(found, NONE) < 0.05


def test_a_worse_contact_its_size_and_the_way_back() -> None:
    job = plain_job()
    found = causes(job, along(0.030), {})
    first = found.causes[0]
    assert (first.key, first.link) == ("contact", "wire")
    assert first.size is not None
    assert first.size.low <= 0.030 <= first.size.high
    assert first.size.half_width < 0.004
    assert first.probability > 0.9
    changed = accepted(job, first)
    assert job.design.link("wire").found == ()
    volts = float(solve(build(changed), {"out": np.float64(8.0)})["out"].V)
    assert volts == pytest.approx(by_hand(8.0, more_ohm=first.size.value), abs=1e-3)
    # Once it is in the model nothing is wrong any more; taken back, it is as it was.
    assert causes(changed, along(0.030), {}).causes[0].key == HEALTHY
    assert build(mended(changed, "wire", "contact")) == build(job)


def test_what_cannot_be_told_apart_is_asked_about() -> None:
    """By the output alone a contact of the plug, one of the lead and its length are the same 30 mΩ."""
    rows = [x for amps in (0.0, 4.0, 8.0) for x in read("out", by_hand(amps, more_ohm=0.03), amps)]
    found = causes(plain_job(), rows, {})
    assert found.causes[0].probability < 0.7
    asked = found.next
    assert asked is not None
    assert (asked.output, asked.amps_A) == ("out", 8.0)
    by_link = {(key, link): value for key, link, value, _ in asked.expected}
    assert len(by_link) >= 3
    spread = max(by_link.values()) - min(by_link.values())
    assert spread > 0.1
    assert f"“{asked.place} … V @8A”" in next_sentence(plain_job(), asked)
    # The drop across the lead, as it would be if it is the lead: then the lead it is.
    more = [
        *rows,
        *read(drop_of("wire"), 8 * 0.054, 8.0, MICRO),
        *read(joints_of("wire"), 8 * 0.034, 8.0, MICRO),
    ]
    assert (causes(plain_job(), more, {}).causes[0].key, causes(plain_job(), more, {}).causes[0].link) == (
        "contact",
        "wire",
    )


def test_one_of_two_contacts_carries_nothing() -> None:
    """One contact of two a leg: 4 mΩ more, and the idle one drops nothing."""
    rows = [x for amps in (0.0, 4.0, 8.0) for x in read("out", by_hand(amps, more_ohm=0.004), amps)]
    rows += read(drop_of("joint"), 8 * 0.008, 8.0, MICRO, "fine meter")
    rows += read(least_of("joint"), 0.0, 8.0, MICRO, "fine meter")
    first = causes(plain_job(), rows, {}).causes[0]
    assert (first.key, first.link) == ("wire_missing", "joint")
    assert first.size is not None
    assert first.size.value == 1


def test_other_volts_and_a_meter_that_is_off() -> None:
    """11.5 V at the source too: it is the source. As designed by another meter: it is the meter."""
    rows = along(0.0, emf=11.5) + read("source", 11.5 - 0.04, 4.0, FINE, "other meter")
    first = causes(plain_job(), rows, {}).causes[0]
    assert (first.key, first.link) == ("no_load_volts", "source")
    assert first.size is not None
    assert first.size.value == pytest.approx(-0.5 / 12, abs=0.004)
    off = [
        r._replace(value=r.value * 1.05) if r.quantity == "V" and r.place == "out" else r for r in along(0.0)
    ]
    off += [x for amps in (0.0, 4.0, 8.0) for x in read("out", by_hand(amps), amps, FINE, "other meter")]
    first = causes(plain_job(), off, {}).causes[0]
    assert (first.key, first.link) == ("meter_gain", "meter")


def test_two_wires_where_four_were_meant() -> None:
    """The joints are as designed, and yet 25 mΩ are missing at the output: the load's own leads."""
    rows = [r._replace(value=r.value - 0.025 * a) for r, a in _with_amps(along(0.0))]
    rows += read("source", 12 - 8 * 0.010, 8.0)
    first = causes(plain_job(), rows, {}).causes[0]
    assert first.key == "two_wire"
    assert first.size is not None
    assert first.size.low <= 0.025 <= first.size.high


def _with_amps(rows: list[Reading]) -> list[tuple[Reading, float]]:
    amps = {r.scan: r.value for r in rows if r.quantity == "A"}
    return [(r, amps[r.scan] if r.quantity == "V" and r.place == "out" else 0.0) for r in rows]


def test_swapped_outputs_and_a_pad() -> None:
    job = demo_job("ridge-pier")
    network = build(job)
    rows = []
    for asked, really, amps in (
        ("mount", "dew", 0.0),
        ("mount", "dew", 2.0),
        ("dew", "mount", 0.0),
        ("dew", "mount", 2.0),
    ):
        volts = float(solve(network, {really: np.float64(amps)})[really].V)
        rows += read(asked, round(volts, 3), amps)
    found = causes(job, rows, {})
    assert (found.causes[0].key, found.causes[0].link) == ("swapped", "mount+dew")
    with pytest.raises(UserError, match="No figure of the design"):
        accepted(job, found.causes[0])
    volts = {a: float(solve(network, {"mount": np.float64(a)})["mount"].V) for a in (0.0, 4.0, 8.0)}
    well = [x for a, v in volts.items() for x in read("mount", round(v, 3), a)]
    seen = observed(job, well, {})
    # The design hopes for 2 K/W from the case to the sink; 5.6 ± 0.4 K/W were read.
    hot = theta_figure("front-end", "case", Interval(5.6, 5.2, 6.0))
    told = found_in(job, replace(seen, figures=(*seen.figures, hot)))
    assert (told.causes[0].key, told.causes[0].link) == ("pad", "front-end")
    assert told.causes[0].size is not None
    assert 2.0 < told.causes[0].size.value < 4.0


def test_nothing_that_is_known() -> None:
    """Volts that jump about fit nothing: said so, and volts along the path are asked for."""
    rows = [
        x for amps, v in ((0.0, 12.0), (2.0, 11.2), (4.0, 12.3), (8.0, 11.9)) for x in read("out", v, amps)
    ]
    found = causes(plain_job(), rows, {})
    assert found.causes[0].key == NONE
    assert any("Nothing that is known" in w for w in found.warnings)
    assert found.next is not None
    with pytest.raises(UserError, match="Too little"):
        causes(plain_job(), [], {})
    with pytest.raises(UserError, match="Nothing is joined"):
        causes(Job(name="empty"), rows, {})


def test_ten_thousand_readings_and_steps_that_move_the_mains() -> None:
    job = plain_job()
    plans = plans_of(job)
    many = [
        r._replace(test="regulation", step=int(k % 5), id=next(NUMBERS))
        for k in range(2000)
        for r in read("out", by_hand(2.0 * (k % 5)), 2.0 * (k % 5))
    ]
    seen = observed(job, many, plans)
    # The newest of each step alone.
    assert len(seen.figures) == 5
    over = [many[0]._replace(value=np.inf, id=next(NUMBERS))]
    assert len(observed(job, over, plans).figures) == 0


# -- the arithmetic of evidence, against other methods ------------------------------------------------


def test_a_spread_is_the_dense_normal_distribution() -> None:
    rng = np.random.default_rng(1)
    sd, common = rng.uniform(0.5, 2, 7), rng.standard_normal((7, 3))
    gaps = rng.standard_normal((4, 7))
    whole = np.diag(sd**2) + common @ common.T
    dense = multivariate_normal(np.zeros(7), whole)
    spread = Spread(sd, common)
    assert spread.log_likelihood(gaps) - 3.5 * np.log(2 * np.pi) == pytest.approx(dense.logpdf(gaps))
    assert spread.solved(gaps) == pytest.approx(np.linalg.solve(whole, gaps.T).T)


@pytest.mark.parametrize("sd", [1.0, 0.01, 0.0005])
def test_evidence_over_a_size_is_the_integral(sd: float) -> None:
    """A suspect of 0 to 4 in one figure: its evidence is the mean likelihood, however fine the meter is."""
    sizes = np.linspace(0, 4, 9)
    spread = Spread(np.array([sd]), np.zeros((1, 0)))
    found = weighed(0, sizes[:, None], np.array([2.3]), spread, 1.0, all_sizes=True)
    inside = norm.cdf((4 - 2.3) / sd) - norm.cdf(-2.3 / sd)
    assert found.log_evidence == pytest.approx(np.log(np.sqrt(2 * np.pi) * inside / 4), abs=0.03)
    # Of two that add up to 2.3: the sum of two even ones has density 2.3/16 there.
    both = weighed_both((0, 1), sizes[:, None], sizes[:, None], np.array([2.3]), spread, 1.0)
    if sd < 1:
        assert both.log_evidence == pytest.approx(np.log(2.3 / 16 * np.sqrt(2 * np.pi)), abs=0.15)


def test_posterior_and_none_of_these() -> None:
    assert posterior([0.0, np.log(3)], [0.5, 0.5]) == pytest.approx([0.25, 0.75])
    assert posterior([-np.inf, 1.0], [0.5, 0.5]) == pytest.approx([0.0, 1.0])
    sd, common = np.ones(6), np.zeros((6, 0))
    spread = Spread(sd, common)
    small, large = np.full(6, 0.3), np.array([9.0, -14, 20, -8, 11, -30])
    assert none_of_these(small, sd, common) < float(spread.log_likelihood(small))
    assert none_of_these(large, sd, common) > float(spread.log_likelihood(large)) + 50


def test_another_meter_is_one_of_its_own() -> None:
    """What it reads right at the output tells the meter in use from the supply, and leads from both."""
    off = [r._replace(value=r.value * (1.05 if r.instrument == "meter" else 1.0)) for r in along(0.0)]
    asked = causes(plain_job(), off, {}).next
    right = [x for a in (0.0, 8.0) for x in read(other_of("out"), by_hand(a), a, FINE, "")]
    # The current that flows with it is filed at the output.
    right = [r._replace(place="out") if r.quantity == "A" else r for r in right]
    first = causes(plain_job(), [*off, *right], {}).causes[0]
    assert (first.key, first.link) == ("meter_gain", "meter")
    seen = observed(plain_job(), [*off, *right], {})
    assert {f.meter for f in seen.figures if f.place == other_of("out")} == {other_of("out")}
    assert asked is None or asked.quantity in ("V", "A")
    # A place that no such link has is foretold by nothing, and is no figure.
    odd = read(least_of("wire"), 0.1, 8.0, MICRO) + read(drop_of("source"), 0.1, 8.0, MICRO)
    assert len(observed(plain_job(), odd, {}).figures) == 0
    assert len(observed(demo_job("dome-workshop"), read("pin-10", 12.0, 2.0), {}).figures) == 0


def test_a_cause_found_twice_adds_up() -> None:
    """20 mΩ were taken in already; 30 mΩ more are read: the contact has 50 mΩ too many."""
    once = accepted(plain_job(), causes(plain_job(), along(0.020), {}).causes[0])
    before = once.design.link("wire").found[0].plus
    second = causes(once, along(0.050), {}).causes[0]
    assert (second.key, second.link) == ("contact", "wire")
    twice = accepted(once, second)
    (found,) = twice.design.link("wire").found
    assert found.plus == pytest.approx(before + second.found.plus)
    assert found.plus == pytest.approx(0.050, abs=0.004)


def test_why_a_cause_is_as_likely() -> None:
    found = causes(plain_job(), along(0.030), {})
    first = found.causes[0]
    told = worked(found, first)
    by_name = {given.symbol: given.value for given in told.given}
    assert told.value == first.probability
    assert by_name["prior"] < 0.1
    assert by_name["ln e"] == by_name["ln e₁"]


def test_an_offset_counts_where_no_meter_has_a_gain_bound() -> None:
    """A meter of ± 3 digits of 10 mV and nothing of reading: 24 mV off is no fault."""
    coarse = Accuracy(of_reading=0.0, counts=3, resolution=0.01)
    rows = [x for a in (0.0, 4.0, 8.0) for x in read("out", round(by_hand(a) + 0.024, 2), a, coarse)]
    assert causes(plain_job(), rows, {}).causes[0].key == HEALTHY
