"""Lines as they are typed, one after another: readings, and the conditions that stand for them.

What a line says of conditions stands for it and those after it. Lines under the same conditions are of one
moment: a display is compared with what was read together with it. What nobody has said is not known; said
later of the same moment, it completes it.
"""

import contextlib
import math
import re
import time
from collections.abc import Callable, Sequence
from itertools import groupby

from msgspec import Struct
from msgspec.structs import replace

from tensimeter.app.imported_readings import Moment, said_amps, said_fact
from tensimeter.core.circuit.along_path import OTHER, link_of
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import CLOCK, ENDED_BY, FAILED_BY, Reading
from tensimeter.core.model.compared_places import SET, part_at, set_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import state_of
from tensimeter.core.quantity import show
from tensimeter.core.readingline import FAR_OFF, MOST_LINE, Understood, all_places, doubt, example, find_place
from tensimeter.core.spoken import in_words_of_line, several
from tensimeter.core.standing import (
    STALE_S,
    TOGETHER_S,
    Load,
    SaidLine,
    Standing,
    moment_of_day,
    said,
    taken_apart,
)
from tensimeter.core.testplan.step import displays_of
from tensimeter.core.testplan.taken import MAINS, near_own
from tensimeter.store.jobfile import JobFile

#: An output and what it is set to.
_SET_OF = re.compile(r"^(?P<place>\S.*?)\s+set\s+(?:to\s+)?(?P<volts>\d+(?:[.,]\d+)?\s*m?V?)$", re.I)
#: A temperature moves: it is of the moment of what was read within so many seconds of it.
HEAT_TOGETHER_S = 20.0
#: Volts that may have been read at a setting that was told after them are within this share of it.
NEAR_SET = 0.1
#: So many entries of the logbook are looked at for what stands.
MOST_STANDING = 40
#: What was read at a time that was said is of one moment with what was read so near to it, s.
SAME_S = 0.5
#: So many facts are looked at for when the load that stands began.
MOST_FACTS = 400
#: How a condition is said, where that is not its name.
_WORD = {"joined": "with"}
#: What an ammeter beside a load is called: what it shows is read of the output in hand.
AMMETERS = frozenset(("clamp", "ammeter", "shunt"))


class Last(Struct):
    """The moment that lines go on in: what stood then, and what was read of it."""

    scan: int
    at: float
    typed: float
    standing: Standing
    timed: bool
    read: set[tuple[str, str]]
    told: set[tuple[str, str]]
    volts: dict[str, float]
    #: Which state of the supply it is of.
    state: int
    #: So long after it may be completed, s.
    open_s: float = STALE_S


class Line(Struct, frozen=True):
    """A line understood: its reading, where it has one, and what it says beside; in words what it will do."""

    said: SaidLine
    reading: Understood | None
    output: str | None
    standing: Standing
    #: What else was read at that moment, told in the same line.
    further: tuple[Understood, ...] = ()

    @property
    def question(self) -> str:
        """What is to be asked before it is kept; empty where nothing is."""
        return next((r.question for r in self.readings if r.question), "")

    @property
    def readings(self) -> tuple[Understood, ...]:
        """All that it reads."""
        return (*([self.reading] if self.reading is not None else []), *self.further)

    @property
    def summary(self) -> str:
        """What it reads, said back."""
        return ", ".join(r.summary for r in self.readings)


