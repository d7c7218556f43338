"""Real and simulated instruments alike, reached through PyVISA by resource string and profile."""

import contextlib
import re
from functools import partial

import numpy as np

from tensimeter.bench import wall
from tensimeter.bench.link import MOST_BLOCK, MOST_LINE, BrokenOff
from tensimeter.bench.linked import GRACE_S, LinkedInstrument
from tensimeter.bench.profile import Profile, figures, text_of
from tensimeter.bench.profiled import cleaned
from tensimeter.bench.roles import LinkFailed
from tensimeter.core.arrays import Array

#: An entry of an error queue: a number and a text (SCPI 1999.0, volume 2, 21.8), or a number alone.
_ERROR = re.compile(r"^[+-]?\d+\s*(,|$)")
#: How many answers that belong to an earlier question are passed over before a link is given up.
MOST_STALE = 32
#: Questions by which nothing is changed.
_HARMLESS = ("read_volts", "read_amps", "read_celsius", "read_watts", "error", "is_on", "identify")
#: So many lines may greet whoever calls.
MOST_GREETING = 3
#: How long an instrument is heard out that is tried, s.
GREETS_S = 0.1
#: How long an instrument without any mark on its answers must be silent after one, s.
SILENT_S = 0.02


class VisaInstrument(LinkedInstrument):
    """An instrument that is spoken to in lines; plays the roles for which its profile has commands.

    An answer counts only where it is known to belong to its question: by a number that the instrument
    gives back with it (`sequence`), by its identity asked right behind it (`identify`), or, with neither,
    by a link on which nothing else is ever said.
    """

    def __init__(self, resource: str, profile: Profile, part: str) -> None:
        self._number_asked = 0
        #: Whether it gives numbers back; None while it was not tried.
        self._numbers: bool | None = None
        #: What stands before a question that stands behind one.
        self._root = ":"
        super().__init__(resource, profile, part)

    def identity(self) -> str:
        """What it says of itself; empty where its profile does not ask. From then on answers are known."""
        with self._mutex:
            if self.can("identify"):
                self._known_as = self._behind_greeting(self._text("identify").encode())
            if self._numbers is None and self.profile.sequence:
                self._numbers = self._gives_numbers_back()
        return cleaned(self._known_as)

    def _behind_greeting(self, asked: bytes) -> bytes:
        """The last line that comes on a question: some greet first whoever calls."""
        found = self._plain_answer(asked)
        for _ in range(MOST_GREETING):
            link, deadline = self._ready()
            if self._guarded(partial(link.quiet_for, SILENT_S)):
                break
            found = self._guarded(partial(link.line, deadline))
        return found

    def hear_out(self) -> None:
        """Let it greet whoever calls, before anything is asked."""
        with self._mutex:
            for _ in range(MOST_GREETING):
                link, _ = self._ready()
                if self._guarded(partial(link.quiet_for, GREETS_S)):
                    return
                self._guarded(link.drain)

    def _gives_numbers_back(self) -> bool:
        """Whether it answers with the number that it was given; tried as a run asks, with what is harmless.

        Behind another command a question begins at the root: some want the colon that says so, some know
        none.
        """
        harmless = next((self._text(c) for c in _HARMLESS if self.can(c)), "")
        if not harmless:
            return False
        for root in (":",) if harmless.startswith(("*", ":")) else (":", ""):
            self._root = root
            try:
                self._by_number(harmless, MOST_LINE)
            except BrokenOff:
                raise
            except LinkFailed:
                self.reconnect()
            else:
                return True
        return False

    def behind_number(self, question: str) -> str:
        """A question as a run asks it, with `{n}` for its number; empty where it gives no numbers back."""
        if not self._numbers:
            return ""
        root = "" if question.startswith(("*", ":")) else self._root
        return f"{self.profile.sequence};{root}{question}"

    def ask_as_in_a_run(self, command: str) -> tuple[str, str]:
        """An answer as a run gets it, and by what it is known to belong to its question."""
        self.identity()
        known = "by its number" if self._numbers else "by its identity" if self._known_as else "by silence"
        return cleaned(
            self._ask(command, **({"channels": "1"} if command == "read_all_celsius" else {}))
        ), known

    def arm_watchdog(self, seconds: float) -> None:
        if self.has_watchdog:
            self._say("watchdog", seconds=f"{seconds:.2f}")

    def prepare(self) -> None:
        """Bring it to a known state: reset, no old complaints, constant current."""
        for command in ("reset", "clear", "constant_current"):
            if command in self.profile.commands:
                self._say(command)

    def set_amps(self, amps: float) -> None:
        self._say("set_amps", amps=f"{amps:.4f}")

    def set_ohms(self, ohms: float) -> None:
        self._say("set_ohms", ohms=f"{ohms:.5g}")

    def set_watts(self, watts: float) -> None:
        self._say("set_watts", watts=f"{watts:.4f}")

    def use(self, mode: str) -> None:
        """Choose what a load holds constant: `constant_current`, `constant_resistance`, `constant_power`."""
        if self.can(mode):
            self._say(mode)
        elif mode != "constant_current":
            raise LinkFailed(f"{self.part} has no {mode.replace('_', ' ')} in its profile.")

    def set_volts(self, volts: float) -> None:
        self._say("set_volts", volts=f"{volts:.2f}")

    def ask_hands(self, command: str, **values: str) -> None:
        """Have simulated hands do what a person would."""
        self._say(command, **values)

    def arm(self, rate_Hz: float, points: int, before: float, source: str) -> None:
        """Make an oscilloscope ready for one record: at once (IMM), or about an event (EXT)."""
        self._say("arm", rate=f"{rate_Hz:.6g}", points=str(points), before=f"{before:.3f}", source=source)

    def fetch(self) -> tuple[Array, float, float]:
        """Volts (n,), samples a second, and the first one's time from the event."""
        answer = self._ask("scaling")
        try:
            step_s, start_s, volts, zero = (float(x) for x in answer.split(","))
        except ValueError as error:
            raise LinkFailed(
                f"{self.part} answered “{cleaned(answer)[:40]}” where four figures were asked."
            ) from error
        if not step_s > 0:
            raise LinkFailed(f"{self.part} gave no time from sample to sample.")
        codes = np.asarray(self.fetch_raw(), float)
        if len(codes) < 2 or not np.isfinite(codes).all() or np.abs(codes).max() >= 9.9e37:
            raise LinkFailed(f"{self.part} gave no waveform.")
        record = codes * volts + zero if self.profile.encoding == "int16" else codes
        return record, 1 / step_s, start_s

    def fetch_raw(self) -> Array:
        if self.profile.encoding == "ascii":
            with self._mutex:
                answer = self._answer(self._text("fetch"), MOST_BLOCK)
            try:
                return np.array([float(x) for x in answer.split(",")])
            except ValueError as error:
                raise LinkFailed(f"{self.part} answered no list of numbers.") from error
        kind = "i2" if self.profile.encoding == "int16" else "f4"
        order = ">" if self.profile.big_endian else "<"
        with self._mutex:
            link, deadline = self._ready()

            def exchange() -> bytes:
                link.drain()
                link.say(self._text("fetch").encode(), deadline)
                return link.block(deadline)

            data = self._guarded(exchange)
        try:
            return np.frombuffer(data, f"{order}{kind}").astype(float)
        except ValueError as error:
            raise LinkFailed(f"{self.part} gave no block of data.") from error

    def say_raw(self, text: str) -> None:
        with self._mutex:
            self._say_line(text)

    def ask_raw(self, text: str) -> str:
        with self._mutex:
            link, deadline = self._ready()
            unasked = self._guarded(link.drain)
            if unasked:
                raise LinkFailed(f"{self.part} sends without being asked.")
            self._guarded(lambda: link.say(text.encode(), deadline))
            found = self._guarded(lambda: link.line(deadline))
            if not self._guarded(lambda: link.quiet_for(SILENT_S)):
                raise LinkFailed(f"{self.part} sends more than one answer.")
        return cleaned(found)

    def switch(self, on: bool) -> None:
        self._say("on" if on else "off")

    def is_on(self) -> bool:
        answer = self._ask("is_on").upper()
        if answer not in ("0", "1", "ON", "OFF"):
            raise LinkFailed(f"{self.part} answered “{cleaned(answer)[:40]}” where on or off was asked.")
        return answer in ("1", "ON")

    def read(self, command: str, channels: int = 1) -> list[float]:
        """The figures of a command; of several temperatures in one question where the profile knows it."""
        if command == "read_celsius" and channels > 1:
            if "read_all_celsius" not in {**self.profile.commands, **self.profile.told_by_itself()}:
                channels = 1
            else:
                command = "read_all_celsius"
        if self.profile.streaming:
            return self._streamed(command, channels)
        answer = self._ask(command, **({"channels": str(channels)} if command == "read_all_celsius" else {}))
        wanted = "numbers were" if channels > 1 else "a number was"
        return self.figures_of(answer, lambda: figures(self.profile, command, answer, channels), wanted)

    def errors(self) -> list[str]:
        found: list[str] = []
        while "error" in self.profile.commands and len(found) < 32:
            answer = self._ask("error")
            if not _ERROR.match(answer):
                raise LinkFailed(
                    f"{self.part} answered “{cleaned(answer)[:40]}” where its errors were asked."
                )
            if answer.lstrip("+").startswith("0"):
                break
            found.append(cleaned(answer))
        return found

    def _streamed(self, command: str, channels: int) -> list[float]:
        """Figures of the first line that begins from now on and has them; a banner is passed over."""
        with self._mutex:
            link, deadline = self._ready()
            deadline += GRACE_S
            wanted = self._guarded(lambda: link.fresh_line(deadline))
            for _ in range(MOST_STALE):
                with contextlib.suppress(ValueError, LinkFailed):
                    found = figures(self.profile, command, _decoded(wanted), channels)
                    self.age_s = wall.now() - link.began_at
                    return found
                wanted = self._guarded(lambda: link.line(deadline))
        raise LinkFailed(f"{self.part} sends lines without a figure.")

    def _text(self, command: str, **values: str) -> str:
        text = self.profile.commands[command]
        for name, value in values.items():
            text = text.replace("{" + name + "}", value)
        return text

    def _say(self, command: str, **values: str) -> None:
        with self._mutex:
            self._say_line(self._text(command, **values))

    def _ask(self, command: str, **values: str) -> str:
        text = self._text(command, **values)
        with self._mutex:
            return self._answer(text)

    def _say_line(self, text: str) -> None:
        link, deadline = self._ready()
        self._guarded(lambda: link.say(text.encode(), deadline))
        wanted = self.profile.acknowledge
        if wanted:
            said = cleaned(self._guarded(lambda: link.line(deadline)))
            if said != wanted:
                raise LinkFailed(
                    f"{self.part} answered “{said[:40]}” to “{text}” where {wanted} was awaited."
                )

    def _answer(self, text: str, most: int = MOST_LINE) -> str:
        """The answer that belongs to a question; LinkFailed where none is known to."""
        if self._numbers:
            return self._by_number(text, most)
        if self._known_as:
            return self._by_identity(text, most)
        return _decoded(self._plain_answer(text.encode(), most, alone=True))

    def _by_number(self, text: str, most: int) -> str:
        link, deadline = self._ready()
        # The guard counts from 200 on, on the same link.
        self._number_asked = self._number_asked % 199 + 1
        mark = str(self._number_asked)
        root = "" if text.startswith(("*", ":")) else self._root
        asked = f"{self.profile.sequence.replace('{n}', mark)};{root}{text}".encode()

        def exchange() -> str:
            link.drain()
            link.say(asked, deadline)
            for _ in range(MOST_STALE):
                number, parted, rest = link.line(deadline, most).partition(b";")
                if parted and number.strip().lstrip(b"+") == mark.encode():
                    return _decoded(rest)
            raise LinkFailed("it goes on answering what was asked before.")

        return self._guarded(exchange)

    def _by_identity(self, text: str, most: int) -> str:
        """Exactly one line before the instrument says who it is; more, or fewer, can't be told apart."""
        link, deadline = self._ready()
        end = self.profile.termination

        def exchange() -> str:
            link.drain()
            link.say(f"{text}{end}{self._text('identify')}".encode(), deadline)
            found: list[bytes] = []
            while (line := link.line(deadline, most)) != self._known_as:
                found.append(line)
                if len(found) > MOST_STALE:
                    break
            if len(found) != 1:
                raise LinkFailed("its answers can't be told from what it sends besides.")
            return _decoded(found[0])

        return self._guarded(exchange)

    def _plain_answer(self, asked: bytes, most: int = MOST_LINE, *, alone: bool = False) -> bytes:
        link, deadline = self._ready()

        def exchange() -> bytes:
            if link.drain() and alone:
                raise LinkFailed("it sends without being asked, so its answers can't be told apart.")
            link.say(asked, deadline)
            found = link.line(deadline, most)
            if alone and not link.quiet_for(SILENT_S):
                raise LinkFailed("it sends more than one answer, so they can't be told apart.")
            return found

        return self._guarded(exchange)


def _decoded(answer: bytes) -> str:
    text = text_of(answer)
    if "\ufffd" in text:
        raise LinkFailed("it answers what is no text.")
    return text
