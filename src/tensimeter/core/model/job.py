"""The job: the whole immutable document of one supply."""

import json
from typing import Annotated, Literal

from pydantic import Field, ValidationError

from tensimeter.core.described import Quantity
from tensimeter.core.errors import UserError
from tensimeter.core.model.bounds import must_be_bounded
from tensimeter.core.model.migrations import MINOR, migrated
from tensimeter.core.model.plate import PlateRecord
from tensimeter.core.model.tests import Test
from tensimeter.core.model.trims import TrimScrew
from tensimeter.core.parts.registry import Part
from tensimeter.core.path import Design, OutputLink
from tensimeter.core.record import WITH_UNKNOWN, Fraction, Identifier, Name, NotNegative, Positive, Record
from tensimeter.core.settings import Policy, Settings


class Colours(Record):
    """Wires' colours by what they carry: the builder's own scheme."""

    plus: Annotated[str, Quantity("", "plus")] = "red"
    minus: Annotated[str, Quantity("", "minus")] = "black"
    middle: Annotated[str, Quantity("", "middle")] = "orange"
    earth: Annotated[str, Quantity("", "earth")] = "green-yellow"
    live: Annotated[str, Quantity("", "live")] = "brown"
    neutral: Annotated[str, Quantity("", "neutral")] = "blue"
    supply: Annotated[str, Quantity("", "supply")] = "yellow"


class WireChoice(Record):
    """What the builder decides of one wire: its cut length, whether it is made."""

    wire: Annotated[Name, Quantity("", "wire")]
    length_m: Annotated[Positive | None, Quantity("m", "length", "length of one leg")] = None
    made: Annotated[bool, Quantity("", "made")] = False


class Pulled(Record):
    """A connector or wire that was pulled: of what, from where, how it is told apart, whether it is back."""

    id: Identifier
    unit: Annotated[Name, Quantity("", "unit")]
    what: Annotated[Name, Quantity("", "what", "what it is, in words")]
    where: Annotated[str, Quantity("", "where")] = ""
    keyed: Annotated[bool, Quantity("", "keyed")] = False
    label: Annotated[str, Quantity("", "label")] = ""
    back: Annotated[bool, Quantity("", "back")] = False


class Mark(Record):
    """A place on a photo, as shares of its width and height, and what is there."""

    photo: Annotated[int, Quantity("", "photo")]
    x: Annotated[Fraction, Quantity("", "x")]
    y: Annotated[Fraction, Quantity("", "y")]
    text: Annotated[Name, Quantity("", "text")]


class Adjusted(Record):
    """A trip, a preset or an alarm as it was set, and the reading that showed it."""

    what: Annotated[Name, Quantity("", "what", "what it is, in words")]
    value: Annotated[str, Quantity("", "value")]
    shown_by: Annotated[str, Quantity("", "shown by")] = ""


class Assembly(Record):
    """What is decided and done while building; readings are kept apart, as facts.

    `already_running`: the supply was not built with this program; it is taken as it stands.
    """

    colours: Annotated[Colours, Quantity("", "colours")] = Field(default_factory=Colours)
    wires: Annotated[tuple[WireChoice, ...], Quantity("", "wires", "what was decided of each")] = ()
    pulled: Annotated[tuple[Pulled, ...], Quantity("", "pulled")] = ()
    settings: Annotated[tuple[Adjusted, ...], Quantity("", "settings")] = ()
    marks: Annotated[tuple[Mark, ...], Quantity("", "marks")] = ()
    looked_over: Annotated[tuple[str, ...], Quantity("", "looked over")] = ()
    limiter: Annotated[
        Literal["bench_limiter", "lamp", "variable_transformer", "none"], Quantity("", "limiter")
    ] = "bench_limiter"
    already_running: Annotated[bool, Quantity("", "already running")] = False
    trims: Annotated[tuple[TrimScrew, ...], Quantity("", "trims", "what is turned to set it right")] = ()


class Campaign(Record):
    """Which tests prove the supply, and with what it is measured."""

    tests: Annotated[tuple[Test, ...], Quantity("", "tests")] = ()
    load: Annotated[Identifier | None, Quantity("", "load")] = None
    #: Loads at the same output, in parallel with the first.
    parallel_loads: Annotated[tuple[Identifier, ...], Quantity("", "loads in parallel")] = ()
    #: Further loads, for other outputs at the same time.
    other_loads: Annotated[tuple[Identifier, ...], Quantity("", "other loads")] = ()
    voltmeter: Annotated[Identifier | None, Quantity("", "voltmeter")] = None
    ammeter: Annotated[Identifier | None, Quantity("", "ammeter")] = None
    thermometer: Annotated[Identifier | None, Quantity("", "thermometer")] = None
    #: Where the thermometer's channels sit, in their order; empty: the first on the hottest sink.
    probes: Annotated[tuple[Name, ...], Quantity("", "probes")] = ()
    oscilloscope: Annotated[Identifier | None, Quantity("", "oscilloscope")] = None
    line_source: Annotated[Identifier | None, Quantity("", "line source")] = None
    clamp: Annotated[Identifier | None, Quantity("", "clamp")] = None
    wiring: Annotated[Literal["two-wire", "four-wire"], Quantity("", "wiring")] = "four-wire"
    sense_lead_ohm: Annotated[NotNegative, Quantity("Ω", "sense lead")] = 0.0
    sense_lead_tolerance: Annotated[Fraction, Quantity("", "sense lead tolerance")] = 0.1


