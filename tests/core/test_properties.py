"""What must hold of any network, any reach and any document, on cases nobody thought of."""

import json
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tensimeter.core.circuit.network import build
from tensimeter.core.design.failures import failures
from tensimeter.core.design.reach import reach
from tensimeter.core.electrical.elements import CurrentSink, Network, Series
from tensimeter.core.electrical.reservoir import Curve
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import parse_accuracy
from tensimeter.core.model.edits import changed, with_link
from tensimeter.core.model.job import Job, read_job
from tensimeter.core.model.problems import problems
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.procedure.notices import notices
from tensimeter.core.thermal.network import AMBIENT, ThermalNetwork
from tensimeter.demo.library import demo_job


def refused(call: Callable[[], object]) -> str:
    """The sentence that a call is refused with; empty where it goes through."""
    try:
        call()
    except UserError as trouble:
        return str(trouble)
    return ""


theta = st.floats(0.05, 20.0)


@st.composite
def thermal_networks(draw: st.DrawFn) -> ThermalNetwork:
    """Up to five nodes in a tree from ambient, with some further ties between them."""
    names = [f"n{k}" for k in range(draw(st.integers(1, 5)))]
    ties = {}
    for k, name in enumerate(names):
        ties[name, draw(st.sampled_from([AMBIENT, *names[:k]]))] = draw(theta)
    for _ in range(draw(st.integers(0, 3))):
        a, b = draw(st.sampled_from(names)), draw(st.sampled_from([*names, AMBIENT]))
        if a != b and (b, a) not in ties:
            ties[a, b] = draw(theta)
    return ThermalNetwork({n: draw(st.floats(0.1, 500.0)) for n in names}, ties)


@settings(max_examples=80, deadline=None)
@given(thermal_networks(), st.floats(0.1, 50.0), st.floats(-20.0, 50.0))
def test_all_heat_leaves_to_ambient(network: ThermalNetwork, power: float, ambient: float) -> None:
    node = network.nodes[-1]
    steady = network.steady({node: power}, ambient)
    leaving = sum(
        (float(steady[a if b == AMBIENT else b]) - ambient) / ohm
        for (a, b), ohm in network.resistance_K_W.items()
        if AMBIENT in (a, b)
    )
    assert leaving == pytest.approx(power, rel=1e-6)
    # The node that is heated is the hottest, and nothing is colder than the air.
    assert max(map(float, steady.values())) == pytest.approx(float(steady[node]), rel=1e-9)
    assert min(map(float, steady.values())) >= ambient - 1e-9
    # On its way there it never overshoots, and it gets there.
    slowest = float(network.modes()[0].max())
    times = slowest * np.array([0.0, 0.1, 0.5, 1.0, 3.0, 40.0])
    path = network.heat_up({node: power}, times, ambient)[node]
    assert (np.diff(path) >= -1e-9).all()
    assert path[0] == pytest.approx(ambient, abs=1e-9)
    assert path[-1] == pytest.approx(float(steady[node]), rel=1e-6, abs=1e-6)


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.floats(0.05, 3.0), min_size=2, max_size=6),
    st.lists(st.floats(0.0, 2.0), min_size=6, max_size=6),
    st.floats(0.0, 12.0),
)
def test_a_source_that_bends_stands_on_its_curve(steps: list, falls: list, amps: float) -> None:
    x = np.concatenate([[0.0], np.cumsum(steps)])
    y = 40.0 - np.concatenate([[0.0], np.cumsum(falls[: len(steps)])])
    curve = Curve(tuple(x.tolist()), tuple(y.tolist()))
    network = Network(
        (Series("s", None, emf=40.0, curve=curve), Series("w", "s", resistance=0.3), CurrentSink("o", "w"))
    )
    solution = solve(network, {"o": amps})
    expected = (
        np.interp(amps, x, y) if amps <= x[-1] else y[-1] + (amps - x[-1]) * (y[-1] - y[-2]) / steps[-1]
    )
    assert float(solution["s"].V) == pytest.approx(float(expected), abs=1e-9)
    assert float(solution["o"].V) == pytest.approx(float(expected) - 0.3 * amps, abs=1e-9)


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.floats(-0.05, 0.05), min_size=6, max_size=6),
    st.lists(st.floats(0, 15), min_size=3, max_size=3),
)
def test_rails_superpose(ohms: list[float], amps: list[float]) -> None:
    """Each rail's volts are linear in every rail's current: V = V0 − R·I, whatever the matrix."""
    names = ("a", "b", "c")
    matrix = np.array([[0.02, ohms[0], ohms[1]], [ohms[2], 0.01, ohms[3]], [ohms[4], ohms[5], 0.015]])
    elements = [
        Series(
            n, None, emf=12.0 - k, resistance=matrix[k, k],
            couplings=tuple((m, float(matrix[k, j])) for j, m in enumerate(names) if m != n),
        )
        for k, n in enumerate(names)
    ]  # fmt: skip
    network = Network((*elements, *(CurrentSink(f"o{n}", n) for n in names)))
    solution = solve(network, {f"o{n}": a for n, a in zip(names, amps, strict=True)})
    found = [float(solution[n].V) for n in names]
    assert found == pytest.approx(np.array([12.0, 11.0, 10.0]) - matrix @ amps, abs=1e-9)


