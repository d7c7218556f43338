"""tensimeter tune: what readings tell of displays, trims, causes, changes and contacts; without a window."""

import math
import time
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer, span
from tensimeter.cli.tune_fan import told_of_fan
from tensimeter.core.analysis.meter_setting import correction
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_check
from tensimeter.core.testplan.meter_checks import USUAL_MONTHS, MeterCheck, as_check, meter_checks
from tensimeter.core.testplan.plan import plans_of
from tensimeter.core.tuning.before_after import TwoRuns, compare, laps
from tensimeter.core.tuning.causes import Cause, Causes, causes
from tensimeter.core.tuning.contacts import Contacts, contacts, redo_sentence
from tensimeter.core.tuning.disagreement import disagreement_of, likeliest
from tensimeter.core.tuning.evidence import HEALTHY, NONE
from tensimeter.core.tuning.fan_plan import KEEP_K
from tensimeter.core.tuning.symptoms import SYMPTOMS, diagnosis, read_symptoms
from tensimeter.core.tuning.trim_edits import with_trim
from tensimeter.core.tuning.trim_words import reach_words
from tensimeter.core.tuning.trims import Trimming, trimming
from tensimeter.store.jobfile import JobFile


@app.command("tune")
def tune_job(
    job: Path,
    view: Annotated[
        str, typer.Argument(help="meters, trims, causes, before-after, contacts or fan")
    ] = "meters",
    keep: Annotated[
        str, typer.Option(help="Of meters: keep what was found of a display, as in “hub A”; readings follow.")
    ] = "",
    months: Annotated[float, typer.Option(min=0.1, help="A kept check is good for so long.")] = USUAL_MONTHS,
    earlier_too: Annotated[
        bool, typer.Option("--earlier-too", help="Readings from before the check are put right too.")
    ] = False,
    add: Annotated[
        str, typer.Option(help="Of trims: name one and what it moves: “Front end volts=mount”.")
    ] = "",
    test: Annotated[
        str, typer.Option(help="Of before-after: the test; else every one that was read twice.")
    ] = "",
    other: Annotated[
        Path | None, typer.Option("--with", help="Of before-after: another supply's job, built alike.")
    ] = None,
    symptom: Annotated[
        list[str] | None, typer.Option(help="Of causes: what is seen, “output=dead”; as often as needed.")
    ] = None,
    keep_below: Annotated[
        float, typer.Option("--keep-below", help="Of fan: parts stay so many K under their limits.")
    ] = KEEP_K,
    curve: Annotated[
        Path | None, typer.Option(help="Of fan: write its curve as a table (.csv) or as a C array (.c, .h).")
    ] = None,
    json: Json = False,
) -> None:
    """What readings of a job tell of displays, trims, contacts and fan; why it is off; what changed."""
    views: dict[str, Callable[[], dict[str, Any]]] = {
        "meters": lambda: _meters(job, keep, months, earlier_too),
        "trims": lambda: _trims(job, add),
        "causes": lambda: _symptoms(symptom) if symptom else _causes(job),
        "before-after": lambda: _before_after(job, test, other),
        "contacts": lambda: _contacts(job),
        "fan": lambda: told_of_fan(job, keep_below, curve),
    }
    if view not in views:
        raise UserError(f"“{view}” is no view of tune; there are {', '.join(views)}.")
    answer(views[view](), json)


# -- meters -----------------------------------------------------------------------------------------


def _meters(path: Path, keep: str, months: float, earlier_too: bool) -> dict[str, Any]:
    with JobFile(path, read_only=not keep) as file:
        checks = meter_checks(file.job, file.readings())
        kept = _keep(file, checks, keep, months, earlier_too) if keep else None
        return {
            "meters": [_told(file.job, check) for check in checks],
            "explanations": [row for check in checks for row in _reasons(file.job, check)],
            **({"kept": kept} if kept else {}),
        }


def _keep(file: JobFile, checks: tuple[MeterCheck, ...], which: str, months: float, earlier: bool) -> str:
    place, _, quantity = which.strip().rpartition(" ")
    wanted = place.strip().casefold()
    found = [
        c
        for c in checks
        if c.quantity.casefold() == quantity.casefold()
        and (c.place == wanted or (c.output == wanted and not c.subject.sets))
    ]
    if not found:
        known = ", ".join(f"“{c.place} {c.quantity}”" for c in checks) or "none"
        raise UserError(f"There is no display “{which}” that was read; there is: {known}.")
    check = as_check(file.job, found[0], time.time(), months, earlier_too=earlier)
    part = found[0].part
    assert part is not None
    file.edit(f"check of {found[0].name}, {quantity.upper()}", with_check(file.job, part, check))
    return part


