"""Draw the packages of Fern Tide and what each imports, as docs/whole.svg, read from the code itself.

Rows lie from who asks (web, command line) to what knows nothing of the others (core/base); an arrow goes down to what
is imported. Nearly all import core/base, so that is not drawn. An arrow that went up would be red; there is none, and
a test says so.
"""

from __future__ import annotations

import ast
from pathlib import Path
from xml.sax.saxutils import escape

ROOT = Path(__file__).parent.parent
SRC = ROOT / "src/fern_tide"
OUT = ROOT / "docs/whole.svg"
ROWS = (
    ("cli",),
    ("web", "cli_projects", "cli_sounds"),
    ("jobs",),
    ("workflows/hand_off", "workflows/bake", "workflows/reuse"),
    ("workflows/bring_in",),
    ("workflows/tune",),
    ("workflows/derive",),
    ("workflows/studio",),
    ("store", "demo", "terminal"),
    ("core/commands", "core/derivation", "core/first_cut", "core/live", "core/project_file"),
    ("core/document", "core/formats"),
    ("core/bake",),
    ("core/scene",),
    ("core/mapping",),
    ("core/envelope",),
    ("core/sound",),
    ("core/base",),
)
COLOURS = {"cli": "#efe3c4", "cli_projects": "#efe3c4", "cli_sounds": "#efe3c4", "web": "#efe3c4", "jobs": "#efe3c4"}
COLOURS |= {"workflows": "#dfe9d2", "store": "#d9cfb8"}
COLOURS |= {"demo": "#d9cfb8", "terminal": "#d9cfb8", "core": "#d5e6ec"}
BASE = "core/base"
FONT = 'font-family="sans-serif" font-size="12"'
WIDTH, WIDE, TALL, DOWN, TOP = 900, 150, 26, 58, 16


def package_of(parts: tuple[str, ...]) -> str:
    """Name the package of a module, given by its names below fern_tide: two levels in core and workflows, else one."""
    deep = 2 if parts[0] in {"core", "workflows"} and len(parts) > 1 else 1
    return "/".join(parts[:deep])


def imports() -> set[tuple[str, str]]:
    """List which package imports which."""
    every: set[tuple[str, str]] = set()
    for path in SRC.rglob("*.py"):
        names = path.relative_to(SRC).with_suffix("").parts
        if names[-1] == "__init__" and len(names) < 3:
            continue
        own = package_of(names)
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.ImportFrom) or not (node.module or "").startswith("fern_tide"):
                continue
            base = tuple((node.module or "").split(".")[1:])
            for alias in node.names:
                whole = (*base, alias.name)
                target = package_of(whole if (SRC / Path(*whole)).exists() or not base else base or whole)
                if (SRC / target).is_dir() or (SRC / f"{target}.py").exists():
                    every.add((own, target))
    return {(own, target) for own, target in every if own != target}


def places() -> dict[str, tuple[float, float]]:
    """Give the middle of each package's box."""
    at = {}
    for row, names in enumerate(ROWS):
        for place, name in enumerate(names):
            at[name] = (WIDTH * (place + 1) / (len(names) + 1), TOP + row * DOWN + TALL / 2)
    return at


def whole_svg() -> str:
    """Give the drawing."""
    at, pairs = places(), imports()
    height = TOP + len(ROWS) * DOWN
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {height}" {FONT}>',
        f'<rect width="{WIDTH}" height="{height}" fill="#fffdf6"/>',
    ]
    for own, target in sorted(pairs):
        if target == BASE:
            continue
        (x0, y0), (x1, y1) = at[own], at[target]
        colour, wide = ("#c4572e", 2.5) if y1 <= y0 else ("#8a9a86", 0.9)
        way = f"M{x0:.0f} {y0:.0f}C{x0:.0f} {y0 + 40:.0f} {x1:.0f} {y1 - 40:.0f} {x1:.0f} {y1:.0f}"
        title = f"{own} imports {target}"
        lines.append(
            f'<path d="{way}" fill="none" stroke="{colour}" stroke-width="{wide}"><title>{title}</title></path>'
        )
    for name, (x, y) in at.items():
        box = f'x="{x - WIDE / 2:.0f}" y="{y - TALL / 2:.0f}" width="{WIDE}" height="{TALL}" rx="6"'
        fill = COLOURS[name.split("/")[0]]
        lines.append(f'<rect {box} fill="{fill}" stroke="#b9c2b0"/>')
        lines.append(f'<text x="{x:.0f}" y="{y + 4:.0f}" text-anchor="middle" fill="#22332c">{escape(name)}</text>')
    return "\n".join([*lines, "</svg>"]) + "\n"


def upward() -> list[str]:
    """List the imports that go up or sideways, and packages that the drawing leaves out."""
    at, pairs = places(), imports()
    missing = {name for pair in pairs for name in pair if name not in at}
    return sorted(missing) + [
        f"{own} imports {target}"
        for own, target in sorted(pairs)
        if not missing & {own, target} and at[target][1] <= at[own][1]
    ]


if __name__ == "__main__":
    OUT.write_text(whole_svg())
    print("\n".join(upward()))
