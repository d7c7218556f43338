"""A test load from nothing: sized on its card, built, proven, plated; then it proves another supply."""

from pathlib import Path

from PyQt6.QtWidgets import QApplication, QLabel

from tensimeter.bench.setup import open_bench
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.parts.made_load import MadeLoad
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.window import MainWindow
from tests.ui.test_new_user import add


def figures(window: MainWindow) -> str:
    return "\n".join(x.text() for x in window.stage("stock").editor.worked.findChildren(QLabel))


def typed(form, name: str, text: str, keys, window: MainWindow) -> None:
    QApplication.processEvents()
    form.fields[name].setFocus()
    form.fields[name].selectAll()
    keys(window, text, "Enter")


def test_a_load_is_made_proven_and_then_proves_a_supply(open_window, tmp_path: Path, keys, qtbot) -> None:
    window = open_window(JobFile.create(tmp_path / "load.tensi", Job(name="Bench load")))
    session = window.session
    keys(window, "Alt+1")
    stock = window.stage("stock")
    for text in (
        "19V 4.7A brick", "Home-made load", "Fuse 5 A slow, holder", "Lead 1 m, 1.5 mm²",
        "Handheld multimeter",
    ):  # fmt: skip
        stock.nameplate.setText(text)
        stock.nameplate.setFocus()
        keys(window, "Enter")
    load = next(p for p in session.job.stock if isinstance(p, MadeLoad))
    stock.choose(load.id)
    assert "hottest junction" in figures(window)
    # Its ratings are not typed: its circuit is, and what follows stands above it at once.
    assert "max_W" not in stock.form.fields
    circuit = stock.form.inner["circuit"]
    typed(circuit.inner["drive"], "highest_V", "3.3", keys, window)
    assert "do not turn on" in figures(window)
    assert any("do not turn on" in n.text for n in session.now.notices if n.kind == "miss")
    typed(circuit.inner["drive"], "highest_V", "10", keys, window)
    assert "do not turn on" not in figures(window)
    curve = circuit.inner["device"].fields["curve"].text()
    typed(circuit.inner["device"], "curve", "10=12", keys, window)
    assert circuit.inner["device"].fields["curve"].text() == curve
    assert "two points or more" in window.line.hint.text()

    keys(window, "Alt+2")
    add(window, keys, "brick", "Lead 1 m", "Fuse 5 A slow", load.name)
    end = session.job.design.outputs()[0]
    assert [x.kind for x in session.job.design.path_to(end.id)] == ["unit", "lead", "fuse", "made_load"]
    session.choose(end.id)
    form = window.stage("design").path.form
    typed(form, "nominal_V", "19", keys, window)
    typed(form, "full_load_A", "3", keys, window)

    keys(window, "Alt+5")
    prove = window.stage("prove")
    prove.campaign._plan_all()
    test = next(t for t in session.job.campaign.tests if t.kind == "own-load")
    session.choose_test(test.id)
    assert "would read itself" in "\n".join(x.text() for x in prove.findChildren(QLabel))
    meter = next(p.id for p in session.job.stock if p.kind == "meter")
    session.edit("ammeter", with_campaign(session.job, ammeter=meter))
    keys(window, "Ctrl+l", f"earth-{end.id} OL", "Enter")
    for step in session.plan.steps:
        session.choose_step(step.index)
        keys(window, "Ctrl+l", f"{end.id} 18.9V", "Enter")
        session.choose_step(step.index)
        keys(window, "Ctrl+l", f"{end.id} {step.set_A + 0.003:.3f}A", "Enter")
    found = {f.key: f for f in session.outcome.findings}
    assert found["set:0"].value.value > 0
    assert "by itself" not in "".join(f.text for f in found.values())
    plate = window.stage("plate")
    qtbot.waitUntil(lambda: plate.ready, timeout=60_000)

    # It is kept in the bin, and another job's supply is proven with it.
    window.stage("stock").choose(load.id)
    window.stage("stock").editor.keep()
    other = open_window(JobFile.create(tmp_path / "bench.tensi", demo_job("finishers-bench")))
    other.stage("stock").nameplate.setText(load.name)
    other.stage("stock").nameplate.setFocus()
    keys(other, "Enter")
    made = next(p for p in other.session.job.stock if isinstance(p, MadeLoad))
    assert made.circuit == session.job.part(load.id).circuit
    other.session.edit("load", with_campaign(other.session.job, load=made.id, ammeter=made.id))
    other.session.choose_test("load-regulation")
    with stand_ins(other.session.job, speed=60) as served:
        other.session.start_run(open_bench(other.session.job, served.resources, speed=60))
        qtbot.waitUntil(lambda: not other.session.running and other.session.bench is None, timeout=60_000)
    assert other.session.outcome.complete
    assert other.session.outcome.verdict in (Verdict.CONFORMS, Verdict.TOO_CLOSE)
    used = {r.instrument for r in other.session.outcome.facts.readings if r.quantity == "A"}
    assert used == {made.id}
