"""Taking waveforms in a run: of what stands there, of a load step, of switching on and off."""

from concurrent.futures import ThreadPoolExecutor, wait
from typing import TYPE_CHECKING

from tensimeter.bench.events import Event
from tensimeter.bench.loading import Loading
from tensimeter.bench.operator_actions import RESET_S, START_S, OperatorActions
from tensimeter.bench.step_context import StepContext
from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.parts.instrument_part import WaveformRecorder
from tensimeter.core.testplan.step import Capture, Step
from tensimeter.store.waves import keep_wave

if TYPE_CHECKING:
    from tensimeter.bench.visa import VisaInstrument

#: Real seconds between two words to the load while a record comes over.
LOOK_S = 0.25

#: Samples of a record where the oscilloscope's card says nothing.
PLAIN_SAMPLES, PLAIN_RATE = 10_000, 1e6


class Recording:
    """Arms, sets off, fetches, keeps."""

    def __init__(self, context: StepContext, actions: OperatorActions, loading: Loading) -> None:
        self._context, self._actions, self._loading = context, actions, loading

    def now(self, step: Step) -> None:
        """A record of what stands there, under the load that was settled."""
        assert step.capture is not None
        self._arm(step.capture, "IMM")
        self._wait(step, step.capture.record_s)
        self._fetch(step)

    def event(self, step: Step) -> None:
        """A record about a load step, or about switching on or off."""
        assert step.capture is not None
        if self._context.bench.scope is None:
            raise UserError(
                "This step needs an oscilloscope; the bench names none. Bring its record as a file."
            )
        if step.capture.event == "load_step":
            self._load_step(step, step.capture)
        else:
            self._switching(step, step.capture)

    def _load_step(self, step: Step, capture: Capture) -> None:
        context = self._context
        device = capture.by_hand
        if not device:
            self._loading.settle(step)
        self._arm(capture, "EXT")
        to_A = capture.to_A or 0.0
        if device:
            self._actions.join_device(context.plan.output.id, to_A, step.hand)
        else:
            context.bench.load.set_amps(to_A)
        self._wait(step, capture.record_s)
        self._fetch(step)

    def _switching(self, step: Step, capture: Capture) -> None:
        context, on = self._context, capture.event == "power_on"
        if on:
            context.let_go()
            self._actions.power(False, "Switch the supply off at the wall.")
            context.wait(RESET_S)
            self._loading.load_blind(step)
        else:
            self._loading.settle(step)
        self._arm(capture, "EXT")
        self._actions.power(on, step.hand)
        context.wait(capture.record_s)
        if not on:
            context.let_go()
        self._fetch(step)
        if not on:
            context.wait(RESET_S)
            self._actions.power(True, "Switch the supply on again at the wall.")
            context.wait(START_S)

    def _arm(self, capture: Capture, source: str) -> None:
        scope = self._context.bench.scope
        if scope is None:
            return
        part = self._context.file.job.part(scope.part)
        most, fastest = PLAIN_SAMPLES, PLAIN_RATE
        if isinstance(part, WaveformRecorder):
            most, fastest = int(part.samples), part.sample_Hz
        rate = min(most / capture.record_s, fastest)
        scope.arm(rate, max(round(rate * capture.record_s), 10), capture.before, source)
        said = scope.errors()
        if said:
            raise UserError(f"The oscilloscope refused its settings: {'; '.join(said)}.")

    def _wait(self, step: Step, seconds: float) -> None:
        """Wait while the load is spoken to, or its watchdog would drop it in a long record."""
        clock = self._context.bench.clock
        end = clock.now() + seconds
        while (left := end - clock.now()) > 0:
            self._context.wait(min(left, 0.25 * clock.speed))
            self._context.look(step)

    def _fetched(self, scope: "VisaInstrument") -> tuple[Array, float, float]:
        """The record, brought over beside the run, which goes on speaking to the load."""
        with ThreadPoolExecutor(1, thread_name_prefix="fetch") as beside:
            coming = beside.submit(scope.fetch)
            try:
                while not coming.done():
                    self._context.speak_to_loads()
                    wait([coming], LOOK_S)
            except BaseException:
                scope.break_off()
                raise
            return coming.result()

    def _fetch(self, step: Step) -> None:
        context, scope = self._context, self._context.bench.scope
        if scope is None:
            return
        volts, rate, start = self._fetched(scope)
        place = step.place or context.plan.output.id
        number = keep_wave(
            context.file,
            volts,
            rate,
            place,
            start_s=start,
            instrument=scope.part,
            origin=context.origin,
            test=context.plan.test.id,
            step=step.index,
            run=context.run,
        )
        context.tell(
            Event("wave", step, at_s=context.since(), text=f"waveform {number}, {len(volts)} samples")
        )
