"""The order in which things are worked out that are made of each other."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)


class MadeOfItself(Exception, Generic[K]):
    """Something is made of itself; `way` leads from it back to it, its name at both ends."""

    def __init__(self, way: tuple[K, ...]) -> None:
        super().__init__(" -> ".join(map(str, way)))
        self.way = way


def in_order(things: Iterable[K], *, inputs: Callable[[K], Iterable[K]]) -> list[K]:
    """List things and all that they are made of, each once and after its own inputs; linear in things and inputs.

    Args:
        things: what is wanted.
        inputs: gives what a thing is made of at first hand.

    Raises:
        MadeOfItself: there is a way from a thing back to it.
    """
    done: dict[K, None] = {}
    for thing in things:
        way = [] if thing in done else [(thing, iter(inputs(thing)))]  # down to what is looked at, with what is left
        on_way = {at for at, _ in way}
        while way:
            at, rest = way[-1]
            below = next(rest, None)
            if below is None:
                done[at] = None
                on_way.remove(at)
                way.pop()
            elif below in on_way:
                names = [name for name, _ in way]
                raise MadeOfItself((*names[names.index(below) :], below))
            elif below not in done:
                way.append((below, iter(inputs(below))))
                on_way.add(below)
    return list(done)
