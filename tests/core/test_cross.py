"""Cross regulation from load cases, and what a job has learnt that goes into the bin."""

from pathlib import Path

import numpy as np
import pytest

from tensimeter.core.analysis.cross import cross_regulation
from tensimeter.core.errors import UserError
from tensimeter.core.held.proven_part import proven_supply
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job
from tensimeter.store.logs import read_load_cases

TRUE_V0 = np.array([12.04, 5.04, 3.31])
TRUE_R = np.array([[0.011, -0.045, 0.001], [-0.004, 0.006, 0.0], [0.0, 0.002, 0.005]])
CASES = np.array([[0, 0, 0], [5, 0, 0], [0, 10, 0], [0, 0, 8], [5, 10, 8], [2, 5, 4]], float)
EXACT = Accuracy(of_reading=0.0, counts=0.0, resolution=1e-9)
RAILS = ("12 V", "5 V", "3.3 V")


def volts(amps: np.ndarray = CASES) -> np.ndarray:
    return TRUE_V0 - amps @ TRUE_R.T


def test_the_matrix_comes_back() -> None:
    found = cross_regulation(RAILS, volts(), CASES, EXACT, EXACT)
    assert [x.value for x in found.no_load_V] == pytest.approx(TRUE_V0.tolist())
    got = np.array([[x.value for x in row] for row in found.resistance_ohm])
    assert got == pytest.approx(TRUE_R, abs=1e-9)
    assert found.worst[:2] == ("12 V", "5 V")
    assert found.residual_V < 1e-9


def test_each_term_lies_inside_its_interval_as_often_as_it_says() -> None:
    meter = Accuracy(of_reading=0.005, counts=2, resolution=0.01)
    load = Accuracy(of_reading=0.01, counts=3, resolution=0.01)
    rng = np.random.default_rng(11)
    inside = np.zeros((3, 3))
    runs = 200
    for _ in range(runs):
        read_V = np.round(
            volts() * (1 + rng.uniform(-1, 1) * 0.005)
            + rng.uniform(-1, 1) * 0.02
            + rng.normal(0, 0.005, (6, 3)),
            2,
        )
        read_A = np.round(CASES * (1 + rng.uniform(-1, 1) * 0.01) + rng.uniform(-1, 1) * 0.03, 2)
        found = cross_regulation(RAILS, read_V, read_A, meter, load)
        low = np.array([[x.low for x in row] for row in found.resistance_ohm])
        high = np.array([[x.high for x in row] for row in found.resistance_ohm])
        inside += (low <= TRUE_R) & (high >= TRUE_R)
    assert (inside >= 0.90 * runs).all(), inside


@pytest.mark.parametrize(
    ("amps", "sentence"),
    [(CASES[:3], "can't tell"), (CASES[[0, 1, 1, 1, 1, 1]], "can't tell"), (CASES[:, :1], "two rails")],
)
def test_cases_that_tell_too_little_are_refused(amps: np.ndarray, sentence: str) -> None:
    full = np.zeros((len(amps), 3))
    full[:, : amps.shape[1]] = amps
    read = volts(full)[:, : amps.shape[1]]
    with pytest.raises(UserError, match=sentence):
        cross_regulation(RAILS[: amps.shape[1]], read, amps, EXACT, EXACT)


def test_it_goes_onto_the_card_of_the_supply(tmp_path: Path) -> None:
    part = demo_job("dome-workshop").part("pc-450")
    lines = ["i 12 V [A];v 12 V [V];i 5 V;v 5 V"]
    for i12, i5 in ((0, 0), (5, 0), (0, 10), (5, 10)):
        v12, v5 = 12.1 - 0.02 * i12 + 0.03 * i5, 5.1 + 0.001 * i12 - 0.01 * i5
        lines.append(f"{i12};{v12:.3f};{i5};{v5:.3f}".replace(".", ","))
    path = tmp_path / "cases.csv"
    path.write_text("\n".join(lines), encoding="utf-8")
    rails, read_V, read_A = read_load_cases(path)
    made = part.with_cross(cross_regulation(rails, read_V, read_A, EXACT, EXACT))
    assert made.rail("12 V").volts == pytest.approx(12.1)
    assert made.rail("3.3 V") == part.rail("3.3 V")
    assert {(c.rail, c.other): round(c.ohm, 6) for c in made.couplings} == {
        ("12 V", "5 V"): -0.03,
        ("5 V", "12 V"): -0.001,
    }
    assert made.origins["couplings"] == "measured"
    for text, said in (
        ("i 9 V,v 9 V,i 5 V,v 5 V\n0,9,0,5\n1,9,0,5\n0,9,1,5", "no rail 9 V"),
        ("i 5 V,v 12 V\n1,2", "no column"),
        ("time,x\n1,2", "no columns such as"),
    ):
        path.write_text(text)
        with pytest.raises(UserError, match=said):
            part.with_cross(cross_regulation(*read_load_cases(path), EXACT, EXACT))


def test_what_was_proven_becomes_a_supply_of_the_bin() -> None:
    job: Job = demo_job("ridge-pier")
    worked_out = plan(job, job.campaign.tests[0])
    with pytest.raises(UserError, match="Nothing is proven"):
        proven_supply(job, outcome(job, worked_out, []))
    meter = Accuracy(of_reading=0.0005, counts=3, resolution=0.001)
    rows = []
    for k, step in enumerate(worked_out.steps):
        for quantity, value in (("V", 13.57 - 0.047 * step.set_A), ("A", step.set_A)):
            rows.append(
                Reading(
                    k,
                    float(k),
                    "mount",
                    quantity,
                    value,
                    "bench-meter",
                    meter,
                    "four-wire",
                    "typed",
                    test=worked_out.test.id,
                    step=step.index,
                    id=len(rows) + 1,
                )
            )
    supply = proven_supply(job, outcome(job, worked_out, rows))
    assert supply.name == "Ridge pier supply, MOUNT"
    assert supply.output_resistance_ohm == pytest.approx(0.047, rel=1e-6)
    assert supply.rated_A > 4
    assert set(supply.origins.values()) == {"measured"}
