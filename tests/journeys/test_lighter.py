"""A room that the processor draws has fewer triangles while it is live, and looks the same."""

from tests.journeys.conftest import open_potting_bench

LOOKS = """async () => {
  const { ProofStage } = await script("proof_stage");
  const scope = new AbortController();
  const { view } = (await new ProofStage({ width: 480, height: 270 }, scope.signal).load()).stage;
  view.setDraft(true);
  Object.assign(view.canvas.style, { display: "block", width: "100%", height: "100%" });
  const looks = [];
  const look = async () => {
    await view.lighten();
    view.renderNow();
    const canvas = new OffscreenCanvas(96, 54);
    const context = canvas.getContext("2d", { willReadFrequently: true });
    context.drawImage(view.canvas, 0, 0, 96, 54);
    let [triangles, ofPieces, shaped] = [0, 0, 0];
    view.gltf.scene.traverse(({ geometry, parent }) => {
      const count = geometry ? (geometry.index ?? geometry.attributes.position).count / 3 : 0;
      if (parent?.userData.pieces) ofPieces += count;
      else triangles += count;
      if (geometry?.morphAttributes.position) shaped += count;
    });
    looks.push({ triangles, ofPieces, shaped, pixels: [...context.getImageData(0, 0, 96, 54).data] });
  };
  await look();
  view.hurry(true);
  await look();
  view.hurry(false);
  await look();
  view.hurry(true);
  const [file] = performance.getEntriesByType("resource").filter(({ name }) => name.includes("scene.glb"));
  await view.load(file.name);
  await look();
  view.hurry(false);
  await look();
  view.setDraft(false);
  view.hurry(true);
  await look();
  scope.abort();
  return looks;
}"""


def test_fewer_triangles_look_the_same(page):
    open_potting_bench(page)
    page.press("body", "4")
    page.wait_for_selector("#proof-begin:not([disabled])")
    whole, light, back, loaded, again, fine = page.evaluate(LOOKS)
    assert light["triangles"] < 0.6 * whole["triangles"], "where the processor draws, triangles take the time"
    assert back == whole and light["ofPieces"] == whole["ofPieces"] > 0
    assert light["shaped"] == whole["shaped"] > 1000, "ripples that are flat at rest would be gone"
    assert loaded["triangles"] < 0.6 * again["triangles"], "a scene that comes meanwhile is lighter, too"
    assert fine["triangles"] == again["triangles"], "only a draft is"
    off = [abs(one - other) for one, other in zip(whole["pixels"], light["pixels"], strict=True)]
    assert sum(off) / len(off) < 2 and max(whole["pixels"][1::4]) > 100
