"""What hands do between two steps: move leads, turn trims, switch at the wall. A person is asked where no
instrument and no simulated bench does it."""

from tensimeter.bench import wall
from tensimeter.bench.events import Event
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.step_context import StepContext
from tensimeter.core.errors import UserError
from tensimeter.core.quantity import show
from tensimeter.core.testplan.step import Step

#: Bench seconds without power after which a supply is taken to be reset, and after power until it stands.
RESET_S, START_S = 8.0, 3.0


class OperatorActions:
    """Arranges the bench for each step, and knows where everything sits."""

    def __init__(self, context: StepContext) -> None:
        self._context = context
        self._at: dict[str, str] = {}
        self._line_V: float | None = None
        self._trims: dict[str, float] = {}

    def where(self, role: str) -> str:
        """The output at which an instrument sits."""
        return self._at.get(role, self._context.plan.output.id if role in ("load", "voltmeter") else "")

    def role_at(self, output: str) -> str | None:
        """The further load that sits at an output."""
        return next(
            (r for r, at in self._at.items() if at == output and r not in ("load", "voltmeter")), None
        )

    def arrange(self, step: Step) -> bool:
        """Everything of a step but the loads' settings; whether its volts were set otherwise."""
        bench = self._context.bench
        place = step.place or self._context.plan.output.id
        if self.where("load") != place:
            self._context.let_go()
            self.join_load(place, step.hand)
        self.join_meter(place)
        if step.reset:
            self.reset(step.hand)
        if step.line_V is not None and step.line_V != self._line_V:
            if bench.line is not None:
                bench.line.set_volts(step.line_V)
            else:
                self.ask(step.hand)
            self._line_V = step.line_V
        if step.trim_V is not None and self._trims.get(place) != step.trim_V:
            if bench.hands is not None:
                self._do("trim", output=place, volts=f"{step.trim_V:.4f}")
            else:
                self.ask(step.hand or f"Set {place} to {show(step.trim_V, 'V', 4)}.")
            self._trims[place] = step.trim_V
            return True
        return False

    @property
    def can_reset(self) -> bool:
        """Whether the supply can be switched without asking a person."""
        return self._context.bench.line is not None or self._context.bench.hands is not None

    def reset(self, words: str = "") -> None:
        """Off at the wall for long enough, and on again; trims are back where they belong."""
        for output in list(self._trims):
            link = next((o for o in self._context.file.job.design.outputs() if o.id == output), None)
            if link is not None and self._trimmed_back(output, link.nominal_V):
                self._trims[output] = link.nominal_V
        self.power(False, words)
        self._context.wait(RESET_S)
        self.power(True)
        self._context.wait(START_S)

    def join_load(self, output: str, words: str = "") -> None:
        """Load and meter at an output, with the load off."""
        if self._context.bench.hands is not None:
            self._do("place_load", role="load", output=output)
        elif output != self.where("load"):
            self.ask(words or f"Move the load and the meter to {self._name(output)}.")
        self._at["load"] = self._at["voltmeter"] = output

    def join(self, role: str, output: str) -> None:
        """A further load at an output."""
        if self._context.bench.hands is not None:
            self._do("place_load", role=role, output=output)
        else:
            self.ask(f"Join {role} to {self._name(output)}.")
        self._at[role] = output

    def join_meter(self, output: str) -> None:
        """The voltmeter alone at an output; loads stay as they are."""
        if self.where("voltmeter") == output:
            return
        if self._context.bench.hands is not None:
            self._do("place_meter", output=output)
        else:
            self.ask(f"Move the voltmeter to {self._name(output)}.", unloaded=False)
        self._at["voltmeter"] = output

    def join_device(self, output: str, amps: float, words: str) -> None:
        """A real device as the load."""
        if self._context.bench.hands is not None:
            self._do("join", output=output, amps=f"{amps:.4f}")
        else:
            self.ask(words, unloaded=False)

    def power(self, on: bool, words: str = "") -> None:
        """Switch the supply at the wall."""
        bench = self._context.bench
        if bench.line is not None:
            bench.line.switch(on)
            if bench.line.can("is_on") and bench.line.is_on() != on:
                raise UserError(f"The line source did not switch {'on' if on else 'off'}.")
        elif bench.hands is not None:
            self._do("power_on" if on else "power_off")
        elif words or not on:
            self.ask(words or f"Switch the supply {'on' if on else 'off'} at the wall.", unloaded=False)

    def ask(self, text: str, *, unloaded: bool = True) -> None:
        """Have a person do something, with the loads off meanwhile where they have to be."""
        context = self._context
        if unloaded:
            context.let_go()
            # Nobody is sent to the plugs before the load itself says that it is off.
            context.look_unloaded()
        context.control.answered.clear()
        context.tell(Event("ask", context.step, text=text, at_s=context.since()))
        if unloaded:
            context.wait_unloaded(context.control.answered)
            return
        # Volts are not judged meanwhile: a lead in the hand and a supply that is off read nothing.
        while not wall.wait(context.control.answered, 0.2):
            context.speak_to_loads()
        context.control.check()

    def left_behind(self) -> str:
        """Set the line back where an instrument can; say what only hands can."""
        bench, job = self._context.bench, self._context.file.job
        said = ""
        if self._line_V is not None and self._line_V != job.settings.mains_V:
            try:
                if bench.line is None:
                    raise LinkFailed("there is no line source")
                bench.line.set_volts(job.settings.mains_V)
            except LinkFailed:
                said += f" The line stands at {self._line_V:.0f} V: set it back."
        for output, volts in self._trims.items():
            nominal = next((o.nominal_V for o in job.design.outputs() if o.id == output), volts)
            if abs(volts - nominal) > 1e-6 * nominal and not self._trimmed_back(output, nominal):
                said += f" The trim of {self._name(output)} was left at {show(volts, 'V', 4)}: set it back."
        return said

    def _trimmed_back(self, output: str, volts: float) -> bool:
        """Whether simulated hands turned a trim back to where it belongs."""
        if self._context.bench.hands is None:
            return False
        try:
            self._do("trim", output=output, volts=f"{volts:.4f}")
        except (LinkFailed, UserError):
            return False
        return True

    def _do(self, command: str, **values: str) -> None:
        hands = self._context.bench.hands
        assert hands is not None
        hands.ask_hands(command, **values)
        said = hands.errors()
        if said:
            raise UserError(f"The simulated bench can't do this ({said[0]}): take the point by hand.")

    def _name(self, output: str) -> str:
        outputs = self._context.file.job.design.outputs()
        return next((o.name for o in outputs if o.id == output), output)
