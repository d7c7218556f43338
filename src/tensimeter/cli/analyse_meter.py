"""tensimeter analyse meter: what a panel meter or a setter is off by, and what to set."""

from pathlib import Path
from typing import Annotated

import typer

from tensimeter.cli.analyse import analyse, resolution, stated_accuracy
from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.core.analysis.comparison import compared
from tensimeter.core.analysis.meter_setting import can_settle, correction
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.quantity import parse
from tensimeter.store.comparisons import read_comparison


@analyse.command("meter")
def analyse_meter(
    file: Path,
    counts: Annotated[str, typer.Option(help="Value of the last digit of what is compared: 0.01.")] = "",
    accuracy: Annotated[str, typer.Option(help="Of the reference: 0.05%+2@0.001.")] = "",
    tolerance: Annotated[str, typer.Option(help="What it is to be within: 1% of its upper end.")] = "",
    lets: Annotated[str, typer.Option(help="What can be set: both, gain, offset or nothing.")] = "both",
    step: Annotated[str, typer.Option(help="The smallest step of what is set.")] = "0",
    constant: Annotated[str, typer.Option(help="A factor in its firmware as it stands.")] = "",
    reference: Annotated[str, typer.Option(help="The reference's column.")] = "",
    panel: Annotated[str, typer.Option(help="The column of what is compared.")] = "",
    json: Json = False,
) -> None:
    """Gain and offset of a meter or a setter held against a reference: true = gain·shown + offset."""
    shown, true, unit = read_comparison(file, reference, panel)
    warnings: list[str] = []
    digit = parse(counts, unit) if counts else resolution(shown)
    if not digit > 0:
        raise UserError("The last digit is above zero: --counts 0.01.")
    standard = stated_accuracy(accuracy, true, "reference", warnings)
    found = compared(shown, true, Accuracy(of_reading=0, resolution=digit), standard)
    share = parse(tolerance) if tolerance else None
    if share is not None and not 0 < share <= 1:
        raise UserError(f"“{tolerance}” is no tolerance; write it like 1%.")
    top = float(abs(true).max())
    settles = can_settle(standard, top, share * top) if share is not None else None
    if settles is False:
        warnings.append(
            "This reference can't settle this tolerance: its own interval is over a quarter of it."
        )
    chosen = correction(found, lets, parse(step) if step else 0.0)
    # For people each figure has its unit; scripts find it beside keys that are always the same.
    tail = f"_{unit}" if unit and not json else ""
    told: dict[str, object] = {
        "gain": found.gain,
        f"offset{tail}": found.offset,
        f"worst_error_before{tail}": found.worst_before,
        f"worst_error_after{tail}": found.worst_after,
        f"residual_rms{tail}": found.residual_rms,
        f"floor{tail}": found.floor,
        f"curvature{tail}": found.curvature,
        f"hysteresis{tail}": found.hysteresis,
        "odd_point": None if found.odd_one is None else found.odd_one + 1,
        "set": {"gain": chosen.gain, f"offset{tail}": chosen.offset, f"error_left{tail}": chosen.left},
        "reference_settles": settles,
        "unit": unit,
        "readings": len(shown),
        "warnings": [*warnings, *found.warnings],
    }
    if constant:
        told["constant"] = {"old": parse(constant), "new": parse(constant) * chosen.gain}
    answer(told, json)
