"""What the page shows is what is stored: after a choice, a conflict, another tab, a reload, a stray file."""

import json
from base64 import b64encode

from tests.conftest import drums, wav
from tests.journeys.conftest import CHROMIUM, FLAGS, draw_anew, wait
from tests.journeys.test_bench import undo_says


def project(page, expression: str):
    """Evaluate something of the page's project."""
    return page.evaluate(f"script('project').then(({{ project }}) => {expression})")


def shown_numbers(page) -> str:
    found = "[...document.querySelectorAll('#hits, #share-words, #low-db, #high-db')]"
    return page.evaluate(f"{found}.map((e) => e.value ?? e.textContent).join('|')")


def lane(page, key="lamp-glow") -> str:
    return page.evaluate(f"document.querySelector('[data-lane=\"{key}\"]').toDataURL()")


def test_after_a_recipe_is_taken_and_the_drawer_closed_everything_shows_it(demo):
    for recipe in ("stepping-stones", "breath", "unfurl"):
        demo.click("[data-drawer='recipes']")
        entry = f"[data-pick='recipe'][data-id='{recipe}']"
        demo.hover(entry)
        demo.wait_for_timeout(150)
        demo.click(entry)
        undo_says(demo, "Apply")
        demo.wait_for_timeout(400)  # the pointer still lies over an entry of the drawer, which is drawn anew
        demo.hover(entry, position={"x": 3, "y": 3})
        demo.wait_for_timeout(200)
        demo.click("#drawer [data-close]")
        demo.wait_for_timeout(400)
        seen, drawn = shown_numbers(demo), lane(demo)
        demo.reload()
        wait(demo, "document.querySelector('#hits')?.textContent !== '–'")
        demo.wait_for_timeout(300)
        assert shown_numbers(demo) == seen
        assert lane(demo) == drawn


def test_edits_go_on_after_a_conflict_whose_answer_was_lost(demo):
    for words in ("409", "Failed to load", "ERR_FAILED"):
        demo.expect_console(words)
    demo.route("**/status", lambda route: route.abort())
    project(demo, "project.status = { ...project.status, revision: project.status.revision - 1 }")
    project(demo, "project.edit({ kind: 'rename_project', name: 'Lost' })")
    wait(demo, "!document.querySelector('#notice').hidden")
    demo.unroute("**/status")
    project(demo, "project.lookAgain()")
    project(demo, "project.edit({ kind: 'rename_project', name: 'SceneContent again' })")
    undo_says(demo, "SceneContent again")


def test_another_tab_shows_what_was_edited_in_this_one(demo):
    other = demo.context.new_page()
    other.goto(demo.url)
    wait(other, "document.querySelector('#hits')?.textContent !== '–'")
    project(demo, "project.edit({ kind: 'rename_project', name: 'Two tabs' })")
    wait(other, "document.querySelector('#project-name').value === 'Two tabs'")
    project(other, "project.edit({ kind: 'rename_project', name: 'And back' })")
    wait(demo, "document.querySelector('#project-name').value === 'And back'")
    other.close()


def test_a_file_dropped_beside_every_place_is_taken_in_or_said_and_never_opened(demo):
    address = demo.url

    def drop(room: str, *names: str) -> None:
        svg = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 90"><path id="stray" d="M0 0h9v9z"/></svg>'
        sound = wav(drums(seconds=1), rate_hz=44_100)
        contents = [[name, b64encode(svg if name.endswith("svg") else sound).decode()] for name in names]
        demo.evaluate(
            """([room, contents]) => {
                const files = new DataTransfer();
                const bytes = (text) => Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
                for (const [name, text] of contents) files.items.add(new File([bytes(text)], name));
                const options = { bubbles: true, cancelable: true, dataTransfer: files };
                for (const type of ["dragover", "drop"]) {
                    const opens = document.querySelector(room).dispatchEvent(new DragEvent(type, options));
                    if (opens) throw new Error("it would open");
                }
            }""",
            [room, contents],
        )

    drop("header", "Stray.wav")  # on the Bench: it goes to the Sound room, and so does the page
    undo_says(demo, "Add the track Stray")
    demo.wait_for_url(address.replace("bench", "sound"))
    drop("#trace", "stray.svg")  # a drawing in the Sound room goes onto the Stage, which asks
    demo.wait_for_selector("#notice-other:has-text('Replace the stage')")
    demo.click("#notice-act")
    undo_says(demo, "Bring in stray.svg")
    drop("#stage", "night.ferntide")
    wait(demo, "document.querySelector('#notice-words').textContent.includes('start page')")
    drop("#stage", "Both.wav", "both.svg")
    undo_says(demo, "Add the track Both")
    wait(demo, "document.querySelector('#notice-words').textContent === 'both.svg belongs on the Stage.'")


