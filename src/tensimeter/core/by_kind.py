"""A record of one of several kinds, told apart by its `kind`: how it is read is made with the first of it."""

import json
from collections.abc import Hashable, Sequence
from functools import cached_property, partial, reduce
from operator import or_
from typing import Annotated, Any

from pydantic import BaseModel, Field, GetCoreSchemaHandler, GetJsonSchemaHandler, TypeAdapter, ValidationInfo
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema, core_schema


def key_of(kind: type[BaseModel]) -> str:
    """The word that tells a kind in a file."""
    return str(kind.model_fields["kind"].default)


class ByKind:
    """What stands in `Annotated` beside the type: pydantic's discriminated union, each choice made late.

    A job holds a third of the kinds that there are; making all of them ready takes longer than reading it.
    """

    def __init__(self, kinds: Sequence[type[BaseModel]]) -> None:
        self._kinds = tuple(kinds)

    def __get_pydantic_core_schema__(self, source: object, handler: GetCoreSchemaHandler) -> CoreSchema:
        choices: dict[Hashable, CoreSchema] = {
            key_of(kind): core_schema.with_info_plain_validator_function(partial(_read, kind))
            for kind in self._kinds
        }
        # Written as what each is: a union would look for the choice that fits best.
        written = core_schema.simple_ser_schema("any")
        return core_schema.tagged_union_schema(choices, "kind", from_attributes=True, serialization=written)

    def __get_pydantic_json_schema__(
        self, schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> JsonSchemaValue:
        return handler(self._all)

    @cached_property
    def _all(self) -> CoreSchema:
        union: Any = Annotated[reduce(or_, self._kinds), Field(discriminator="kind")]
        return TypeAdapter(union).core_schema


def _read(kind: type[BaseModel], value: object, info: ValidationInfo) -> BaseModel:
    if info.mode == "json":
        # As JSON again, where it came so: a list is a tuple only there.
        return kind.model_validate_json(json.dumps(value), context=info.context)
    return kind.model_validate(value, context=info.context)
