"""Ridge pier supply: two salvaged 24 V units in a stack, a front end, three outputs.

All names, labels and figures are invented.
"""

from msgspec.structs import replace

from tensimeter.core.analysis.current_limit import LimitKind
from tensimeter.core.model.heat_tests import Soak
from tensimeter.core.model.job import Campaign, Job
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.parts.converter import Converter
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.figures import HotPoint
from tensimeter.core.parts.fuse import FusePart
from tensimeter.core.parts.lead import LeadPart
from tensimeter.core.parts.registry import Part
from tensimeter.core.path import ConverterLink, Design, FuseLink, LeadLink, OutputLink, UnitLink
from tensimeter.core.settings import BoxRecord, Settings
from tensimeter.demo.bench_parts import ROLES, bench_parts
from tensimeter.demo.names import TITLES
from tensimeter.simulation.behaviour import Behaviour
from tensimeter.simulation.hand import HiddenDisplay, HiddenTuning
from tensimeter.simulation.warmth import HiddenHeat

#: What the builder does not know: element, field, true figure.
TRUTHS: dict[tuple[str, str], float] = {
    ("donor-a", "emf"): 24.09,
    ("donor-b", "emf"): 24.21,
    ("front-end", "set_V"): 13.570,
    ("front-end", "resistance"): 0.0047,
    ("front-end", "limit_A"): 10.62,
    ("mount-lead", "contact"): 0.0088,
    ("dew-module", "set_V"): 11.96,
    ("hub-module", "set_V"): 5.187,
    ("hub-lead", "contact"): 0.031,
}
#: What is hidden of its heat: the front end's switch sits on a badly seated pad. The junction dies some
#: forty minutes after full load came on. Reseated, the pad is a little better than the design hoped.
HEAT = HiddenHeat(
    pad_K_W={"front-end": 5.6},
    sink_K_W={"front-end": 6.2},
    sink_J_K={"front-end": 232.0},
    case_J_K={"front-end": 13.0},
    dies_C={"front-end": 114.5},
    lag_s={"front-end-case": 4.0, "front-end-sink": 6.0},
)
RESEATED = replace(HEAT, pad_K_W={"front-end": 1.8})
#: The hub's own ammeter reads low by six in a hundred; a tenth of the mount's current goes back another way.
TUNING = HiddenTuning(
    displays={
        ("hub-panel", "A"): HiddenDisplay(gain=0.94),
        ("mount-panel", "A"): HiddenDisplay(second_return=0.1),
        ("mount-panel", "V"): HiddenDisplay(offset=-0.03),
    }
)
#: What its outputs do past their steady volts: the front end limits, one module folds back, one hiccups.
BEHAVIOURS: dict[str, Behaviour] = {
    "mount": Behaviour(
        trip_V=15.42,
        mains_ripple_V=0.006,
        switching_Hz=117e3,
        switching_V=0.009,
        spike_V=0.09,
        spike_s=60e-9,
        step_ohm=0.075,
        recover_s=3.4e-4,
        line_share=0.0012,
        overshoot=0.012,
        start_s=0.61,
    ),
    "dew": Behaviour(
        limit=LimitKind.FOLDBACK,
        limit_A=3.38,
        short_share=0.38,
        switching_Hz=152e3,
        switching_V=0.014,
        step_ohm=0.11,
        recover_s=6e-4,
        line_share=0.002,
        start_s=0.66,
    ),
    "hub": Behaviour(
        limit=LimitKind.HICCUP,
        limit_A=2.83,
        period_s=0.72,
        duty=0.24,
        trip_V=6.05,
        switching_Hz=340e3,
        switching_V=0.006,
        line_share=0.0008,
        overshoot=0.03,
        start_s=0.48,
    ),
}


def _donors() -> tuple[Part, ...]:
    label = {"no_load_V": "measured", "rated_A": "label", "rated_W": "label"}
    common = {
        "rated_A": 6.3,
        "rated_W": 150.0,
        "output_resistance_ohm": 0.018,
        "limit_A": 7.4,
        "beyond": "hiccup",
        "trip_V": 30.0,
        "efficiency": 0.87,
        "condition": "works",
        "size_mm": (199, 98, 38),
        "origins": label,
    }
    return (
        Donor(id="enclosed-a", name="Enclosed 24 V 150 W, A", no_load_V=24.1, cost=6.0, **common),
        Donor(
            id="enclosed-b",
            name="Enclosed 24 V 150 W, B",
            no_load_V=24.2,
            cost=6.0,
            note="another revision of the label than A",
            **common,
        ),
    )