def test_a_reload_keeps_the_loop(demo):
    demo.press("body", "l")
    wait(demo, "document.querySelector('#loop').getAttribute('aria-pressed') === 'true'")
    demo.reload()
    wait(demo, "document.querySelector('#loop').getAttribute('aria-pressed') === 'true'")


def test_a_mark_that_was_typed_stays_in_its_field_and_leaving_it_complains_of_nothing(demo):
    wait(demo, "document.querySelector('#low-db')?.value")
    demo.fill("#low-db", "-25")
    demo.press("#low-db", "Enter")
    undo_says(demo, "Move low water of Lamp glow")
    wait(demo, "document.querySelector('#low-db')?.value === '-25.0'")
    demo.fill("#high-db", "200")
    demo.press("#high-db", "Enter")
    wait(demo, "document.querySelector('.said-beside')")
    demo.click("a:has-text('Hand-off')")
    wait(demo, "document.querySelector('#keys-plot, .btn-line') && !document.querySelector('.said-beside')")
    demo.click("#rooms a[href$='/bench']")
    wait(demo, "document.querySelector('#low-db')?.value === '-25.0'")
    demo.focus("#low-db")
    demo.click("#hits")
    demo.wait_for_timeout(200)
    assert demo.locator(".said-beside").count() == 0


def test_a_sheet_that_was_drawn_before_its_sound_was_read_is_drawn_anew(demo):
    def early(route):
        response = route.fetch()
        html = response.text().replace('id="reason" title=', 'id="reason" data-waits data-old=')
        route.fulfill(response=response, body=html)

    demo.route("**/bench", early)
    demo.reload()
    wait(demo, "document.querySelector('#reason') && !document.querySelector('#reason[data-waits]')")
    wait(demo, "document.querySelector('#hits')?.textContent !== '–'")
    assert demo.inner_text("#reason")


def test_the_ruler_and_the_lanes_share_one_axis_where_scroll_bars_take_room(browser, server):
    flags = [flag for flag in FLAGS if flag != "--hide-scrollbars"]
    with_bars = browser.browser_type.launch(
        executable_path=CHROMIUM, args=flags, ignore_default_args=["--hide-scrollbars"]
    )
    page = with_bars.new_page(base_url=server.url, viewport={"width": 1180, "height": 720})
    page.goto("/")
    page.click("#open-demo")
    page.wait_for_selector("#plot", timeout=60_000)
    wait(page, "document.querySelector('#hits').textContent !== '–'")
    assert page.evaluate("((e) => e.offsetWidth - e.clientWidth)(document.querySelector('#lanes-scroll'))") > 5
    edges = page.evaluate(
        """[...document.querySelectorAll("#ribbon, canvas[data-lane]")].map((canvas) => {
            const { left, right } = canvas.getBoundingClientRect();
            return [left, right];
        })"""
    )
    assert len(edges) > 2
    for side in zip(*edges, strict=True):
        assert max(side) - min(side) < 0.6
    with_bars.close()


def test_the_plot_of_the_hand_off_returns_after_the_stage_was_another(demo):
    demo.click("#bake")
    wait(demo, "document.querySelector('#bake').textContent === 'All curves baked'")
    demo.press("body", "4")
    wait(demo, "document.querySelector('#keys-words')?.textContent.includes('keys for')")
    demo.click("#write-svg")
    demo.wait_for_selector("#download-svg")
    empty = {"name": "Empty", "kind": "3d", "parts": []}
    project(
        demo, f"project.edit({{ kind: 'put_scene', words: 'Another stage', scene: {json.dumps(empty)}, mappings: [] }})"
    )
    wait(demo, "document.querySelector('#write-svg') === null")
    demo.click("#undo")
    wait(demo, "document.querySelector('#write-svg') !== null")
    wait(demo, "document.querySelector('#keys-words')?.textContent.includes('keys for')")
    demo.click("#show-look")
    demo.wait_for_timeout(200)
    drawn = demo.evaluate("document.querySelector('#keys-plot').toDataURL().length")
    assert drawn > 4_000


