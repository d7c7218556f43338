"""What a fan is to do, in words, as a picture, and as a table that a controller can be given."""

import numpy as np

from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.quantity import show
from tensimeter.core.testplan.picture import Line, Picture, Spot
from tensimeter.core.testplan.step import FAN
from tensimeter.core.tuning.asked import Asked
from tensimeter.core.tuning.fan_plan import LEAST_PERIOD_S, SENSOR_K, FanPlan
from tensimeter.core.tuning.fan_sweep import START_SHARE, FanSweep

#: Shares of its full volts at which a fan is read, up and down.
ASKED_UP = (0.0, 0.2, 0.3, 0.35, 0.4, 0.45, 0.5, 0.6, 0.8, 1.0)
ASKED_DOWN = (0.5, 0.4, 0.35, 0.3, 0.25, 0.2, 0.1)


def fan_asked(sweep: FanSweep) -> list[Asked]:
    """What is to be read of a fan: its turns and its loudness at volts that rise, then fall."""
    found = []
    for share in (*ASKED_UP, *ASKED_DOWN):
        found.append(Asked(FAN, "V", to=round(share * sweep.full_V, 2)))
        found += [Asked(FAN, "rpm"), Asked(FAN, "dB")]
    return found


def sweep_sentence(sweep: FanSweep) -> str:
    """At which volts it starts and stops, and what is fed to be sure."""
    starts, stops = sweep.starts, sweep.stops
    if starts is None:
        label = show(sweep.fan.start_V, "V", 3)
        return (
            f"Its start was not seen yet: its label says {label}, and that is taken. "
            "Raise its volts from rest until it turns; type fan 4V, then fan 0 rpm."
        )
    said = f"It starts between {_between(starts)}"
    if stops is not None:
        said += f" and stands again between {_between(stops)}"
    return f"{said}; it is fed {show(sweep.least_V, 'V', 3)} at the least, {100 * START_SHARE:.0f} % more."


def _between(found: Interval) -> str:
    return f"{show(found.low, 'V', 3)} and {show(found.high, 'V', 3)}"


def plan_sentence(plan: FanPlan) -> str:
    """The quietest setting, and which part decides it."""
    hot, keep = plan.hottest, show(plan.keep_K, "K", 2)
    at = plan.quietest
    k = -1 if at is None else at
    comes, limit = show(float(hot.hot_C[k]), "C", 3), show(float(hot.limit_C[k]), "C", 3)
    worst = hot.states[k].words
    stands = f"{hot.name} comes to {comes} of {limit} at its worst ({worst})"
    if at is None:
        room = plan.job.settings.warmest_C
        short = -float(plan.room_K[-1])
        rise = float(hot.hot_C[-1]) - room
        can = max(float(hot.own_W[-1]) * (rise - short) / rise, 0.0) if rise > 0 else 0.0
        return (
            f"Even at full speed {stands}: {show(short, 'K', 2)} too much to be {keep} under it. "
            f"It may lose {show(can, 'W', 3)} then, and loses {show(float(hot.own_W[-1]), 'W', 3)}: less "
            "load, a better sink or more air; no setting of the fan."
        )
    if at == 0:
        return f"It need not turn: with it at rest {stands}."
    volts = plan.quietest_V or 0.0
    loud = plan.sweep.loud_dB(volts)
    words = f", {show(loud, 'dB', 2)}" if loud is not None else ""
    speed = f"{100 * plan.sweep.speed(volts):.0f} % of its speed"
    return (
        f"The quietest that keeps all parts {keep} under their limits is {show(volts, 'V', 3)} "
        f"({speed}{words}): {stands}."
    )


