"""How lanes are looked at: folded, grouped, alone, measured; and many of them."""

import json

import pytest
from tests.journeys.conftest import pick, wait
from tests.journeys.test_bench import ORDER, SEEK, drag, mapping_json, middle, pixels
from tests.journeys.test_honest_screens import project


def test_lanes_are_folded_made_taller_grouped_and_seen_alone(demo):
    tall = "document.querySelector('.lane[data-mapping=\"{}\"]').offsetHeight"
    demo.click("[data-act='fold'][data-mapping='lamp-glow']", force=True)
    wait(demo, f"{tall.format('lamp-glow')} === 24")
    grip = middle(demo, "[data-grip='cloche-tops']")
    before = demo.evaluate(tall.format("cloche-tops"))
    drag(demo, grip, (grip[0], grip[1] + 50))
    assert demo.evaluate(tall.format("cloche-tops")) == pytest.approx(before + 50, abs=2)
    demo.reload()
    demo.wait_for_selector("#plot")
    assert demo.evaluate(tall.format("lamp-glow")) == 24  # as they were left
    demo.click("#fold-all")
    assert demo.inner_text("#fold-all") == "Unfold all"
    demo.click("#fold-all")
    demo.select_option("#group", "sound")
    wait(demo, "document.querySelectorAll('.lane-group').length >= 3")
    demo.click(".lane-group >> nth=0 >> button")
    wait(demo, f"{tall.format('lamp-glow')} === 24")
    demo.select_option("#group", "")
    wait(demo, "document.querySelectorAll('.lane-group').length === 0")
    demo.evaluate(SEEK.format(415))
    demo.click("[data-act='solo'][data-mapping='frond-sway']", force=True)
    wait(demo, "document.querySelector('#lane-words').textContent.startsWith('only Frond sway moves')")
    wait(demo, "document.querySelector('[data-mapping=cloche-tops] .now').hidden")
    demo.click("[data-act='solo'][data-mapping='frond-sway']", force=True)
    wait(demo, "!document.querySelector('[data-mapping=cloche-tops] .now').hidden")


def test_a_stretch_of_a_lane_is_measured_and_marks_stay_where_they_are(demo):
    marks = mapping_json(demo)["marks"]
    demo.click("#measure")
    box = demo.locator("[data-lane='lamp-glow']").bounding_box()
    drag(demo, (box["x"] + 100, box["y"] + 12), (box["x"] + 300, box["y"] + 12))
    words = demo.inner_text("#lane-words")
    frames = round(200 / box["width"] * 1349)
    assert words.startswith((f"{frames} frames, ", f"{frames + 1} frames, ", f"{frames - 1} frames, "))
    assert " ms: " in words and " to " in words and demo.locator("#measured").is_visible()
    assert mapping_json(demo)["marks"] == marks
    demo.click("#measure")
    assert demo.locator("#measured").is_hidden()
    demo.click("#follow")
    assert demo.get_attribute("#follow", "aria-pressed") == "false"


def test_many_mappings_stay_usable_and_only_the_lanes_in_view_are_drawn(demo):
    properties = ("scale_y", "scale_x", "turn", "opacity", "x", "y")
    add = """async ([targets, key]) => {
      const token = document.querySelector('meta[name="csrf-token"]').content;
      const headers = { 'X-CSRF-Token': token, 'Content-Type': 'application/json' };
      let base = (await (await fetch(`/p/${key}/status`)).json()).revision;
      for (const target of targets) {
        const body = JSON.stringify({ base, target });
        const answer = await fetch(`/p/${key}/mappings`, { method: 'POST', headers, body });
        base = (await answer.json()).revision;
      }
    }"""
    key = demo.url.split("/p/")[1].split("/")[0]
    targets = [f"cloche-{n}:{name}" for n in range(1, 11) for name in properties]
    demo.evaluate(add, [targets, key])
    demo.reload()
    demo.wait_for_selector("#plot")
    wait(demo, "document.querySelector('#hits').textContent !== '–'")
    assert demo.locator(".lane[data-mapping]").count() == 64
    drawn = "[...document.querySelectorAll('canvas[data-lane]')].filter((canvas) => canvas.width !== 300).length"
    assert 3 < demo.evaluate(drawn) < 12
    demo.evaluate("document.querySelector('#lanes-scroll').scrollTop = 1e6")
    wait(demo, f"{drawn} > 8")
    got = []
    demo.on("response", lambda answer: got.append(answer) if "/curves?since=" in answer.url else None)
    demo.click(".lane[data-mapping='cloche-10-down'] [data-select], .lane[data-mapping] >> nth=63 >> [data-select]")
    demo.fill("#at-full", "7")
    demo.press("#at-full", "Enter")
    wait(demo, "document.querySelector('#saved') && document.querySelector('#undo').title.includes('at full')")
    for _ in range(100):
        demo.wait_for_timeout(200)
        if got:
            break
    demo.wait_for_timeout(400)
    assert len(got) == 1 and len(got[0].body()) < 60_000  # one lane and one curve of 1349 frames, without its level