def test_what_is_in_the_hand_stays_and_all_else_goes_on(demo):
    """The page is drawn anew while a mark is held: the held one only afterwards, long work at once."""
    wait(demo, "!document.getElementById('work').childElementCount && !document.querySelector('#reason[data-waits]')")
    demo.evaluate("document.querySelector('#histogram').dataset.old = ''")
    mark = demo.locator("#mark-low").bounding_box()
    demo.mouse.move(mark["x"] + mark["width"] / 2, mark["y"] + mark["height"] / 2)
    demo.mouse.down()
    demo.evaluate("document.getElementById('work').replaceChildren('waits')")
    demo.evaluate("document.getElementById('work').dispatchEvent(new CustomEvent('ft:look'))")
    demo.evaluate("document.getElementById('parts').dispatchEvent(new CustomEvent('ft:renew'))")
    wait(demo, "document.getElementById('work').textContent.trim() === ''")
    demo.wait_for_timeout(300)
    assert demo.evaluate("'old' in document.querySelector('#histogram').dataset")
    demo.mouse.up()
    wait(demo, "!('old' in document.querySelector('#histogram').dataset)")


def test_what_is_marked_in_a_field_stays_marked_when_the_page_is_drawn_anew(demo):
    """Who has clicked into a field and types next replaces the number, even if an answer came in between."""
    wait(demo, "!document.querySelector('#reason[data-waits]')")
    demo.locator("#at-full").select_text()
    draw_anew(demo, "#at-full")
    demo.keyboard.type("7")
    assert demo.input_value("#at-full") == "7"


def test_a_name_that_is_half_typed_when_the_page_is_drawn_anew_is_stored_when_it_is_whole(demo):
    wait(demo, "!document.querySelector('#reason[data-waits]')")
    before = project(demo, "project.status.revision")
    demo.locator("#mapping-name").select_text()
    demo.keyboard.type("Lamp")
    draw_anew(demo, "#mapping-name")
    demo.keyboard.type(" by night")
    demo.wait_for_timeout(300)
    assert project(demo, "project.status.revision") == before
    demo.keyboard.press("Enter")
    undo_says(demo, "Lamp by night")
    assert project(demo, "project.status.revision") == before + 1


def test_what_is_typed_into_a_profile_stays_while_the_page_is_drawn_anew(demo):
    demo.evaluate("localStorage.setItem('ft:profile', JSON.stringify({ names: 'lamp-glow:opacity = Glow' }))")
    demo.click("#rooms >> text=Hand-off")
    demo.click("#profile summary")
    assert demo.input_value("#profile-names") == "lamp-glow:opacity = Glow"
    demo.locator("#profile-names").select_text()
    demo.keyboard.type("lamp-glow:opacity = ")
    draw_anew(demo, "#profile-names")
    demo.keyboard.type("Shine")
    demo.keyboard.press("Enter")
    wait(demo, "document.querySelector('#profile-words').textContent === 'For a program with names'")
    assert json.loads(demo.evaluate("localStorage.getItem('ft:profile')")) == {"names": "lamp-glow:opacity = Shine"}
    demo.click("#profile-plain")
    wait(demo, "document.querySelector('#profile-names').value === ''")
    assert demo.evaluate("localStorage.getItem('ft:profile')") == "{}"


def test_a_button_that_is_pressed_while_the_page_is_drawn_anew_still_does_what_it_says(demo):
    wait(demo, "!document.querySelector('#reason[data-waits]')")
    box = demo.locator("#sheet [data-act='invert']").bounding_box()
    demo.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    demo.mouse.down()
    draw_anew(demo, "#histogram", comes=False)
    demo.wait_for_timeout(400)
    demo.mouse.up()
    wait(demo, "document.querySelector('#undo').title.includes('at full')")
    wait(demo, "!('old' in document.querySelector('#histogram').dataset)")
