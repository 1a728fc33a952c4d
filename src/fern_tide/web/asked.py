"""What a request asks for, read out of its plain data: numbers that are some, and one of several choices."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum
from typing import Any, TypeGuard, TypeVar

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.naming import words

MOST_NUMBER = 1e9
E = TypeVar("E", bound=StrEnum)


def is_number(value: Any) -> TypeGuard[float]:
    """Say whether a value of a request is a number that can be worked with; what is none compares with nothing."""
    return isinstance(value, (int, float)) and not isinstance(value, bool) and abs(value) <= MOST_NUMBER


def number(plain: dict[str, Any], name: str, otherwise: float | None = None) -> float:
    """Read a number of a request.

    Raises:
        InvalidParameter: it is none, or is missing where nothing stands for it.
    """
    value = plain.get(name, otherwise)
    if not is_number(value):
        raise InvalidParameter(words(name), value=value, allowed="a number")
    return float(value)


def asked_number(asked: Mapping[str, str], name: str, otherwise: float | None = None) -> float:
    """Read a number of an address; raise InvalidParameter where it is none, or is missing and nothing stands for it."""
    try:
        value = float(asked[name]) if name in asked else otherwise
    except ValueError:
        value = None
    if value is None or not abs(value) <= MOST_NUMBER:
        raise InvalidParameter(name, value=asked.get(name), allowed="a number")
    return value


def one_of(choices: type[E], plain: dict[str, Any], name: str, default: str = "") -> E:
    """Read one of some choices; raise InvalidParameter where it is none of them."""
    value = plain.get(name, default)
    if value not in list(choices):  # a set would ask for its hash, which a list has not
        raise InvalidParameter(words(name), value=value, allowed=", ".join(choices))
    return choices(value)
