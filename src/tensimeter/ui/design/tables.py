"""The tables of faults and of variants, each figure with its why."""

from collections.abc import Callable

from tensimeter.core.circuit.connected import connected
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.design.failures import Failure, failures
from tensimeter.core.design.variants import Compared, compared
from tensimeter.core.model.job import Job
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import fixed, show
from tensimeter.ui.parts.why_table import Cell, WhyTable


def fault_table(job: Job) -> WhyTable:
    """Every link open and shorted, those that nothing guards on top."""
    outputs = job.design.outputs()
    columns = ("fault", "what acts", *(o.name for o in outputs), "leaves")
    table = WhyTable(columns, "faults", range(2, 2 + len(outputs)))
    table.widths(164, 136)
    for fault in sorted(failures(job), key=lambda f: not f.unguarded):
        missed = [1] if fault.unguarded else []
        cells: list[Cell] = [(f"{fault.name} {fault.how}", None), (_acts(fault), None)]
        for k, output in enumerate(outputs, 2):
            above = output.name in fault.harm
            mark, volts = "↑ " if above else "", _shown_V(fault, output)
            cells.append((f"{mark}{fixed(volts, 'V', 2)}", _why_fault(job, fault, output)))
            missed += [k] if above else []
        table.add([*cells, (fault.leaves, None)], tuple(missed))
    return table


def _shown_V(fault: Failure, output: OutputLink) -> float:
    """The most that stands where it harms, else what stands at full load."""
    return fault.harm[output.name][0] if output.name in fault.harm else fault.volts[output.id]


def _acts(fault: Failure) -> str:
    if fault.unguarded:
        return "nothing acts"
    timed = fault.speed not in ("–", "never") and fault.speed not in fault.acts
    return f"{fault.acts}, {fault.speed}" if timed else fault.acts


def _why_fault(job: Job, fault: Failure, output: OutputLink) -> Callable[[], Derivation]:
    def why() -> Derivation:
        stands = connected(job, output).highest_V or output.nominal_V * (1 + 2 * output.tolerance)
        state = fault.harm.get(output.name, (0.0, "every output draws its full load"))[1]
        given = (
            Input("U_nom", "nominal", output.nominal_V, "V"),
            Input("U_most", "what its device stands, or else twice its tolerance", stands, "V"),
        )
        return Derivation(
            f"{output.name} when {fault.name} fails {fault.how}",
            "the whole path solved with this one fault in it",
            given,
            _shown_V(fault, output),
            "V",
            (f"{state}; what is behind an open link is dead",),
            "Kirchhoff's laws",
        )

    return why


def variant_table(job: Job, output: str) -> WhyTable:
    """The variant in hand and the others, at full load."""
    columns = ("variant", "volts", "for good", "wall", "hottest", "cost", "gives up first")
    table = WhyTable(columns, "variants", range(1, 6))
    for row in compared(job, output):
        name = row.name + (" · in hand" if row.name == job.variant else "")
        hottest = fixed(row.hottest_C, "C", 0) if row.hottest_C is not None else "not known"
        table.add(
            [
                (name, None),
                (fixed(row.volts, "V"), _why_variant(row, "Volts at full load", row.volts, "V")),
                (show(row.continuous_A, "A", 3), _why_variant(row, "Amps for good", row.continuous_A, "A")),
                (fixed(row.wall_W, "W", 0), _why_variant(row, "From the wall", row.wall_W, "W")),
                (hottest, _why_variant(row, "Hottest place", row.hottest_C or 0.0, "C")),
                (fixed(row.cost, "", 2), _why_variant(row, "Cost of what is in the path", row.cost, "")),
                (f"{row.gives_up_first}, {show(row.used, '%', 3)}", None),
            ]
        )
    return table


def _why_variant(row: Compared, what: str, value: float, unit: str) -> Callable[[], Derivation]:
    formulas = {
        "Amps for good": f"the largest current at which no limit is passed; then {row.stops}",
        "Cost of what is in the path": "the sum of the costs on the cards, own money",
    }
    formula = formulas.get(what, "this variant's path solved with every output at full load")
    return lambda: Derivation(f"{what}: {row.name}", formula, (), value, unit)
