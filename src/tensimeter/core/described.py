"""What a field of a record is: its unit, its name in words, and what it means.

Forms, help, tables of comparison and the JSON Schema all say it from here.
"""

from msgspec import Struct
from pydantic import BaseModel, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema


class Quantity(Struct, frozen=True):
    """Stands beside a field's type: ``Annotated[float, Quantity("V", "no-load voltage", "how it is read")]``.

    `unit` is how it is shown and typed (a share in per cent), empty for what is no figure.
    """

    unit: str
    words: str
    help: str = ""

    def __get_pydantic_json_schema__(
        self, schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> JsonSchemaValue:
        described = handler(schema)
        shared = {"description": f"{self.words}: {self.help}" if self.help else self.words}
        if self.unit:
            shared["unit"] = "a share, shown in %" if self.unit == "%" else self.unit
        return {**described, **shared}

    def text(self, value: object) -> str:
        """A value of the field as it is shown; per cent where its unit says so."""
        if value is None:
            return ""
        if isinstance(value, bool):
            return "yes" if value else "no"
        if isinstance(value, tuple):
            return "  ".join(self.text(v) for v in value)
        if isinstance(value, float):
            return f"{value * 100 if self.unit == '%' else value:.6g}"
        return str(value).replace("_", " ") if isinstance(value, str) else str(value)


def described(record: type[BaseModel], field: str) -> Quantity:
    """What a field of a record is; its bare name where nothing was said of it.

    KeyError without such a field.
    """
    for mark in record.model_fields[field].metadata:
        if isinstance(mark, Quantity):
            return mark
    return Quantity("", field.replace("_", " "))
