"""What is said of trims, and what is turned and read next."""

import numpy as np

from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.model.job import Job
from tensimeter.core.model.trims import TrimScrew
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show, with_uncertainty
from tensimeter.core.testplan.step import panel_of
from tensimeter.core.tuning.asked import Asked
from tensimeter.core.tuning.trims import Trimming
from tensimeter.core.tuning.turning import PLAYS


def screw_sentence(trimmed: Trimming, screw: TrimScrew) -> str:
    """What a screw moves, its play, and how far it can still be turned."""
    found = trimmed.found
    k = [s.id for s in trimmed.screws].index(screw.id)
    if found is None or not found.was_turned(screw.id):
        return "not turned yet"
    own, play = found.per_turn(screw.moves, screw.id), found.play_of(screw.id)
    if not np.isfinite(own.half_width):
        return "turned, and not known yet what it moves: with the first turn its play is taken up"
    text = f"{with_uncertainty(own.value, own.half_width, screw.quantity)} a turn"
    if play.high >= PLAYS[-1]:
        text += ", play not known: turn it back once"
    elif play.high:
        turns = f"{play.low:.2f} … {play.high:.2f}" if play.low else f"at most {play.high:.2f}"
        text += f", play {turns} turns"
    ends = [
        f"{left:.1f} {way}"
        for left, way in (
            (screw.up - found.now[k] if screw.up is not None else None, "up"),
            (screw.down + found.now[k] if screw.down is not None else None, "down"),
        )
        if left is not None
    ]
    return text + (f", left: {' and '.join(ends)}" if ends else "")


def reach_words(job: Job, trimmed: Trimming) -> list[str]:
    """How far what screws move is from a trip and from what its device stands; what a last turn does."""
    told = []
    for screw in trimmed.screws:
        output = next((o for o in job.design.outputs() if o.id == screw.moves), None)
        reads = trimmed.reads.get(screw.moves)
        if output is None or reads is None or screw.quantity != "V":
            continue
        most = _at_stop(trimmed, screw, reads)
        ends = (("trips", _trip_V(job, output)), ("device stands", output.device_max_V))
        for what, volts in ends:
            if volts is None:
                continue
            left = volts - reads.high
            text = f"{output.name} {what} {'at ' if what == 'trips' else ''}{show(volts, 'V', 4)}"
            text += f", {show(left, 'V', 2)} above what it reads" if left > 0 else ": it reads more than that"
            if most is not None and most > volts > reads.high:
                text += f"; {screw.name} turned to its stop would give {show(most, 'V', 3)}"
            told.append(f"{text}.")
    return told


def _trip_V(job: Job, output: OutputLink) -> float | None:
    """Where what makes an output's volts trips; None where it has no trip, or several make them together."""
    parts = [job.part(x.part) for x in reversed(job.design.path_to(output.id))]
    makes = [p for p in parts if isinstance(p, ConverterPart | SourcePart)]
    alone = len(makes) == 1 or isinstance(next(iter(makes), None), ConverterPart)
    return makes[0].over_voltage_V if makes and alone else None


def _at_stop(trimmed: Trimming, screw: TrimScrew, reads: Interval) -> float | None:
    """The most that a place would read with its screw at the stop that raises it; None: not known."""
    found = trimmed.found
    k = [s.id for s in trimmed.screws].index(screw.id)
    own = found.per_turn(screw.moves, screw.id) if found is not None else None
    if found is None or own is None or not np.isfinite(own.half_width):
        return None
    stop = screw.up if own.value > 0 else screw.down
    if stop is None:
        return None
    left = stop - found.now[k] if own.value > 0 else stop + found.now[k]
    return float(reads.high + max(left, 0.0) * max(abs(own.low), abs(own.high)))


def target_words(trimmed: Trimming, place: str) -> str:
    """What a place is to read."""
    unit = next(s.quantity for s in trimmed.screws if s.moves == place)
    low, high = trimmed.bands[place].ends
    return f"{show(trimmed.targets[place], unit, 4)} ({show(low, unit, 4)} … {show(high, unit, 4)})"


def trims_asked(job: Job, found: Trimming) -> list[Asked]:
    """What is turned and read next: each figure as it stands, then a screw that was not turned, then all."""
    outputs = {p: o.id for o in job.design.outputs() for p in (o.id, panel_of(o.id))}
    reads = [
        Asked(s.moves, s.quantity, outputs.get(s.moves, ""))
        for s in sorted(found.screws, key=lambda s: s.moves not in outputs.values())
    ]
    if not found.screws or found.held or not found.reads or found.unread or found.next is None:
        return [] if found.held else reads
    turn = found.next
    past = [Asked(turn.screw, "turn", to=turn.ends_at - turn.past)] if turn.past else []
    return [*past, Asked(turn.screw, "turn", to=turn.ends_at), *reads]
