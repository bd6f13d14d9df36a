"""Types of structures, looked into: what may stand at a key, at an index, at a map's entry."""

from functools import cache
from types import EllipsisType
from typing import Any

from msgspec.inspect import DictType, ListType, Metadata, StructType, Type, UnionType, type_info

from tallcheck.core.values.kinds import KIND

Step = str | int | EllipsisType
"""A key, an index, or an entry of a map, whose key is not known."""


@cache
def types_of(structure: Any) -> list[Type]:
    """A structure's types, looked into once: that takes longer than to read one."""
    return alternatives(type_info(structure))


def alternatives(kind: Type | None) -> list[Type]:
    """The types that a type leaves open; one that names its kind stays as it is."""
    if isinstance(kind, Metadata) and not kind.extra:
        return alternatives(kind.type)
    if isinstance(kind, UnionType):
        return [one for inner in kind.types for one in alternatives(inner)]
    return [] if kind is None else [kind]


def inside(kinds: list[Type], step: Step) -> list[Type]:
    """What may stand at a step into any of some types; nothing where they have no such place."""
    return [one for kind in kinds for one in alternatives(_inside(kind, step))]


def _inside(kind: Type, step: Step) -> Type | None:
    if isinstance(kind, DictType):
        return kind.value_type
    if isinstance(kind, ListType):
        return kind.item_type
    fields = kind.fields if isinstance(kind, StructType) else ()
    return next((field.type for field in fields if field.encode_name == step), None)


def kind_named(kinds: list[Type]) -> str | None:
    """The kind of value that a field's type names."""
    extras = (one.extra or {} for one in kinds if isinstance(one, Metadata))
    return next((one[KIND] for one in extras if KIND in one), None)
