"""Two parts field by field: what differs, and how grave it is for a pair that is to be joined."""

from msgspec import Struct

from tensimeter.core.described import described
from tensimeter.core.parts.registry import Part

#: Not compared: they say which one it is, not what it is.
_OWN = frozenset({"id", "kind", "name", "cost", "count", "origins"})


class Row(Struct, frozen=True):
    """One field of two parts, as text; whether it differs."""

    field: str
    words: str
    unit: str
    first: str
    second: str

    @property
    def differs(self) -> bool:
        """Whether the two jobs say different things here."""
        return self.first != self.second


def beside(first: Part, second: Part) -> list[Row]:
    """Every field of two parts of one kind, those that differ first; empty for two kinds."""
    if first.kind != second.kind:
        return []
    rows = []
    for name in type(first).model_fields:
        if name in _OWN:
            continue
        what = described(type(first), name)
        a, b = (what.text(getattr(part, name)) or "not known" for part in (first, second))
        rows.append(Row(name, what.words, what.unit, a, b))
    return sorted(rows, key=lambda row: not row.differs)


def differences(first: Part, second: Part) -> list[str]:
    """The words of what differs between two parts."""
    return [row.words for row in beside(first, second) if row.differs]
