"""What does not hold of a flyback, and what can't be told of it, a sentence each."""

from tensimeter.core.electrical.flyback_core import MOST_FILL
from tensimeter.core.electrical.flyback_design import Flyback
from tensimeter.core.quantity import show

#: A converter whose mains side is one's own: said with every one of them.
MAINS = (
    "Its primary side is mains: work behind an isolating transformer, discharge the bulk capacitor and "
    "measure it again, prove the insulation with a tester before first power. Local codes and licensed "
    "practice come before this computation."
)
#: How far another output may stray by its turns, and how far L may fall short, before it is said.
STRAYS, FALLS_SHORT = 0.03, 0.7
#: A gap longer than this share of the pole is said: how its field spreads is only a rule of thumb there.
LONG_GAP = 0.2


def wrong(found: Flyback) -> list[str]:
    """What does not hold."""
    said, wanted, worst = [], found.wanted, found.worst
    if found.flux_T > wanted.core.flux_T * (1 + 1e-9):
        said.append(
            f"The core saturates at the current limit: {show(found.limit_A, 'A')} make {found.flux_T:.3g} T "
            f"and it bears {wanted.core.flux_T:.3g} T hot. More turns with a larger gap, or a lower limit."
        )
    if worst.peak_A > found.limit_A:
        said.append(
            f"Full load needs {show(worst.peak_A, 'A')} at the valley and the limit cuts at "
            f"{show(found.limit_A, 'A')}: it gives {show(found.most_W, 'W')} there."
        )
    if found.primary_H < FALLS_SHORT * wanted.primary_H:
        said.append(
            f"The primary has {show(found.primary_H, 'H')} where {show(wanted.primary_H, 'H')} are wanted: "
            f"the gap is too large, and amps rise to {show(worst.peak_A, 'A')} for the same watts."
        )
    if found.fill > MOST_FILL:
        said.append(f"Copper fills {100 * found.fill:.0f} % of the window; above 40 % it does not go in.")
    for k, (output, turns) in enumerate(zip(wanted.outputs, found.turns, strict=True)):
        off = found.volts_of(turns) / output.volts - 1
        if abs(off) > STRAYS:
            volts = f"{found.volts_of(turns):.3g} V by whole turns, {100 * off:+.0f} %"
            said.append(f"Output {k + 1} comes to {volts}.")
    holds, coasts = found.aux_holds_s(), found.coasts_s()
    if holds is not None and coasts is not None and coasts > holds:
        said.append(
            f"The aux winding starves at no load: the output needs no pulse for {show(coasts, 's')} and its "
            f"capacitor keeps the control for {show(holds, 's')}. A least load, or a larger capacitor."
        )
    return said


def unknown(found: Flyback) -> list[str]:
    """What can't be told, and what is to be minded though it holds."""
    said, wanted, worst = [], found.wanted, found.worst
    if wanted.aux is None:
        said.append("No aux winding is stated: what its control lives on is not judged.")
    elif found.aux_turns is None:
        said.append("The turns of the aux winding are not stated: its volts are not judged.")
    elif found.aux_holds_s() is None or found.coasts_s() is None:
        said.append(
            "Whether the aux winding starves at no load can't be told without the least load, the capacitors "
            "of output and aux, and the least volts of its control: take it that it does."
        )
    pole = wanted.core.pole_m
    if found.gap_m > LONG_GAP * pole:
        said.append(
            f"The gap is {found.gap_m * 1e3:.2g} mm, {100 * found.gap_m / pole:.0f} % of the pole’s breadth: "
            "its field spreads beyond what is counted here, the inductance may be other by a fifth "
            "and more, and copper near it gets hot. Measure it as wound; a lower peak, a higher frequency or "
            "a larger core takes a shorter one."
        )
    if worst.continuous and worst.duty > 0.5:
        said.append("Above half duty a peak-current control needs its slope compensated.")
    if wanted.limit_A is None:
        said.append("The current limit is not stated: 1.2 times the highest peak is taken, a rule of thumb.")
    return [*said, MAINS]
