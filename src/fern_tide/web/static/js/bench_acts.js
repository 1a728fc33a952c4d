// What the buttons and lists of the Bench do to mappings. Each is an edit of its own, or a way of looking at the lanes.

import { mappingJson, put } from "./binding.js";
import { project, withoutPath } from "./project.js";

/** The shown mapping with something else about the shown drive. */
export function withDrive({ mapping: id, drive: at }, more) {
  const mapping = mappingJson(id);
  return { ...mapping, drives: mapping.drives.map((drive, place) => (place === at ? { ...drive, ...more } : drive)) };
}

/** state: the shown mapping and drive; choose shows another, refresh draws the page anew. Gives acts by button and picks by list. */
export function benchActs({ state, parts, lanes, choose, refresh }) {
  const acts = {
    mute: (id) => project.edit(put("mapping", { ...mappingJson(id), muted: !mappingJson(id).muted })),
    up: (id) => move(id, -1),
    down: (id) => move(id, 1),
    delete: (id) => project.edit({ kind: "remove_mapping", id }),
    suggest: () => project.send(`mappings/${state.mapping}/suggest`),
    "drop-drive": async () => {
      const dropped = withoutPath(mappingJson(state.mapping), `drives.${state.drive}`);
      state.drive = 0;
      await project.edit(put("mapping", dropped));
    },
    "own-way": () => project.edit(put("mapping", withDrive(state, { along: null, other_way: false }))),
    solo: (id) => lanes.only(id),
    fold: (id) => lanes.fold([id]),
    "fold-group": (_, button) => lanes.foldGroup(button),
    invert: () => project.send(`mappings/${state.mapping}/invert`, { place: state.drive }),
    "add-stop": () => {
      const { stops, rest } = mappingJson(state.mapping).drives[state.drive];
      const at = stops.length ? (stops.at(-1).at + 1) / 2 : 0.5;
      project.edit(put("mapping", withDrive(state, { stops: [...stops, { at, colour: stops.at(-1)?.colour ?? rest }] })));
    },
    "keep-version": () => project.edit({ kind: "keep_version", id: state.mapping }),
    "drop-versions": () => project.edit({ kind: "drop_version", id: state.mapping }),
  };

  const version = (name) => project.edit({ kind: "show_version", id: state.mapping, name });

  /** Show the next version of the mapping, as a key does. */
  function nextVersion() {
    const letters = [...parts.querySelectorAll("[data-version]")];
    const at = letters.findIndex((letter) => letter.getAttribute("aria-pressed") === "true");
    if (letters.length) version(letters[(at + 1) % letters.length].dataset.version);
  }

  function move(id, by) {
    const ids = [...parts.querySelectorAll(".lane[data-mapping]")].map((item) => item.dataset.mapping);
    const place = ids.indexOf(id) + by;
    if (place >= 0 && place < ids.length) project.edit({ kind: "move_mapping", id, place });
  }

  const picks = {
    envelope: (value) => project.send(`mappings/${state.mapping}/suggest`, { envelope: value }),
    row: (value) => project.send(`mappings/${state.mapping}/suggest`, { row: Number(value) }),
    aim: (value) => project.send(`mappings/${state.mapping}/aim`, { target: value, place: state.drive }),
    drive: (value) => choose(state.mapping, Number(value)),
    response: (value) => project.edit(put("mapping", withDrive(state, { response: { id: value } }))),
    "add-drive": async (value) => {
      const made = value === "next" ? await project.send(`mappings/${state.mapping}/drives`) : await project.send(`mappings/${state.mapping}/axes`, { place: state.drive, inverted: value === "inverted" });
      if (made?.place) await choose(state.mapping, made.place);
      else await refresh();
    },
    "first-target": async (value) => {
      if (!value) return;
      const envelope = state.mapping ? mappingJson(state.mapping).envelope : undefined;
      const made = await project.send("mappings", { target: value, envelope });
      if (made) await choose(made.mapping);
      else await refresh();
    },
  };

  return { acts, picks, version, nextVersion };
}
