"""Values that the fields of any params model may have, for tests over the registries."""

from typing import Any

from fern_tide.core.base.params import FieldSpec

TEXTS = {"envelope": "low", "points": "0.3 0.1, 0.7 0.9"}


LISTS = {
    "takes": lambda take: [{"media": take, "name": "Take 1"}],
    "stretches": lambda take: [{"begin_s": 1.0, "end_s": 2.0, "take": 0}],
    "hit_edits": lambda take: [{"time_s": 1.0, "strength": 0.5}],
}


def other_values(field: FieldSpec, *, file: str = "", song: str = "", take: str = "a" * 64) -> list[Any]:
    """Give values that a field may have and does not have by default."""
    if field.kind == "choice":
        return [choice for choice, _ in field.choices if choice != field.default]
    if field.kind == "switch":
        return [not field.default]
    if field.kind in {"file", "song"}:
        return [file if field.kind == "file" else song]
    if field.kind in LISTS:
        return [LISTS[field.kind](take)]
    if field.kind in TEXTS:
        return [TEXTS[field.kind]]
    if not isinstance(field.default, (int, float)):
        return []
    low, high = field.low, field.high
    near = [field.default + field.step, field.default - field.step, field.default * 1.1]
    return [v for v in near if (low is None or v > low) and (high is None or v < high) and v != field.default]
