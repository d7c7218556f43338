"""What does not hold of a home-made load, and what is to be minded of it, a sentence each."""

import math

from tensimeter.core.electrical.made_sink import MadeSink
from tensimeter.core.electrical.sink_load import SHUNT_SHARE
from tensimeter.core.electrical.sink_loop import LEAST_MARGIN
from tensimeter.core.quantity import show

ONE_GATE = (
    "One gate for {} devices is refused: a threshold falls as a device warms, and the warmest takes ever "
    "more. "
    "Give each its own shunt and amplifier."
)
NO_CURVE = "Without a published DC curve no device is used: nobody knows what it stands."
#: How near to −1 a loop may come before it is said; over what is set by how much a start may go.
NEAR, OVER = 0.5, 1.2


def wrong(made: MadeSink) -> list[str]:
    """What does not hold."""
    sink, said = made.sink, []
    if not sink.holds:
        said.append(
            f"It does not hold {show(sink.watts, 'W')} for good: "
            + (
                f"a junction comes to {sink.junction_C.max():.0f} °C"
                if sink.junction_C.max() > sink.device.hottest_C
                else f"its DC curve allows {sink.soa_margin:.2f} of what is wanted at its worst volts"
            )
            + f". {show(made.sink.continuous_W(), 'W')} it does; more devices, or a larger sink."
        )
    elif made.unequal_C > sink.device.hottest_C:
        said.append(
            f"With its shunts at the ends of tolerance one junction comes to {made.unequal_C:.0f} °C of "
            f"{sink.device.hottest_C:.0f} °C. Closer shunts, or a larger sink."
        )
    if sink.shunt_W > SHUNT_SHARE * made.shunt.rated_W:
        said.append(
            f"Each shunt takes {sink.shunt_W:.3g} W of {made.shunt.rated_W:.3g} W: half of that is used at "
            "the "
            "most."
        )
    margin = made.gate_margin_V
    if margin is not None and margin <= 0:
        said.append(
            f"The gates lack {-margin:.3g} V: the devices do not turn on as far as they must. A higher "
            "supply of "
            "the amplifier, or devices with a lower threshold."
        )
    elif made.lowest_V > sink.volts:
        said.append("Its lowest volts lie above the volts that it is made for.")
    for scale, what in ((made.set_by, "What sets it"), (made.read_by, "What measures it")):
        if scale and scale.full_V < sink.shunt_V:
            said.append(
                f"{what} ends at {scale.full_V:.3g} V; a shunt has {sink.shunt_V:.3g} V at full amps."
            )
    return [*said, *_of_loop(made)]


def _of_loop(made: MadeSink) -> list[str]:
    """What does not hold of its loop."""
    if not made.margins:
        return []
    share, margin, _ = min(made.margins, key=lambda row: row[1])
    if margin <= 0:
        return [
            f"Its loop oscillates at {100 * share:.0f} % of its amps. A slower integrator, a larger gate "
            "resistor, "
            "shorter leads, or a resistor and capacitor across each device."
        ]
    return []


def minded(made: MadeSink) -> list[str]:
    """What holds and is to be minded, or can't be told."""
    sink, said = made.sink, []
    if sink.device.switching:
        said.append("Half of the DC curve is counted on of a part made for switching: a rule of thumb.")
    if made.margins:
        share, margin, near = min(made.margins, key=lambda row: min(row[1] / LEAST_MARGIN, row[2] / NEAR))
        if 0 < margin < LEAST_MARGIN:
            said.append(
                f"Phase margin {margin:.0f}° at {100 * share:.0f} % of its amps: it rings. "
                f"{LEAST_MARGIN:.0f}° and "
                "more are aimed at, a rule of thumb."
            )
        elif margin > 0 and near < NEAR:
            said.append(
                "Its loop comes near to oscillating at a resonance of leads and devices, whatever its "
                "phase margin "
                "says: shorter leads, or a resistor and capacitor across each device."
            )
    if made.start and made.start.peak_A > OVER * sink.amps:
        said.append(
            f"Set before its source comes, it takes {show(made.start.peak_A, 'A')} for "
            f"{show(made.start.above_s, 's')}: its integrator is wound up. Switch the load on when the "
            "source is "
            "up, clamp the integrator, or raise what is set slowly."
        )
    elif made.start is None and made.margins and min(m for _, m, _ in made.margins) > 0:
        said.append("How far it overshoots as its source comes can't be told: switch it on after its source.")
    stands = made.without_fan()
    if stands:
        watts, minutes = stands
        when = "" if minutes is None or math.isinf(minutes) else f", and {minutes:.2g} min at full watts"
        said.append(f"With its fan standing it holds {show(watts, 'W')} for good{when}.")
    return said
