"""How parts are joined: links, each naming what feeds it.

Units of a stack stand on one another through `fed_by`: the unit that stands on another carries
its negative on the other's positive. What is fed by a unit taps the stack at that unit's positive.
"""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from tensimeter.core.described import Quantity
from tensimeter.core.record import Fraction, Identifier, Name, NotNegative, Positive, Record


class AsFound(Record):
    """What readings have shown of a link that its part's card does not say: a figure of it, times and plus.

    `key` names the cause; it is taken back once that is mended.
    """

    key: Annotated[Name, Quantity("", "cause", "which cause it is")]
    field: Annotated[
        Literal["emf", "set_V", "resistance", "contact", "dropout_V"],
        Quantity("", "figure", "which figure of it is another one"),
    ]
    times: Annotated[Positive, Quantity("", "times", "what the figure is multiplied by")] = 1.0
    plus: Annotated[float, Quantity("", "plus", "what is added then, V or Ω")] = 0.0
    reason: Annotated[str, Quantity("", "reason", "what was read that shows it")] = ""

    def then(self, more: "AsFound") -> "AsFound":
        """Join what was found first with what was found beside it of the same figure."""
        return self.with_fields(
            times=self.times * more.times,
            plus=self.plus * more.times + more.plus,
            reason=f"{self.reason} {more.reason}".strip(),
        )


class LinkRecord(Record):
    """What every link has: an id, a name, what feeds it, and the part it is made of."""

    #: The fitting that it asks for in front of a box, and at its back; empty for none.
    in_front: ClassVar[str] = ""
    at_back: ClassVar[str] = ""

    id: Identifier
    name: Annotated[Name, Quantity("", "name", "what it is called; links and lists show it")]
    fed_by: Annotated[Identifier | None, Quantity("", "fed by", "the link that feeds it")] = None
    part: Annotated[Identifier | None, Quantity("", "part", "the part of the stock that it is")] = None
    found: Annotated[
        tuple[AsFound, ...], Quantity("", "as found", "what readings have shown of it beside its card")
    ] = ()


class UnitLink(LinkRecord):
    """A source in the path; fed by another unit it stands on it.

    Of a supply with rails it is one `rail`; of a transformer, its tap number `tap` (0 the lowest). With
    `switch_V` a transformer feeds its lowest tap while the stage behind it is set to no more than that.
    """

    kind: Literal["unit"] = "unit"
    rail: Annotated[Name | None, Quantity("", "rail", "which rail of the supply")] = None
    tap: Annotated[
        int, Field(ge=0), Quantity("", "tap, 0 the lowest", "which tap or profile, 0 the first")
    ] = 0
    switch_V: Annotated[
        Positive | None, Quantity("V", "taps switched up to", "volts up to which the lower tap feeds")
    ] = None
    #: The part of the stock that holds its enable line, so that it runs.
    enable: Annotated[
        Identifier | None, Quantity("", "enabled by", "the part that holds its enable line")
    ] = None
    #: Its negative is joined to its case, and so to earth.
    earthed: Annotated[
        bool, Quantity("", "negative joined to earth", "joined to earth: a clip, or a negative")
    ] = False


class EitherLink(LinkRecord):
    """One of several sources: `fed_by` feeds now, `others` may feed instead; the guard keeps them apart."""

    kind: Literal["either"] = "either"
    others: Annotated[tuple[Identifier, ...], Quantity("", "others", "further ones of its kind")] = ()
    guard: Annotated[
        Literal["switch", "diodes", "nothing"], Quantity("", "guard", "what keeps sources apart")
    ] = "switch"
    diode_V: Annotated[NotNegative, Quantity("V", "diode", "volts across one diode as it conducts")] = 0.5


