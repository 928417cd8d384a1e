"""What all records of the JSON have in common: they are read from attributes, and they describe themselves."""

from collections.abc import Callable
from typing import Annotated, Any, Self

from pydantic import AliasPath, BaseModel, BeforeValidator, ConfigDict, Field
from pydantic.json_schema import GenerateJsonSchema, JsonSchemaValue
from pydantic_core import core_schema


class PassedOn(BaseModel):
    """One record. Its fields are read from the attributes of the same names of whatever it is made of; the sentence
    below a field is its description in the schema."""

    model_config = ConfigDict(from_attributes=True, extra="forbid", use_attribute_docstrings=True)

    @classmethod
    def of(cls, source: object, **known: object) -> Self:
        """Made of a source; `known` are the fields that the source lacks."""
        return cls.model_validate(_With(source, known))

    def values(self) -> dict[str, Any]:
        """As dicts, lists, texts and numbers."""
        return self.model_dump()


class _With:
    """A source with more attributes than its own."""

    def __init__(self, source: object, known: dict[str, object]) -> None:
        self._source, self._known = source, known

    def __getattr__(self, name: str) -> object:
        return self._known[name] if name in self._known else getattr(self._source, name)


def at(*path: str, default: Any = ...) -> Any:
    """A field that lies deeper in its source; `default` where the way there ends in None."""
    return Field(default, validation_alias=AliasPath(*path))


def said(words: Callable[[Any], Any]) -> BeforeValidator:
    """A field whose source is a typed fact, and whose value is what is said of it."""
    return BeforeValidator(words)


AsDict = Annotated[dict[str, Any], said(lambda found: found if isinstance(found, dict) else found.to_json())]
"""Whatever says itself what it is in a plan."""


class SchemaOfRecords(GenerateJsonSchema):
    """A schema in which each field is there, none is unknown, and each number may be null: JSON has no infinity."""

    def float_schema(self, schema: core_schema.FloatSchema) -> JsonSchemaValue:
        """Any number, or null."""
        return {"type": ["number", "null"]}

    def field_is_required(self, field: Any, total: bool) -> bool:
        """Always."""
        return True

    def dataclass_schema(self, schema: core_schema.DataclassSchema) -> JsonSchemaValue:
        """Its own fields, and no more."""
        return {**super().dataclass_schema(schema), "additionalProperties": False}

    def field_title_should_be_set(self, schema: Any) -> bool:
        """Never: a title would say the name again."""
        return False