def threshold_sentence(plan: FanPlan) -> str:
    """At which °C of the sink it comes on and goes off; empty where it need not turn or can't hold."""
    ends = plan.thresholds
    if ends is None:
        return ""
    period = plan.period_s(ends[0] - ends[1])
    often = (
        "it never hunts"
        if np.isinf(period)
        else f"it comes and goes every {show(period, 's', 2)} at the most often"
    )
    names = " and ".join(p.name for p in plan.unseen)
    unseen = f" {names} needs the fan too, and that sensor does not see it." if names else ""
    few = "" if period >= LEAST_PERIOD_S else ", which is often: a curve is calmer"
    return (
        f"As a switch: on at {show(ends[0], 'C', 3)} of {plan.hottest.name}'s sink, off at "
        f"{show(ends[1], 'C', 3)}; {often}{few}. {show(SENSOR_K, 'K', 2)} are left for its sensor.{unseen}"
    )


def sink_sentence(plan: FanPlan) -> str:
    """What rows have shown of a sink; empty where none was read."""
    told = [
        f"{plan.job.design.link(f.link).name}: its sink has {100 * f.share:.0f} % of the K/W it was taken "
        f"for ({f.rows} reading{'s' * (f.rows != 1)}, which lie {100 * f.spread:.0f} % apart)."
        for f in plan.found
    ]
    return " ".join(told)


def fan_worked(plan: FanPlan) -> Derivation:
    """How the quietest setting came about."""
    hot = plan.hottest
    at = len(plan.volts) - 1 if plan.quietest is None else plan.quietest
    return Derivation(
        "The quietest setting of the fan",
        "T = T_air(n) + P·(θ_sink(n) + θ_above) ≤ T_limit − keep",
        (
            Input("n", "share of its full speed", 100 * plan.sweep.speed(float(plan.volts[at])), "%"),
            Input("P", "lost in the part", float(hot.own_W[at]), "W"),
            Input("T_sink", "its sink", float(hot.sink_C[at]), "C"),
            Input("T_limit", "what it may get", float(hot.limit_C[at]), "C"),
            Input("keep", "kept below that", plan.keep_K, "K"),
        ),
        float(hot.hot_C[at]),
        "C",
        (
            "the worst of all states: loads, mains, tolerances, the warmest room, both ends of what is set",
            "a sink's conductance grows with the fan's speed to the power 0.6, a rule of thumb",
            "long after load on",
        ),
        "Thermal resistances in series",
    )


def fan_picture(plan: FanPlan) -> Picture:
    """°C of the hottest part at its worst over the fan's volts, its limit, and the quietest setting."""
    shown = plan.volts > 0
    hot = plan.hottest
    lines = (
        Line(hot.name, plan.volts[shown], hot.hot_C[shown], "prediction"),
        Line("kept under", plan.volts[shown], hot.limit_C[shown] - plan.keep_K, "fit"),
    )
    at = plan.quietest
    k = len(plan.volts) - 1 if at is None else at
    name = "at full speed" if at is None else "quietest" if at else "at rest"
    spots = (Spot(float(plan.volts[k]), float(hot.hot_C[k]), name=name),)
    return Picture("volts of the fan, V", "hottest part, °C", spots, lines)


def as_csv(plan: FanPlan) -> str:
    """The curve as a table: °C of the sink from which on, volts, per cent of full speed, °C down to which."""
    rows = ["sink [degC],fan [V],speed [%],until [degC]"]
    rows += [
        f"{p.sink_C:.1f},{p.volts:.2f},{100 * p.speed:.0f},{p.sink_C - plan.back_K:.1f}" for p in plan.curve
    ]
    return "\n".join(rows) + "\n"


def as_c(plan: FanPlan) -> str:
    """The curve as a plain C array of tenths of a °C and millivolts, to be read off in between."""
    rows = ",\n".join(f"    {{{round(10 * p.sink_C)}, {round(1000 * p.volts)}}}" for p in plan.curve)
    return (
        "/* Fan volts by its sink's temperature: {tenths of a degree C, mV}, rising; straight in between,\n"
        "   off below the first, full above the last. On the way down it keeps its volts until the sink is\n"
        "   fan_back tenths of a degree C colder than on the way up, or it would come and go. */\n"
        f"static const int fan_back = {round(10 * plan.back_K)};\n"
        f"static const int fan_curve[{len(plan.curve)}][2] = {{\n{rows}\n}};\n"
    )