def settled(page, selector):
    """The picture of a canvas once it stays as it is."""
    before = None
    while before != (now := pixels(page, selector)):
        before = now
        page.wait_for_timeout(500)
    return before


def test_clean_up_is_seen_before_it_is_added_and_put_in_order_in_both_rooms(demo):
    before = pixels(demo, "[data-lane='lamp-glow']")
    demo.click("[data-drawer='clean_ups']")
    demo.hover("[data-pick='clean_up'][data-id='hold']")
    wait(demo, f"document.querySelector('[data-lane=\"lamp-glow\"]').toDataURL() !== {json.dumps(before)}")
    demo.click("[data-pick='clean_up'][data-id='hold']")
    order = ORDER.format("clean_up")
    wait(demo, f"{order} === 'Rise and fall,Smooth,Hold'")
    demo.focus("#clean-2-handle")
    demo.keyboard.press("ArrowUp")
    wait(demo, f"{order} === 'Rise and fall,Hold,Smooth'")
    demo.click("#rooms >> text=Sound")
    demo.wait_for_selector("#level-here:not(:has-text('–'))")
    wait(demo, f"{order} === 'Rise and fall,Hold,Smooth'")
    demo.focus("#clean-1-handle")
    demo.keyboard.press("ArrowUp")
    wait(demo, f"{order} === 'Hold,Rise and fall,Smooth'")
    demo.click("[data-act='twice'][data-path='clean_up.0']")
    wait(demo, f"{order} === 'Hold,Hold,Rise and fall,Smooth'")
    before = settled(demo, "#trace")
    demo.click("#add-clean-up")
    demo.hover("[data-pick='clean_up'][data-id='rise_and_fall']")
    wait(demo, f"document.querySelector('#trace').toDataURL() !== {json.dumps(before)}")
    demo.keyboard.press("Escape")
    wait(demo, f"document.querySelector('#trace').toDataURL() === {json.dumps(before)}")
    demo.click("#add-clean-up")
    demo.click("[data-pick='clean_up'][data-id='gate']")
    wait(demo, f"{order} === 'Hold,Hold,Rise and fall,Smooth,Gate'")


def test_from_the_sound_room_an_envelope_moves_a_property_and_opens_what_it_drives(demo):
    demo.click("#rooms >> text=Sound")
    demo.wait_for_selector("#envelope-panel")
    demo.click("[data-show-envelope]:has-text('Notes')")
    demo.wait_for_selector("[data-show-envelope][aria-current]:has-text('Notes')")
    pick(demo, "#move-with", "lamp:turn")
    demo.wait_for_selector("#plot")
    wait(demo, "document.querySelector('.lane[aria-current=true]').textContent.includes('Notes')")
    demo.click("#rooms >> text=Sound")
    demo.click("[data-show-envelope]:has-text('Panes')")
    demo.click("[data-bench='cloche-tops']")
    demo.wait_for_selector(".lane[aria-current=true][data-mapping='cloche-tops']")


