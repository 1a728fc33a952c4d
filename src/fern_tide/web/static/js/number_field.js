// Numbers: typed, dragged sideways, stepped with arrow keys (Shift x10, Alt /10), reset with a double click.
// A field tells 'ft:try' while it changes and 'ft:set' when the hand lets go; both carry the number.

import { follow } from "./drag.js";
import { sayBeside } from "./notices.js";

const DRAG_FROM_PX = 3;

/** Bring a number into a field's range and to its grid. Pure. */
export function settle(value, { low = -Infinity, high = Infinity, whole = false, step = 0.01 } = {}) {
  const held = Math.min(high, Math.max(low, whole ? Math.round(value) : value));
  const digits = Math.max(0, Math.min(6, 1 - Math.floor(Math.log10(step))));
  return Number(held.toFixed(digits + 1));
}

/** How much one notch changes: the step, ten times it with Shift, a tenth with Alt. Pure. */
export const notch = (step, event) => step * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);

function limits(field) {
  const number = (name) => (name in field.dataset ? Number(field.dataset[name]) : undefined);
  return { low: number("low"), high: number("high"), whole: "whole" in field.dataset, step: number("step") ?? 0.01 };
}

function put(field, value) {
  field.value = String(value);
  field.setAttribute("aria-valuenow", field.value);
}

const tell = (field, type, value) => field.dispatchEvent(new CustomEvent(type, { bubbles: true, detail: value }));

function step(field, by) {
  const value = settle(Number(field.value) + by, limits(field));
  if (value === Number(field.value)) return;
  put(field, value);
  field.dataset.tried = "";
  tell(field, "ft:try", value);
}

function letGo(field) {
  if (!("tried" in field.dataset)) return;
  delete field.dataset.tried;
  tell(field, "ft:set", Number(field.value));
}

function typed(field) {
  if ("mixed" in field.dataset && field.value.trim() === "") return; // of several that differ, and nothing was typed
  const value = Number(field.value.trim().replace(",", "."));
  const { low = -Infinity, high = Infinity } = limits(field);
  const bad = field.value.trim() === "" || !Number.isFinite(value) || value < low || value > high;
  field.setAttribute("aria-invalid", String(bad));
  if (bad) {
    sayBeside(field, `Use a number${Number.isFinite(low) ? ` from ${low}` : ""}${Number.isFinite(high) ? ` to ${high}` : ""}.`);
    return;
  }
  const settled = settle(value, limits(field));
  const before = field.dataset.before;
  put(field, settled);
  if (before !== undefined && Number(before) === settled) return;
  field.dataset.before = String(settled);
  tell(field, "ft:set", settled);
}

export function mountNumberFields(root, signal) {
  const on = (type, run) =>
    root.addEventListener(type, (event) => event.target.matches?.("input[data-number]") && run(event.target, event), { signal });

  on("focusin", (field) => (field.dataset.before = field.value));
  on("keydown", (field, event) => {
    if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      event.preventDefault();
      step(field, notch(limits(field).step, event) * (event.key === "ArrowUp" ? 1 : -1));
    } else if (event.key === "Enter") {
      typed(field);
      field.select();
    } else if (event.key === "Escape") {
      field.value = field.dataset.before ?? field.value;
      field.removeAttribute("aria-invalid");
      field.blur();
    }
  });
  on("keyup", (field, event) => event.key.startsWith("Arrow") && letGo(field));
  on("focusout", (field) => {
    if ("leaving" in field.dataset) return;
    if ("tried" in field.dataset) letGo(field);
    else typed(field);
  });
  on("dblclick", (field) => {
    if (!("default" in field.dataset)) return;
    put(field, field.dataset.default);
    tell(field, "ft:set", Number(field.dataset.default));
  });
  on("pointerdown", (field, event) => {
    if (event.button !== 0 || document.activeElement === field) return;
    event.preventDefault();
    drag(field, event, signal);
  });
}

function drag(field, down, signal) {
  const from = Number(field.value);
  let moved = false;
  const move = (event) => {
    const dx = event.clientX - down.clientX;
    moved ||= Math.abs(dx) > DRAG_FROM_PX;
    if (!moved) return;
    const value = settle(from + Math.round(dx / 2) * notch(limits(field).step, event), limits(field));
    if (value === Number(field.value)) return;
    put(field, value);
    field.dataset.tried = "";
    tell(field, "ft:try", value);
  };
  const end = () => {
    if (moved) letGo(field);
    else {
      field.focus();
      field.select();
    }
  };
  follow(down, field, { move, end, signal });
}
