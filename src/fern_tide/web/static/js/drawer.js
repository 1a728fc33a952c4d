// What opens over the sheet to choose from: clean-up, steps, responses, recipes, properties to copy to, and why a value is so. It blocks nothing.

import { withDrive } from "./bench_acts.js";
import { envelopeJson, mappingJson, put } from "./binding.js";
import { fill, notice, telling } from "./notices.js";
import { project } from "./project.js";
import { getText, upload } from "./server.js";
import { transport } from "./transport.js";

const SETTLE_MS = 90;

/** Whether an entry is found by what is typed: every word of it occurs. Pure. */
export const isFound = (words, typed) => typed.toLowerCase().split(/\s+/).every((word) => words.includes(word));

/**
 * Mount the drawer of a room. chosen() gives { mapping, drive } of the Bench or { envelope } of the Sound room; peek(body) shows an edit without storing it, and
 * peek(null) shows again what is stored; onOpen() hears of every change.
 */
export function mountDrawer(drawer, { parts, chosen, peek, signal }) {
  let open = null;
  let opener = null;
  let settling = 0;

  const query = () => new URLSearchParams({ mapping: chosen().mapping ?? "", drive: chosen().drive, frame: transport.frame });
  const marked = () => {
    for (const button of parts.querySelectorAll("[data-drawer]")) button.setAttribute("aria-expanded", String(button.dataset.drawer === open));
  };

  let asked = 0;
  async function show(name) {
    const mine = (asked += 1);
    const html = await telling(() => getText(project.url(`bench/drawer/${name}?${query()}`)));
    if (html === undefined || signal.aborted || mine !== asked) return; // closed meanwhile, or another was asked for
    const [typed, scrolled] = [drawer.querySelector("#drawer-find")?.value ?? "", drawer.scrollTop];
    const held = drawer.contains(document.activeElement) ? document.activeElement : null;
    const again = open === name && !drawer.hidden;
    fill(drawer, html);
    drawer.hidden = false;
    drawer.scrollTop = 0;
    open = name;
    marked();
    const field = drawer.querySelector("#drawer-find");
    if (again && field) {
      field.value = typed;
      find(typed);
      drawer.scrollTop = scrolled;
      const same = held?.id ? `#${held.id}` : held?.dataset.pick ? `[data-pick][data-id="${held.dataset.id}"]` : null;
      if (same) drawer.querySelector(same)?.focus({ preventScroll: true });
    } else (field ?? drawer.querySelector("[data-close]")).focus({ preventScroll: true });
  }

  function close({ refocus = true } = {}) {
    asked += 1;
    if (drawer.hidden) return;
    drawer.hidden = true;
    drawer.innerHTML = "";
    const was = open;
    open = null;
    peek(null);
    marked();
    if (refocus) (parts.querySelector(`[data-drawer="${was}"]`) ?? opener)?.focus();
  }

  function find(typed) {
    let found = 0;
    for (const entry of drawer.querySelectorAll("[data-words]")) {
      const fits = isFound(entry.dataset.words, typed);
      (entry.parentElement.matches(".relative") ? entry.parentElement : entry).hidden = !fits;
      found += fits;
    }
    const none = drawer.querySelector("[data-none]");
    if (none) none.hidden = found > 0;
  }

  const withStep = (id) => {
    const mapping = mappingJson(chosen().mapping);
    return put("mapping", { ...mapping, steps: [...mapping.steps, { id }] });
  };
  const withCleanUp = (id) => {
    const { mapping, envelope: shown } = chosen();
    const envelope = envelopeJson(shown ?? mappingJson(mapping).envelope);
    return put("envelope", { ...envelope, clean_up: [...envelope.clean_up, { id }] });
  };
  const withResponse = (id) => put("mapping", withDrive(chosen(), { response: { id } }));
  const bodies = {
    clean_up: (id) => ({ command: withCleanUp(id) }),
    step: (id) => ({ command: withStep(id) }),
    response: (id) => ({ command: withResponse(id) }),
    recipe: (id) => ({ recipe: id, mapping: chosen().mapping }),
  };
  const bodyOf = ({ pick, id }) => bodies[pick](id);

  const picks = {
    clean_up: async (id) => {
      close();
      await project.edit(withCleanUp(id));
    },
    response: async (id) => {
      close();
      await project.edit(withResponse(id));
    },
    step: async (id) => {
      close();
      await project.edit(withStep(id));
    },
    recipe: async (id) => {
      peek(null);
      await project.send(`mappings/${chosen().mapping}/recipe`, { recipe: id });
    },
  };

  async function keep(where) {
    const field = drawer.querySelector("#recipe-name");
    if (!field.value.trim()) {
      notice("Give the recipe a name first.");
      field.focus();
      return;
    }
    const { mapping, drive } = chosen();
    const saved = await project.send("recipes", { name: field.value.trim(), mapping, place: drive, library: where === "library" });
    if (saved) await show("recipes");
  }

  async function forget(button) {
    const { forget: where, id } = button.dataset;
    button.parentElement.remove(); // at once, so that nothing points at what is gone
    peek(null);
    if (where === "project") await project.edit({ kind: "remove_recipe", id });
    else await project.send(`recipes/${id}/forget`);
    await show("recipes");
  }

  async function copy() {
    const targets = [...drawer.querySelectorAll("[data-copy]:checked")].map((box) => box.dataset.copy);
    const linked = drawer.querySelector("#copy-linked").checked;
    const { mapping, drive } = chosen();
    if (await project.send(`mappings/${mapping}/copy`, { targets, linked, place: drive })) close();
  }

  async function take(file) {
    const standing = await telling(() => upload(project.url("recipes/files"), file, { onShare: () => {}, signal }), { about: file.name });
    if (!standing) return;
    project.take(standing);
    notice(`${standing.recipes} recipe${standing.recipes === 1 ? "" : "s"} came from ${file.name}.`, { tone: "good", act: { words: "Take back", run: () => project.undo() } });
    await show("recipes");
  }

  const on = (element, type, run) => element.addEventListener(type, run, { signal });
  on(parts, "click", (event) => {
    const button = event.target.closest("[data-drawer]");
    if (!button) return;
    opener = button;
    if (open === button.dataset.drawer) close();
    else {
      peek(null);
      show(button.dataset.drawer);
    }
  });
  on(drawer, "click", (event) => {
    const button = event.target.closest("button");
    if (!button) return;
    if ("close" in button.dataset) close();
    else if (button.dataset.pick) picks[button.dataset.pick](button.dataset.id);
    else if (button.dataset.keep) keep(button.dataset.keep);
    else if (button.dataset.forget) forget(button);
    else if (button.id === "copy-now") copy();
  });
  const entryOf = (event) => event.target.closest?.("[data-pick]");
  for (const type of ["pointerover", "focusin"]) on(drawer, type, (event) => entryOf(event) && peek(bodyOf(entryOf(event).dataset)));
  on(drawer, "pointerleave", () => peek(null));
  on(drawer, "focusout", (event) => entryOf(event) && !drawer.contains(event.relatedTarget) && peek(null));
  on(drawer, "input", (event) => event.target.id === "drawer-find" && find(event.target.value));
  on(drawer, "change", (event) => {
    if (event.target.id === "recipe-file" && event.target.files.length) {
      take(event.target.files[0]);
      event.target.value = ""; // the same one can be chosen again
    }
    const button = drawer.querySelector("#copy-now");
    if (button) {
      const many = drawer.querySelectorAll("[data-copy]:checked").length;
      button.disabled = !many;
      button.textContent = many ? `Copy to ${many} propert${many === 1 ? "y" : "ies"}` : "Copy";
    }
  });
  on(drawer, "keydown", (event) => {
    if (event.key === "Enter" && event.target.id === "recipe-name") keep("project");
    else if (event.key === "Enter" && event.target.id === "drawer-find") {
      event.preventDefault(); // or the same press would push the button that has the focus then
      drawer.querySelector("[data-pick]:not([hidden] *):not([hidden])")?.click();
    }
  });
  on(document, "keydown", (event) => {
    if (event.key !== "Escape" || drawer.hidden || event.defaultPrevented || document.querySelector("dialog[open]")) return;
    event.preventDefault();
    close();
  });
  const later = () => {
    clearTimeout(settling);
    if (open === "why" && !transport.playing) settling = setTimeout(() => open === "why" && show("why"), SETTLE_MS);
  };
  on(transport, "frame", later);
  return {
    close,
    /** Draw what is open anew, for another mapping or after an edit. */
    renew() {
      marked();
      if (!chosen().mapping && !chosen().envelope) close({ refocus: false });
      else if (open && open !== "copy") show(open);
    },
  };
}