class ConverterLink(LinkRecord):
    """A converter set to `set_V`, limiting at `limit_A` (None: at its rating); on its own sink or another."""

    kind: Literal["converter"] = "converter"
    set_V: Annotated[Positive, Quantity("V", "set to", "volts that it is set to")]
    limit_A: Annotated[
        Positive | None, Quantity("A", "limit", "amps where it acts beyond its rating; empty where not known")
    ] = None
    sink: Annotated[
        Identifier | None, Quantity("", "sink", "the heat sink it stands on, where not its own")
    ] = None


class FuseLink(LinkRecord):
    """A fuse in the path."""

    in_front: ClassVar[str] = "fuse"

    kind: Literal["fuse"] = "fuse"


class LeadLink(LinkRecord):
    """A lead; made of wire from the reel it says how long each leg is."""

    kind: Literal["lead"] = "lead"
    length_m: Annotated[NotNegative | None, Quantity("m", "length", "length of one leg")] = None


class ConnectorLink(LinkRecord):
    """A connector in the path."""

    kind: Literal["connector"] = "connector"


class MeterLink(LinkRecord):
    """A panel meter in the path; it runs from what it measures, or from the link `supplied_by`."""

    in_front: ClassVar[str] = "meter"

    kind: Literal["panel_meter"] = "panel_meter"
    supplied_by: Annotated[Identifier | None, Quantity("", "supplied by", "the link that it runs from")] = (
        None
    )


class NtcSensor(Record):
    """A thermistor in a divider that a controller reads: Ω at 25 °C, β, the other leg, its counts."""

    at_25_ohm: Annotated[Positive, Quantity("Ω", "at 25", "ohms at 25 °C")] = 10e3
    beta_K: Annotated[Positive, Quantity("K", "beta", "how steeply its ohms fall")] = 3950.0
    series_ohm: Annotated[Positive, Quantity("Ω", "series", "the other leg of its divider")] = 10e3
    counts: Annotated[int, Field(ge=2), Quantity("", "counts", "counts of full scale")] = 1023


class FanLink(LinkRecord):
    """A fan that hangs on a link; how it is switched, and by which volts at its slow step.

    `on_C` and `off_C` are the temperatures of the sink at which it starts and stops.
    """

    at_back: ClassVar[str] = "fan_60"

    kind: Literal["fan"] = "fan"
    control: Annotated[
        Literal["always", "threshold", "steps", "proportional"], Quantity("", "control", "how it is switched")
    ] = "steps"
    on_C: Annotated[float, Quantity("°C", "on", "temperature at which it comes on")] = 55.0
    off_C: Annotated[float, Quantity("°C", "off", "temperature at which it goes off")] = 45.0
    slow_V: Annotated[Positive | None, Quantity("V", "slow", "volts at its slow step")] = None
    sensor: Annotated[
        NtcSensor | None, Quantity("", "sensor, a place of readings", "where the temperature is felt")
    ] = None


class OutputLink(LinkRecord):
    """Where something is connected: nominal volts, allowed band, current it must deliver.

    `regulation_limit` is the allowed change from no load to full load, of nominal.
    """

    in_front: ClassVar[str] = "pair"

    kind: Literal["output"] = "output"
    nominal_V: Annotated[Positive, Quantity("V", "nominal", "volts that are wanted there")]
    tolerance: Annotated[Fraction, Quantity("%", "tolerance", "how far its volts may stray")] = 0.05
    full_load_A: Annotated[Positive, Quantity("A", "full load", "amps that it must deliver")]
    aim: Annotated[
        Literal["terminals", "far_end"], Quantity("", "aim", "where the volts are meant to be right")
    ] = "terminals"
    regulation_limit: Annotated[
        Fraction, Quantity("%", "regulation limit", "allowed change from no load to full load")
    ] = 0.02
    #: Whether its volts are set by hand in use: then its reach counts, not one line.
    adjustable: Annotated[bool, Quantity("", "adjustable", "its volts are set by hand in use")] = False
    #: Of an outlet of which nothing is drawn: its volts stand below common, as on a label with a minus.
    below: Annotated[bool, Quantity("", "below common", "its volts are below common")] = False
    #: A part of the stock that is fed here; its figures count where none stand below.
    device: Annotated[Identifier | None, Quantity("", "device", "the part that is fed")] = None
    device_min_V: Annotated[
        NotNegative | None, Quantity("V", "device min", "least volts that the device stands")
    ] = None
    device_max_V: Annotated[
        NotNegative | None, Quantity("V", "device max", "most volts that the device stands")
    ] = None
    #: What keeps a battery or a second source at the output from feeding back.
    backfeed_guard: Annotated[
        Literal["nothing", "diode", "relay"],
        Quantity("", "backfeed guard", "what keeps a battery from feeding back"),
    ] = "nothing"
    #: What is seen from outside: a jack in another rail's colour meets the wrong device one night.
    jack_colour: Annotated[
        str, Quantity("", "colour of its jack", "of its terminal or socket; empty: not chosen")
    ] = ""
    #: What the device draws at first: a cold lamp some ten times its current, a motor six (rules of thumb).
    inrush_A: Annotated[NotNegative | None, Quantity("A", "inrush", "amps that it draws at first")] = None

    @property
    def turned(self) -> str:
        """What a knob in front of it turns; empty where none does."""
        return "volts" if self.adjustable else ""


