"""A device against a limit: figures derived by hand."""

import pytest

from tensimeter.core.design.device_point import device_points
from tensimeter.core.model.edits import changed, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.plain_loads import Device, Lamp, Motor, Resistor


def fed(demo: Job, device: object, limit_A: float) -> dict[str, tuple[float, float, str]]:
    """The states of a device at MOUNT: 13.6 V set, 55.9 mΩ up to it, behind a limit."""
    job = with_part(demo, device)
    job = with_link(job, changed(job.design.link("front-end"), limit_A=limit_A))
    job = with_link(job, changed(job.output("mount"), device=device.id))
    return {p.state: (p.amps, p.volts, p.limited_by) for p in device_points(job, "mount")}


def test_on_the_line_and_at_the_limit(demo: Job) -> None:
    heater = Resistor(id="r", name="Heater", resistance_ohm=3.0, rated_W=100)
    from tensimeter.core.rating.ladder import at

    # The line's own resistance, from two points of the solver that know of no device.
    ends = [float(at(demo, {"mount": a})[1]["mount"].V) for a in (0.0, 4.0)]
    ohm = (ends[0] - ends[1]) / 4.0
    (amps, volts, by) = fed(demo, heater, 11.0)["as it runs"]
    assert amps == pytest.approx(ends[0] / (3.0 + ohm), rel=1e-4)
    assert volts == pytest.approx(3.0 * amps, rel=1e-4)
    assert by == ""
    # At 2 A the same 3 Ω are left with 6 V.
    assert fed(demo, heater, 2.0)["as it runs"] == (
        pytest.approx(2.0, rel=0.02), pytest.approx(6.0, rel=0.02), "Front end",
    )  # fmt: skip


def test_lamp_motor_string_and_pairs(demo: Job) -> None:
    lamp = Lamp(id="l", name="Lamp", rated_V=12, rated_W=48)
    states = fed(demo, lamp, 4.0)
    # Cold it is ten times 4 A at 12 V, 0.3 Ω: 1.2 V at 4 A.
    assert states["cold"][:2] == (pytest.approx(4.0, rel=0.02), pytest.approx(1.2, rel=0.02))
    motor = Motor(id="m", name="Motor", rated_V=12, rated_A=1.5)
    states = fed(demo, motor, 4.0)
    assert states["running"][0] == pytest.approx(1.5, rel=1e-3)
    assert states["idle"][0] == pytest.approx(0.5, rel=1e-3)
    # Stalled 9 A at 12 V, 1.333 Ω: 5.33 V at 4 A.
    assert states["stalled or starting"] == (
        pytest.approx(4.0, rel=0.02), pytest.approx(5.333, rel=0.02), "Front end",
    )  # fmt: skip
    string = Device(id="s", name="String", draws_A=0.35, pairs=((9.0, 0.1), (9.6, 0.42), (10.0, 0.9)))
    (amps, volts, by) = fed(demo, string, 0.42)["as read"]
    assert (amps, volts, by) == (pytest.approx(0.42, rel=0.02), pytest.approx(9.6, abs=0.02), "Front end")
    assert device_points(demo, "mount") == []