class Overrule(Record):
    """A hold point that was passed without its reading, and why."""

    hold: Annotated[Name, Quantity("", "hold")]
    reason: Annotated[str, Field(min_length=3), Quantity("", "reason")]


class Nameplate(Record):
    """What the supply says of itself, before anything is proven."""

    text: Annotated[str, Quantity("", "text")]
    #: One that was repaired, or whose mains side is the builder's own, is read before anything is loaded.
    made: Annotated[
        Literal["bought", "repaired", "own_mains"],
        Quantity("", "it is", "bought, repaired, or of your own mains side"),
    ] = "bought"
    volts: Annotated[Positive, Quantity("", "volts", "volts, or how well it reads them")]
    amps: Annotated[Positive | None, Quantity("", "amps", "amps, or how well it reads them")] = None
    watts: Annotated[Positive | None, Quantity("", "watts", "watts, or how well it reads them")] = None


class Variant(Record):
    """A design that was set aside, with the stock and policy it was thought with."""

    name: Annotated[Name, Quantity("", "name", "what it is called; links and lists show it")]
    design: Annotated[Design, Quantity("", "design")]
    policy: Annotated[Policy, Quantity("", "policy")]
    stock: Annotated[tuple[Part, ...], Quantity("", "stock")]


class State(Record):
    """What parts the readings before from those after: what was done to the supply, or to its description.

    `open`: an edit of what is electrical, of which nobody has said whether the supply was changed as well;
    `circuit` marks what was drawn before it.
    """

    number: Annotated[int, Field(ge=2), Quantity("", "number", "told by no other state")]
    what: Annotated[Name, Quantity("", "what", "what it is, in words")]
    at: Annotated[float, Quantity("s", "at", "when it began, since 1970")]
    how: Annotated[Literal["changed", "described", "open"], Quantity("", "how", "what it parts")] = "open"
    circuit: Annotated[str, Quantity("", "circuit", "what was drawn before")] = ""


class Job(Record):
    """One supply: stock, design, policy, campaign; `variant` names the design in hand."""

    format: Literal[4] = 4
    #: Of the program that wrote it; a newer one's unknown fields are kept as they are.
    minor: Annotated[int, Field(ge=0)] = MINOR
    name: Annotated[Name, Quantity("", "name", "what it is called; links and lists show it")]
    #: Whether everything about it is made up, to try the program out.
    demo: Annotated[bool, Quantity("", "demo")] = False
    place: Annotated[str, Quantity("", "temperature read at", "where its temperature is read")] = ""
    nameplate: Annotated[Nameplate | None, Quantity("", "nameplate")] = None
    settings: Annotated[Settings, Quantity("", "settings")] = Field(default_factory=Settings)
    stock: Annotated[tuple[Part, ...], Quantity("", "stock")] = ()
    design: Annotated[Design, Quantity("", "design")] = Field(default_factory=Design)
    policy: Annotated[Policy, Quantity("", "policy")] = Field(default_factory=Policy)
    campaign: Annotated[Campaign, Quantity("", "campaign")] = Field(default_factory=Campaign)
    assembly: Annotated[Assembly, Quantity("", "assembly")] = Field(default_factory=Assembly)
    overruled: Annotated[tuple[Overrule, ...], Quantity("", "overruled")] = ()
    plate: Annotated[PlateRecord, Quantity("", "plate", "what its builder adds to its plate")] = Field(
        default_factory=PlateRecord
    )
    variant: Annotated[Name, Quantity("", "variant")] = "as built"
    variants: Annotated[tuple[Variant, ...], Quantity("", "variants")] = ()
    #: In the order in which they began; before the first the supply is in state 1.
    states: Annotated[tuple[State, ...], Quantity("", "states", "what was changed after readings")] = ()

    def in_room(self, ambient_C: float) -> "Job":
        """The same job in a room of another temperature, °C; itself where it is the same."""
        if ambient_C == self.settings.ambient_C:
            return self
        return self.model_copy(update={"settings": self.settings.model_copy(update={"ambient_C": ambient_C})})

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
