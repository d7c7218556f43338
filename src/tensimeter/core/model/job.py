"""The job: the whole immutable document of one supply."""

from typing import Annotated, Any, Final, Literal

from pydantic import Field, ValidationError, model_validator

from tensimeter.core.errors import Trouble
from tensimeter.core.model.bounds import must_be_bounded
from tensimeter.core.model.tests import Test
from tensimeter.core.parts.kinds import Fraction, Identifier, Name, NotNegative, Part, Positive, Record
from tensimeter.core.path import Design, OutputLink

#: Raised with every change that an older program could not read.
FORMAT: Final = 2


class BoxRecord(Record):
    """The inside of the box in mm; `cable_mm` is kept free at the side where cables leave."""

    length_mm: Positive = 200.0
    width_mm: Positive = 150.0
    height_mm: Positive = 80.0
    cable_mm: NotNegative = 30.0
    metal: bool = True
    gap_mm: NotNegative = 5.0


class Settings(Record):
    """Where the supply is used."""

    mains_V: Positive = 230.0
    mains_Hz: Positive = 50.0
    ambient_C: Annotated[float, Field(ge=-273.15, le=1e4)] = 20.0
    #: Rise of the air inside the box for each watt that is lost in it, K/W; 0: open on the bench.
    box_K_W: NotNegative = 0.0
    #: What a ready-made supply of the kind would cost, in own money.
    ready_made: NotNegative | None = None
    box: BoxRecord | None = None
    #: Used where rain, dew and the sun reach it.
    outdoors: bool = False


class Spread(Record):
    """How far parts stray from their figures, as fractions; rules of thumb, to be changed."""

    source_ohm: Fraction = 0.3
    wire_ohm: Fraction = 0.05
    contact_ohm: Fraction = 0.5
    fuse_ohm: Fraction = 0.2
    loss: Fraction = 0.2


class Policy(Record):
    """The schools the builder follows; each choice and its reason stand in core.policies."""

    donor_share: Annotated[float, Field(ge=0.01, le=1)] = 0.8
    fuse_share: Annotated[float, Field(ge=0.01, le=1)] = 0.75
    reference: Literal["floating", "negative_bonded"] = "floating"
    protection: Literal["fuse", "electronic", "both"] = "both"
    aim: Literal["terminals", "far_end"] = "terminals"
    after_overload: Literal["as_unit", "goes_on", "off_until_reset"] = "as_unit"
    after_heat: Literal["stay_off", "restart"] = "stay_off"
    fan: Literal["always", "threshold", "steps", "proportional"] = "steps"
    test_load: Literal["what_is_there", "resistors", "electronic", "real_device"] = "what_is_there"
    short_circuit: Literal["through_resistor", "straight"] = "through_resistor"
    donor_case: Literal["closed", "opened"] = "closed"
    harness: Literal["breakout", "cut"] = "breakout"
    spare_wires: Literal["insulated", "cut_at_board"] = "insulated"
    insulation: Literal["hardware", "tape"] = "hardware"
    first_power: Literal["behind_limit", "straight"] = "behind_limit"
    trusted: Literal["best_known", "display", "load", "third_meter"] = "best_known"
    display_off: Literal["per_case", "better_parts", "constant", "live_with_it"] = "per_case"
    proven_when: Literal["settled", "moments", "two_hours"] = "settled"
    charging: Literal["with_limits", "never"] = "with_limits"
    spread: Spread = Field(default_factory=Spread)


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

    format: Literal[2] = 2
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

    @model_validator(mode="before")
    @classmethod
    def _of_format_1(cls, data: Any) -> Any:
        """A job of format 1 reads as it is; what format 2 added has a default."""
        if isinstance(data, dict) and data.get("format") == 1 and "demo" not in data:
            return {**data, "format": FORMAT}
        return data

    def part(self, part_id: str | None) -> Part | None:
        """The part with this id, or None."""
        return next((part for part in self.stock if part.id == part_id), None)

    def output(self, output_id: str) -> OutputLink:
        """The output with this id or name; Trouble when there is none."""
        for output in self.design.outputs():
            if output_id.casefold() in (output.id.casefold(), output.name.casefold()):
                return output
        names = ", ".join(o.name for o in self.design.outputs()) or "none yet"
        raise Trouble(f"There is no output “{output_id}” in this job; its outputs are: {names}.")

    def test(self, name: str) -> Test:
        """The test with this id, or the first of this kind; Trouble when there is none."""
        for test in self.campaign.tests:
            if name in (test.id, test.kind):
                return test
        names = ", ".join(t.id for t in self.campaign.tests) or "none yet"
        raise Trouble(f"There is no test “{name}” in this job; its tests are: {names}.")


def read_job(data: str | bytes | dict[str, Any]) -> Job:
    """A job from JSON text or a parsed object; Trouble in one sentence when it is not one."""
    try:
        job = Job.model_validate(data) if isinstance(data, dict) else Job.model_validate_json(data)
    except RecursionError as error:
        raise Trouble("This is not a job that can be read: it is nested too deeply.") from error
    except ValidationError as error:
        first = error.errors()[0]
        if first["loc"] == ("format",):
            raise Trouble(
                "This job was written by a newer Tensimeter; nothing was changed. "
                "Open it with that version or a later one."
            ) from error
        where = ".".join(str(step) for step in first["loc"]) or "the whole"
        raise Trouble(f"This is not a job that can be read: {where}: {first['msg']}.") from error
    must_be_bounded(job)
    return job
