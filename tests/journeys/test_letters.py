"""The letters that ship as outlines, for Lottie and for text in space: a browser draws the same from the fonts."""

import numpy as np
import pytest
from tests.journeys.players import faces
from tests.journeys.test_pages_and_players import page as page  # a fixture
from tests.journeys.test_pages_and_players import picture

from fern_tide.core.scene.lettering import glyph_loops, lettering
from fern_tide.core.scene.parts.text import FAMILIES, Font

LETTERS = [chr(code) for code in (*range(33, 127), *range(0xA1, 0xAD), *range(0xAE, 0x100)) if chr(code) != "\xb5"]
CELL, SIZE, ACROSS = 48, 30, 20


def sheet(letter_at) -> str:
    cells = "".join(
        letter_at(letter, CELL * (at % ACROSS) + 8, CELL * (at // ACROSS) + 36) for at, letter in enumerate(LETTERS)
    )
    size = "width='960' height='540'"
    return f"<svg xmlns='http://www.w3.org/2000/svg' {size}><rect {size}/>{cells}</svg>"


def drawn(page, svg: str) -> np.ndarray:
    """The cells of the letters, shape (letters, height, width)."""
    page.set_content(f"{faces()}<body style='margin:0'>{svg}</body>")
    page.evaluate("document.fonts.ready.then(() => 1)")
    page.wait_for_timeout(100)
    rows = picture(page)[: 540 // CELL * CELL, : ACROSS * CELL, 0].reshape(-1, CELL, ACROSS, CELL)
    return rows.transpose(0, 2, 1, 3).reshape(-1, CELL, CELL)[: len(LETTERS)]


@pytest.mark.parametrize("font", list(Font))
def test_each_letter_is_the_font_s_own(font, page):
    family = FAMILIES[font].split(",")[0].strip("'")

    def written(letter, x, y):
        return f"<text x='{x}' y='{y}' font-size='{SIZE}' font-family='{family}' fill='#fff'>&#{ord(letter)};</text>"

    def outlined(letter, x, y):
        loops = [loop * SIZE + np.array([x, y]) for loop in glyph_loops(letter, font)[1]]
        data = "".join("M" + "L".join(f"{a:.3f} {b:.3f}" for a, b in loop) + "Z" for loop in loops)
        return f"<path fill='#fff' d='{data}'/>"

    theirs, ours = drawn(page, sheet(written)), drawn(page, sheet(outlined))
    off = np.abs(theirs - ours).mean(axis=(1, 2))
    lacking = [letter for letter in LETTERS if not glyph_loops(letter, font)[1]]
    wrong = [
        f"{letter} {one:.1f}" for letter, one in zip(LETTERS, off, strict=True) if one > 2 and letter not in lacking
    ]
    assert not wrong and len(lacking) < 16 and not set(lacking) & set(map(chr, range(33, 127)))


@pytest.mark.parametrize("font", list(Font))
def test_in_space_each_letter_is_filled_and_hollow_where_its_outline_says(font):
    for letter in LETTERS:
        mesh = lettering(letter, font=font, size=1.0, thickness=0.1)
        front = mesh.triangles[mesh.normals[mesh.triangles[:, 0], 2] > 0.5]
        a, b, c = (mesh.positions[front[:, at], :2] for at in range(3))
        area = np.abs((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]).sum() / 2
        loops = glyph_loops(letter, font)[1]
        turns = [(x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2 for x, y in (loop.T for loop in loops)]
        assert area == pytest.approx(abs(sum(turns)), abs=2e-5), letter
