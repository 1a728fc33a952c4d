// The profile of a program that numbers are handed to: kept on this computer, saved and loaded as JSON.

import { Component } from "./component.js";
import { focused } from "./dom.js";
import { notice } from "./notices.js";

const PLACE = "ft:profile";

/** What of a profile differs from the stage's own. Pure. */
export const differing = (values, own) => Object.fromEntries(Object.entries(values).filter(([name, value]) => String(value) !== String(own[name] ?? "")));

/** Read a profile's JSON: plain texts and numbers under known names; names of columns may be an object. Pure. */
export function profileOf(text, own) {
  const plain = JSON.parse(text);
  if (typeof plain !== "object" || plain === null || Array.isArray(plain)) throw new Error("This is no profile.");
  const unknown = Object.keys(plain).find((name) => !(name in own));
  if (unknown) throw new Error(`A profile has no ${unknown}.`);
  if (typeof plain.names === "object") plain.names = Object.entries(plain.names).map(([old, now]) => `${old} = ${now}`).join("; ");
  return Object.fromEntries(Object.entries(plain).map(([name, value]) => [name, String(value)]));
}

export class Profile extends Component {
  /** Take up the fields that the server drew: they say what was chosen on this computer. @param {any} root @param {AbortSignal} signal */
  mount(root, signal) {
    this.fields = [...root.querySelectorAll("[data-profile]")];
    if (!this.fields.length) return;
    this.own = Object.fromEntries(this.fields.map(({ name, value, defaultValue }) => [name, defaultValue ?? value]));
    this.#put(JSON.parse(localStorage.getItem(PLACE) ?? "{}"));
    const on = (selector, type, run) => root.querySelector(selector).addEventListener(type, run, { signal });
    on("#profile", "change", ({ target }) => "profile" in target.dataset && this.#keep());
    on("#profile-save", "click", () => this.#save());
    on("#profile-load", "change", ({ target }) => this.#load(target));
    on("#profile-plain", "click", () => (this.#put(this.own), this.#keep()));
  }

  get #values() {
    return differing(Object.fromEntries(this.fields.map(({ name, value }) => [name, value])), this.own);
  }

  #put(values) {
    for (const field of this.fields) if (field.name in values && field !== focused()) field.value = values[field.name];
    this.#say();
  }

  #keep() {
    localStorage.setItem(PLACE, JSON.stringify(this.#values));
    this.#say();
  }

  #say() {
    const words = Object.entries(this.#values).map(([name, value]) => (name === "names" ? "names" : `${name.replace("_", " ")} ${value}`));
    this.find("#profile-words").textContent = words.length ? `For a program with ${words.join(", ")}` : "Axes, units and names of the stage";
  }

  #save() {
    const url = URL.createObjectURL(new Blob([JSON.stringify(this.#values, null, 1)], { type: "application/json" }));
    Object.assign(document.createElement("a"), { href: url, download: "profile.json" }).click();
    setTimeout(() => URL.revokeObjectURL(url), 10_000);
  }

  async #load(field) {
    try {
      this.#put({ ...this.own, ...profileOf(await field.files[0].text(), this.own) });
      this.#keep();
    } catch (wrong) {
      notice(`${field.files[0].name}: ${wrong.message}`);
    }
    field.value = "";
  }
}