class TypedLines:
    """Takes lines in for one open file; remembers what stands."""

    def __init__(self, file: JobFile) -> None:
        self.file = file
        self.standing = Standing()
        #: When the load that stands began, s since 1970.
        self._began: float | None = None
        self._typed = 0.0
        self._last: Last | None = self._gone_on()
        self._go_on_with_what_stands()

    def _gone_on(self) -> Last | None:
        """The moment that was typed last, before this program began: what is said of it goes on in it."""
        facts = self.file.readings()
        rows = [r for r in facts[-40:] if facts[-1].scan == r.scan] if facts else []
        if not rows or rows[-1].origin != "typed" or rows[-1].state != state_of(self.file.job):
            return None
        standing = Standing(
            self._loads_of(rows),
            {r.place.removesuffix(SET): r.value for r in rows if r.place.endswith(SET) and r.quantity == "V"},
            next((r.value for r in rows if r.place == MAINS and r.quantity == "V"), None),
            None,
            next((r.value for r in rows if r.place == "ambient" and r.quantity == "C"), None),
        )
        self._began = self._began_of(facts[-MOST_FACTS:], standing.loads)
        told: set[tuple[str, str]] = {(r.place, r.quantity) for r in rows}
        read: set[tuple[str, str]] = {(r.place, r.quantity) for r in rows if r.known == "read"}
        volts = {r.place: r.value for r in rows if r.quantity == "V" and r.known == "read"}
        at = rows[0].at
        # When it was typed is not when it was read, which may be told.
        typed = next((e.at for e in reversed(self.file.logbook(MOST_STANDING)) if e.kind == "reading"), at)
        timed, state = any(r.place == CLOCK for r in rows), rows[-1].state
        return Last(rows[0].scan, at, typed, standing, timed, read, told, volts, state, TOGETHER_S)

    def _loads_of(self, rows: list[Reading]) -> dict[str, Load]:
        """What each output was said to carry as these were read, where nothing ended it."""
        outputs = {o.id for o in self.file.job.design.outputs()}
        ended = {r.place for r in rows if r.quantity == "event" and r.range in ENDED_BY}
        said = [r for r in rows if r.known == "said" and r.quantity == "A" and r.place in outputs - ended]
        return {r.place: Load(r.value) for r in said}

    def _began_of(self, facts: Sequence[Reading], loads: dict[str, Load]) -> float | None:
        """When the load that stands began: as it was said of it last, else with the first line under it."""
        began = None
        for _, moment in groupby(reversed(facts), key=lambda r: r.scan):
            rows = list(moment)
            # After an hour without a line it was said anew.
            stale = began is not None and began - rows[-1].at > STALE_S
            if not loads or stale or self._loads_of(rows) != loads:
                break
            clock = next((r.value for r in rows if r.place == CLOCK), None)
            began = rows[-1].at - clock if clock is not None else rows[-1].at
            if clock is not None:
                break
        return began

    def _go_on_with_what_stands(self) -> None:
        """What was said by itself before this program began stands on, until it has grown old."""
        now, read = time.time(), self._last
        if read is not None and abs(now - read.typed) <= STALE_S:
            self.standing, self._typed = read.standing, read.typed
        entries = self.file.logbook(MOST_STANDING)
        # What stood as something was read is told by its facts.
        since = max((k for k, e in enumerate(entries) if e.kind == "reading"), default=-1)
        for entry in entries[since + 1 :]:
            if entry.kind in ("changed", "dropped"):
                self.standing = self.standing.unloaded()
            elif entry.kind == "stands" and 0 <= now - entry.at <= STALE_S:
                # What no program of ours wrote there says nothing.
                with contextlib.suppress(UserError):
                    line = taken_apart(entry.text)
                    before = self.standing
                    self.standing = said(before, line.reading or None, line.lasting, also=line.also)
                    self._typed = entry.at
                    if self.standing.loads != before.loads:
                        self._began = entry.at

    def taken_back(self) -> None:
        """Something that was kept counts no more: what is read next is of a moment of its own."""
        self._last = None

    def dropped(self) -> None:
        """The load was dropped: what flows from now on is asked for."""
        if self.standing.loads:
            self.file.log("dropped", "the load was dropped: what flows is asked for again")
        self.standing, self._last = self.standing.unloaded(), None

    def understood(
        self, text: str, output: str | None, read: Callable[[str], Understood], now: float | None = None
    ) -> Line:
        """What a line means; UserError where it means nothing. `output` is the one in hand."""
        if len(text) > MOST_LINE:
            raise UserError(f"A reading is one short line; this one has {len(text)} characters.")
        apart, more = self._apart(text, output)
        if apart.answer:
            return Line(apart, None, output, self.standing)
        if apart.changed or not (apart.reading or apart.says_conditions or apart.event):
            if not apart.changed and (apart.after_s is not None or not text.strip()):
                raise UserError(f"Type a place and a value, for example “{example(self.file.job)}”.")
            return Line(apart, None, output, self.standing)
        standing = self._fresh(time.time() if now is None else now)
        found, place = None, ""
        named = _SET_OF.match(apart.reading)
        of = self._output_alone(named["place"]) if named is not None else None
        if named is not None and of is not None and part_at(self.file.job, set_of(of)) is None:
            # Of an output without a converter that is set, its setting is a condition and no more.
            apart = replace(apart, reading=named["place"], lasting=(*apart.lasting, ("set", named["volts"])))
        if apart.event:
            place = self._output_alone(apart.event_place) or "" if apart.event_place else ""
            if apart.event_place and not place:
                raise UserError(f"“{apart.event_place}” is no output that something could happen to.")
            of = place or output
            return Line(apart, None, of, _as_said(apart, of, standing))
        if apart.reading:
            place = (self._output_alone(apart.reading) or "") if apart.says_conditions else ""
            if not place:
                found = read(_with_amps(apart))
                found = self._of_ammeter(self._without_amps(found), output)
                place = self._output_of(found.place, output) or ""
        of = place or output
        stands = _as_said(apart, of, standing)
        own = self._as_set(_as_it_stands(found, of, stands), of, stands)
        further = tuple(replace(self._of_ammeter(read(piece), of), text=text) for piece in more)
        return Line(apart, own and replace(own, text=text), of, stands, further)

    def _apart(self, text: str, output: str | None) -> tuple[SaidLine, list[str]]:
        """A line without its conditions, and what else it reads."""
        apart = taken_apart(text)
        if apart.answer or apart.changed:
            # What was changed is told in anybody's words, and kept in those.
            return apart, []
        outputs = self.file.job.design.outputs()
        apart = taken_apart(in_words_of_line(text, outputs, output))
        pieces = several(apart.reading, [*(o.id for o in outputs), *all_places(self.file.job)])
        return replace(apart, reading=pieces[0] if pieces else ""), pieces[1:]

    def _as_set(self, found: Understood | None, of: str | None, stands: Standing) -> Understood | None:
        """Volts of an output: asked about by what it is set to, where that was said.

        Beyond what it is meant for, or once it gave way, they may be as low as they like.
        """
        output = next((o for o in self.file.job.design.outputs() if o.id == of), None)
        if found is None or output is None or found.place != of or found.quantity != "V":
            return found
        set_V, asked = stands.set_V.get(output.id), not found.question or FAR_OFF in found.question
        if set_V is not None and asked:
            found = replace(found, question=doubt(found.quantity, found.value, set_V, found.at_A))
        if FAR_OFF not in found.question or found.value > (set_V or output.nominal_V):
            return found
        beyond = found.at_A is not None and found.at_A > output.full_load_A
        return replace(found, question="") if beyond or self._gave_way(output.id) else found

    def _gave_way(self, output: str) -> bool:
        """Whether the last that is known of an output, in this state of the supply, is that it gave way."""
        state = state_of(self.file.job)
        for r in reversed(self.file.readings()[-200:]):
            if r.place == output and r.known != "set" and r.quantity in ("event", "V"):
                return r.state == state and r.quantity == "event" and r.range in FAILED_BY
        return False

    def stands(self, line: Line) -> None:
        """Let what a line says stand for those after it, and for nothing that was read before."""
        self.standing = said(self.standing, line.output, line.said.lasting, also=line.said.also)
        self._began = self._typed = time.time()

    def keep(
        self, line: Line, take: Callable[[Understood, Moment], list[Reading]], now: float | None = None
    ) -> list[Reading]:
        """Keep a line: its reading with what stands, or what it says of the moment before it.

        `take` keeps the reading itself. UserError where that can't be; nothing was kept then.
        """
        now = time.time() if now is None else now
        if line.said.changed or line.said.answer:
            return self._of_state(line.said)
        lasting = said(self._fresh(now), line.output, line.said.lasting, also=line.said.also)
        if line.said.event in ENDED_BY:
            lasting = replace(lasting, loads={k: v for k, v in lasting.loads.items() if k != line.output})
        if lasting.loads != self._fresh(now).loads and not line.said.event:
            self._began = now
        at = self._at(line.said, now)
        if line.said.event:
            kept = self._happened(line, at, now)
        else:
            kept = self._completed(line, now) if line.reading is None else []
            for reading in line.readings:
                kept += self._read(replace(line, reading=reading, further=()), take, at, now)
        self.standing, self._typed = self._after(line, lasting), now
        if not kept and line.said.lasting:
            self.file.log("stands", _as_said_again(line))
        return kept

    def of_log(self, output: str, *, loaded: bool = False) -> tuple[Reading, ...]:
        """What stands of an output, as facts that each row of a log may take; what is loaded where asked."""
        stands = replace(self.standing, loads=self.standing.loads if loaded else {}, set_V={})
        if output in self.standing.set_V:
            stands = replace(stands, set_V={output: self.standing.set_V[output]})
        line = Line(SaidLine(""), None, output, stands)
        return tuple(self._facts(self.file.job, line, Moment(0, 0.0), {}))

    def _of_state(self, line: SaidLine) -> list[Reading]:
        """A new state of the supply begins, or it is said that none did."""
        if line.answer:
            self.file.answer_state(changed=line.answer == "changed")
        else:
            self.file.begin_state(line.changed)
        if line.answer != "described":
            self.standing, self._last, self._began = self.standing.unloaded(), None, None
        return []

    def _read(
        self, line: Line, take: Callable[[Understood, Moment], list[Reading]], at: float, now: float
    ) -> list[Reading]:
        assert line.reading is not None
        reading, job = line.reading, self.file.job
        own, timed = (reading.place, reading.quantity), at != now
        last = self._last
        if last is not None and (
            last.state != state_of(job)
            or not last.standing.is_like(line.standing)
            or own in last.read
            or reading.quantity == "turn"
            or now - last.typed > (HEAT_TOGETHER_S if reading.quantity == "C" else TOGETHER_S)
            or ((timed or last.timed) and abs(last.at - at) > SAME_S)
        ):
            last = None
        if last is None:
            first = (self.file.next_scan(), at, now, line.standing, timed)
            last = Last(*first, set(), set(), {}, state_of(job))
        if reading.quantity == "V":
            last.volts[reading.place] = reading.value
        bare = Moment(last.scan, last.at)
        facts = [
            r
            for r in self._facts(job, line, bare, last.volts)
            if (r.place, r.quantity) not in last.told
            and (r.quantity == "A" or (r.place, r.quantity) not in last.read)
        ]
        if reading.at_A is not None:
            facts = [r for r in facts if (r.place, r.quantity) != (reading.place, "A")]
            if (reading.place, "A") in last.told | last.read:
                reading = replace(reading, at_A=None)
        kept = take(reading, Moment(last.scan, at, tuple(facts)))
        last.read.add(own)
        last.told.update((r.place, r.quantity) for r in kept if (r.place, r.quantity) != own)
        last.typed = now
        # Once something was turned, what is read then is of no moment before.
        self._last = last if reading.quantity != "turn" else None
        return kept

    def _happened(self, line: Line, at: float, now: float) -> list[Reading]:
        """What happened, as a fact with what stood then; what the output carried is asked for after it."""
        job, event = self.file.job, line.said.event
        moment = Moment(self.file.next_scan(), at)
        place = line.output if line.output is not None and not event.startswith("fan") else "supply"
        text = f"{event}{f' at {line.said.event_at}' if line.said.event_at else ''}"
        own = said_fact(moment, place, "event", 1.0, text)._replace(range=event)
        facts = self._facts(job, line, moment, {})
        self._last = None
        return self.file.keep([own, *facts])

    def _completed(self, line: Line, now: float) -> list[Reading]:
        """What a line that says conditions alone adds to the moment before it, where that lacked them."""
        last = self._last
        if last is None or now - last.typed > last.open_s or not line.said.lasting:
            return []
        if last.state != state_of(self.file.job) or last.standing.is_like(line.standing):
            return []
        bare = Moment(last.scan, last.at)
        said = {what for what, _ in line.said.lasting}
        if said & {"load", "joined", "set"} and not last.read & {(line.output, "V"), (line.output, "Vpp")}:
            # What an output carries is told of its volts; where none were read it is of what comes next.
            self._last = None
            return []
        if self._is_next_setting(last, line):
            self._last = None
            return []
        if self._was_unloaded(last, line):
            # Of the others it tells nothing: what stood of them then did.
            self._last = None
            amps = said_amps(self.file.job, bare, line.output or "", 0.0, 0.01, _text_of(line))
            return self.file.keep([amps])
        if not self._lacks(last.standing, line.standing):
            if not last.standing.is_like(line.standing):
                # Changed and changed back, it is another moment all the same.
                self._last = None
            return []
        facts = [
            r
            for r in self._facts(self.file.job, line, bare, last.volts)
            if (r.place, r.quantity) not in last.told and (r.place, r.quantity) not in last.read
        ]
        kept = self.file.keep(facts)
        last.told.update((r.place, r.quantity) for r in kept)
        last.standing = line.standing
        return kept

    def _was_unloaded(self, last: Last, line: Line) -> bool:
        """Whether it answers that an output that was read carried nothing, while another was loaded."""
        load, others = line.standing.loads.get(line.output or ""), set(last.standing.loads) - {line.output}
        alone = {what for what, _ in line.said.lasting} == {"load"}
        return (
            bool(others)
            and alone
            and load is not None
            and load.amps == 0
            and line.output not in last.standing.loads
        )

    def _is_next_setting(self, last: Last, line: Line) -> bool:
        """Whether a setting is of what comes next: it was not asked for, or what was read is far off."""
        output = next((o for o in self.file.job.design.outputs() if o.id == line.output), None)
        if output is None or "set" not in [what for what, _ in line.said.lasting]:
            return False
        volts, wanted = last.volts.get(output.id), line.standing.set_V.get(output.id)
        if volts is None or wanted is None:
            return False
        is_asked = output.id not in last.standing.loads or not near_own(self.file.job, output, volts)
        return not (is_asked and abs(volts - wanted) <= NEAR_SET * wanted)

    def _lacks(self, before: Standing, now: Standing) -> bool:
        """Whether what is said now was not known before, and contradicts nothing that was."""
        same = all(now.loads.get(o) == load for o, load in before.loads.items())
        same &= all(now.set_V.get(o) == volts for o, volts in before.set_V.items())
        same &= before.mains_V in (None, now.mains_V) and before.room_C in (None, now.room_C)
        return bool(same) and before != now

    def _facts(self, job: Job, line: Line, moment: Moment, volts: dict[str, float]) -> list[Reading]:
        """What stands of a line, as facts beside its reading."""
        standing, text = line.standing, _text_of(line)
        found = []
        for output in job.design.outputs():
            load = standing.loads.get(output.id)
            amps = load.amps_at(volts[output.id]) if load is not None and output.id in volts else None
            if amps is None and load is not None and load.amps is not None:
                amps = load.amps
            if load is not None and amps is not None:
                found.append(said_amps(job, moment, output.id, amps, _digit_of(load, amps), text))
            set_V = standing.set_V.get(output.id)
            if set_V is not None:
                found.append(said_fact(moment, set_of(output.id), "V", set_V, text))
        own = line.reading.place if line.reading is not None else ""
        if standing.mains_V is not None and own != MAINS:
            found.append(said_fact(moment, MAINS, "V", standing.mains_V, text))
        if standing.room_C is not None and own != "ambient":
            found.append(said_fact(moment, "ambient", "C", standing.room_C, text))
        if line.said.after_s is not None:
            found.append(said_fact(moment, CLOCK, "s", line.said.after_s, text))
        return found

    def _at(self, line: SaidLine, now: float) -> float:
        """When it was read, as said; now, where nobody said."""
        if line.clock is not None:
            return moment_of_day(line.clock, now)
        if line.after_s is not None:
            return (self._began if self._began is not None else now - line.after_s) + line.after_s
        return now

    def _fresh(self, now: float) -> Standing:
        """What stands; the loads and settings of an hour ago are asked for again."""
        stale = self._typed and now - self._typed > STALE_S
        return Standing() if stale else self.standing

    def _after(self, line: Line, lasting: Standing) -> Standing:
        reading = line.reading
        if reading is not None and reading.place == "ambient" and reading.quantity == "C":
            return replace(lasting, room_C=reading.value)
        if reading is not None and reading.place.endswith(SET) and reading.quantity == "V":
            of = self._output_of(reading.place)
            return replace(lasting, set_V={**lasting.set_V, of: reading.value}) if of else lasting
        if reading is not None and reading.place == MAINS and reading.quantity == "V":
            return replace(lasting, mains_V=reading.value)
        return lasting

    def _output_alone(self, text: str) -> str | None:
        """The output that a text names, and nothing more: “out @2A”."""
        if any(c.isdigit() for c in text) and not any(
            text.casefold() in (o.id.casefold(), o.name.casefold()) for o in self.file.job.design.outputs()
        ):
            return None
        try:
            place, _, known = find_place(self.file.job, text)
        except UserError:
            return None
        return self._output_of(place) if known else None

    def _output_of(self, place: str, in_hand: str | None = None) -> str | None:
        """The output that a place is of, or that is fed along it; None where that can't be told."""
        design = self.file.job.design
        outputs = design.outputs()
        place = place.removesuffix(OTHER)
        own = next((o.id for o in outputs if place in (o.id, *displays_of(o.id), set_of(o.id))), None)
        if own is not None:
            return own
        link = link_of(place)
        fed = [o.id for o in outputs if link in [x.id for x in design.path_to(o.id)]]
        return fed[0] if len(fed) == 1 else in_hand if in_hand in fed else None

    @staticmethod
    def _without_amps(found: Understood) -> Understood:
        """Amps said with a reading of what carries none, such as a sink or the wall, are an output's."""
        return found if found.quantity in ("V", "Vpp", "A", "ohm", "turn") else replace(found, at_A=None)

    def _of_ammeter(self, found: Understood, output: str | None) -> Understood:
        """What an ammeter that was named as such shows: the amps of the output in hand."""
        if found.known or found.quantity != "A" or found.place not in AMMETERS or output is None:
            return found
        name = next(o.name for o in self.file.job.design.outputs() if o.id == output)
        return replace(found, place=output, name=name, known=True, question="")


