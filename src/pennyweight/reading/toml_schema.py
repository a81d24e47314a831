"""The shape of a TOML file as a JSON Schema, for editors that complete and check."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, get_args, get_origin

from pydantic import BaseModel, BeforeValidator

__all__ = ["schema_of"]

_SHORT = {"type": ["string", "number", "boolean"]}


def schema_of(shape: type[BaseModel], title: str, described: Mapping[str, str] | None = None) -> dict[str, Any]:
    """The JSON Schema of a shape; `described` says of each key what it is, where its shape does not.

    An entry that may be written as a bare value is allowed to be one.
    """
    schema = shape.model_json_schema(by_alias=True)
    schema = {"$schema": "http://json-schema.org/draft-07/schema#", **schema, "title": title}
    definitions = schema.pop("$defs", {})
    for key, field in shape.model_fields.items():
        name = field.alias or key
        entry = get_args(field.annotation)[1:2] if get_origin(field.annotation) is dict else ()
        if entry and _may_be_bare(entry[0]):
            held = schema["properties"][name]["additionalProperties"]
            schema["properties"][name]["additionalProperties"] = {"anyOf": [_SHORT, held]}
    sections = {_ref(held): name for name, held in schema["properties"].items() if _ref(held)}
    _describe(schema, "", described or {})
    for name, definition in definitions.items():
        if definition.get("additionalProperties") not in (None, False):
            definition["additionalProperties"] = True  # its other keys are names of the deal
        _describe(definition, sections.get(name, ""), described or {})
        definition.pop("title", None)
    schema["definitions"] = dict(sorted(definitions.items()))
    plain: dict[str, Any] = _renamed(schema)
    return plain


def _may_be_bare(entry: Any) -> bool:
    return get_origin(entry) is Annotated and any(isinstance(one, BeforeValidator) for one in get_args(entry)[1:])


def _ref(held: Any) -> str:
    """The definition that a section's entries have, or ""."""
    if not isinstance(held, dict):
        return ""
    if "$ref" in held:
        return str(held["$ref"]).rpartition("/")[2]
    for part in (held.get("additionalProperties"), *held.get("anyOf", ())):
        if found := _ref(part):
            return found
    return ""


def _describe(schema: dict[str, Any], section: str, described: Mapping[str, str]) -> None:
    for key, held in schema.get("properties", {}).items():
        said = described.get(f"{section}.{key}") or described.get(key)
        if said:
            held["description"] = said
        held.pop("title", None)


def _renamed(part: Any) -> Any:
    """References to where the definitions stand in this draft."""
    if isinstance(part, dict):
        return {
            key: value.replace("#/$defs/", "#/definitions/") if key == "$ref" else _renamed(value)
            for key, value in part.items()
        }
    return [_renamed(one) for one in part] if isinstance(part, list) else part
