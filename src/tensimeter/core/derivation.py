"""The worked answer behind a figure: formula, figures put in, assumptions, source."""

from msgspec import Struct

from tensimeter.core.quantity import show


class Input(Struct, frozen=True):
    """One figure put into a formula: its symbol, what it is, value in SI, unit."""

    symbol: str
    meaning: str
    value: float
    unit: str


class Derivation(Struct, frozen=True):
    """How a figure came about, in a form that can be read and copied."""

    title: str
    formula: str
    given: tuple[Input, ...]
    value: float
    unit: str
    assumptions: tuple[str, ...] = ()
    source: str = ""
    interval: tuple[float, float] | None = None

    def text(self) -> str:
        """The whole answer as plain lines."""
        lines = [self.title, f"  {self.formula}"]
        lines += [f"  {g.symbol} = {show(g.value, g.unit, 4)}   {g.meaning}".rstrip() for g in self.given]
        result = f"  = {show(self.value, self.unit, 4)}"
        if self.interval:
            low, high = (show(end, self.unit, 4) for end in self.interval)
            result += f"   95 %: {low} to {high}"
        lines.append(result)
        lines += [f"  Assumes: {line}" for line in self.assumptions]
        if self.source:
            lines.append(f"  Source: {self.source}")
        return "\n".join(lines)
