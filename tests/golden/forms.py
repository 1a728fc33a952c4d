"""Solids, layouts and nozzles with every option, and the properties of all kinds of part, as lines of readable text."""

from collections.abc import Iterator

from tests.golden.snapshots import choices, numbers

from fern_tide.core.scene.arrays.field import LAYOUTS
from fern_tide.core.scene.arrays.layouts.spray import NOZZLES, SprayParams
from fern_tide.core.scene.scene import PART_KINDS

SPRAY = LAYOUTS["spray"]


def _listed(items) -> str:
    return str([(one.id, one.label, one.unit, one.default, one.low, one.high, one.step, one.swing) for one in items])


def forms() -> Iterator[str]:
    for kind in PART_KINDS.values():
        yield f"properties {kind.id}: {_listed(kind.properties)} {kind.new_params(30.0, 40.0)} {kind.new_values}"
        for words, params in choices(PART_KINDS, kind.id) if kind.solid else ():
            mesh = kind.solid(params)
            rows = (mesh.positions, mesh.normals, mesh.triangles)
            yield f"solid {kind.id}{words}: {' | '.join(numbers(row) for row in rows)}"
    for layout in LAYOUTS.values():
        for space in ("2d", "3d"):
            yield f"layout {layout.id} {space}: {_listed(size.property(space) for size in layout.sizes_of(space))}"
        for words, params in choices(LAYOUTS, layout.id):
            for name, lay in (("3d", layout.lay), ("2d", layout.flat or layout.lay)):
                laid = lay(params)
                ways = {way: numbers(values) for way, values in laid.ways.items()}
                yield f"layout {layout.id}{words} {name}: {laid.n_pieces} {ways} {numbers(laid.turns)}"
    for nozzle in NOZZLES.values():
        for flat in (False, True):
            params = SprayParams.model_validate({"nozzle": {"id": nozzle.id}})
            kinds = SPRAY.throws(params, flat=flat).kinds
            rows = (kinds.places, kinds.out, kinds.aside, kinds.beyond, kinds.shares)
            yield f"nozzle {nozzle.id} {flat}: {' | '.join(numbers(row) for row in rows)}"
