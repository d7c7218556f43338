"""Test load: 60 W out of the bin, two pass devices from a welder, for proving the observatory's supplies.

Its own amplifiers are cheap: what it is set to strays within its budget, and more than its display tells. All
names, labels and figures are invented.
"""

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.model.job import Campaign, Job
from tensimeter.core.model.tests import OwnLoad
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.fan import Fan
from tensimeter.core.parts.figures import MeterRange
from tensimeter.core.parts.fuse import FusePart
from tensimeter.core.parts.instruments import Multimeter
from tensimeter.core.parts.lead import LeadPart
from tensimeter.core.parts.made_load import MadeLoad
from tensimeter.core.parts.sink_circuit import (
    CurvePoint,
    GateDrive,
    PassDevice,
    ScaleOf,
    ShuntResistor,
    SinkCircuit,
)
from tensimeter.core.path import Design, FanLink, FuseLink, LeadLink, LoadLink, UnitLink
from tensimeter.core.settings import BoxRecord, Settings
from tensimeter.demo.bench_parts import ROLES, bench_parts
from tensimeter.demo.names import TITLES

#: What the builder does not know: the brick gives a little less.
TRUTHS: dict[tuple[str, str], float] = {("brick", "emf"): 19.1}

FINE, COARSE = (
    Accuracy(of_reading=share, counts=5, resolution=step) for share, step in ((0.001, 1e-4), (0.002, 1e-3))
)
CIRCUIT = SinkCircuit(
    volts=30.0,
    amps=5.0,
    watts=60.0,
    peak_W=90.0,
    device=PassDevice(
        curve=(
            CurvePoint(volts=10.0, amps=11.0),
            CurvePoint(volts=30.0, amps=3.0),
            CurvePoint(volts=60.0, amps=0.8),
        ),
        linear=True,
        on_ohm=0.06,
        threshold_V=4.0,
        gm_S=12.0,
        gm_A=4.0,
        junction_K_W=0.7,
        mounting_K_W=0.4,
    ),
    shunt=ShuntResistor(ohm=0.1, tolerance=0.01, ppm_K=75.0, rated_W=5.0),
    drive=GateDrive(highest_V=10.0, offset_V=0.5e-3, integrator_ohm=10e3, integrator_F=1e-9),
    set_by=ScaleOf(full_V=0.3, bits=12, reference=0.005),
    read_by=ScaleOf(full_V=0.3, bits=12, reference=0.005),
    sink_K_W=0.6,
    still_K_W=1.9,
    sink_J_K=450.0,
    air_C=30.0,
    leads_ohm=0.015,
    cutoff_V=2.5,
    reverse_diode=True,
)


def job() -> Job:
    """The job as its builder has written it down."""
    stock = (
        MadeLoad(id="own-sink", name="Test load 60 W", circuit=CIRCUIT, size_mm=(150, 120, 80)),
        Donor(
            id="brick-19", name="Laptop brick 19 V 4.7 A", family="brick", no_load_V=19.3, rated_A=4.7,
            rated_W=90.0, tolerance=0.03, output_resistance_ohm=0.03, limit_A=5.6, condition="works",
            size_mm=(120, 55, 32),
        ),
        Donor(
            id="brick-12", name="Plug-top brick 12 V 1 A", family="brick", no_load_V=12.1, rated_A=1.0,
            rated_W=12.0, tolerance=0.05, output_resistance_ohm=0.2, condition="works", size_mm=(70, 45, 30),
            note="feeds its fan and its control, and nothing of what is loaded",
        ),
        Fan(id="fan-80", name="Fan 80 mm 12 V", rated_A=0.14, start_V=6, flow_m3_h=50, loudness_dB=30,
            size_mm=(80, 80, 25), cost=2.0),
        FusePart(id="fuse-6", name="Fuse 6.3 A fast, holder", rated_A=6.3, speed="fast", cost=0.9),
        LeadPart(
            id="lead-load", name="Lead 0.8 m, 2.5 mm², lugs", length_m=0.8, area_mm2=2.5, contact_ohm=0.001
        ),
        Multimeter(
            id="bench-ammeter", name="Bench ammeter 10 A", condition="works",
            ranges=(
                MeterRange(quantity="A", full_scale=1, accuracy=FINE),
                MeterRange(quantity="A", full_scale=10, accuracy=COARSE),
            ),
        ),
        *bench_parts(),
    )  # fmt: skip
    design = Design(
        links=(
            UnitLink(id="brick", name="Laptop brick", part="brick-19"),
            LeadLink(id="lead", name="Load lead", part="lead-load", fed_by="brick"),
            FuseLink(id="fuse", name="Fuse 6.3 A", part="fuse-6", fed_by="lead"),
            LoadLink(
                id="test-load", name="TEST LOAD", part="own-sink", fed_by="fuse", nominal_V=19,
                full_load_A=3.0, tolerance=0.05,
            ),
            UnitLink(id="control", name="Control brick", part="brick-12"),
            FanLink(id="fan", name="Fan", part="fan-80", fed_by="control", control="always"),
        )
    )  # fmt: skip
    roles = {**ROLES, "load": "own-sink", "ammeter": "bench-ammeter", "other_loads": ()}
    return Job(
        demo=True,
        name=TITLES["test-load"],
        place="Fellmoor Observatory",
        settings=Settings(
            ambient_C=22.0, box_K_W=0.3, box=BoxRecord(length_mm=220, width_mm=180, height_mm=110)
        ),
        stock=stock,
        design=design,
        campaign=Campaign(
            tests=(OwnLoad(id="own-load", output="test-load", hold_s=1200.0),),
            probes=("test-load-case", "test-load-sink", "ambient"),
            **roles,
        ),
    )  # fmt: skip
