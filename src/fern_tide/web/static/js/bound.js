// Fields and buttons that edit or select by themselves: each carries the command, the request or the selection that its
// value completes, as the templates wrote them (does, sends and selects in macros.html).

import { Component } from "./component.js";
import { project } from "./project.js";
import { selection } from "./selection.js";

/** Give a copy of plain data with one value replaced; the path is like "drives.0.rest". Pure. */
export function withPath(plain, path, value) {
  const [head, ...rest] = path.split(".");
  const copy = Array.isArray(plain) ? [...plain] : { ...plain };
  copy[head] = rest.length ? withPath(plain[head] ?? {}, rest.join("."), value) : value;
  return copy;
}

/** The value of a field as its command takes it: a number with its unit, nothing for an emptied one that may be. Pure. */
export function valueFor({ suffix, plus, whole, nullable }, value) {
  if (nullable !== undefined && (value === "" || value === "–")) return null;
  if (suffix !== undefined) return `${value}${suffix}`;
  if (plus !== undefined) return value + Number(plus);
  if (whole !== undefined) return Number(value);
  return nullable !== undefined ? value.trim().replace(",", ".") : value;
}

const carries = ({ dataset }) => dataset.command !== undefined || dataset.send !== undefined || dataset.choose !== undefined;

/** Whether what an element carries takes something away: it does so once, for its row may be another one's by the answer. Pure. */
export const takesAway = ({ kind = "", how = "" }) => kind.startsWith("remove_") || how === "drop";

const mayBeEmpty = ({ dataset }) => "empty" in dataset || "nullable" in dataset;

/** Whether an element is a list of what can be added: its first line says so, and does nothing. */
const isOfAdders = (element) => element.options?.[0].value === "" && !mayBeEmpty(element) && !carries(element.options[0]);

/** What an element carries, completed with a value. */
function completed(element, text, value, at) {
  const plain = JSON.parse(text);
  return value === undefined || at === undefined ? plain : withPath(plain, at, valueFor(element.dataset, value));
}

/** The command that an element carries, with a value. */
export const commandOf = (element, value) => completed(element, element.dataset.command, value, element.dataset.at ?? "value");

/** What a form holds; names that end in s are lists. */
function formValues(form, submitter) {
  const values = {};
  for (const [name, value] of new FormData(form, submitter)) values[name] = name.endsWith("s") ? [...(values[name] ?? []), value] : value;
  return values;
}

export class Bound extends Component {
  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ onTry?: (command: any, element: any, event: any) => any, onDone?: (answer: any, element: any) => any, more?: (path: string) => any }} how
   *   onTry hears of the command that a field would do, while the hand is at it; more(path) is said besides with what is sent
   */
  constructor(root, signal, { onTry = () => {}, onDone = () => {}, more = () => ({}) } = {}) {
    super(root, signal);
    this.onTry = onTry;
    this.onDone = onDone;
    this.more = more;
    this.on(root, "ft:try", (event) => this.#tried(event.target, event.detail, event));
    this.on(root, "input", (event) => event.target.type === "color" && this.#tried(event.target, event.target.value, event));
    this.on(root, "ft:set ft:order", ({ target, detail }) => carries(target) && this.set(target, detail));
    this.on(root, "change", ({ target }) => this.#changed(target));
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(root, "submit", (event) => this.#submitted(event));
    this.on(root, "keydown", ({ key, target }) => key === "Enter" && carries(target) && target.matches("input:not([data-number])") && target.blur());
  }

  #tried(element, value, event) {
    if (element.dataset.command !== undefined) this.onTry(commandOf(element, value), element, event);
  }

  #pressed(button) {
    if (button && button.type !== "submit" && carries(button) && !("picks" in button.dataset) && !("taken" in button.dataset)) this.set(button);
  }

  /** A list, a text, a switch or a colour has another value. A list of what can be added goes back to its first line. */
  #changed(element) {
    if ("number" in element.dataset) return;
    const chosen = element.selectedOptions?.[0];
    const carrier = chosen && carries(chosen) ? chosen : element;
    if (!carries(carrier)) return;
    if (element.type === "checkbox") this.set(element, element.checked);
    else if (carrier === chosen) this.set(chosen);
    else if (element.value.trim() || mayBeEmpty(element)) this.set(element, element.value);
    if (isOfAdders(element)) element.value = "";
  }

  #submitted(event) {
    event.preventDefault();
    if (event.target.dataset.send !== undefined) this.#send(event.target, { ...JSON.parse(event.target.dataset.values), ...formValues(event.target, event.submitter) });
  }

  /** Do what an element carries, with a value. */
  set(element, value) {
    const { command, send, choose, at } = element.dataset;
    if (choose !== undefined) selection.set(completed(element, choose, value, at));
    else if (command !== undefined) this.#answered(element, project.edit(commandOf(element, value), { field: element }));
    else if (send !== undefined) this.#send(element, completed(element, element.dataset.values ?? "{}", value, at));
  }

  #send(element, values) {
    const path = element.dataset.send;
    this.#answered(element, project.send(path, { ...values, ...this.more(path) }, { field: element }));
  }

  async #answered(element, answer) {
    const { command, values } = element.dataset;
    if (takesAway(JSON.parse(command ?? values ?? "{}"))) element.dataset.taken = "";
    const status = await answer;
    if (status) this.onDone(status, element);
    else delete element.dataset.taken;
  }
}