def _modules() -> tuple[Part, ...]:
    return (
        Converter(
            id="front-end-40",
            name="CC/CV front end 40 V 12 A",
            out_max_V=40,
            in_max_V=60,
            rated_A=12,
            rated_W=320,
            dropout_V=1.5,
            loss_fixed_W=1.3,
            loss_per_A=0.42,
            loss_per_A2=0.055,
            output_resistance_ohm=0.004,
            switch_K_W=2.9,
            junction_K_W=0.9,
            hot_derating=(HotPoint(hot_C=60, amps=16), HotPoint(hot_C=105, amps=11)),
            sink_K_W=6.0,
            sink_J_K=220.0,
            hot_limit_C=105.0,
            cost=19.5,
            condition="works",
            size_mm=(115, 80, 45),
        ),
        Converter(
            id="step-down-5a",
            name="Step-down module 5 A, limited",
            out_min_V=1.25,
            out_max_V=36,
            in_max_V=58,
            rated_A=5,
            rated_W=75,
            dropout_V=1.2,
            loss_fixed_W=0.4,
            loss_per_A=0.55,
            loss_per_A2=0.08,
            output_resistance_ohm=0.012,
            cost=3.2,
            size_mm=(65, 48, 26),
        ),
        Converter(
            id="step-down-3a",
            name="Step-down module 3 A",
            out_min_V=1.25,
            out_max_V=30,
            in_max_V=58,
            rated_A=3,
            dropout_V=1.4,
            loss_fixed_W=0.25,
            loss_per_A=0.5,
            loss_per_A2=0.1,
            output_resistance_ohm=0.015,
            cost=1.9,
            size_mm=(45, 21, 14),
        ),
    )


def _joining() -> tuple[Part, ...]:
    return (
        FusePart(id="fuse-16", name="Fuse 16 A slow, holder", rated_A=16, resistance_ohm=0.0061, cost=1.4),
        FusePart(id="fuse-4", name="Fuse 4 A slow, holder", rated_A=4, cost=1.2),
        LeadPart(
            id="lead-2m", name="Lead 2 m, 2.5 mm²", length_m=2, area_mm2=2.5, contact_ohm=0.0015, cost=4.0
        ),
        LeadPart(
            id="lead-3m", name="Lead 3 m, 0.75 mm²", length_m=3, area_mm2=0.75, contact_ohm=0.002, cost=2.0
        ),
        LeadPart(
            id="lead-hub",
            name="Lead 1.5 m, 16 AWG",
            length_m=1.5,
            area_mm2=1.309,
            contact_ohm=0.002,
            cost=2.0,
        ),
    )


def _design() -> Design:
    return Design(
        links=(
            UnitLink(id="donor-a", name="Donor A", part="enclosed-a"),
            UnitLink(id="donor-b", name="Donor B", part="enclosed-b", fed_by="donor-a"),
            ConverterLink(
                id="front-end",
                name="Front end",
                part="front-end-40",
                fed_by="donor-b",
                set_V=13.6,
                limit_A=11,
            ),
            FuseLink(id="mount-fuse", name="Fuse 16 A", part="fuse-16", fed_by="front-end"),
            LeadLink(id="mount-lead", name="Lead 2 m", part="lead-2m", fed_by="mount-fuse"),
            OutputLink(
                id="mount",
                name="MOUNT",
                fed_by="mount-lead",
                nominal_V=13.6,
                tolerance=0.03,
                full_load_A=8,
                regulation_limit=0.035,
                adjustable=True,
                device_min_V=12,
                device_max_V=15,
            ),
            ConverterLink(
                id="dew-module",
                name="Dew module",
                part="step-down-5a",
                fed_by="donor-b",
                set_V=12.0,
                limit_A=3.5,
            ),
            LeadLink(id="dew-lead", name="Dew lead", part="lead-3m", fed_by="dew-module"),
            OutputLink(
                id="dew",
                name="DEW HEATER",
                fed_by="dew-lead",
                nominal_V=12,
                tolerance=0.1,
                full_load_A=3,
                regulation_limit=0.06,
            ),
            ConverterLink(
                id="hub-module", name="Hub module", part="step-down-3a", fed_by="donor-a", set_V=5.2
            ),
            LeadLink(id="hub-lead", name="Hub lead", part="lead-hub", fed_by="hub-module"),
            OutputLink(
                id="hub",
                name="CAMERA HUB",
                fed_by="hub-lead",
                nominal_V=5.2,
                tolerance=0.04,
                full_load_A=2,
                regulation_limit=0.04,
                device_min_V=4.75,
                device_max_V=5.4,
            ),
        )
    )


def job() -> Job:
    """The job as its builder has written it down."""
    tests = (
        LoadRegulation(id="load-regulation", output="mount"),
        LoadRegulation(id="load-regulation-dew", output="dew"),
        LoadRegulation(id="load-regulation-hub", output="hub"),
        Soak(id="soak", output="mount", link="front-end", place="front-end-case", part_s=300),
    )
    return Job(
        demo=True,
        name=TITLES["ridge-pier"],
        place="Fellmoor Observatory",
        settings=Settings(
            outdoors=True, lid_off=True, box=BoxRecord(length_mm=320, width_mm=230, height_mm=90)
        ),
        stock=(*_donors(), *_modules(), *_joining(), *bench_parts()),
        design=_design(),
        campaign=Campaign(tests=tests, probes=("front-end-case", "front-end-sink", "ambient"), **ROLES),
    )
