"""Dome workshop supply: a 24-pin PC supply for a shutter, a light panel and a weather mast, and a 24 V unit
of its own for red lights.

Its 12 V rail climbs out of its band when only the 5 V side is loaded, and one contact of the harness is
worse than its neighbours. All names, labels and figures are invented.
"""

from tensimeter.core.model.job import Campaign, Job
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.fuse import FusePart
from tensimeter.core.parts.lead import LeadPart
from tensimeter.core.parts.plain_loads import Device, Motor
from tensimeter.core.parts.rail import CombinedLimit, Coupling, Rail
from tensimeter.core.parts.rails import RailSupply
from tensimeter.core.path import Design, FuseLink, LeadLink, OutputLink, UnitLink
from tensimeter.core.settings import Policy, Settings
from tensimeter.demo.bench_parts import ROLES, bench_parts
from tensimeter.demo.names import TITLES

#: What the builder does not know: the shutter's contact is six times worse than it should be.
TRUTHS: dict[tuple[str, str], float] = {
    ("rail-12", "emf"): 12.06,
    ("rail-5", "emf"): 5.05,
    ("shutter-lead", "contact"): 0.048,
    ("panel-lead", "contact"): 0.0085,
}


def _supply() -> RailSupply:
    return RailSupply(
        id="pc-450",
        name="24-pin PC supply, 450 W",
        rails=(
            Rail(name="12 V", volts=12.04, rated_A=18, output_resistance_ohm=0.011, wires=2, minimum_A=0.3),
            Rail(name="5 V", volts=5.04, rated_A=25, output_resistance_ohm=0.006, wires=5, minimum_A=1.0),
            Rail(name="3.3 V", volts=3.31, rated_A=20, output_resistance_ohm=0.005, wires=3),
        ),
        couplings=(
            Coupling(rail="12 V", other="5 V", ohm=-0.045),
            Coupling(rail="5 V", other="12 V", ohm=-0.004),
        ),
        combined=(
            CombinedLimit(rails=("5 V", "3.3 V"), watts=130),
            CombinedLimit(rails=("12 V",), watts=216),
        ),
        condition="works",
        note="runs while its enable line is pulled to common; the standby rail is live whenever plugged in",
        origins={"rails": "measured"},
    )


def _design() -> Design:
    return Design(
        links=(
            UnitLink(id="rail-12", name="12 V rail", part="pc-450", rail="12 V"),
            UnitLink(id="rail-5", name="5 V rail", part="pc-450", rail="5 V"),
            FuseLink(id="shutter-fuse", name="Fuse 10 A", part="fuse-10", fed_by="rail-12"),
            LeadLink(id="shutter-lead", name="Shutter lead", part="lead-shutter", fed_by="shutter-fuse"),
            OutputLink(
                id="shutter", name="SHUTTER", fed_by="shutter-lead", nominal_V=12, full_load_A=6,
                tolerance=0.05, regulation_limit=0.05, device_min_V=10.8, device_max_V=12.6,
                device="shutter-motor",
            ),
            LeadLink(id="mast-lead", name="Mast lead", part="lead-mast", fed_by="rail-12"),
            OutputLink(
                id="mast", name="WEATHER MAST", fed_by="mast-lead", nominal_V=12, full_load_A=0.8,
                tolerance=0.05, regulation_limit=0.06,
            ),
            LeadLink(id="panel-lead", name="Panel lead", part="lead-panel", fed_by="rail-5"),
            OutputLink(
                id="panel", name="LIGHT PANEL", fed_by="panel-lead", nominal_V=5, full_load_A=14,
                tolerance=0.05, regulation_limit=0.06, device="flat-panel",
            ),
            UnitLink(id="lights-unit", name="Lights unit", part="unit-24"),
            FuseLink(id="lights-fuse", name="Fuse 3 A", part="fuse-3", fed_by="lights-unit"),
            LeadLink(id="lights-lead", name="Lights lead", part="lead-lights", fed_by="lights-fuse"),
            OutputLink(
                id="lights", name="RED LIGHTS", fed_by="lights-lead", nominal_V=24, full_load_A=1.5,
                tolerance=0.05, regulation_limit=0.04,
            ),
        )
    )  # fmt: skip


def job() -> Job:
    """The job as its builder has written it down."""
    stock = (
        _supply(),
        FusePart(id="fuse-10", name="Fuse 10 A slow, holder", rated_A=10, cost=1.3),
        LeadPart(
            id="lead-shutter", name="Lead 2.5 m, 2.5 mm²", length_m=2.5, area_mm2=2.5, contact_ohm=0.002
        ),
        LeadPart(id="lead-mast", name="Lead 6 m, 1 mm²", length_m=6, area_mm2=1.0, contact_ohm=0.002),
        Donor(
            id="unit-24",
            name="Enclosed 24 V 60 W",
            no_load_V=24.15,
            rated_A=2.5,
            rated_W=60,
            output_resistance_ohm=0.035,
            limit_A=3.1,
            beyond="hiccup",
            trip_V=29.0,
            cost=4.0,
            size_mm=(110, 78, 36),
        ),
        FusePart(id="fuse-3", name="Fuse 3 A slow, holder", rated_A=3, cost=0.9),
        LeadPart(id="lead-lights", name="Lead 4 m, 1 mm²", length_m=4, area_mm2=1.0, contact_ohm=0.002),
        LeadPart(id="lead-panel", name="Lead 0.6 m, 6 mm²", length_m=0.6, area_mm2=6.0, contact_ohm=0.0015),
        Motor(id="shutter-motor", name="Shutter actuator", rated_V=12, rated_A=5, start_factor=2.0),
        Device(
            id="flat-panel", name="Flat-field panel", draws_A=13.5, lowest_V=4.5, highest_V=5.5, steep=True
        ),
        *bench_parts(),
    )
    tests = (
        LoadRegulation(id="load-regulation", output="shutter"),
        LoadRegulation(id="load-regulation-panel", output="panel"),
        LoadRegulation(id="load-regulation-mast", output="mast"),
        LoadRegulation(id="load-regulation-lights", output="lights"),
    )
    return Job(
        demo=True,
        name=TITLES["dome-workshop"],
        place="Fellmoor Observatory",
        settings=Settings(ambient_C=15.0),
        stock=stock,
        design=_design(),
        policy=Policy(reference="negative_bonded"),
        campaign=Campaign(tests=tests, **ROLES),
    )
