"""The promise of the job format: what is read of older and newer programs' jobs, and how.

`MAJOR` is raised when an older program could no longer read a job rightly, and a step is added here; `MINOR`
when a field is added that an older program of the same major may keep without knowing it.
"""

from collections.abc import Callable

from tensimeter.core.errors import UserError

#: The format that is written. 2: who made a reading up is told. 3: USB-C sources; how a run ended. 3.1: what
#: volts are a hazard to touch. 3.2: rooms, lid and bundles; tolerances of windings, families of fuses. 3.3:
#: commons of several sources; loads in parallel; what an existing supply is; a device by volts and amps. 3.4:
#: switches, enables; rails below common, their trim and colours; a donor's inside; claims of cells.
#: 3.5: trims and their turns; what a check of a meter has shown; figures of a link as found.
#: 3.6: checks of what loads and converters are set to; what a builder adds to the plate.
#: 3.7: parts that one makes, by their circuit; a load of one's own as the end of a path.
#: 4: readings are of a state of the supply; amps that were only said are told from those that were read.
#: 4.1: outlets below common of a supply of which nothing is drawn. 4.2: outputs that a soak loads as well.
MAJOR, MINOR = 4, 2


def _from_1(data: dict[str, object]) -> dict[str, object]:
    """What format 2 added has a default."""
    return data


def _from_2(data: dict[str, object]) -> dict[str, object]:
    """What format 3 added has a default."""
    return data


def _from_3(data: dict[str, object]) -> dict[str, object]:
    """Before format 4 nobody had said of a supply that it was changed: all was read of one state."""
    return data


def _bonds_not_known(data: dict[str, object]) -> dict[str, object]:
    """Before 3.4 a server unit was written as free of its case where nobody had read it."""
    stock = data.get("stock")
    if not isinstance(stock, list):
        return data
    return {**data, "stock": [_bond_not_known(part) for part in stock]}


def _bond_not_known(part: object) -> object:
    if not isinstance(part, dict) or part.get("family") != "server" or part.get("bonded") is not False:
        return part
    return {**part, "bonded": None}


#: From each older major to the next.
_STEPS: dict[int, Callable[[dict[str, object]], dict[str, object]]] = {1: _from_1, 2: _from_2, 3: _from_3}


def migrated(data: dict[str, object]) -> tuple[dict[str, object], bool]:
    """A job's JSON object as this major has it, and whether it is of a newer minor.

    UserError for a newer major, and for a format that is none.
    """
    major, minor = _number(data.get("format", MAJOR)), _number(data.get("minor", 0))
    if major > MAJOR:
        raise UserError(
            "This job was written by a newer Tensimeter; nothing was changed. "
            "Open it with that version or a later one."
        )
    if major < 1:
        raise UserError(f"This is not a job that can be read: there was no format {major}.")
    for step in range(major, MAJOR):
        data = {**_STEPS[step](data), "format": step + 1, "minor": 0}
    newer = major == MAJOR and minor > MINOR
    if (major, minor) < (3, 4):
        data = _bonds_not_known(data)
    # What a later minor added has a default, which is written from now on.
    return (data if newer else {**data, "minor": MINOR}), newer


def _number(value: object) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or value < 0:
        raise UserError("This is not a job that can be read: its format is no number. Nothing was changed.")
    return value


def as_number(major: int, minor: int) -> int:
    """A format as the one number that a database file carries; the first two were their major alone."""
    return major if major < 3 else 100 * major + minor


def of_number(number: int) -> tuple[int, int]:
    """The format that the number of a database file tells."""
    return (number, 0) if number < 100 else divmod(number, 100)


#: How a run's end was called in formats before 3, and what it is called now.
ENDS_BEFORE_3 = {"done": "complete", "failed": "fault"}