def _told(job: Job, check: MeterCheck) -> dict[str, Any]:
    found = check.found
    told: dict[str, Any] = {
        "place": check.place,
        "output": check.output,
        "unit": check.unit,
        "part": check.part,
        "readings": len(check.pairs),
        "pretended": check.pretended,
        **_differ(job, check),
    }
    if found is None:
        return {**told, "warnings": [check.said]}
    return {
        **told,
        "gain": found.gain,
        "offset": found.offset,
        "worst_error_before": found.worst_before,
        "worst_error_after": found.worst_after,
        "residual_rms": found.residual_rms,
        "floor": found.floor,
        "curvature": found.curvature,
        "hysteresis": found.hysteresis,
        "per_volt": found.per_volt,
        "drift_an_hour": span(found.drift, 3600.0),
        "odd_point": None if found.odd_one is None else found.odd_one + 1,
        "error_left": {lets: correction(found, lets).left for lets in ("both", "gain", "offset")},
        "next_points": list(check.points),
        "warnings": list(found.warnings),
    }


def _differ(job: Job, check: MeterCheck) -> dict[str, Any]:
    """By how much two meters differ; nothing of what is no pair of meters."""
    try:
        found = disagreement_of(job, check)
    except UserError:
        return {}
    return {"difference": found.difference, "inside_both": found.inside_both}


def _reasons(job: Job, check: MeterCheck) -> list[dict[str, Any]]:
    """Why a display and what was read beside it differ."""
    try:
        found = disagreement_of(job, check)
    except UserError:
        return []
    return [
        {
            "place": check.place,
            "quantity": check.quantity,
            "key": e.key,
            "probability": e.probability,
            "size": e.size,
        }
        for e in likeliest(found)
    ]


# -- trims ------------------------------------------------------------------------------------------


def _trims(path: Path, add: str) -> dict[str, Any]:
    with JobFile(path, read_only=not add) as file:
        if add:
            file.edit(f"trim {add.partition('=')[0].strip()} named", _named(file.job, add))
        found = trimming(file.job, file.readings())
        return {**_told_trims(found), "warnings": reach_words(file.job, found)}


def _named(job: Job, text: str) -> Job:
    name, _, moves = text.partition("=")
    place, _, quantity = moves.strip().casefold().partition(" ")
    if not name.strip() or not place or quantity not in ("", "v", "a"):
        raise UserError("Name a trim and what it moves: “Front end volts=mount”, “Meter span=hub-panel A”.")
    return with_trim(job, name, place, "A" if quantity == "a" else "V")


def _told_trims(found: Trimming) -> dict[str, Any]:
    known = found.found
    rows = []
    for k, screw in enumerate(found.screws):
        turn = next((t for t in found.turns if t.screw == screw.id), None)
        turned = known is not None and known.known[k]
        per_turn = known.per_turn(screw.moves, screw.id) if known and turned else None
        rows.append(
            {
                "trim": screw.id,
                "moves": screw.moves,
                "unit": screw.quantity,
                "per_turn": per_turn if per_turn and math.isfinite(per_turn.half_width) else None,
                "play_turns": known.play_of(screw.id) if known and turned else None,
                "target": found.targets.get(screw.moves),
                "turn_by": turn.turns if turn else None,
                "past_and_back": turn.past if turn else None,
                "ends_at": turn.ends_at if turn else None,
            }
        )
    return {"held": found.held, "next": found.said, "trims": rows}


# -- causes -----------------------------------------------------------------------------------------


def _causes(path: Path) -> dict[str, Any]:
    with JobFile(path, read_only=True) as file:
        found = causes(file.job, file.readings(), plans_of(file.job))
    return told_causes(found)


def _symptoms(texts: list[str]) -> dict[str, Any]:
    found = diagnosis(read_symptoms(texts))
    return {
        "suspicions": [{"key": s.key, "probability": s.probability} for s in found.suspicions],
        "next_probe": found.next or None,
        "answers": list(SYMPTOMS[found.next][1]) if found.next else [],
    }


