"""Errors that say what went wrong, to which thing, and what to do."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager


class FernTideError(Exception):
    """Something a person can mend.

    Attributes:
        what: one sentence: what went wrong, to which thing.
        remedy: one sentence: what to do about it; may be empty.
        data: the offending values, for logs and tests.
    """

    def __init__(self, what: str, *, remedy: str = "", **data: object) -> None:
        super().__init__(f"{what} {remedy}".strip())
        self.what = what
        self.remedy = remedy
        self.data = data


class InvalidParameter(FernTideError):
    """A value is outside what its parameter allows.

    Args:
        name: what people read for it.
        value: what was given.
        allowed: what may be given.
        field: its own name, where that is another.
    """

    def __init__(self, name: str, *, value: object, allowed: str, field: str = "") -> None:
        what = f"{name} is {value!s:.80}, which is not possible."
        super().__init__(what, remedy=f"Use {allowed}.", name=field or name, value=value)


class UnknownParameter(InvalidParameter):
    """A parameter that does not exist was given."""

    def __init__(self, name: str, *, known: str) -> None:
        FernTideError.__init__(
            self, f"There is no parameter named {name:.60}.", remedy=f"Use one of: {known or 'none'}.", name=name
        )


class UnreadableSound(FernTideError):
    """A file holds no sound that can be read, or lies about what it holds."""


class UnknownName(FernTideError):
    """A name stands for nothing: an unknown step, part, property, envelope or track."""


class UnreadableScene(FernTideError):
    """A drawing, a 3D file or an image cannot be used."""


class UnreadableProject(FernTideError):
    """A project file or document cannot be read."""


class ReadBackFailed(FernTideError):
    """A written file, read back, does not hold what was baked."""


class Cancelled(FernTideError):
    """Long work was stopped because somebody asked."""

    def __init__(self) -> None:
        super().__init__("This was cancelled.", remedy="Start it again when you want it.")


@contextmanager
def about(name: str) -> Iterator[None]:
    """Name the thing, one of several, that what goes wrong within is about."""
    try:
        yield
    except FernTideError as wrong:
        raise FernTideError(f"{name}: {wrong.what}", remedy=wrong.remedy) from wrong
