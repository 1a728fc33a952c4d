"""Params are frozen models whose fields carry a unit and help: forms, command line and help are made of them."""

from __future__ import annotations

import shlex
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import Enum
from typing import Any, Self, TypeVar

from annotated_types import Ge, Gt, Le, Lt
from pydantic import BaseModel, ConfigDict, ValidationError
from pydantic.fields import FieldInfo
from pydantic_core import PydanticUndefined

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.naming import words
from fern_tide.core.base.refusal import refused


class Frozen(BaseModel):
    """A value: immutable, with no field it does not know, and no NaN or infinity."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """Give the value with some fields replaced, checked anew, so that no copy can be what no value may be.

        Raises:
            InvalidParameter: a new value is not possible.
        """
        return build(type(self), {**{name: getattr(self, name) for name in type(self).model_fields}, **(update or {})})

    def but(self, **changes: Any) -> Self:
        """Give the value with some fields replaced, checked anew; raise InvalidParameter where that is not possible."""
        return self.model_copy(update=changes)

    def pushed(self, field: str, value: Any) -> dict[str, Any]:
        """Give what else moves when a hand sets one field, as an upper edge does before a lower one that reaches it.

        Args:
            field: which is set.
            value: to what, as it was typed.
        """
        return {}


class Params(Frozen):
    """The options of a reading, clean-up, step, response, part kind, check or format. Every field has a default."""

    @classmethod
    def upgrade(cls, params: Mapping[str, Any]) -> Mapping[str, Any]:
        """Give params as an earlier version stored them in today's terms; those of today are left as they are.

        A spec whose fields are renamed or counted otherwise says here what became of them, so that every project opens.
        """
        return params


@dataclass(frozen=True)
class Unit:
    """What a field is counted in, one line on what it does, and how much an arrow key changes it."""

    name: str
    help: str
    step: float | None = None
    kind: str = ""
    label: str = ""


def unit(name: str, help: str, *, step: float | None = None, kind: str = "", label: str = "") -> Unit:
    """Describe a field.

    Args:
        name: its unit, '' for none.
        help: one line on what it does.
        step: how much an arrow key changes it.
        kind: for a text what it names.
        label: what people read, where the field's own name says nothing by itself.
    """
    return Unit(name, help, step, kind, label)


_NAMED = {
    "colour": "a colour such as #d9a431",
    "envelope": "the id of an envelope, or nothing",
    "keys": "keys, each a time and a value",
    "file": "the hash of a file",
    "song": "the hash of a MIDI file",
    "given": "as the file gives it",
    "hit_edits": "times and strengths of hits",
    "names": "PART:PROPERTY = NAME, parted by ;",
    "numbers": "up to 64 numbers",
    "places": "numbers of pieces, from 0",
    "reaches": "up to 8 reaches",
    "stretches": "times, and the take of each",
    "takes": "performed takes",
    "spec": "one that is registered, with its own options",
    "points": "pairs of lift and height, 0.3 0.1, 0.7 0.9",
}


@dataclass(frozen=True)
class FieldSpec:
    """One field of a params model, as a form or a help page needs it."""

    name: str
    label: str
    unit: str
    help: str
    kind: str
    """'number', 'integer', 'choice', 'switch', or for a text what it is: a key of what can be named."""
    default: Any
    low: float | None
    high: float | None
    step: float
    choices: tuple[tuple[str, str], ...]

    @property
    def range_text(self) -> str:
        """The range in words: '0 to 1', 'at least 0', 'left, right'."""
        if self.kind == "choice":
            return ", ".join(value for value, _ in self.choices)
        if self.kind == "switch":
            return "yes or no"
        if self.kind in _NAMED:
            return _NAMED[self.kind]
        if self.low is None and self.high is None:
            return "any"
        if self.high is None:
            return f"at least {self.low:g}"
        return f"at most {self.high:g}" if self.low is None else f"{self.low:g} to {self.high:g}"


def fields(model: type[BaseModel]) -> tuple[FieldSpec, ...]:
    """List the fields of a params model in order."""
    return tuple(_spec(name, field) for name, field in model.model_fields.items())


def _spec(name: str, field: FieldInfo) -> FieldSpec:
    described = next((m for m in reversed(field.metadata) if isinstance(m, Unit)), Unit("", ""))
    annotation = field.annotation
    choices: tuple[tuple[str, str], ...] = ()
    kind = described.kind or "number"
    if isinstance(annotation, type) and issubclass(annotation, Enum):
        kind, choices = "choice", tuple((str(item.value), words(str(item.value))) for item in annotation)
    elif annotation is bool:
        kind = "switch"
    elif annotation is int:
        kind = "integer"
    elif kind == "spec":
        choices = tuple((spec.id, spec.label) for spec in getattr(annotation, "registry", {}).values())
    low = next((_number(m.ge if isinstance(m, Ge) else m.gt) for m in field.metadata if isinstance(m, (Ge, Gt))), None)
    high = next((_number(m.le if isinstance(m, Le) else m.lt) for m in field.metadata if isinstance(m, (Le, Lt))), None)
    default = None if field.default is PydanticUndefined else field.default
    step = described.step or (1.0 if kind == "integer" else 0.01)
    plain = default.value if isinstance(default, Enum) else default
    return FieldSpec(
        name=name,
        label=described.label or words(name),
        unit=described.name,
        help=described.help,
        kind=kind,
        default=plain,
        low=low,
        high=high,
        step=step,
        choices=choices,
    )


def _number(bound: Any) -> float:
    """Take a bound of a range for the number that it is."""
    return float(bound)


M = TypeVar("M", bound=BaseModel)


def build(model: type[M], values: dict[str, Any]) -> M:
    """Make a model, turning the first thing that is wrong into one sentence.

    Raises:
        InvalidParameter: a value is missing, unknown or out of range; it names the field and what is allowed.
    """
    try:
        return model.model_validate(values)
    except ValidationError as cause:
        raise refused(cause, model=model) from cause


def parse_options(text: str) -> tuple[str, dict[str, str]]:
    """Read 'band low_hz=40 high_hz=180' as ('band', {'low_hz': '40', 'high_hz': '180'}).

    Raises:
        InvalidParameter: it is empty, or a word has no '='.
    """
    try:
        head, *rest = shlex.split(text)
    except ValueError as cause:
        raise InvalidParameter("option", value=text, allowed="a name, then name=value pairs") from cause
    return head, parse_pairs(rest)


def parse_pairs(pairs: Sequence[str]) -> dict[str, str]:
    """Read ['low_hz=40'] as {'low_hz': '40'}.

    Raises:
        InvalidParameter: a word has no '='.
    """
    out: dict[str, str] = {}
    for word in pairs:
        name, equals, value = word.partition("=")
        if not equals:
            raise InvalidParameter("option", value=word, allowed="name=value, such as width_ms=80")
        out[name] = value
    return out