def told_causes(found: Causes) -> dict[str, Any]:
    """Causes as other programs read them: no sentences but the warnings."""
    by_key = {c.key: c.probability for c in found.causes if c.key in (HEALTHY, NONE)}
    return {
        "causes": [_cause(c) for c in found.causes if c.probability > 1e-4 or c.key in (HEALTHY, NONE)],
        "healthy": by_key[HEALTHY],
        "none_of_these": by_key[NONE],
        "next_reading": _next(found),
        "readings": len(found.seen.figures),
        "warnings": list(found.warnings),
    }


def _cause(cause: Cause) -> dict[str, Any]:
    # The share of a % is told in per cent, as everywhere.
    scale = 100 if cause.unit == "%" else 1
    size = cause.size and Interval(*(scale * v for v in (cause.size.value, cause.size.low, cause.size.high)))
    return {
        "key": cause.key,
        "link": cause.link or None,
        "size": size,
        "unit": cause.unit or None,
        "probability": cause.probability,
        "with": _partner(cause.partner) if cause.partner is not None else None,
    }


def _partner(cause: Cause) -> str:
    return f"{cause.key} {cause.link}"


def _next(found: Causes) -> dict[str, Any] | None:
    n = found.next
    if n is None:
        return None
    expected: dict[str, float] = {}
    for key, link, value, _ in n.expected:
        expected.setdefault(key if key not in expected else f"{key} {link}", value)
    return {
        "place": n.place,
        "quantity": n.quantity,
        "output": n.output or None,
        "amps_A": n.amps_A,
        "other_meter": n.other_meter,
        "expected": expected,
    }


# -- before and after -------------------------------------------------------------------------------


def _before_after(path: Path, test: str, other: Path | None) -> dict[str, Any]:
    with JobFile(path, read_only=True) as file:
        job, readings = file.job, file.readings()
    plans = plans_of(job)
    wanted = [job.test(test).id] if test else [t.id for t in job.campaign.tests]
    found: list[TwoRuns] = []
    for name in wanted:
        plan = plans.get(name)
        if plan is None:
            continue
        runs = laps(job, plan, readings)
        if other is not None:
            with JobFile(other, read_only=True) as beside:
                theirs = plans_of(beside.job).get(name)
                last = laps(beside.job, theirs, beside.readings())[-1:] if theirs is not None else []
            runs = [*runs[-1:], *last]
        if len(runs) > 1:
            found.append(compare(job, plan, runs[-2], runs[-1]))
    if not found:
        raise UserError("No test was read twice yet: change something, read the same steps again.")
    return {"comparisons": [_told_comparison(c) for c in found]}


def _told_comparison(c: TwoRuns) -> dict[str, Any]:
    return {
        "test": c.test,
        "verdict": c.verdict,
        "unit": c.unit,
        "nearer_by": c.gain,
        "more_readings": c.more,
        "points": [
            {
                "where": p.where,
                "amps_A": p.amps_A,
                "before": p.before,
                "after": p.after,
                "difference": p.difference,
            }
            for p in c.points
        ],
    }


# -- contacts ---------------------------------------------------------------------------------------


def _contacts(path: Path) -> dict[str, Any]:
    with JobFile(path, read_only=True) as file:
        return _told_contacts(contacts(file.job, file.readings()))


def _told_contacts(found: Contacts) -> dict[str, Any]:
    redo = found.redo
    return {
        "joints": [
            {
                "place": j.place,
                "link": j.link,
                "resistance_ohm": j.ohm,
                "designed_ohm": j.designed_ohm,
                "most_ohm": j.allowed.ends[1],
                "excess_ohm": j.excess_ohm,
                "lost_W": j.lost_W,
                "verdict": j.verdict,
            }
            for j in found.joints
        ],
        "wires": [
            {
                "pin": w.pin, "kind": w.kind, "colour": w.colour, "idle_V": w.idle_V,
                "loaded_V": w.loaded_V, "resistance_ohm": w.ohm, "share": w.share, "times": w.times,
            }
            for w in found.wires
        ],
        "redo": redo.place if redo is not None else None,
        "said": redo_sentence(found),
        "unread": [place for place, _ in found.unread],
    }  # fmt: skip
