"""Trims of a unit or a display: what each moves, where it is, how far it goes."""

from typing import Annotated, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.record import Identifier, Name, NotNegative, Record


class TrimScrew(Record):
    """One thing that is turned: a screw of a unit, of a module, of a display.

    `moves` are the places whose figures it is there for; others may move with it. Turns are counted from
    where it stood when the first reading was taken; `up` and `down` are what is left to its stops then.
    """

    id: Identifier
    name: Annotated[Name, Quantity("", "name", "what it is called; links and lists show it")]
    moves: Annotated[Identifier, Quantity("", "moves", "the output or display that it is there for")]
    link: Annotated[Identifier | None, Quantity("", "of", "the link that it belongs to")] = None
    where: Annotated[str, Quantity("", "where it is", "where on the board, as marked on a photo")] = ""
    sort: Annotated[
        Literal["zero", "span", "volts", "limit", "display", "trip"],
        Quantity("", "what it sets", "a zero, a span, volts, a current limit, a display or a trip"),
    ] = "volts"
    up: Annotated[
        NotNegative | None, Quantity("", "turns up", "turns to its upper stop; empty: not known")
    ] = None
    down: Annotated[
        NotNegative | None, Quantity("", "turns down", "turns to its lower stop; empty: not known")
    ] = None
    quantity: Annotated[Literal["V", "A"], Quantity("", "volts or amps", "what it moves there")] = "V"
    target: Annotated[
        float | None, Quantity("", "to read", "what its place is to read, where not nominal")
    ] = None
    sealed: Annotated[bool, Quantity("", "sealed", "set, and sealed with a drop of paint")] = False
