"""What may be wrong with a part, or with how it is joined, as a change of its figures in the network."""

from collections.abc import Callable, Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.electrical.elements import Conversion, Network, Series, Value
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.path import Link

#: Sizes that a suspect is tried at.
SIZES = 25
#: What one wire of a rail's harness has in both legs, Ω: 0.5 m of 0.8 mm², and its pins; a rule of thumb.
HARNESS_WIRE_OHM = 0.03

#: Networks that a suspect makes of the one that was designed: one whose figures are arrays (sizes, 1), or
#: one for each size.
Worlds = Callable[[Network, Solution], Sequence[Network]]


class Sort(Struct, frozen=True):
    """A sort of fault: how likely it is beforehand, shared by all of its places, and what it is called."""

    prior: float
    title: str


#: Priors are rules of thumb; what is left to one is healthy, or nothing of these.
SORTS: dict[str, Sort] = {
    "contact": Sort(0.10, "a worse contact"),
    "wire_missing": Sort(0.03, "one of several does not carry"),
    "other_length": Sort(0.02, "another length"),
    "no_load_volts": Sort(0.05, "other volts without load"),
    "source_ohms": Sort(0.03, "gives way too much"),
    "minimum_load": Sort(0.03, "too little load"),
    "dropout": Sort(0.02, "drops out"),
    "mains_low": Sort(0.02, "the mains"),
    "wrong_tap": Sort(0.02, "another tap"),
    "weak_reservoir": Sort(0.03, "a weak reservoir"),
    "pad": Sort(0.03, "its pad"),
    "fan_off": Sort(0.02, "its fan does not turn"),
    "sink": Sort(0.01, "its sink"),
    "display_gain": Sort(0.03, "shows too much or too little"),
    "meter_gain": Sort(0.02, "reads too much or too little"),
    "load_gain": Sort(0.03, "its amps are off"),
    "two_wire": Sort(0.03, "in the volts that were read"),
    "swapped": Sort(0.02, "swapped"),
}


def nothing_electrical(network: Network, _: Solution) -> Sequence[Network]:
    """Of what changes readings alone: the network stays."""
    return [network]


class Suspect(Struct, frozen=True, eq=False):
    """One thing that may be wrong: `sizes` (g,) in `unit`, and how the network then is.

    `key` is stable, `link` where it is; `says` is a sentence with {size}, `look` what to look at. Sizes are
    all as likely beforehand, and so is what lies between two neighbours; where nothing does, `shares` says
    how likely each is.
    """

    key: str
    link: str
    name: str
    unit: str
    sizes: Array
    worlds: Worlds
    says: str
    look: str
    shares: Array | None = None
    #: One of several conductors side by side then carries nothing.
    one_idle: bool = False
    #: The figure of its element that is another one at a size, what it is multiplied by, what is added; None
    #: where no single figure says it.
    as_found: Callable[[float], tuple[str, float, float]] | None = None
    #: The same between two sizes, where what lies between is no straight line; None where it is.
    closer: "Callable[[float, float], Suspect] | None" = None


def _few(count: int) -> Array:
    """How likely it is that 1, 2, … do not carry: each further one a sixth as likely, a rule of thumb."""
    shares = 6.0 ** -np.arange(count)
    return np.asarray(shares / shares.sum())


def _changed(link: str, made: Callable[[Series | Conversion], dict[str, Value]]) -> Worlds:
    def worlds(network: Network, _: Solution) -> list[Network]:
        element = network[link]
        assert isinstance(element, Series | Conversion)
        return [network.with_values({(link, field): value for field, value in made(element).items()})]

    return worlds


def column(sizes: Array) -> Array:
    """Sizes (g,) as a column (g, 1) over operating points."""
    return np.asarray(sizes, float)[:, None]