def _as_said(line: SaidLine, output: str | None, standing: Standing) -> Standing:
    """What stands for a line: what lasts, and what it says for itself alone."""
    lasting = said(standing, output, line.lasting, also=line.also)
    return said(lasting, output, line.alone, also=line.also)


def _as_it_stands(found: Understood | None, output: str | None, stands: Standing) -> Understood | None:
    """Volts of an output with the amps that stand for it."""
    load = stands.loads.get(output or "")
    if found is None or load is None or found.at_A is not None or found.place != output:
        return found
    amps = load.amps_at(found.value) if found.quantity == "V" else load.amps
    if amps is None or found.quantity == "A" or math.isinf(found.value):
        return found
    return replace(found, at_A=amps, at_resolution=_digit_of(load, amps))


def _with_amps(line: SaidLine) -> str:
    """The reading with the amps that were said behind it, as a line that is read by itself."""
    loads = [text for what, text in (*line.lasting, *line.alone) if what == "load"]
    if len(loads) > 1:
        raise UserError("After @ goes the current, one figure in A; here are several. Nothing was kept.")
    if loads and any(word in loads[0].casefold() for word in ("r", "ohm", "ω", "w", "k")):
        return line.reading
    return f"{line.reading} @{loads[0]}" if loads else line.reading


