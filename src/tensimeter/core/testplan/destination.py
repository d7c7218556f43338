"""Where a reading counts, by whatever door it comes: the test and the step that it fits, across all tests."""

from collections.abc import Sequence

from msgspec import Struct

from tensimeter.core.model.job import Job
from tensimeter.core.quantity import show
from tensimeter.core.readingline import NOTHING_IN_HAND, InHand, Understood
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import FAN, Plan, Step, displays_of
from tensimeter.core.testplan.taken import NEAR_SHARE, by_points


class Destination(Struct, frozen=True):
    """The test and the step that a reading counts in first; `at_A` is what flows with it, as said.

    Without a plan it is kept and counts in no test; without a step it counts in its test beside the points.
    A point of an output counts in every test that it fits: this is the one that is told.
    """

    plan: Plan | None = None
    step: int | None = None
    at_A: float | None = None
    words: str = ""

    @property
    def test(self) -> str | None:
        """The id of the test that it was read for; None where it counts in none, or in all that it fits."""
        return self.plan.test.id if self.plan is not None and not by_points(self.plan) else None

    @property
    def at_step(self) -> int | None:
        """The step that it was read for; None where that follows from its circumstances."""
        return self.step if self.test is not None else None


def in_hand_of(plan: Plan | None, step: int | None, output: str | None = None) -> InHand:
    """What a line is read by while a step is in hand; `output` is meant where no test is."""
    if plan is None or step is None or step >= len(plan.steps):
        return InHand(plan.output.id if plan is not None else output) if plan or output else NOTHING_IN_HAND
    s = plan.steps[step]
    expected = s.predicted_V.value if s.predicted_V else plan.output.nominal_V
    # Past a limit the volts may be anything.
    anything = s.past_limits or s.asks != "V" or s.phase == "back"
    place = s.place or plan.output.id
    most = None if s.past_limits else plan.most_A
    return InHand(place, s.asks, s.also, None if anything else expected, most)


def destination(
    job: Job, line: Understood, plans: Sequence[Plan], read: ReadSoFar, step: int | None = None
) -> Destination:
    """Where a reading counts. The first of the plans is the one in hand, with its `step`.

    The test in hand takes what it reads; else the first other one that does, those first that an output's
    rating is proven by. What goes past a limit is only ever taken in hand. Amps that are far from those of
    the step in hand lead to a test that asks for them, where there is one.
    """
    if any(line.place in displays_of(o.id) for o in job.design.outputs()):
        # A display is held against what is read at the same moment, whatever is tested.
        return Destination(at_A=line.at_A, words=_nowhere(job, line))
    far: Destination | None = None
    for plan, in_hand in _in_order(plans, step):
        if plan is not plans[0] and line.quantity == "V" and line.at_A is None:
            # Volts alone belong to a current that only a step in hand tells.
            continue
        found = _in_plan(line, plan, read, in_hand)
        if found is None or (far is not None and not _near(line, found)):
            continue
        if plan is plans[0] and not _near(line, found):
            far = found
            continue
        return _with_words(job, line, found)
    if far is not None:
        return _with_words(job, line, far)
    return Destination(at_A=line.at_A, words=_nowhere(job, line))


def _near(line: Understood, found: Destination) -> bool:
    """Whether the amps said with volts are those of the step that takes them, where that asks for any."""
    if found.plan is None or found.step is None or line.at_A is None or line.quantity != "V":
        return True
    step, kind = found.plan.steps[found.step], kind_of(found.plan.test)
    free = kind.by_current or kind.past_limits or kind.heats or (line.place, line.quantity) in step.also
    return (
        free
        or step.ohms is not None
        or step.watts is not None
        or bool(near_steps(found.plan, line.at_A, [step]))
    )


def _in_order(plans: Sequence[Plan], step: int | None) -> list[tuple[Plan, int | None]]:
    if not plans:
        return []
    first, *rest = plans
    others = [p for p in rest if not kind_of(p.test).past_limits and not kind_of(p.test).heats]
    others.sort(key=lambda p: not kind_of(p.test).rates(p.test))
    return [(first, step), *((p, None) for p in others)]


