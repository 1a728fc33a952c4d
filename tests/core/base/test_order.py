"""Things in the order in which they are made of each other."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.base.order import MadeOfItself, in_order

DRINK = {"tea": ("water", "leaf"), "water": ("ice",), "ice": (), "leaf": ()}


def test_everything_comes_after_what_it_is_made_of():
    assert in_order(["tea"], inputs=DRINK.__getitem__) == ["ice", "water", "leaf", "tea"]
    assert in_order(["water", "tea", "water"], inputs=DRINK.__getitem__) == ["ice", "water", "leaf", "tea"]
    assert in_order([], inputs=DRINK.__getitem__) == []


def test_the_way_from_a_thing_back_to_it_is_named_and_nothing_beside_it():
    loop = {**DRINK, "ice": ("cold",), "cold": ("water",)}
    with pytest.raises(MadeOfItself, match="water -> ice -> cold -> water") as wrong:
        in_order(["tea"], inputs=loop.__getitem__)
    assert wrong.value.way == ("water", "ice", "cold", "water")
    with pytest.raises(MadeOfItself, match="a -> a"):
        in_order(["a"], inputs=lambda name: [name])


@given(st.lists(st.tuples(st.integers(0, 30), st.integers(0, 30)), max_size=120))
def test_any_web_without_loops_is_put_in_order(pairs):
    inputs: dict[int, list[int]] = {}
    for a, b in pairs:
        if a > b:
            inputs.setdefault(a, []).append(b)
    found = in_order(range(31), inputs=lambda n: inputs.get(n, []))
    assert sorted(found) == list(range(31))
    assert all(found.index(b) < found.index(a) for a, made_of in inputs.items() for b in made_of)


def test_long_ways_and_many_ways_are_gone_once():
    assert in_order([50_000], inputs=lambda n: (n - 1,) if n else ()) == list(range(50_001))
    asked = []

    def inputs(n: int) -> tuple[int, ...]:
        asked.append(n)
        return (n - 1, n - 2, n - 1) if n > 1 else ()

    in_order([300], inputs=inputs)  # as many ways down as there are rabbits
    assert len(asked) == len(set(asked)) == 301