def _digit_of(load: Load, amps: float) -> float:
    return load.digit if load.amps is not None else max(abs(amps) * 0.01, 1e-3)


def _as_said_again(line: Line) -> str:
    """Conditions that were said by themselves, as a line that says them."""
    words = [f"@{text}" if what == "load" else text if what == "hertz" else f"{_WORD.get(what, what)} {text}"
             for what, text in line.said.lasting]  # fmt: skip
    # Behind its place “set 12V” would be the name of one.
    return " ".join(x for x in ("also" if line.said.also else "", *words, line.output or "") if x)


def _text_of(line: Line) -> str:
    if line.reading is not None:
        return line.reading.text
    return " ".join(f"@{text}" if what == "load" else f"{what} {text}" for what, text in line.said.lasting)


def state_summary(line: Line) -> str:
    """What a line without a reading will do, in words."""
    if line.said.event:
        load = line.standing.loads.get(line.output or "")
        carried = f" with {load.words}" if load is not None else "; nobody has said with which load"
        return f"{line.output or 'the supply'} {line.said.event}{carried}"
    if line.said.answer:
        what = (
            "the supply was changed" if line.said.answer == "changed" else "only its description was changed"
        )
        return f"{what} by the last edit"
    if line.said.changed:
        return f"a new state of the supply begins: {line.said.changed}"
    told = []
    for what, text in line.said.lasting:
        if what == "load" and line.output is not None:
            told.append(f"{line.output} {line.standing.loads[line.output].words}")
        elif what == "set" and line.output is not None:
            told.append(f"{line.output} set {show(line.standing.set_V[line.output], 'V', 4)}")
        else:
            told.append(f"{what} {text}")
    return f"from now on {', '.join(told)}"