class LoadLink(OutputLink):
    """A load that one makes, at the end of what feeds it as it is tried: its amps are judged there."""

    kind: Literal["made_load"] = "made_load"  # type: ignore[assignment]

    @property
    def turned(self) -> str:
        """Its amps: what it sinks is set by hand."""
        return "amps"


Link = Annotated[
    UnitLink
    | EitherLink
    | ConverterLink
    | FuseLink
    | LeadLink
    | ConnectorLink
    | MeterLink
    | FanLink
    | LoadLink
    | OutputLink,
    Field(discriminator="kind"),
]

#: Links that what feeds the rest stands on; what they feed stands at the left of the outline.
_SOURCES = ("unit", "either")
#: Links that end a branch: nothing hangs on them.
ENDS = ("output", "fan", "made_load")
#: Of these, what turns all that it takes into heat in the box itself.
HEATED = ("fan", "made_load")


class Design(Record):
    """The path as a flat list of links; order is the order of the outline."""

    links: Annotated[tuple[Link, ...], Quantity("", "links")] = ()

    def link(self, link_id: str) -> Link:
        """The link with this id; KeyError when there is none."""
        for link in self.links:
            if link.id == link_id:
                return link
        raise KeyError(link_id)

    def output(self, output_id: str) -> OutputLink:
        """The output with this id; KeyError when there is none."""
        for link in self.outputs():
            if link.id == output_id:
                return link
        raise KeyError(output_id)

    def outputs(self) -> tuple[OutputLink, ...]:
        """Every output, in the order of the outline."""
        return tuple(link for link in self.links if isinstance(link, OutputLink))

    def fed_from(self, link_id: str | None) -> tuple[Link, ...]:
        """What hangs on a link; for None what nothing feeds."""
        return tuple(link for link in self.links if link.fed_by == link_id)

    def path_to(self, link_id: str) -> tuple[Link, ...]:
        """The links from the wall to this one, in order; stops at a loop or a missing link."""
        known = {link.id: link for link in self.links}
        path: dict[str, Link] = {}
        current: str | None = link_id
        while current in known and current not in path:
            path[current] = known[current]
            current = known[current].fed_by
        return tuple(reversed(path.values()))

    def walk(self) -> Iterator[tuple[int, Link]]:
        """Every link with its depth, each after what feeds it; loops are left out.

        Units and what they feed stand at the left; a branch is set in by one below its first link.
        """

        def below(parent: Link | None, depth: int) -> Iterator[tuple[int, Link]]:
            children = self.fed_from(parent.id if parent else None)
            for child in children:
                own = 0 if parent is None or parent.kind in _SOURCES else depth
                yield own, child
                chained = len(children) == 1 and parent is not None and parent.kind not in _SOURCES
                yield from below(child, own if chained else own + 1)

        yield from below(None, 0)
