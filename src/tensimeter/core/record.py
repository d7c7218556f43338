"""What every record of a job has in common, and what every part has.

Units are SI; the unit stands at the end of a name where it could be mistaken. A figure's origin
(label, seller, measured, assumed) is kept beside it in `origins`, by field name.
"""

import itertools
from typing import Annotated, Final, Literal, Self

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    ValidationError,
    ValidationInfo,
    model_validator,
)
from pydantic.config import JsonDict

from tensimeter.core.errors import UserError

#: Validation context in which fields that are not known are kept: those of a newer program's job.
WITH_UNKNOWN: Final = {"unknown": True}


def _said_of_all(schema: JsonDict) -> None:
    """What the JSON Schema says of every record alike."""
    schema["additionalProperties"] = False
    properties = schema.get("properties")
    for name, words in _OF_ALL.items():
        one = properties.get(name) if isinstance(properties, dict) else None
        if isinstance(one, dict):
            one.setdefault("description", words)


#: Fields that mean the same wherever they stand.
_OF_ALL: Final = {
    "id": "a short word by which others name it",
    "kind": "which kind it is of",
    "format": "major of the format; an older program refuses a higher one",
    "minor": "minor of the format; a higher one may hold fields that are not known",
}


class Record(BaseModel):
    """Base of everything in a job: frozen, no NaN, no field it does not know but those of a newer minor."""

    model_config = ConfigDict(
        frozen=True, extra="allow", allow_inf_nan=False, defer_build=True, json_schema_extra=_said_of_all
    )

    def with_fields(self, **fields: object) -> Self:
        """A copy with fields changed and checked; what a newer program added stays as it is.

        UserError names the field whose value is none, KeyError for a field that there is not.
        """
        for name in fields:
            if name not in type(self).model_fields:
                raise KeyError(name)
        try:
            return type(self).model_validate({**self.model_dump(), **fields}, context=WITH_UNKNOWN)
        except ValidationError as error:
            first = error.errors()[0]
            field = str(first["loc"][0]) if first["loc"] else "value"
            said = first["msg"].removeprefix("Value error, ").lower()
            raise UserError(f"{field.replace('_', ' ')}: {said}.") from error

    @model_validator(mode="after")
    def _knows_its_fields(self, info: ValidationInfo) -> Self:
        if self.__pydantic_extra__ and not (info.context and info.context.get("unknown")):
            raise ValueError(f"“{next(iter(self.__pydantic_extra__))}” is not a field of it that is known")
        return self


#: No figure of a part is beyond: what is would only overflow.
Positive = Annotated[float, Field(gt=0, ge=1e-15, le=1e12)]
NotNegative = Annotated[float, Field(ge=0, le=1e12)]
Fraction = Annotated[float, Field(ge=0, le=1)]
Efficiency = Annotated[float, Field(gt=0, le=1)]
Count = Annotated[int, Field(ge=1)]
Name = Annotated[str, Field(min_length=1, max_length=80)]
Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]*$", max_length=60)]
Origin = Literal["label", "seller", "measured", "assumed"]
Condition = Literal["untested", "works", "faulty", "for parts", "to buy"]


def falling(points: tuple[Record, ...]) -> tuple[Record, ...]:
    """The points of a curve of °C or V and what is allowed; ValueError where they are none, or few."""
    rows = [tuple(figure for _, figure in point) for point in points]
    if len(rows) == 1 or any(b[0] <= a[0] or b[1] > a[1] for a, b in itertools.pairwise(rows)):
        raise ValueError("two points or more, the first figure rising, the second never")
    return points


#: A list of points (°C, what is allowed) that is a derating curve, or empty.
Derating = AfterValidator(falling)
