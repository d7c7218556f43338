"""What the observatory measures with: the same loads and meters for every job. All invented."""

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.parts.electronic_load import ElectronicLoad
from tensimeter.core.parts.figures import MeterRange
from tensimeter.core.parts.instruments import LineSource, Multimeter, Oscilloscope, Thermometer
from tensimeter.core.parts.registry import Part

#: Which of them a campaign uses, by its fields.
ROLES = {
    "load": "sink-150",
    "other_loads": ("sink-60",),
    "voltmeter": "bench-meter",
    "ammeter": "sink-150",
    "thermometer": "probe-k",
    "oscilloscope": "scope-20",
    "line_source": "line-500",
}


def bench_parts() -> tuple[Part, ...]:
    def volts(scale: float, step: float) -> MeterRange:
        return MeterRange(
            quantity="V", full_scale=scale, accuracy=Accuracy(of_reading=0.0005, counts=3, resolution=step)
        )

    return (
        ElectronicLoad(
            id="sink-150",
            name="Electronic load 150 W",
            max_V=120,
            max_A=20,
            max_W=150,
            on_ohm=0.05,
            watchdog=True,
            modes=("CC", "CR", "CP"),
            cost=65.0,
            condition="works",
            volts=Accuracy(of_reading=0.0005, counts=5, resolution=0.001),
            amps=Accuracy(of_reading=0.0008, counts=5, resolution=0.001),
        ),
        ElectronicLoad(
            id="sink-60",
            name="Electronic load 60 W",
            max_V=60,
            max_A=15,
            max_W=60,
            on_ohm=0.08,
            watchdog=True,
            modes=("CC", "CR", "CP"),
            condition="works",
            volts=Accuracy(of_reading=0.001, counts=5, resolution=0.001),
            amps=Accuracy(of_reading=0.002, counts=5, resolution=0.001),
        ),
        Oscilloscope(
            id="scope-20",
            name="Small oscilloscope 20 MHz",
            condition="works",
            sample_Hz=50e6,
            samples=200_000,
            step_V=0.0004,
        ),
        LineSource(
            id="line-500",
            name="Variable transformer with wattmeter",
            condition="works",
            watts=Accuracy(of_reading=0.01, counts=2, resolution=0.1),
        ),
        Multimeter(
            id="bench-meter",
            name="Bench multimeter",
            condition="works",
            ranges=(volts(6, 0.0001), volts(60, 0.001), volts(600, 0.01)),
        ),
        Multimeter(
            id="hand-meter",
            name="Handheld multimeter",
            condition="works",
            ranges=(
                MeterRange(
                    quantity="V",
                    full_scale=20,
                    accuracy=Accuracy(of_reading=0.005, counts=2, resolution=0.01),
                ),
                MeterRange(
                    quantity="V",
                    full_scale=200,
                    accuracy=Accuracy(of_reading=0.005, counts=2, resolution=0.1),
                ),
                MeterRange(
                    quantity="A",
                    full_scale=10,
                    accuracy=Accuracy(of_reading=0.015, counts=3, resolution=0.01),
                ),
            ),
        ),
        Thermometer(
            id="probe-k",
            name="Four-channel thermometer",
            accuracy_K=1.1,
            channels=4,
            lag_s=5,
            condition="works",
        ),
    )
