"""tensimeter tune JOB fan: where a fan starts, the quietest setting that holds, thresholds and a curve."""

from pathlib import Path
from typing import Any

from tensimeter.core.testplan.plan import plans_of
from tensimeter.core.tuning.fan_plan import FanPlan, fan_plan
from tensimeter.core.tuning.fan_words import plan_sentence, sweep_sentence, threshold_sentence
from tensimeter.store.fan_curve import write_curve
from tensimeter.store.jobfile import JobFile


def told_of_fan(path: Path, keep_K: float, curve: Path | None) -> dict[str, Any]:
    """What readings of a fan tell, and what it is to do; with `curve` that is written as well."""
    with JobFile(path, read_only=True) as file:
        plan = fan_plan(file.job, file.readings(), plans_of(file.job), keep_K)
    if curve is not None:
        write_curve(plan, curve)
    return {**_told(plan), **({"written": str(curve)} if curve is not None else {})}


def _told(plan: FanPlan) -> dict[str, Any]:
    sweep, ends, hot = plan.sweep, plan.thresholds, plan.hottest
    at = len(plan.volts) - 1 if plan.quietest is None else plan.quietest
    return {
        "starts_V": sweep.starts,
        "stops_V": sweep.stops,
        "least_V": sweep.least_V,
        "quietest_V": plan.quietest_V,
        "quietest_percent": None if plan.quietest_V is None else 100 * sweep.speed(plan.quietest_V),
        "loudness_dB": None if plan.quietest_V is None else sweep.loud_dB(plan.quietest_V),
        "hottest": hot.link,
        "hottest_C": float(hot.hot_C[at]),
        "limit_C": float(hot.limit_C[at]),
        "worst": hot.states[at].words,
        "on_C": ends[0] if ends else None,
        "off_C": ends[1] if ends else None,
        "holds": plan.quietest is not None,
        "pretended": sweep.pretended,
        "curve": [
            {
                "sink_C": p.sink_C,
                "fan_V": p.volts,
                "speed_percent": 100 * p.speed,
                "loudness_dB": p.loud_dB,
                "until_C": p.sink_C - plan.back_K,
            }
            for p in plan.curve
        ],
        "warnings": [s for s in (sweep_sentence(sweep), plan_sentence(plan), threshold_sentence(plan)) if s],
    }
