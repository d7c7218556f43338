"""What does not hold of a linear stage that one makes, and what is to be minded, a sentence each."""

import math

from tensimeter.core.electrical.linear_stage import DIODES_FROM_F, SHARES_WITHIN, LinearStage
from tensimeter.core.electrical.sink_loop import LEAST_MARGIN
from tensimeter.core.quantity import show


def wrong(stage: LinearStage) -> list[str]:
    """What does not hold."""
    said = []
    if stage.in_high_V > stage.in_stands_V:
        said.append(
            f"Its input comes to {show(stage.in_high_V, 'V')} and it stands {show(stage.in_stands_V, 'V')}."
        )
    for words, volts, amps, hot_C in stage.worst_points:
        if hot_C > stage.hottest_C:
            said.append(
                f"The hottest junction comes to {hot_C:.0f} °C {words} ({show(volts, 'V')}, "
                f"{show(amps, 'A')}) "
                f"and stands {stage.hottest_C:.0f} °C. A larger sink, a lower input or tap, or a limit that "
                "folds back."
            )
    if stage.most_V < stage.divider.span_V[1]:
        said.append(
            f"At its lowest input it gives {show(stage.most_V, 'V')} of "
            f"{show(stage.divider.span_V[1], 'V')}: it "
            f"needs {show(stage.dropout_V, 'V')} across itself."
        )
    if stage.limit and stage.limit.amps(stage.divider.span_V[1]) < stage.amps:
        held = stage.limit.amps(stage.divider.span_V[1])
        said.append(
            f"Its limit lies at {show(held, 'A')}, below the {show(stage.amps, 'A')} that are wanted."
        )
    if math.isinf(stage.divider.open_wiper_V):
        said.append(
            "A wiper that lifts off its track sends the output to the input. Put the pot into the other "
            "leg, or "
            "tie its wiper to the end that is lower."
        )
    said += _of_its_feed(stage)
    share, margin = min(stage.margins, key=lambda row: row[1], default=(1.0, 180.0))
    if margin == -180.0:
        said.append(
            f"Its loop oscillates at {100 * share:.0f} % of its amps: a larger integrator, or an output "
            "capacitor with more ESR."
        )
    return said


def _of_its_feed(stage: LinearStage) -> list[str]:
    """What does not hold of the taps or the pre-regulator before it."""
    said = []
    taps = stage.taps
    if taps and taps.hysteresis_V <= 0:
        said.append("Its relay has no hysteresis: at its switching volts it chatters.")
    if taps and taps.lower_high_V < taps.up_V:
        said.append(
            f"The lower tap gives {show(taps.lower_high_V, 'V')} and feeds up to {show(taps.up_V, 'V')} out."
        )
    if stage.tracks_V is not None and stage.tracks_V < stage.dropout_V:
        said.append(
            f"Its pre-regulator leaves {show(stage.tracks_V, 'V')} and it needs {show(stage.dropout_V, 'V')}."
        )
    return said


def minded(stage: LinearStage) -> list[str]:
    """What holds and is to be minded, or can't be told."""
    said = []
    if stage.devices > 1 and stage.share > (1 + SHARES_WITHIN) / stage.devices:
        said.append(
            f"One of {stage.devices} devices takes {100 * stage.share:.0f} % of the amps: more ballast "
            "evens them out."
        )
    if stage.least_A > stage.divider.draws_A:
        said.append(
            f"It must be loaded with {show(stage.least_A, 'A')} and its divider draws "
            f"{show(stage.divider.draws_A, 'A')}: without load its volts climb."
        )
    if stage.follower is None and stage.output_F > DIODES_FROM_F and not stage.diodes:
        said.append(
            f"{show(stage.output_F, 'F')} at its output push back as the input falls: a diode from output "
            "to input, "
            "and one at the adjust pin’s capacitor."
        )
    if stage.limit is None:
        said.append("No current limit is stated: into a short it drives what its source can.")
    share, margin = min(stage.margins, key=lambda row: row[1], default=(1.0, 180.0))
    if -180.0 < margin < LEAST_MARGIN:
        said.append(
            f"Phase margin {margin:.0f}° at {100 * share:.0f} % of its amps: it rings. "
            f"{LEAST_MARGIN:.0f}° and more are aimed at, a rule of thumb."
        )
    return said
