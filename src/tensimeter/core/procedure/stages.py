"""The stages of a supply's making, in their order; any may be gone back to."""

from msgspec import Struct


class Stage(Struct, frozen=True):
    """A stage: its name and, while it is not built yet, what it will hold."""

    id: str
    name: str
    will_hold: str = ""


STAGES = (
    Stage("stock", "Stock"),
    Stage("design", "Design"),
    Stage("assemble", "Assemble"),
    Stage("wake", "Wake"),
    Stage("prove", "Prove"),
    Stage("tune", "Tune"),
    Stage("plate", "Plate"),
)
