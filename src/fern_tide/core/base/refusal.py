"""The one place that turns what a model refuses into words: the field's label, the value, and what is allowed."""

from __future__ import annotations

import types
from collections.abc import Iterator, Mapping
from enum import Enum
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from annotated_types import Ge, Gt, Le, Lt
from pydantic import BaseModel, ValidationError
from pydantic.fields import FieldInfo

from fern_tide.core.base.errors import InvalidParameter, UnknownParameter
from fern_tide.core.base.naming import label_of

_NUMBERS = {"float", "int", "finite", "greater", "less"}  # how pydantic's names of number errors begin
_LONGEST = 60


def refused(cause: ValidationError, *, model: Any) -> InvalidParameter:
    """Say what is wrong first.

    Args:
        cause: what pydantic found.
        model: the model, or the union of models, that was asked for.

    Returns:
        An error whose data hold the field's own name and the value.
    """
    wrong = _likeliest(cause)
    if wrong["type"] == "extra_forbidden":
        _, _, owners = _follow(model, wrong["loc"][:-1])
        return UnknownParameter(str(wrong["loc"][-1]), known=", ".join(owners[0].model_fields if owners else ()))
    name, field, _ = _follow(model, wrong["loc"])
    value = "missing" if wrong["type"] == "missing" else _counted(wrong) or _shown(wrong["input"])
    return InvalidParameter(_label(name, field), value=value, allowed=_allowed(wrong, field), field=name)


def _likeliest(cause: ValidationError) -> Any:
    """Give the first error; of the alternatives of one value, the one that speaks of the kind that it is."""
    errors = cause.errors(include_url=False)
    first = errors[0]
    place = first["loc"][: max(1, len(first["loc"]) - 1)]
    same = [item for item in errors if item["loc"][: len(place)] == place]
    number = isinstance(first["input"], (int, float)) and not isinstance(first["input"], bool)
    return next((item for item in same if (item["type"].split("_")[0] in _NUMBERS) == number), first)


def _follow(model: Any, loc: tuple[str | int, ...]) -> tuple[str, FieldInfo | None, list[type[BaseModel]]]:
    """Follow an error's place through the models, passing over the names of alternatives.

    Returns:
        The last field's name; what is known of it; and the models that may lie at the place.
    """
    name, field, candidates = "", None, list(_models(model))
    for part in (part for part in loc if isinstance(part, str)):
        owner = next((item for item in candidates if part in item.model_fields), None)
        if owner is not None:
            name, field = part, owner.model_fields[part]
            candidates = list(_models(field.annotation))
        else:
            candidates = [item for item in candidates if part in _tags(item)] or candidates
    return name or next((part for part in loc if isinstance(part, str)), "value"), field, candidates


def _models(annotation: Any) -> Iterator[type[BaseModel]]:
    """Give the models in an annotation: itself, or what a list, an alternative or a description of it holds."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    elif get_origin(annotation) in {Annotated, Union, types.UnionType, tuple, list, dict}:
        for inner in get_args(annotation):
            yield from _models(inner)


def _tags(model: type[BaseModel]) -> set[str]:
    """Give the names by which a model is told apart from the others of an alternative."""
    kinds = (
        get_args(item.annotation) for item in model.model_fields.values() if get_origin(item.annotation) is Literal
    )
    return {model.__name__} | {str(value) for values in kinds for value in values}


def _label(name: str, field: FieldInfo | None) -> str:
    labels = (getattr(item, "label", "") for item in (field.metadata if field else ()))
    return next((str(label) for label in labels if label), "") or label_of(name)


def _counted(wrong: Any) -> str:
    """Say how many entries a list or named values have, where that is what is wrong."""
    length = wrong.get("ctx", {}).get("actual_length")
    return "" if length is None or isinstance(wrong["input"], str) else _things(length, wrong)


def _things(number: int, wrong: Any) -> str:
    one, many = ("letter", "letters") if wrong["type"].startswith("string") else ("entry", "entries")
    return f"{number} {one if number == 1 else many}"


def _shown(value: Any) -> str:
    if isinstance(value, (Mapping, list, tuple, set, BaseModel)):
        return "something else"
    text = f"{value:g}" if isinstance(value, float) else str(value.value if isinstance(value, Enum) else value)
    return text if len(text) <= _LONGEST else f"{text[:_LONGEST]}..."


def _allowed(wrong: Any, field: FieldInfo | None) -> str:
    """Say what is allowed, by the field's own description where there is one."""
    context = wrong.get("ctx", {})
    if "expected" in context:
        return f"one of {context['expected']}".replace("'", "").replace(" or ", ", ")
    if wrong["type"].endswith("too_long") and "max_length" in context:
        return f"at most {_things(context['max_length'], wrong)}"
    if wrong["type"].endswith("too_short"):
        return f"at least {_things(context.get('min_length', 1), wrong)}"
    metadata = _metadata(field)
    unit = next((item.name for item in metadata if isinstance(getattr(item, "help", None), str)), "")
    helps = (item.help for item in metadata if isinstance(getattr(item, "help", None), str))
    if wrong["type"] == "string_pattern_mismatch":
        return next((text.rstrip(".") for text in helps if text), "a text of another form")
    text = range_words(metadata) or _KINDS.get(wrong["type"].split("_")[0], "a value of the right kind")
    return f"{text} {unit}".strip()


_KINDS = {
    "float": "a number",
    "finite": "a number",
    "int": "a whole number",
    "string": "a text",
    "bool": "yes or no",
    "list": "a list",
    "tuple": "a list",
    "dict": "named values",
    "model": "named values",
}


def _metadata(field: FieldInfo | None) -> list[Any]:
    """Give what is said of a field, that of its alternatives too."""
    if field is None:
        return []
    out = list(field.metadata)
    for inner in (field.annotation, *get_args(field.annotation)):
        if get_origin(inner) is Annotated:
            for item in inner.__metadata__:
                out += list(item.metadata) if isinstance(item, FieldInfo) else [item]
    return out


def range_words(metadata: list[Any]) -> str:
    """Give a range in words: '0 to 1', 'more than 0, at most 16', 'at least 0'; '' where there is none."""
    least = next((item for item in metadata if isinstance(item, (Ge, Gt))), None)
    most = next((item for item in metadata if isinstance(item, (Le, Lt))), None)
    low = f"{least.ge:.15g}" if isinstance(least, Ge) else f"{least.gt:.15g}" if least else ""
    high = f"{most.le:.15g}" if isinstance(most, Le) else f"{most.lt:.15g}" if most else ""
    if isinstance(least, Ge) and isinstance(most, Le):
        return f"{low} to {high}"
    parts = [f"{'at least' if isinstance(least, Ge) else 'more than'} {low}"] if least else []
    parts += [f"{'at most' if isinstance(most, Le) else 'less than'} {high}"] if most else []
    return ", ".join(parts)