@settings(max_examples=25, deadline=None)
@given(st.floats(0.5, 1.0), st.floats(0.5, 1.0), st.floats(2.0, 12.0))
def test_a_stricter_policy_never_reaches_further(first: float, second: float, sink: float) -> None:
    job = demo_job("ridge-pier")
    job = with_part(job, changed(job.part("front-end-40"), sink_K_W=sink))
    low, high = sorted((first, second))
    volts, amps = np.linspace(2, 40, 20), np.linspace(0, 14, 57)
    strict, easy = (
        reach(job.model_copy(update={"policy": changed(job.policy, donor_share=s)}), "mount", volts, amps)
        for s in (low, high)
    )
    assert not (strict.inside & ~easy.inside).any()
    # Where it may stay for good there is no clock, and where it may not be at all there is no time.
    assert np.isinf(easy.minutes[easy.inside]).all()
    assert (easy.minutes[~easy.inside] < np.inf).all()


@settings(max_examples=30, deadline=None)
@given(st.sampled_from(["ridge-pier", "dome-workshop", "finishers-bench"]), st.data())
def test_no_figure_breaks_what_is_said_of_a_design(name: str, data: st.DataObject) -> None:
    """Any part made better or worse by a hundred times: solved, ranked, judged, and never an exception."""
    job = demo_job(name)
    part = data.draw(
        st.sampled_from([p for p in job.stock if p.kind in ("donor", "converter", "lead", "fuse")] or [None])
    )
    if part is not None:
        fields = [
            f
            for f, v in part
            if isinstance(v, float) and v > 0 and not f.endswith(("tolerance", "efficiency"))
        ]
        field = data.draw(st.sampled_from(fields))
        try:
            job = with_part(
                job, changed(part, **{field: getattr(part, field) * data.draw(st.floats(0.01, 100))})
            )
        except UserError:
            return
    for notice in notices(job):
        assert notice.title
        assert "nan" not in notice.text.casefold()
    if problems(job.design, job.stock):
        return
    for fault in failures(job):
        assert all(np.isfinite(v) for v in fault.volts.values())


leaves = st.one_of(st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=8))


@settings(max_examples=120, deadline=None)
@given(st.data())
def test_any_document_is_read_or_refused_in_a_sentence(data: st.DataObject) -> None:
    """A whole job with one value put wrong, somewhere."""
    document = json.loads(demo_job("dome-workshop").model_dump_json())
    place = document
    for _ in range(data.draw(st.integers(1, 5))):
        keys = list(place) if isinstance(place, dict) else list(range(len(place)))
        if not keys:
            break
        key = data.draw(st.sampled_from(keys))
        if not isinstance(place[key], dict | list):
            break
        place = place[key]
    if isinstance(place, dict) and place:
        place[data.draw(st.sampled_from(list(place)))] = data.draw(leaves)
    elif isinstance(place, list):
        place.append(data.draw(leaves))
    said = refused(lambda: build(read_job(json.dumps(document))))
    assert not said or said[-1] in ".”)", said


@given(st.text(alphabet="0123456789.,%+@ ±()muVA-e", max_size=16))
def test_any_accuracy_is_read_or_refused(text: str) -> None:
    if said := refused(lambda: parse_accuracy(text, 0.01)):
        assert "accuracy" in said
        return
    accuracy = parse_accuracy(text, 0.01)
    half = accuracy.half_width(10.0)
    assert half >= 0
    assert parse_accuracy(accuracy.text()).half_width(10.0) == pytest.approx(half, rel=1e-4)


def test_a_loop_is_named_and_nothing_hangs(demo: Job) -> None:
    looped = with_link(demo, changed(demo.design.link("front-end"), fed_by="mount-lead"))
    with pytest.raises(UserError, match="loop"):
        build(looped)
    assert any("loop" in n.text for n in notices(looped) if n.kind == "miss")
