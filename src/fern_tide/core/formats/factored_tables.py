"""Arrays by formula as tables: what every piece has, what every driver does, and all else by its name.

They hold what factored.py gives as plain JSON, number for number; the rows of drivers stand beside the curves.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

Cell = str | float
_PIECES = ("ranks", "gains", "made_from", "turns", "stands_fixed")
"""What has a number, or some, for each piece, as each of its ways to stand has."""


@dataclass(frozen=True)
class Table:
    """A table.

    Attributes:
        head: what its columns are called; the first says what the table is.
        rows: as many cells as the head has; '' for none.
    """

    head: Sequence[str]
    rows: Sequence[Sequence[Cell]]


def row_columns(arrays: Sequence[Mapping[str, Any]]) -> dict[str, Sequence[float]]:
    """Give the lift of every row of every driver, by its column's name such as 'wall:piece_y driver 1 row 2 [lift]'."""
    columns = {}
    for array in arrays:
        for named, driver in _drivers(array):
            for at, row in enumerate(driver["rows"]):
                columns[f"{named} row {at + 1} [lift]"] = row
    return columns


def tables_of(arrays: Sequence[Mapping[str, Any]]) -> list[Table]:
    """Give arrays, as factored.plain_of gives them, as tables, without what row_columns gives."""
    answers: list[list[Cell]] = []
    facts: list[list[Cell]] = []
    for array in arrays:
        for named, driver in _drivers(array):
            response = driver["response"]
            answers += [[named, *pair] for pair in zip(response["lift"], response["eased"], strict=True)]
        facts += [[str(array["part"]), name, fact] for name, fact in _facts(array)]
    return [
        _numbered(["array", "piece"], {str(array["part"]): _of_pieces(array) for array in arrays}),
        _numbered(["thrown by", "kind"], {str(array["part"]): _of_kinds(array) for array in arrays}),
        Table(["driver", "lift", "eased"], answers),
        Table(["about", "name", "value"], facts),
    ]


def _numbered(head: Sequence[str], groups: Mapping[str, Mapping[str, Any]]) -> Table:
    """Make a table of what several arrays have for each piece, or each kind of drop, by its place."""
    columns = {part: dict(_columns(group)) for part, group in groups.items()}
    names = list(dict.fromkeys(name for own in columns.values() for name in own))
    rows: list[list[Cell]] = []
    for part, own in columns.items():
        cells = [own.get(name) for name in names]
        count = max(map(len, own.values()), default=0)
        rows += [[part, at, *("" if one is None else one[at] for one in cells)] for at in range(count)]
    return Table([*head, *names], rows)


def arrays_of(tables: Mapping[str, Table], columns: Mapping[str, Sequence[float]]) -> list[dict[str, Any]]:
    """Give what tables_of and row_columns were made of.

    Args:
        tables: by the first word of their heads; their cells are numbers where they are numbers.
        columns: those of the table of frames, by name.
    """
    arrays: dict[str, dict[str, Any]] = {}
    for part, name, text in tables["about"].rows:
        _put(arrays.setdefault(str(part), {}), str(name).split("."), json.loads(str(text)))
    answers: dict[str, list[Sequence[Cell]]] = {}
    for row in tables["driver"].rows:
        answers.setdefault(str(row[0]), []).append(row[1:])
    for part, plain in arrays.items():
        arrays[part] = plain = _listed(plain)
        plain |= _groups(tables["array"], part)
        if "thrown" in plain:
            plain["thrown"]["kinds"] = _groups(tables["thrown by"], part)
        for named, driver in _drivers(plain):
            driver["rows"] = []
            while (column := f"{named} row {len(driver['rows']) + 1} [lift]") in columns:
                driver["rows"].append(columns[column])
            lift, eased = zip(*answers[named], strict=True)
            driver["response"] |= {"lift": list(lift), "eased": list(eased)}
    return list(arrays.values())


def _drivers(array: Mapping[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
    for item in array.get("properties", ()):
        for at, driver in enumerate(item["drivers"]):
            yield f"{array['part']}:{item['property']} driver {at + 1}", driver


def _of_pieces(array: Mapping[str, Any]) -> dict[str, Any]:
    stands = {f"stands.{name}": way for name, way in array["stands"].items()}
    return {**{name: array[name] for name in _PIECES if array[name]}, **stands}


def _of_kinds(array: Mapping[str, Any]) -> dict[str, Any]:
    kinds: dict[str, Any] = array.get("thrown", {}).get("kinds", {})
    return kinds


def _columns(group: Mapping[str, Any]) -> Iterator[tuple[str, Sequence[float]]]:
    """Give columns, by name: 'ranks', or 'stands.gap.0' of three numbers."""
    for name, values in group.items():
        if isinstance(values[0], list):
            yield from ((f"{name}.{at}", column) for at, column in enumerate(zip(*values, strict=True)))
        else:
            yield name, values


def _facts(array: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    """Give all that is not of pieces, rows or tables of responses, by its way, such as 'properties.0.own', as JSON."""
    columns = {name for name in (*_PIECES, "stands") if array[name]}
    rest = {name: value for name, value in array.items() if name != "name" and name not in columns}
    if "thrown" in rest:
        rest["thrown"] = {name: value for name, value in rest["thrown"].items() if name != "kinds"}
    yield from _leaves(rest, ())


def _leaves(value: Any, way: tuple[str, ...]) -> Iterator[tuple[str, str]]:
    if way and way[0] == "properties" and way[-1] in {"rows", "lift", "eased"}:
        return
    if isinstance(value, dict | list) and value:
        pairs = value.items() if isinstance(value, dict) else enumerate(value)
        for name, one in pairs:
            yield from _leaves(one, (*way, str(name)))
    else:
        yield ".".join(way), json.dumps(value)


def _put(tree: dict[str, Any], way: Sequence[str], value: Any) -> None:
    for word in way[:-1]:
        tree = tree.setdefault(word, {})
    tree[way[-1]] = value


def _listed(tree: Any) -> Any:
    """Give a tree with lists where names are counted from 0."""
    if not isinstance(tree, dict):
        return tree
    plain = {name: _listed(value) for name, value in tree.items()}
    return list(plain.values()) if plain and list(plain) == [str(at) for at in range(len(plain))] else plain


def _groups(table: Table, part: str) -> dict[str, Any]:
    """Give what _numbered made a table of: its columns that have numbers for an array."""
    rows = [row[2:] for row in table.rows if row[0] == part]
    tree: dict[str, Any] = {}
    for at, name in enumerate(table.head[2:]):
        if rows and rows[0][at] != "":
            _put(tree, name.split("."), [row[at] for row in rows])
    return {name: _by_rows(value) for name, value in tree.items()}


def _by_rows(value: Any) -> Any:
    if not isinstance(value, dict):
        return value
    if "0" in value:
        return [list(row) for row in zip(*value.values(), strict=True)]
    return {name: _by_rows(one) for name, one in value.items()}