def test_lanes_are_found_by_what_they_are_and_folded_ones_show_one_line(demo):
    parts = ["cloche-1", "cloche-2", "moth-one", "moth-two", "title", "rain", "frond-left", "frond-right"]
    drives = {"envelope": "drip", "marks": {"low": 0.1, "high": 0.5}}
    mappings = [
        {"id": f"m-{part}", "name": f"Blur of {part}", "drives": [
            {"target": {"part": part, "property": "blur"}, "rest": 0, "full": 4}
        ], **drives} for part in parts
    ]  # fmt: skip
    commands = [{"kind": "put_mapping", "mapping": mapping} for mapping in mappings]
    project(demo, f"project.edit({{ kind: 'together', words: 'Blurs', commands: {json.dumps(commands)} }})")
    demo.wait_for_selector("#find-lane")
    shown = "[...document.querySelectorAll('.lane:not([hidden])')].map((lane) => lane.dataset.mapping).join()"
    demo.fill("#find-lane", "drip MOTH")
    wait(demo, f"{shown} === 'm-moth-one,m-moth-two'")
    demo.fill("#find-lane", "")
    demo.click("#bake")
    wait(demo, "document.querySelector('#bake').textContent === 'All curves baked'")
    demo.fill("[id='lane-m-rain-full']", "5")
    demo.press("[id='lane-m-rain-full']", "Enter")
    wait(demo, "document.querySelector('#undo').title.includes('blur of Rain')")
    demo.select_option("#only-lanes", "stale")
    wait(demo, f"{shown} === 'm-rain'")
    demo.select_option("#only-lanes", "")
    demo.click("#fold-all")
    lane = "document.querySelector('.lane[data-mapping=m-rain]')"
    wait(demo, f"{lane}.offsetHeight <= 24 && {lane}.querySelector('canvas').height <= 24 * devicePixelRatio")
    assert not demo.is_visible(".lane[data-mapping='m-rain'] .chip-tide")


def edit(page, command):
    page.evaluate("command => script('project').then(({ project }) => project.edit(command))", command)


HITS = {"id": "struck", "name": "Struck", "track": "rain-on-panes", "reading": {"id": "hits", "params": {}}}
ENDS = {"rest": "#2040a0", "full": "#ffcc40"}


def test_a_lane_shows_colours_where_rest_is_and_marks_of_hits_in_percent(demo):
    edit(demo, {"kind": "put_envelope", "envelope": HITS})
    marks = {"low": 0.1, "high": 0.8}
    colour = {"target": {"part": "lamp-bulb", "property": "fill"}, **ENDS}
    shade = {"id": "shade", "name": "Shade", "envelope": "struck", "marks": marks, "drives": [colour]}
    turn = {"target": {"part": "lamp", "property": "turn"}, "rest": 0, "full": 8}
    swing = {"id": "swing", "name": "Swing", "envelope": "struck", "marks": marks, "drives": [turn]}
    for mapping in (shade, swing | {"steps": [{"id": "sway", "params": {}}]}):
        edit(demo, {"kind": "put_mapping", "mapping": mapping})
    wait(demo, "document.querySelectorAll('.lane[data-mapping]').length === 6")
    demo.locator(".lane[data-mapping='swing']").scroll_into_view_if_needed()
    wait(demo, "document.querySelector('.lane[data-mapping=swing]')?.dataset.both === 'true'")
    assert demo.get_attribute(".lane[data-mapping='shade']", "data-both") == "false"
    rest, now = (
        demo.locator(f".lane[data-mapping='swing'] {name}").bounding_box() for name in ("#lane-swing-rest", ".now")
    )
    assert rest["y"] < now["y"], "rest stands in the middle, and what is now below"
    seen = demo.evaluate("""() => {
        const canvas = document.querySelector("[data-lane='shade']");
        const { width, height } = canvas;
        const row = canvas.getContext("2d").getImageData(0, height - 2, width, 1).data;
        return [...new Set([...Array(width).keys()].map((x) => [...row.slice(4 * x, 4 * x + 3)].join()))];
    }""")
    assert "32,64,160" in seen and len(seen) > 10, "blue at rest, and others towards gold"
    demo.click("[data-select='shade']")
    wait(demo, "document.querySelector('#low-db')?.value === '10.0'")
    assert demo.get_attribute("#low-db", "aria-label") == "Low water, %" and " dB" not in demo.inner_text("#reason")
    demo.fill("#low-db", "25")
    demo.press("#low-db", "Enter")
    wait(demo, "document.querySelector('[data-mapping-json]').textContent.includes('\"low\": 0.25')")
