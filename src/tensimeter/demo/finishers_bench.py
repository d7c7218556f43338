"""Finisher's bench: a tapped transformer, rectifier and linear regulator for anodising and coolers.

On the upper tap the regulator burns more than its sink can shed at low volts; on the lower one it drops
out in the valleys before the top of its range. All names, labels and figures are invented.
"""

from tensimeter.core.job.design import ConverterLink, Design, FuseLink, LeadLink, OutputLink, UnitLink
from tensimeter.core.job.document import Campaign, Job, LoadRegulation, Settings
from tensimeter.core.job.parts import Converter, FusePart, LeadPart, Transformer
from tensimeter.demo.bench_parts import bench_parts

#: What the builder does not know: the regulator's reference and a tired clamp.
TRUTHS: dict[tuple[str, str], float] = {
    ("regulator", "set_V"): 12.04,
    ("regulator", "resistance"): 0.006,
    ("clamp-lead", "contact"): 0.011,
}


def job() -> Job:
    """The job as its builder has written it down."""
    stock = (
        Transformer(
            id="two-taps", name="Transformer 13 V and 25 V, 4 A", tap_V=(13.4, 25.6), resistance_ohm=0.55,
            rated_A=4.0, capacitance_F=0.0068, esr_ohm=0.03, capacitor_V=50, condition="works",
            note="with bridge and reservoir; taken from a discarded amplifier",
        ),
        Converter(
            id="linear", name="Linear regulator 0 to 20 V 2 A", topology="linear", out_min_V=0.1,
            out_max_V=20, in_max_V=45, rated_A=2.0, dropout_V=2.2, loss_fixed_W=0.25, loss_per_A=0.0,
            output_resistance_ohm=0.005, switch_K_W=1.1, sink_K_W=1.5, sink_J_K=420, hot_limit_C=125,
        ),
        FusePart(id="fuse-3", name="Fuse 3.15 A fast, holder", rated_A=3.15, speed="fast", cost=0.9),
        LeadPart(
            id="lead-clamp", name="Lead 1.2 m, 1.5 mm², clamps", length_m=1.2, area_mm2=1.5, contact_ohm=0.002
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
            LeadLink(id="clamp-lead", name="Clamp lead", part="lead-clamp", fed_by="fuse"),
            OutputLink(
                id="bath", name="BATH", fed_by="clamp-lead", nominal_V=12, full_load_A=1.5, tolerance=0.05,
                regulation_limit=0.03, adjustable=True,
            ),
        )
    )  # fmt: skip
    return Job(
        name="Finisher's bench",
        place="Fellmoor Observatory",
        settings=Settings(ambient_C=22.0, box_K_W=0.12),
        stock=stock,
        design=design,
        campaign=Campaign(
            tests=(LoadRegulation(id="load-regulation", output="bath"),),
            load="sink-150", voltmeter="bench-meter", ammeter="sink-150", thermometer="probe-k",
        ),
    )  # fmt: skip
