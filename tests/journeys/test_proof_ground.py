"""What stands still below all that moves is drawn once for a proof: frames look as if all were drawn for each."""

import re

import pytest

DRAWING = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 200" width="300" height="200"><defs>
<linearGradient id="sky"><stop stop-color="#204030"/><stop id="low" offset="1" stop-color="#102018"/></linearGradient>
<linearGradient id="glow" href="#lit"/><linearGradient id="lit"><stop id="warm" stop-color="#d9a431"/></linearGradient>
<clipPath id="hole"><circle id="round" cx="150" cy="100" r="90"/></clipPath></defs>
<rect id="ground" width="300" height="200" fill="url(#sky)"/>
<g clip-path="url(#hole)" id="garden"><path id="hill" d="M0 200Q150 60 300 200z" fill="#5f8f50" opacity="0.5"/>
<g id="pair" transform="rotate(5)"><rect id="left" x="20" y="20" width="90" height="60" fill="#c05030"/>
<circle id="right" cx="150" cy="90" r="20" fill="#40a0d0"/><rect id="top" x="90" y="30" width="99" height="9"/></g></g>
<g id="veil" opacity="0.5"><rect id="one" x="200" y="20" width="60" height="60" fill="#f0f0f0"/>
<rect id="two" x="230" y="50" width="60" height="60" fill="#f0e0a0"/></g>
<text id="word" x="20" y="180" font-size="20" fill="white">Rain</text></svg>"""
PREFIX = "stage-"  # of all ids on a stage
LOOK = """async ([drawing, moves, frames]) => {
  const { Ground } = await script("proof_ground");
  const { Sheet, pictureOf } = await script("proof_sheet");
  const svg = new DOMParser().parseFromString(drawing, "image/svg+xml").documentElement;
  document.body.append(svg);
  const scope = new AbortController();
  const size = { width: 300, height: 200, background: "#000000", rules: "" };
  const ground = new Ground({ svg, ...size }, scope.signal);
  const show = (frame) => {
    for (const [id, name, text, from] of moves) {
      if (frame >= from) svg.querySelector("#stage-" + id).setAttribute(name, text.replace("@", frame));
    }
  };
  const canvas = Object.assign(document.createElement("canvas"), { width: 300, height: 200 });
  const context = canvas.getContext("2d", { willReadFrequently: true });
  const pixels = (picture) => {
    context.drawImage(picture, 0, 0);
    return context.getImageData(0, 0, 300, 200).data;
  };
  const answer = [];
  for (const some of frames) {
    const { texts, picture } = await ground.under(some, show);
    const sheet = await Sheet.of(some, texts, { ...size, clear: false }, picture);
    for (const [at, frame] of some.entries()) {
      const ours = pixels(await sheet.taken(at));
      show(frame);
      const whole = pixels(await pictureOf(new XMLSerializer().serializeToString(svg), 300, 200));
      const off = whole.reduce((most, value, place) => Math.max(most, Math.abs(value - ours[place])), 0);
      const isBelow = (id) => !texts[at].includes(`id="stage-${id}"`);
      answer.push({ off, below: ["ground", "hill", "left", "right", "top", "one", "two", "word"].filter(isBelow) });
    }
  }
  scope.abort();
  svg.remove();
  return answer;
}"""


def looked(room, drawing, moves, frames):
    """What lies below in each frame, and how far its pixels are from those of the whole drawing."""
    return room.evaluate(LOOK, [re.sub(r'( id="|#)(?=[a-z]{3})', rf"\1{PREFIX}", drawing), moves, frames])


@pytest.fixture
def room(page):
    page.goto("/")
    return page


MOVES = {
    "the topmost": ([["word", "x", "@", 0]], ["ground", "hill", "left", "right", "top", "one", "two"]),
    "inside a group": ([["right", "r", "@", 0]], ["ground", "hill", "left"]),
    "a group": ([["pair", "transform", "rotate(@)", 0]], ["ground", "hill"]),
    "what is half seen as one": ([["two", "y", "@", 0]], ["ground", "hill", "left", "right", "top"]),
    "a gradient": ([["low", "stop-color", "#0000@", 10]], []),
    "a clip": ([["round", "r", "8@", 0]], ["ground"]),
    "nothing": ([], []),
}


def test_it_is_what_lies_below_the_first_that_moves(room):
    for name, (moves, below) in MOVES.items():
        seen = looked(room, DRAWING, moves, [[10, 20], [30, 40]])
        assert [frame["below"] for frame in seen] == [below] * 4, name
        assert max(frame["off"] for frame in seen) <= 2, f"{name}: of 255"


def test_what_moves_later_than_others_is_not_below_from_then_on(room):
    moves = [["word", "x", "@", 0], ["left", "x", "@", 40]]
    seen = looked(room, DRAWING, moves, [[10, 20], [30, 50], [60, 70]])
    assert [len(frame["below"]) for frame in seen] == [7, 7, 2, 2, 2, 2]
    assert max(frame["off"] for frame in seen) <= 2


def test_what_is_used_further_up_is_not_below(room):
    drawing = DRAWING.replace("</svg>", '<use href="#hill" y="-60"/></svg>')
    seen = looked(room, drawing, [["word", "x", "@", 0]], [[10, 20]])
    assert [frame["below"] for frame in seen] == [[], []] and max(frame["off"] for frame in seen) <= 2
