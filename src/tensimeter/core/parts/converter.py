"""A converter module."""

from collections.abc import Iterator, Sequence
from typing import Annotated, ClassVar, Literal

import numpy as np

from tensimeter.core.arrays import Figure
from tensimeter.core.described import Quantity
from tensimeter.core.electrical.elements import Conversion, Element, Network, Series
from tensimeter.core.electrical.losses import fit_losses
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.notice import Notice
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.figures import EfficiencyPoint, FeedbackDivider, HotPoint, PulseControl
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.parts.steps import SHORTED_OHM, FaultCurrent, IncomingStep, incoming_step, no_short
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect, more_dropout, more_source_ohms, off_volts
from tensimeter.core.path import ConverterLink, Link
from tensimeter.core.quantity import show
from tensimeter.core.record import Derating, Fraction, NotNegative, Positive
from tensimeter.core.settings import Spread
from tensimeter.core.thermal.heatsink import SinkFigures


class Converter(ConverterPart):
    """A converter module; its total loss is P0 + a·I + b·I² with I the output current.

    What was measured or claimed of its efficiency stands in `efficiencies`; the loss is fitted from it.
    """

    shelf: ClassVar[str] = "Converters"

    kind: Literal["converter"] = "converter"
    topology: Annotated[
        Literal["step_down", "step_up", "both_ways", "linear"],
        Quantity("", "topology", "how it is wired inside"),
    ] = "step_down"
    out_min_V: Annotated[NotNegative, Quantity("V", "out min", "lowest volts it can be set to")] = 0.0
    out_max_V: Annotated[Positive, Quantity("V", "out max", "highest volts it can be set to")]
    in_max_V: Annotated[Positive, Quantity("V", "in max", "volts that its input stands")]
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps on its label, for good")]
    rated_W: Annotated[Positive | None, Quantity("W", "rated", "watts on its label, for good")] = None
    dropout_V: Annotated[NotNegative, Quantity("V", "dropout", "least volts between input and output")] = 1.0
    loss_fixed_W: Annotated[NotNegative, Quantity("W", "loss fixed", "watts lost without load")] = 0.5
    loss_per_A: Annotated[NotNegative, Quantity("V", "loss per A", "watts lost for each ampere")] = 0.5
    loss_per_A2: Annotated[
        NotNegative, Quantity("Ω", "loss per A²", "watts lost for each ampere squared")
    ] = 0.0
    output_resistance_ohm: Annotated[
        NotNegative, Quantity("Ω", "output resistance", "volts it loses for each ampere")
    ] = 0.0
    set_tolerance: Annotated[Fraction, Quantity("%", "set tolerance", "how far its set volts stray")] = 0.003
    #: Input volts at which it begins to run; None: not known.
    start_V: Annotated[
        Positive | None, Quantity("V", "start", "input volts at which it begins to run; of a fan, to turn")
    ] = None
    #: Its heat: hot spot above its sink and sink above the air, K per W lost; the sink's capacity.
    #: Of the first, `junction_K_W` lies inside the part; the rest is its mounting, and a probe can see it.
    switch_K_W: Annotated[
        NotNegative | None, Quantity("K/W", "switch", "hot spot above its sink, for each watt lost")
    ] = None
    junction_K_W: Annotated[
        NotNegative,
        Quantity(
            "K/W", "of that inside the part", "of that, what lies inside the part; the rest is its mounting"
        ),
    ] = 0.0
    case_J_K: Annotated[Positive, Quantity("J/K", "its case and tab", "heat that its case and tab take")] = (
        12.0
    )
    sink_K_W: Annotated[Positive | None, Quantity("K/W", "sink", "its sink above the air in still air")] = (
        None
    )
    sink_blown_K_W: Annotated[
        Positive | None, Quantity("K/W", "sink blown", "its sink above the air in a fan’s")
    ] = None
    sink_J_K: Annotated[Positive, Quantity("J/K", "sink", "heat that its sink takes")] = 100.0
    hot_limit_C: Annotated[
        Positive, Quantity("°C", "hottest it may get", "hottest that its hot spot may get")
    ] = 105.0
    #: From its sheet, in rising temperature; straight between two points, nothing above the last.
    hot_derating: Annotated[
        tuple[HotPoint, ...],
        Derating,
        Quantity(
            "",
            "derating: °C of its hot spot = A",
            "amps that it may carry with its hot spot at a temperature",
        ),
    ] = ()
    efficiencies: Annotated[
        tuple[EfficiencyPoint, ...],
        Quantity("", "efficiencies", "what was claimed or measured of its efficiency"),
    ] = ()
    feedback: Annotated[
        FeedbackDivider | None, Quantity("", "feedback", "the divider that sets its volts")
    ] = None
    control: Annotated[PulseControl | None, Quantity("", "control", "how it is switched")] = None

    def summary(self) -> tuple[str, str]:
        words = self.topology.replace("_", "-")
        return (
            f"{words}, {self.out_min_V:g}–{self.out_max_V:g} V  {self.rated_A:g} A",
            f"input to {self.in_max_V:g} V, drops {self.dropout_V:g} V",
        )

    def rated(self) -> tuple[float, float, float]:
        return self.out_max_V, self.rated_A, self.rated_W or self.rated_A * self.out_max_V

    # -- in the network -------------------------------------------------------------------------

    def as_link(self, link_id: str, name: str) -> Link:
        return ConverterLink(
            id=link_id, name=name, part=self.id, set_V=min(max(12.0, self.out_min_V), self.out_max_V)
        )

    def problem(self, link: Link) -> str:
        if isinstance(link, ConverterLink) and not self.out_min_V <= link.set_V <= self.out_max_V:
            span = f"{self.out_min_V:g} to {self.out_max_V:g} V"
            return f"{link.name} is set to {link.set_V:g} V, outside its {span}."
        return ""

    def element(self, job: Surroundings, link: Link) -> Conversion:
        assert isinstance(link, ConverterLink)
        return Conversion(
            link.id,
            link.fed_by,
            set_V=link.set_V,
            limit_A=link.limit_A or self.rated_A,
            dropout_V=self.dropout_V,
            loss_fixed_W=self.loss_fixed_W,
            loss_per_A=self.loss_per_A,
            loss_per_A2=self.loss_per_A2,
            resistance=self.output_resistance_ohm,
            topology=self.topology,
        )

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        yield off_volts(link, self.set_tolerance)
        yield more_source_ohms(link, job.policy.spread.source_ohm)
        yield more_dropout(link)

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {
            "set_V": self.set_tolerance,
            "resistance": spread.source_ohm,
            "loss_fixed_W": spread.loss,
            "loss_per_A": spread.loss,
            "loss_per_A2": spread.loss,
        }

    def with_losses(self, points: Sequence[EfficiencyPoint]) -> "Converter":
        fields: dict[str, object] = {"efficiencies": tuple(points)}
        if points:
            fixed, linear, square = fit_losses(points)
            fields |= {"loss_fixed_W": fixed, "loss_per_A": linear, "loss_per_A2": square}
            fields["origins"] = {**self.origins, **dict.fromkeys(("loss_fixed_W", "loss_per_A"), "measured")}
        return self.with_fields(**fields)

    # -- limits ---------------------------------------------------------------------------------

    def current_limit_A(self, link: Link) -> float | None:
        # As it is set, though that be more than it is rated for: then it holds nothing down before.
        set_A = link.limit_A if isinstance(link, ConverterLink) else None
        return set_A or self.rated_A

    @property
    def over_voltage_V(self) -> float | None:
        return None

    def limits(self, here: Operating) -> list[Limit]:
        link, point, model = here.link, here.point, here.network[here.link.id]
        assert isinstance(model, Conversion)
        limit_A, rated = float(np.max(model.limit_A)), self.rated_A * self.believed
        note = f"rating, {self.doubt * 100:.0f} % off for doubt" if self.doubt else "rating"
        found = [
            limit(link, "rated amps", point.I, rated, "A", note, self.rated_A if self.doubt else None)
        ]  # fmt: skip
        if limit_A < self.rated_A:
            found.append(limit(link, "current limit", point.I, limit_A, "A", "as set"))
        if self.rated_W:
            watts = self.rated_W * self.believed
            found.append(limit(link, "rated watts", point.power_out, watts, "W", note))
        found.append(limit(link, "input volts", point.V_in, self.in_max_V, "V", "rating of its input"))
        if self.steps_down:
            sag = _valley_sag(here)
            need = np.asarray(model.set_V + model.dropout_V)
            sagging = bool(np.any(sag))
            note = "its input in the valley, at low line" if sagging else "volts at its input"
            left = point.V_in - sag if sagging else point.V_in
            found.append(limit(link, "headroom", need, left, "V", note))
        if self.topology != "linear":
            stiff = _stiff_volts(here.network, link.id)
            note = "half the no-load volts, where constant power collapses"
            found.append(limit(link, "input sag", stiff - point.V_in, stiff / 2, "V", note))
        return found

    def notices(self, job: Surroundings, link: Link, fault_A: FaultCurrent) -> list[Notice]:
        set_A = link.limit_A if isinstance(link, ConverterLink) else None
        if set_A is None or set_A <= self.rated_A:
            return []
        text = (
            f"{link.name} is set to limit at {show(set_A, 'A', 3)}, and is rated "
            f"{show(self.rated_A, 'A', 3)}: it lets more through than it stands. Set it lower, or leave it "
            "empty for its rating."
        )
        title = "A limit above the rating"
        return [Notice(f"limit:{link.id}", "miss", title, text, "design", link.id)]

    # -- heat -----------------------------------------------------------------------------------

    def as_sink(self) -> SinkFigures | None:
        if self.sink_K_W is None:
            return None
        return SinkFigures(self.sink_K_W, self.sink_blown_K_W, self.sink_J_K)

    def with_heat(self, case_K_W: float, case_J_K: float, sink: SinkFigures) -> "Converter":
        return self.model_copy(
            update={
                "id": f"{self.id}-as-read",
                "switch_K_W": case_K_W + self.junction_K_W,
                "sink_K_W": sink.still_K_W,
                "sink_blown_K_W": sink.blown_K_W,
                "sink_J_K": sink.capacity_J_K,
                "case_J_K": case_J_K,
            }
        )

    # -- before use -----------------------------------------------------------------------------

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        need = self.dropout_V if self.steps_down else 0.0
        low = max(self.out_min_V, 1.0)
        given = min(low + need + 6.0, 0.8 * self.in_max_V)
        yield no_short(self, "input + to −, both ways round")
        yield incoming_step(
            self, "through", "Nothing connected.", "input + to output +", "ohm", Band(SHORTED_OHM, None),
            rules_out="A short: its switch is gone; what is at its input would stand at its output.",
        )  # fmt: skip
        yield incoming_step(
            self, "idle", f"{given:.2g} V at its input behind a limit of half an ampere; turn the trim down.",
            "output, without load", "V", Band(0.0, max(low * 1.1, 2.5)), expected=low,
            rules_out="It stays up: the trim turns the other way, or its feedback is open.",
        )  # fmt: skip
        yield incoming_step(
            self, "up", "Turn the trim up slowly, short of the input.", "output, without load", "V",
            Band(low, given), expected=max(given - need - 1.0, low),
            rules_out="It does not follow: its reference or its trim is gone.",
        )  # fmt: skip


def _valley_sag(here: Operating) -> Figure:
    """How far the valley at low line lies below the mean volts that feed a converter, in V."""
    above = here.job.design.path_to(here.link.id)[:-1]
    if any(isinstance(x, ConverterLink) for x in above):
        return 0.0
    sag: Figure = 0.0
    for unit in above:
        part = here.job.part(unit.part)
        if isinstance(part, SourcePart):
            sag = sag + part.valley_sag_V(
                Operating(here.job, unit, here.solution, here.network, here.air)
            )  # fmt: skip
    return sag


def _no_load_volts(element: Element) -> Figure:
    if not isinstance(element, Series):
        return 0.0
    if element.lower is None:
        return float(np.max(element.emf))
    return np.where(np.asarray(element.on_lower) > 0, element.lower.volts[0], np.max(element.emf))


def _stiff_volts(network: Network, link_id: str) -> Figure:
    """No-load volts in V at the input of a converter, from whatever source feeds it."""
    total: Figure = 0.0
    parent = network[link_id].fed_by
    while parent is not None:
        element = network[parent]
        if isinstance(element, Conversion):
            return total + float(np.max(element.set_V))
        total = total + _no_load_volts(element)
        parent = element.fed_by
    return total
