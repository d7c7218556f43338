"""Finisher's bench: a tapped transformer, rectifier and linear regulator for anodising and coolers.

On the upper tap the regulator burns more than its sink can shed at low volts; on the lower one it drops
out in the valleys before the top of its range. All names, labels and figures are invented.
"""

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.model.heat_tests import OverTemperature
from tensimeter.core.model.job import Assembly, Campaign, Job
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.model.trims import TrimScrew
from tensimeter.core.parts.converter import Converter
from tensimeter.core.parts.fan import Fan
from tensimeter.core.parts.fuse import FusePart
from tensimeter.core.parts.lead import LeadPart
from tensimeter.core.parts.panel_meter import PanelMeter
from tensimeter.core.parts.transformer import Transformer
from tensimeter.core.path import (
    ConverterLink,
    Design,
    FanLink,
    FuseLink,
    LeadLink,
    MeterLink,
    NtcSensor,
    OutputLink,
    UnitLink,
)
from tensimeter.core.settings import BoxRecord, Settings
from tensimeter.demo.bench_parts import ROLES, bench_parts
from tensimeter.demo.names import TITLES
from tensimeter.simulation.hand import HiddenDisplay, HiddenTuning
from tensimeter.simulation.warmth import HeatGuard, HiddenHeat

#: What the builder does not know: the regulator's reference and a tired clamp.
TRUTHS: dict[tuple[str, str], float] = {
    ("regulator", "set_V"): 12.04,
    ("regulator", "resistance"): 0.006,
    ("clamp-lead", "contact"): 0.011,
}

#: Its display hangs on the trim of its volts, and loads the divider that its own trim sits in.
TUNING = HiddenTuning(
    displays={
        ("bath-panel", "V"): HiddenDisplay(gain=0.985, digit=0.001),
        ("bath-panel", "A"): HiddenDisplay(gain=1.02, offset=0.004, digit=0.001),
    },
    volts_a_turn={("regulator-volts", "bath"): 0.62, ("display-span", "bath"): -0.09},
    gain_a_turn={("display-span", "bath-panel"): 0.018, ("regulator-volts", "bath-panel"): -0.002},
)
#: The regulator cuts itself off before its sink is warm enough for the fan to come on.
HEAT = HiddenHeat(guards={"regulator": HeatGuard(85.0, 70.0)}, lag_s={"regulator-case": 4.0})


def job() -> Job:
    """The job as its builder has written it down."""
    stock = (
        Transformer(
            id="two-taps", name="Transformer 13 V and 25 V, 4 A", tap_V=(13.4, 25.6), resistance_ohm=0.55,
            rated_A=4.0, capacitance_F=0.0068, esr_ohm=0.03, capacitor_V=50, condition="works",
            note="with bridge and reservoir; taken from a discarded amplifier", size_mm=(95, 95, 70),
        ),
        Converter(
            id="linear", name="Linear regulator 0 to 20 V 2 A", topology="linear", out_min_V=0.1,
            out_max_V=20, in_max_V=45, rated_A=2.0, dropout_V=2.2, loss_fixed_W=0.25, loss_per_A=0.0,
            output_resistance_ohm=0.005, switch_K_W=1.1, sink_K_W=1.5, sink_blown_K_W=1.2, sink_J_K=420,
            hot_limit_C=125,
            size_mm=(120, 80, 60),
        ),
        FusePart(id="fuse-3", name="Fuse 3.15 A fast, holder", rated_A=3.15, speed="fast", cost=0.9),
        LeadPart(
            id="lead-clamp", name="Lead 1.2 m, 1.5 mm², clamps", length_m=1.2, area_mm2=1.5, contact_ohm=0.002
        ),
        Converter(
            id="aux-module", name="Step-down module 1 A", out_min_V=1.25, out_max_V=30, in_max_V=60,
            rated_A=1.0, dropout_V=1.5, loss_fixed_W=0.2, loss_per_A=0.6, cost=1.5, size_mm=(45, 21, 14),
        ),
        Fan(id="fan-60", name="Fan 60 mm 12 V", rated_A=0.12, start_V=6, flow_m3_h=30, loudness_dB=28,
            size_mm=(60, 60, 25), cost=3.0),
        PanelMeter(
            id="front-meter", name="Panel meter 33 V 3 A", reads_V=33, reads_A=3, shunt_ohm=0.02,
            draws_A=0.03, supply_max_V=60, size_mm=(48, 29, 22), cost=5.5, condition="to buy",
            volts=Accuracy(of_reading=0.003, counts=1, resolution=0.001),
            amps=Accuracy(of_reading=0.005, counts=3, resolution=0.001),
        ),
        *bench_parts(),
    )  # fmt: skip
    design = Design(
        links=(
            UnitLink(id="transformer", name="Transformer", part="two-taps", tap=1),
            ConverterLink(
                id="regulator", name="Regulator", part="linear", fed_by="transformer", set_V=12.0, limit_A=1.8
            ),
            FuseLink(id="fuse", name="Fuse 3.15 A", part="fuse-3", fed_by="regulator"),
            MeterLink(
                id="meter", name="Panel meter", part="front-meter", fed_by="fuse", supplied_by="transformer"
            ),
            LeadLink(id="clamp-lead", name="Clamp lead", part="lead-clamp", fed_by="meter"),
            OutputLink(
                id="bath", name="BATH", fed_by="clamp-lead", nominal_V=12, full_load_A=1.5, tolerance=0.05,
                regulation_limit=0.03, adjustable=True,
            ),
            ConverterLink(
                id="aux", name="Auxiliary 12 V", part="aux-module", fed_by="transformer", set_V=12.0
            ),
            FanLink(
                id="fan", name="Fan", part="fan-60", fed_by="aux", control="threshold", on_C=60, off_C=48,
                sensor=NtcSensor(),
            ),
        )
    )  # fmt: skip
    return Job(
        demo=True,
        name=TITLES["finishers-bench"],
        place="Fellmoor Observatory",
        settings=Settings(
            ambient_C=22.0,
            box_K_W=0.12,
            box=BoxRecord(length_mm=250, width_mm=190, height_mm=95),
        ),
        stock=stock,
        design=design,
        assembly=Assembly(
            trims=(
                TrimScrew(id="regulator-volts", name="Regulator, volts", moves="bath", link="regulator",
                          where="blue, beside the heat sink", up=6.0, down=4.0),
                TrimScrew(id="display-span", name="Display, span", moves="bath-panel", link="meter",
                          where="on the back of the display", sort="display"),
            )
        ),
        campaign=Campaign(
            tests=(
                LoadRegulation(id="load-regulation", output="bath"),
                OverTemperature(id="over-temperature", output="bath", below_C=100.0, hold_s=2400.0),
            ),
            probes=("regulator-case", "regulator-sink", "ambient"),
            **ROLES,
        ),
    )  # fmt: skip
