"""The job: the whole immutable document of one supply."""

import json
from typing import Annotated, Literal

from pydantic import Field, ValidationError

from tensimeter.core.errors import UserError
from tensimeter.core.model.bounds import must_be_bounded
from tensimeter.core.model.migrations import MINOR, migrated
from tensimeter.core.model.tests import Test
from tensimeter.core.parts.registry import Part
from tensimeter.core.path import Design, OutputLink
from tensimeter.core.record import WITH_UNKNOWN, Fraction, Identifier, Name, NotNegative, Positive, Record
from tensimeter.core.settings import Policy, Settings


class Colours(Record):
    """Wires' colours by what they carry: the builder's own scheme."""

    plus: str = "red"
    minus: str = "black"
    middle: str = "orange"
    earth: str = "green-yellow"
    live: str = "brown"
    neutral: str = "blue"
    supply: str = "yellow"


class WireChoice(Record):
    """What the builder decides of one wire: its cut length, whether it is made."""

    wire: Name
    length_m: Positive | None = None
    made: bool = False


class Pulled(Record):
    """A connector or wire that was pulled: of what, from where, how it is told apart, whether it is back."""

    id: Identifier
    unit: Name
    what: Name
    where: str = ""
    keyed: bool = False
    label: str = ""
    back: bool = False


class Mark(Record):
    """A place on a photo, as shares of its width and height, and what is there."""

    photo: int
    x: Fraction
    y: Fraction
    text: Name


class Adjusted(Record):
    """A trip, a preset or an alarm as it was set, and the reading that showed it."""

    what: Name
    value: str
    shown_by: str = ""


class Assembly(Record):
    """What is decided and done while building; readings are kept apart, as facts.

    `already_running`: the supply was not built with this program; it is taken as it stands.
    """

    colours: Colours = Field(default_factory=Colours)
    wires: tuple[WireChoice, ...] = ()
    pulled: tuple[Pulled, ...] = ()
    settings: tuple[Adjusted, ...] = ()
    marks: tuple[Mark, ...] = ()
    looked_over: tuple[str, ...] = ()
    limiter: Literal["bench_limiter", "lamp", "variable_transformer", "none"] = "bench_limiter"
    already_running: bool = False


class Campaign(Record):
    """Which tests prove the supply, and with what it is measured."""

    tests: tuple[Test, ...] = ()
    load: Identifier | None = None
    #: Further loads, for other outputs at the same time.
    other_loads: tuple[Identifier, ...] = ()
    voltmeter: Identifier | None = None
    ammeter: Identifier | None = None
    thermometer: Identifier | None = None
    #: Where the thermometer's channels sit, in their order; empty: the first on the hottest sink.
    probes: tuple[Name, ...] = ()
    oscilloscope: Identifier | None = None
    line_source: Identifier | None = None
    clamp: Identifier | None = None
    wiring: Literal["two-wire", "four-wire"] = "four-wire"
    sense_lead_ohm: NotNegative = 0.0
    sense_lead_tolerance: Fraction = 0.1


class Overrule(Record):
    """A hold point that was passed without its reading, and why."""

    hold: Name
    reason: Annotated[str, Field(min_length=3)]


class Nameplate(Record):
    """What the supply says of itself, before anything is proven."""

    text: str
    volts: Positive
    amps: Positive | None = None
    watts: Positive | None = None


class Variant(Record):
    """A design that was set aside, with the stock and policy it was thought with."""

    name: Name
    design: Design
    policy: Policy
    stock: tuple[Part, ...]


class Job(Record):
    """One supply: stock, design, policy, campaign; `variant` names the design in hand."""

    format: Literal[3] = 3
    #: Of the program that wrote it; a newer one's unknown fields are kept as they are.
    minor: Annotated[int, Field(ge=0)] = MINOR
    name: Name
    #: Whether everything about it is made up, to try the program out.
    demo: bool = False
    place: str = ""
    nameplate: Nameplate | None = None
    settings: Settings = Field(default_factory=Settings)
    stock: tuple[Part, ...] = ()
    design: Design = Field(default_factory=Design)
    policy: Policy = Field(default_factory=Policy)
    campaign: Campaign = Field(default_factory=Campaign)
    assembly: Assembly = Field(default_factory=Assembly)
    overruled: tuple[Overrule, ...] = ()
    variant: Name = "as built"
    variants: tuple[Variant, ...] = ()

    def part(self, part_id: str | None) -> Part | None:
        """The part with this id, or None."""
        return next((part for part in self.stock if part.id == part_id), None)

    def output(self, output_id: str) -> OutputLink:
        """The output with this id or name; UserError when there is none."""
        for output in self.design.outputs():
            if output_id.casefold() in (output.id.casefold(), output.name.casefold()):
                return output
        names = ", ".join(o.name for o in self.design.outputs()) or "none yet"
        raise UserError(f"There is no output “{output_id}” in this job; its outputs are: {names}.")

    def test(self, name: str) -> Test:
        """The test with this id, or the first of this kind; UserError when there is none."""
        for test in self.campaign.tests:
            if name in (test.id, test.kind):
                return test
        names = ", ".join(t.id for t in self.campaign.tests) or "none yet"
        raise UserError(f"There is no test “{name}” in this job; its tests are: {names}.")


def read_job(data: str | bytes | dict[str, object]) -> Job:
    """A job from JSON text or a parsed object; UserError in one sentence when it is not one.

    A job of an older major is brought up to this one's; of a newer minor, what is not known is kept.
    """
    try:
        found = data if isinstance(data, dict) else json.loads(data)
        if not isinstance(found, dict):
            raise UserError("This is not a job that can be read: it is no JSON object.")
        current, newer = migrated(found)
        # As JSON again where it came so: a list is a tuple only there.
        job = Job.model_validate_json(json.dumps(current), context=WITH_UNKNOWN if newer else None)
    except RecursionError as error:
        raise UserError("This is not a job that can be read: it is nested too deeply.") from error
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(step) for step in first["loc"]) or "the whole"
        said = first["msg"].removeprefix("Value error, ")
        raise UserError(f"This is not a job that can be read: {where}: {said}.") from error
    except ValueError as error:
        raise UserError(f"This is not a job that can be read: {error}.") from error
    designs = (job.design, *(v.design for v in job.variants))
    must_be_bounded(job.stock, job.campaign.tests, designs)
    return job
