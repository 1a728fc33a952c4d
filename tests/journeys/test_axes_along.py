"""Other axes that go along with one: as far or the other way, until they are let go."""

from tests.journeys.conftest import wait
from tests.journeys.test_bench import mapping_json, undo_says


def drives(page) -> dict:
    return {
        drive["target"]["property"]: drive
        for drive in mapping_json(page)["drives"]
        if drive["target"]["part"] == "lamp-glow"
    }


def test_the_other_axes_go_along_and_are_let_go(demo):
    made = demo.evaluate("""script('project').then(({ project }) => {
        const mapping = JSON.parse(document.querySelector("[data-mapping-json='lamp-glow']").textContent);
        const drives = mapping.drives.filter(({ target }) => target.property !== "scale_x");
        return project.edit({ kind: "put_mapping", mapping: { ...mapping, drives } });
    })""")
    assert made
    wait(demo, "document.querySelector('#drive').options.length === 2")
    place = next(
        at for at, drive in enumerate(mapping_json(demo)["drives"]) if drive["target"]["property"] == "scale_y"
    )
    demo.select_option("#drive", str(place))
    wait(demo, "document.querySelector('#add-drive').textContent.includes('as far')")
    demo.select_option("#add-drive", "axes")
    demo.wait_for_selector("#along")
    assert "Goes along with height" in demo.inner_text("#along")
    before = drives(demo)
    assert before["scale_x"]["full"] == before["scale_y"]["full"]
    demo.select_option("#drive", str(place))
    wait(demo, "document.querySelector('#along') === null")
    demo.fill("#at-full", "3.5")
    demo.press("#at-full", "Enter")
    wait(
        demo,
        """JSON.parse(document.querySelector("[data-mapping-json='lamp-glow']").textContent)
        .drives.filter(({ full }) => full === 3.5).length === 2""",
    )
    demo.select_option("#drive", "2")
    demo.wait_for_selector("#along")
    demo.click("#along button")
    wait(demo, "document.querySelector('#along') === null")
    undo_says(demo, "Undo")
    assert drives(demo)["scale_x"]["along"] is None