def both_ways(least: float, most: float) -> Array:
    """Sizes below and above zero, each spaced by their ratio."""
    half = np.geomspace(least, most, SIZES // 2)
    return np.concatenate([-half[::-1], half])


def worse_contact(link: Link, where: str) -> Suspect:
    """A contact of a link that is worse by 1 mΩ to 1 Ω."""
    sizes = np.geomspace(1e-3, 1.0, SIZES)
    return Suspect(
        "contact", link.id, link.name, "ohm", sizes,
        _changed(link.id, lambda e: {"contact": e.contact + column(sizes)}),  # type: ignore[union-attr]
        f"A contact of {link.name} is {{size}} worse than it should be.",
        f"{where}; feel for warmth under load, read millivolts across each joint, make the worst one anew.",
        as_found=lambda ohm: ("contact", 1.0, ohm),
    )  # fmt: skip


def contact_missing(link: Link, contacts: int) -> Suspect:
    """Some of several contacts side by side that do not carry."""
    left = np.arange(contacts - 1, 0, -1)
    sizes = (contacts - left).astype(float)
    return Suspect(
        "wire_missing", link.id, link.name, "", sizes,
        _changed(link.id, lambda e: {"contact": e.contact * column(contacts / left)}),  # type: ignore[union-attr]
        f"{{size}} of the {contacts} contacts of {link.name} a leg does not carry.",
        "Volts across each contact under load: the one without a drop carries nothing.",
        _few(len(sizes)), True, lambda gone: ("contact", contacts / max(contacts - gone, 1.0), 0.0),
    )  # fmt: skip


def harness_wire_missing(link: Link, wires: int) -> Suspect:
    """Some of a rail's wires that do not carry."""
    left = np.arange(wires - 1, 0, -1)
    sizes = (wires - left).astype(float)
    more = HARNESS_WIRE_OHM * (1 / left - 1 / wires)
    return Suspect(
        "wire_missing", link.id, link.name, "", sizes,
        _changed(link.id, lambda e: {"contact": e.contact + column(more)}),  # type: ignore[union-attr]
        f"{{size}} of the {wires} wires of {link.name} does not carry.",
        "A clamp round each wire, or volts along each: the one without a drop carries nothing.",
        _few(len(sizes)), True,
        lambda gone: ("contact", 1.0, HARNESS_WIRE_OHM * (1 / max(wires - gone, 1.0) - 1 / wires)),
    )  # fmt: skip


def other_length(link: Link) -> Suspect:
    """A lead that is not as long as was written down: 0.3 to 3 times."""
    sizes = np.concatenate([np.geomspace(0.3, 0.85, SIZES // 2), np.geomspace(1.18, 3.0, SIZES // 2)])
    return Suspect(
        "other_length", link.id, link.name, "times", sizes,
        _changed(link.id, lambda e: {"resistance": e.resistance * column(sizes)}),
        f"{link.name} is {{size}} as long, or its copper as thin, as was written down.",
        "Measure its length and its strands; read millivolts along its copper alone.",
        as_found=lambda times: ("resistance", times, 0.0),
    )  # fmt: skip


def off_volts(link: Link, tolerance: float) -> Suspect:
    """A source that gives other volts without load than it should, beyond its tolerance."""
    sizes = both_ways(max(tolerance, 0.003), 0.2)

    def made(e: Series | Conversion) -> dict[str, Value]:
        field = "emf" if isinstance(e, Series) else "set_V"
        return {field: getattr(e, field) * (1 + column(sizes))}

    return Suspect(
        "no_load_volts", link.id, link.name, "%", sizes, _changed(link.id, made),
        f"{link.name} is off by {{size}} without load.",
        f"Volts right at {link.name} with nothing connected; its trim, its reference, its setting.",
        as_found=lambda share: ("set_V" if link.kind == "converter" else "emf", 1 + share, 0.0),
    )  # fmt: skip


def more_source_ohms(link: Link, spread: float) -> Suspect:
    """A source that gives way more than it should: 1.3 to 12 times its ohms."""
    sizes = np.geomspace(1 + max(spread, 0.1), 12.0, SIZES)
    return Suspect(
        "source_ohms", link.id, link.name, "times", sizes,
        _changed(link.id, lambda e: {"resistance": e.resistance * column(sizes)}),
        f"{link.name} gives way {{size}} as much under load as it should.",
        f"Volts right at {link.name} without load and loaded; a sense wire that is off, a tired capacitor.",
        as_found=lambda times: ("resistance", times, 0.0),
    )  # fmt: skip


def missing_least_load(link: Link, minimum_A: float) -> Suspect:
    """A source whose volts stray while it has less than the load that it asks for."""
    sizes = both_ways(0.004, 0.15)

    def worlds(network: Network, solution: Solution) -> list[Network]:
        element = network[link.id]
        assert isinstance(element, Series)
        idle = solution.whole(solution[link.id].I) < minimum_A
        return [network.with_values({(link.id, "emf"): element.emf * (1 + column(sizes) * idle)})]

    return Suspect(
        "minimum_load", link.id, link.name, "%", sizes, worlds,
        f"{link.name} has less than its least load in some readings, and then strays by {{size}}.",
        f"Read again with {minimum_A:g} A on {link.name}.",
    )  # fmt: skip


def more_dropout(link: Link) -> Suspect:
    """A converter that needs more headroom than its card says: 0.3 to 10 V."""
    sizes = np.geomspace(0.3, 10.0, SIZES)
    return Suspect(
        "dropout", link.id, link.name, "V", sizes,
        _changed(link.id, lambda e: {"dropout_V": e.dropout_V + column(sizes)}),  # type: ignore[union-attr]
        f"{link.name} drops out: it needs {{size}} more headroom than its card says.",
        f"Volts at the input of {link.name} under full load.",
        as_found=lambda more: ("dropout_V", 1.0, more),
    )  # fmt: skip


#: Shares of the nominal mains, and of a reservoir, that are tried.
MAINS_SHARES = (*np.linspace(0.74, 0.96, 12).tolist(), *np.linspace(1.04, 1.14, 6).tolist())
WEAK_SHARES: tuple[float, ...] = tuple(np.geomspace(0.04, 0.8, 13).tolist())
#: Sizes between two that were tried, for a closer look.
CLOSER = 11
#: A source that is another one, by its size.
Made = Callable[[float], Series]


def other_mains(link: Link, made: Made) -> Suspect:
    """A transformer whose mains are off, by shares."""
    return _other_source(
        link, "mains_low", "%", tuple(s - 1 for s in MAINS_SHARES), made,
        "The mains, or what stands before the transformer, is off by {size}.",
        "Volts of the mains while it is loaded; the voltage selector.",
    )  # fmt: skip


def wrong_tap(link: Link, taps: Sequence[float], made: Made) -> Suspect:
    """A transformer of which another tap feeds."""
    suspect = _other_source(
        link, "wrong_tap", "", taps, made, "Tap {size} feeds it, not the one that was written down.",
        "Volts of the winding without load; the colours of its leads.",
    )  # fmt: skip
    return replace(suspect, shares=np.full(len(taps), 1 / len(taps)), closer=None)


def weak_reservoir(link: Link, made: Made) -> Suspect:
    """A transformer whose reservoir holds a share of what it should."""
    return _other_source(
        link, "weak_reservoir", "times", WEAK_SHARES, made, "Its reservoir holds {size} of what it should.",
        "Ripple at full load; the capacitor’s can, its age, its solder.",
    )  # fmt: skip


def _other_source(
    link: Link, key: str, unit: str, sizes: Sequence[float], made: Made, says: str, look: str
) -> Suspect:
    def worlds(network: Network, _: Solution) -> list[Network]:
        elements = [replace(made(size), id=link.id) for size in sizes]
        return [Network(tuple(e if x.id == link.id else x for x in network.elements)) for e in elements]

    def closer(low: float, high: float) -> Suspect:
        between = np.linspace(low, high, CLOSER).tolist()
        return replace(_other_source(link, key, unit, between, made, says, look), closer=None)

    return Suspect(key, link.id, link.name, unit, np.array(sizes), worlds, says, look, closer=closer)