def _in_plan(line: Understood, plan: Plan, read: ReadSoFar, in_hand: int | None) -> Destination | None:
    """Where a plan takes a reading; None where it does not."""
    fitting = [s for s in plan.steps if _takes(plan, s, line)]
    if not fitting:
        return None
    hand = next((s for s in fitting if s.index == in_hand), None)
    chosen = _step_of(line, plan, read, fitting, hand)
    if chosen is None and (line.at_A is None or not kind_of(plan.test).by_current):
        return None
    if line.at_A is None and line.quantity in ("V", "Vpp") and by_points(plan):
        # Volts that nobody said the amps of are a point of no test.
        return None
    return Destination(plan, chosen.index if chosen is not None else None, line.at_A)


def _takes(plan: Plan, step: Step, line: Understood) -> bool:
    """Whether a step reads a quantity at a place."""
    place = step.place or plan.output.id
    if line.quantity == "Vpp":
        return step.capture is not None and line.place == place
    if step.hold_s is not None and (line.quantity in ("C", "dB") or line.place == FAN):
        return True
    if (line.place, line.quantity) in step.also:
        return True
    return line.place == place and line.quantity in ("V", step.asks, *kind_of(plan.test).totals)


def _step_of(
    line: Understood, plan: Plan, read: ReadSoFar, fitting: list[Step], hand: Step | None
) -> Step | None:
    """The step among those that fit: the one in hand, or the open one whose current is nearest."""
    kind = kind_of(plan.test)
    if hand is not None and (line.at_A is None or kind.past_limits):
        return _where_it_flows(line, plan, fitting, hand)
    if line.at_A is None:
        # Of those that are not by the current the first open one is as good as any.
        waiting = [s for s in fitting if s.index not in read.done(plan)]
        return None if kind.by_current else next(iter(waiting or fitting))
    near = near_steps(plan, line.at_A, fitting)
    if hand is not None and (hand in near or not (kind.by_current or hand.hold_s is not None)):
        return hand
    if hand is not None and hand.hold_s is not None and not near:
        return hand
    if not near:
        return None
    done = read.done(plan)
    waiting = [s for s in near if s.index not in done and s.hold_s is None]
    return min(waiting or near, key=lambda s: (abs(s.set_A - (line.at_A or 0.0)), s.index))


def _where_it_flows(line: Understood, plan: Plan, fitting: Sequence[Step], hand: Step) -> Step:
    """The step in hand; where amps flow and it asks for none, the nearest of those that ask for amps."""
    if hand.phase != "back" or (line.at_A or 0.0) <= NEAR_SHARE * plan.most_A:
        return hand
    loaded = [s for s in fitting if s.phase == "approach" and s.set_A > 0]
    return min(loaded, key=lambda s: (abs(s.set_A - (line.at_A or 0.0)), s.index), default=hand)


def near_steps(plan: Plan, amps: float, among: Sequence[Step] | None = None) -> list[Step]:
    """Steps whose current, A, is within a twentieth of the largest planned."""
    steps = plan.steps if among is None else among
    return [s for s in steps if abs(s.set_A - amps) <= NEAR_SHARE * plan.most_A + 1e-9]


def step_for(plan: Plan, amps: float, done: set[int]) -> int | None:
    """The step a reading at this current, A, belongs to; one that is done only when no open one fits."""
    near = near_steps(plan, amps)
    waiting = [s for s in near if s.index not in done]
    chosen = min(waiting or near, key=lambda s: (abs(s.set_A - amps), s.index), default=None)
    return chosen.index if chosen is not None else None


def _with_words(job: Job, line: Understood, found: Destination) -> Destination:
    """It, with where that is in words."""
    assert found.plan is not None
    plan = found.plan
    kind = kind_of(plan.test).name
    place = plan.output.name
    if found.step is None:
        at = f"at {show(found.at_A, 'A', 3)}, beside its points"
    else:
        step = plan.steps[found.step]
        named = next((o.name for o in job.design.outputs() if o.id == step.place), "")
        place = named or place
        at = step.title or show(step.set_A, "A", 3)
    return Destination(plan, found.step, found.at_A, f"{place}, {kind}, {at}")


def _nowhere(job: Job, line: Understood) -> str:
    output = next((o for o in job.design.outputs() if line.place in (o.id, *displays_of(o.id))), None)
    if output is None:
        return "kept in the job; no test reads it"
    if line.place in displays_of(output.id):
        return f"a display, beside what is read of {output.name} at the same moment"
    wants_amps = line.quantity == "V" and line.at_A is None
    tests = [t for t in job.campaign.tests if t.output == output.id and kind_of(t).by_current]
    if wants_amps and tests:
        return "at what current? @unloaded, or such as @4A"
    return f"counts nowhere yet: no test of {output.name} reads it"
