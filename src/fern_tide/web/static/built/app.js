// The page's elements, without their kinds: what an id names is known by who asks.

/** @param {string} id @returns {any} */
const byId = (id) => document.getElementById(id);

/** @param {string} selector @returns {any} */
const first = (selector) => document.querySelector(selector);

/** What has the focus. @returns {any} */
const focused = () => document.activeElement;

/**
 * Listen on the whole page.
 * @param {string} type
 * @param {(event: any) => any} run
 * @param {AddEventListenerOptions} [options]
 */
const onPage = (type, run, options) => document.addEventListener(type, run, options);

var dom = /*#__PURE__*/Object.freeze({
  __proto__: null,
  byId: byId,
  first: first,
  focused: focused,
  onPage: onPage
});

// The shared time axis: which frames a plot shows, and where a frame is. Zoomed with the wheel, one for all plots of a room.

const LEAST_FRAMES = 12;

/** The pixel of a frame's start. Pure. */
const xOf = (frame, { from, to, width }) => ((frame - from) / (to - from)) * width;

/** The frame under a pixel. Pure. */
const frameUnder = (x, view) => Math.floor(frameOf(x, view));

/** The time under a place, in frames with fractions. Pure. */
const frameOf = (x, { from, to, width }) => from + (x / width) * (to - from);

/** Zoom by a factor about a share of the width, staying inside the project. Pure. */
function zoomed({ from, to }, { by, about, frames }) {
  const span = Math.min(frames, Math.max(Math.min(LEAST_FRAMES, frames), (to - from) * by));
  const start = Math.min(frames - span, Math.max(0, from + about * (to - from - span)));
  return { from: start, to: start + span };
}

/** The view that shows a frame: the same, or turned like a page. Pure. */
function pageOf(frame, { from, to }, frames) {
  if (frame >= from && frame < to) return { from, to };
  const span = to - from;
  const start = Math.min(frames - span, Math.max(0, frame - span * 0.05));
  return { from: start, to: start + span };
}

/** Ticks of the ruler: a step that leaves room for words, in frames, with the words. Pure. */
function ticks({ from, to, width }, [top, bottom], roomPx = 74) {
  const perSecond = top / bottom;
  const least = ((to - from) / width) * roomPx;
  const steps = [1, 2, 5, 10].filter((n) => n < perSecond).concat([1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800].map((s) => s * perSecond));
  const step = steps.find((n) => n >= least) ?? steps.at(-1);
  const found = [];
  for (let k = Math.ceil(from / step - 1e-9); k * step <= to; k += 1) {
    const frame = k * step;
    const seconds = frame / perSecond;
    const words = step < perSecond ? `${Math.round(frame)}f` : `${Math.floor(seconds / 60 + 1e-9)}:${String(Math.round(seconds) % 60).padStart(2, "0")}`;
    found.push({ frame, words });
  }
  return found;
}

class Axis extends EventTarget {
  constructor(frames) {
    super();
    this.frames = Math.max(1, frames);
    this.view = { from: 0, to: this.frames };
  }

  resize(frames) {
    if (frames === this.frames) return;
    this.frames = Math.max(1, frames);
    this.set({ from: 0, to: this.frames });
  }

  set(view) {
    if (view.from === this.view.from && view.to === this.view.to) return;
    this.view = view;
    this.dispatchEvent(new Event("view"));
  }

  /** Zoom about a frame where it is in view, else about the middle. */
  zoomAt(frame, by) {
    const share = (frame + 0.5 - this.view.from) / (this.view.to - this.view.from);
    this.zoom(by, share >= 0 && share <= 1 ? share : 0.5);
  }

  zoom(by, about = 0.5) {
    this.set(zoomed(this.view, { by, about, frames: this.frames }));
  }

  pan(frames) {
    const span = this.view.to - this.view.from;
    const from = Math.min(this.frames - span, Math.max(0, this.view.from + frames));
    this.set({ from, to: from + span });
  }

  follow(frame) {
    this.set(pageOf(frame, this.view, this.frames));
  }
}

var axis = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Axis: Axis,
  LEAST_FRAMES: LEAST_FRAMES,
  frameOf: frameOf,
  frameUnder: frameUnder,
  pageOf: pageOf,
  ticks: ticks,
  xOf: xOf,
  zoomed: zoomed
});

// The strip under the header: what went wrong and what to do, or what was done and how to take it back.


const UNREACHABLE = { what: "Fern Tide cannot be reached.", remedy: "Is it still running? Nothing that was saved is lost." };

/** Say something, with what can be done about it, and with another thing if there are two. */
function notice(words, { tone = "bad", act = null, other = null } = {}) {
  const strip = byId("notice");
  byId("notice-words").textContent = words;
  strip.dataset.tone = tone;
  strip.hidden = false;
  for (const [id, does] of [["notice-act", act], ["notice-other", other]]) {
    const button = byId(id);
    button.hidden = !does;
    button.textContent = does?.words ?? "";
    button.onclick = () => {
      strip.hidden = true;
      does?.run();
    };
  }
  byId("notice-close").onclick = () => (strip.hidden = true);
}

const hush = () => (byId("notice").hidden = true);

const LONG_MS$1 = 6000;
let beside$1 = null;

/** Say a sentence beside a field, until something else is typed or a while has passed. */
function sayBeside(field, words) {
  beside$1?.remove();
  const { left, bottom } = field.getBoundingClientRect();
  beside$1 = Object.assign(document.createElement("p"), { className: "said-beside", role: "alert", textContent: words });
  document.body.append(beside$1);
  const place = beside$1;
  Object.assign(place.style, { left: `${Math.max(8, Math.min(left, innerWidth - place.offsetWidth - 12))}px`, top: `${Math.min(bottom + 3, innerHeight - 30)}px` });
  const scope = new AbortController();
  const end = () => (place.remove(), scope.abort());
  /** @param {any} event */
  const again = ({ type, target }) => (type === "focusin" && target.id === field.id) || (type === "htmx:afterSwap" && target.id !== "room"); // drawn anew
  setTimeout(() => ["input", "focusin", "wheel", "htmx:afterSwap"].forEach((type) => onPage(type, (event) => again(event) || end(), { capture: true, signal: scope.signal })));
  setTimeout(end, LONG_MS$1);
}

/** Run something and show what goes wrong; gives undefined then. */
async function telling(run, { about = "" } = {}) {
  try {
    return await run();
  } catch (wrong) {
    if (wrong.name === "AbortError") return undefined;
    notice(about && wrong.what ? `${about}: ${wrong.what} ${wrong.remedy}`.trim() : wrong.message);
    if (!wrong.what) console.error(wrong);
    return undefined;
  }
}

/** Say what the server refused to draw. */
function hearFragments() {
  onPage("htmx:responseError", (event) => {
    const { what = "Something went wrong.", remedy = "Reload the page." } = readJson(event.detail.xhr.responseText);
    notice(`${what} ${remedy}`.trim());
  });
  onPage("htmx:sendError", ({ target }) => target.id !== "work" && notice(`${UNREACHABLE.what} ${UNREACHABLE.remedy}`));
}

function readJson(text) {
  try {
    return JSON.parse(text);
  } catch {
    return {};
  }
}

var notices = /*#__PURE__*/Object.freeze({
  __proto__: null,
  UNREACHABLE: UNREACHABLE,
  hearFragments: hearFragments,
  hush: hush,
  notice: notice,
  sayBeside: sayBeside,
  telling: telling
});

// Talking to the server: one place for the token, for errors, and for arrays.


class Refused extends Error {
  constructor(status, { what = "Something went wrong.", remedy = "", jobs = [] } = {}) {
    super(`${what} ${remedy}`.trim());
    this.status = status;
    this.what = what;
    this.remedy = remedy;
    this.jobs = jobs;
  }
}

const token = () => first('meta[name="csrf-token"]').content;

async function answered$1(response) {
  if (response.ok && response.status !== 202) return response;
  let words = {};
  try {
    words = await response.json();
  } catch {
    words = { what: "The server did not answer as expected.", remedy: "Reload the page." };
  }
  throw new Refused(response.status, words);
}

async function reach(url, options = {}) {
  let response;
  try {
    response = await fetch(url, { ...options, headers: { Accept: "application/json", "X-CSRF-Token": token(), ...options.headers } });
  } catch (cause) {
    if (cause.name === "AbortError") throw cause;
    throw new Refused(0, UNREACHABLE);
  }
  return answered$1(response);
}

const asJson = (plain) => ({ method: "POST", body: JSON.stringify(plain), headers: { "Content-Type": "application/json" } });

const getJson = async (url) => (await reach(url)).json();
const getText = async (url) => (await reach(url, { headers: { "HX-Request": "true" } })).text();
const postJson = async (url, plain = {}) => (await reach(url, asJson(plain))).json();
/** Send something while the page goes; nobody hears of the answer. */
const postLast = (url, plain) => reach(url, { ...asJson(plain), keepalive: true }).catch(() => {});
const postHtml = async (url) => (await reach(url, { method: "POST" })).text();
const getPack = async (url) => unpack(await (await reach(url)).arrayBuffer());
const getBytes = async (url) => new Uint8Array(await (await reach(url)).arrayBuffer());
const postPack = async (url, plain) => unpack(await (await reach(url, asJson(plain))).arrayBuffer());

/** Read a packed response: a JSON head and float32 arrays; rows of a two-dimensional array come as a list. */
function unpack(buffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  let at = 4 + length;
  const arrays = head.arrays.map((shape) => {
    if (shape[0] === "bytes") {
      const length = shape.slice(1).reduce((a, b) => a * b, 1);
      const bytes = new Uint8Array(buffer, at, length);
      at += length + ((4 - (length % 4)) % 4);
      return bytes;
    }
    const columns = shape.at(-1);
    const rows = Array.from({ length: shape.slice(0, -1).reduce((a, b) => a * b, 1) }, () => {
      const row = new Float32Array(buffer, at, columns);
      at += 4 * columns;
      return row;
    });
    return shape.length === 1 ? rows[0] : rows;
  });
  return { head, arrays };
}

/**
 * Send a file as a raw body, or a form, saying how much has gone; a signal can stop it.
 * @param {string} url
 * @param {any} file
 * @param {{ onShare: (share: number) => any, name?: string, signal?: AbortSignal }} how
 */
function upload(url, file, { onShare, name = file.name, signal }) {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", url);
    if (!(file instanceof FormData)) request.setRequestHeader("Content-Type", "application/octet-stream");
    request.setRequestHeader("Accept", "application/json");
    request.setRequestHeader("X-CSRF-Token", token());
    request.upload.onprogress = (event) => event.lengthComputable && onShare(event.loaded / event.total);
    request.onerror = () => reject(new Refused(0, { what: `${name} could not be sent.`, remedy: "Is Fern Tide still running?" }));
    request.onabort = () => reject(new DOMException(`${name} was not sent`, "AbortError"));
    signal?.addEventListener("abort", () => request.abort());
    request.onload = () => {
      let plain = {};
      try {
        plain = JSON.parse(request.responseText);
      } catch {
        plain = { what: `${name} was not taken.`, remedy: "Try again." };
      }
      if (request.status < 300) resolve(plain);
      else reject(new Refused(request.status, plain));
    };
    request.send(file);
  });
}

/** Send files that belong together; onShare hears how much has gone, and a signal can stop it. */
function postForm(url, files, { onShare, signal }) {
  const form = new FormData();
  for (const file of files) form.append("file", file, file.name);
  return upload(url, form, { onShare, name: files[0].name, signal });
}

/** Ask side by side: what was overtaken by a later call gives undefined, so that nothing old is shown when its answer comes last. */
function newest(ask) {
  let calls = 0;
  return async function call(...wanted) {
    const mine = (calls += 1);
    const answer = await ask(...wanted);
    return mine === calls ? answer : undefined;
  };
}

/** Run one call at a time; of those that come meanwhile only the last is run. What is drawn is never older than what was. */
function latest(run) {
  let busy = false;
  let next = null;
  return async function call(...wanted) {
    next = wanted;
    if (busy) return;
    busy = true;
    try {
      while (next) {
        const now = next;
        next = null;
        await run(...now);
      }
    } finally {
      busy = false;
    }
  };
}

var server = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Refused: Refused,
  getBytes: getBytes,
  getJson: getJson,
  getPack: getPack,
  getText: getText,
  latest: latest,
  newest: newest,
  postForm: postForm,
  postHtml: postHtml,
  postJson: postJson,
  postLast: postLast,
  postPack: postPack,
  token: token,
  unpack: unpack,
  upload: upload
});

// A small store: named values, and plain subscribers that hear of those they watch.

const same = (a, b) => a === b || (Array.isArray(a) && JSON.stringify(a) === JSON.stringify(b));

class Store {
  #values;
  #watchers = new Set();

  constructor(first) {
    this.#values = { ...first };
  }

  get(name) {
    return this.#values[name];
  }

  get all() {
    return { ...this.#values };
  }

  /** Put new values in and tell who watches one that changed; says whether any did. */
  set(values) {
    const changed = this.#put(values);
    if (!changed.length) return false;
    for (const { names, run } of [...this.#watchers]) if (names.some((name) => changed.includes(name))) run(this.all);
    return true;
  }

  /** Put values in that are shown already: nobody is told, but those that watch everything. */
  correct(values) {
    const changed = this.#put(values);
    if (changed.length) for (const { names, run } of [...this.#watchers]) if (names.includes("*")) run(this.all);
  }

  /** Run something whenever one of some values changes, until a signal; "*" hears of corrections too. */
  watch(names, run, signal) {
    const watcher = { names, run };
    this.#watchers.add(watcher);
    signal?.addEventListener("abort", () => this.#watchers.delete(watcher));
  }

  #put(values) {
    const changed = Object.keys(values).filter((name) => !same(values[name], this.#values[name]));
    this.#values = { ...this.#values, ...values };
    return changed.length ? [...changed, "*"] : [];
  }
}

var store = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Store: Store
});

// What is selected in the rooms of a project: it stays from room to room, and over a reload.


const selection = new Store({ mapping: null, drive: 0, envelope: null, track: null, part: null, parts: [], order: "x", backwards: "", takes: "row", late: 12, first_has: 1, last_has: 1, property: "", larger: "", open: [], curve: null, hand: "stretch", below: "write", cut: "yes" });

/** Take up what was selected in this project, and keep what will be. */
function openSelection(key) {
  const place = `ft:${key}:selection`;
  selection.correct(JSON.parse(sessionStorage.getItem(place) ?? "{}"));
  selection.watch(["*"], (all) => sessionStorage.setItem(place, JSON.stringify(all)));
}

/** Some of what is selected, as the server is asked for it: nothing that is not selected. */
function asQuery(names) {
  const all = selection.all;
  return Object.fromEntries(names.map((name) => [name, String(all[name] ?? "")]).filter(([, text]) => text !== ""));
}

/** Select something that another room shows, and go there. */
function openInRoom(room, values) {
  selection.set(values);
  first(`#rooms a[href$="/${room}"]`).click();
}

var selection$1 = /*#__PURE__*/Object.freeze({
  __proto__: null,
  asQuery: asQuery,
  openInRoom: openInRoom,
  openSelection: openSelection,
  selection: selection
});

// The project of the page: where it stands, edits, undo and redo. Every edit names the revision that it was made on.


const LOOK_AGAIN_MS$1 = 250;
const LOOK_ELSEWHERE_MS = 10_000;
const TURNS = ["undo", "redo"]; // mean the revision that was seen, and no other

const project = new (class extends EventTarget {
  key = null;
  status = null;

  open() {
    this.key = document.body.dataset.project ?? null;
    if (!this.key) return;
    openSelection(this.key);
    this.take(JSON.parse(byId("status").textContent), { quietly: true });
    this.#others = new BroadcastChannel(`fern-tide:${this.key}`);
    this.#others.addEventListener("message", ({ data }) => data !== this.status.revision && this.lookAgain());
    const seen = () => document.visibilityState === "visible" && this.lookAgain();
    onPage("visibilitychange", seen);
    window.addEventListener("focus", seen);
    window.addEventListener("beforeunload", (event) => this.#unstored && event.preventDefault()); // the browser asks
    setInterval(seen, LOOK_ELSEWHERE_MS);
  }

  /** Ask how the project stands, which another tab or another person may have changed, and take it in; it may fail quietly. */
  lookAgain({ always = false } = {}) {
    return this.#inTurn(async () => {
      const status = await getJson(this.url("status")).catch(() => null);
      return status && (always || status.revision !== this.status.revision) ? this.take(status) : null;
    });
  }

  url(path) {
    return `/p/${this.key}/${path}`;
  }

  /** Take in how the project stands, with what is to be selected next, and tell the views. */
  take(status, { quietly = false, ...detail } = {}) {
    const before = this.status;
    this.status = status;
    if (status.chosen) selection.set(status.chosen);
    this.dispatchEvent(new Event("status"));
    if (!quietly && before?.revision !== status.revision) {
      this.#others?.postMessage(status.revision);
      this.dispatchEvent(new CustomEvent("revised", { detail: { before, ...detail } }));
    }
    return status;
  }

  /** Send a file, or anything else that makes a revision out of turn; gives its answer, for came(). */
  async bring(send) {
    this.#underWay += 1;
    try {
      return await send();
    } finally {
      this.#underWay -= 1;
      this.#brought += 1;
    }
  }

  /**
   * Take in what came of a file, or of anything else that was not sent in turn: edits may have been made since its answer was
   * given, so that how the project stands is asked again.
   */
  came(answer) {
    return this.#inTurn(async () => this.take({ ...(await getJson(this.url("status")).catch(() => answer)), chosen: answer.chosen }));
  }

  #unstored = 0; // what the hand did that waits to be sent, or for its answer
  #underWay = 0;
  #brought = 0;
  #others = null;
  #queue = Promise.resolve();

  /**
   * Do one thing after the other; what fails is told to who asked, and keeps nothing after it from being done.
   * @param {() => any} run
   * @returns {Promise<any>} what it gives
   */
  #inTurn(run) {
    const mine = this.#queue.then(run);
    this.#queue = mine.catch(() => null);
    return mine;
  }

  /** Do in turn what stores something that the hand did: the page is not left unasked before it is answered. */
  #storing(run) {
    this.#unstored += 1;
    return this.#inTurn(run).finally(() => (this.#unstored -= 1));
  }

  /** Wait until all that was sent is answered. */
  settled() {
    return this.#queue;
  }

  /**
   * Send something that makes a revision. One goes after the other, so that a quick hand does not conflict with itself.
   * What is refused is said beside the field that it came from, if any.
   * @param {string} path
   * @param {any} [plain]
   * @param {any} [how]
   * @returns {Promise<any>} how the project stands then; null for what was refused
   */
  send(path, plain = {}, { field = null, ...detail } = {}) {
    return this.#storing(() => this.#send(path, plain, { field, detail }));
  }

  /**
   * Send what no hand asked for, in its turn, while something still holds; what fails is thrown to who sends it.
   * @returns {Promise<any>} how the project stands then; null where it was not sent
   */
  offer(path, still) {
    return this.#inTurn(async () => (still() ? this.take(await postJson(this.url(path), { base: this.status.revision })) : null));
  }

  /**
   * A conflict shows how the project stands now. Where it may come of what this page brought in out of turn, it is sent again
   * on that; otherwise another tab made it. What needs an analysis waits for it.
   */
  async #send(path, plain, { field, detail, again = false }) {
    const brought = this.#brought;
    try {
      const status = await postJson(this.url(path), { base: this.status.revision, ...plain });
      hush();
      return this.take(status, detail);
    } catch (wrong) {
      if (wrong.status === 202 && (await this.#waited(wrong.jobs))) return this.#send(path, plain, { field, detail });
      const status = wrong.status === 409 ? await getJson(this.url("status")).catch(() => null) : null;
      if (status && !again && !TURNS.includes(path) && (this.#underWay || this.#brought !== brought)) {
        this.take(status);
        return this.#send(path, plain, { field, detail, again: true });
      }
      this.#sayRefused(wrong, field);
      if (status) this.take(status);
      else this.dispatchEvent(new CustomEvent("refused", { detail: { wrong, command: plain.command } }));
      return null;
    }
  }

  #sayRefused({ status, message }, field) {
    if (status === 422 && field?.matches("input, select") && field.isConnected) sayBeside(field, message);
    else notice(message);
  }

  #waited(jobs) {
    notice("The sound is still being read. What you chose comes as soon as it is.", { tone: "good" });
    return this.analyzed(jobs);
  }

  /** Wait for analyses; says whether they all came to their end. */
  async analyzed(jobs) {
    this.dispatchEvent(new Event("waiting"));
    for (;;) {
      const states = await Promise.all(jobs.map((id) => getJson(`/jobs/${id}`).then(({ state }) => state, () => "done")));
      if (states.some((state) => state === "failed" || state === "cancelled")) return false;
      if (states.every((state) => state === "done")) return true;
      await new Promise((later) => setTimeout(later, LOOK_AGAIN_MS$1));
    }
  }

  /** @param {any} command @param {any} [detail] */
  edit(command, detail) {
    return this.send("edits", { command }, detail);
  }

  /** Undo what is there to be undone when all that was sent before is answered. */
  undo() {
    return this.#turn("undo");
  }

  redo() {
    return this.#turn("redo");
  }

  #turn(way) {
    return this.#storing(() => (this.status[way] ? this.#send(way, {}, { field: null, detail: {} }) : null));
  }

  async bake() {
    const ask = async () => this.take(await postJson(this.url("bake")), { quietly: true });
    const status = await this.#inTurn(() => telling(ask));
    if (!status) return;
    hush();
    this.dispatchEvent(new Event("baked"));
  }
})();

var project$1 = /*#__PURE__*/Object.freeze({
  __proto__: null,
  project: project
});

// A sound graphic's outline from its levels: the same path data that the core writes, so that the stage shows what is baked.

const BAR_SHARE = 0.7;

/** Path data of levels about the origin; see core/scene/graphic.py, which a test holds this against. Pure. */
function outlineOf({ form, width, height }, levels) {
  const n = levels.length;
  const at = (value) => (Object.is(value, -0) ? 0 : value).toFixed(2).replace(/^-0\.00$/, "0.00");
  if (form === "ring") {
    const points = levels.map((level, place) => {
      const turn = (2 * Math.PI * place) / n - Math.PI / 2;
      const radius = width / 2 + level * height;
      return `${at(radius * Math.cos(turn))} ${at(radius * Math.sin(turn))}`;
    });
    return `M${points.join("L")}Z`;
  }
  const xs = levels.map((_, place) => width * ((place + 0.5) / n - 0.5));
  if (form === "bars") {
    const half = ((width / n) * BAR_SHARE) / 2;
    return levels.map((level, i) => `M${at(xs[i] - half)} 0V${at(-level * height)}H${at(xs[i] + half)}V0Z`).join("");
  }
  const top = levels.map((level, i) => `${at(xs[i])} ${at(-level * height)}`);
  if (form === "line") return `M${top.join("L")}`;
  const low = levels.map((level, i) => `${at(xs[i])} ${at(level * height)}`);
  return `M${[...top, ...low.reverse()].join("L")}Z`;
}

var graphic = /*#__PURE__*/Object.freeze({
  __proto__: null,
  outlineOf: outlineOf
});

// Where parts of a drawing stand at a frame, as the drawing's own transforms, and boxes about points. All of it is pure.

/** The groups of a part, each with its verb and the properties that it shows. */
const VERBS = { move: ["translate", "x", "y"], turn: ["rotate", "turn"], scale: ["scale", "scale_x", "scale_y"] };
const PLACE$1 = Object.values(VERBS).flatMap(([, ...names]) => names);

/** The transform attribute of one group of a part, from a function that gives each property's value. Pure. */
function transformOf(slot, part, valueOf) {
  const [verb, ...names] = VERBS[slot];
  const values = names.map(valueOf);
  if (slot === "move") values.forEach((value, axis) => (values[axis] = value + part.anchor[axis]));
  return `${verb}(${values.join(" ")})`;
}

/** A place about an anchor. Pure. */
function about([ax, ay], valueOf) {
  const [x, y, turn, wide, tall] = PLACE$1.map(valueOf);
  return `translate(${x + ax} ${y + ay}) rotate(${turn}) scale(${wide} ${tall}) translate(${-ax} ${-ay})`;
}

/**
 * The transform of an element that was brought in: that of what it was put together in, its own place, and then what it
 * came with. The values of another part are asked for by its id. Pure.
 */
function placeOf$1(part, valueOf, valueOfOther) {
  const above = (part.above ?? []).map((other) => about(other.anchor, valueOfOther(other)));
  return [...above, about(part.anchor, valueOf), part.base].join(" ").trim();
}

/** A colour's text at a frame, from rows of red, green and blue from 0 to 1. Pure. */
function colourAt(rows, frame) {
  const hex = (row) => Math.round(Math.min(1, Math.max(0, row[frame])) * 255).toString(16).padStart(2, "0");
  return `#${rows.map(hex).join("")}`;
}

/** The box about points. Pure. */
function boxAround(points) {
  const [xs, ys] = [points.map(({ x }) => x), points.map(({ y }) => y)];
  const [left, top] = [Math.min(...xs), Math.min(...ys)];
  return { x: left, y: top, width: Math.max(...xs) - left, height: Math.max(...ys) - top };
}

/** The corners of the box about points. Pure. */
function around(points) {
  const { x, y, width, height } = boxAround(points);
  return [{ x, y }, { x: x + width, y }, { x: x + width, y: y + height }, { x, y: y + height }];
}

/** The transform of a piece of an array: where it stands and faces, and its own motion about its anchor there. Pure. */
function pieceTransform([px, py], facing, [ax, ay], [x, y, turn, wide, tall]) {
  const faces = facing ? `rotate(${facing}) ` : "";
  return `translate(${px} ${py}) ${faces}translate(${ax + x} ${ay + y}) rotate(${turn}) scale(${wide} ${tall}) translate(${-ax} ${-ay})`;
}

var placing = /*#__PURE__*/Object.freeze({
  __proto__: null,
  PLACE: PLACE$1,
  VERBS: VERBS,
  about: about,
  around: around,
  boxAround: boxAround,
  colourAt: colourAt,
  pieceTransform: pieceTransform,
  placeOf: placeOf$1,
  transformOf: transformOf
});

// How a 2D drawing is looked at: what of it is seen, how near, and where on it a place of the screen is.


/** A view box as a box. Pure. */
const boxIn = (text) => (([x, y, width, height]) => ({ x, y, width, height }))(text.split(/[\s,]+/).map(Number));

class Looking2d {
  /** @param {any} root what the drawing is in */
  constructor(root) {
    this.root = root;
    /** Hears of another way of looking. @type {(() => void) | null} */
    this.onView = null;
  }

  get svg() {
    return this.root.querySelector(":scope > svg:not(.over)");
  }

  /** A place on the screen in what a part's anchor is counted in. */
  toScene({ clientX, clientY }) {
    return new DOMPoint(clientX, clientY).matrixTransform(this.svg.getScreenCTM().inverse());
  }

  get #view() {
    return boxIn(this.svg.getAttribute("viewBox"));
  }

  #look({ x, y, width, height }) {
    this.svg.setAttribute("viewBox", [x, y, width, height].map((value) => Number(value.toFixed(4))).join(" "));
    this.onView?.();
  }

  zoom(by, event) {
    const at = event ? this.toScene(event) : null;
    const { x, y, width, height } = this.#view;
    const [px, py] = at ? [at.x, at.y] : [x + width / 2, y + height / 2];
    const factor = Math.min(40, Math.max(0.002, by));
    this.#look({ x: px - (px - x) * factor, y: py - (py - y) * factor, width: width * factor, height: height * factor });
  }

  pan(dx, dy) {
    const scale = this.svg.getScreenCTM().a || 1;
    const { x, y, width, height } = this.#view;
    this.#look({ x: x - dx / scale, y: y - dy / scale, width, height });
  }

  frameAll() {
    this.#look(boxIn(this.svg.dataset.whole));
  }

  /** Look at what is between corners on the screen. */
  lookAt(corners) {
    const inverse = this.svg.getScreenCTM().inverse();
    const { x, y, width, height } = boxAround(corners.map((corner) => corner.matrixTransform(inverse)));
    const room = 0.25 * Math.max(width, height, 20);
    this.#look({ x: x - room, y: y - room, width: width + 2 * room, height: height + 2 * room });
  }

  background(shown) {
    const ground = this.svg.querySelector(":scope > rect");
    if (ground) ground.setAttribute("visibility", shown ? "visible" : "hidden");
    this.root.classList.toggle("checked", !shown);
  }
}

var looking2d = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Looking2d: Looking2d,
  boxIn: boxIn
});

// Outlines that shapers move on a 2D stage: their points, and the path data that is written of them.


const DIGITS = 1000; // a thousandth of a pixel
const MOST$1 = 40;

/** Points where so much of each shape is seen; see core/scene/outlines.py, which a test holds this against. Pure. */
function pointsAt({ points, shapes }, seen) {
  const moved = Float64Array.from(points);
  seen.forEach((share, place) => {
    if (share !== 0) shapes[place].forEach((added, at) => (moved[at] += share * added));
  });
  return moved.map((value) => Math.round(value * DIGITS) / DIGITS);
}

/** Points as path data: of each stroke its first point, then three of each curve. Pure. */
function pathOf(strokes, points) {
  let at = 0;
  const next = () => `${points[at++]} ${points[at++]}`;
  return strokes
    .map(([curves, closed]) => {
      const first = next();
      return `M${first}${Array.from({ length: curves }, () => `C${next()} ${next()} ${next()}`).join("")}${closed ? "Z" : ""}`;
    })
    .join("");
}

const rows = (array) => (Array.isArray(array) ? array : [array]);
const known$1 = new Map();

/** Ask for a part's outlines, once for each key: a promise of a list, or of null where they are others by now. */
function outlinesOf(part, key) {
  const name = `${part} ${key}`;
  if (!known$1.has(name)) {
    if (known$1.size >= MOST$1) known$1.delete(known$1.keys().next().value);
    const asked = getPack(project.url(`stage/outlines/${encodeURIComponent(part)}`)).then(({ head, arrays }) =>
      head.key === key
        ? head.outlines.map((one) => ({ ...one, points: arrays[one.points], shapes: rows(arrays[one.shapes]) }))
        : null,
    );
    const forget = () => known$1.delete(name); // it is asked for again
    asked.then((outlines) => outlines ?? forget(), forget);
    known$1.set(name, asked);
  }
  return known$1.get(name);
}

var outlines = /*#__PURE__*/Object.freeze({
  __proto__: null,
  outlinesOf: outlinesOf,
  pathOf: pathOf,
  pointsAt: pointsAt
});

// Motion that a drawing came with: it gives way while the same is driven, and comes back when it is not.


const ANIMATIONS = ["animate", "animateTransform", "set"];

/** Which attribute an element animates of the one that it lies in; null where it animates nothing. Pure. */
const animates = ({ localName, attributeName }) => (localName === "animateMotion" ? "transform" : ANIMATIONS.includes(localName) ? attributeName : null);

const attributeOf = (child) => animates({ localName: child.localName, attributeName: child.getAttribute("attributeName") });

/** The attributes in which a part's driven properties show, from where its properties show and what says which drive. Pure. */
function drivenAttributes(bindings, drives, withOthers = false) {
  const shown = Object.entries(bindings).flatMap(([name, places]) => (drives(name) ? places.map(([, attribute]) => attribute) : []));
  return withOthers || PLACE$1.some(drives) ? [...shown, "transform"] : shown;
}

class OwnMotion {
  #out = [];

  /** Put back all that was taken out. */
  restore() {
    for (const [own, element] of this.#out) element.append(own);
    this.#out = [];
  }

  /** Take out what an element comes with for some of its attributes; it is looked for only where there are any. */
  takeOut(elementOf, attributes) {
    const element = attributes.length ? elementOf() : null;
    for (const own of [...(element?.children ?? [])].filter((child) => attributes.includes(attributeOf(child)))) {
      this.#out.push([own, element]);
      own.remove();
    }
  }
}

var own_motion = /*#__PURE__*/Object.freeze({
  __proto__: null,
  OwnMotion: OwnMotion,
  animates: animates,
  drivenAttributes: drivenAttributes
});

// Shapers of a solid: how much of each of its shapes is seen. The numbers of the shapes themselves are in the model.

/** How much of each step is seen at an amount: of two neighbours both, straight between; none of the rest. Pure. */
function seenSteps(amount, { steps, rest }) {
  const held = Math.min(Math.max(amount, steps[0]), steps.at(-1));
  const above = Math.max(1, steps.findIndex((step) => step >= held));
  const share = (held - steps[above - 1]) / (steps[above] - steps[above - 1]);
  const seen = steps.map((_, place) => (place === above ? share : place === above - 1 ? 1 - share : 0));
  return seen.filter((_, place) => Math.abs(steps[place] - rest) > 1e-9);
}

/** How much of every shape is seen, for what valueOf gives of each property. Pure. */
function seenShapes(shaping, valueOf) {
  return shaping.flatMap((one) => {
    const [amount, phase] = one.names.map((name) => valueOf(name));
    if (one.law === "line") return [amount - one.rest];
    const angle = ((phase ?? 0) * Math.PI) / 180;
    return one.law === "wave" ? [amount * Math.cos(angle), amount * Math.sin(angle)] : seenSteps(amount, one);
  });
}

var shapes = /*#__PURE__*/Object.freeze({
  __proto__: null,
  seenShapes: seenShapes,
  seenSteps: seenSteps
});

// The pieces of an array: a value for each in every frame, looked up in what Python computed (views/arrays.py). The one
// place of the page that does; a test holds it to Python's.

const DEGREE = Math.PI / 180;
const SHARP = 1e-9;

/** Look a value up in a table of values at even places between two ends; outside it goes on straight. Pure. */
function lookUp({ from, to, values }, at) {
  const place = ((at - from) / (to - from)) * (values.length - 1);
  const low = Math.min(Math.max(Math.floor(place), 0), values.length - 2);
  return values[low] + (values[low + 1] - values[low]) * (place - low);
}

/** What lies between a row and the next at a frame; nothing before the first, and the last goes on. */
function between$1(rows, low, share, frame) {
  if (frame < 0) return 0;
  const row = rows[low];
  const at = frame < row.length ? frame : row.length - 1;
  return share ? row[at] * (1 - share) + rows[low + 1][at] * share : row[at];
}

/** The lift that a piece has of one driver: its own row, as late as it is; before frame 0 nothing moves. Pure. */
function liftOf({ rows, late }, field, piece, frame) {
  const rank = field.ranks[piece] + field.ranks_more[piece];
  let at = rank * (rows.length - 1);
  if (field.nearest) at = Math.floor(at + 0.5);
  const low = Math.min(Math.floor(at), rows.length - 1);
  const share = at - low;
  const after = rank * field.late + late;
  const whole = Math.floor(after);
  const rest = after - whole;
  const now = between$1(rows, low, share, frame - whole);
  return rest ? now * (1 - rest) + between$1(rows, low, share, frame - whole - 1) * rest : now;
}

const laid = (stacking, below, now) => (stacking === "add" ? below + now : below * now);
const clip = (value) => Math.min(1, Math.max(0, value));

function mixed(below, driver, share, own) {
  const { colours, stacking, rest, full } = driver;
  const over = stacking !== "replace";
  const under = below ?? own;
  if (!colours) {
    const now = rest + share * (full - rest);
    return over ? laid(stacking, under, now) : now;
  }
  const now = [lookUp(colours[0], share), lookUp(colours[1], share), lookUp(colours[2], share)];
  return over ? now.map((value, place) => clip(laid(stacking, under[place], value))) : now;
}

/** The value of one property of a piece at a frame; reach is how much of its motion it has there. Pure. */
function valueOfPiece(property, field, piece, frame, reach) {
  let total = null;
  for (const driver of property.drivers) {
    const share = field.gains[piece] * reach * lookUp(driver.response, liftOf(driver, field, piece, frame));
    total = mixed(total, driver, share, property.own);
  }
  total ??= property.own;
  if (Array.isArray(total)) return total;
  if (property.low !== null && total < property.low) return property.low;
  return property.high !== null && total > property.high ? property.high : total;
}

/** Where all pieces stand, three numbers each; valueOf gives the value of a property of the array. Pure. */
function placesOf(field, valueOf) {
  const places = field.fixed ? Float32Array.from(field.fixed) : new Float32Array(3 * field.pieces);
  for (const [name, way] of Object.entries(field.ways)) {
    const size = valueOf(name);
    for (let at = 0; at < places.length; at += 1) places[at] += size * way[at];
  }
  return places;
}

/** The axes of a turn Rx Ry Rz in degrees, as the columns of its matrix. Pure. */
function axesOf(x, y, z) {
  const [a, b, c] = [x, y, z].map((degrees) => degrees * DEGREE);
  const [ca, cb, cc, sa, sb, sc] = [Math.cos(a), Math.cos(b), Math.cos(c), Math.sin(a), Math.sin(b), Math.sin(c)];
  return [
    [cb * cc, ca * sc + sa * sb * cc, sa * sc - ca * sb * cc],
    [-cb * sc, ca * cc - sa * sb * sc, sa * cc + ca * sb * sc],
    [sb, -sa * cb, ca * cb],
  ];
}

const along$1 = (axis, x, y, z) => axis[0] * x + axis[1] * y + axis[2] * z;

function awayBy({ measure }, sizes) {
  if (measure === "height") return (x, y) => y;
  if (measure === "length") return (x, y, z) => Math.sqrt(x * x + y * y + z * z);
  return (x, y, z) => Math.max(...[x, y, z].map((value, place) => (sizes[place] === undefined ? 0 : Math.abs(value) / Math.max(sizes[place], 1e-9))));
}

/** One reach as a function of where a piece stands. */
function reachAt(reach, valueOf) {
  const of = (what) => valueOf(`${reach.name}_${what}`);
  const centre = ["x", "y", "z"].map((axis) => of(axis) ?? 0);
  const [inner, outer] = [of("inner"), of("outer")];
  const axes = reach.turned ? axesOf(...["x", "y", "z"].map((axis) => of(`turn_${axis}`) ?? 0)) : null;
  const away = awayBy(reach, reach.sized ? ["x", "y", "z"].map((axis) => of(`size_${axis}`)) : []);
  const [cx, cy, cz] = centre;
  return (px, py, pz) => {
    const x = px - cx;
    const y = py - cy;
    const z = pz - cz;
    const far = axes ? away(along$1(axes[0], x, y, z), along$1(axes[1], x, y, z), along$1(axes[2], x, y, z)) : away(x, y, z);
    const inside = Math.abs(outer - inner) < SHARP ? Number(far <= outer) : Math.min(1, Math.max(0, (outer - far) / (outer - inner)));
    return lookUp(reach.easing, inside);
  };
}

/** How much of its motion each piece has, by all reaches; null without one. Pure. */
function reachesOf(field, places, valueOf) {
  if (!field.reaches.length) return null;
  const giving = field.reaches.filter(({ away }) => !away).map((reach) => reachAt(reach, valueOf));
  const taking = field.reaches.filter(({ away }) => away).map((reach) => reachAt(reach, valueOf));
  const shares = new Float32Array(field.pieces);
  for (let piece = 0; piece < field.pieces; piece += 1) {
    const x = places[3 * piece];
    const y = places[3 * piece + 1];
    const z = places[3 * piece + 2];
    let share = giving.length ? 0 : 1;
    for (const one of giving) share += one(x, y, z);
    if (share > 1) share = 1;
    for (const one of taking) share *= 1 - one(x, y, z);
    shares[piece] = share;
  }
  return shares;
}

/** The pieces in their order, where each has a place of its own, as far from the next as all are; null where they have not. */
function placedByRank({ ranks, ranks_more: more, pieces }) {
  const order = new Array(pieces).fill(-1);
  for (let piece = 0; piece < pieces; piece += 1) {
    const place = Math.round((ranks[piece] + more[piece]) * (pieces - 1));
    if (order[place] !== -1) return null;
    order[place] = piece;
  }
  return order;
}

const sortedByRank = ({ ranks, ranks_more: more, pieces }) => Array.from({ length: pieces }, (_, piece) => piece).sort((a, b) => ranks[a] + more[a] - (ranks[b] + more[b]) || a - b);

/** The pieces in their order, no more than so many of them, evenly chosen, with the first and the last. Pure. */
function inOrder(field, most) {
  const { pieces } = field;
  const order = placedByRank(field) ?? sortedByRank(field);
  if (pieces <= most) return order;
  return Array.from({ length: most }, (_, place) => order[Math.round((place * (pieces - 1)) / (most - 1))]);
}

const CONES = [0.4122214708, 0.5363325363, 0.0514459929, 0.2119034982, 0.6806995451, 0.1073969566, 0.0883024619, 0.2817188376, 0.6299787005];
const BACK = [4.0767416613, -3.3077115904, 0.2309699287, -1.2684380041, 2.6097574007, -0.3413193963, -0.0041960865, -0.7034186145, 1.7076147009];
/** @type {(matrix: number[], row: number, of: number[]) => number} */
const rowOf$3 = (matrix, row, of) => matrix[row] * of[0] + matrix[row + 1] * of[1] + matrix[row + 2] * of[2];

/** Mix two colours of linear light as OKLab does (Ottosson 2020): its axes are sums of the cones' cube roots. Pure. */
function mixedLight(first, last, share) {
  const cones = [0, 0, 0];
  for (let row = 0; row < 3; row += 1) cones[row] = (Math.cbrt(rowOf$3(CONES, 3 * row, first)) * (1 - share) + Math.cbrt(rowOf$3(CONES, 3 * row, last)) * share) ** 3;
  return [clip(rowOf$3(BACK, 0, cones)), clip(rowOf$3(BACK, 3, cones)), clip(rowOf$3(BACK, 6, cones))];
}

/** A number for each piece, or the one that all have as many times. */
const numbers = (at, arrays, count) => (typeof at === "number" ? arrays[at] : new Float32Array(count).fill(at.all));

/** Three columns as one array, three numbers a piece. */
function together(columns, count) {
  const joined = new Float32Array(3 * count);
  columns.forEach((column, axis) => {
    for (let piece = 0; piece < count; piece += 1) joined[3 * piece + axis] = column[piece];
  });
  return joined;
}

/** What a packed field names by number, as arrays. Pure. */
function unpacked(field, arrays) {
  const of = (at) => numbers(at, arrays, field.pieces);
  const ways = Object.fromEntries(Object.entries(field.ways).map(([name, columns]) => [name, together(columns.map(of), field.pieces)]));
  const reaches = field.reaches.map((reach) => ({ ...reach, easing: { ...reach.easing, values: arrays[reach.easing.values] } }));
  const [ranks, ranks_more, gains, source] = ["ranks", "ranks_more", "gains", "source"].map((name) => of(field[name]));
  const fixed = field.fixed === null ? null : arrays[field.fixed];
  const thrown = field.thrown && { ...field.thrown, kinds: arrays[field.thrown.kinds] };
  return { ...field, fixed, thrown, ways, reaches, ranks, ranks_more, gains, source, turns: field.turns === null ? null : arrays[field.turns] };
}

/** What drives pieces, its numbers as arrays. Pure. */
function unpackedMotion(properties, arrays) {
  const table = (one) => ({ ...one, values: arrays[one.values] });
  const driver = (one) => ({ ...one, rows: [arrays[one.rows]].flat(), response: table(one.response), colours: one.colours?.map(table) });
  return Object.fromEntries(Object.entries(properties).map(([name, one]) => [name, { ...one, drivers: one.drivers.map(driver) }]));
}

const toLight = (value) => (value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4);
const fromLight = (light) => (light <= 0.0031308 ? 12.92 * light : 1.055 * light ** (1 / 2.4) - 0.055);
const channels = (colour) => (Array.isArray(colour) ? colour : [1, 3, 5].map((at) => parseInt(colour.slice(at, at + 2), 16) / 255));

/** Mix two colours, as text or as sRGB from 0 to 1, and give the text. Pure. */
function mixedColour(first, last, share) {
  const light = mixedLight(channels(first).map(toLight), channels(last).map(toLight), share);
  return `#${light.map((value) => Math.round(fromLight(value) * 255).toString(16).padStart(2, "0")).join("")}`;
}

var pieces = /*#__PURE__*/Object.freeze({
  __proto__: null,
  axesOf: axesOf,
  inOrder: inOrder,
  liftOf: liftOf,
  lookUp: lookUp,
  mixedColour: mixedColour,
  mixedLight: mixedLight,
  placesOf: placesOf,
  reachesOf: reachesOf,
  unpacked: unpacked,
  unpackedMotion: unpackedMotion,
  valueOfPiece: valueOfPiece
});

// Pieces that are thrown: where each flies at a frame, in closed form from when it left, as Python has it (core/scene/arrays/throw.py).


const MOST_RATE = 100000;
const EVEN = 1e-9; // of a drop: what reaches a whole number but for rounding has reached it
const TINY = 1e-300;
const remembered$1 = new WeakMap(); // what follows from a curve of rates, by the curve

/** What drives a drop at any moment, in frames: a number, or what lies between two frames. Pure. */
function valueAt(given, at) {
  if (typeof given === "number") return given;
  const low = Math.min(Math.max(Math.floor(at), 0), given.length - 1);
  if (low === given.length - 1 || at <= 0) return given[low];
  return given[low] + (given[low + 1] - given[low]) * (at - low);
}

/** The integral of a rate at every frame; live, base is what it was at the first. Pure. */
function reachedBy(rate, { frames, fps, before, base }) {
  const of = (frame) => Math.min(Math.max(typeof rate === "number" ? rate : rate[frame], 0), MOST_RATE);
  const reached = new Float64Array(frames);
  reached[0] = base ?? before * of(0);
  for (let frame = 1; frame < frames; frame += 1) reached[frame] = reached[frame - 1] + (of(frame - 1) + of(frame)) / (2 * fps);
  return { of, reached };
}

function leavingOf(rate, thrown) {
  if (typeof rate === "number") {
    if (thrown.base !== undefined) return reachedBy(rate, thrown);
    if (thrown.steady?.rate !== rate) thrown.steady = { rate, ...reachedBy(rate, thrown) };
    return thrown.steady;
  }
  if (!remembered$1.has(rate)) remembered$1.set(rate, reachedBy(rate, thrown));
  return remembered$1.get(rate);
}

/** When a drop leaves, in seconds. */
function leavesAt({ of, reached }, drop, { fps }) {
  let [low, high] = [0, reached.length]; // the first frame by which it has left
  while (low < high) {
    const middle = (low + high) >> 1;
    if (reached[middle] < drop - EVEN) low = middle + 1;
    else high = middle;
  }
  const frame = Math.min(low, reached.length - 1) - 1;
  if (frame < 0) return (drop - reached[0]) / Math.max(of(0), TINY); // the first rate went on before
  const rest = Math.max(drop - reached[frame], 0);
  const slope = (of(frame + 1) - of(frame)) * fps;
  const root = Math.sqrt(Math.max(of(frame) ** 2 + 2 * slope * rest, 0));
  return frame / fps + (2 * rest) / Math.max(of(frame) + root, TINY);
}

/** The same of a rate as it stands. Pure. */
const leavingAt = (rate, clock, drop) => leavesAt(reachedBy(rate, clock), drop, clock);

/** Which drop a piece shows at a frame, when it left, and its age as a share of its life, or null where it waits. */
function dropOf(thrown, leaving, piece, frame, life) {
  const left = Math.floor(leaving.reached[frame] + EVEN);
  const drop = left - (((left - 1 - piece) % thrown.pieces) + thrown.pieces) % thrown.pieces;
  const after = drop + thrown.pieces;
  const last = Math.floor(leaving.reached[leaving.reached.length - 1] + EVEN);
  const time = leavesAt(leaving, Math.max(drop, 1), thrown);
  const age = (frame / thrown.fps - time) / Math.max(valueAt(life, time * thrown.fps), 1e-9);
  if (drop >= 1 && age < 1) return { drop, time, age: Math.max(age, 0) };
  return after <= last ? { drop: after, time: leavesAt(leaving, after, thrown), age: null } : { drop: Math.max(drop, 1), time, age: null };
}

/** @type {(thrown: any, vector: number[], given: (name: string) => number) => number[]} */
function aimed({ flat }, [x, y, z], given) {
  if (!flat) {
    const [right, up, ahead] = axesOf(given("aim_x"), 0, given("aim_z"));
    return [0, 1, 2].map((axis) => right[axis] * x + up[axis] * y + ahead[axis] * z);
  }
  const angle = (given("aim_z") * Math.PI) / 180;
  return [x * Math.cos(angle) + y * Math.sin(angle), x * Math.sin(angle) - y * Math.cos(angle), z];
}

function wayOf({ flat, kinds }, kind, width) {
  const of = (row) => [0, 1, 2].map((axis) => kinds[row + axis][kind]);
  const [out, along, beyond] = [of(3), of(6), of(9)];
  const [aside, round] = [kinds[12][kind], kinds[13][kind]];
  const half = (width * Math.PI) / 360;
  if (flat) {
    const angle = (2 * aside - 1) * half;
    return out.map((value, axis) => value * Math.cos(angle) + along[axis] * Math.sin(angle));
  }
  const height = 1 - aside * (1 - Math.cos(half));
  const away = Math.sqrt(Math.max(1 - height ** 2, 0));
  const turn = 2 * Math.PI * round;
  return out.map((value, axis) => value * height + away * (along[axis] * Math.cos(turn) + beyond[axis] * Math.sin(turn)));
}

/** Where a drop is that has flown for so many seconds. */
function flown(thrown, { drop, time }, seconds, driven) {
  const { flat, kinds, uneven, lies } = thrown;
  const kind = (drop - 1) % kinds[0].length;
  const given = (name) => valueAt(driven[name] ?? 0, time * thrown.fps);
  const place = [0, 1, 2].map((axis) => kinds[axis][kind]);
  const begin = lies ? place : aimed(thrown, place.map((value) => value * given("nozzle")), given);
  const way = aimed(thrown, wayOf(thrown, kind, given("width")), given);
  const speed = given("force") * (1 + uneven * kinds[14][kind]);
  const fall = ((flat ? 1 : -1) * given("gravity") * seconds ** 2) / 2;
  return ["x", "y", "z"].map((axis, at) => given(`from_${axis}`) + begin[at] + way[at] * speed * seconds + (at === 1 ? fall : 0));
}

/** Where all pieces are at a frame, three numbers each, their sizes and their ages; driven gives numbers or curves. Pure. */
function flightsOf(thrown, frame, driven) {
  const leaving = leavingOf(driven.rate, thrown);
  const [places, sizes, ages] = [new Float32Array(3 * thrown.pieces), new Float32Array(thrown.pieces), new Float32Array(thrown.pieces)];
  for (let piece = 0; piece < thrown.pieces; piece += 1) {
    const drop = dropOf(thrown, leaving, piece, frame, driven.life);
    places.set(flown(thrown, drop, drop.age === null ? 0 : Math.max(frame / thrown.fps - drop.time, 0), driven), 3 * piece);
    if (drop.age === null) continue;
    ages[piece] = drop.age;
    sizes[piece] = thrown.first + drop.age * (thrown.last - thrown.first);
  }
  return { places, sizes, ages };
}

var _throw = /*#__PURE__*/Object.freeze({
  __proto__: null,
  flightsOf: flightsOf,
  leavingAt: leavingAt,
  reachedBy: reachedBy,
  valueAt: valueAt
});

// The arrays of a scene as a stage shows them, in 2D or 3D: which there are, and what each is told at a frame.


/** Where the pieces of a field are at a frame; of those that are thrown their sizes and ages too. Live, only the last frames are known. */
function flying(field, frame, { valueOf, history, live }) {
  if (!field.thrown) return { places: placesOf(field, valueOf), sizes: null, shares: field.ranks };
  const driven = Object.fromEntries(field.thrown.names.map((name) => [name, history(name)]));
  const { places, sizes, ages } = flightsOf(live ? { ...field.thrown, ...live } : field.thrown, frame, driven);
  return { places, sizes, shares: ages };
}

/** A getter of each piece's value, or the one value that all of them have. */
function getterOf(name, { field, frame, reach, motion, tried, own }) {
  const held = tried(name);
  const moved = held === undefined && motion(name);
  return moved ? (piece) => valueOfPiece(moved, field, piece, frame, reach ? reach[piece] : 1) : (held ?? own[name]);
}

/** What a getter, or a value, gives for a piece. */
const asked = (get, piece) => (typeof get === "function" ? get(piece) : get);

/** The reaches of a field that the hand can move: nothing drives their places. */
const freeReaches = (field, drives) => field.reaches.filter(({ name }) => !["x", "y", "z"].some((axis) => drives(`${name}_${axis}`)));

class ArrayViews {
  views = new Map();
  motions = {};
  /** Own values of the very state that pieces are laid out by; all else that is known may be of another for a moment. */
  #own = {};

  /** Make them anew from what the server packed, each by create(id, field); gives the heads of their parts. */
  makeEach(pack, create) {
    for (const view of this.views.values()) view.leave?.();
    this.views.clear();
    for (const [id, field] of Object.entries(pack?.head.fields ?? {})) {
      const view = create(id, unpacked(field, pack.arrays));
      if (view) this.views.set(id, view);
    }
    const parts = pack?.head.parts ?? {};
    this.#own = Object.fromEntries(Object.entries(parts).map(([id, { own }]) => [id, own]));
    return parts;
  }

  show(frame, { heads, curves, tries, valueOf }) {
    for (const [id, view] of this.views) {
      const drives = (name) => `${id}:${name}` in curves;
      const motion = (name) => (drives(name) ? this.motions[id]?.[name] : undefined);
      const own = { ...this.#own[id], ...heads[id].own };
      const value = valueOf(id);
      const history = (name) => tries.get(`${id}:${name}`) ?? curves[`${id}:${name}`]?.values ?? own[name];
      view.show(frame, { live: this.motions[id]?.thrown, history, own, motion, valueOf: (name) => value(name) ?? own[name], drives, tried: (name) => tries.get(`${id}:${name}`) });
    }
  }

  /** The piece of one that is under the hand, or null. */
  pick(id, under) {
    return this.views.get(id)?.pick(under) ?? null;
  }

  /** The reaches of one that the hand can move: their names, and where their middles are. */
  reaches(id) {
    return this.views.get(id)?.reaches() ?? [];
  }

  /** Where the pieces of one are, in their order, or those of a list that is tried; null of a part that is none. */
  line(id, most, tried) {
    const view = this.views.get(id);
    const fits = tried?.every((piece) => piece < view?.field.pieces); // it may have been tried of fewer or more
    return view?.line(most, fits ? tried : undefined) ?? null;
  }
}

var array_views = /*#__PURE__*/Object.freeze({
  __proto__: null,
  ArrayViews: ArrayViews,
  asked: asked,
  flying: flying,
  freeReaches: freeReaches,
  getterOf: getterOf
});

// Arrays in the 2D stage: the drawing holds an element for every piece, or one of dots where there are very many.


const NAMES = ["x", "y", "turn", "scale_x", "scale_y"].map((name) => `piece_${name}`);

/** Write an attribute where it changes. */
const write = (element, name, text) => element.getAttribute(name) !== text && element.setAttribute(name, text);

class Pieces {
  #order = null;
  places = null;

  constructor(field, group) {
    this.field = field;
    this.group = group;
    this.elements = [...group.children];
    this.dots = field.pieces > 1 && this.elements.length === 1 ? this.elements[0] : null;
  }

  show(frame, { valueOf, history, live, own, motion, tried, drives }) {
    const { field } = this;
    Object.assign(this, { valueOf, drives });
    const { places, sizes, shares } = flying(field, frame, { valueOf, history, live });
    const reach = reachesOf(field, places, valueOf);
    this.places = places;
    const each = (name) => getterOf(name, { field, frame, reach, motion, tried, own });
    const getters = NAMES.map(each);
    if (this.dots) this.#showDots(places, getters);
    else this.#place(places, getters, { sizes, shares, opacity: each("piece_opacity"), colours: field.coloured && ["piece_colour", "piece_last_colour"].map(each) });
  }

  #showDots(places, getters) {
    const [x, y] = getters;
    let data = "";
    for (let piece = 0; piece < this.field.pieces; piece += 1) data += `M${(places[3 * piece] + asked(x, piece)).toFixed(1)} ${(places[3 * piece + 1] + asked(y, piece)).toFixed(1)}h0`;
    this.dots.setAttribute("d", data);
  }

  #place(places, getters, { sizes, shares, opacity, colours }) {
    const { field } = this;
    this.elements.forEach((element, piece) => {
      const facing = field.turns ? field.turns[3 * piece + 2] : 0;
      const values = getters.map((get) => asked(get, piece));
      if (sizes) for (const at of [3, 4]) values[at] *= sizes[piece];
      write(element, "transform", pieceTransform([places[3 * piece], places[3 * piece + 1]], facing, field.anchors[field.source[piece]], values));
      write(element, "opacity", String(asked(opacity, piece)));
      if (colours) write(element, "fill", mixedColour(asked(colours[0], piece), asked(colours[1], piece), shares[piece]));
    });
  }

  pick(element) {
    const piece = this.elements.indexOf(element?.closest("g"));
    return piece < 0 || this.dots ? null : piece;
  }

  line(most, tried) {
    if (this.dots || !this.places || this.field.thrown) return null;
    if (this.#order?.most !== most) this.#order = { most, pieces: inOrder(this.field, most) };
    return (tried ?? this.#order.pieces).map((piece) => {
      const { left, top, width, height } = this.elements[piece].getBoundingClientRect();
      return { x: left + width / 2, y: top + height / 2 };
    });
  }

  reaches() {
    const matrix = this.group.getScreenCTM();
    return freeReaches(this.field, this.drives).map(({ name }) => {
      const { x, y } = new DOMPoint(this.valueOf(`${name}_x`), this.valueOf(`${name}_y`)).matrixTransform(matrix);
      return { name, middle: { x, y } };
    });
  }

  /** @type {(name: string) => any} */
  valueOf = () => 0;
  /** @type {(name: string) => boolean} */
  drives = () => false;
}

/** The arrays of a drawing. */
class Pieces2d extends ArrayViews {
  /** element(id, slot) gives the drawing's. */
  make(pack, element) {
    return this.makeEach(pack, (id, field) => {
      const group = element(id, "pieces"); // while a newer drawing is on its way it may be of other pieces, or of none
      return [1, field.pieces].includes(group?.childElementCount) ? new Pieces(field, group) : null;
    });
  }

  /** A point of the screen as an array counts it. */
  toOwn(id, { x, y }) {
    const at = new DOMPoint(x, y).matrixTransform(this.views.get(id).group.getScreenCTM().inverse());
    return [at.x, at.y];
  }
}

var stage2d_arrays = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Pieces2d: Pieces2d
});

// The outlines that shapers move on a 2D stage: asked for when they are first moved.


class Outlines2d {
  #parts = new Map();

  /** @param {() => void} onTaken hears of outlines that are there now */
  constructor(onTaken) {
    this.onTaken = onTaken;
  }

  /** Ends when all that was asked for is there, or fails where it cannot be had. */
  get settled() {
    return Promise.all([...this.#parts.values()].map(({ asked }) => asked));
  }

  /** A part's outlines, each with the id of its element; none before they are there. */
  of(id, key) {
    const there = this.#parts.get(id);
    if (there?.key !== key) this.#ask(id, key);
    return (there?.key === key && there.outlines) || [];
  }

  #ask(id, key) {
    const take = (outlines) => this.#take(id, key, outlines);
    const asked = outlinesOf(id, key).then(take, (wrong) => {
      take(null);
      throw wrong;
    });
    this.#parts.set(id, { key, asked });
    telling(() => asked);
  }

  #take(id, key, outlines) {
    const there = this.#parts.get(id);
    if (there?.key !== key) return;
    if (!outlines) return this.#parts.delete(id);
    there.outlines = outlines;
    this.onTaken();
  }
}

var stage2d_outlines = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Outlines2d: Outlines2d
});

// Elements of a drawing, and the boxes about them.


const SVG = "http://www.w3.org/2000/svg";

/** @param {string} name @param {Record<string, any>} [attributes] @returns {any} */
function drawn(name, attributes = {}) {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, String(value));
  return element;
}

/** The box of an element; of a picture seen through a mask, that of the mask; of a group, that of what lies in it. */
function boxOf$1(own) {
  const empty = own.localName === "g" && !own.firstElementChild;
  return (own.querySelector(":scope > mask")?.firstElementChild ?? (empty ? own.parentNode : own)).getBBox();
}

/** The corners of a box that a transform moves. */
function cornersOf({ x, y, width, height }, transform) {
  const matrix = new DOMMatrix(cssMatrix(transform));
  return around([{ x, y }, { x: x + width, y: y + height }]).map((corner) => new DOMPoint(corner.x, corner.y).matrixTransform(matrix));
}

/** An SVG transform list as the browser's matrices take it. */
function cssMatrix(list) {
  const probe = drawn("g", { transform: list });
  const all = probe.transform.baseVal.consolidate();
  if (!all) return "matrix(1,0,0,1,0,0)";
  const { a, b, c, d, e, f } = all.matrix;
  return `matrix(${a},${b},${c},${d},${e},${f})`;
}

var svg = /*#__PURE__*/Object.freeze({
  __proto__: null,
  boxOf: boxOf$1,
  cornersOf: cornersOf,
  drawn: drawn
});

// The 2D stage: puts the values of a frame into the drawing. It looks values up and writes attributes; it computes none.


/** Which part an element of the drawing belongs to, by its id, or null. Pure but for the element. */
function partIdOf(element, prefix) {
  for (let at = element; at?.id !== undefined; at = at.parentElement) {
    const found = at.id.startsWith?.(prefix) && /^(.*)--(own|move|turn|scale)$/.exec(at.id.slice(prefix.length));
    if (found) return found[1];
  }
  return null;
}

/** Write an attribute only when it changes: what stays as it is need not be painted. */
function setter(target, attribute, textAt) {
  let last = target.getAttribute(attribute);
  return (frame) => {
    const text = textAt(frame);
    if (text !== last) target.setAttribute(attribute, text);
    last = text;
  };
}

class Stage2d extends Looking2d {
  #setters = [];
  clocks = new Set();
  #bound = null;
  #own = new OwnMotion();
  #curves = {};
  #heads = {};
  #tries = new Map();
  touched = new Set(); // what was moved since it was drawn, and may have to go back
  tried = new Set(); // what of that by hand
  arrays = new Pieces2d();
  outlines = new Outlines2d(() => this.#bindAgain());

  constructor(root, { prefix }) {
    super(root);
    this.prefix = prefix;
    this.space = "2d";
    this.#dress();
  }

  /** Take a drawing in place of the one that is shown. */
  replace(text) {
    const drawn = new DOMParser().parseFromString(text, "image/svg+xml").documentElement;
    const view = this.svg?.getAttribute("viewBox");
    const own = drawn.getAttribute("viewBox");
    if (view && this.svg.dataset.whole === own) drawn.setAttribute("viewBox", view);
    drawn.dataset.whole = own;
    this.svg?.replaceWith(document.importNode(drawn, true));
    this.#dress();
    this.tried = new Set(this.#tries.keys());
    this.touched = new Set(this.tried);
    this.#bindAgain();
  }

  #bindAgain() {
    this.#bound = null;
    this.#bind();
    this.showAgain();
  }

  /** Say in script what no attribute can say; style attributes are forbidden. */
  #dress() {
    if (!this.svg) return;
    this.svg.dataset.whole ??= this.svg.getAttribute("viewBox");
    // in a browser every svg, also one inside another, has a clock of its own for what lies directly in it
    const moving = [...this.svg.querySelectorAll("animate, animateTransform, animateMotion, set")];
    this.clocks = new Set(moving.map((element) => element.ownerSVGElement));
    for (const clock of this.clocks) clock.pauseAnimations();
    for (const element of this.svg.querySelectorAll("[data-css]")) {
      for (const part of element.dataset.css.split(";")) {
        const [name, value] = part.split(":");
        if (value) element.style.setProperty(name.trim(), value.trim());
      }
    }
  }

  element(part, slot) {
    return this.root.querySelector(`#${CSS.escape(`${this.prefix}${part}--${slot}`)}`);
  }

  /** Take in curves and how the parts that they move show; of the parts that are tried by hand, too. */
  bind({ curves, parts, arrays = {} }) {
    this.arrays.motions = arrays;
    const still = Object.keys(this.#curves).filter((target) => !(target in curves)); // goes back to its own value
    this.#curves = curves;
    for (const head of Object.values(parts)) this.#take(head);
    this.#bind(still);
  }

  /** Take in how a part shows, and the elements that move with it. */
  #take(head) {
    Object.assign(this.#heads, { [head.id]: head }, head.moves);
  }

  /** Take in how a part shows, and its own values, as they are now. */
  know(head) {
    this.#take(head);
    this.#bind();
  }

  /** Try a value by hand; null lets go. A part's head comes along, if one is there: also of another part. */
  try(target, value, head) {
    if (head) this.#take(head);
    if (value === null) this.#tries.delete(target);
    else this.#tries.set(target, value);
    this.tried.add(target);
    this.#bind([target]);
  }

  #value(target, frame, own) {
    if (this.#tries.has(target)) return this.#tries.get(target);
    const curve = this.#curves[target];
    if (!curve) return own;
    return curve.kind === "colour" ? colourAt(curve.values, frame) : curve.values[frame];
  }

  /** Find which attributes move; done again only when others do. */
  #bind(more = []) {
    for (const target of more) this.touched.add(target);
    const moved = new Set([...Object.keys(this.#curves), ...this.touched]);
    const driven = new Set([...Object.keys(this.#curves), ...this.#tries.keys()]);
    const names = [...moved].sort().concat("", [...driven].sort()).join();
    if (names === this.#bound) return;
    this.#bound = names;
    this.#setters = [];
    this.#own.restore();
    for (const [id, head] of Object.entries(this.#heads)) {
      if (head.space !== "2d") continue;
      const moves = (name) => moved.has(`${id}:${name}`);
      const drives = (name) => driven.has(`${id}:${name}`);
      const valueAt = (frame) => (name) => this.#value(`${id}:${name}`, frame, this.#heads[id].own[name]);
      if (head.placed) this.#bindPlace(id, { moves, moved, valueAt });
      if (head.base !== null) this.#own.takeOut(() => this.element(id, "own"), drivenAttributes(head.bindings, drives, head.above?.some((other) => PLACE$1.some((name) => driven.has(`${other.id}:${name}`)))));
      if (head.outline && head.outline.names.some(moves)) this.#bindOutline(id, valueAt);
      if (head.shaped?.shaping.some(({ names }) => names.some(moves))) this.#bindShaped(id, valueAt);
      for (const [name, places] of Object.entries(head.bindings)) if (moves(name)) this.#bindPlaces(id, name, places, valueAt);
    }
  }

  #bindPlace(id, { moves, moved, valueAt }) {
    const head = () => this.#heads[id];
    if (head().base !== null) {
      const all = (name) => moves(name) || head().above?.some((other) => moved.has(`${other.id}:${name}`));
      const own = PLACE$1.some(all) && this.element(id, "own");
      const other = (frame) => ({ id: above, own: values }) => (name) => this.#value(`${above}:${name}`, frame, values[name]);
      if (own) this.#setters.push(setter(own, "transform", (frame) => placeOf$1(head(), valueAt(frame), other(frame))));
      return;
    }
    for (const [slot, [, ...names]] of Object.entries(VERBS)) {
      const group = names.some(moves) && this.element(id, slot);
      if (group) this.#setters.push(setter(group, "transform", (frame) => transformOf(slot, head(), valueAt(frame))));
    }
  }

  #bindOutline(id, valueAt) {
    const own = this.element(id, "own");
    if (own) this.#setters.push(setter(own, "d", (frame) => outlineOf(this.#heads[id].outline, this.#heads[id].outline.names.map(valueAt(frame)))));
  }

  #bindShaped(id, valueAt) {
    const { key, shaping } = this.#heads[id].shaped;
    const elementOf = (outline) => this.root.querySelector(`#${CSS.escape(this.prefix + outline.element)}`);
    const drawn = this.outlines.of(id, key).map((outline) => [elementOf(outline), outline]).filter(([element]) => element);
    const setters = drawn.map(([element, outline]) => setter(element, "d", (seen) => pathOf(outline.strokes, pointsAt(outline, seen))));
    this.#setters.push((frame) => {
      const seen = seenShapes(shaping, valueAt(frame));
      for (const set of setters) set(seen);
    });
  }

  #bindPlaces(id, name, places, valueAt) {
    if (name === "blur") this.element(id, "move")?.setAttribute("filter", `url(#${this.prefix}${id}--filter)`);
    for (const [slot, attribute] of places) {
      const target = this.element(id, slot);
      if (target) this.#setters.push(setter(target, attribute, (frame) => String(valueAt(frame)(name))));
    }
  }

  /** Show a frame; motion that a file came with is shown at the same time, in seconds. */
  show(frame, seconds) {
    this.frame = frame;
    for (const set of this.#setters) set(frame);
    this.arrays.show(frame ?? 0, { heads: this.#heads, curves: this.#curves, tries: this.#tries, valueOf: (id) => (name) => this.#value(`${id}:${name}`, frame ?? 0, this.#heads[id].own[name]) });
    if (seconds !== undefined) for (const clock of this.clocks) clock.setCurrentTime(seconds);
  }

  /** Take in what arrays the drawing has. */
  loadArrays(pack) {
    for (const head of Object.values(this.arrays.make(pack, (id, slot) => this.element(id, slot)))) this.#take(head);
  }

  /** Draw this frame again: the hand has put something elsewhere. */
  showAgain() {
    this.show(this.frame);
  }

  // --- looking and picking

  hold = () => {};
  onScreen = (point) => point;
  screenOf = ([x, y]) => new DOMPoint(x, y).matrixTransform(this.svg.getScreenCTM());
  spaceAt = (event) => ((at) => [at.x, at.y, 0])(this.toScene(event));

  inSpace({ clientX, clientY }) {
    return { x: clientX, y: clientY };
  }

  pickPiece({ clientX, clientY }, part) {
    return this.arrays.pick(part, document.elementFromPoint(clientX, clientY));
  }

  pick({ clientX, clientY }) {
    return partIdOf(document.elementFromPoint(clientX, clientY), this.prefix);
  }

  /** All parts at a place, the topmost first. */
  pickAll({ clientX, clientY }) {
    const parts = document.elementsFromPoint(clientX, clientY).map((element) => partIdOf(element, this.prefix));
    return [...new Set(parts.filter(Boolean))];
  }

  /** The corners of a part's box on the screen, as points, or null. */
  outline(part) {
    const inside = Object.keys(this.#heads[part]?.moves ?? {}).map((id) => this.outline(id)).filter(Boolean);
    if (inside.length) return around(inside.flat()).map(({ x, y }) => new DOMPoint(x, y));
    const own = this.element(part, "own") ?? this.element(part, "move");
    if (!own?.getBBox) return null;
    const { x, y, width, height } = boxOf$1(own);
    const matrix = own.getScreenCTM();
    if (!matrix || (!width && !height)) return null;
    return around([{ x, y }, { x: x + width, y: y + height }]).map((corner) => new DOMPoint(corner.x, corner.y).matrixTransform(matrix));
  }

  /** A part's box in what its anchor is counted in: that which the part lies in, before it is moved. */
  anchorBox(head) {
    const inside = Object.values(head.moves ?? {}).flatMap((one) => this.#standing(one));
    if (inside.length) return boxAround(inside);
    const own = this.element(head.id, "own");
    if (!own) return null;
    const { x, y, width, height } = boxOf$1(own);
    if (head.base === null) return { x, y, width, height };
    return boxAround(cornersOf({ x, y, width, height }, head.base));
  }

  /** The corners of an element's box as it stands at its own values, in what it lies in. */
  #standing(head) {
    const box = this.anchorBox(head);
    return box ? cornersOf(box, about(head.anchor, (name) => head.own[name])) : [];
  }

  /** A place on the screen in what a part's own shape is drawn in. */
  toPart(part, { clientX, clientY }) {
    const own = this.element(part, "own") ?? this.svg;
    return new DOMPoint(clientX, clientY).matrixTransform(own.getScreenCTM().inverse());
  }

  /** A place on the screen in what a part's place is counted in: that which it lies in. */
  toParent(part, { clientX, clientY }) {
    const within = (this.element(part, "move") ?? this.element(part, "own"))?.parentElement ?? this.svg;
    return new DOMPoint(clientX, clientY).matrixTransform(within.getScreenCTM().inverse());
  }

  framePart(part) {
    const corners = this.outline(part);
    if (corners) this.lookAt(corners);
  }

  dispose() {}
}

var stage = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Stage2d: Stage2d,
  partIdOf: partIdOf
});

// The stage of a room, 2D or 3D: one face for both. The 3D view is loaded only where it is needed.


/** When a frame of the project begins. */
function secondsOf$1(frame) {
  const [top, bottom] = project.status.rate;
  return (frame * bottom) / top;
}

class StageView {
  /** Ends when what was edited last is seen, in the room's panels too: who has the stage says when. */
  shown = Promise.resolve();
  #followed = Promise.resolve();
  #bound = { curves: {}, parts: {}, arrays: {} };
  #frame = 0;
  #seconds = 0;
  #isOpen = false;
  #waits = false; // for the arrays that what is bound is of
  #newest = null;
  view = null;

  constructor(root, { prefix, signal }) {
    this.root = root;
    /** Hears of a scene that is drawn. @type {(() => void) | null} */
    this.onReady = null;
    this.prefix = prefix;
    this.signal = signal;
    this.looks = project.status.looks;
    this.pieces = project.status.pieces;
    this.space = root.dataset.kind ?? "2d";
    this.ready = this.#open().then(() => (this.#isOpen = true));
    signal.addEventListener("abort", () => this.view?.dispose());
  }

  async #open() {
    if (this.space === "2d") {
      this.view = new Stage2d(this.root, { prefix: this.prefix });
      await this.#loadArrays();
      return;
    }
    const made = await telling(async () => {
      const { Stage3d } = await import('./stage3d.js');
      if (this.signal.aborted) return null;
      return new Stage3d(this.root, project.status.shown);
    });
    if (!made) return;
    this.view = made;
    await telling(() => this.#load());
    made.bind(this.#bound);
    made.show(this.#frame, this.#seconds);
    this.onReady?.();
  }

  /** What is known of the scene's arrays; null where it has none. */
  async #arrays() {
    return project.status.pieces ? getPack(project.url("stage/arrays")) : null;
  }

  /** Load the scene of a 3D stage. */
  async #load() {
    return this.view.load(project.url(`stage/scene.glb?looks=${this.looks}`), await this.#arrays());
  }

  /** Load what arrays there are. */
  async #loadArrays() {
    this.#waits = true;
    const pack = await telling(() => this.#arrays());
    this.#waits = false;
    if (this.signal.aborted) return;
    this.view.bind(this.#bound);
    this.view.loadArrays(pack ?? null); // what it says of parts is newer
    this.view.show(this.#frame, this.#seconds);
  }

  bind({ curves, parts, arrays }) {
    this.#bound = { curves, parts, arrays };
    if (!this.#waits) this.view?.bind(this.#bound);
  }

  /** Whether it is moved as a sound comes: what is shown then is drawn at once, not with the next picture. */
  hurry(is) {
    if (this.view && this.view.hurried !== is) this.view.hurry?.(is);
  }

  drawNow() {
    this.view?.renderNow?.();
  }

  /** Show a frame of what is bound; motion that a file came with is shown as it is then, or at given seconds. */
  show(frame, seconds = secondsOf$1(frame)) {
    this.#frame = frame;
    this.#seconds = seconds;
    if (!this.#waits) this.view?.show(frame, seconds);
  }

  /** Draw the scene anew when it looks otherwise, one time after the other; one that is of another kind needs the whole page. */
  follow(status) {
    this.#newest = status;
    const next = () => this.#follow(this.#newest);
    this.#followed = this.#followed.then(next, next);
    return this.#followed;
  }

  async #follow({ looks, space, shown, pieces }) {
    if (space !== this.space) {
      await project.settled(); // what was done meanwhile is stored first
      window.location.reload();
      return;
    }
    if (this.space === "3d") this.view?.furnish(shown);
    const [same, stand] = [looks === this.looks, pieces === this.pieces];
    if (same && stand) return;
    Object.assign(this, { looks, pieces });
    if (!this.#isOpen) await this.ready;
    if (!this.view) return;
    if (same) {
      await this.#loadArrays();
      this.onReady?.();
      return;
    }
    if (this.space === "3d") await telling(() => this.#load());
    else {
      const text = await telling(() => getText(project.url("stage/drawing")));
      if (text === undefined || this.signal.aborted) return;
      this.view.replace(text);
      await this.#loadArrays();
    }
    this.view.show(this.#frame, this.#seconds);
    this.onReady?.();
  }

  /** The parts whose values the hand had since the scene was drawn. */
  get handled() {
    return [...new Set([...(this.view?.tried ?? [])].map((target) => target.split(":")[0]))];
  }

  #askPart = newest((node) => telling(() => getJson(project.url(`stage/node/${node}`))));

  /** The part of what was picked in the view; undefined where that is not known, or something else was picked meanwhile. */
  async partOf(hit) {
    return typeof hit === "string" ? hit : (await this.#askPart(hit.node))?.part;
  }

  /** Take over how the scene looks now, since the hand has brought the view there already. */
  adopt(looks) {
    this.looks = looks;
  }
}

var stage_view = /*#__PURE__*/Object.freeze({
  __proto__: null,
  StageView: StageView
});

// What is not seen at once after an edit waits until what is seen was asked for.

const AFTER_MS = 150;

/** Give a call that does something a moment later, once for all calls until then. */
function unhurried(run) {
  let waits = false;
  return () => {
    if (waits) return;
    waits = true;
    setTimeout(() => {
      waits = false;
      run();
    }, AFTER_MS);
  };
}

var unhurried$1 = /*#__PURE__*/Object.freeze({
  __proto__: null,
  unhurried: unhurried
});

// The transport: sound is the clock, frames are dropped and never slowed. One playhead for all rooms.


const EARLY = 1e-6; // of a frame: a frame's own time, rounded to a double, still belongs to it
const SCRUB_MS = 140; // how long a place is heard while the hand moves over it
const MEASURED = 40; // draws that the measured distance is averaged over

/** The frame on screen at a time: floor(t * rate). Pure. */
const frameAt = (seconds, [top, bottom]) => Math.floor((seconds * top) / bottom + EARLY);

/** Minutes, seconds and frames of a frame. Pure. */
function clockWords(frame, [top, bottom]) {
  const second = Math.floor((frame * bottom) / top + EARLY);
  const rest = frame - Math.ceil((second * top) / bottom - EARLY);
  const two = (n) => String(n).padStart(2, "0");
  return `${two(Math.floor(second / 60))}:${two(second % 60)}:${two(rest)}`;
}

/** The next place of a playhead that loops between two frames, the second left out. Pure. */
const looped = (frame, range) => (range && (frame >= range[1] || frame < range[0]) ? range[0] : frame);

const transport = new (class extends EventTarget {
  frame = 0;
  selection = null;
  looping = false;
  other = null;
  playing = false;
  #apart = [];
  #wall = null;
  #ask = newest(() => (this.other ? { url: this.other } : telling(() => getJson(project.url("heard")))));

  open() {
    this.audio = byId("heard");
    const kept = JSON.parse(sessionStorage.getItem(`ft:${project.key}`) ?? "{}");
    this.frame = Math.min(kept.frame ?? 0, this.last);
    this.selection = kept.selection ?? null;
    if (kept.looping) this.loop();
    byId("play").addEventListener("click", () => this.toggle());
    byId("loop").addEventListener("click", () => this.loop());
    this.audio.addEventListener("ended", () => this.#ended());
    project.addEventListener("status", () => (this.frame > this.last ? this.seek(this.last) : this.#write()));
    const again = unhurried(() => this.load());
    project.addEventListener("revised", again);
    this.load();
    this.show();
  }

  get rate() {
    return project.status.rate;
  }

  get last() {
    return Math.max(0, project.status.frames - 1);
  }

  /** Load what is heard; it changes only when tracks or their switches do. */
  async load() {
    const found = await this.#ask();
    if (!found || this.audio.dataset.url === (found.url ?? "")) return;
    const wasPlaying = this.playing;
    this.stop();
    this.audio.dataset.url = found.url ?? "";
    if (found.url) this.audio.src = found.url;
    else this.audio.removeAttribute("src");
    if (wasPlaying) this.play();
  }

  get range() {
    if (!this.looping) return null;
    return this.selection ?? project.status.work ?? [0, this.last + 1];
  }

  /** Hear something else than the mix, such as one band, or with null the mix again. */
  listen(url) {
    this.other = url;
    return this.load();
  }

  /** Move the playhead with the hand and hear what lies there. */
  scrub(frame) {
    this.seek(frame);
    if (this.playing || !this.audio.dataset.url) return;
    this.#setSound(this.frame);
    this.audio.play().catch(() => {});
    clearTimeout(this.scrubbing);
    this.scrubbing = setTimeout(() => this.playing || this.audio.pause(), SCRUB_MS);
  }

  toggle() {
    if (this.playing) this.stop();
    else this.play();
  }

  async play() {
    if (!project.status.frames) return;
    if (this.frame >= this.last) this.frame = 0;
    this.frame = looped(this.frame, this.range);
    this.playing = true;
    this.#apart = [];
    this.#setSound(this.frame);
    this.#paintButton();
    if (this.audio.dataset.url) {
      try {
        await this.audio.play();
      } catch (wrong) {
        if (wrong.name !== "AbortError") this.stop();
        return;
      }
    }
    requestAnimationFrame(() => this.#tick());
  }

  stop() {
    if (!this.playing) return;
    this.playing = false;
    this.audio.pause();
    this.#paintButton();
    this.show();
  }

  seek(frame) {
    this.frame = Math.min(this.last, Math.max(0, Math.round(frame)));
    if (this.playing) this.#setSound(this.frame);
    this.show();
  }

  loop() {
    this.looping = !this.looping;
    byId("loop").setAttribute("aria-pressed", String(this.looping));
    this.#keep();
  }

  select(range) {
    this.selection = range;
    this.dispatchEvent(new Event("selection"));
    this.show();
  }

  #setSound(frame) {
    const seconds = (frame * this.rate[1]) / this.rate[0];
    if (this.audio.dataset.url) this.audio.currentTime = seconds;
    this.#wall = performance.now() / 1000 - seconds;
  }

  get seconds() {
    return this.audio.dataset.url ? this.audio.currentTime : performance.now() / 1000 - this.#wall;
  }

  #tick() {
    if (!this.playing) return;
    this.#measure();
    const frame = frameAt(this.seconds, this.rate);
    const next = looped(frame, this.range);
    if (next !== frame) this.#setSound(next);
    if (!this.range && frame > this.last) {
      this.#ended();
      return;
    }
    if (next !== this.frame) {
      this.frame = Math.min(next, this.last);
      this.show();
    }
    requestAnimationFrame(() => this.#tick());
  }

  /** What is on screen now was drawn in the last call; the sound has gone on since. */
  #measure() {
    const at = (this.seconds * this.rate[0]) / this.rate[1];
    this.#apart.push(at - (this.frame + 0.5));
    if (this.#apart.length > MEASURED) this.#apart.shift();
    const mean = this.#apart.reduce((a, b) => a + b, 0) / this.#apart.length;
    this.apart = Math.abs(mean);
    if (this.#apart.length === MEASURED) {
      byId("sync-words").textContent = `sound and picture ${this.apart.toFixed(1)} frames apart`;
    }
  }

  #ended() {
    if (this.looping) {
      this.frame = this.range[0];
      this.playing = false;
      this.play();
      return;
    }
    this.stop();
    this.seek(this.last);
  }

  #write() {
    byId("clock").textContent = clockWords(this.frame, this.rate);
    byId("frame-words").textContent = `frame ${this.frame} of ${project.status.frames}`;
  }

  /** Show the playhead everywhere. */
  show() {
    this.#write();
    this.#keep();
    this.dispatchEvent(new Event("frame"));
  }

  /** Keep what a reload should find again. */
  #keep() {
    const { frame, selection, looping } = this;
    sessionStorage.setItem(`ft:${project.key}`, JSON.stringify({ frame, selection, looping }));
  }

  #paintButton() {
    byId("play").setAttribute("aria-label", this.playing ? "Stop" : "Play");
    byId("play-shape").setAttribute("d", this.playing ? "M3 2h4v12H3zM9 2h4v12H9z" : "M4 2l10 6-10 6z");
  }
})();

var transport$1 = /*#__PURE__*/Object.freeze({
  __proto__: null,
  clockWords: clockWords,
  frameAt: frameAt,
  looped: looped,
  transport: transport
});

// Another version of a mapping beside the one that is shown: two whole pictures, side by side.


class Beside {
  #scope = null;
  #view = null;

  /** root: the stage of the room; motion: its curves and parts. */
  constructor(root, { motion, signal }) {
    this.root = root;
    this.motion = motion;
    this.signal = signal;
    /** @type {any} */
    this.name = null;
    /** @type {any} */
    this.mapping = null;
    signal.addEventListener("abort", () => this.close());
  }

  /** Show a version beside what is shown; none closes it. */
  async open(mapping, name) {
    this.close();
    if (!name || this.signal.aborted) return;
    this.mapping = mapping;
    this.name = name;
    this.#scope = new AbortController();
    const { signal } = this.#scope;
    const place = document.createElement("div");
    Object.assign(place, { className: "beside", id: "stage-beside" });
    Object.assign(place.dataset, this.root.dataset);
    if (this.root.dataset.kind === "2d") {
      const drawn = await telling(() => getText(project.url("stage/drawing?prefix=beside-")));
      if (drawn === undefined || signal.aborted) return;
      place.append(document.importNode(new DOMParser().parseFromString(drawn, "image/svg+xml").documentElement, true));
    }
    const seam = document.createElement("div");
    seam.className = "seam";
    for (const words of ["shown", name]) seam.append(Object.assign(document.createElement("span"), { textContent: words }));
    this.root.append(place, seam);
    this.#view = new StageView(place, { prefix: "beside-", signal });
    await this.#view.ready;
    await this.renew();
  }

  #ask = newest(() => telling(() => postPack(project.url("preview"), { command: { kind: "show_version", id: this.mapping, name: this.name } })));

  /** Take the version's curves in, over those that both share. */
  async renew() {
    if (!this.#view) return;
    const pack = await this.#ask();
    if (!pack || !this.#view) return;
    const own = Object.entries(pack.head.curves).map(([target, found]) => [target, { kind: found.kind, values: pack.arrays[found.values] }]);
    const moved = Object.entries(pack.head.pieces).map(([id, one]) => [id, unpackedMotion(one, pack.arrays)]);
    const over = (of, mine) => ({ ...of, ...mine });
    this.#view.bind({ curves: over(this.motion.curves, Object.fromEntries(own)), parts: over(this.motion.parts, pack.head.parts), arrays: over(this.motion.arrays, Object.fromEntries(moved)) });
    this.#view.show(transport.frame);
  }

  show(frame) {
    this.#view?.show(frame);
  }

  close() {
    this.#scope?.abort();
    this.#view = null;
    /** @type {any} */
    this.name = null;
    /** @type {any} */
    this.mapping = null;
    this.root.querySelectorAll(":scope > .beside, :scope > .seam").forEach((gone) => gone.remove());
  }
}

var beside = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Beside: Beside
});

// A piece of the page: an element, and one scope in which all that it listens to ends.

class Component {
  #scope = new AbortController();

  /**
   * @param {any} root the element
   * @param {AbortSignal} signal ends with what it lies in
   */
  constructor(root, signal) {
    this.root = root;
    this.signal = AbortSignal.any([signal, this.#scope.signal]);
  }

  /** @param {string} selector @returns {any} */
  find(selector) {
    return this.root.querySelector(selector);
  }

  /** @param {string} selector @returns {any[]} */
  all(selector) {
    return [...this.root.querySelectorAll(selector)];
  }

  /**
   * Listen for events, their types apart by spaces, as long as the piece is there.
   * @param {any} target
   * @param {string} types
   * @param {(event: any) => any} run
   */
  on(target, types, run, options = {}) {
    for (const type of types.split(" ")) target.addEventListener(type, run, { signal: this.signal, ...options });
  }

  /** Run something whenever the element has another size. */
  onResize(run) {
    const watcher = new ResizeObserver(run);
    watcher.observe(this.root);
    this.signal.addEventListener("abort", () => watcher.disconnect());
  }

  dispose() {
    this.#scope.abort();
  }
}

var component = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Component: Component
});

// Fields and buttons that edit or select by themselves: each carries the command, the request or the selection that its
// value completes, as the templates wrote them (does, sends and selects in macros.html).


/** Give a copy of plain data with one value replaced; the path is like "drives.0.rest". Pure. */
function withPath(plain, path, value) {
  const [head, ...rest] = path.split(".");
  const copy = Array.isArray(plain) ? [...plain] : { ...plain };
  copy[head] = rest.length ? withPath(plain[head] ?? {}, rest.join("."), value) : value;
  return copy;
}

/** The value of a field as its command takes it: a number with its unit, nothing for an emptied one that may be. Pure. */
function valueFor({ suffix, plus, whole, nullable }, value) {
  if (nullable !== undefined && (value === "" || value === "–")) return null;
  if (suffix !== undefined) return `${value}${suffix}`;
  if (plus !== undefined) return value + Number(plus);
  if (whole !== undefined) return Number(value);
  return nullable !== undefined ? value.trim().replace(",", ".") : value;
}

const carries = ({ dataset }) => dataset.command !== undefined || dataset.send !== undefined || dataset.choose !== undefined;

/** Whether what an element carries takes something away: it does so once, for its row may be another one's by the answer. Pure. */
const takesAway = ({ kind = "", how = "" }) => kind.startsWith("remove_") || how === "drop";

const mayBeEmpty = ({ dataset }) => "empty" in dataset || "nullable" in dataset;

/** Whether an element is a list of what can be added: its first line says so, and does nothing. */
const isOfAdders = (element) => element.options?.[0].value === "" && !mayBeEmpty(element) && !carries(element.options[0]);

/** What an element carries, completed with a value. */
function completed(element, text, value, at) {
  const plain = JSON.parse(text);
  return value === undefined || at === undefined ? plain : withPath(plain, at, valueFor(element.dataset, value));
}

/** The command that an element carries, with a value. */
const commandOf = (element, value) => completed(element, element.dataset.command, value, element.dataset.at ?? "value");

/** What a form holds; names that end in s are lists. */
function formValues(form, submitter) {
  const values = {};
  for (const [name, value] of new FormData(form, submitter)) values[name] = name.endsWith("s") ? [...(values[name] ?? []), value] : value;
  return values;
}

class Bound extends Component {
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

var bound = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Bound: Bound,
  commandOf: commandOf,
  takesAway: takesAway,
  valueFor: valueFor,
  withPath: withPath
});

// Long work: the server draws what is being done, and again while it goes on (work.html). Every tab sees the same.


const LATER_MS = 2000;

const work = new (class extends EventTarget {
  #had = 0;
  #awaited = false;
  #over = -Infinity;

  open() {
    const place = byId("work");
    for (const event of ["revised", "waiting"]) project.addEventListener(event, () => this.look());
    place.addEventListener("htmx:afterSwap", ({ target }) => target === place && this.#drawn(place));
    const again = () => setTimeout(() => this.look(), LATER_MS); // an answer that never came must not be the last
    for (const event of ["htmx:sendError", "htmx:responseError", "htmx:timeout"]) place.addEventListener(event, again);
  }

  /** Ask what is under way. */
  look() {
    byId("work")?.dispatchEvent(new CustomEvent("ft:look"));
  }

  /** Something that was asked for is not there yet. Where nothing is under way any more, it came in between, and that is told. */
  awaits() {
    this.#awaited = true;
    this.look();
  }

  /** Tell 'done' when all that was needed is there. */
  #drawn(place) {
    const jobs = Number(place.querySelector("[data-jobs]")?.dataset.jobs ?? 0);
    const had = this.#had;
    this.#had = jobs;
    if (jobs || !(had || this.#awaited)) return;
    const wait = had ? 0 : this.#over + LATER_MS - performance.now(); // what cannot come is not asked for all the time
    if (wait > 0) return void setTimeout(() => this.look(), wait);
    this.#awaited = false;
    this.#over = performance.now();
    this.dispatchEvent(new Event("done"));
  }
})();

var work$1 = /*#__PURE__*/Object.freeze({
  __proto__: null,
  work: work
});

// A first cut on the Bench: it is made as soon as the sound is read, and pointing at what it proposes shows only that.


const SETTLE_MS$2 = 120;

class FirstCut extends Component {
  #making = false;
  #settling = 0;
  #shown = null;

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ only: (id: any) => any, light: (parts: string[]) => any }} how only(id) lets one mapping move alone, and null
   *   all of them; light(parts) dims all but these
   */
  constructor(root, signal, { only, light }) {
    super(root, signal);
    this.only = only;
    this.light = light;
    this.on(work, "done", () => this.make());
    this.on(project, "revised", () => this.make());
    this.on(root, "pointerover focusin", ({ target }) => this.#point(target.closest?.("[data-proposed]")?.dataset.proposed ?? null));
    this.on(root, "pointerleave", () => this.#point(null));
    this.make();
  }

  /** Make the cut that is due, and play it; where the sound is still being read, that is waited for. */
  async make() {
    if (this.#making || this.signal.aborted || project.status.cut !== "due") return;
    this.#making = true;
    try {
      const made = await project.offer("first-cut", () => !this.signal.aborted && project.status.cut === "due");
      if (made?.driven && !this.signal.aborted && !transport.playing) transport.play();
    } catch (wrong) {
      if (wrong.status !== 202) notice(wrong.message);
      else if (await project.analyzed(wrong.jobs)) setTimeout(() => this.make());
    } finally {
      this.#making = false;
    }
  }

  #point(id) {
    clearTimeout(this.#settling);
    this.#settling = setTimeout(() => {
      if (id === this.#shown || this.signal.aborted) return;
      this.#shown = id;
      this.only(id);
      this.light(JSON.parse(this.find(`[data-proposed="${id}"]`)?.dataset.parts ?? "[]"));
    }, SETTLE_MS$2);
  }
}

var first_cut = /*#__PURE__*/Object.freeze({
  __proto__: null,
  FirstCut: FirstCut
});

// What opens over the sheet to choose from: clean-up, steps, responses, recipes, properties to copy to, and why a value is
// so. It blocks nothing. The buttons that open it ask for it by htmx; what is in it edits by itself (bound.js).


const SETTLE_MS$1 = 90;
const STAYS = ["recipes"]; // open after something of it was taken

/** Whether an entry is found by what is typed: every word of it occurs. Pure. */
const isFound = (words, typed) => typed.toLowerCase().split(/\s+/).every((word) => words.includes(word));

/** What an entry would do, for a preview. */
const bodyOf = (entry) => (entry.dataset.peek ? JSON.parse(entry.dataset.peek) : { command: commandOf(entry) });

class Drawer extends Component {
  #open = null;
  #wanted = null;
  #opener = null;
  #before = null;
  #settling = 0;

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ parts: any, peek: (body: any) => any }} how parts holds the buttons marked data-drawer; peek(body) shows an edit
   *   without storing it, and peek(null) what is stored again
   */
  constructor(root, signal, { parts, peek }) {
    super(root, signal);
    this.parts = parts;
    this.peek = peek;
    new Bound(root, this.signal, { onDone: (_, element) => this.#done(element) });
    this.on(parts, "click", (event) => this.#toggle(event), { capture: true });
    this.on(document, "htmx:configRequest", ({ detail }) => detail.target === root && this.#asked(detail));
    this.on(root, "htmx:beforeSwap", (event) => this.#swaps(event));
    this.on(root, "htmx:afterSwap", ({ target }) => target === root && this.#shown());
    this.on(root, "click", ({ target }) => this.#pressed(target));
    this.on(root, "pointerover focusin", ({ target }) => this.#peek(target.closest?.("[data-pick]")));
    this.on(root, "pointerleave", () => this.peek(null));
    this.on(root, "focusout", ({ target, relatedTarget }) => target.closest?.("[data-pick]") && !root.contains(relatedTarget) && this.peek(null));
    this.on(root, "input", ({ target }) => target.id === "drawer-find" && this.#filter(target.value));
    this.on(root, "change", ({ target }) => this.#changed(target));
    this.on(root, "keydown", (event) => this.#key(event));
    this.on(document, "keydown", (event) => this.#escape(event));
    this.on(transport, "frame", () => this.#later());
  }

  /** A second press of what opened it closes it. */
  #toggle(event) {
    const button = event.target.closest("[data-drawer]");
    if (!button) return;
    this.#opener = button;
    if (this.#open === button.dataset.drawer) {
      event.stopPropagation();
      this.close();
    } else this.peek(null);
  }

  #pressed(target) {
    if (target.closest("[data-close]")) this.close();
    target.closest("[data-forget]")?.parentElement.remove(); // at once, so that nothing points at what is gone
  }

  #asked({ parameters, elt }) {
    this.#wanted = elt.dataset.drawer;
    Object.assign(parameters, { ...asQuery(["mapping", "drive", "envelope"]), frame: transport.frame });
  }

  #swaps({ target, detail }) {
    if (target !== this.root) return;
    if (this.#wanted === null) detail.shouldSwap = false; // it was closed meanwhile
    this.#before = this.#state();
  }

  /** What it looks like now: what is searched, how far it is scrolled, and what has the focus. */
  #state() {
    const held = this.root.contains(focused()) ? focused() : null;
    const focus = held?.id ? `#${held.id}` : held?.dataset.pick ? `[data-pick][data-id="${held.dataset.id}"]` : null;
    return { open: this.root.hidden ? null : this.#open, typed: this.find("#drawer-find")?.value ?? "", top: this.root.scrollTop, focus };
  }

  #shown() {
    const { open, typed, top, focus } = this.#before;
    this.#open = this.#wanted;
    this.root.hidden = false;
    this.#mark();
    const field = this.find("#drawer-find");
    const again = open === this.#open;
    this.root.scrollTop = again ? top : 0;
    if (again && field) {
      field.value = typed;
      this.#filter(typed);
      if (focus) this.find(focus)?.focus({ preventScroll: true });
    } else if (!again) (field ?? this.find("[data-close]")).focus({ preventScroll: true });
  }

  #mark() {
    for (const button of this.parts.querySelectorAll("[data-drawer]")) button.setAttribute("aria-expanded", String(button.dataset.drawer === this.#open));
  }

  close({ refocus = true } = {}) {
    this.#wanted = null;
    if (this.root.hidden) return;
    const was = this.#open;
    this.root.hidden = true;
    this.root.replaceChildren();
    this.#open = null;
    this.peek(null);
    this.#mark();
    if (refocus) (this.parts.querySelector(`[data-drawer="${was}"]`) ?? this.#opener)?.focus();
  }

  /** Draw what is open anew, for another mapping or after an edit. */
  renew() {
    this.#mark();
    const nothing = !selection.get("mapping") && !selection.get("envelope");
    if (nothing) this.close({ refocus: false });
    else if (this.#open && this.#open !== "copy") this.#ask();
  }

  #ask() {
    this.parts.querySelector(`[data-drawer="${this.#open}"]`)?.dispatchEvent(new CustomEvent("ft:renew"));
  }

  #peek(entry) {
    if (entry) this.peek(bodyOf(entry));
  }

  /** Something of it was taken, or taken away. */
  #done(element) {
    this.peek(null);
    if (STAYS.includes(this.#open)) this.#ask();
    else if (element.dataset.pick || element.id === "copy") this.close();
  }

  #filter(typed) {
    let shown = 0;
    for (const entry of this.all("[data-words]")) {
      const fits = isFound(entry.dataset.words, typed);
      (entry.parentElement.matches(".relative") ? entry.parentElement : entry).hidden = !fits;
      shown += fits ? 1 : 0;
    }
    const none = this.find("[data-none]");
    if (none) none.hidden = shown > 0;
  }

  #changed(target) {
    if (target.id === "recipe-file" && target.files.length) {
      this.#take(target.files[0]);
      target.value = ""; // the same one can be chosen again
    }
    const button = this.find("#copy-now");
    if (!button) return;
    const many = this.all("[data-copy]:checked").length;
    button.disabled = !many;
    button.textContent = many ? `Copy to ${many} propert${many === 1 ? "y" : "ies"}` : "Copy";
  }

  /** Take the recipes of a file. */
  async #take(file) {
    const status = await telling(() => project.bring(() => upload(project.url("recipes/files"), file, { onShare: () => {}, signal: this.signal })), { about: file.name });
    if (!status) return;
    await project.came(status);
    const words = `${status.recipes} recipe${status.recipes === 1 ? "" : "s"} came from ${file.name}.`;
    notice(words, { tone: "good", act: { words: "Take back", run: () => project.undo() } });
    this.#ask();
  }

  #key(event) {
    if (event.key !== "Enter" || event.target.id !== "drawer-find") return;
    event.preventDefault(); // or the same press would push the button that has the focus then
    this.find("[data-pick]:not([hidden] *):not([hidden])")?.click();
  }

  #escape(event) {
    if (event.key !== "Escape" || this.root.hidden || event.defaultPrevented || first("dialog[open]")) return;
    event.preventDefault();
    this.close();
  }

  /** The playhead came to rest elsewhere: the reasons are those of its frame. */
  #later() {
    clearTimeout(this.#settling);
    if (this.#open === "why" && !transport.playing) this.#settling = setTimeout(() => this.#open === "why" && this.#ask(), SETTLE_MS$1);
  }
}

var drawer = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Drawer: Drawer,
  isFound: isFound
});

// A canvas at the screen's own resolution, and the colours of the look.

const style = () => getComputedStyle(document.documentElement);

let known = null;
function colours() {
  known ??= Object.fromEntries(
    ["sheet", "paper", "rule", "dots", "ink", "ink-2", "tide", "tide-ink", "tide-wash", "fern", "fern-ink", "fern-wash", "ember", "pollen"].map((name) => [
      name,
      style().getPropertyValue(`--color-${name}`).trim(),
    ]),
  );
  return known;
}

const sizes = new WeakMap();
const watcher = new ResizeObserver((entries) => entries.forEach(({ target, contentRect }) => sizes.set(target, contentRect)));

/** The size of an element in CSS pixels, measured again only when it changes: asking the page each time is slow. */
function sizeOf(element) {
  if (!sizes.has(element)) {
    sizes.set(element, element.getBoundingClientRect());
    watcher.observe(element);
  }
  return sizes.get(element);
}

/** Measure an element anew when it is drawn next: it was just given another size, of which the page tells too late. */
const forgetSize = (element) => sizes.delete(element);

/** Write a text only when it changes. */
function say(element, text) {
  if (element.textContent !== text) element.textContent = text;
}

/** Size a canvas to its place and give a pen in CSS pixels, the canvas wiped. */
function pen(canvas) {
  const { width, height } = sizeOf(canvas);
  const scale = window.devicePixelRatio || 1;
  const [w, h] = [Math.max(1, Math.round(width * scale)), Math.max(1, Math.round(height * scale))];
  if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h });
  const context = canvas.getContext("2d");
  context.setTransform(scale, 0, 0, scale, 0, 0);
  context.clearRect(0, 0, width, height);
  return { context, width, height };
}

/** Pointer moves as they come, not held back for the next screen frame, where the browser tells them: half a frame sooner. */
const MOVES = "onpointerrawupdate" in window ? "pointerrawupdate" : "pointermove";

let root = 0;
/** Forget how large a letter is: everything was given another size. */
const forgetLetters = () => (root = 0);
window.addEventListener("resize", forgetLetters);

/** A length of the look, drawn as large as letters are now: they grow with the window and with the scale setting. */
function em(px) {
  root ||= parseFloat(style().fontSize) / 16;
  return px * root;
}

const mono = () => `${em(11)}px "Spline Sans Mono", monospace`;
const sans = (weight = 400) => `${weight} ${em(11)}px "Instrument Sans", sans-serif`;

var canvas = /*#__PURE__*/Object.freeze({
  __proto__: null,
  MOVES: MOVES,
  colours: colours,
  em: em,
  forgetLetters: forgetLetters,
  forgetSize: forgetSize,
  mono: mono,
  pen: pen,
  sans: sans,
  say: say,
  sizeOf: sizeOf
});

// A pointer that was pressed, followed until it is let go.

/**
 * @param {any} down the press
 * @param {any} element holds the pointer meanwhile
 * @param {{ move?: (event: any) => any, end?: (event: any) => any, moves?: string, signal: AbortSignal }} how
 *   end hears of pointerup and of pointercancel; moves is the event that moves, if another
 */
function follow(down, element, { move = () => {}, end = () => {}, moves = "pointermove", signal }) {
  element.setPointerCapture(down.pointerId);
  const scope = new AbortController();
  const options = { signal: AbortSignal.any([signal, scope.signal]) };
  element.addEventListener(moves, move, options);
  for (const type of ["pointerup", "pointercancel"]) {
    element.addEventListener(
      type,
      (event) => {
        scope.abort();
        end(event);
      },
      options,
    );
  }
}

var drag$1 = /*#__PURE__*/Object.freeze({
  __proto__: null,
  follow: follow
});

// One lane: the level filled in tide, its marks dotted, the motion as a fern line. Geometry is pure and exported for tests.


const PAD$2 = 5;
const NEAR_PX$3 = 7;

/** Pixel row of a number between low (bottom) and high (top), clipped to the lane. */
function row(value, { low, high, height, pad = PAD$2 }) {
  const share = Math.min(1, Math.max(0, (value - low) / (high - low)));
  return height - pad - share * (height - 2 * pad);
}

/** The level that a pointer's y stands for: the inverse of row, so that a dragged mark follows the hand exactly. */
function levelAt(y, { low, high, height, pad = PAD$2 }) {
  return low + ((height - pad - y) / (height - 2 * pad)) * (high - low);
}

/**
 * The lowest and highest value of every pixel column that has a frame: what a line of many frames looks like.
 * Gives one point per frame where there is room for it, from the one before the left edge to the one after the right.
 */
function columns(values, { from, to, width }) {
  const scale = width / (to - from);
  const [first, last] = [Math.max(0, Math.floor(from) - 1), Math.min(values.length, Math.ceil(to) + 1)];
  if (last - first <= width * 1.5) {
    const n = Math.max(0, last - first);
    const xs = new Float32Array(n);
    for (let i = 0; i < n; i += 1) xs[i] = (first + i + 0.5 - from) * scale;
    const ys = values.subarray(first, last);
    return { xs, lows: ys, highs: ys, dense: false };
  }
  const n = Math.ceil(width);
  const [xs, lows, highs] = [new Float32Array(n), new Float32Array(n), new Float32Array(n)];
  for (let x = 0; x < n; x += 1) {
    const begin = Math.max(0, Math.floor(from + x / scale));
    const end = Math.min(values.length, Math.max(begin + 1, Math.floor(from + (x + 1) / scale)));
    let [low, high] = [Infinity, -Infinity];
    for (let i = begin; i < end; i += 1) {
      if (values[i] < low) low = values[i];
      if (values[i] > high) high = values[i];
    }
    xs[x] = x + 0.5;
    lows[x] = low === Infinity ? 0 : low;
    highs[x] = high === -Infinity ? 0 : high;
  }
  return { xs, lows, highs, dense: true };
}

/** The mark within reach of a pointer's y, or null; the nearer one where both are. */
function markNear(y, marks, axis) {
  const apart = (name) => Math.abs(y - row(marks[name], axis));
  const name = apart("low") <= apart("high") ? "low" : "high";
  return apart(name) <= NEAR_PX$3 ? name : null;
}

/**
 * The pixel rows that a line covers in every dense column, from the top: its own extent, joined to the column before,
 * and at least as tall as the line is thick. Pure.
 */
function bars({ lows, highs }, axis, thick) {
  const [tops, bottoms] = [new Float32Array(highs.length), new Float32Array(highs.length)];
  for (let i = 0; i < highs.length; i += 1) {
    const before = Math.max(0, i - 1);
    const top = row(Math.max(highs[i], Math.min(lows[before], highs[before])), axis);
    const bottom = row(Math.min(lows[i], Math.max(lows[before], highs[before])), axis);
    const spare = Math.max(0, thick - (bottom - top)) / 2;
    tops[i] = Math.round(top - spare);
    bottoms[i] = Math.max(tops[i] + 1, Math.round(bottom + spare));
  }
  return { tops, bottoms };
}

/** Draw a line: as a stroke where frames are apart, as upright bars where many share a pixel (a stroke is slow there). */
function strokeColumns(context, shown, axis) {
  if (shown.dense) {
    const { tops, bottoms } = bars(shown, axis, context.lineWidth);
    context.fillStyle = context.strokeStyle;
    for (let i = 0; i < tops.length; i += 1) context.fillRect(i, tops[i], 1, bottoms[i] - tops[i]);
    return;
  }
  context.beginPath();
  for (let i = 0; i < shown.xs.length; i += 1) context.lineTo(shown.xs[i], row(shown.highs[i], axis));
  context.stroke();
}

function fillColumns(context, { xs, highs, dense }, axis) {
  if (!xs.length) return;
  if (dense) {
    for (let i = 0; i < highs.length; i += 1) {
      const top = Math.round(row(highs[i], axis));
      context.fillRect(i, top, 1, axis.height - top);
    }
    return;
  }
  context.beginPath();
  context.moveTo(xs[0], axis.height);
  for (let i = 0; i < xs.length; i += 1) context.lineTo(xs[i], row(highs[i], axis));
  context.lineTo(xs[xs.length - 1], axis.height);
  context.fill();
}

/** Draw a lane: { level, value, axis: [low, high], low, high } over the frames of a view. */
function drawLane(canvas, lane, view) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const levels = { low: lane.axis[0], high: lane.axis[1], height };
  const shown = columns(lane.level, { ...view, width });
  context.fillStyle = ink["tide-wash"];
  fillColumns(context, shown, levels);
  context.strokeStyle = ink.tide;
  context.globalAlpha = 0.55;
  context.lineWidth = 1;
  strokeColumns(context, { ...shown, lows: shown.highs }, levels);
  context.globalAlpha = 1;
  const marks = height > em(30) ? ["high", "low"] : [];
  for (const name of marks) drawMark(context, row(lane[name], levels), { width, ink });
  const span = { ...(lane.span ??= spanOf(lane)), height };
  if (span.low < 0) drawRest(context, row(0, span), { width, ink });
  context.lineJoin = "round";
  if (lane.traces) drawTraces(context, lane.traces, { view: { ...view, width }, span, ink });
  if (lane.sum) {
    context.strokeStyle = ink.ink;
    context.lineWidth = 1;
    strokeColumns(context, columns(lane.sum, { ...view, width }), span);
  }
  context.strokeStyle = ink.fern;
  context.lineWidth = 1.8;
  strokeColumns(context, columns(lane.value, { ...view, width }), span);
  marks.forEach((name, place) => nameMark(context, name, { left: 3 + em(33 * place), y: row(lane[name], levels), height, ink })); // side by side: both can be read
}

/** Where rest lies, of what goes to both sides of it. */
function drawRest(context, y, { width, ink }) {
  context.fillStyle = ink.fern;
  context.globalAlpha = 0.4;
  context.fillRect(0, Math.round(y), width, 1);
  context.globalAlpha = 1;
  context.font = sans();
  context.fillStyle = ink["fern-ink"];
  context.fillText("rest", width - context.measureText("rest").width - 4, y - 3);
}

/** The colours that a curve goes through, as a strip along the lower edge; rows are red, green and blue from 0 to 1. */
function drawColours(canvas, rows, view) {
  const context = canvas.getContext("2d");
  const { width, height } = sizeOf(canvas);
  const tall = Math.min(em(6), height / 3);
  for (let x = 0; x < width; x += 1) {
    const frame = Math.min(rows[0].length - 1, Math.max(0, Math.floor(view.from + ((x + 0.5) / width) * (view.to - view.from))));
    context.fillStyle = colourAt(rows, frame);
    context.fillRect(x, height - tall, 1, tall);
  }
}

/** What a lane's motion needs in height: from rest to full, and further where it swings to both sides or goes on. Pure. */
function spanOf({ value, sum, traces }) {
  let [low, high] = [0, 1];
  for (const row of [value, ...(sum ? [sum] : []), ...(traces ?? [])]) {
    for (const one of row) {
      if (one < low) low = one;
      if (one > high) high = one;
    }
  }
  return { low: low < -0.01 ? Math.min(low, -1) : 0, high: high > 1.25 ? high : 1 };
}

/** One thin line a step: the later, the firmer. */
function drawTraces(context, traces, { view, span, ink }) {
  context.strokeStyle = ink["fern-ink"];
  context.lineWidth = 1;
  traces.slice(0, -1).forEach((row, place) => {
    context.globalAlpha = 0.45 + (0.4 * place) / traces.length;
    strokeColumns(context, columns(row, view), span);
  });
  context.globalAlpha = 1;
}

function drawMark(context, y, { width, ink }) {
  context.save();
  context.setLineDash([1.5, 3]);
  context.strokeStyle = ink["tide-ink"];
  context.lineWidth = 1;
  context.beginPath();
  context.moveTo(0, y);
  context.lineTo(width, y);
  context.stroke();
  context.restore();
}

/** Write a mark's name over the curve, on a ground of its own, whole even where the mark lies at an edge. */
function nameMark(context, name, { left, y, height, ink }) {
  context.font = sans();
  const middle = Math.min(height - em(7), Math.max(em(7), y));
  context.fillStyle = ink.sheet;
  context.fillRect(left, middle - em(7), context.measureText(name).width + 5, em(13));
  context.fillStyle = ink["tide-ink"];
  context.fillText(name, left + 2, middle + em(3.5));
}

/** Let marks of a lane be dragged, while idle() says that the hand does nothing else there. onMark(name, level, done) in the lane's own unit. */
function mountLane(canvas, { lane, onMark, idle, signal }) {
  const axisOf = () => ({ low: lane().axis[0], high: lane().axis[1], height: canvas.getBoundingClientRect().height });
  const under = ({ offsetY }) => lane() && markNear(offsetY, lane(), axisOf());
  const hover = (event) => (canvas.style.cursor = !idle() ? "crosshair" : under(event) ? "ns-resize" : "");
  const press = (down) => {
    const name = idle() && under(down);
    if (!name) return;
    down.preventDefault();
    const move = (event) => onMark(name, levelAt(event.offsetY, axisOf()), { done: event.type !== MOVES, at: event.timeStamp });
    follow(down, canvas, { move, end: move, moves: MOVES, signal });
  };
  canvas.addEventListener("pointermove", hover, { signal });
  canvas.addEventListener("pointerdown", press, { signal });
}

var lane = /*#__PURE__*/Object.freeze({
  __proto__: null,
  PAD: PAD$2,
  bars: bars,
  columns: columns,
  drawColours: drawColours,
  drawLane: drawLane,
  fillColumns: fillColumns,
  levelAt: levelAt,
  markNear: markNear,
  mountLane: mountLane,
  row: row,
  spanOf: spanOf,
  strokeColumns: strokeColumns
});

// How the lanes of the Bench are looked at: folded, taller, only one that moves, in groups, measured. None of it is an edit.


const LEAST_PX$1 = 40;
const MOST_PX = 480;
const HINT = "drag a dotted mark; drag the ruler to scrub, the waveform to select; the wheel zooms";

/** A value as a lane says it: three digits that count, with its unit; a colour as its text. Pure. */
function valueWords(curve, frame, unit = "") {
  if (!curve) return "";
  if (curve.kind === "colour") return colourAt(curve.values, frame);
  const value = curve.values[frame];
  if (value === undefined) return "";
  const text = Math.abs(value) >= 100 ? value.toFixed(0) : Math.abs(value) >= 10 ? value.toFixed(1) : value.toFixed(2);
  return `${text === "-0.00" ? "0.00" : text}${unit ? ` ${unit}` : ""}`;
}

/** How far apart two frames are, in words. Pure. */
function apartWords(from, to, [top, bottom]) {
  const frames = to - from;
  return `${frames} frame${Math.abs(frames) === 1 ? "" : "s"}, ${Math.round((frames * bottom * 1000) / top)} ms`;
}

/** Whether a lane has every word that is looked for, and is of the kind, such as 'stale'. Pure. */
function isSought({ words, is }, { sought, kind }) {
  const all = sought.toLowerCase().split(/\s+/).filter(Boolean);
  return all.every((word) => words.includes(word)) && (!kind || is.split(" ").includes(kind));
}

class Lanes extends Component {
  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ axis: any, curves: () => any, redraw: () => any, onScroll: () => any, onSolo: () => any, onGroup: () => any }} how
   *   curves() gives what is drawn; onScroll hears that other lanes may be seen, onSolo of another mapping that moves alone
   */
  constructor(room, signal, { axis, curves, redraw, onScroll, onSolo, onGroup }) {
    super(room, signal);
    this.axis = axis;
    this.curves = curves;
    this.redraw = redraw;
    this.onScroll = onScroll;
    this.onSolo = onSolo;
    this.onGroup = onGroup;
    /** @type {any} */
    this.solo = null;
    this.following = true;
    this.measuring = false;
    this.inView = [];
    this.sought = "";
    this.kind = "";
    this.looks = JSON.parse(localStorage.getItem(this.#key) ?? "{}");
    this.group = this.looks[""]?.group ?? "";
  }

  get #key() {
    return `ft:${project.key}:lanes`;
  }

  #keep(id, more) {
    this.looks[id] = { ...this.looks[id], ...more };
    localStorage.setItem(this.#key, JSON.stringify(this.looks));
  }

  get #rows() {
    return this.all(".lane[data-mapping]");
  }

  /** Find the canvases that can be seen now: the others are drawn when they are scrolled to. Asking the page is slow. */
  look() {
    const scroll = this.find("#lanes-scroll");
    const [top, bottom] = scroll ? [scroll.scrollTop - 40, scroll.scrollTop + scroll.clientHeight + 40] : [0, 0];
    this.inView = this.#rows.filter((lane) => !lane.hidden && lane.offsetTop - scroll.offsetTop < bottom && lane.offsetTop - scroll.offsetTop + lane.offsetHeight > top).map((lane) => lane.querySelector("canvas[data-lane]"));
  }

  /** Dress the lanes as they are looked at, after the server drew them anew. */
  mount(scope) {
    for (const lane of this.#rows) this.#dress(lane);
    const on = (selector, type, run) => this.find(selector)?.addEventListener(type, run, { signal: scope });
    const press = (selector, is) => this.find(selector)?.setAttribute("aria-pressed", String(is));
    press("#follow", this.following);
    press("#measure", this.measuring);
    if (this.find("#group")) this.find("#group").value = this.group;
    on("#follow", "click", () => press("#follow", (this.following = !this.following)));
    on("#measure", "click", () => this.#measure((this.measuring = !this.measuring)));
    on("#fold-all", "click", () => this.fold(this.#rows.map((lane) => lane.dataset.mapping)));
    on("#group", "change", (event) => {
      this.group = event.target.value;
      this.#keep("", { group: this.group });
      this.onGroup();
    });
    if (this.find("#find-lane")) [this.find("#find-lane").value, this.find("#only-lanes").value] = [this.sought, this.kind];
    on("#find-lane", "input", (event) => this.#seek({ sought: event.target.value }));
    on("#only-lanes", "change", (event) => this.#seek({ kind: event.target.value }));
    on("#lanes-scroll", "scroll", this.onScroll);
    on("#lanes-scroll", "pointerdown", (down) => (down.target.dataset.grip ? this.#resize(down) : this.measuring && down.target.dataset.lane && this.#span(down)));
    on("#lanes-scroll", "dblclick", ({ target }) => {
      if (!target.dataset.grip) return;
      this.#keep(target.dataset.grip, { tall: null });
      this.#dress(target.closest(".lane"));
      this.redraw();
    });
    this.#sift();
  }

  #seek(what) {
    Object.assign(this, what);
    this.#sift();
    this.redraw();
  }

  /** Show only the lanes that are looked for. */
  #sift() {
    let group = null;
    for (const row of this.all(".lane-group, .lane[data-mapping]")) {
      if (row.matches(".lane-group")) (group = row).hidden = true;
      else row.hidden = !isSought(row.dataset, this);
      if (group && !row.hidden) group.hidden = false;
    }
    const any = this.#rows.some((lane) => !lane.hidden);
    this.say(any || !this.#rows.length ? null : "no lane is like that");
  }

  #dress(lane) {
    const { folded = false, tall = null } = this.looks[lane.dataset.mapping] ?? {};
    lane.dataset.folded = String(folded);
    lane.dataset.solo = String(this.solo === lane.dataset.mapping);
    lane.toggleAttribute("data-tall", tall !== null);
    lane.style.height = tall ? `${tall}px` : "";
    forgetSize(lane.querySelector("canvas[data-lane]"));
    lane.querySelector('[data-act="fold"]').setAttribute("aria-pressed", String(folded));
    lane.querySelector('[data-act="solo"]').setAttribute("aria-pressed", String(this.solo === lane.dataset.mapping));
    const all = this.find("#fold-all");
    if (all) all.textContent = this.#rows.length && this.#rows.every(({ dataset }) => dataset.folded === "true") ? "Unfold all" : "Fold all";
  }

  /** Fold lanes; where all of them are folded, unfold them. */
  fold(ids) {
    const folded = !ids.every((id) => this.looks[id]?.folded);
    for (const id of ids) this.#keep(id, { folded });
    for (const lane of this.#rows) this.#dress(lane);
    this.redraw();
  }

  foldGroup(button) {
    const ids = [];
    for (let at = button.closest(".lane-group").nextElementSibling; at?.matches(".lane"); at = at.nextElementSibling) ids.push(at.dataset.mapping);
    this.fold(ids);
  }

  /** Let one mapping move alone, or all again. */
  only(id) {
    this.solo = this.solo === id ? null : id;
    for (const lane of this.#rows) this.#dress(lane);
    this.say();
    this.onSolo();
  }

  /** What the foot says: what is measured, who moves alone, or how the lanes are handled. */
  say(words = null) {
    const place = this.find("#lane-words");
    if (!place) return;
    const name = this.solo && this.#rows.find(({ dataset }) => dataset.mapping === this.solo)?.querySelector("[data-select]").title;
    if (this.solo && !name) this.solo = null;
    const alone = name ? `only ${name} moves; press its eye again for all` : "";
    place.textContent = [words ?? (this.measuring ? "drag over a lane to measure" : name ? "" : HINT), alone].filter(Boolean).join("; ");
    place.classList.toggle("wrong", Boolean(name));
  }

  /** Say every lane's value at a frame. */
  showValues(frame) {
    for (const canvas of this.inView) {
      const place = canvas.parentElement.querySelector("[data-now]");
      const words = valueWords(this.curves()[place.dataset.now], frame);
      if (place.textContent === words) continue;
      place.textContent = words;
      place.parentElement.hidden = !words; // what does not move for now has no value
    }
  }

  #resize(down) {
    const lane = down.target.closest(".lane");
    const [from, tall] = [down.clientY, lane.offsetHeight];
    this.#hold(down, (event) => {
      const wanted = Math.min(MOST_PX, Math.max(LEAST_PX$1, tall + event.clientY - from));
      this.#keep(lane.dataset.mapping, { tall: wanted, folded: false });
      this.#dress(lane);
      this.redraw();
    });
  }

  #hold(down, move) {
    down.preventDefault();
    follow(down, down.target, { move, signal: this.signal });
  }

  #measure(is) {
    this.find("#measure").setAttribute("aria-pressed", String(is));
    this.find("#measured").hidden = true;
    this.span = null;
    this.say();
  }

  #span(down) {
    const frameOf = (event) => Math.min(this.axis.frames - 1, Math.max(0, frameUnder(event.offsetX, { ...this.axis.view, width: sizeOf(down.target).width })));
    const from = frameOf(down);
    const place = down.target.parentElement.querySelector("[data-now]");
    const measure = (event) => {
      this.span = [from, frameOf(event)];
      const [begin, end] = this.span;
      const curve = this.curves()[place.dataset.now];
      const at = (frame) => valueWords(curve, frame, place.dataset.unit);
      this.say(`${apartWords(begin, end, transport.rate)}: ${at(begin)} to ${at(end)}`);
      this.drawSpan();
    };
    measure(down);
    this.#hold(down, measure);
  }

  /** Put the measured span where the axis has it now. */
  drawSpan() {
    const band = this.find("#measured");
    const ribbon = this.find("#ribbon");
    if (!band || !ribbon) return;
    band.hidden = !this.span;
    if (!this.span) return;
    const { left, width } = ribbon.getBoundingClientRect();
    const [from, to] = [...this.span].sort((a, b) => a - b).map((frame) => Math.min(width, Math.max(0, xOf(frame + 0.5, { ...this.axis.view, width }))));
    band.style.left = `${left - band.parentElement.getBoundingClientRect().left - 1 + from}px`;
    band.style.width = `${Math.max(1, to - from)}px`;
  }
}

var lanes = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Lanes: Lanes,
  apartWords: apartWords,
  isSought: isSought,
  valueWords: valueWords
});

// What Python has computed for the Bench: lanes, curves and how parts show; as stored, and as an edit would make them.


const ARRAYS = ["level", "value", "histogram", "transfers", "sum", "traces"];

class Motion {
  lanes = {};
  curves = {};
  parts = {};
  arrays = {};
  #revision = null;
  #previewed = new Set();
  #before = null; // what is stored, while something is peeked at
  /** What is tried or peeked at, and which load was the last then. @type {{ again: () => any, loads: number } | null} */
  #tried = null;
  #loads = 0;

  /**
   * looked() says how it is looked at, as a query: one mapping alone, with the traces of steps. onTake(head) hears of whatever
   * came in, onPreview(ids, at) of lanes as an edit would make them, onRestore() when those are as stored again.
   */
  constructor({ looked, onTake, onPreview, onRestore, signal }) {
    this.looked = looked;
    this.onTake = onTake;
    this.onPreview = onPreview;
    this.onRestore = onRestore;
    this.signal = signal;
  }

  #url(path, more = {}) {
    const query = new URLSearchParams({ ...this.looked(), ...more });
    return project.url(query.size ? `${path}?${query}` : path);
  }

  /** Load everything, or after an edit only what it changed and what previews have drawn over. */
  async load({ changed = false } = {}) {
    const mine = (this.#loads += 1);
    const also = [...this.#previewed];
    const since = changed ? this.#revision : null;
    try {
      const pack = await getPack(this.#url("curves", since === null ? {} : { since, also }));
      if (mine !== this.#loads || this.signal.aborted) return; // a later one knows all that this does
      for (const id of also) this.#previewed.delete(id);
      if (this.#before) Object.assign(this, this.#before); // what is peeked at lies over what was stored before
      this.#before = null;
      this.#take(pack, { whole: since === null });
      this.#revision = pack.head.revision;
      if (this.#tried?.loads === mine) this.#tried.again(); // tried since this was asked: it is seen on what came
      else this.#tried = null;
    } catch (wrong) {
      notice(wrong.message);
    }
  }

  /** Take a packed answer in: all of it, or what an edit changes. */
  #take({ head, arrays }, { whole }) {
    if (whole) Object.assign(this, { lanes: {}, curves: {}, parts: {}, arrays: {} });
    for (const [id, found] of Object.entries(head.lanes)) {
      const lane = { ...found, ...Object.fromEntries(ARRAYS.map((name) => [name, arrays[found[name]]])) };
      lane.level ??= this.lanes[id].level; // an edit that leaves the level alone does not send it again
      this.lanes[id] = lane;
    }
    if (head.all) {
      const [lanes, curves] = [new Set(head.all.lanes), new Set(head.all.curves)];
      for (const id of Object.keys(this.lanes)) if (!lanes.has(id)) delete this.lanes[id];
      for (const target of Object.keys(this.curves)) if (!curves.has(target)) delete this.curves[target];
    }
    for (const [target, found] of Object.entries(head.curves)) this.curves[target] = { kind: found.kind, values: arrays[found.values] };
    Object.assign(this.parts, head.parts);
    for (const [id, moved] of Object.entries(head.pieces)) this.arrays[id] = unpackedMotion(moved, arrays);
    this.onTake(head);
  }

  #ask = latest(async (body, { at, still }) => {
    if (!still()) return;
    const pack = await telling(() => postPack(this.#url("preview"), body));
    if (!pack || this.signal.aborted || !still()) return;
    this.#take(pack, { whole: false });
    const ids = Object.keys(pack.head.lanes);
    for (const id of ids) this.#previewed.add(id);
    this.onPreview(ids);
    if (at !== undefined) requestAnimationFrame(() => document.dispatchEvent(new CustomEvent("ft:drawn", { detail: performance.now() - at })));
  });

  /** Show what an edit would make, while the hand is at it; at is when the pointer moved. */
  preview(command, at) {
    const loads = this.#loads;
    this.#tried = { again: () => this.preview(command), loads };
    return this.#ask({ command }, { at, still: () => loads === this.#loads });
  }

  /** Show what could be picked without taking it, or with null again what is stored. */
  peek(body) {
    const tried = (this.#tried = body && { again: () => this.peek(body), loads: this.#loads });
    if (body) {
      this.#before ??= { lanes: { ...this.lanes }, curves: { ...this.curves }, arrays: { ...this.arrays } };
      this.#ask(body, { still: () => this.#tried === tried });
    } else if (this.#before) {
      Object.assign(this, this.#before);
      this.#before = null;
      this.onRestore();
    }
  }
}

var motion = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Motion: Motion
});

// Rows in another order: their handles are dragged, or moved with the arrow keys.


/** The place of a dragged row among others: before the first whose middle lies below the pointer. Pure. */
function placeUnder(y, middles) {
  const under = middles.findIndex((middle) => y < middle);
  return under < 0 ? middles.length : under;
}

const middleOf$1 = (row) => {
  const { top, height } = row.getBoundingClientRect();
  return top + height / 2;
};
const listOf = (row) => row.dataset.path.replace(/\.\d+$/, "");
const rowsBeside = (row) => [...row.parentElement.querySelectorAll("[data-ordered]")].filter((other) => listOf(other) === listOf(row));
const rowOf$2 = (element) => element.closest("[data-ordered]");

/** A row hears that it goes to another place. */
const move = (row, to) => row.dispatchEvent(new CustomEvent("ft:order", { bubbles: true, detail: to }));

/**
 * Lets the rows of every list inside its root be put in order: those marked data-ordered, whose data-path is a list and a
 * place in it. A row hears 'ft:order' with the place that it goes to.
 */
class Order extends Component {
  /** @param {any} root @param {AbortSignal} signal */
  constructor(root, signal) {
    super(root, signal);
    this.on(root, "pointerdown", (down) => this.#take(down));
    this.on(root, "keydown", (event) => this.#step(event));
  }

  #take(down) {
    const handle = down.target.closest("[data-handle]");
    if (!handle || down.button !== 0) return;
    down.preventDefault();
    handle.focus();
    const row = rowOf$2(handle);
    const all = rowsBeside(row);
    const from = all.indexOf(row);
    const others = all.filter((other) => other !== row);
    let to = from;
    const clear = () => all.forEach((one) => ["held", "drop"].forEach((name) => delete one.dataset[name]));
    const drag = ({ clientY }) => {
      clear();
      to = placeUnder(clientY, others.map(middleOf$1));
      row.dataset.held = "";
      if (to !== from) (others[to] ?? others.at(-1)).dataset.drop = others[to] ? "before" : "after";
    };
    const end = ({ type }) => {
      clear();
      if (type === "pointerup" && to !== from) move(row, to);
    };
    follow(down, handle, { move: drag, end, signal: this.signal });
  }

  #step(event) {
    const way = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    const handle = event.target.closest("[data-handle]");
    if (!way || !handle) return;
    event.preventDefault();
    event.stopPropagation();
    const row = rowOf$2(handle);
    const all = rowsBeside(row);
    const to = all.indexOf(row) + way;
    if (!all[to]) return;
    all[to].querySelector("[data-handle]").focus(); // the row will be there, and its handle with it
    move(row, to);
  }
}

var order = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Order: Order,
  placeUnder: placeUnder
});

// What the server draws of a room: asked for by htmx, and again whenever it may look otherwise.


class Parts extends Component {
  #drawn = [];
  #inner = null;
  #asking = 0;
  #again = false;

  /**
   * @param {any} root an element with hx-get and hx-trigger="ft:renew"
   * @param {AbortSignal} signal
   * @param {{ looked: () => Record<string, any>, mount: (scope: AbortSignal) => any, drawn?: () => any }} how
   *   looked() says what is looked at, for the server; mount(scope) wakes what was drawn, with a scope that ends when it is
   *   drawn anew; drawn() goes on from there, once for each time
   */
  constructor(root, signal, { looked, mount, drawn = () => {} }) {
    super(root, signal);
    this.how = { mount, drawn };
    this.on(root, "htmx:configRequest", ({ detail }) => detail.target === root && this.#asks(detail, looked()));
    this.on(root, "htmx:beforeSwap", ({ target, detail }) => target === root && this.#again && (detail.shouldSwap = false)); // a later one comes
    this.on(root, "htmx:afterSwap", ({ target }) => target === root && this.#drawnAnew());
    this.on(root, "htmx:responseError htmx:sendError", ({ target }) => target === root && this.#failed());
  }

  /** Ask for it anew; says whether it was drawn. Of several that are asked for at once the last counts for all. */
  renew() {
    return new Promise((settle) => {
      this.#drawn.push(settle);
      this.#again = true;
      clearTimeout(this.#asking);
      this.#asking = setTimeout(() => this.root.dispatchEvent(new CustomEvent("ft:renew"))); // what happens at once is asked for once
    });
  }

  #asks({ parameters }, looked) {
    this.#again = false;
    Object.assign(parameters, looked);
  }

  /** Wake what is there now: as it came with the page. */
  mount() {
    this.#inner?.abort();
    this.#inner = new AbortController();
    this.how.mount(AbortSignal.any([this.signal, this.#inner.signal]));
  }

  #drawnAnew() {
    if (this.signal.aborted) return;
    this.mount();
    const waiting = this.#drawn;
    this.#drawn = [];
    Promise.resolve(this.how.drawn()).finally(() => waiting.forEach((settle) => settle(true)));
  }

  #failed() {
    this.#drawn.forEach((settle) => settle(false));
    this.#drawn = [];
  }
}

var parts = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Parts: Parts
});

// The picker of properties: it opens under the hand; what is picked goes to the button that opened it, which carries what
// is to be done with it (bound.js). The server finds and draws its lines.


const GAP = 4;
const MOST_RECENT = 5;
const SETTLE_MS = 90;
const TYPING_MS = 260; // what is typed is found first, and then shown

/** Where a box of a size opens for an anchor box, below it or above it, inside a window. Pure. */
function placeFor({ left, top, bottom }, { width, height }, window) {
  const x = Math.max(GAP, Math.min(left, window.width - width - GAP));
  const below = bottom + GAP + height <= window.height;
  const y = below ? bottom + GAP : Math.max(GAP, Math.min(top - GAP - height, window.height - height - GAP));
  return { x, y };
}

/** The next line that is chosen from a number of lines, round and round. Pure. */
const nextLine = (at, by, count) => (count ? (at + by + count) % count : -1);

class Picker extends Component {
  #opener = null;
  #part = "";
  #at = 0;
  #tries = false;
  #settling = 0;

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ peek?: (body: any) => any }} [how] peek(body) shows what picking would do without storing it, and null what is stored
   */
  constructor(root, signal, { peek = () => {} } = {}) {
    super(root, signal);
    this.peek = peek;
    this.field = this.find("#picker-find");
    this.list = this.find("#picker-rows");
    this.picture = this.find("#picker-picture");
    this.on(document, "click", (event) => this.#pressed(event));
    this.on(root, "htmx:configRequest", ({ detail }) => Object.assign(detail.parameters, { part: this.#part, recent: this.#recent.join(",") }));
    this.on(root, "htmx:afterSwap", () => this.#choose(0, { tries: false }));
    this.on(root, "click", ({ target }) => this.#clicked(target.closest("button")));
    this.on(root, "pointermove", ({ target }) => this.#point(target.closest?.(".picker-row")));
    this.on(root, "keydown", (event) => this.#key(event));
    this.on(root, "focusout", ({ relatedTarget }) => relatedTarget && !root.contains(relatedTarget) && this.close({ refocus: false }));
    this.signal.addEventListener("abort", () => this.close({ refocus: false }));
  }

  /** The button that opened it, or what stands in its place since the page was drawn anew. */
  get #live() {
    const { isConnected, id, dataset } = this.#opener;
    return isConnected ? this.#opener : id ? byId(id) : first(`[data-picks][data-send="${CSS.escape(dataset.send)}"]`);
  }

  get #rows() {
    return this.all(".picker-row");
  }

  get #place() {
    return `ft:${project.key}:picked`;
  }

  get #recent() {
    return JSON.parse(sessionStorage.getItem(this.#place) ?? "[]");
  }

  /** Open for a button, where it is or at a point; of one part only, if that is said. */
  open(opener, { at = null, part = "" } = {}) {
    this.#opener = opener;
    this.#part = part;
    this.field.value = "";
    this.list.replaceChildren();
    this.root.hidden = false;
    const box = at ? { left: at.x, top: at.y, bottom: at.y } : opener.getBoundingClientRect();
    const { x, y } = placeFor(box, this.root.getBoundingClientRect(), { width: innerWidth, height: innerHeight });
    this.root.style.transform = `translate(${x}px, ${y}px)`;
    opener.setAttribute("aria-expanded", "true");
    this.field.focus({ preventScroll: true });
    this.#renew();
  }

  close({ refocus = true } = {}) {
    if (this.root.hidden) return;
    clearTimeout(this.#settling);
    this.root.hidden = true;
    this.peek(null);
    const opener = this.#opener && this.#live;
    opener?.setAttribute("aria-expanded", "false");
    if (refocus) opener?.focus({ preventScroll: true });
  }

  #renew() {
    this.field.dispatchEvent(new CustomEvent("ft:renew"));
  }

  /** A button that picks opens it, and closes it again; a press beside it closes it. */
  #pressed({ target }) {
    const opener = target.closest?.("[data-picks]");
    if (opener) {
      const again = !this.root.hidden && this.#live === opener;
      this.close({ refocus: false });
      if (!again) this.open(opener);
    } else if (!this.root.hidden && !this.root.contains(target) && !target.closest?.("[data-stage-pick]")) this.close({ refocus: false });
  }

  #clicked(button) {
    if (!button) return;
    if (button.matches("[data-close]")) this.close();
    else this.#take(button);
  }

  /** Open a part, go back to all, or pick a property. */
  #take(row) {
    const { target, open, back } = row.dataset;
    if (target) {
      sessionStorage.setItem(this.#place, JSON.stringify([target, ...this.#recent.filter((one) => one !== target)].slice(0, MOST_RECENT)));
      const opener = this.#live;
      this.close();
      opener?.dispatchEvent(new CustomEvent("ft:set", { detail: target, bubbles: true }));
      return;
    }
    this.#part = back === undefined ? open : "";
    this.field.value = "";
    this.field.focus({ preventScroll: true });
    this.#renew();
  }

  #point(row) {
    const at = row ? this.#rows.indexOf(row) : -1;
    if (at >= 0 && (at !== this.#at || !this.#tries)) this.#choose(at, { scrolls: false });
  }

  /** Let a line be the chosen one; after a moment it is tried on the stage, and its part is shown beside it. */
  #choose(at, { scrolls = true, tries = true } = {}) {
    const rows = this.#rows;
    this.#at = rows[0]?.matches(".picker-back") && at === 0 && rows.length > 1 ? 1 : at;
    this.#tries = tries;
    rows.forEach((row, place) => row.setAttribute("aria-selected", String(place === this.#at)));
    const row = rows[this.#at];
    if (!row) return;
    row.id ||= `picker-row-${this.#at}`;
    this.field.setAttribute("aria-activedescendant", row.id);
    if (scrolls) row.scrollIntoView({ block: "nearest" });
    clearTimeout(this.#settling);
    this.#settling = setTimeout(() => this.#look(row, tries), tries ? SETTLE_MS : TYPING_MS);
  }

  #look(row, tries) {
    if (this.root.hidden || !row.isConnected) return;
    const { part, target } = row.dataset;
    this.picture.hidden = !part;
    const address = part ? project.url(`parts/${part}/picture.svg`) : "";
    if (part && this.picture.getAttribute("src") !== address) this.picture.src = address;
    if (!tries || !this.#opener) return;
    const asked = this.#opener.dataset.tries;
    this.peek(target && asked ? { aim: { ...JSON.parse(asked), target } } : null);
  }

  #key(event) {
    const { key } = event;
    const row = this.#rows[this.#at];
    const acts = {
      ArrowDown: () => this.#choose(nextLine(this.#at, 1, this.#rows.length)),
      ArrowUp: () => this.#choose(nextLine(this.#at, -1, this.#rows.length)),
      Enter: () => row && this.#take(row),
      Escape: () => this.close(),
      ArrowRight: () => row?.dataset.open !== undefined && this.#atEnd && this.#take(row),
      ArrowLeft: () => this.#part && this.field.selectionStart === 0 && this.#take(this.find("[data-back]")),
    };
    if (!acts[key] || (focused() !== this.field && key === "Enter")) return;
    const done = acts[key]();
    if (done === false) return;
    event.stopPropagation();
    if (key !== "ArrowLeft" && key !== "ArrowRight") event.preventDefault();
  }

  get #atEnd() {
    return this.field.selectionStart === this.field.value.length;
  }
}

var picker = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Picker: Picker,
  nextLine: nextLine,
  placeFor: placeFor
});

// Beats of the project and hits of the shown track, in frames: for the ruler, for snapping, and for keys that go by beats.


const SNAP_PX = 9;

/** The number of an ascending list nearest to a value, or null. Pure. */
function nearest(list, value) {
  if (!list?.length) return null;
  let [low, high] = [0, list.length - 1];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle] < value) low = middle + 1;
    else high = middle;
  }
  return low > 0 && value - list[low - 1] <= list[low] - value ? list[low - 1] : list[low];
}

/** The next number of an ascending list in a direction, or null. Pure. */
function following(list, value, direction) {
  if (!list?.length) return null;
  if (direction > 0) return list.find((item) => item > value) ?? null;
  return list.findLast((item) => item < value) ?? null;
}

const rhythm = new (class extends EventTarget {
  beats = [];
  inBar = [];
  hits = [];
  strengths = [];
  bpm = 0;
  snapping = false;
  track = null;
  #ask = newest((track) => getPack(project.url(`rhythm${track ? `?track=${track}` : ""}`)));

  open() {
    const again = unhurried(() => this.load(this.track));
    project.addEventListener("revised", again);
    this.load(null);
  }

  /** Load the beats, and the hits of a track; what is still being found comes with the next load. */
  async load(track) {
    this.track = track;
    let pack;
    try {
      pack = await this.#ask(track);
    } catch {
      return;
    }
    if (pack && track === this.track) this.take(track, pack);
  }

  /** Take in beats and hits that came with something else. */
  take(track, { head, arrays }) {
    this.track = track;
    this.beats = arrays[head.beats];
    this.inBar = arrays[head.in_bar];
    this.hits = head.hits === undefined ? [] : arrays[head.hits];
    this.strengths = head.strengths === undefined ? [] : arrays[head.strengths];
    this.bpm = head.bpm;
    this.onGrid = head.on_grid;
    this.dispatchEvent(new Event("rhythm"));
  }

  /** The frame that a dragged frame lands on: the nearest beat when snapping is on and it is near on the screen. */
  snapped(frame, framesPerPx) {
    if (!this.snapping) return frame;
    const beat = nearest(this.beats, frame);
    return beat !== null && Math.abs(beat - frame) <= SNAP_PX * framesPerPx ? Math.floor(beat + 1e-4) : frame;
  }

  /** The frame of the next beat in a direction. */
  beatFrom(frame, direction) {
    const frames = Array.from(this.beats, (beat) => Math.floor(beat + 1e-4));
    return following(frames, frame, direction);
  }
})();

var rhythm$1 = /*#__PURE__*/Object.freeze({
  __proto__: null,
  following: following,
  nearest: nearest,
  rhythm: rhythm
});

// The ribbon: a ruler with beats and markers over a waveform with hits, on the shared time axis.
// Drag the ruler to scrub, the waveform to select; click either to move the playhead; wheel to zoom.


/** How tall the ruler is. */
const ruler = () => Math.round(em(24));

/** A waveform as the ribbon draws it, from what the server sends: signed bytes, lows and then highs. */
function waveOf({ head, arrays }) {
  const bytes = arrays[head.waveform];
  const half = bytes.length / 2;
  const rows = [0, half].map((from) => new Int8Array(bytes.buffer, bytes.byteOffset + from, half));
  return { rows, spanS: head.span_s, startS: head.start_s, unit: head.top / 127, gain: 1 };
}

/** The waveform of the track that a ribbon shows, loaded once for each track. */
class RibbonWave {
  /** The waveform and how much it is drawn larger; null until it is there. @type {any} */
  wave = null;
  #track = null;
  #ask = newest((id) => getPack(project.url(`tracks/${id}/waveform`)));

  async load(id) {
    if (!id || this.#track === id) return;
    this.#track = id;
    this.wave = null;
    try {
      const pack = await this.#ask(id);
      if (!pack) return;
      const wave = waveOf(pack);
      this.wave = { ...wave, gain: Math.min(8, 1 / Math.max(wave.unit * 127, 1e-3)) };
    } catch (wrong) {
      this.#track = null;
      if (wrong.status === 202) work.awaits();
      else notice(wrong.message);
    }
  }
}

/** Lowest and highest of every pixel column of a waveform over a view. Pure. */
function waveColumns([lows, highs], { spanS, startS, perSecond, view, width }) {
  const out = { lows: new Float32Array(width), highs: new Float32Array(width) };
  const spansPerPx = (view.to - view.from) / perSecond / spanS / width;
  const first = (view.from / perSecond - startS) / spanS;
  for (let x = 0; x < width; x += 1) {
    const begin = Math.floor(first + x * spansPerPx);
    const end = Math.max(begin + 1, Math.floor(first + (x + 1) * spansPerPx));
    for (let i = Math.max(0, begin); i < Math.min(highs.length, end); i += 1) {
      if (lows[i] < out.lows[x]) out.lows[x] = lows[i];
      if (highs[i] > out.highs[x]) out.highs[x] = highs[i];
    }
  }
  return out;
}

const perSecond$3 = () => transport.rate[0] / transport.rate[1];
const markerFrame = (marker) => marker.time_s * perSecond$3();

/** Draw the ribbon. hits: whether they are drawn; picked: the hit that was clicked, in frames; moved: frames a track is being moved by. */
function drawRibbon(canvas, { wave, axis, hits = false, picked = null, moved = 0, grid = 0 }) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const view = { ...axis.view, width };
  const span = (from, to, colour) => {
    context.fillStyle = colour;
    context.fillRect(xOf(from, view), 0, xOf(to, view) - xOf(from, view), height);
  };
  if (transport.selection) span(...transport.selection, ink["fern-wash"]);
  drawRuler(context, view, ink);
  drawBeats(context, view, ink, grid);
  if (wave) {
    const startS = wave.startS + moved / perSecond$3();
    drawWave(context, { ...wave, startS }, { view: axis.view, width: Math.ceil(width), height, ink });
  }
  if (hits) drawHits$1(context, view, { ink, picked, moved, height });
  const { work, frames } = project.status;
  if (work) {
    context.globalAlpha = 0.55;
    span(0, work[0], ink.paper);
    span(work[1], frames, ink.paper);
    context.globalAlpha = 1;
  }
  drawMarkers(context, view, height);
}

function drawRuler(context, view, ink) {
  context.font = mono();
  for (const { frame, words } of ticks(view, transport.rate)) {
    const x = Math.round(xOf(frame, view)) + 0.5;
    context.strokeStyle = ink.dots;
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(x, 0);
    context.lineTo(x, em(13));
    context.stroke();
    context.fillStyle = ink["ink-2"];
    if (x < view.width - em(30)) context.fillText(words, x + 4, em(11));
  }
  context.strokeStyle = ink.rule;
  context.beginPath();
  context.moveTo(0, ruler() + 0.5);
  context.lineTo(view.width, ruler() + 0.5);
  context.stroke();
}

/** Which beats are drawn so that they stay apart: all, or only those that begin a bar, or every so many bars. Pure. */
function shownBeats(beats, inBar, { from, to, width }, leastPx = 5) {
  const first = beats.findIndex((beat) => beat >= from);
  if (first < 0) return [];
  const gap = beats.length > 1 ? (beats[beats.length - 1] - beats[0]) / (beats.length - 1) : to - from;
  const px = (gap / (to - from)) * width;
  const bar = Math.max(1, ...inBar.slice(0, 32));
  let every = px >= leastPx ? 0 : 1;
  while (every && px * bar * every < leastPx) every *= 2;
  const found = [];
  let bars = 0;
  for (let i = 0; i < beats.length && beats[i] <= to; i += 1) {
    const strong = inBar[i] === 1;
    if (strong) bars += 1;
    if (beats[i] < from || (every && (!strong || bars % every))) continue;
    found.push({ frame: beats[i], strong });
  }
  return found;
}

function drawBeats(context, view, ink, grid) {
  context.fillStyle = ink.pollen;
  for (const { frame, strong } of shownBeats(rhythm.beats, rhythm.inBar, view)) {
    const x = Math.round(xOf(frame + grid, view));
    const top = Math.round(em(strong ? 13 : 17));
    context.fillRect(x, top, strong ? 2 : 1, ruler() - top);
  }
}

function drawHits$1(context, view, { ink, picked, moved, height }) {
  context.fillStyle = ink["tide-ink"];
  for (let i = 0; i < rhythm.hits.length; i += 1) {
    const x = xOf(rhythm.hits[i] + moved, view);
    if (x < -2 || x > view.width + 2) continue;
    const tall = 3 + 8 * rhythm.strengths[i];
    context.fillRect(Math.round(x), height - tall, 1, tall);
    if (picked !== null && Math.abs(picked - rhythm.hits[i]) <= 0.5) context.fillRect(Math.round(x) - 1, ruler(), 3, height - ruler());
  }
}

function drawMarkers(context, view, height) {
  context.font = mono();
  for (const marker of project.status.markers) {
    const x = xOf(markerFrame(marker), view);
    if (x < -8 || x > view.width + 8) continue;
    context.fillStyle = marker.colour;
    context.fillRect(Math.round(x), ruler() - 6, 1, height);
    context.beginPath();
    context.moveTo(x, ruler() - 11);
    context.lineTo(x + 5, ruler() - 5);
    context.lineTo(x, ruler() + 1);
    context.lineTo(x - 5, ruler() - 5);
    context.fill();
  }
}

function drawWave(context, wave, { view, width, height, ink }) {
  const { lows, highs } = waveColumns(wave.rows, { ...wave, perSecond: perSecond$3(), view, width });
  const middle = ruler() + (height - ruler()) / 2;
  const size = ((height - ruler()) / 2 - 3) * wave.gain * wave.unit;
  context.fillStyle = ink.tide;
  context.globalAlpha = 0.5;
  for (let x = 0; x < width; x += 1) {
    const [top, bottom] = [middle - highs[x] * size, middle - lows[x] * size];
    context.fillRect(x, top, 1, Math.max(1, bottom - top));
  }
  context.globalAlpha = 1;
}

/** Wheel over any plot: zoom about the pointer; sideways, or with Shift, move along. */
function mountWheel(element, { axis, plot, signal }) {
  element.addEventListener(
    "wheel",
    (event) => {
      const { left, width } = plot().getBoundingClientRect();
      const about = (event.clientX - left) / width;
      const list = event.target.closest(".lanes-scroll");
      const scrolls = list && list.scrollHeight > list.clientHeight && !event.ctrlKey && !event.shiftKey && !event.deltaX;
      if (about < 0 || about > 1 || scrolls) return;
      event.preventDefault();
      const along = event.shiftKey ? event.deltaY : event.deltaX;
      if (along) axis.pan((along / width) * (axis.view.to - axis.view.from));
      else axis.zoom(Math.exp(event.deltaY * 0.002), about);
    },
    { signal, passive: false },
  );
}

var ribbon = /*#__PURE__*/Object.freeze({
  __proto__: null,
  RibbonWave: RibbonWave,
  drawRibbon: drawRibbon,
  markerFrame: markerFrame,
  mountWheel: mountWheel,
  ruler: ruler,
  shownBeats: shownBeats,
  waveColumns: waveColumns,
  waveOf: waveOf
});

// What a hand does on a ribbon.


const DRAG_FROM_PX$2 = 4;
const NEAR_PX$2 = 6;

/** What lies under the pointer: a marker, a hit, the ruler or the waveform. @returns {any} */
function under$1(event, { axis, width, height, hits }) {
  const view = { ...axis.view, width };
  const near = (frame) => Math.abs(xOf(frame, view) - event.offsetX) <= NEAR_PX$2;
  if (event.offsetY <= ruler() + 2) {
    const marker = project.status.markers.find((item) => near(markerFrame(item)));
    return marker && event.offsetY > ruler() - 12 ? { what: "marker", marker } : { what: "ruler" };
  }
  const hit = hits ? nearest(rhythm.hits, axis.view.from + (event.offsetX / width) * (axis.view.to - axis.view.from)) : null;
  if (hit !== null && near(hit) && event.offsetY > height - 14) return { what: "hit", hit };
  return { what: "wave" };
}

/** What a hand does on a ribbon: it moves the playhead, scrubs, selects; and what the Sound room lets it do. */
class RibbonHand {
  #dragged = false;

  constructor(canvas, options) {
    this.canvas = canvas;
    this.axis = options.axis;
    this.how = options;
    const { signal } = options;
    canvas.addEventListener("pointermove", (event) => this.#hover(event), { signal });
    canvas.addEventListener("pointerdown", (down) => down.button === 0 && this.#press(down), { signal });
  }

  get #width() {
    return sizeOf(this.canvas).width; // a rectangle has nothing of its own to be spread
  }

  get #perPx() {
    return (this.axis.view.to - this.axis.view.from) / this.#width;
  }

  #exact({ offsetX }) {
    return this.axis.view.from + offsetX * this.#perPx;
  }

  #frameOf({ offsetX }) {
    return frameUnder(offsetX, { ...this.axis.view, width: this.#width });
  }

  #held(frame) {
    return Math.min(this.axis.frames, Math.max(0, rhythm.snapped(frame, this.#perPx)));
  }

  #under(event) {
    const { width, height } = sizeOf(this.canvas);
    return under$1(event, { axis: this.axis, width, height, hits: this.how.hits });
  }

  #hover(event) {
    const { onGrid, moving } = this.how;
    const { what } = this.#under(event);
    this.canvas.style.cursor = { marker: "ew-resize", hit: "pointer", ruler: onGrid && event.altKey ? "ew-resize" : "" }[what] ?? (moving() ? "grab" : "");
  }

  /** What a press at something drags. */
  #kindOf(what, { altKey }) {
    const { onMarker, onGrid, moving } = this.how;
    const on = what === "marker" && !onMarker ? "ruler" : what;
    if (on === "ruler" && onGrid && altKey) return "grid";
    if (on === "wave" && moving()) return "move";
    return on === "hit" && !this.how.onHitMove ? "wave" : on;
  }

  #press(down) {
    const found = this.#under(down);
    const [start, first] = [this.#frameOf(down), this.#exact(down)];
    const kind = this.#kindOf(found.what, down);
    this.#dragged = false;
    const drag = (event, done) => this.#drag(kind, event, { done, start, first, ...found });
    const move = (event) => {
      this.#dragged ||= Math.abs(event.clientX - down.clientX) > DRAG_FROM_PX$2;
      if (this.#dragged) drag(event, false);
    };
    const end = (event) => {
      if (!this.#dragged) this.#click(found, start);
      else {
        drag(event, true);
        if (kind === "wave") transport.seek(transport.selection[0]);
      }
    };
    follow(down, this.canvas, { move, end, signal: this.how.signal });
  }

  #drag(kind, event, { done, start, first, marker, hit }) {
    const { onMarker, onGrid, onMove, onHitMove } = this.how;
    if (kind === "marker") onMarker(marker, this.#held(this.#exact(event)), done);
    else if (kind === "hit") onHitMove(hit, this.#held(this.#exact(event)), done);
    else if (kind === "grid") onGrid(this.#exact(event) - first, done);
    else if (kind === "move") onMove(this.#exact(event) - first, done);
    else if (kind === "wave") this.#select(start, this.#frameOf(event));
    else if (!done) transport.scrub(this.#frameOf(event));
  }

  /** Select the frames from one to another, at least one; with snapping they end on beats. */
  #select(...frames) {
    const [from, to] = frames.map((frame) => this.#held(frame)).sort((a, b) => a - b);
    const end = Math.min(this.axis.frames, to + (rhythm.snapping ? 0 : 1));
    transport.select([from, end === from ? end + 1 : end]);
  }

  #click({ what, hit, marker }, start) {
    if (what === "hit") this.how.onHit?.(hit);
    else if (what === "marker") transport.seek(Math.floor(markerFrame(marker) + 1e-4));
    else {
      transport.select(null);
      transport.seek(start);
    }
  }
}

/**
 * Let a ribbon be handled. Where the Sound room gives them: onHit(frame) a hit was clicked; onHitMove(hit, frame, done) one is
 * dragged; onMarker(marker, frame, done) a
 * marker is dragged; onGrid(frames, done) the beats are dragged with Alt held; onMove(frames, done) the track is dragged,
 * while moving() says so.
 * @param {any} canvas
 * @param {{ axis: any, signal: AbortSignal, hits?: boolean, onHit?: any, onHitMove?: any, onMarker?: any, onGrid?: any, onMove?: any, moving?: () => boolean }} how
 */
const mountRibbon = (canvas, how) => new RibbonHand(canvas, { hits: false, moving: () => false, ...how });

var ribbon_hand = /*#__PURE__*/Object.freeze({
  __proto__: null,
  mountRibbon: mountRibbon
});

// The plot of the sheet: histogram, marks as handles, transfer curve, and the dot that runs along it. Geometry is pure.


const BOTTOM = 14;
const TOP = 16;

/** The share of the plot's width at which a level stands. Pure. */
const shareOf$1 = (level, [low, high]) => Math.min(1, Math.max(0, (level - low) / (high - low)));

/** The level at a share of the width. Pure. */
const levelAtShare = (share, [low, high]) => low + Math.min(1, Math.max(0, share)) * (high - low);

/** What the drawn transfer curve says at a level, between its points. Pure. */
function along(transfer, level, axis) {
  const at = shareOf$1(level, axis) * (transfer.length - 1);
  const before = Math.min(transfer.length - 2, Math.floor(at));
  return transfer[before] + (transfer[before + 1] - transfer[before]) * (at - before);
}

const rowOf$1 = (value, height) => height - BOTTOM - Math.min(1.1, Math.max(-0.1, value)) * (height - BOTTOM - TOP);

function drawSheet(canvas, lane, transfer) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const [low, high] = [shareOf$1(lane.low, lane.axis) * width, shareOf$1(lane.high, lane.axis) * width];
  context.fillStyle = ink.paper;
  context.fillRect(0, 0, low, height);
  context.fillRect(high, 0, width - high, height);
  drawHistogram(context, lane.histogram, width, height, ink);
  context.strokeStyle = ink.rule;
  context.strokeRect(0.5, 0.5, width - 1, height - 1);
  context.strokeStyle = ink.fern;
  context.lineWidth = 2;
  context.lineJoin = "round";
  context.beginPath();
  transfer.forEach((value, i) => context.lineTo((i / (transfer.length - 1)) * width, rowOf$1(value, height)));
  context.stroke();
}

function drawHistogram(context, counts, width, height, ink) {
  const most = Math.sqrt(Math.max(1, ...counts.slice(1)));
  const step = width / counts.length;
  context.fillStyle = ink.tide;
  context.globalAlpha = 0.28;
  counts.forEach((count, i) => {
    const tall = Math.min(1, Math.sqrt(count) / most) * (height - BOTTOM - TOP) * 0.72;
    if (count) context.fillRect(i * step + 0.5, height - tall - 1, step - 1, tall);
  });
  context.globalAlpha = 1;
}

function drawDot(canvas, lane, transfer, level) {
  const { context, width, height } = pen(canvas);
  if (level === undefined) return;
  const ink = colours();
  context.beginPath();
  context.arc(shareOf$1(level, lane.axis) * width, rowOf$1(along(transfer, level, lane.axis), height), 5, 0, 2 * Math.PI);
  context.fillStyle = ink.ember;
  context.fill();
  context.lineWidth = 1.5;
  context.strokeStyle = ink.sheet;
  context.stroke();
}

/** Put the two handles where the marks are and say their levels. */
function placeMarks(plot, lane) {
  for (const name of ["low", "high"]) {
    const handle = plot.querySelector(`[data-mark="${name}"]`);
    handle.style.left = `${100 * shareOf$1(lane[name], lane.axis)}%`;
    handle.setAttribute("aria-valuenow", lane[name].toPrecision(4));
    handle.setAttribute("aria-valuemin", lane.axis[0].toPrecision(4));
    handle.setAttribute("aria-valuemax", lane.axis[1].toPrecision(4));
    handle.setAttribute("aria-valuetext", `${lane[`${name}_shown`].toFixed(1)} ${lane.unit}`);
  }
}

var sheet_plot = /*#__PURE__*/Object.freeze({
  __proto__: null,
  BOTTOM: BOTTOM,
  TOP: TOP,
  along: along,
  drawDot: drawDot,
  drawSheet: drawSheet,
  levelAtShare: levelAtShare,
  placeMarks: placeMarks,
  rowOf: rowOf$1,
  shareOf: shareOf$1
});

// Handles on the transfer curve: those of a Bezier, and the points of a curve that is drawn by hand. Geometry is pure.


const EDGE$1 = 0.005;

/** Read "0.3 0.1, 0.7 0.9" as points. Pure. */
const readPoints = (text) => text.split(",").map((pair) => pair.trim().split(/\s+/).map(Number)).filter((pair) => pair.length === 2);

/** Write points as text. Pure. */
const writePoints = (points) => points.map(([x, y]) => `${Number(x.toFixed(3))} ${Number(y.toFixed(3))}`).join(", ");

/** Whether a response goes through points, or has the two handles of a Bezier: its params tell. Pure. */
const isDrawn = ({ params }) => "points" in params;
const hasHandles = ({ params }) => ["x1", "y1", "x2", "y2"].every((name) => name in params);

/** The handles of a response, as pairs of lift and height. Pure. */
function handlesOf$1(response) {
  const { params } = response;
  if (isDrawn(response)) return readPoints(params.points);
  return hasHandles(response) ? [[params.x1, params.y1], [params.x2, params.y2]] : [];
}

/**
 * A response with one of its handles elsewhere; of a drawn curve it stays between its neighbours. Pure.
 * @param {any} response
 * @param {number} index
 * @param {number[]} place
 */
function bent(response, index, [x, y]) {
  const round = (value) => Number(value.toFixed(3));
  if (hasHandles(response)) {
    const [across, up] = [round(Math.min(1, Math.max(0, x))), round(Math.min(4, Math.max(-3, y)))];
    return { ...response, params: { ...response.params, [`x${index + 1}`]: across, [`y${index + 1}`]: up } };
  }
  const points = readPoints(response.params.points);
  const [before, after] = [points[index - 1]?.[0] ?? 0, points[index + 1]?.[0] ?? 1];
  points[index] = [Math.min(after - EDGE$1, Math.max(before + EDGE$1, x)), Math.min(4, Math.max(-4, y))];
  return { ...response, params: { ...response.params, points: writePoints(points) } };
}

/** A drawn response with one more point, or one fewer. Pure. */
function withPoint(response, [x, y]) {
  const points = [...readPoints(response.params.points), [x, y]].sort((a, b) => a[0] - b[0]);
  return { ...response, params: { ...response.params, points: writePoints(points) } };
}
function withoutPoint(response, index) {
  const points = readPoints(response.params.points).filter((_, place) => place !== index);
  return { ...response, params: { ...response.params, points: writePoints(points) } };
}

const acrossOf = (lift, lane) => shareOf$1(lane.low + lift * (lane.high - lane.low), lane.axis);

/** Lift and height under a pointer. Pure. */
function placeAt(px, py, { width, height }, lane) {
  const level = lane.axis[0] + (px / width) * (lane.axis[1] - lane.axis[0]);
  return [(level - lane.low) / (lane.high - lane.low), (height - BOTTOM - py) / (height - BOTTOM - TOP)];
}

/** Put the handles where the response has them. */
function placeBenders(plot, lane, response) {
  const wanted = handlesOf$1(response);
  const there = [...plot.querySelectorAll(".bender")];
  there.slice(wanted.length).forEach((gone) => gone.remove());
  wanted.forEach(([lift, value], index) => {
    const handle = there[index] ?? plot.appendChild(Object.assign(document.createElement("div"), { className: "bender", tabIndex: 0 }));
    handle.dataset.bender = index;
    handle.setAttribute("role", "slider");
    handle.setAttribute("aria-label", hasHandles(response) ? `Handle ${index + 1} of the curve` : `Point ${index + 1} of the curve`);
    handle.setAttribute("aria-valuenow", value.toFixed(3));
    handle.setAttribute("aria-valuetext", `${value.toFixed(2)} at lift ${lift.toFixed(2)}`);
    handle.style.left = `${100 * acrossOf(lift, lane)}%`;
    handle.style.top = `${rowOf$1(value, plot.clientHeight)}px`;
  });
}

/** Let the handles be dragged and stepped, and points be added and taken off. onBend(response, {done}). response() may be none for a moment. */
function mountBenders(plot, { lane, response, onBend, signal }) {
  const sizes = () => ({ width: plot.clientWidth, height: plot.clientHeight });
  const under = (event) => {
    const { left, top } = plot.getBoundingClientRect();
    return placeAt(event.clientX - left, event.clientY - top, sizes(), lane());
  };
  plot.addEventListener(
    "pointerdown",
    (down) => {
      const handle = down.target.closest(".bender");
      if (!handle || down.button !== 0 || !lane()) return;
      const index = Number(handle.dataset.bender);
      let moved = false;
      const move = (event) => {
        moved = true;
        onBend(bent(response(), index, under(event)), { done: false, at: event.timeStamp });
      };
      follow(down, handle, { move, end: () => moved && onBend(response(), { done: true }), moves: MOVES, signal });
    },
    { signal },
  );
  plot.addEventListener(
    "dblclick",
    (event) => {
      if (!response() || !isDrawn(response())) return;
      const handle = event.target.closest(".bender");
      const [x, y] = under(event);
      if (handle) onBend(withoutPoint(response(), Number(handle.dataset.bender)), { done: true });
      else if (x > EDGE$1 && x < 1 - EDGE$1) onBend(withPoint(response(), [x, Math.min(1.1, Math.max(-0.1, y))]), { done: true });
    },
    { signal },
  );
  plot.addEventListener(
    "keydown",
    (event) => {
      const handle = event.target.closest(".bender");
      if (!handle || !lane() || !response()) return;
      const index = Number(handle.dataset.bender);
      const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
      const gone = event.key === "Delete" && isDrawn(response());
      if (!way && !gone) return;
      event.preventDefault();
      event.stopPropagation();
      if (gone) onBend(withoutPoint(response(), index), { done: true });
      else {
        const by = event.shiftKey ? 0.1 : event.altKey ? 0.001 : 0.01;
        const [x, y] = handlesOf$1(response())[index];
        onBend(bent(response(), index, [x + way[0] * by, y + way[1] * by]), { done: false });
      }
    },
    { signal },
  );
  plot.addEventListener("keyup", (event) => event.key.startsWith("Arrow") && event.target.closest(".bender") && response() && onBend(response(), { done: true }), { signal });
}

var benders = /*#__PURE__*/Object.freeze({
  __proto__: null,
  bent: bent,
  handlesOf: handlesOf$1,
  mountBenders: mountBenders,
  placeAt: placeAt,
  placeBenders: placeBenders,
  readPoints: readPoints,
  withPoint: withPoint,
  withoutPoint: withoutPoint,
  writePoints: writePoints
});

// Numbers: typed, dragged sideways, stepped with arrow keys (Shift x10, Alt /10), reset with a double click.
// A field tells 'ft:try' while it changes and 'ft:set' when the hand lets go; both carry the number.


const DRAG_FROM_PX$1 = 3;

/** Bring a number into a field's range and to its grid. Pure. */
function settle(value, { low = -Infinity, high = Infinity, whole = false, step = 0.01 } = {}) {
  const held = Math.min(high, Math.max(low, whole ? Math.round(value) : value));
  const digits = Math.max(0, Math.min(6, 1 - Math.floor(Math.log10(step))));
  return Number(held.toFixed(digits + 1));
}

/** How much one notch changes: the step, ten times it with Shift, a tenth with Alt. Pure. */
const notch = (step, event) => step * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);

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

function mountNumberFields(root, signal) {
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
    moved ||= Math.abs(dx) > DRAG_FROM_PX$1;
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

var number_field = /*#__PURE__*/Object.freeze({
  __proto__: null,
  mountNumberFields: mountNumberFields,
  notch: notch,
  settle: settle
});

// The sheet of the selected mapping: its plot with the marks and the bends of the curve, and what it counts.


const LEAST_LEVEL = { low: 0, high: 1e-5 }; // in level there is nothing below none
const MOST_LEVEL = 16;
const DB = { least: -120, most: 24 };
const KEY_STEP_SHARE = 0.005;
const WAYS = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 };

/** What a mark is set to where the hand put it, however far outside the lane that is. Pure. */
function markValue(mark, level, scale) {
  if (scale === "db") return `${Math.min(DB.most, Math.max(DB.least, level)).toFixed(3)}dB`;
  return Number(Math.min(MOST_LEVEL, Math.max(LEAST_LEVEL[mark], level)).toPrecision(7));
}

class Sheet extends Component {
  #bent = null;
  #scope = null;
  #focused = undefined;

  /** @param {any} room @param {AbortSignal} signal @param {{ motion: any }} how */
  constructor(room, signal, { motion }) {
    super(room, signal);
    this.motion = motion;
    this.on(room, "htmx:beforeSwap", () => (this.#focused = focused()?.dataset.bender));
  }

  get lane() {
    return this.motion.lanes[selection.get("mapping")];
  }

  get #drive() {
    return selection.get("drive");
  }

  get #transfer() {
    const { transfers } = this.lane;
    return transfers[Math.min(this.#drive, transfers.length - 1)];
  }

  /** The response that is shown, as it is being bent or as it is stored. */
  get #response() {
    if (this.#bent) return this.#bent;
    const mapping = JSON.parse(this.find("[data-mapping-json]")?.textContent ?? "null");
    return mapping?.drives[Math.min(this.#drive, mapping.drives.length - 1)].response;
  }

  /** The bender that had the focus before the page was drawn anew has it again: it is put in place with the curve. */
  refocus() {
    if (this.#focused !== undefined) this.find(`[data-bender="${this.#focused}"]`)?.focus();
  }

  mount(scope) {
    const plot = this.find("#plot");
    if (!plot) return;
    this.#scope = scope;
    for (const handle of plot.querySelectorAll("[data-mark]")) this.#mountMark(handle, plot);
    mountBenders(plot, { lane: () => this.lane, response: () => this.#response, onBend: (...bend) => this.#onBend(...bend), signal: scope });
  }

  /** Let a mark be dragged and stepped. */
  #mountMark(handle, plot) {
    const { mark } = handle.dataset;
    const on = (type, run) => handle.addEventListener(type, (event) => this.lane && run(event), { signal: this.#scope });
    const tell = (level, how) => this.markMoved(selection.get("mapping"), mark, level, how);
    on("pointerdown", (down) => {
      const move = (event) => {
        const { left, width } = plot.getBoundingClientRect();
        tell(levelAtShare((event.clientX - left) / width, this.lane.axis), { done: event.type !== MOVES, at: event.timeStamp });
      };
      follow(down, handle, { move, end: move, moves: MOVES, signal: this.#scope });
    });
    on("keydown", (event) => {
      const way = WAYS[event.key];
      if (!way) return;
      event.preventDefault();
      event.stopPropagation();
      const [low, high] = this.lane.axis;
      const level = this.lane[mark] + way * notch((high - low) * KEY_STEP_SHARE, event);
      tell(Math.min(high, Math.max(low, level)), { done: false });
    });
    on("keyup", (event) => event.key.startsWith("Arrow") && tell(this.lane[mark], { done: true }));
  }

  /** A mark of a lane moves: its handle follows at once; what it pushes, lane and curve as soon as they are computed. */
  markMoved(id, mark, level, { done, at }) {
    const lane = this.motion.lanes[id];
    lane[mark] = level;
    if (id === selection.get("mapping") && this.find("#plot")) placeMarks(this.find("#plot"), lane);
    this.#do({ kind: "set_field", owner: "mapping", id, path: `marks.${mark}`, value: markValue(mark, level, lane.scale) }, { done, at });
  }

  #onBend(response, { done, at }) {
    this.#bent = done ? null : response;
    if (this.lane) placeBenders(this.find("#plot"), this.lane, response);
    this.#do({ kind: "set_field", owner: "mapping", id: selection.get("mapping"), path: `drives.${this.#drive}.response`, value: response }, { done, at });
  }

  #do(command, { done, at }) {
    if (done) project.edit(command);
    else this.motion.preview(command, at);
  }

  draw() {
    const { lane } = this;
    const histogram = this.find("#histogram");
    if (!lane || !histogram) return;
    drawSheet(histogram, lane, this.#transfer);
    placeMarks(this.find("#plot"), lane);
    if (this.#response) placeBenders(this.find("#plot"), lane, this.#response);
    for (const name of ["low", "high"]) this.#fillMark(this.find(`#${name}-db`), lane[`${name}_shown`]);
    say(this.find("#hits"), String(lane.hits));
    say(this.find("#hits-words"), `rises in ${lane.seconds.toFixed(lane.seconds < 10 ? 1 : 0)} s;`);
    const [rest, full] = [Math.round(lane.at_rest * 100), Math.round(lane.at_full * 100)];
    say(this.find("#share-words"), `at rest ${rest} %, at full ${full} %`);
    this.drawDot();
  }

  /** Write a mark into its field, but not over what is being typed there. */
  #fillMark(field, shown) {
    const typing = focused() === field && field.value !== (field.dataset.before ?? ""); // a field drawn anew is empty
    if (!typing) field.dataset.before = field.value = shown.toFixed(1);
  }

  drawDot() {
    const dot = this.find("#dot");
    if (dot && this.lane) drawDot(dot, this.lane, this.#transfer, this.lane.level[transport.frame]);
  }
}

var sheet = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Sheet: Sheet,
  markValue: markValue
});

// Dims the stage but for some parts, wherever they move.


const MOST = 300; // parts that are left light; with more the stage is as bright as it was

/** Path data of closed outlines, each a list of points. Pure. */
const pathAround = (outlines) => outlines.map((points) => `M${points.map(({ x, y }) => `${x.toFixed(1)} ${y.toFixed(1)}`).join("L")}Z`).join("");

class Spotlight extends Component {
  #parts = [];

  /**
   * @param {any} root the stage
   * @param {AbortSignal} signal
   * @param {{ stage: any }} how
   */
  constructor(root, signal, { stage }) {
    super(root, signal);
    this.stage = stage;
    this.over = drawn("svg", { class: "over", "aria-hidden": "true", visibility: "hidden", id: "spotlight" });
    const mask = drawn("mask", { id: "spotlight-mask" });
    this.light = drawn("path", { fill: "#000", stroke: "#000", "stroke-opacity": "0.5", "stroke-width": "12", "stroke-linejoin": "round" });
    mask.append(drawn("rect", { width: "100%", height: "100%", fill: "#fff" }), this.light);
    this.over.append(mask, drawn("rect", { width: "100%", height: "100%", fill: "#000", opacity: "0.55", mask: "url(#spotlight-mask)" }));
    root.append(this.over);
  }

  /** Leave only these parts light; with none, all. */
  show(parts) {
    this.#parts = parts.length > MOST ? [] : parts;
    this.draw();
  }

  /** Follow the parts to where they are now. */
  draw() {
    const shown = this.#parts.length && this.stage.view;
    this.over.setAttribute("visibility", shown ? "visible" : "hidden");
    if (!shown) return;
    const { left, top } = this.root.getBoundingClientRect();
    const outlines = this.#parts.map((part) => this.stage.view.outline(part)).filter(Boolean);
    this.light.setAttribute("d", pathAround(outlines.map((points) => points.map(({ x, y }) => ({ x: x - left, y: y - top })))));
    this.over.setAttribute("visibility", outlines.length ? "visible" : "hidden");
  }
}

var spotlight = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Spotlight: Spotlight,
  pathAround: pathAround
});

// Tapping the beat while the sound plays: three taps or more set the tempo, once the hand has rested.


const RESTED_MS = 1600;
const LEAST = 3;

const taps = new (class {
  #times = [];
  #timer = null;

  /** Take a tap at the sound's own time. */
  tap() {
    if (!transport.playing) {
      notice("Taps count while the sound plays.", { tone: "good", act: { words: "Play", run: () => transport.toggle() } });
      return;
    }
    this.#times.push(transport.seconds);
    const button = byId("tap");
    if (button) button.textContent = `Tap ${this.#times.length}`;
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => this.#rested(button), RESTED_MS);
  }

  #rested(button) {
    const times = this.#times;
    this.#times = [];
    if (button) button.textContent = "Tap";
    if (times.length >= LEAST) project.send("beat", { how: "tapped", times });
  }
})();

var taps$1 = /*#__PURE__*/Object.freeze({
  __proto__: null,
  taps: taps
});

// Keys of the whole application. Fields keep their own keys.


const ROOMS$1 = { 1: "sound", 2: "stage", 3: "bench", 4: "hand-off" };

/** Whether a key press belongs to what has the focus. Pure but for the element. */
const isTyping = (element) => Boolean(element?.closest?.("input:not([type=checkbox]), select, textarea, [contenteditable]"));

/** Whether Space presses what has the focus: it does when the keyboard brought the focus there, not after a click. */
const pressesIt = (element) => element.matches("input[type=checkbox]:focus-visible, button:focus-visible, a:focus-visible");

const withCommand = ({ key, shiftKey }) => key.toLowerCase() === "z" && (shiftKey ? () => project.redo() : () => project.undo());

function plain({ key, shiftKey, altKey }) {
  if (altKey || first("dialog[open]")) return null;
  return (shiftKey ? SHIFTED[key] : undefined) ?? KEYS$1[key] ?? KEYS$1[key.toLowerCase()];
}

function mountKeyboard(view) {
  onPage("keydown", (event) => {
    if (event.defaultPrevented || isTyping(event.target)) return;
    const run = event.ctrlKey || event.metaKey ? withCommand(event) : plain(event);
    if (!run || (event.key === " " && pressesIt(event.target))) return;
    event.preventDefault();
    run(view);
  });
}

const room = (number) => first(`#rooms a[href$="/${ROOMS$1[number]}"]`)?.click();

const toBeat = (direction) => {
  const frame = rhythm.beatFrom(transport.frame, direction);
  if (frame !== null) transport.seek(frame);
};

/** Set a marker at the playhead. */
const setMarker = () => project.edit({ kind: "add_marker", time_s: (transport.frame * transport.rate[1]) / transport.rate[0] });

const SHIFTED = { ArrowLeft: () => toBeat(-1), ArrowRight: () => toBeat(1) };

const KEYS$1 = {
  " ": () => transport.toggle(),
  ArrowLeft: () => transport.seek(transport.frame - 1),
  ArrowRight: () => transport.seek(transport.frame + 1),
  Home: () => transport.seek(0),
  End: () => transport.seek(transport.last),
  l: () => transport.loop(),
  b: () => project.bake(),
  m: () => setMarker(),
  t: () => taps.tap(),
  v: ({ nextVersion }) => nextVersion(),
  1: () => room(1),
  2: () => room(2),
  3: () => room(3),
  4: () => room(4),
  "+": ({ zoom }) => zoom(0.7),
  "=": ({ zoom }) => zoom(0.7),
  "-": ({ zoom }) => zoom(1 / 0.7),
  "?": () => byId("keys").showModal(),
};

var keyboard = /*#__PURE__*/Object.freeze({
  __proto__: null,
  isTyping: isTyping,
  mountKeyboard: mountKeyboard,
  setMarker: setMarker
});

// Looking at the stage and picking from it: orbit, pan, zoom, frame; the selection in ember dashes.


const CLICK_PX$2 = 4;
const WHEEL = 0.0012;
const DASHES = { fill: "none", stroke: "#c4572e", "stroke-width": "1.5", "stroke-dasharray": "5 4" };
const KEYS = { f: "frame-part", 0: "frame-all", s: "show-full" };

/** Of the parts at one place, the topmost first, the one after the chosen one; after the last the topmost again. Pure. */
const nextUnder = (parts, chosen) => parts[(parts.indexOf(chosen) + 1) % parts.length] ?? null;

/** An outline over the stage. */
function dashesOver(root) {
  const over = drawn("svg", { class: "over", "aria-hidden": "true" });
  const dashes = drawn("polygon", DASHES);
  over.append(dashes);
  root.append(over);
  return dashes;
}

class Looking extends Component {
  #drag = null;
  #background = true;
  #clicked = { x: NaN, y: NaN };
  #camera = false;

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ stage: any, onPick: (part: string, event: any) => any, onOutline: () => any }} how onOutline hears when the
   *   stage is looked at otherwise, or another frame of it
   */
  constructor(room, signal, { stage, onPick, onOutline }) {
    super(room, signal);
    this.stage = stage;
    this.onPick = onPick;
    this.onOutline = onOutline;
    this.dashes = dashesOver(stage.root);
    this.on(stage.root, "pointerdown", (event) => this.#press(event));
    this.on(stage.root, "pointermove", (event) => this.#move(event));
    this.on(stage.root, "pointerup", (event) => this.#release(event));
    this.on(stage.root, "pointercancel", () => (this.#drag = null));
    this.on(stage.root, "wheel", (event) => this.#wheel(event), { passive: false });
    this.on(room, "click", ({ target }) => this.#act(target.closest("button")?.id));
    this.on(document, "keydown", (event) => this.#key(event));
    this.on(document, "fullscreenchange", () => this.#view?.frameAll());
    stage.ready.then(() => this.signal.aborted || this.mount());
  }

  get #view() {
    return this.stage.view;
  }

  /** Draw the selection's outline where it is now. */
  outline() {
    this.onOutline();
    const part = selection.get("part");
    const corners = this.#view && part ? this.#view.outline(part) : null;
    this.dashes.setAttribute("visibility", corners ? "visible" : "hidden");
    if (!corners) return;
    const { left, top } = this.stage.root.getBoundingClientRect();
    this.dashes.setAttribute("points", corners.map(({ x, y }) => `${(x - left).toFixed(1)},${(y - top).toFixed(1)}`).join(" "));
  }

  /** The panels were drawn anew: show on their buttons how the stage is looked at. */
  mount() {
    this.#show("#show-background", this.#background);
    this.#show("#through-camera", this.#camera);
    this.#show("#draft", Boolean(this.#view?.draft));
    const outline = () => this.outline();
    if (this.#view) Object.assign(this.#view, { onView: outline, onDrawn: outline });
    this.outline();
  }

  #show(selector, is) {
    this.find(selector)?.setAttribute("aria-pressed", String(is));
  }

  #press(event) {
    if (this.stage.drawing) return;
    this.#drag = { x: event.clientX, y: event.clientY, moved: false, pans: this.stage.space === "2d" };
    if (this.#drag.pans) this.stage.root.setPointerCapture(event.pointerId);
  }

  #move(event) {
    const drag = this.#drag;
    if (!drag) return;
    const [dx, dy] = [event.clientX - drag.x, event.clientY - drag.y];
    drag.moved ||= Math.hypot(dx, dy) > CLICK_PX$2;
    if (!drag.moved || !drag.pans) return;
    this.#view?.pan(dx, dy);
    Object.assign(drag, { x: event.clientX, y: event.clientY });
  }

  #release(event) {
    const clicked = this.#drag && !this.#drag.moved;
    this.#drag = null;
    const { root } = this.stage;
    if (root.hasPointerCapture(event.pointerId)) root.releasePointerCapture(event.pointerId);
    if (clicked) this.#pick(event);
  }

  /** What is under the pointer; in a drawing, again and again at one place, what lies under that. */
  #under(event) {
    const view = this.#view;
    if (!view?.pickAll || event.shiftKey || event.ctrlKey || event.metaKey) return view?.pick(event);
    const { x, y } = this.#clicked;
    const again = Math.hypot(event.clientX - x, event.clientY - y) <= CLICK_PX$2;
    this.#clicked = { x: event.clientX, y: event.clientY };
    return nextUnder(view.pickAll(event), again ? selection.get("part") : null);
  }

  async #pick(event) {
    const hit = this.#under(event);
    if (!hit) return;
    const part = await this.stage.partOf(hit);
    if (part) this.onPick(part, event);
  }

  #wheel(event) {
    if (this.stage.space !== "2d") return;
    event.preventDefault();
    this.#view?.zoom(Math.exp(event.deltaY * WHEEL), event);
  }

  #key(event) {
    if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
    this.#act(KEYS[event.key.toLowerCase()]);
  }

  /** Nothing but the stage, on the whole screen; again, or Escape, ends it. */
  #showFull() {
    if (document.fullscreenElement) document.exitFullscreen();
    else this.stage.root.requestFullscreen().catch(() => notice("This browser does not give the whole screen to a page."));
  }

  /** Do what a button says: what needs the scene, as soon as that is there. */
  #act(id) {
    if (id === "show-full") this.#showFull(); // a browser gives it only at once
    const act = this.#acts[id];
    if (act) this.stage.ready.then(() => this.#view && act(this.#view, selection.get("part")));
  }

  #acts = {
    "frame-part": (view, part) => part && view.framePart(part),
    "frame-all": (view) => view.frameAll(),
    "show-background": (view) => {
      view.background((this.#background = !this.#background));
      this.#show("#show-background", this.#background);
    },
    draft: (view) => {
      view.setDraft(!view.draft);
      this.#show("#draft", view.draft);
    },
    "through-camera": (view, part) => {
      this.#camera = view.lookThrough(!this.#camera, part) ?? false;
      this.#show("#through-camera", this.#camera);
    },
  };
}

var stage_looking = /*#__PURE__*/Object.freeze({
  __proto__: null,
  DASHES: DASHES,
  Looking: Looking,
  dashesOver: dashesOver,
  nextUnder: nextUnder
});

// Picking on the stage of the Bench: what is under the pointer is outlined and named; a click gives its properties there.


const CLICK_PX$1 = 4;

class StagePick extends Component {
  #down = null;
  #over = null;
  #names = new Map();

  /**
   * @param {any} root the stage
   * @param {AbortSignal} signal
   * @param {{ stage: any, onPick: (part: string, at: { x: number, y: number }) => any }} how
   */
  constructor(root, signal, { stage, onPick }) {
    super(root, signal);
    this.stage = stage;
    this.onPick = onPick;
    root.dataset.stagePick = "";
    this.dashes = dashesOver(root);
    this.label = Object.assign(document.createElement("div"), { className: "stage-name", hidden: true });
    root.append(this.label);
    this.on(root, "pointerdown", ({ clientX, clientY }) => (this.#down = { x: clientX, y: clientY }));
    this.on(root, "pointermove", (event) => this.#hover(event));
    this.on(root, "pointerleave", () => this.#show(null));
    this.on(root, "click", (event) => this.#click(event));
    this.#show(null);
  }

  get #flat() {
    return this.stage.space === "2d";
  }

  #hover(event) {
    if (event.buttons || !this.#flat) return;
    const part = this.stage.view?.pick(event) ?? null;
    if (part !== this.#over) this.#show(part);
    const { left, top } = this.root.getBoundingClientRect();
    this.label.style.transform = `translate(${event.clientX - left + 12}px, ${event.clientY - top + 14}px)`;
  }

  #show(part) {
    this.#over = part;
    const corners = part ? this.stage.view?.outline(part) : null;
    this.dashes.setAttribute("visibility", corners ? "visible" : "hidden");
    this.label.hidden = !corners;
    if (!corners) return;
    const { left, top } = this.root.getBoundingClientRect();
    this.dashes.setAttribute("points", corners.map(({ x, y }) => `${(x - left).toFixed(1)},${(y - top).toFixed(1)}`).join(" "));
    this.label.textContent = this.#names.get(part) ?? "";
    this.#name(part);
  }

  /** Ask for a part's name, once. */
  async #name(part) {
    if (!this.#names.has(part)) {
      this.#names.set(part, "");
      const answer = await getJson(project.url(`parts/${part}/name`)).catch(() => null);
      this.#names.set(part, answer?.name ?? part);
    }
    if (this.#over === part) this.label.textContent = this.#names.get(part);
  }

  async #click({ clientX, clientY }) {
    const down = this.#down ?? { x: clientX, y: clientY };
    if (Math.hypot(clientX - down.x, clientY - down.y) > CLICK_PX$1) return;
    const hit = this.stage.view?.pick({ clientX, clientY });
    if (!hit) return;
    const part = await this.stage.partOf(hit);
    if (part && !this.signal.aborted) this.onPick(part, { x: clientX, y: clientY });
  }
}

var stage_pick = /*#__PURE__*/Object.freeze({
  __proto__: null,
  StagePick: StagePick
});

// The Bench: stage, sheet and lanes over one time axis. Python computes; this room asks, draws, and follows the hand.


class Bench extends Component {
  #wave = new RibbonWave();
  #traces = false;
  #keeping = null;

  /** @param {any} room @param {AbortSignal} signal */
  constructor(room, signal) {
    super(room, signal);
    const stage = this.find("#stage");
    this.axis = new Axis(project.status.frames);
    this.stage = new StageView(stage, { prefix: "stage-", signal: this.signal });
    this.motion = this.#motion();
    this.beside = new Beside(stage, { motion: this.motion, signal: this.signal });
    this.sheet = new Sheet(room, this.signal, { motion: this.motion });
    this.lanes = new Lanes(room, this.signal, {
      axis: this.axis,
      curves: () => this.motion.curves,
      redraw: () => this.#redraw(),
      onScroll: () => requestAnimationFrame(() => !this.signal.aborted && this.#drawScrolled()),
      onSolo: () => this.load(),
      onGroup: () => this.renew(),
    });
    this.parts = new Parts(this.find("#parts"), this.signal, { looked: () => this.#looked(), mount: (scope) => this.#mount(scope), drawn: () => this.#drawn() });
    this.drawer = new Drawer(this.find("#drawer"), this.signal, { parts: this.parts.root, peek: (body) => this.motion.peek(body) });
    this.picker = new Picker(byId("picker"), this.signal, { peek: (body) => this.motion.peek(body) });
    this.spotlight = new Spotlight(stage, this.signal, { stage: this.stage });
    new StagePick(stage, this.signal, { stage: this.stage, onPick: (part, at) => this.#pickOnStage(part, at) });
    new Order(this.parts.root, this.signal);
    new Bound(this.parts.root, this.signal, { onTry: (command, _, { timeStamp }) => this.motion.preview(command, timeStamp) });
    this.#listen();
    this.#open();
  }

  get #chosen() {
    return selection.get("mapping");
  }

  #looked() {
    return { ...asQuery(["mapping", "drive", "cut"]), group: this.lanes.group };
  }

  #motion() {
    return new Motion({
      looked: () => ({ ...(this.lanes.solo ? { only: this.lanes.solo } : {}), ...(this.#traces && this.#chosen ? { traces: this.#chosen } : {}) }),
      onTake: ({ frames }) => {
        this.axis.resize(frames);
        this.stage.bind(this.motion);
        this.stage.show(transport.frame);
      },
      onPreview: (ids) => {
        this.#drawLanes(ids);
        this.sheet.draw();
        this.#drawFrame();
      },
      onRestore: () => {
        this.stage.bind(this.motion);
        this.#drawAll();
      },
      signal: this.signal,
    });
  }

  #listen() {
    const { root } = this.parts;
    this.on(root, "click", ({ target }) => this.#looking(target.closest("button")));
    this.on(root, "change", ({ target }) => this.#switched(target));
    this.on(this.axis, "view", () => this.#redraw());
    this.on(transport, "frame", () => this.#drawFrame());
    this.on(transport, "selection", () => this.#drawRibbon());
    this.on(rhythm, "rhythm", () => this.#drawRibbon());
    this.on(project, "revised", () => this.#revised());
    this.on(project, "baked", () => this.renew()); // which lanes are stale
    this.on(project, "refused", () => this.renew().then(() => this.load()));
    this.on(work, "done", () => this.load());
    selection.watch(["mapping", "drive", "cut"], () => this.#choose(), this.signal);
    this.onResize(() => this.#redraw());
    document.fonts.ready.then(() => this.#redraw());
  }

  /** Draw what came with the page; where another mapping is selected than the page shows, that. */
  #open() {
    const { mapping, drive } = selection.all;
    this.parts.mount();
    this.cut = new FirstCut(this.parts.root, this.signal, {
      only: (id) => this.lanes.solo !== id && this.lanes.only(id ?? this.lanes.solo),
      light: (parts) => this.spotlight.show(parts),
    });
    const other = mapping !== this.#chosen || (mapping && drive !== selection.get("drive"));
    if (other && this.find(`.lane[data-mapping="${mapping}"]`)) selection.set({ mapping, drive });
    this.load();
  }

  /** Wake what the server drew: what it shows as selected is what is selected. */
  #mount(scope) {
    selection.correct({ mapping: this.find('.lane[aria-current="true"]')?.dataset.mapping ?? null, drive: Number(this.find("#drive")?.value ?? 0) });
    for (const canvas of this.all("canvas[data-lane]")) this.#mountLane(canvas, scope);
    this.sheet.mount(scope);
    this.#mountBeside();
    this.lanes.mount(scope);
    const ribbon = this.find("#ribbon");
    if (ribbon) mountRibbon(ribbon, { axis: this.axis, signal: scope });
    mountWheel(this.find("#lanes"), { axis: this.axis, plot: () => this.find("#ribbon"), signal: scope });
    if (this.find("#show-traces")) this.find("#show-traces").checked = this.#traces;
  }

  #mountLane(canvas, signal) {
    const id = canvas.dataset.lane;
    const idle = () => !this.lanes.measuring;
    mountLane(canvas, { lane: () => this.motion.lanes[id], onMark: (...mark) => this.sheet.markMoved(id, ...mark), idle, signal });
    canvas.addEventListener("click", () => idle() && selection.set({ mapping: id, drive: 0, cut: "no" }), { signal }); // after a drag, not during it
  }

  #mountBeside() {
    const list = this.find("#beside");
    const other = list?.options[list.options.length - 1].value;
    if (this.#keeping === this.#chosen && other) this.beside.open(this.#chosen, other);
    if (this.#keeping !== this.#chosen || other) this.#keeping = null;
    if (list) list.value = this.beside.mapping === this.#chosen ? (this.beside.name ?? "") : "";
    if (this.beside.name && (this.beside.mapping !== this.#chosen || !list?.value)) this.beside.close();
  }

  /** Show sheet and lane heads anew, as the server draws them, then the plots. */
  renew() {
    return this.parts.renew();
  }

  #drawn() {
    this.drawer.renew();
    this.#drawAll();
    this.sheet.refocus();
  }

  /** Load lanes and curves, all or what an edit changed, and draw. */
  async load(how) {
    await this.motion.load(how);
    if (Object.keys(this.motion.lanes).length < this.all("canvas[data-lane]").length) work.look();
    await this.#wave.load(this.find("#ribbon")?.dataset.track);
    if (this.signal.aborted) return;
    this.#drawAll();
    this.beside.renew();
    if (this.find("#reason[data-waits]") && this.sheet.lane) await this.renew(); // the sheet was drawn before its sound was read
  }

  async #choose() {
    await this.renew();
    if (this.#traces) await this.load();
    this.find('.lane[aria-current="true"]')?.scrollIntoView({ block: "nearest" });
  }

  async #revised() {
    if (project.status.looks !== this.stage.looks) this.beside.close();
    await this.stage.follow(project.status);
    await this.renew();
    await this.load({ changed: true });
  }

  /** What is looked at otherwise, without an edit. */
  #looking(button) {
    const { act, mapping } = button?.dataset ?? {};
    if (act === "keep-version") this.#keeping = this.#chosen; // seen beside what it becomes, as soon as they differ
    if (act === "solo") this.lanes.only(mapping);
    else if (act === "fold") this.lanes.fold([mapping]);
    else if (act === "fold-group") this.lanes.foldGroup(button);
  }

  #switched({ id, checked, value }) {
    if (id === "beside") this.beside.open(this.#chosen, value);
    if (id !== "show-traces") return;
    this.#traces = checked;
    this.load();
  }

  /** The properties of a part that was clicked, to be driven by a new mapping. */
  #pickOnStage(part, at) {
    const opener = this.find("#add-target") ?? this.find("#first-target");
    if (opener) this.picker.open(opener, { at, part });
  }

  /** Show the next version of the mapping, as a key does. */
  nextVersion() {
    const letters = this.all("[data-version]");
    const at = letters.findIndex((letter) => letter.getAttribute("aria-pressed") === "true");
    letters[(at + 1) % letters.length]?.click();
  }

  zoom(by) {
    this.axis.zoomAt(transport.frame, by);
  }

  #redraw() {
    requestAnimationFrame(() => !this.signal.aborted && this.#drawAll());
  }

  #drawAll() {
    this.lanes.look();
    this.#drawRibbon();
    this.#drawLanes();
    this.sheet.draw();
    this.#drawFrame();
  }

  /** Other lanes are seen: those that were seen before are as they were. */
  #drawScrolled() {
    const before = new Set(this.lanes.inView);
    this.lanes.look();
    this.#drawLanes(this.lanes.inView.filter((canvas) => !before.has(canvas)).map(({ dataset }) => dataset.lane));
    this.lanes.showValues(transport.frame);
  }

  #drawRibbon() {
    const ribbon = this.find("#ribbon");
    if (ribbon) drawRibbon(ribbon, { wave: this.#wave.wave, axis: this.axis });
  }

  #drawLanes(only = null) {
    const { lanes, curves } = this.motion;
    for (const canvas of this.lanes.inView) {
      const id = canvas.dataset.lane;
      if (!lanes[id] || (only && !only.includes(id))) continue;
      drawLane(canvas, lanes[id], this.axis.view);
      canvas.parentElement.dataset.both = String(lanes[id].span.low < 0);
      const curve = curves[canvas.parentElement.querySelector("[data-now]").dataset.now];
      if (curve?.kind === "colour") drawColours(canvas, curve.values, this.axis.view);
    }
    this.lanes.drawSpan();
  }

  #drawFrame() {
    const { frame } = transport;
    this.stage.show(frame);
    this.beside.show(frame);
    this.spotlight.draw();
    if (transport.playing && this.lanes.following) this.axis.follow(frame);
    this.lanes.showValues(frame);
    this.#drawPlayhead(this.find("#playhead"), this.find("#ribbon"));
    this.sheet.drawDot();
  }

  #drawPlayhead(head, ribbon) {
    if (!head || !ribbon) return;
    const { left, width } = ribbon.getBoundingClientRect();
    const x = xOf(transport.frame + 0.5, { ...this.axis.view, width });
    head.hidden = x < 0 || x > width || !project.status.frames;
    head.style.transform = `translateX(${left - head.parentElement.getBoundingClientRect().left - 1 + x}px)`;
  }
}

var bench = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Bench: Bench
});

// Files that are dropped anywhere: each goes to the room that takes it, folders with all that is in them, and nothing ever
// opens in the page's stead.


/** The inputs that take files, by room. */
const INPUTS = { projects: "#file", sound: "#file", stage: "#scene-file" };
const PROJECT = /\.ferntide$/i;
const DRAWN = /\.(svg|svgz|gltf|glb|bin|png|jpe?g|webp)$/i;
const MOST_FILES = 200;
const LONG_MS = 10_000;

/** Which room takes which of some files, by their names: drawings, models and pictures the Stage, all else the Sound room. Pure. */
function roomsFor(names) {
  const stage = names.filter((name) => DRAWN.test(name));
  const sound = names.filter((name) => !DRAWN.test(name));
  return { stage, sound };
}

/** All files of what was dropped, those in folders too; where there are too many, that is said. */
async function filesOf(items) {
  const waiting = items.map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
  const files = [];
  while (waiting.length && files.length < MOST_FILES) {
    const entry = waiting.shift();
    if (entry.isFile) files.push(await new Promise((resolve, reject) => entry.file(resolve, reject)));
    else waiting.push(...(await entriesIn(entry.createReader())));
  }
  if (waiting.length) notice(`There is more in what was dropped: only the first ${MOST_FILES} files are taken.`);
  return files.filter(({ name }) => !name.startsWith("."));
}

async function entriesIn(reader) {
  const all = [];
  for (;;) {
    const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
    if (!some.length) return all;
    all.push(...some);
  }
}

const roomNow = () => byId("room")?.dataset.room;

/** Go to a room, and wait until it is there. */
async function goTo(room) {
  if (roomNow() === room) return;
  first(`#rooms a[href$="/${room}"]`).click();
  const end = performance.now() + LONG_MS;
  while ((roomNow() !== room || !first(INPUTS[room])) && performance.now() < end) await new Promise((later) => setTimeout(later, 40));
}

/** Give files to the input of a room. */
async function give(room, files) {
  await goTo(room);
  const input = first(INPUTS[room]);
  if (!input) {
    notice("The room for these files did not open. Go there, and drop them again.");
    return;
  }
  const carried = new DataTransfer();
  for (const file of files) carried.items.add(file);
  input.files = carried.files;
  input.dispatchEvent(new Event("change", { bubbles: true }));
}

async function route(files) {
  if (!files.length) return notice("There is no file in what was dropped.");
  const room = roomNow();
  if (room === "projects") return give(room, files);
  const projects = files.filter(({ name }) => PROJECT.test(name));
  if (projects.length) return notice(`${projects[0].name} is a whole project: drop it on the start page.`);
  const { stage, sound } = roomsFor(files.map(({ name }) => name));
  const those = (names) => files.filter(({ name }) => names.includes(name));
  if (!sound.length) return give("stage", those(stage));
  await give("sound", those(sound));
  if (stage.length) notice(`${stage.join(", ")} ${stage.length === 1 ? "goes" : "go"} onto the Stage: drop ${stage.length === 1 ? "it" : "them"} there.`, { tone: "good" });
  return null;
}

/** Take files wherever they are dropped. */
function mountDropAnywhere() {
  const withFiles = (event) => event.dataTransfer?.types.includes("Files");
  onPage("dragover", (event) => withFiles(event) && !event.defaultPrevented && event.preventDefault());
  onPage(
    "drop",
    (event) => {
      if (!withFiles(event)) return;
      const items = [...event.dataTransfer.items].filter(({ kind }) => kind === "file");
      const hasFolder = items.some((item) => item.webkitGetAsEntry?.()?.isDirectory);
      const files = [...event.dataTransfer.files];
      const { stage, sound } = roomsFor(files.map(({ name }) => name));
      const room = roomNow();
      const own = room === "projects" || (room === "stage" && !sound.length) || (room === "sound" && !stage.length);
      const isPlace = event.target.closest?.("[data-over], .stage-room");
      if (own && isPlace && !hasFolder) return; // the place takes it itself
      event.preventDefault(); // the place sees that it is not to take it
      (hasFolder ? filesOf(items) : Promise.resolve(files)).then(route, () => notice("What was dropped could not be read. Choose the files instead."));
    },
    { capture: true },
  );
}

var drop_anywhere = /*#__PURE__*/Object.freeze({
  __proto__: null,
  mountDropAnywhere: mountDropAnywhere,
  roomsFor: roomsFor
});

// A curve large: its line, what lies under its touch-ups, its keys, and the stretch that is chosen. Geometry is pure.


const PAD$1 = 26;
const KEY_PX = 3.2;
const NEAR_PX$1 = 8;
const APART_PX = 5; // keys that lie nearer to each other cannot be told apart: zoom in to see them

/** The range of a curve's rows with a little room. Pure. */
function rangeOf(rows) {
  let [low, high] = [Infinity, -Infinity];
  for (const values of rows) {
    for (const value of values) {
      if (value < low) low = value;
      if (value > high) high = value;
    }
  }
  return high - low < 1e-9 ? { low: low - 0.5, high: high + 0.5 } : { low, high };
}

/** How a plot lies: frames across and values up, in pixels. @returns {any} */
function plotOf$1(range, view, { width, height }) {
  return { ...range, ...view, width, height, pad: em(PAD$1) };
}

/** The frame, with its share, and the value under a point of a plot; of a frame its middle counts. Pure but for the padding. */
function under({ x, y }, plot) {
  return { frame: plot.from + (x / plot.width) * (plot.to - plot.from) - 0.5, value: levelAt(y, plot) };
}

const placeOf = (frame, value, plot) => ({ x: xOf(frame + 0.5, plot), y: row(value, plot) });

/** The key nearest to a point, within reach, or -1. Pure. */
function keyNear({ x, y }, { frames, values }, plot, reach = NEAR_PX$1) {
  let [best, near] = [-1, reach];
  for (let i = 0; i < frames.length; i += 1) {
    const place = placeOf(frames[i], values[i], plot);
    const apart = Math.hypot(place.x - x, place.y - y);
    if (apart <= near) [best, near] = [i, apart];
  }
  return best;
}

/** The places of the keys that lie in a rectangle between two points. Pure. */
function keysWithin(a, b, { frames, values }, plot) {
  const [left, right, top, bottom] = [Math.min(a.x, b.x), Math.max(a.x, b.x), Math.min(a.y, b.y), Math.max(a.y, b.y)];
  return Array.from(frames, (frame, i) => ({ ...placeOf(frame, values[i], plot), i }))
    .filter(({ x, y }) => x >= left && x <= right && y >= top && y <= bottom)
    .map(({ i }) => i);
}

/**
 * Keys as the hand leaves them, in the order of their frames: those that are chosen go, or are moved over what lies where they
 * come, and others come in. Pure.
 */
function editedKeys({ frames, values }, chosen, { by_frames = 0, by_value = 0, remove = false, add = [] }) {
  const edited = new Map();
  frames.forEach((frame, i) => !chosen.has(frame) && edited.set(frame, values[i]));
  if (!remove) frames.forEach((frame, i) => chosen.has(frame) && edited.set(frame + by_frames, values[i] + by_value));
  for (const [frame, value] of add) edited.set(frame, value);
  const sorted = [...edited].sort(([one], [other]) => one - other);
  return { frames: sorted.map(([frame]) => frame), values: sorted.map(([, value]) => value) };
}

/**
 * Draw a curve.
 * @param {any} canvas
 * @param {any} curve dense and below: rows; frames and keys; spans of touch-ups; ghost: what lay below before, if it is compared
 * @param {any} plot
 * @param {{ stretch?: any, chosen?: any, keys?: any, rectangle?: any, drawn?: any }} how
 */
function drawKeysPlot(canvas, curve, plot, { stretch = null, chosen = new Set(), keys = null, rectangle = null, drawn = null } = {}) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const tool = { context, plot: { ...plot, width, height }, ink };
  if (stretch) band(tool, stretch, ink["tide-wash"]);
  curve.spans.forEach((span) => drawSpan(tool, span));
  for (const values of curve.below ?? []) line(tool, values, { colour: ink["ink-2"], thick: 1, alpha: 0.55 });
  if (curve.ghost) drawGhost(tool, curve.ghost);
  for (const values of curve.dense) line(tool, values, { colour: ink.fern, thick: 1.6 });
  curve.keys.forEach((values, channel) => drawKeys(tool, channel ? { frames: curve.frames, values } : (keys ?? { frames: curve.frames, values }), chosen));
  if (rectangle) drawRectangle(tool, rectangle);
  if (drawn) drawHand(tool, drawn);
  drawWords(tool);
}

const band = ({ context, plot }, [from, to], colour) => {
  context.fillStyle = colour;
  context.fillRect(xOf(from, plot), 0, xOf(to, plot) - xOf(from, plot), plot.height);
};

function drawSpan(tool, { first, end, words }) {
  const { context, plot, ink } = tool;
  const x = Math.max(0, xOf(first, plot));
  const room = xOf(end, plot) - x;
  if (room < 0 || x > plot.width) return;
  context.globalAlpha = 0.7;
  band(tool, [first, end], ink.paper);
  context.globalAlpha = 1;
  context.font = sans();
  context.fillStyle = ink["ink-2"];
  if (room > em(30)) context.fillText(words, x + 6, em(14), room - 10);
}

function line({ context, plot }, values, { colour, thick, alpha = 1 }) {
  context.globalAlpha = alpha;
  context.strokeStyle = colour;
  context.lineWidth = thick;
  context.lineJoin = "round";
  strokeColumns(context, columns(values, plot), plot);
  context.globalAlpha = 1;
}

/** What lay under a touch-up before: dashed, spread over its stretch. */
function drawGhost({ context, plot, ink }, { first, end, rows }) {
  context.strokeStyle = ink.ember;
  context.setLineDash([4, 3]);
  context.lineWidth = 1.4;
  for (const values of rows) {
    context.beginPath();
    const apart = values.length > 1 ? (end - 1 - first) / (values.length - 1) : 0;
    values.forEach((value, i) => context.lineTo(xOf(first + i * apart + 0.5, plot), row(value, plot)));
    context.stroke();
  }
  context.setLineDash([]);
}

function drawKeys({ context, plot, ink }, { frames, values }, chosen) {
  const shown = Array.from(frames).filter((frame) => frame >= plot.from - 1 && frame <= plot.to).length;
  if (shown > plot.width / APART_PX) return;
  context.strokeStyle = ink["fern-ink"];
  context.lineWidth = 1.4;
  for (let i = 0; i < frames.length; i += 1) {
    const { x, y } = placeOf(frames[i], values[i], plot);
    if (x < -9 || x > plot.width + 9) continue;
    context.fillStyle = chosen.has(frames[i]) ? ink["fern-ink"] : ink.sheet;
    context.beginPath();
    context.arc(x, y, chosen.has(frames[i]) ? KEY_PX + 1.2 : KEY_PX, 0, 2 * Math.PI);
    context.fill();
    context.stroke();
  }
}

function drawRectangle({ context, ink }, [a, b]) {
  context.strokeStyle = ink["ink-2"];
  context.lineWidth = 1;
  context.setLineDash([3, 3]);
  context.strokeRect(Math.min(a.x, b.x), Math.min(a.y, b.y), Math.abs(a.x - b.x), Math.abs(a.y - b.y));
  context.setLineDash([]);
}

/** The way of the hand while it draws. */
function drawHand({ context, plot, ink }, points) {
  context.strokeStyle = ink.ember;
  context.lineWidth = 2;
  context.beginPath();
  for (const [frame, value] of points) context.lineTo(xOf(frame + 0.5, plot), row(value, plot));
  context.stroke();
}

function drawWords({ context, plot, ink }) {
  context.font = mono();
  context.fillStyle = ink["ink-2"];
  context.fillText(plot.high.toPrecision(3), 6, em(26));
  context.fillText(plot.low.toPrecision(3), 6, plot.height - em(16));
  context.fillText(`frame ${Math.round(plot.from)}`, 6, plot.height - 4);
  const last = `frame ${Math.round(plot.to) - 1}`;
  context.fillText(last, plot.width - 8 - context.measureText(last).width, plot.height - 4);
}

var keys_plot = /*#__PURE__*/Object.freeze({
  __proto__: null,
  drawKeysPlot: drawKeysPlot,
  editedKeys: editedKeys,
  keyNear: keyNear,
  keysWithin: keysWithin,
  plotOf: plotOf$1,
  rangeOf: rangeOf,
  under: under
});

// The curve under the hand: a stretch is chosen, keys are dragged, added and taken out; what becomes of it is asked of the server.


const DRAG_FROM_PX = 4;
const listed$1 = (value) => (Array.isArray(value) ? value : [value]);

class LargeCurve extends Component {
  curve = null;
  chosen = new Set(); // frames of keys
  #sent = { ever: 0, underWay: 0 }; // edits of keys
  #drag = null; // by how much the chosen keys are dragged, or the rectangle that chooses some

  /** @param {any} root the room @param {AbortSignal} signal @param {any} axis */
  constructor(root, signal, axis) {
    super(root, signal);
    this.axis = axis;
    this.canvas = this.find("#keys-plot");
    this.#sayMode();
    if (!this.canvas) return;
    this.on(this.canvas, "pointerdown", (down) => down.button === 0 && this.#press(down));
    this.on(this.canvas, "dblclick", (event) => this.#add(event));
    this.on(this.canvas, "keydown", (event) => this.#key(event));
    for (const button of this.all("[data-hand]")) this.on(button, "click", () => this.#hand(button.dataset.hand));
    for (const button of this.all("[data-touch]")) this.on(button, "click", () => this.#touch(button.dataset.touch));
    for (const button of this.all("[data-to-stretch]")) this.on(button, "click", () => this.#toStretch(button.dataset.toStretch));
    for (const button of this.all("[data-compare]")) this.on(button, "click", () => this.#compare(button.dataset.compare));
    this.on(this.find("#key-remove"), "click", () => this.#edit({ remove: true }));
    this.on(this.find("#key-between"), "change", ({ target }) => this.#edit({ interpolation: target.value }));
    this.on(this.find("#key-frame"), "ft:set", ({ detail }) => this.#edit({ by_frames: detail - this.#one().frame }));
    this.on(this.find("#key-value"), "ft:set", ({ detail }) => this.#edit({ by_value: detail - this.#one().value }));
    this.on(this.find("#key-slope"), "ft:set", ({ detail }) => this.#edit({ slope: detail, interpolation: "cubic" }));
    this.on(transport, "selection", () => (this.draw(), this.#sayMode()));
  }

  get target() {
    return this.canvas.dataset.target;
  }

  get keys() {
    return { frames: this.curve.frames, values: this.curve.keys[0] };
  }

  get #mode() {
    return selection.get("hand");
  }

  get #plot() {
    const { dense, below, keys } = this.curve;
    const range = rangeOf([...dense, ...(below ?? []), ...keys]);
    return plotOf$1(range, this.axis.view, sizeOf(this.canvas));
  }

  /** Go on where another one of the same curve was. */
  goOn(before) {
    Object.assign(this, { curve: before.curve, chosen: before.chosen });
    this.#sent = before.#sent;
    this.#sayMode();
  }

  #ask = newest(() => telling(() => getPack(project.url(`hand-off/curve?target=${encodeURIComponent(this.target)}`))));

  /** Show the curve as it is stored; while edits of its keys are on their way it is asked for after the last of them. */
  async load() {
    if (!this.canvas || (this.curve && this.#sent.underWay)) return;
    const { ever } = this.#sent;
    const pack = await this.#ask();
    if (!pack || this.signal.aborted || ever !== this.#sent.ever) return;
    const { head, arrays } = pack;
    const [dense, keys] = [listed$1(arrays[head.dense]), listed$1(arrays[head.keys])];
    const below = head.below === null ? null : listed$1(arrays[head.below]);
    this.curve = { dense, keys, below, frames: Array.from(arrays[head.frames]), spans: head.spans, unit: head.unit };
    this.chosen = new Set([...this.chosen].filter((frame) => this.curve.frames.includes(frame)));
    this.axis.resize(dense[0].length);
    this.find("#keys-words").textContent = `${this.curve.frames.length} keys for ${dense[0].length} frames, never more than ${head.error_percent.toFixed(2)} % from the dense curve`;
    this.#sayMode();
    this.draw();
  }

  draw() {
    if (!this.curve || !this.canvas) return;
    const [plot, drag] = [this.#plot, this.#drag];
    const keys = drag?.by ? editedKeys(this.keys, this.chosen, drag.by) : null;
    const chosen = drag?.by ? new Set([...this.chosen].map((frame) => frame + drag.by.by_frames)) : this.chosen;
    drawKeysPlot(this.canvas, this.curve, plot, { stretch: transport.selection, chosen, keys, rectangle: drag?.rectangle, drawn: drag?.drawn });
  }

  #hand(mode) {
    selection.set({ hand: mode });
    this.#sayMode();
    this.draw();
  }

  /** Say what can be done now: to the stretch, or to the keys that are chosen. */
  #sayMode() {
    for (const button of this.all("[data-hand]")) button.setAttribute("aria-pressed", String(button.dataset.hand === this.#mode));
    const [words, acts, keyActs] = ["#stretch-words", "#stretch-acts", "#key-acts"].map((name) => this.find(name));
    if (!words) return;
    const [stretch, keys] = [transport.selection, this.#mode === "keys"];
    acts.hidden = this.#mode !== "stretch" || !stretch;
    keyActs.hidden = !keys || !this.#there.length;
    words.textContent = keys ? this.#keyWords() : this.#mode === "draw" ? "Drag over the curve to draw it anew." : this.#stretchWords(stretch);
    if (!keyActs.hidden) this.#fillFields();
  }

  #stretchWords(stretch) {
    if (!stretch) return "Drag over the curve to choose a stretch, then say what becomes of it.";
    const seconds = ((stretch[1] - stretch[0]) * transport.rate[1]) / transport.rate[0];
    return `${stretch[0]} to ${stretch[1] - 1}, ${seconds.toFixed(1)} s`;
  }

  #keyWords() {
    if (this.curve && this.curve.dense.length > 1) return "Keys of a colour: hold or scale a stretch of it instead.";
    return this.chosen.size ? `${this.chosen.size} key${this.chosen.size > 1 ? "s" : ""}` : "Click a key, drag over several, double click to add one.";
  }

  /** The chosen keys that are there. */
  get #there() {
    return this.curve ? [...this.chosen].filter((frame) => this.curve.frames.includes(frame)) : [];
  }

  /** The first of the chosen keys. */
  #one() {
    const frame = Math.min(...this.#there);
    return { frame, value: this.curve.keys[0][this.curve.frames.indexOf(frame)] };
  }

  #fillFields() {
    const { frame, value } = this.#one();
    const put = (name, number) => document.activeElement?.id !== name && (this.find(`#${name}`).value = String(Number(number.toPrecision(6))));
    put("key-frame", frame);
    put("key-value", value);
    const range = rangeOf(this.curve.dense);
    this.find("#key-value").dataset.step = String(10 ** Math.round(Math.log10((range.high - range.low) / 200)));
  }

  #press(down) {
    if (!this.curve) return;
    if (this.#mode === "keys" && this.curve.dense.length === 1) this.#pressKeys(down);
    else if (this.#mode === "draw" && this.curve.dense.length === 1) this.#pressDraw(down);
    else this.#pressStretch(down);
  }

  /** Choose a stretch, or move the playhead by a click. */
  #pressStretch(down) {
    const frameOf = ({ offsetX }) => frameUnder(offsetX, { ...this.axis.view, width: sizeOf(this.canvas).width });
    const start = frameOf(down);
    let dragged = false;
    const move = (event) => {
      dragged ||= Math.abs(event.clientX - down.clientX) > DRAG_FROM_PX;
      if (!dragged) return;
      const [from, to] = [start, frameOf(event)].sort((a, b) => a - b);
      transport.select([Math.max(0, from), Math.min(this.axis.frames, to + 1)]);
    };
    const end = () => {
      if (dragged) return;
      transport.select(null);
      transport.seek(start);
    };
    follow(down, this.canvas, { move, end, signal: this.signal });
  }

  /** Draw: what the hand goes over becomes the curve. */
  #pressDraw(down) {
    const [plot, points] = [this.#plot, []];
    const move = (event) => {
      for (const at of event.getCoalescedEvents?.() ?? [event]) {
        const { frame, value } = under({ x: at.offsetX, y: at.offsetY }, plot);
        points.push([frame, value]);
      }
      this.#drag = { drawn: points };
      this.draw();
    };
    const end = () => {
      this.#drag = null;
      this.draw();
      if (points.length > 1) project.send("touch-ups/drawn", { target: this.target, points });
    };
    follow(down, this.canvas, { move, end, signal: this.signal });
  }

  #pressKeys(down) {
    const [start, plot] = [{ x: down.offsetX, y: down.offsetY }, this.#plot];
    const at = keyNear(start, this.keys, plot);
    const frame = at < 0 ? null : this.keys.frames[at];
    if (frame !== null && !this.chosen.has(frame)) this.chosen = new Set(down.shiftKey ? [...this.chosen, frame] : [frame]);
    else if (frame === null && !down.shiftKey) this.chosen = new Set();
    this.#sayMode();
    this.draw();
    const from = under(start, plot);
    const move = (event) => {
      const point = { x: event.offsetX, y: event.offsetY };
      if (!this.#drag && Math.hypot(point.x - start.x, point.y - start.y) <= DRAG_FROM_PX) return;
      const now = under(point, plot);
      this.#drag = frame === null ? { rectangle: [start, point] } : { by: { by_frames: Math.round(now.frame - from.frame), by_value: event.altKey ? 0 : now.value - from.value } };
      this.draw();
    };
    const end = () => this.#letGo(plot);
    follow(down, this.canvas, { move, end, signal: this.signal });
  }

  #letGo(plot) {
    const drag = this.#drag;
    this.#drag = null;
    if (drag?.rectangle) {
      for (const i of keysWithin(...drag.rectangle, this.keys, plot)) this.chosen.add(this.keys.frames[i]);
      this.#sayMode();
      this.draw();
    } else if (drag?.by) this.#edit(drag.by);
  }

  #add(event) {
    if (!this.curve || this.#mode !== "keys" || this.curve.dense.length > 1) return;
    const { frame, value } = under({ x: event.offsetX, y: event.offsetY }, this.#plot);
    const at = Math.min(this.axis.frames - 1, Math.max(0, Math.round(frame)));
    this.#send([], { add: [[at, value]] });
    this.chosen = new Set([at]);
    this.#sayMode();
    this.draw();
  }

  /** Edit the chosen keys; they stay chosen where they go. */
  #edit(change) {
    const frames = this.#there;
    if (!frames.length) return;
    this.#send(frames, change);
    this.chosen = new Set(change.remove ? [] : frames.map((frame) => frame + (change.by_frames ?? 0)));
    this.#sayMode();
    this.draw();
  }

  /** The keys are at once where the hand put them: what it does next goes from there. */
  async #send(frames, change) {
    const edited = editedKeys(this.keys, new Set(frames), change);
    Object.assign(this.curve, { frames: edited.frames, keys: [edited.values] });
    const sent = this.#sent;
    sent.ever += 1;
    sent.underWay += 1;
    await project.send("touch-ups/keys", { target: this.target, frames, ...change });
    sent.underWay -= 1;
  }

  /** Alt and arrows go from key to key, Shift and arrows move the chosen ones, Delete takes them out, Escape lets go. */
  #key(event) {
    if (this.#mode !== "keys" || !this.curve || this.curve.dense.length > 1) return;
    const [x, y] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key] ?? [0, 0];
    const range = rangeOf(this.curve.dense);
    if (event.altKey && x) this.#next(x);
    else if (event.shiftKey && (x || y)) this.#edit({ by_frames: x, by_value: (y * (range.high - range.low)) / 100 });
    else if (event.key === "Delete" || event.key === "Backspace") this.#edit({ remove: true });
    else if (event.key === "Escape") this.chosen = new Set();
    else return;
    event.preventDefault();
    this.#sayMode();
    this.draw();
  }

  #next(direction) {
    const { frames } = this.curve;
    const at = this.chosen.size ? frames.indexOf(Math.min(...this.chosen)) + direction : frames.findIndex((frame) => frame >= transport.frame);
    const frame = frames[Math.min(frames.length - 1, Math.max(0, at))];
    this.chosen = new Set([frame]);
    transport.seek(Math.round(frame));
  }

  #touch(kind) {
    const [first, end] = transport.selection;
    project.send("touch-ups", { target: this.target, kind, first, end, tied_to: this.find("#tied-to").value });
    if (kind === "keys") this.#hand("keys");
  }

  #toStretch(id) {
    if (!transport.selection) return;
    const [first, end] = transport.selection;
    project.send(`touch-ups/${id}/stretch`, { first, end });
  }

  #askBefore = newest((id) => telling(() => getPack(project.url(`touch-ups/${id}/compare`))));

  /** Show what lay under a touch-up before, dashed, beside what lies there now. */
  async #compare(id) {
    const pack = await this.#askBefore(id);
    if (!pack || !this.curve) return;
    const { first, end, before } = pack.head;
    const numbers = pack.arrays[before];
    this.curve.ghost = { first, end, rows: listed$1(numbers) };
    const room = Math.max(12, Math.round((end - first) / 2));
    this.axis.set({ from: Math.max(0, first - room), to: Math.min(this.axis.frames, end + room) });
    this.draw();
  }
}

var large_curve = /*#__PURE__*/Object.freeze({
  __proto__: null,
  LargeCurve: LargeCurve
});

// The profile of a program that numbers are handed to: kept on this computer, saved and loaded as JSON.


const PLACE = "ft:profile";

/** What of a profile differs from the stage's own. Pure. */
const differing = (values, own) => Object.fromEntries(Object.entries(values).filter(([name, value]) => String(value) !== String(own[name] ?? "")));

/** Read a profile's JSON: plain texts and numbers under known names; names of columns may be an object. Pure. */
function profileOf(text, own) {
  const plain = JSON.parse(text);
  if (typeof plain !== "object" || plain === null || Array.isArray(plain)) throw new Error("This is no profile.");
  const unknown = Object.keys(plain).find((name) => !(name in own));
  if (unknown) throw new Error(`A profile has no ${unknown}.`);
  if (typeof plain.names === "object") plain.names = Object.entries(plain.names).map(([old, now]) => `${old} = ${now}`).join("; ");
  return Object.fromEntries(Object.entries(plain).map(([name, value]) => [name, String(value)]));
}

class Profile extends Component {
  /** Take up the fields that the server drew: they say what was chosen on this computer. @param {any} root @param {AbortSignal} signal */
  mount(root, signal) {
    this.fields = [...root.querySelectorAll("[data-profile]")];
    if (!this.fields.length) return;
    this.own = Object.fromEntries(this.fields.map(({ name, value }) => [name, value]));
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
    for (const field of this.fields) if (field.name in values) field.value = values[field.name];
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

var profile = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Profile: Profile,
  differing: differing,
  profileOf: profileOf
});

// A drawing without the motion that it came with, as it is shown now: a picture that is made of it has a clock of its own.

const MOTION = "animate, animateTransform, animateMotion, set";

/** Numbers as attributes have them. */
const listed = (list, textOf) => Array.from({ length: list.numberOfItems }, (_, at) => textOf(list.getItem(at))).join(" ");
const matrixText = ({ a, b, c, d, e, f }) => `matrix(${[a, b, c, d, e, f].join(" ")})`;

/** What an attribute of a geometry, a gradient or a filter is now, as text; null where it is none of these. */
function shownAttribute(element, name) {
  if (name === "points") return listed(element.animatedPoints, ({ x, y }) => `${x},${y}`);
  if (name === "stdDeviation") return `${element.stdDeviationX.animVal} ${element.stdDeviationY.animVal}`;
  const now = element[name]?.animVal;
  if (typeof now === "string") return now;
  if (typeof now === "number") return element[name] instanceof SVGAnimatedEnumeration ? null : String(now);
  if (!now) return null;
  if ("numberOfItems" in now) return listed(now, (item) => (item.matrix ? matrixText(item.matrix) : String(item.value)));
  if ("width" in now) return `${now.x} ${now.y} ${now.width} ${now.height}`;
  if (typeof now.value !== "number" || (now.value === 0 && !element.hasAttribute(name))) return null;
  return String(now.value);
}

/** What a style is now, as an attribute has it. */
const shownStyle = (element, name) => getComputedStyle(element).getPropertyValue(name).replace(/^path\("(.*)"\)$/, "$1");

/** Where an element stands in the one that it lies in, along a way that it follows too; null where nothing is seen of it. */
function shownPlace(element) {
  const [outer, own] = [element.parentNode, element].map((one) => one.getScreenCTM());
  if (!outer || !own || outer.a * outer.d === outer.b * outer.c) return null;
  return matrixText(outer.inverse().multiply(own));
}

/** A copy of a drawing that stands still as it is shown now. */
function stilled(svg) {
  const copy = svg.cloneNode(true);
  const [live, still] = [svg, copy].map((root) => [...root.querySelectorAll("*")]);
  const copies = new Map(live.map((element, at) => [element, still[at]]));
  for (const motion of live.filter((element) => element.matches(MOTION))) {
    copies.get(motion).remove();
    const element = motion.targetElement;
    if (!copies.has(element)) continue;
    const places = motion.localName === "animateMotion" || motion.getAttribute("attributeName") === "transform";
    const name = places ? "transform" : motion.getAttribute("attributeName");
    const value = places ? shownPlace(element) : (shownAttribute(element, name) ?? shownStyle(element, name));
    if (value) copies.get(element).setAttribute(name, value);
  }
  return copy;
}

var stilled$1 = /*#__PURE__*/Object.freeze({
  __proto__: null,
  stilled: stilled
});

// A stage of a size of its own, off the screen, that gives any frame as a picture: what proofs and stills are drawn with.


const FONTS = {
  Fraunces: ["fraunces", 600],
  "Instrument Sans": ["instrument-sans", 400],
  "Spline Sans Mono": ["spline-sans-mono", 400],
};
const SETS = ["latin", "latin-ext"];

/** Bytes as a data address. */
function dataUrl(bytes, type) {
  let text = "";
  for (let at = 0; at < bytes.length; at += 8192) text += String.fromCharCode(...bytes.subarray(at, at + 8192));
  return `data:${type};base64,${btoa(text)}`;
}

/** The fonts of ours that a drawing's words are in. */
const familiesOf = (svg) => [
  ...new Set(
    [...svg.querySelectorAll("[font-family]")]
      .map((element) => element.getAttribute("font-family").split(",")[0].replace(/['"]/g, "").trim())
      .filter((family) => family in FONTS),
  ),
];

/** The rules of fonts: a picture of an SVG reaches nothing outside it. */
async function fontRules(families) {
  const rules = [];
  for (const family of families) {
    const [file, weight] = FONTS[family];
    for (const set of SETS) {
      const bytes = await getBytes(new URL(`../vendor/${file}-${set}-${weight}-normal.woff2`, import.meta.url).href);
      rules.push(
        `@font-face { font-family: "${family}"; font-weight: 100 900; src: url(${dataUrl(bytes, "font/woff2")}); }`,
      );
    }
  }
  return rules.join("");
}

/** Open SVG text as a picture. */
async function pictureOf(text, width, height) {
  const url = URL.createObjectURL(new Blob([text], { type: "image/svg+xml" }));
  const image = new Image(width, height);
  try {
    image.src = url;
    await image.decode();
  } finally {
    URL.revokeObjectURL(url);
  }
  return image;
}

/**
 * Open fonts once, and wait until letters of them are seen: a picture of an SVG is given out before its fonts are there, without
 * its words. As long as this picture is kept, others have them at once.
 */
async function openFonts(families, rules) {
  const [width, height] = [CELL * families.length, CELL];
  const letters = families.map((family, at) => `<text x="${at * CELL}" y="${CELL - 4}" font-family="${family}" font-size="${CELL}">H</text>`);
  const image = await pictureOf(
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"><style>${rules}</style>${letters.join("")}</svg>`,
    width,
    height,
  );
  const canvas = Object.assign(document.createElement("canvas"), { width, height });
  const context = canvas.getContext("2d", { willReadFrequently: true });
  const isSeen = (at) => context.getImageData(at * CELL, 0, CELL, CELL).data.some(Boolean);
  for (let tries = 0; tries < MOST_TRIES; tries += 1) {
    context.drawImage(image, 0, 0, width, height);
    if (families.every((_, at) => isSeen(at))) break;
    await new Promise((done) => setTimeout(done, 10));
  }
  return image;
}

const CELL = 24; // pixels
const MOST_TRIES = 500;
const NONE = () => {};
const PREFIX = "stage-";
const NAMED = new RegExp(`(\\sid="|href="#|url\\(#|url\\(&quot;#)${PREFIX}`, "g");

/** A frame's drawing as one of several in a sheet: below those before it, its ids its own. Pure. */
function tileOf(text, { at, height }) {
  const own = text.replace(/<[^>]+>/g, (tag) => tag.replace(NAMED, `$1${PREFIX}${at}-`)); // words are left alone
  return own.replace("<svg", `<svg y="${at * height}"`);
}

/** A queue of pictures that a worker writes as files, in their order. */
class PictureFiles {
  #waiting = [];

  constructor(signal) {
    this.worker = new Worker(new URL("picture_worker.js", import.meta.url), { type: "module" });
    this.worker.onmessage = ({ data }) => this.#waiting.shift()(data);
    this.worker.onerror = () => this.#waiting.splice(0).forEach((done) => done(null));
    signal.addEventListener("abort", () => this.worker.terminate());
  }

  /** @returns {Promise<Blob>} */
  write(pixels, type, quality) {
    return new Promise((done, failed) => {
      this.#waiting.push((blob) => (blob ? done(blob) : failed(new Error("The picture could not be drawn."))));
      this.worker.postMessage({ pixels, type, quality }, [pixels.data.buffer]);
    });
  }
}

class ProofStage {
  /** @param {{ width: number, height: number, clear?: boolean, background?: string }} size @param {AbortSignal} signal */
  constructor({ width, height, clear = false, background = "#000000" }, signal) {
    this.width = width;
    this.height = height;
    this.clear = clear;
    this.background = background;
    this.signal = signal;
    this.rules = "";
    this.canvas = Object.assign(document.createElement("canvas"), { width, height });
    this.context = this.canvas.getContext("2d", { alpha: clear, willReadFrequently: true });
    this.files = new PictureFiles(signal);
    this.root = document.createElement("div");
    Object.assign(this.root.style, {
      position: "fixed",
      left: "-20000px",
      top: "0",
      width: `${width}px`,
      height: `${height}px`,
    });
    this.root.setAttribute("aria-hidden", "true");
    this.root.dataset.kind = project.status.space;
    if (project.status.space === "2d") this.root.append(document.createElementNS("http://www.w3.org/2000/svg", "svg")); // the drawing takes its place
    document.body.append(this.root);
    signal.addEventListener("abort", () => this.root.remove());
  }

  /** Load the scene and all that moves it. */
  async load() {
    this.stage = new StageView(this.root, { prefix: PREFIX, signal: this.signal });
    await this.stage.ready;
    if (this.space === "2d") {
      this.stage.view.replace(await getText(project.url("stage/drawing?whole=yes")));
      await this.#dressSvg();
    }
    this.motion = new Motion({
      looked: () => ({}),
      onTake: NONE,
      onPreview: NONE,
      onRestore: NONE,
      signal: this.signal,
    });
    await this.motion.load();
    this.stage.bind(this.motion);
    await this.stage.view.outlines?.settled;
    if (this.space === "3d") this.#dressRoom();
    if (this.clear) this.stage.view.background(false);
    return this;
  }

  get space() {
    return project.status.space;
  }

  get curves() {
    return this.motion.curves;
  }

  /** As the scene is: surfaces as they are written, through its own camera, without the floor that is worked on. */
  #dressRoom() {
    const { view } = this.stage;
    view.setDraft(false);
    Object.assign(view.canvas.style, { display: "block", width: "100%", height: "100%" }); // it draws nothing without a size
    view.floor.visible = false;
    view.lookThrough(true);
  }

  async #dressSvg() {
    const { svg } = this.stage.view;
    svg.setAttribute("width", this.width);
    svg.setAttribute("height", this.height);
    svg.setAttribute("xmlns", "http://www.w3.org/2000/svg");
    const families = familiesOf(svg);
    this.rules = await fontRules(families);
    if (families.length) this.fonts = await openFonts(families, this.rules);
  }

  /** A frame as SVG text, without the rules of its fonts. */
  #svgOf(frame) {
    this.stage.show(frame);
    const { svg, clocks } = this.stage.view;
    return new XMLSerializer().serializeToString(clocks.size ? stilled(svg) : svg);
  }

  /** A frame as an SVG file. */
  svgOf(frame) {
    return this.#svgOf(frame).replace(">", `><style>${this.rules}</style>`); // on the page itself such styles are forbidden
  }

  /**
   * Prepare frames that are drawn one after the other. A browser takes long to open a picture of an SVG, and longer the more it has
   * opened: one is opened for all of them.
   */
  async sheet(frames) {
    if (this.space === "3d") return { frames, image: null };
    const { width, height } = this;
    const tiles = frames.map((frame, at) => tileOf(this.#svgOf(frame), { at, height }));
    const size = `width="${width}" height="${height * frames.length}"`;
    const text = `<svg xmlns="http://www.w3.org/2000/svg" ${size}><style>${this.rules}</style>${tiles.join("")}</svg>`;
    const image = await pictureOf(text, width, height * frames.length);
    return { frames, image };
  }

  /** Draw a frame of a sheet into the canvas. */
  draw({ frames, image }, at) {
    const { context, width, height } = this;
    if (this.clear) context.clearRect(0, 0, width, height);
    else {
      context.fillStyle = this.background;
      context.fillRect(0, 0, width, height);
    }
    if (image) {
      context.drawImage(image, 0, at * height, width, height, 0, 0, width, height);
      return;
    }
    this.stage.show(frames[at]);
    this.stage.view.renderNow();
    context.drawImage(this.stage.view.canvas, 0, 0, width, height);
  }

  /** What is drawn now as a file; the next frame can be drawn meanwhile. */
  blob(type = this.clear ? "image/png" : "image/jpeg", quality = 0.93) {
    return this.files.write(this.context.getImageData(0, 0, this.width, this.height), type, quality);
  }
}

var proof_stage = /*#__PURE__*/Object.freeze({
  __proto__: null,
  ProofStage: ProofStage,
  tileOf: tileOf
});

// A proof: every frame of the stage is drawn and sent, some at a time, and the server makes a video of them.


const AT_ONCE = 8; // frames in one request
const AHEAD$1 = 3; // requests that are under way
const AT_WORK = 4; // frames that are written as files meanwhile
const BITS = 20;

/** A frame's own time as text: minutes, seconds and frames. Pure. */
function timecode(frame, [top, bottom]) {
  const perSecond = Math.max(1, Math.round(top / bottom));
  const pad = (number) => String(number).padStart(2, "0");
  const seconds = Math.floor(frame / perSecond);
  return `${pad(Math.floor(seconds / 60))}:${pad(seconds % 60)}:${pad(frame % perSecond)}`;
}

/** The bits of a frame's number, the highest first, as the strip's marks show them. Pure. */
const marksOf = (frame, bits = BITS) => Array.from({ length: bits }, (_, at) => (frame >> (bits - 1 - at)) & 1);

/** The frame of the stage that a frame of the video shows: earlier by as much as the screen is late. Pure. */
const shownAt = (frame, { ahead, frames }) => Math.min(Math.max(frame + ahead, 0), frames - 1);

/** Let the page do what it has to do. */
const breath = () => /** @type {any} */ (globalThis).scheduler?.yield?.() ?? new Promise((done) => setTimeout(done));

/** Frames one after the other as one body, each after its length. */
async function packed(blobs) {
  const parts = [];
  for (const blob of blobs) parts.push(new Uint32Array([blob.size]), blob);
  return new Blob(parts);
}

/** Burn the strip in: marks of the frame's number, its time, the project's name, and how high curves stand. */
function burn(stage, { frame, name }) {
  const { context, width, height } = stage;
  const tall = Math.max(18, Math.round(height / 22));
  context.fillStyle = "#000000";
  context.fillRect(0, height - tall, width, tall);
  const cell = Math.floor((width * 0.3) / BITS);
  marksOf(frame).forEach((bit, at) => {
    context.fillStyle = bit ? "#ffffff" : "#000000";
    context.fillRect(at * cell, height - tall, cell, tall);
  });
  context.font = `${Math.round(tall * 0.6)}px "Spline Sans Mono", monospace`;
  context.textBaseline = "middle";
  context.fillStyle = "#ffffff";
  const left = BITS * cell + tall / 2;
  context.fillText(`${timecode(frame, project.status.rate)}  ${frame}  ${name}`, left, height - tall / 2, width * 0.45);
  const curves = Object.values(stage.curves).filter(({ kind, values }) => kind === "number" && values.length > frame).slice(0, 16);
  curves.forEach(({ values }, at) => {
    let [low, high] = [Infinity, -Infinity];
    for (const value of values) [low, high] = [Math.min(low, value), Math.max(high, value)];
    const share = high > low ? (values[frame] - low) / (high - low) : 0;
    const x = width - (curves.length - at) * (tall / 2);
    context.fillRect(x, height - 2 - share * (tall - 4), tall / 3, share * (tall - 4));
  });
}

class Proof extends Component {
  #running = null;
  /** Hears of a proof that is made. */
  onOver = () => {};
  #status = "";
  #chosen = null;

  /** Take up what the server drew anew: what is under way goes on. @param {any} root @param {AbortSignal} signal */
  mount(root, signal) {
    this.place = root.querySelector("#proof");
    if (!this.place) return;
    const on = (selector, type, run) => this.place.querySelector(selector)?.addEventListener(type, run, { signal });
    on("#proof-form", "submit", (event) => (event.preventDefault(), this.begin(this.#asked())));
    on("#proof-form", "input", () => (this.#chosen = this.#asked()));
    if (this.#chosen) this.#choose(this.#chosen);
    on("#proof-stop", "click", () => this.#running?.abort());
    for (const button of this.place.querySelectorAll("[data-still]")) button.addEventListener("click", () => this.#still(button.dataset.still), { signal });
    this.place.addEventListener("htmx:afterSwap", () => this.#told(), { signal });
    this.#put(this.#status);
    this.#show();
  }

  /** The server says how far it is; once it is over, the checks may know more. */
  #told() {
    this.#status = this.#box.innerHTML;
    if (this.#box.querySelector("[data-proof-over]")) this.onOver();
  }

  get #box() {
    return this.place.querySelector("#proof-status");
  }

  /** Put in place what the server says of how far it is; that asks for itself again. */
  #put(text) {
    this.#status = text;
    this.#box.replaceChildren(...new DOMParser().parseFromString(text, "text/html").body.childNodes);
    /** @type {any} */ (window).htmx.process(this.#box);
  }

  /** Fill the form in: the server draws it anew, but what was chosen stays. */
  #choose({ strip, ...values }) {
    for (const [name, value] of Object.entries(values)) {
      const field = this.place.querySelector(`#proof-${name}`);
      field.value = value;
      if (field.selectedIndex === -1) field.selectedIndex = 0; // it is the project's rate now
    }
    this.place.querySelector("#proof-strip").checked = strip;
  }

  #asked() {
    const value = (name) => this.place.querySelector(`#proof-${name}`).value;
    return { kind: value("kind"), rate: value("rate"), width: value("width"), height: value("height"), strip: this.place.querySelector("#proof-strip").checked };
  }

  #say(words, share = null) {
    this.#status = "";
    const text = document.createElement("p");
    text.className = "text-12";
    text.textContent = share === null ? words : `${words}, ${Math.round(100 * share)} %`;
    this.#box.replaceChildren(text);
    if (share === null) this.#status = this.#box.innerHTML;
  }

  #show() {
    const [stop, begin] = ["#proof-stop", "#proof-begin"].map((id) => this.place.querySelector(id));
    stop.hidden = !this.#running;
    begin.disabled = Boolean(this.#running);
  }

  /** Draw all frames that are not there yet, and have the video made; what is stopped goes on from there. */
  async begin(asked) {
    if (this.#running) return;
    const stopping = (this.#running = new AbortController());
    const signal = AbortSignal.any([this.signal, stopping.signal]);
    this.#show();
    try {
      const order = await postJson(project.url("proof"), asked);
      const scope = new AbortController();
      try {
        await this.#drawAll(order, await new ProofStage(order, scope.signal).load(), signal);
      } finally {
        scope.abort();
      }
      if (signal.aborted) throw new DOMException("stopped", "AbortError");
      await this.#end(order);
    } catch (wrong) {
      if (this.signal.aborted) return;
      if (wrong.name === "AbortError") this.#say("Stopped. What is drawn stays: make it again to go on from there.");
      else this.#say(wrong.message);
    } finally {
      this.#running = null;
      if (!this.signal.aborted) this.#show();
    }
  }

  #query({ kind, rate, width, height, strip }, more = {}) {
    return new URLSearchParams({ kind, rate, width, height, strip: String(strip), ...more });
  }

  async #drawAll(order, stage, signal) {
    const sending = new Set();
    const shown = (first) => Array.from({ length: Math.min(AT_ONCE, order.frames - first) }, (_, at) => shownAt(first + at, order));
    const written = [];
    let next = stage.sheet(shown(order.drawn));
    for (let first = order.drawn; first < order.frames; first += AT_ONCE) {
      const sheet = await next;
      if (first + AT_ONCE < order.frames) next = stage.sheet(shown(first + AT_ONCE));
      next.catch(() => {}); // it is waited for in its turn
      const blobs = [];
      for (const at of sheet.frames.keys()) {
        stage.draw(sheet, at);
        if (order.strip) burn(stage, { frame: first + at, name: order.name });
        written.push(stage.blob());
        blobs.push(written.at(-1));
        if (written.length > AT_WORK) await written.shift();
        await breath(); // who wants to stop it is heard
        if (signal.aborted) return;
      }
      const sent = this.#send(order, { first, blobs, signal }).finally(() => sending.delete(sent));
      sent.catch(() => {}); // it is waited for below
      sending.add(sent);
      if (sending.size >= AHEAD$1) await Promise.race(sending);
      this.#say(`Drawing frame ${first} of ${order.frames}`, first / order.frames);
    }
    await Promise.all(sending);
  }

  async #send(order, { first, blobs, signal }) {
    const body = await packed(await Promise.all(blobs));
    const url = project.url(`proof/${order.id}/frames?${this.#query(order, { first: String(first) })}`);
    await upload(url, body, { onShare: () => {}, name: "A frame", signal });
  }

  async #end(order) {
    const text = await postHtml(project.url(`proof/${order.id}/end?${this.#query(order)}`));
    this.#put(text);
  }

  /** Give the frame at the playhead as a picture. */
  async #still(type) {
    const scope = new AbortController();
    try {
      const { width, height } = this.#asked();
      const order = await postJson(project.url("proof"), { kind: "png", width, height });
      const stage = await new ProofStage({ ...order, clear: false }, scope.signal).load();
      const frame = transport.frame;
      let blob = new Blob([stage.space === "2d" ? stage.svgOf(frame) : ""], { type: "image/svg+xml" });
      if (type === "png") {
        stage.draw(await stage.sheet([frame]), 0);
        blob = await stage.blob("image/png");
      }
      const link = Object.assign(document.createElement("a"), { href: URL.createObjectURL(blob), download: `${order.name} ${frame}.${type}` });
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
    } catch (wrong) {
      notice(wrong.message);
    } finally {
      scope.abort();
    }
  }
}

var proof = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Proof: Proof,
  marksOf: marksOf,
  shownAt: shownAt,
  timecode: timecode
});

// Hand-off: curves and their state, keys over the dense curve, checks, and writing.


class Handoff extends Component {
  large = null;
  #wave = new RibbonWave();
  #written = {}; // what was written since the last bake, by format

  /** @param {any} room @param {AbortSignal} signal */
  constructor(room, signal) {
    super(room, signal);
    const root = this.find("#parts");
    this.axis = new Axis(project.status.frames);
    this.parts = new Parts(root, this.signal, { looked: () => this.#looked(), mount: (scope) => this.#mount(scope), drawn: () => this.load() });
    new Bound(root, this.signal);
    this.profile = new Profile(this.root, this.signal);
    this.proof = new Proof(this.root, this.signal);
    this.proof.onOver = () => this.parts.renew();
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(root, "change", ({ target }) => target.dataset.goesIn && this.#sayParts());
    this.on(root, "change", ({ target }) => "limitOfCheck" in target.dataset && this.parts.renew());
    this.on(root, "keydown", ({ key, target }) => key === "Enter" && "limitOfCheck" in target.dataset && target.blur());
    this.on(root, "submit", (event) => event.preventDefault());
    this.on(root, "htmx:configRequest", ({ detail }) => (detail.elt.id.startsWith("write-") || detail.elt.id === "batch") && this.#asks(detail));
    this.on(root, "htmx:beforeRequest", ({ detail }) => detail.target.id.startsWith("written-") && this.#awaits(detail.target));
    this.on(root, "htmx:afterRequest", ({ detail }) => delete detail.target.dataset.awaits);
    this.on(root, "htmx:beforeSwap", ({ detail }) => this.#answered(detail));
    this.on(root, "htmx:afterSwap", ({ target }) => this.#wrote(target));
    this.on(this.axis, "view", () => this.#redraw());
    this.on(transport, "frame", () => this.#drawFrame());
    this.on(transport, "selection", () => this.#redraw());
    this.on(rhythm, "rhythm", () => this.#redraw());
    this.on(project, "revised baked", () => this.#changed());
    this.on(project, "refused", () => this.parts.renew());
    selection.watch(["curve"], () => this.parts.renew(), this.signal);
    this.onResize(() => this.#redraw());
    document.fonts.ready.then(() => this.#redraw());
    this.#open();
    this.#onAddress();
  }

  /** An address that asks for a proof has it made at once: so does the command line. */
  #onAddress() {
    const [what, query] = window.location.hash.slice(1).split("?");
    if (what !== "proof") return;
    const asked = Object.fromEntries(new URLSearchParams(query));
    this.proof.begin({ ...asked, strip: asked.strip === "yes" });
  }

  /** Which curve is looked at, and what the checks go by. */
  #looked() {
    const limits = this.all("[data-limit-of-check]").map(({ name, value }) => [name, value]);
    return { target: selection.get("curve") ?? "", below: selection.get("below"), ...Object.fromEntries(limits) };
  }

  /** Draw what came with the page; where another curve is selected than the page shows, that. */
  #open() {
    const { curve } = selection.all;
    this.parts.mount();
    if (curve && curve !== selection.get("curve") && this.find(`[data-curve="${CSS.escape(curve)}"]`)) selection.set({ curve });
    else this.load();
  }

  #mount(signal) {
    this.proof.mount(this.root, signal);
    this.profile.mount(this.root, signal);
    this.on(this.find("#measure-flashing") ?? new EventTarget(), "click", () => this.proof.begin({ kind: "flashing", strip: false }));
    selection.correct({ curve: this.find("[data-curve][aria-current]")?.dataset.curve ?? null });
    this.#showWritten();
    for (const button of this.all("[data-below]")) this.on(button, "click", () => this.#showBelow(button.dataset.below));
    this.#showBelow(selection.get("below"));
    const before = this.large;
    this.large = new LargeCurve(this.root, signal, this.axis);
    if (before?.canvas && before.canvas.dataset.target === this.large.canvas?.dataset.target) this.large.goOn(before);
    const ribbon = this.find("#ribbon");
    if (!ribbon) return;
    mountRibbon(ribbon, { axis: this.axis, signal, hits: true });
    for (const plot of [ribbon, this.find("#keys-plot")]) mountWheel(plot, { axis: this.axis, plot: () => plot, signal });
  }

  /** Show again what was written, where the room is drawn anew. */
  #showWritten() {
    for (const [id, html] of Object.entries(this.#written)) {
      const place = this.find(`#${id}`); // a format that carries no such stage is not offered any more
      if (!place || "awaits" in place.dataset) continue;
      place.innerHTML = html;
      /** @type {any} */ (window).htmx.process(place); // long work asks how far it is
    }
  }

  /** Show what is to be looked over below the curve, or what is written. */
  #showBelow(name) {
    selection.set({ below: name });
    for (const button of this.all("[data-below]")) button.setAttribute("aria-pressed", String(button.dataset.below === name));
    for (const place of this.all("[data-shown]")) place.hidden = place.dataset.shown !== name;
    for (const plot of this.all("#keys-plot, #ribbon")) forgetSize(plot); // what was hidden had none
    this.#redraw();
  }

  async load() {
    const track = this.find("#ribbon")?.dataset.track;
    await Promise.all([this.large.load(), track && rhythm.load(track), this.#wave.load(track)]);
    this.#drawAll();
  }

  #pressed(button) {
    if (button?.dataset.showFrame) transport.seek(Number(button.dataset.showFrame));
    if (button?.dataset.curve) this.#showBelow("look"); // who chooses a curve wants to see it
  }

  #sayParts() {
    const boxes = this.all("[data-goes-in]");
    const going = boxes.filter((box) => box.checked).length;
    const words = this.find("#parts-words");
    if (words) words.textContent = going === boxes.length ? `All ${going} moving parts go in` : `${going} of ${boxes.length} moving parts go in`;
  }

  /** The options of writing: what is not checked is said too, and parts are named only where not all go in. */
  #asks({ parameters }) {
    for (const box of this.all("[data-option]")) parameters[box.dataset.option] = String(box.checked);
    if (this.all("[data-goes-in]").every((box) => box.checked)) delete parameters.part;
  }

  /** Where an answer comes stays, whatever is drawn anew about it meanwhile. */
  #awaits(place) {
    place.textContent = "Baking what is stale, writing and reading back";
    place.dataset.awaits = "";
  }

  #answered(detail) {
    if (!detail.target.id.startsWith("written-") || detail.xhr.status !== 202) return;
    detail.shouldSwap = false;
    detail.target.textContent = "The sound is still being read. Write again when it is.";
  }

  /** What was written goes with what it was written of. */
  #changed() {
    this.#written = {};
    this.parts.renew();
  }

  /** The download follows by itself; what was stale is baked now. */
  async #wrote(place) {
    if (!place.id.startsWith("written-")) return;
    delete place.dataset.awaits;
    this.#written[place.id] = place.innerHTML;
    place.querySelector("a[download]")?.click();
    if (project.status.stale) {
      await project.lookAgain({ always: true });
      await this.parts.renew();
    }
    this.find(`#${place.id}`)?.scrollIntoView({ block: "nearest" });
  }

  zoom(by) {
    this.axis.zoom(by);
  }

  #redraw() {
    requestAnimationFrame(() => !this.signal.aborted && this.#drawAll());
  }

  #drawAll() {
    const ribbon = this.find("#ribbon");
    if (!ribbon) return;
    this.large.draw();
    drawRibbon(ribbon, { wave: this.#wave.wave, axis: this.axis, hits: true });
    this.#drawFrame();
  }

  #drawFrame() {
    const [head, canvas] = [this.find("#playhead"), this.find("#keys-plot")];
    if (!head || !canvas) return;
    const { width } = canvas.getBoundingClientRect();
    const x = xOf(transport.frame + 0.5, { ...this.axis.view, width });
    head.hidden = x < 0 || x > width;
    head.style.transform = `translateX(${x}px)`;
  }
}

var handoff = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Handoff: Handoff
});

// Files that are dropped or chosen, sent with progress, and what went wrong said beside the place.


function mountDrop(zone, { input, words, work, onFile, signal }) {
  const first = words.textContent;
  const take = async (files) => {
    const [file] = files;
    if (!file) return;
    words.classList.remove("wrong");
    words.textContent = `Taking in ${file.name}`;
    work.hidden = false;
    const share = (done) => {
      work.firstElementChild.style.width = `${done * 100}%`;
      if (done === 1) words.textContent = `Reading ${file.name}`;
    };
    try {
      await onFile(file, share, [...files]);
      words.textContent = first;
    } catch (wrong) {
      words.classList.add("wrong");
      words.textContent = `${file.name}: ${wrong.message}`;
    } finally {
      work.hidden = true;
      input.value = "";
    }
  };
  let depth = 0;
  const over = (state) => (zone.dataset.over = String(state));
  zone.addEventListener("dragenter", (event) => (event.preventDefault(), (depth += 1), over(true)), { signal });
  zone.addEventListener("dragover", (event) => event.preventDefault(), { signal });
  zone.addEventListener("dragleave", () => over((depth -= 1) > 0), { signal });
  zone.addEventListener(
    "drop",
    (event) => {
      depth = 0;
      over(false);
      if (event.defaultPrevented) return; // it goes elsewhere
      event.preventDefault();
      take(event.dataTransfer.files);
    },
    { signal },
  );
  input.addEventListener("change", () => take(input.files), { signal });
}

/** Send a file to an address, its name beside it. */
const send$1 = (url, file, onShare) => upload(`${url}?name=${encodeURIComponent(file.name)}`, file, { onShare });

var drop = /*#__PURE__*/Object.freeze({
  __proto__: null,
  mountDrop: mountDrop,
  send: send$1
});

// The projects page.


/** Whether files begin a project by their scene: an SVG, a glTF file with what it needs, or a picture. Pure. */
const isScene = (files) => files.some(({ name }) => /\.(svgz?|gltf|glb|png|jpe?g|webp)$/i.test(name));

const isSound = ({ type, name }) => /^(audio|video)\//.test(type) || /\.(wav|aiff?|flac|ogg|opus|mp3|m4a|aac|mka?|mp4|mov|webm)$/i.test(name);

/** Bring sounds that came with a scene into its project, one after the other; gives where to go then. */
async function withSounds(url, sounds, share) {
  if (!sounds.length) return url;
  const project = url.slice(0, url.lastIndexOf("/"));
  for (const sound of sounds) await send$1(`${project}/tracks`, sound, share);
  return `${project}/bench`;
}

const isProjectFile = (file) => file.name.toLowerCase().endsWith(".ferntide");

function mountProjects(room, signal) {
  const find = (id) => byId(id);
  const onFile = async (file, share, files) => {
    if (isScene(files)) {
      const { url } = await postForm("/projects/scene", files.filter((one) => !isSound(one)), { onShare: share, signal });
      window.location.href = await withSounds(url, files.filter(isSound), share);
      return;
    }
    const made = await send$1(isProjectFile(file) ? "/projects/import" : "/projects", file, share);
    window.location.href = made.url;
  };
  mountDrop(find("drop"), { input: find("file"), words: find("drop-words"), work: find("drop-work"), onFile, signal });
  const projectFile = find("project-file");
  projectFile.addEventListener(
    "change",
    () => {
      const files = new DataTransfer();
      files.items.add(projectFile.files[0]);
      find("file").files = files.files;
      find("file").dispatchEvent(new Event("change"));
    },
    { signal },
  );
  find("choose").addEventListener("click", () => find("file").click(), { signal });
  find("open-file").addEventListener("click", () => projectFile.click(), { signal });
  find("open-demo").addEventListener(
    "click",
    async (event) => {
      event.target.disabled = true;
      event.target.textContent = "Making the demo";
      const made = await telling(() => postJson("/projects/demo"));
      if (made) window.location.href = made.url;
      event.target.disabled = false;
      event.target.textContent = "Open the demo";
    },
    { signal },
  );
  room.addEventListener("click", (event) => remove(event.target.closest("[data-delete]")), { signal });
}

async function remove(button) {
  if (!button) return;
  const key = button.dataset.delete;
  const gone = await telling(() => postJson(`/p/${key}/delete`));
  if (!gone) return;
  const card = button.closest("li");
  card.hidden = true;
  const back = async () => {
    if (await telling(() => postJson(`/p/${key}/put-back`))) card.hidden = false;
  };
  notice(`${gone.name} was deleted.`, { tone: "good", act: { words: "Put it back", run: back } });
}

var projects = /*#__PURE__*/Object.freeze({
  __proto__: null,
  isScene: isScene,
  mountProjects: mountProjects
});

// What was performed and is not stored yet: sent one after the other; what cannot be sent stays and is offered again. The browser
// remembers it meanwhile, with the round that goes on: where the page is killed, it is offered when the project is opened again.


const EVERY_MS$1 = 1500;
const ALIVE_MS$1 = 4000; // a page that remembered something since lives
const MOST_POINTS$1 = 50_000; // of a round that is remembered: a browser remembers no more than a few MB
const nameOf = (key) => `ft:round:${key}`;

/** Those of a page that was killed, until somebody says what becomes of them. */
let waiting$1 = [];

function remembered() {
  try {
    return JSON.parse(localStorage.getItem(nameOf(project.key)) ?? "null") ?? { at: 0, rounds: [] };
  } catch {
    return { at: 0, rounds: [] };
  }
}

function remember(rounds) {
  const all = [...waiting$1, ...rounds];
  try {
    if (all.length) localStorage.setItem(nameOf(project.key), JSON.stringify({ at: Date.now(), rounds: all }));
    else localStorage.removeItem(nameOf(project.key));
  } catch {
    // there is no room: it is stored all the same when the round ends
  }
}

/** What is to be remembered of rounds: those that are not too long for it. Pure. */
const memorable = (rounds) => rounds.filter(({ plain }) => plain && plain.times_s.length <= MOST_POINTS$1);

/** Offer the rounds that a page which was killed could not send; what another page performs now is its own. */
function offerRounds({ again = true } = {}) {
  const { at, rounds } = remembered();
  if (!rounds.length) return;
  if (Date.now() - at < ALIVE_MS$1) return void (again && setTimeout(() => offerRounds({ again: false }), ALIVE_MS$1));
  waiting$1 = rounds;
  const outbox = new Outbox({ query: () => "", onStored: () => {}, going: () => null, signal: new AbortController().signal });
  const store = () => {
    waiting$1 = [];
    for (const { plain, query } of rounds) outbox.take(plain, query);
  };
  const forget = () => {
    waiting$1 = [];
    remember([]);
  };
  const words = rounds.length === 1 ? "What was performed last was not stored: the page ended." : `${rounds.length} rounds that were performed were not stored: the page ended.`;
  notice(words, { act: { words: "Store it now", run: store }, other: { words: "Forget it", run: forget } });
}

class Outbox {
  #unsent = [];
  #sending = Promise.resolve();
  #remembers = false;

  /** @param {{ query: () => any, onStored: (status: any) => any, going: () => any, signal: AbortSignal }} how query() says where takes go; onStored hears of each; going() gives the round that goes on, or null */
  constructor({ query, onStored, going, signal }) {
    this.query = query;
    this.onStored = onStored;
    this.going = going;
    const timer = setInterval(() => this.#remember(), EVERY_MS$1);
    signal.addEventListener("abort", () => clearInterval(timer));
  }

  /** Remember what is not stored; once all is stored, nothing. */
  #remember() {
    const going = this.going();
    const rounds = memorable([...this.#unsent, ...(going ? [{ plain: going, query: String(this.query()) }] : [])]);
    if (rounds.length || this.#remembers) remember(rounds.map(({ plain, query }) => ({ plain, query })));
    this.#remembers = rounds.length > 0;
  }

  /** Send a take. */
  take(plain, query = String(this.query())) {
    this.#add({ plain, query, send: () => postJson(project.url(`takes?${query}`), plain) });
  }

  /** Send a recorded sound, which becomes a track; done() hears that it is stored. */
  sound(blob, address, done = () => {}) {
    this.#add({ send: () => upload(project.url(address), blob, { onShare: () => {} }), done });
  }

  #add(one) {
    this.#unsent.push(one);
    this.#remembers = true;
    this.#go();
  }

  #go() {
    this.#sending = this.#sending.then(async () => {
      while (this.#unsent.length) {
        try {
          const status = await project.bring(this.#unsent[0].send);
          this.#unsent.shift().done?.();
          this.onStored(status);
          await project.came(status);
        } catch (wrong) {
          if (wrong.status === 422) this.#unsent.shift(); // it would be refused again
          notice(wrong.message, wrong.status === 422 ? {} : { act: { words: "Send it again", run: () => this.#go() } });
          return;
        } finally {
          this.#remember();
        }
      }
    });
  }

  /** The page goes: takes are sent without waiting. */
  leave() {
    const last = this.going();
    const rounds = [...this.#unsent, ...(last ? [{ plain: last, query: String(this.query()) }] : [])];
    this.#unsent = [];
    for (const { plain, query } of rounds) if (plain) postLast(project.url(`takes?${query}`), plain);
    if (this.#remembers) remember([]);
  }
}

var outbox = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Outbox: Outbox,
  memorable: memorable,
  offerRounds: offerRounds
});

// Samples as a WAV file: 32-bit float, as they were heard.

/** The bytes of a WAV file of channels of equal length. Pure. */
function wavOf(channels, rate) {
  const [count, length] = [channels.length, channels[0].length];
  const bytes = 4 * count * length;
  const view = new DataView(new ArrayBuffer(58 + bytes));
  const text = (at, words) => [...words].forEach((letter, index) => view.setUint8(at + index, letter.charCodeAt(0)));
  text(0, "RIFF");
  view.setUint32(4, 50 + bytes, true);
  text(8, "WAVEfmt ");
  view.setUint32(16, 18, true);
  view.setUint16(20, 3, true); // IEEE float
  view.setUint16(22, count, true);
  view.setUint32(24, rate, true);
  view.setUint32(28, 4 * count * rate, true);
  view.setUint16(32, 4 * count, true);
  view.setUint16(34, 32, true);
  text(38, "fact");
  view.setUint32(42, 4, true);
  view.setUint32(46, length, true);
  text(50, "data");
  view.setUint32(54, bytes, true);
  for (let at = 0; at < length; at += 1) for (let channel = 0; channel < count; channel += 1) view.setFloat32(58 + 4 * (at * count + channel), channels[channel][at], true);
  return new Uint8Array(view.buffer);
}

/** Blocks of channels put together; a channel that is missing in a block is like the first. Pure. */
function joined(blocks) {
  const count = Math.max(1, ...blocks.map((block) => block.length));
  const length = blocks.reduce((sum, block) => sum + block[0].length, 0);
  return Array.from({ length: count }, (_, channel) => {
    const all = new Float32Array(length);
    let at = 0;
    for (const block of blocks) {
      all.set(block[channel] ?? block[0], at);
      at += block[0].length;
    }
    return all;
  });
}

/** When clicks set in, in seconds of some samples: louder than a third of the loudest, no two within a fifth of a second. Pure. */
function clicksIn(samples, rate) {
  const loudest = samples.reduce((most, value) => Math.max(most, Math.abs(value)), 0);
  const times = [];
  let last = -rate;
  for (let at = 0; at < samples.length && loudest > 0.003; at += 1) {
    if (Math.abs(samples[at]) < loudest / 3) continue;
    if (at - last > 0.2 * rate) times.push(at / rate);
    last = at;
  }
  return times;
}

var wav = /*#__PURE__*/Object.freeze({
  __proto__: null,
  clicksIn: clicksIn,
  joined: joined,
  wavOf: wavOf
});

// Sound that is being recorded, remembered by the browser piece by piece: where the page is killed, it is offered when the
// project is opened again.


const EVERY_MS = 1500;
const ALIVE_MS = 4000; // a page that remembered something since lives
const [RECORDINGS, PIECES] = ["recordings", "pieces"];

/** The answer of a request to the browser's database. */
const answered = (request) =>
  new Promise((done, wrong) => {
    request.onsuccess = () => done(request.result);
    request.onerror = () => wrong(request.error);
  });

async function stores(mode) {
  const opening = indexedDB.open("fern-tide", 1);
  opening.onupgradeneeded = () => {
    opening.result.createObjectStore(RECORDINGS, { keyPath: "id" });
    opening.result.createObjectStore(PIECES, { autoIncrement: true }).createIndex("of", "of");
  };
  const database = await answered(opening);
  const transaction = database.transaction([RECORDINGS, PIECES], mode);
  transaction.oncomplete = () => database.close();
  return [transaction.objectStore(RECORDINGS), transaction.objectStore(PIECES)];
}

/** Forget a recording. */
async function forget(id) {
  const [recordings, pieces] = await stores("readwrite");
  recordings.delete(id);
  for (const key of await answered(pieces.index("of").getAllKeys(id))) pieces.delete(key);
}

/** A recording that goes on. */
class SoundMemory {
  #id = crypto.randomUUID();
  #count = 0;

  /** @param {{ since: (count: number) => any, about: () => any }} how since(count) gives the blocks after so many and when the first was heard, or null; about() what else is to be known */
  constructor({ since, about }) {
    this.since = since;
    this.about = about;
    this.timer = setInterval(() => this.#remember().catch(() => this.stop()), EVERY_MS); // a browser without room: it is stored when it ends
  }

  async #remember() {
    const heard = this.since(this.#count);
    if (!heard) return;
    this.#count += heard.blocks.length;
    const [recordings, pieces] = await stores("readwrite");
    recordings.put({ id: this.#id, project: project.key, at: Date.now(), begin: heard.begin, ...this.about() });
    pieces.add({ of: this.#id, channels: joined(heard.blocks) });
  }

  stop() {
    clearInterval(this.timer);
  }

  /** It is stored. */
  async forget() {
    this.stop();
    await forget(this.#id).catch(() => {});
  }
}

/** What recordings the project had that no page goes on with. */
async function left() {
  const [recordings] = await stores("readonly");
  const all = await answered(recordings.getAll());
  return all.filter((one) => one.project === project.key);
}

/** Send a recording; it is forgotten when it is stored. */
async function send({ id, begin, ms, rate, number }, outbox) {
  const [, pieces] = await stores("readonly");
  const blocks = (await answered(pieces.index("of").getAll(id))).map(({ channels }) => channels);
  if (!blocks.length) return forget(id);
  const blob = new Blob([wavOf(joined(blocks), rate)], { type: "audio/wav" });
  outbox.sound(blob, addressOf$1({ begin, ms, number }), () => forget(id));
}

/** The address that takes a recording: its name, and where it lies. Pure. */
const addressOf$1 = ({ begin, ms, number }) => `tracks?name=Recording ${number}.wav&at_s=${begin - ms / 1000}`;

/** Offer the recordings that a page which was killed could not store. */
async function offerSounds({ again = true } = {}) {
  const sounds = await left().catch(() => []);
  if (!sounds.length) return;
  if (sounds.some(({ at }) => Date.now() - at < ALIVE_MS)) return void (again && setTimeout(() => offerSounds({ again: false }), ALIVE_MS));
  const outbox = new Outbox({ query: () => "", onStored: () => {}, going: () => null, signal: new AbortController().signal });
  const store = () => sounds.forEach((sound) => send(sound, outbox));
  const drop = () => sounds.forEach(({ id }) => forget(id));
  const words = sounds.length === 1 ? "What was recorded last was not stored: the page ended." : `${sounds.length} recordings were not stored: the page ended.`;
  notice(words, { act: { words: "Store it now", run: store }, other: { words: "Forget it", run: drop } });
}

var sound_memory = /*#__PURE__*/Object.freeze({
  __proto__: null,
  SoundMemory: SoundMemory,
  addressOf: addressOf$1,
  offerSounds: offerSounds
});

// The spectrogram with the bands that are read from it, the pitches beside it, and the spectrum at the playhead.
// Geometry is pure and exported for tests. Levels come from Python as bytes: 0 is -100 dB and below, 255 is 0 dB.


const LOW_HZ = 25;
const HIGH_HZ = 20000;
const ROWS = 128;
const EDGE_PX = 5;
const TILE = 1024;
const TILES = 48;
const SHOWN_STEPS = 150; // what is this much below the loudest is paper: 59 dB
const OCTAVES = Math.log2(HIGH_HZ / LOW_HZ);

/** The pixel row of a frequency, from the top. Pure. */
const rowOf = (hz, height) => height * (1 - Math.log2(Math.max(hz, 1) / LOW_HZ) / OCTAVES);

/** The frequency at a pixel row: the inverse of rowOf. Pure. */
const hzAt = (y, height) => LOW_HZ * 2 ** (OCTAVES * (1 - y / height));

/** A frequency to as many figures as people use: 41, 180, 1240, 11300. Pure. */
function tidyHz(hz) {
  const digits = 10 ** Math.max(0, Math.floor(Math.log10(Math.max(hz, 1))) - 2);
  return Math.max(1, Math.round(hz / digits) * digits);
}

/** A band in words: '40-180 Hz', '3-11 kHz'. Pure. */
function bandWords(low, high) {
  const number = (hz, by) => String(Math.round((hz / by) * 10) / 10);
  return low >= 1000 ? `${number(low, 1000)}-${number(high, 1000)} kHz` : `${Math.round(low)}-${high >= 1000 ? `${number(high, 1000)}k` : Math.round(high)} Hz`;
}

/** What a press at y takes hold of: an edge of a band (the chosen one first), the inside of the chosen one, or nothing. Pure. */
function heldBand(y, bands, chosen, height) {
  const order = [...bands].sort((a, b) => Number(b.id === chosen) - Number(a.id === chosen));
  for (const band of order) {
    if (Math.abs(rowOf(band.high, height) - y) <= EDGE_PX) return { band, part: "high" };
    if (Math.abs(rowOf(band.low, height) - y) <= EDGE_PX) return { band, part: "low" };
  }
  const inside = order.find((band) => band.id === chosen && y > rowOf(band.high, height) && y < rowOf(band.low, height));
  return inside ? { band: inside, part: "all" } : null;
}

/** A band after its edge, or all of it, was dragged from one row to another. Pure. */
function draggedBand({ low, high }, part, { from, to, height }) {
  const by = hzAt(to, height) / hzAt(from, height);
  const least = 2 ** (1 / 12);
  if (part === "all") {
    const held = Math.min(HIGH_HZ / high, Math.max(LOW_HZ / low, by));
    return { low: tidyHz(low * held), high: tidyHz(high * held) };
  }
  const edge = tidyHz(Math.min(HIGH_HZ, Math.max(20, hzAt(to, height))));
  if (part === "low") return { low: Math.min(edge, tidyHz(high / least) - 1), high };
  return { low, high: Math.max(edge, tidyHz(low * least) + 1) };
}

/** The colour of every level, from paper to deep tide, below a loudest level. Pure but for the colours. */
function palette(top, ink) {
  const stops = [ink.sheet, ink["tide-wash"], ink.tide, ink["tide-ink"]].map((hex) => [1, 3, 5].map((at) => parseInt(hex.slice(at, at + 2), 16)));
  const table = new Uint32Array(256);
  for (let level = 0; level < 256; level += 1) {
    const share = Math.min(1, Math.max(0, (level - top + SHOWN_STEPS) / SHOWN_STEPS)) ** 1.5 * 3;
    const at = Math.min(2, Math.floor(share));
    const [r, g, b] = stops[at].map((value, part) => Math.round(value + (stops[at + 1][part] - value) * (share - at)));
    table[level] = (255 << 24) | (b << 16) | (g << 8) | r;
  }
  return table;
}

class Spectrogram {
  constructor({ axis, onDrawn }) {
    this.axis = axis;
    this.onDrawn = onDrawn;
    this.track = null;
    this.tilt = 0;
    this.picture = null;
    this.mean = null;
    this.tiles = new Map();
    this.fetch = latest(() => this.#fetch());
  }

  /** Show a track; what is drawn of another is forgotten. */
  show(track) {
    if (this.track === track) return;
    this.track = track;
    this.forget();
  }

  forget() {
    this.picture = null;
    this.mean = null;
    this.top = null;
    this.tiles.clear();
  }

  url(path) {
    return project.url(`tracks/${this.track}/${path}`);
  }

  /** Take in the picture and the average that came with the room. */
  take({ head, arrays }) {
    this.mean = { average: arrays[head.average], tilt: arrays[head.tilt] };
    this.width = head.columns;
    this.#paint(arrays[head.picture], head.columns, { from: head.view[0], to: head.view[1] });
  }

  /** Fetch anew for the view as it is, at a width; with a new tilt the average as well. */
  async load(width, getPack) {
    this.width = Math.ceil(width);
    const { track, tilt } = this;
    const [pack] = await Promise.all([this.mean ? null : getPack(this.url(`average?tilt=${this.tilt}`)), this.fetch()]);
    if (pack && track === this.track && tilt === this.tilt) this.mean = { average: pack.arrays[pack.head.average], tilt: pack.arrays[pack.head.tilt] };
  }

  async #fetch() {
    const { track, tilt, width } = this;
    const view = { ...this.axis.view };
    if (!track || !width) return;
    const columns = Math.min(width, 2000);
    const levels = await getBytes(this.url(`spectrogram?from=${view.from}&to=${view.to}&columns=${columns}&tilt=${tilt}`));
    if (track !== this.track) return;
    this.#paint(levels, columns, view);
    this.onDrawn();
  }

  #paint(levels, columns, view) {
    this.top ??= loudest(levels);
    const image = new ImageData(columns, ROWS);
    const pixels = new Uint32Array(image.data.buffer);
    const table = palette(this.top, colours());
    for (let row = 0; row < ROWS; row += 1) {
      const to = (ROWS - 1 - row) * columns;
      for (let x = 0; x < columns; x += 1) pixels[to + x] = table[levels[row * columns + x]];
    }
    const bitmap = new OffscreenCanvas(columns, ROWS);
    bitmap.getContext("2d").putImageData(image, 0, 0);
    this.picture = { bitmap, view };
  }

  /** Draw what there is over the view as it is now, stretched until the new one comes. */
  draw(canvas) {
    const { context, width, height } = pen(canvas);
    if (!this.picture) return;
    const { bitmap, view } = this.picture;
    const now = { ...this.axis.view, width };
    const [left, right] = [xOf(view.from, now), xOf(view.to, now)];
    context.imageSmoothingEnabled = bitmap.width > width;
    context.drawImage(bitmap, left, 0, right - left, height);
  }

  /** The levels of a frame, or null until their tile is there. */
  spectrum(frame) {
    const first = Math.floor(frame / TILE) * TILE;
    const tile = this.#tile(first);
    if (transport.playing) this.#tile(first + TILE);
    if (!tile) return null;
    const at = (frame - first) * ROWS;
    return at + ROWS <= tile.length ? tile.subarray(at, at + ROWS) : null;
  }

  #tile(first) {
    if (!this.track || first >= project.status.frames) return null;
    if (!this.tiles.has(first)) {
      this.tiles.set(first, null);
      if (this.tiles.size > TILES) this.tiles.delete(this.tiles.keys().next().value);
      const { tiles } = this;
      getBytes(this.url(`spectra?from=${first}&to=${first + TILE}`)).then(
        (levels) => tiles.set(first, levels) && this.onDrawn(),
        () => tiles.delete(first),
      );
    }
    return this.tiles.get(first);
  }

  /** Draw the spectrum at a frame in front of the average; bands' edges run across. */
  drawSpectrum(canvas, { frame, bands }) {
    const { context, width, height } = pen(canvas);
    const ink = colours();
    const top = (this.top ?? 200) + 12;
    const x = (level) => Math.max(0, Math.min(1, (level - top + SHOWN_STEPS + 12) / (SHOWN_STEPS + 12))) * (width - 8);
    const trace = (levels, tilt) => {
      context.beginPath();
      context.moveTo(0, height);
      for (let row = 0; row < ROWS; row += 1) context.lineTo(x(levels[row] ? levels[row] + (tilt?.[row] ?? 0) : 0), height * (1 - (row + 0.5) / ROWS));
      context.lineTo(0, 0);
    };
    if (this.mean) {
      context.fillStyle = ink["tide-wash"];
      trace(this.mean.average, this.mean.tilt);
      context.fill();
    }
    context.setLineDash([1.5, 3]);
    context.strokeStyle = ink["ink-2"];
    for (const hz of bands.flatMap(({ low, high }) => [low, high])) {
      const y = rowOf(hz, height);
      context.beginPath();
      context.moveTo(0, y);
      context.lineTo(width, y);
      context.stroke();
    }
    context.setLineDash([]);
    const now = this.spectrum(frame);
    if (!now) return;
    context.strokeStyle = ink.tide;
    context.lineWidth = 1.6;
    context.lineJoin = "round";
    trace(now, this.mean?.tilt);
    context.stroke();
  }
}

/** The level that only one in two hundred is above. Pure. */
function loudest(levels) {
  const counts = new Uint32Array(256);
  for (const level of levels) counts[level] += 1;
  let left = levels.length / 200;
  let top = 255;
  while (top > SHOWN_STEPS && (left -= counts[top]) > 0) top -= 1;
  return top;
}

function drawPitches(canvas) {
  const { context, height } = pen(canvas);
  const ink = colours();
  context.font = mono();
  context.fillStyle = ink["ink-2"];
  for (const [hz, words] of [[40, "40"], [80, "80"], [150, "150"], [300, "300"], [600, "600"], [1200, "1.2k"], [2500, "2.5k"], [5000, "5k"], [10000, "10k"], [16000, "16k"]]) {
    context.fillText(words, 6, rowOf(hz, height) + em(4));
  }
}

/** Draw the boxes of bands; the chosen one firm. */
function drawBands(canvas, { bands, chosen }) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  context.font = sans(600);
  const taken = [];
  for (const band of [...bands].sort((a, b) => Number(b.id === chosen) - Number(a.id === chosen))) {
    const [top, bottom] = [rowOf(band.high, height), rowOf(band.low, height)];
    context.strokeStyle = ink["tide-ink"];
    context.lineWidth = band.id === chosen ? 2 : 1;
    context.strokeRect(context.lineWidth / 2, Math.round(top) + 0.5, width - context.lineWidth, Math.max(1, Math.round(bottom - top)));
    const words = `${band.name}  ${bandWords(band.low, band.high)}`;
    const wide = context.measureText(words).width + 14;
    let left = 6;
    const y = Math.min(height - em(20), Math.max(2, top + 3));
    const beside = ({ y: there }) => Math.abs(there - y) < em(19);
    while (taken.some((other) => beside(other) && left < other.right)) left = Math.max(...taken.filter(beside).map((other) => other.right)) + 4;
    taken.push({ y, right: left + wide });
    context.fillStyle = ink.sheet;
    context.lineWidth = 1;
    context.beginPath();
    context.roundRect(left, y, wide, em(17), em(8.5));
    context.fill();
    context.stroke();
    context.fillStyle = ink["tide-ink"];
    context.fillText(words, left + 7, y + em(12.5));
  }
}

var spectrogram = /*#__PURE__*/Object.freeze({
  __proto__: null,
  EDGE_PX: EDGE_PX,
  HIGH_HZ: HIGH_HZ,
  LOW_HZ: LOW_HZ,
  ROWS: ROWS,
  Spectrogram: Spectrogram,
  bandWords: bandWords,
  draggedBand: draggedBand,
  drawBands: drawBands,
  drawPitches: drawPitches,
  heldBand: heldBand,
  hzAt: hzAt,
  loudest: loudest,
  rowOf: rowOf,
  tidyHz: tidyHz
});

// What a hand does to the bands on a spectrogram.


const LEAST_PX = 4;

/**
 * Let bands be drawn, tuned, moved and chosen.
 * onBand(band, done, at) with { id: null } for a new one; onPick(id) for a click on one; onClick(event) for a click elsewhere.
 */
function mountBands(canvas, { bands, chosen, onBand, onPick, onClick, signal }) {
  const height = () => sizeOf(canvas).height;
  const under = (y) => heldBand(y, bands(), chosen(), height());
  const hover = (event) => {
    const held = under(event.offsetY);
    canvas.style.cursor = !held ? "crosshair" : held.part === "all" ? "grab" : "ns-resize";
  };
  const click = (event, from) => {
    const inside = bands().filter((band) => from > rowOf(band.high, height()) - EDGE_PX && from < rowOf(band.low, height()) + EDGE_PX);
    const [smallest] = inside.sort((a, b) => a.high / a.low - b.high / b.low);
    if (smallest && smallest.id !== chosen()) onPick(smallest.id);
    else onClick(event);
  };
  const press = (down) => {
    if (down.button !== 0) return;
    down.preventDefault();
    canvas.focus({ preventScroll: true });
    const held = down.altKey ? null : under(down.offsetY);
    const from = down.offsetY;
    let dragged = false;
    const bandAt = (event) => {
      const to = Math.min(height(), Math.max(0, event.offsetY));
      return held ? { ...held.band, ...draggedBand(held.band, held.part, { from, to, height: height() }) } : drawnBand(from, to, height());
    };
    const move = (event) => {
      dragged ||= Math.abs(event.offsetY - from) > LEAST_PX;
      if (dragged) onBand(bandAt(event), { done: false, at: event.timeStamp });
    };
    const end = (event) => {
      if (!dragged) click(event, from);
      else onBand(event.type === "pointerup" ? bandAt(event) : null, { done: true });
    };
    follow(down, canvas, { move, end, moves: MOVES, signal });
  };
  canvas.addEventListener("pointermove", hover, { signal });
  canvas.addEventListener("pointerdown", press, { signal });
}

/** The band of a box that is drawn from one row to another. Pure. */
function drawnBand(from, to, height) {
  const [high, low] = [Math.min(from, to), Math.max(from, to)].map((y) => tidyHz(Math.max(20, hzAt(y, height))));
  return { id: null, name: "New band", low, high: Math.max(high, low + 1) };
}

var bands_hand = /*#__PURE__*/Object.freeze({
  __proto__: null,
  drawnBand: drawnBand,
  mountBands: mountBands
});

// An envelope's trace: the raw level faint, the cleaned one firm, the marks that follow it, and a meter at the right. A bank shows a row each.


const METER = 12;
const DOT_TOP = 9; // px above the strongest hit
const BESIDE = 18; // the plot is as wide as the spectrogram above it

/** Where a row of a bank lies on the trace: lowest at the bottom. Pure. */
function bandOf(index, count, height) {
  const tall = height / count;
  return { top: height - (index + 1) * tall, height: tall };
}

function drawTrace(canvas, level, { view, frame }) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const plot = width - em(BESIDE);
  const count = level.cleaned.length;
  const [low, high] = [level.floor, Math.max(1e-6, level.top) * 1.05];
  for (let index = 0; index < count; index += 1) {
    const place = bandOf(index, count, height);
    context.save();
    context.translate(0, place.top);
    context.beginPath();
    context.rect(0, 0, plot, place.height);
    context.clip();
    drawRow(context, level, index, { view: { ...view, width: plot }, levels: { low, high, height: place.height, pad: count > 1 ? 1 : 5 }, ink, thick: count > 1 ? 1.2 : 1.8 });
    context.restore();
    if (count > 1 && place.height >= em(11)) {
      context.font = mono();
      context.fillStyle = ink.sheet;
      context.globalAlpha = 0.8;
      context.fillRect(2, place.top + 1, context.measureText(level.rows[index]).width + 4, Math.min(em(12), place.height - 1));
      context.globalAlpha = 1;
      context.fillStyle = ink["ink-2"];
      context.fillText(level.rows[index], 4, place.top + Math.min(place.height - 2, em(11)));
    }
  }
  const here = { low, high, height };
  if (count === 1) drawMarks(context, level.marks, { plot, levels: here, ink });
  drawMeter$1(context, level, { left: width - em(METER), frame, levels: here, ink });
  if (level.takes.length > 1) drawTakes(context, level.takes, { view: { ...view, width: plot }, height, ink });
  if (level.hits) drawHits(context, level.hits, { view: { ...view, width: plot }, height, ink });
  context.fillStyle = ink.ember;
  const x = xOf(frame + 0.5, { ...view, width: plot });
  if (x >= 0 && x <= plot) context.fillRect(x - 0.75, 0, 1.5, height);
  return plot;
}

function drawRow(context, level, index, { view, levels, ink, thick }) {
  context.fillStyle = ink["tide-wash"];
  fillColumns(context, columns(level.raw[index], view), levels);
  context.strokeStyle = ink.tide;
  context.lineWidth = thick;
  context.lineJoin = "round";
  strokeColumns(context, columns(level.cleaned[index], view), levels);
}

function drawMarks(context, marks, { plot, levels, ink }) {
  context.save();
  context.font = sans();
  context.strokeStyle = ink["tide-ink"];
  context.setLineDash([1.5, 3]);
  const seen = new Set();
  for (const { name, low, high } of marks) {
    for (const [word, value] of [["low", low], ["high", high]]) {
      const y = Math.round(row(value, levels)) + 0.5;
      context.beginPath();
      context.moveTo(0, y);
      context.lineTo(plot, y);
      context.stroke();
      const words = `${word} water of ${name}`;
      const place = Math.round(y / em(12));
      if (seen.has(place) || y < em(12)) continue;
      seen.add(place);
      const wide = context.measureText(words).width;
      context.fillStyle = ink.sheet;
      context.fillRect(plot - wide - 10, y - em(13), wide + 6, em(12));
      context.fillStyle = ink["tide-ink"];
      context.fillText(words, plot - wide - 7, y - 3);
    }
  }
  context.restore();
}

/** Where a hit's dot is on a trace, the stronger the higher. Pure. */
const dotRow = (strength, height) => DOT_TOP + (1 - strength) * (height - 2 * DOT_TOP);

/** The plot of a trace on its canvas: what is right of it is the meter. */
const plotOf = (width) => width - em(BESIDE);

/** Which take counts where: a strip below, with its name where there is room. */
function drawTakes(context, takes, { view, height, ink }) {
  context.font = sans();
  for (const [at, [begin, end, name]] of takes.entries()) {
    const [left, right] = [begin, end].map((frame) => Math.min(view.width, Math.max(0, xOf(frame, view))));
    if (right <= left) continue;
    context.fillStyle = at % 2 ? ink.fern : ink.tide;
    context.fillRect(left + 0.5, height - 4, right - left - 1, 4);
    if (context.measureText(name).width + 8 > right - left) continue;
    context.fillStyle = ink.sheet;
    context.fillRect(left + 2, height - em(17), context.measureText(name).width + 6, em(12));
    context.fillStyle = at % 2 ? ink["fern-ink"] : ink["tide-ink"];
    context.fillText(name, left + 5, height - em(17) + em(9.5));
  }
}

/** Hits as dots on stems; those that were edited are filled, the chosen one is ringed. */
function drawHits(context, { frames, strengths, edited, chosen = -1 }, { view, height, ink }) {
  let last = -9;
  for (let at = 0; at < frames.length; at += 1) {
    const x = xOf(frames[at], view);
    if (x < 0 || x > view.width || (x - last < 2 && at !== chosen)) continue;
    last = x;
    const y = dotRow(strengths[at], height);
    context.strokeStyle = context.fillStyle = edited[at] ? ink.ember : ink["tide-ink"];
    context.lineWidth = 1;
    context.globalAlpha = 0.35;
    context.beginPath();
    context.moveTo(x, y);
    context.lineTo(x, height);
    context.stroke();
    context.globalAlpha = 1;
    context.beginPath();
    context.arc(x, y, at === chosen ? 5 : 3, 0, 2 * Math.PI);
    if (edited[at] || at === chosen) context.fill();
    else context.stroke();
  }
}

/** The level at the playhead, with a notch at each mark. */
function drawMeter$1(context, level, { left, frame, levels, ink }) {
  const { height } = levels;
  context.fillStyle = ink.paper;
  const wide = em(METER);
  context.fillRect(left, 0, wide, height);
  const now = Math.max(...level.cleaned.map((values) => values[frame] ?? 0));
  const top = row(now, levels);
  context.fillStyle = ink.tide;
  context.fillRect(left + 2, top, wide - 4, height - top);
  context.fillStyle = ink["tide-ink"];
  for (const { low, high } of level.marks) for (const value of [low, high]) context.fillRect(left, Math.round(row(value, levels)), wide, 1.5);
}

/** A level as it comes from Python. Pure. */
const levelOf = ({ head, arrays }) => ({
  raw: arrays[head.raw],
  cleaned: arrays[head.cleaned],
  db: arrays[head.cleaned_db],
  rows: head.rows,
  floor: head.floor,
  top: head.top,
  loudest: head.loudest_db,
  marks: head.marks,
  takes: head.takes,
  hits: head.hits && { frames: arrays[head.hits.frames], strengths: arrays[head.hits.strengths], edited: arrays[head.hits.edited] },
});

/** Draw a level into its panel, and say what it is at a frame: of a bank, the loudest row. */
function drawLevel(panel, level, { view, frame }) {
  const find = (selector) => panel.querySelector(selector);
  drawTrace(find("#trace"), level, { view, frame });
  const { unit } = find("#level-here").dataset;
  const loudest = level.cleaned.reduce((best, values, at) => (values[frame] > level.cleaned[best][frame] ? at : best), 0);
  const [here, db] = [level.cleaned[loudest][frame], level.db[loudest][frame]];
  const which = level.rows.length ? `in ${level.rows[loudest]}; ` : "";
  if (!unit) say(find("#level-here"), here?.toFixed(3) ?? "–");
  else if (db !== undefined) say(find("#level-here"), db <= -119 ? "silent" : db.toFixed(1));
  say(find("#level-unit"), unit && db > -119 ? unit : "");
  say(find("#level-words"), `${which}${unit ? `loudest ${level.loudest.toFixed(1)} ${unit}` : `highest ${level.top.toFixed(3)}`}`);
}

var trace = /*#__PURE__*/Object.freeze({
  __proto__: null,
  bandOf: bandOf,
  dotRow: dotRow,
  drawLevel: drawLevel,
  drawTrace: drawTrace,
  levelOf: levelOf,
  plotOf: plotOf
});

// The trace of the shown envelope: as it is stored, as an edit would make it, or as something pointed at would.


/** Whether a command may make another level. Pure. */
const isOfLevel = ({ kind, owner, commands }) => owner === "envelope" || kind === "add_envelope" || Boolean(commands?.some(isOfLevel));

class EnvelopeTrace extends Component {
  #level = null;
  #before = null;
  #asked = 0; // how often what is stored was asked for
  /** What is tried or peeked at, and how often what is stored was asked for by then. @type {{ again: () => any, asked: number } | null} */
  #tried = null;
  #envelope = null;

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ axis: any, onLevel: (at?: number) => any, waits: (wrong: any) => any }} how onLevel(at) hears of a level that a
   *   pointer asked for when it moved; waits(wrong) of one that cannot be given
   */
  constructor(root, signal, { axis, onLevel, waits }) {
    super(root, signal);
    this.axis = axis;
    this.onLevel = onLevel;
    this.waits = waits;
  }

  /** Another envelope is shown: its level is to come. */
  show(envelope) {
    if (envelope !== this.#envelope) this.#level = null;
    this.#envelope = envelope;
  }

  /** What is stored is asked for: what was tried until now is over when it comes. */
  asks() {
    this.#asked += 1;
  }

  /** Take a stored level in, or that there is none; what was tried since it was asked for is seen on it. */
  take(pack) {
    this.#before = null;
    this.#level = pack && levelOf(pack);
    if (this.#tried?.asked === this.#asked) this.#tried.again();
    else this.#tried = null;
  }

  #ask = latest(async (command, at, still) => {
    const pack = await postPack(project.url(`envelopes/preview?envelope=${selection.get("envelope") ?? ""}`), { command }).catch(this.waits);
    if (!pack || this.signal.aborted || !still()) return;
    this.#level = levelOf(pack);
    this.onLevel(at);
  });

  /** The hits that the level is made of, in frames; null where it is made of none. */
  get hits() {
    return this.#level?.hits ?? null;
  }

  /** Show the level as an edit would make it; at is when the pointer moved. */
  preview(command, at) {
    if (!isOfLevel(command)) return;
    const asked = this.#asked;
    this.#tried = { again: () => this.preview(command), asked };
    this.#ask(command, at, () => asked === this.#asked);
  }

  /** Show what could be picked without taking it, or with null again what is stored. */
  peek(body) {
    const tried = (this.#tried = body && { again: () => this.peek(body), asked: this.#asked });
    if (body) {
      this.#before ??= this.#level;
      this.#ask(body.command, undefined, () => this.#tried === tried);
    } else if (this.#before) {
      this.#level = this.#before;
      this.#before = null;
      this.onLevel();
    }
  }

  draw() {
    if (this.#level && this.find("#trace")) drawLevel(this.find("#envelope-panel"), this.#level, { view: this.axis.view, frame: transport.frame });
  }
}

var envelope_trace = /*#__PURE__*/Object.freeze({
  __proto__: null,
  EnvelopeTrace: EnvelopeTrace,
  isOfLevel: isOfLevel
});

// The hits of the shown envelope under the hand: dots on its trace are dragged, added and taken away, or typed as numbers.


const NEAR_PX = 8;
const DECIDED_PX = 4; // then it is known whether a hit is moved or weighed

const secondsOf = (frame) => (frame * transport.rate[1]) / transport.rate[0];
const framesOf = (seconds) => (seconds * transport.rate[0]) / transport.rate[1];

/** The dot nearest to a place, if one is near: its number, or -1. Pure. */
function dotAt({ frames, strengths }, { x, y }, { view, height }) {
  let [best, at] = [NEAR_PX, -1];
  for (let index = 0; index < frames.length; index += 1) {
    const far = Math.hypot(xOf(frames[index], view) - x, dotRow(strengths[index], height) - y);
    if (far < best) [best, at] = [far, index];
  }
  return at;
}

/** What a drag does to a hit: sideways moves it, upwards weighs it. Pure. */
function draggedHit({ frame, strength }, { dx, dy }, { framesPerPx, height }) {
  if (Math.max(Math.abs(dx), Math.abs(dy)) < DECIDED_PX) return null;
  if (Math.abs(dx) >= Math.abs(dy)) return { how: "move", frame: frame + dx * framesPerPx, strength };
  return { how: "weigh", frame, strength: Math.min(1, Math.max(0, strength - dy / (height - 18))) };
}

class Hits extends Component {
  #chosen = -1;
  #envelope = null;

  /** @param {any} root @param {AbortSignal} signal @param {{ axis: any, trace: any, soon: () => any }} how */
  constructor(root, signal, { axis, trace, soon }) {
    super(root, signal);
    this.axis = axis;
    this.trace = trace;
    this.soon = soon;
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(root, "ft:set", (event) => this.#typed(event));
  }

  get #hits() {
    return this.trace.hits;
  }

  mount(signal) {
    const envelope = selection.get("envelope");
    if (envelope !== this.#envelope) this.#chosen = -1;
    this.#envelope = envelope;
    const canvas = this.find("#trace");
    if (!canvas) return;
    canvas.addEventListener("pointerdown", (down) => this.#hits && this.#grab(canvas, down, signal), { signal });
    canvas.addEventListener("pointermove", (event) => (canvas.style.cursor = this.#under(canvas, event) >= 0 ? "grab" : ""), { signal });
    canvas.addEventListener("dblclick", (event) => this.#hits && this.#add(canvas, event), { signal });
    canvas.addEventListener("keydown", (event) => this.#key(event), { signal });
  }

  #view(canvas) {
    return { ...this.axis.view, width: plotOf(sizeOf(canvas).width) };
  }

  #under(canvas, { offsetX, offsetY }) {
    return this.#hits ? dotAt(this.#hits, { x: offsetX, y: offsetY }, { view: this.#view(canvas), height: sizeOf(canvas).height }) : -1;
  }

  #grab(canvas, down, signal) {
    const place = this.#under(canvas, down);
    if (down.button !== 0 || place < 0) return;
    canvas.focus({ preventScroll: true });
    this.#choose(place);
    const hits = this.#hits;
    const [view, height] = [this.#view(canvas), sizeOf(canvas).height];
    const was = { frame: hits.frames[place], strength: hits.strengths[place] };
    const framesPerPx = (view.to - view.from) / view.width;
    let dragged = null;
    const show = ({ frame, strength }) => ((hits.frames[place] = frame), (hits.strengths[place] = strength), this.soon());
    const move = (event) => {
      dragged = draggedHit(was, { dx: event.clientX - down.clientX, dy: event.clientY - down.clientY }, { framesPerPx, height });
      if (dragged?.how === "move") dragged.frame = rhythm.snapped(dragged.frame, framesPerPx);
      show(dragged ?? was);
    };
    const end = (event) => {
      if (event.type === "pointerup" && dragged) this.#send({ ...dragged, of: was.frame });
      else show(was);
    };
    follow(down, canvas, { move, end, signal });
  }

  #add(canvas, event) {
    if (this.#under(canvas, event) >= 0) return;
    const height = sizeOf(canvas).height;
    const view = this.#view(canvas);
    const frame = rhythm.snapped(frameOf(event.offsetX, view), (view.to - view.from) / view.width);
    this.#send({ how: "add", frame, strength: Math.min(1, Math.max(0.05, 1 - (event.offsetY - 9) / (height - 18))) });
  }

  #key(event) {
    const acts = { Delete: () => this.#remove(), Backspace: () => this.#remove(), Enter: () => this.#addHere() };
    const run = this.#hits && acts[event.key];
    if (!run || (event.key !== "Enter" && this.#chosen < 0)) return;
    event.preventDefault();
    event.stopPropagation();
    run();
  }

  #addHere = () => this.#send({ how: "add", frame: transport.frame, strength: 1 });

  #remove() {
    if (this.#chosen >= 0) this.#send({ how: "remove", of: this.#hits.frames[this.#chosen] });
  }

  /** The hit that is meant is told by when it is: others may come and go before it is answered. */
  #send({ how, of = 0, frame = 0, strength = 1 }) {
    if (how === "remove" || how === "add") this.#chosen = -1;
    return project.send(`envelopes/${selection.get("envelope")}/hits`, { how, hit_s: secondsOf(of), time_s: secondsOf(frame), strength });
  }

  /** A number was typed: the hit is there at once, so that what is typed next is of the same one. */
  #typed({ target, detail }) {
    const [hits, place] = [this.#hits, this.#chosen];
    if (!hits || place < 0 || !["hit-time", "hit-strength"].includes(target.id)) return;
    setTimeout(() => {
      if (target.id === "hit-time") hits.frames[place] = framesOf(detail);
      else hits.strengths[place] = detail;
      this.soon();
    }); // when it is sent
  }

  #choose(place) {
    this.#chosen = place;
    this.soon();
  }

  #pressed(button) {
    const acts = {
      "hit-before": () => this.#step(-1),
      "hit-after": () => this.#step(1),
      "hit-remove": () => this.#remove(),
      "hit-add": () => this.#addHere(),
    };
    acts[button?.id]?.();
    if (button?.dataset.useTake) this.#use(Number(button.dataset.useTake));
  }

  /** Choose the next hit, and go there. */
  #step(by) {
    const count = this.#hits?.frames.length ?? 0;
    if (!count) return;
    this.#choose(this.#chosen < 0 ? (by > 0 ? 0 : count - 1) : (this.#chosen + by + count) % count);
    transport.seek(Math.floor(this.#hits.frames[this.#chosen] + 1e-4));
  }

  /** Let a take count in the selection, or everywhere. */
  #use(place) {
    const range = transport.selection?.map((frame) => (frame * transport.rate[1]) / transport.rate[0]);
    project.send(`envelopes/${selection.get("envelope")}/takes`, { how: "choose", place, ...(range && { begin_s: range[0], end_s: range[1] }) });
  }

  /** Say how many hits there are, and of the chosen one when and how strong it is. */
  show() {
    const [bar, hits] = [this.find("#hits-bar"), this.#hits];
    if (!bar) return;
    bar.hidden = !hits;
    if (!hits) return;
    if (this.#chosen >= hits.frames.length) this.#chosen = -1;
    hits.chosen = this.#chosen;
    const [count, edited] = [hits.frames.length, hits.edited.reduce((sum, one) => sum + one, 0)];
    const of = this.#chosen < 0 ? `${count} hit${count === 1 ? "" : "s"}` : `hit ${this.#chosen + 1} of ${count}`;
    say(this.find("#hit-count"), `${of}${edited ? `, ${edited} edited` : ""}`);
    this.find("#hit-fields").hidden = this.#chosen < 0;
    this.find("#hits-forget").hidden = !this.find("#hits-forget").dataset.edits;
    if (this.#chosen >= 0) this.#fill({ time: secondsOf(hits.frames[this.#chosen]), strength: hits.strengths[this.#chosen] });
  }

  #fill(values) {
    for (const [name, how] of [["time", "move"], ["strength", "weigh"]]) {
      const field = this.find(`#hit-${name}`);
      field.dataset.values = JSON.stringify({ how, hit_s: values.time });
      if (document.activeElement === field) continue;
      field.value = String(Number(values[name].toFixed(4)));
      field.setAttribute("aria-valuenow", field.value);
    }
  }
}

var hits = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Hits: Hits,
  dotAt: dotAt,
  draggedHit: draggedHit
});

// Hearing one band of a track alone, and the bands that are suggested for it.


class Listening extends Component {
  #suggested = null;
  #heard = null;

  /** @param {any} root @param {AbortSignal} signal */
  constructor(root, signal) {
    super(root, signal);
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
  }

  #pressed(button) {
    if (button?.id === "suggest-bands") this.#suggest();
    else if (button?.id === "listen") this.#listen(button.getAttribute("aria-pressed") === "true" ? null : { envelope: selection.get("envelope") });
    else if (button?.dataset.hear) this.#listenTo(button.dataset.hear);
  }

  async #suggest() {
    const track = selection.get("track");
    const answer = await telling(() => getJson(project.url(`tracks/${track}/bands`)));
    if (!answer) return;
    this.#suggested = { track, bands: answer.bands };
    this.#showSuggested();
  }

  #showSuggested() {
    const place = this.find("#suggested");
    if (!place || this.#suggested?.track !== selection.get("track")) return;
    const { bands, track } = this.#suggested;
    this.find("#band-hint").hidden = true;
    place.replaceChildren(...bands.flatMap((band) => this.#pills(band, track)));
    this.#paint();
    if (!bands.length) place.textContent = "This track is silent.";
  }

  /** A suggested band: one press reads it, another one lets it be heard. */
  #pills({ name, low_hz, high_hz }, track) {
    const pill = (textContent, title, dataset) => {
      const button = Object.assign(document.createElement("button"), { type: "button", className: "pill text-11! px-2! py-0.5!", textContent, title });
      Object.assign(button.dataset, dataset);
      return button;
    };
    const command = { kind: "add_envelope", name, track, reading: { id: this.find("#bands").dataset.reading, params: { low_hz, high_hz } } };
    return [
      pill(`${name} ${low_hz}-${high_hz}`, "Read this band", { command: JSON.stringify(command) }),
      pill("hear", `Hear ${low_hz} to ${high_hz} Hz of this track`, { hear: `${low_hz}-${high_hz}` }),
    ];
  }

  #listenTo(text) {
    const [low, high] = text.split("-").map(Number);
    const on = this.#heard?.low === low && this.#heard.high === high;
    this.#listen(on ? null : { low, high });
  }

  /** Hear one band of a track alone: { envelope } as it is tuned, or { low, high } as suggested; with null the mix again. */
  async #listen(to, { play = true } = {}) {
    this.#heard = to;
    this.#paint();
    if (!to) {
      await transport.listen(null);
      return;
    }
    const track = (to.envelope && this.find("#envelope-track")?.value) || selection.get("track");
    const [low, high] = to.envelope ? ["low_hz", "high_hz"].map((name) => Number(this.find(`#reading-${name}`).value)) : [to.low, to.high];
    const at = `${project.status.frames}-${this.find(`[data-row="${track}"]`)?.dataset.offset}`;
    await transport.listen(project.url(`tracks/${track}/band.wav?low=${low}&high=${high}&at=${at}`));
    if (play && !transport.playing) transport.play();
  }

  #paint() {
    const { envelope, low, high } = this.#heard ?? {};
    const press = (button, on) => button.setAttribute("aria-pressed", String(on));
    if (this.find("#listen")) press(this.find("#listen"), envelope !== undefined && envelope === selection.get("envelope"));
    for (const button of this.all("[data-hear]")) press(button, button.dataset.hear === `${low}-${high}`);
  }

  /** The page was drawn anew. What is heard alone follows what is tuned; another envelope or track lets the mix sound again. */
  mount(trackBefore) {
    this.#showSuggested();
    if (!this.#heard) return;
    const { envelope } = this.#heard;
    const stays = envelope ? this.find("#listen") && envelope === selection.get("envelope") : selection.get("track") === trackBefore;
    this.#listen(stays ? this.#heard : null, { play: false });
  }
}

var listening = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Listening: Listening
});

// The time of a playing sound at the moment of an event: the player's own clock goes in steps, the events' does not.

const REMEMBERED = 60; // looks at both clocks
const BACK_S = 0.2; // players correct themselves by less
const OFF_S = 0.1; // a sound that is so far off was moved, or waited

/** The middle one of some numbers. Pure. */
function middle(numbers) {
  const sorted = [...numbers].sort((a, b) => a - b);
  return sorted.length ? (sorted[(sorted.length - 1) >> 1] + sorted[sorted.length >> 1]) / 2 : NaN;
}

class HeardClock {
  #apart = [];
  #last = NaN;
  began = NaN; // the second where this round began
  rounds = 0; // how often it began

  /** @param {() => number} seconds what the player says */
  constructor(seconds) {
    this.seconds = seconds;
  }

  /** Look at both clocks; says whether the sound went back since the last look. Before it plays nothing is learned. */
  look(now = performance.now()) {
    const seconds = this.seconds();
    if (Number.isNaN(this.#last)) this.#begin(seconds);
    if (seconds === this.#last || Number.isNaN(this.#last)) {
      this.#last = seconds;
      return false;
    }
    const back = seconds < this.#last - BACK_S;
    this.#last = seconds;
    const apart = seconds - now / 1000;
    if (back || (this.isRunning && Math.abs(apart - middle(this.#apart)) > OFF_S)) this.#apart = [];
    if (back) this.#begin(seconds); // it was set; it does not play from there yet
    else this.#apart.push(apart);
    if (this.#apart.length > REMEMBERED) this.#apart.shift();
    return back;
  }

  #begin(seconds) {
    this.began = seconds;
    this.rounds += 1;
  }

  get isRunning() {
    return this.#apart.length > 0;
  }

  /** Seconds of the sound at an event's time stamp in ms; NaN before it plays. */
  at(timeStamp) {
    return timeStamp / 1000 + middle(this.#apart);
  }

  /** The time stamp in ms at which a second of the sound is heard. */
  when(seconds) {
    return (seconds - middle(this.#apart)) * 1000;
  }
}

var heard_clock = /*#__PURE__*/Object.freeze({
  __proto__: null,
  HeardClock: HeardClock,
  middle: middle
});

// How late each device of this machine is, as it was measured here.

const NAME = "ft:latency";

function all() {
  try {
    return JSON.parse(localStorage.getItem(NAME) ?? "{}");
  } catch {
    return {};
  }
}

/** What is known of a device: its latency in ms, and where that is known from: measured here, or the browser's own figure. */
function latencyOf(device, own = 0) {
  const { ms } = all()[device] ?? {};
  return Number.isFinite(ms) ? { ms, from: "measured" } : { ms: own, from: "browser" };
}

function rememberLatency(device, { latency_s, spread_s }) {
  localStorage.setItem(NAME, JSON.stringify({ ...all(), [device]: { ms: latency_s * 1000, spread: spread_s * 1000 } }));
}

/** A device's latency in words; own is what the browser says of it, in ms. */
function latencyWords(device, own = 0) {
  const { ms, spread } = all()[device] ?? {};
  if (Number.isFinite(ms)) return `${ms.toFixed(0)} ms ± ${spread.toFixed(0)}`;
  return own ? `${own.toFixed(0)} ms, says the browser` : "not measured";
}

var latency = /*#__PURE__*/Object.freeze({
  __proto__: null,
  latencyOf: latencyOf,
  latencyWords: latencyWords,
  rememberLatency: rememberLatency
});

// Measuring how late a device and its hand are: ten seconds of clicks are tapped to.


class Calibrating {
  #audio = null;
  #clock = null;
  #taps = [];
  #hand = null;
  #device = "";

  /** @param {{ onState: (state: string | null, words: string) => any, hand: (clock: any) => any, voice: any }} how hand(clock) gives a stand-in, if one is chosen */
  constructor({ onState, hand, voice }) {
    this.onState = onState;
    this.hand = hand;
    this.voice = voice;
  }

  get #isHeard() {
    return this.#device.endsWith("microphone");
  }

  async start(device) {
    transport.stop();
    this.#device = device;
    this.#taps = [];
    this.#audio = new Audio(project.url("calibration.wav"));
    this.#clock = new HeardClock(() => this.#audio?.currentTime ?? NaN);
    this.#clock.look(); // before it plays
    this.#audio.addEventListener("ended", () => this.#measure());
    this.onState("calibrating", this.#isHeard ? "The microphone hears the clicks, for ten seconds." : "Tap to every click, for ten seconds.");
    try {
      if (this.#isHeard) await this.voice.open(device, project.url("calibration.wav"));
      await this.#audio.play();
    } catch (wrong) {
      if (wrong.name !== "AbortError") this.#end(wrong.what ? wrong.message : "The clicks cannot be played.");
      return;
    }
    if (this.#isHeard) this.voice.begin(() => this.#audio?.currentTime ?? NaN);
    this.#hand = this.hand(this.#clock);
    this.#hand?.tap(JSON.parse(/** @type {any} */ (document.getElementById("calibration-clicks")).textContent));
    this.#follow();
  }

  #follow() {
    if (!this.#audio) return;
    this.#clock.look();
    requestAnimationFrame(() => this.#follow());
  }

  tap(timeStamp) {
    const seconds = this.#clock?.at(timeStamp);
    if (Number.isFinite(seconds)) this.#taps.push(seconds);
    this.onState(null, `${this.#taps.length} taps`);
  }

  async #measure() {
    const taps = this.#isHeard ? this.voice.clicks() : this.#taps;
    this.#end("");
    try {
      const measured = await postJson(project.url("calibration"), { taps });
      rememberLatency(this.#device, measured);
      this.onState(null, `Measured from ${measured.taps} taps.`);
    } catch (wrong) {
      this.onState(null, wrong.message);
    }
  }

  #end(words) {
    this.#hand?.stop();
    this.#hand = null;
    this.#audio?.pause();
    this.#audio = null;
    this.onState("ready", words);
  }

  /** Stop measuring; what was measured before stays. */
  stop() {
    if (this.#audio) this.#end("");
  }
}

var calibrating = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Calibrating: Calibrating
});

// Clicks that are heard before something is recorded.

const CLICK_S = 0.03;

/** How a count-in that is chosen goes: so many bars, or with an s so many seconds with a click each. Pure. */
function countOf(chosen, { perBar, bpm }) {
  const count = Number.parseFloat(chosen) || 0;
  return chosen.endsWith("s") ? { bars: 1, perBar: count, bpm: 60 } : { bars: count, perBar, bpm };
}

/** When clicks are heard, in seconds from now, and when what they lead to begins. Pure. */
function clicksOf({ bars, perBar, bpm }) {
  const beat = 60 / (bpm > 0 ? bpm : 120);
  const count = Math.round(bars * perBar);
  return { clicks: Array.from({ length: count }, (_, at) => ({ at: at * beat, strong: at % perBar === 0 })), lasts: count * beat };
}

/** Click, and end when it is over; says whether it came to its end. */
async function countIn(how, signal) {
  const { clicks, lasts } = clicksOf(how);
  if (!clicks.length) return true;
  const context = new AudioContext();
  for (const { at, strong } of clicks) {
    const [tone, gain] = [context.createOscillator(), context.createGain()];
    tone.frequency.value = strong ? 1760 : 1320;
    gain.gain.setValueAtTime(0.4, context.currentTime + at);
    gain.gain.exponentialRampToValueAtTime(1e-3, context.currentTime + at + CLICK_S);
    tone.connect(gain).connect(context.destination);
    tone.start(context.currentTime + at);
    tone.stop(context.currentTime + at + CLICK_S);
  }
  const over = await new Promise((end) => {
    const timer = setTimeout(() => end(true), lasts * 1000);
    signal.addEventListener("abort", () => (clearTimeout(timer), end(false)), { once: true });
  });
  context.close();
  return over;
}

var count_in = /*#__PURE__*/Object.freeze({
  __proto__: null,
  clicksOf: clicksOf,
  countIn: countIn,
  countOf: countOf
});

// Notes and controllers of MIDI devices, through the browser's own interface.


const NO_MIDI = { what: "This browser gives no MIDI devices here.", remedy: "Use the keys and the pointer, or bring a MIDI file in." };
const NO_DEVICE = { what: "No MIDI device is plugged in.", remedy: "Plug one in, and choose it again." };

/** What a MIDI message says: a tap with its strength, a controller as a level, or nothing. Pure. */
function heardOf([status = 0, one = 0, two = 0]) {
  const kind = status & 0xf0;
  if (kind === 0x90 && two > 0) return { tap: two / 127 };
  if (kind === 0xb0 && one < 120) return { level: two / 127 };
  if (kind === 0xe0) return { level: (one + 128 * two) / 16383 };
  return null;
}

/** Listen to all devices until a signal; throws where there is none to be had. */
async function listenToMidi({ onTap, onLevel, signal }) {
  /** @type {any} */
  let access;
  try {
    access = await navigator.requestMIDIAccess();
  } catch {
    throw new Refused(0, NO_MIDI);
  }
  const inputs = [...access.inputs.values()];
  if (!inputs.length) throw new Refused(0, NO_DEVICE);
  for (const input of inputs) {
    const hear = ({ data, timeStamp }) => {
      const { tap, level } = heardOf(data) ?? {};
      if (tap !== undefined) onTap(tap, timeStamp);
      if (level !== undefined) onLevel(level, timeStamp);
    };
    input.addEventListener("midimessage", hear, { signal });
  }
}

var midi_in = /*#__PURE__*/Object.freeze({
  __proto__: null,
  heardOf: heardOf,
  listenToMidi: listenToMidi
});

// What one performs with: which devices there are for what is performed, and the one that is chosen, opened.


const HAND = "rehearsal hand";
/** Taps as a pad with velocities does: as strong as the hits that it taps. */
const PAD = "rehearsal pad";
const BY_HAND = ["keys and pointer", "MIDI", HAND];
const DEVICES = { taps: [...BY_HAND, PAD], gesture: BY_HAND, microphone: ["microphone", "rehearsal microphone"] };

class Devices {
  #midi = null;

  /** @param {{ field: any, pad: any, voice: any, listens: () => any, signal: AbortSignal }} how field chooses; the pad takes what MIDI says */
  constructor({ field, pad, voice, listens, signal }) {
    this.field = field;
    this.pad = pad;
    this.voice = voice;
    this.listens = listens;
    this.signal = signal;
  }

  get chosen() {
    return this.field.value;
  }

  /** Offer the devices for a kind; the one before stays where it can. */
  offer(kind) {
    const before = this.field.value;
    this.field.replaceChildren(...DEVICES[kind].map((name) => new Option(name === "MIDI" ? "a MIDI device" : name, name)));
    if (DEVICES[kind].includes(before)) this.field.value = before;
  }

  /** Open the chosen device; what cannot be had is said. */
  async open() {
    this.#midi?.abort();
    byId("monitor-row").hidden = this.chosen !== "microphone";
    if (!this.chosen.endsWith("microphone")) this.voice.close();
    else if (await telling(() => this.voice.open(this.chosen))) this.monitor();
    if (this.chosen === "MIDI" && !(await telling(() => this.#listen()))) this.field.value = BY_HAND[0];
  }

  /** Whether a microphone is heard meanwhile: off, until somebody says so. */
  monitor({ turn = false } = {}) {
    const button = byId("monitor");
    const is = (button.getAttribute("aria-pressed") === "true") !== turn;
    button.setAttribute("aria-pressed", String(is));
    byId("monitor-row").hidden = this.chosen !== "microphone";
    this.voice.monitor(is);
  }

  async #listen() {
    this.#midi = new AbortController();
    const { pad, listens, signal } = this;
    const onTap = (strength, at) => listens() === "taps" && pad.tap(strength, at);
    const onLevel = (level, at) => listens() === "gesture" && pad.lead({ across: level, up: level, pressure: level }, at);
    await listenToMidi({ onTap, onLevel, signal: AbortSignal.any([signal, this.#midi.signal]) });
    return true;
  }
}

var devices = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Devices: Devices,
  HAND: HAND,
  PAD: PAD
});

// A take as it is recorded: one round of taps, or of a pointer's way.

const MOST_POINTS = 400_000;
const CHANNELS$1 = { taps: ["strength"], gesture: ["across", "up", "pressure"], microphone: [] };

/** Where a pointer is in a box, from 0 to 1: across from the left, up from below. Pure. */
function placeIn({ left, top, width, height }, { clientX, clientY }) {
  const inside = (value) => Math.min(1, Math.max(0, value));
  return { across: inside((clientX - left) / width), up: inside(1 - (clientY - top) / height) };
}

/** How strong a tap is: as hard as a pen presses, or the stronger the higher a pointer is. Pure. */
const strengthOf = ({ pointerType, pressure }, { up }) => (pointerType === "pen" && pressure > 0 ? pressure : 0.2 + 0.8 * up);

class Round {
  #times = [];
  #values;

  /** @param {{ kind: string, device: string, begin: number, latency: { ms: number, from: string } }} how */
  constructor({ kind, device, begin, latency }) {
    this.kind = kind;
    this.device = device;
    this.begin = begin;
    this.latency = latency;
    this.#values = Object.fromEntries(CHANNELS$1[kind].map((name) => [name, []]));
  }

  get length() {
    return this.#times.length;
  }

  /** The point that was taken last: its seconds and values; null before the first. */
  get last() {
    if (!this.length) return null;
    return { seconds: this.#times.at(-1), values: Object.fromEntries(Object.entries(this.#values).map(([name, all]) => [name, all.at(-1)])) };
  }

  get isFull() {
    return this.length >= MOST_POINTS;
  }

  /** Take a point in, if its time is known and there is room. */
  add(seconds, values) {
    if (!Number.isFinite(seconds) || this.isFull) return;
    this.#times.push(seconds);
    for (const name of Object.keys(this.#values)) this.#values[name].push(values[name] ?? 0);
  }

  /** How much is performed, of which round. */
  words(round) {
    return `Round ${round}: ${this.length} ${this.kind === "taps" ? "tap" : "point"}${this.length === 1 ? "" : "s"}`;
  }

  /** The take as it is stored, up to a second; null where nothing was performed. */
  plain(end) {
    if (!this.length) return null;
    const { kind, device, begin, latency } = this;
    const last = Math.max(end, begin + 1e-3);
    return { take: 1, kind, device, begin_s: begin, end_s: last, latency_s: latency.ms / 1000, latency_from: latency.from, times_s: this.#times, values: this.#values };
  }
}

var take = /*#__PURE__*/Object.freeze({
  __proto__: null,
  MOST_POINTS: MOST_POINTS,
  Round: Round,
  placeIn: placeIn,
  strengthOf: strengthOf
});

// The pad that is tapped on, or over which a pointer is led; it shows what came of it.


const FADES_MS = 700;
const EDGE = 12; // px that marks stay away from it

/** Whether a key press is a tap: a letter or a digit by itself. Pure. */
const isTap = ({ key, ctrlKey, metaKey, altKey, repeat }) => /^[\p{L}\p{N}]$/u.test(key) && !ctrlKey && !metaKey && !altKey && !repeat;

class Pad extends Component {
  #marks = [];
  #drawing = false;

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ listens: () => "taps" | "gesture" | null, onPoint: (values: any, timeStamp: number) => any }} how listens() says what
   *   counts now; onPoint hears of each tap and each place of the pointer
   */
  constructor(root, signal, { listens, onPoint }) {
    super(root, signal);
    this.listens = listens;
    this.onPoint = onPoint;
    this.on(document, "keydown", (event) => this.#key(event), { capture: true });
    this.on(root, "pointerdown", (event) => this.#pressed(event));
    this.on(root, "pointermove", (event) => this.#moved(event));
  }

  #key(event) {
    if (this.listens() !== "taps" || !isTap(event) || isTyping(event.target) || first("dialog[open]")) return;
    event.preventDefault();
    event.stopPropagation(); // it is no key of the room
    this.tap(1, event.timeStamp);
  }

  /** Take a tap from a device. */
  tap(strength, timeStamp) {
    this.#mark({ across: 0.5, up: strength });
    this.onPoint({ strength }, timeStamp);
  }

  #pressed(event) {
    if (event.button !== 0) return;
    const place = this.#placeOf(event);
    if (this.listens() === "gesture") {
      if (event.isTrusted) this.root.setPointerCapture(event.pointerId);
      this.lead({ ...place, pressure: event.pressure }, event.timeStamp);
    } else if (this.listens() === "taps") {
      event.preventDefault();
      this.root.focus({ preventScroll: true });
      const strength = strengthOf(event, place);
      this.#mark(place);
      this.onPoint({ strength }, event.timeStamp);
    }
  }

  /** Every place that the pointer had since the last event, not only where it is when the page has time. */
  #moved(event) {
    if (this.listens() !== "gesture") return;
    const all = event.getCoalescedEvents?.() ?? [];
    for (const one of all.length ? all : [event]) this.lead({ ...this.#placeOf(one), pressure: one.pressure }, one.timeStamp);
  }

  /** Take a place of a pointer, or of a device. */
  lead(values, timeStamp) {
    this.#mark(values);
    this.onPoint(values, timeStamp);
  }

  #placeOf(event) {
    return placeIn(this.root.getBoundingClientRect(), event);
  }

  #mark({ across, up }) {
    this.#marks.push({ across, up, at: performance.now() });
    if (this.#marks.length > 400) this.#marks.shift();
    if (!this.#drawing) this.#draw();
  }

  #draw() {
    const { context, width, height } = pen(this.find("canvas"));
    const now = performance.now();
    this.#marks = this.#marks.filter(({ at }) => now - at < FADES_MS);
    context.fillStyle = colours().tide;
    for (const { across, up, at } of this.#marks) {
      context.globalAlpha = 1 - (now - at) / FADES_MS;
      context.beginPath();
      context.arc(across * width, EDGE + (1 - up) * (height - 2 * EDGE), this.listens() === "gesture" ? 3 : 9, 0, 2 * Math.PI);
      context.fill();
    }
    this.#drawing = this.#marks.length > 0 && !this.signal.aborted;
    if (this.#drawing) requestAnimationFrame(() => this.#draw());
  }
}

var pad = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Pad: Pad,
  isTap: isTap
});

// The rehearsal hand: a stand-in for a device that tells when it was touched, as MIDI devices do, late by so many ms.

const LOOK_MS$1 = 20;
const EVERY_S = 1 / 120; // moves of its pointer

/** Where the rehearsal hand leads the pointer at a second: a way that is known. Pure. */
const ledAt = (seconds) => ({ across: 0.5 + 0.45 * Math.sin(Math.PI * seconds), up: 0.5 - 0.45 * Math.cos((2 * Math.PI * seconds) / 3) });

/** The times of an ascending list after one moment and up to another. Pure. */
const between = (times, after, until) => times.filter((time) => time > after && time <= until);

/** The times of a move after one moment and up to another. Pure. */
function moves(after, until) {
  const first = Math.floor(after / EVERY_S) + 1;
  const count = Math.max(0, Math.floor(until / EVERY_S) - first + 1);
  return Array.from({ length: count }, (_, at) => (first + at) * EVERY_S);
}

class RehearsalHand {
  #timer = 0;
  #done = NaN;
  #round = 0;

  /** @param {{ clock: any, late: number, pad: any }} how late is in ms */
  constructor({ clock, late, pad }) {
    this.clock = clock;
    this.late = late;
    this.pad = pad;
  }

  /** Tap at some seconds of the sound, in each round anew; as strong as is given for each, or all alike. */
  tap(times, strengths = null) {
    this.#go((after, until) => between(times, after, until), (time, at) => this.pad.tap(strengths?.[times.indexOf(time)] ?? 1, at));
  }

  /** Lead the pointer over the pad. */
  lead() {
    this.#go(moves, (time, at) => this.pad.lead({ ...ledAt(time), pressure: 0.5 }, at));
  }

  #go(due, act) {
    this.#timer = setInterval(() => this.#look(due, act), LOOK_MS$1);
  }

  /** Do all that came due since the last look, the first from where the sound began: a busy page looks late. */
  #look(due, act) {
    const { began, rounds } = this.clock;
    if (rounds !== this.#round) [this.#round, this.#done] = [rounds, began - 1e-6];
    const heard = this.clock.at(performance.now() - this.late);
    if (!(heard > this.#done)) return; // it does not play yet, or its clock was corrected
    for (const time of due(this.#done, heard)) act(time, this.clock.when(time) + this.late);
    this.#done = heard;
  }

  stop() {
    clearInterval(this.#timer);
  }
}

var rehearsal = /*#__PURE__*/Object.freeze({
  __proto__: null,
  RehearsalHand: RehearsalHand,
  between: between,
  ledAt: ledAt,
  moves: moves
});

// What a microphone hears, or its stand-in: blocks of samples with their times, a level, and whether it was too loud.


const RATE = 48_000;
const MOST_S = 1800;
const PLAIN = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };
const FULL = 0.999;
const LOOKS$1 = 60; // at both clocks, of which the middle one counts
const STEADY_S = 0.4; // after a sound began to play
const AHEAD_S = 0.1; // a stand-in begins
const NO_MICROPHONE = {
  NotAllowedError: { what: "The microphone was refused.", remedy: "Allow it for this page in the browser, then choose it again." },
  NotFoundError: { what: "There is no microphone.", remedy: "Plug one in, or choose the rehearsal microphone." },
  NotReadableError: { what: "The microphone is used by another program.", remedy: "Close that, then choose it again." },
};

/** A sentence for a microphone that cannot be had. Pure. */
const wordsFor = (name) => NO_MICROPHONE[name] ?? { what: "The microphone cannot be opened.", remedy: "Unplug it and plug it in again, or use another browser." };

/** The loudest of some samples. Pure. */
const peakOf = (samples) => samples.reduce((most, value) => Math.max(most, Math.abs(value)), 0);

class Microphone {
  #context = null;
  #stream = null;
  #source = null;
  #capture = null;
  #node = null;
  #monitor = null;
  #blocks = null;
  #first = NaN;
  #from = NaN;
  #seconds = null;
  #apart = [];
  level = 0;
  clipped = false;

  /** @param {{ onLost: () => any }} how onLost() hears that the device is gone */
  constructor({ onLost }) {
    this.onLost = onLost;
  }

  /** Open the machine's own microphone, or another source that goes into its capture; throws where it cannot be had. */
  async open(other = null) {
    this.close();
    if (!other && !navigator.mediaDevices?.getUserMedia) throw new Refused(0, { what: "A page that is not on this machine gets no microphone.", remedy: "Open Fern Tide at 127.0.0.1, or by https." });
    const context = (this.#context = new AudioContext({ sampleRate: RATE }));
    await context.audioWorklet.addModule(new URL("capture_worklet.js", import.meta.url).href);
    if (this.#context !== context) return;
    const capture = new AudioWorkletNode(context, "capture", { numberOfOutputs: 1, outputChannelCount: [1] });
    this.#capture = capture;
    capture.port.onmessage = ({ data }) => this.#hear(data);
    capture.connect(context.destination); // it gives silence; without it nothing is pulled through
    const source = other ? await this.#into(other, context, capture) : await this.#listen(context, capture);
    if (this.#context !== context) return void source?.end?.(); // another device was chosen meanwhile
    this.#source = source;
    await context.resume();
    this.#follow(context);
  }

  async #into(other, context, capture) {
    try {
      return await other.into(context, capture);
    } catch (wrong) {
      if (this.#context === context) this.close();
      throw wrong;
    }
  }

  async #listen(context, capture) {
    let stream;
    try {
      stream = await navigator.mediaDevices.getUserMedia({ audio: PLAIN });
    } catch (wrong) {
      if (this.#context === context) this.close();
      throw new Refused(0, wordsFor(wrong.name));
    }
    if (this.#context !== context) return void stream.getTracks().forEach((track) => track.stop());
    this.#stream = stream;
    for (const track of stream.getTracks()) track.addEventListener("ended", () => this.onLost());
    const source = (this.#node = context.createMediaStreamSource(stream));
    source.connect(capture);
    return source;
  }

  #follow(context) {
    if (this.#context !== context) return;
    const heard = this.#blocks?.length ? this.#seconds() : NaN;
    if (heard > this.#from) this.#apart.push(heard - context.currentTime);
    requestAnimationFrame(() => this.#follow(context));
  }

  #hear({ at, channels, peak = Math.max(...channels.map(peakOf)) }) {
    this.level = Math.max(peak, this.level * (channels ? 0.97 : 0.9));
    if (!this.#blocks || !channels) return;
    if (!this.#blocks.length) this.#first = at;
    this.clipped ||= peak >= FULL;
    if (this.#blocks.length < (MOST_S * RATE) / 128) this.#blocks.push(channels);
  }

  /** How late the device is by the browser's own figure, in ms; 0 where it says nothing. */
  get ownLatency() {
    return 1000 * (this.#stream?.getAudioTracks()[0]?.getSettings().latency ?? 0);
  }

  get isOpen() {
    return this.#context !== null;
  }

  get seconds() {
    return ((this.#blocks?.length ?? 0) * 128) / RATE;
  }

  /** Let what comes be heard meanwhile, or not. */
  monitor(on) {
    this.#monitor?.disconnect();
    this.#monitor = on && this.#node ? new GainNode(this.#context) : null;
    if (this.#monitor) this.#node.connect(this.#monitor).connect(this.#context.destination);
  }

  /** Hand all that is heard from now on to another listener, by a port, instead of recording it; a stand-in begins to play. */
  handTo(port) {
    this.#capture.port.postMessage({ port }, [port]);
    this.#source?.play?.(() => this.#context?.currentTime ?? NaN);
  }

  /** The blocks after so many that were recorded, and when the first of all was heard; null where there are none, or that is not known yet. */
  since(count) {
    const blocks = (this.#blocks ?? []).slice(count);
    const begin = this.#first + middle(this.#apart.slice(0, LOOKS$1));
    return blocks.length && Number.isFinite(begin) ? { blocks, begin } : null;
  }

  /** Begin to record while a sound plays, whose seconds are given; a stand-in begins to play. */
  begin(seconds) {
    this.clipped = false;
    this.#blocks = [];
    this.#apart = [];
    this.#seconds = seconds;
    this.#from = seconds();
    this.#source?.play?.(seconds);
  }

  /**
   * End recording: the samples, when the first of them was heard in seconds of the sound, and by how many seconds both clocks
   * went apart meanwhile; null where there is none.
   */
  end() {
    const [first, last] = [this.#apart.slice(0, LOOKS$1), this.#apart.slice(-LOOKS$1)].map(middle);
    const blocks = this.#blocks ?? [];
    this.#blocks = null;
    this.#source?.rest?.();
    if (!blocks.length || !Number.isFinite(first)) return null;
    return { channels: joined(blocks), begin: this.#first + first, drift: last - first };
  }

  close() {
    this.#source?.end?.();
    this.#stream?.getTracks().forEach((track) => track.stop());
    this.#context?.close();
    this.#context = this.#stream = this.#source = this.#blocks = this.#node = this.#monitor = null;
    this.level = 0;
  }
}

/** The rehearsal microphone: a track of the project as if it came from outside, late, with noise, by a clock that drifts. */
class RehearsalMicrophone {
  /** @param {{ url: string, late: number, noise_db: number, drift_ppm: number, loops?: boolean }} how late is in ms */
  constructor(how) {
    this.how = how;
  }

  async into(context, capture) {
    const bytes = await (await fetch(this.how.url)).arrayBuffer();
    const buffer = await context.decodeAudioData(bytes);
    if (context.state === "closed") return null; // another device was chosen meanwhile
    const softer = new GainNode(context, { gain: 0.5 });
    this.#noise(context, capture);
    let source = null;
    const play = (seconds) => {
      const from = seconds();
      source = new AudioBufferSourceNode(context, { buffer, playbackRate: 1 + this.how.drift_ppm * 1e-6, loop: this.how.loops });
      source.connect(softer).connect(capture);
      const starts = () => {
        const heard = seconds();
        if (!(heard > from + STEADY_S)) return void requestAnimationFrame(starts); // its clock is not steady yet
        source?.start(context.currentTime + AHEAD_S + this.how.late / 1000, heard + AHEAD_S);
      };
      starts();
    };
    const rest = () => {
      source?.disconnect();
      source = null;
    };
    return { play, rest };
  }

  #noise(context, capture) {
    const buffer = new AudioBuffer({ length: 2 * context.sampleRate, sampleRate: context.sampleRate });
    const samples = buffer.getChannelData(0);
    for (let at = 0; at < samples.length; at += 1) samples[at] = (2 * Math.random() - 1) * 10 ** (this.how.noise_db / 20);
    const noise = new AudioBufferSourceNode(context, { buffer, loop: true });
    noise.connect(capture);
    noise.start();
  }
}

var microphone = /*#__PURE__*/Object.freeze({
  __proto__: null,
  MOST_S: MOST_S,
  Microphone: Microphone,
  PLAIN: PLAIN,
  RATE: RATE,
  RehearsalMicrophone: RehearsalMicrophone,
  peakOf: peakOf,
  wordsFor: wordsFor
});

// A microphone on the pad: its level is seen before and while it records; what it heard is a WAV file with its place in time.


const MOST_DRIFT_MS = 15;
const QUIET = 0.001; // -60 dB

/** Where a level stands on a meter that shows 60 dB, from 0 to 1. Pure. */
const meterOf = (loudest) => (loudest > QUIET ? Math.min(1, 1 + Math.log10(loudest) / 3) : 0);

/** Draw how loud an open microphone is at the foot of a canvas; says whether it is open. */
function drawMeter(canvas, { level, clipped, isOpen }, { edge }) {
  const { context, width, height } = pen(canvas);
  if (!isOpen) return false;
  const ink = colours();
  context.fillStyle = clipped ? ink.ember : ink.tide;
  context.fillRect(edge, height - edge - 8, meterOf(level) * (width - 2 * edge), 8);
  context.strokeStyle = ink.rule ?? ink["ink-2"];
  context.strokeRect(edge + 0.5, height - edge - 8.5, width - 2 * edge - 1, 9);
  return true;
}

class Voice extends Component {
  #peak = 0;
  #number = 1;
  /** @type {SoundMemory | null} */
  #memory = null;

  /** @param {any} root @param {AbortSignal} signal @param {{ standIn: () => any, onLost: () => any, late: () => number }} how standIn() says how the stand-in is, late() how late the device, in ms */
  constructor(root, signal, { standIn, onLost, late }) {
    super(root, signal);
    this.standIn = standIn;
    this.late = late;
    this.microphone = new Microphone({ onLost });
    this.signal.addEventListener("abort", () => this.close());
  }

  /** Open a device; throws where it cannot be had. */
  async open(device, url = transport.audio.dataset.url) {
    const isStandIn = device.startsWith("rehearsal");
    if (isStandIn && !url) throw new Refused(0, { what: "Nothing is heard that the rehearsal microphone could play.", remedy: "Let a track be heard." });
    await this.microphone.open(isStandIn ? new RehearsalMicrophone({ url, ...this.standIn() }) : null);
    this.#draw();
    return true;
  }

  /** Let what comes be heard meanwhile, or not. */
  monitor(on) {
    this.microphone.monitor(on);
  }

  /** Begin to record; seconds gives those of the sound that plays. What is to become a track is remembered meanwhile. */
  begin(seconds, { remembers = false } = {}) {
    this.#peak = 0;
    this.microphone.begin(seconds);
    if (!remembers) return;
    this.#number = document.querySelectorAll("[data-row^='recording']").length + 1;
    this.#memory = new SoundMemory({ since: (count) => this.microphone.since(count), about: () => ({ ms: this.late(), rate: RATE, number: this.#number }) });
  }

  /** How long it records, and whether it is too loud or silent. */
  get words() {
    const { seconds, clipped, level } = this.microphone;
    this.#peak = Math.max(this.#peak, level);
    const loud = clipped ? "; too loud: it is clipped" : seconds > 2 && this.#peak < QUIET ? "; nothing is heard" : "";
    return `Recording ${seconds.toFixed(1)} s${loud}`;
  }

  /** End recording: a WAV file, the address that takes it, what to say, and what to do once it is stored; null where nothing came. */
  end() {
    const heard = this.microphone.end();
    const memory = this.#memory;
    this.#memory = null;
    memory?.stop();
    if (!heard) return (memory?.forget(), null);
    const blob = new Blob([wavOf(heard.channels, RATE)], { type: "audio/wav" });
    const address = addressOf$1({ begin: heard.begin, ms: this.late(), number: this.#number });
    return { blob, address, words: this.#wordsOf(heard), done: () => memory?.forget() };
  }

  #wordsOf({ drift }) {
    if (this.microphone.clipped) return "Recorded, but it is clipped: turn the microphone down.";
    if (this.#peak < QUIET) return "Recorded, but it is silent.";
    const ms = Math.round(1000 * Math.abs(drift));
    return ms > MOST_DRIFT_MS ? `Recorded, but its clock and the sound's went ${ms} ms apart.` : "Recorded.";
  }

  /** When clicks that were played came back, in seconds of the sound that they are in. */
  clicks() {
    const heard = this.microphone.end();
    return heard ? clicksIn(heard.channels[0], RATE).map((time) => heard.begin + time) : [];
  }

  close() {
    this.microphone.close();
  }

  #draw() {
    if (drawMeter(this.find("canvas"), this.microphone, { edge: 12 }) && !this.signal.aborted) requestAnimationFrame(() => this.#draw());
  }
}

var voice = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Voice: Voice,
  drawMeter: drawMeter,
  meterOf: meterOf
});

// Performing while the sound plays: taps, a pointer's way, or a microphone; round by round, stored as soon as each ends.


const READY = {
  taps: "Press Record, then any letter, or click here: higher is stronger.",
  gesture: "Press Record, then lead the pointer over this pad.",
  microphone: "Press Record, then speak, sing or play.",
};

class Perform extends Component {
  /** @type {"taps" | "gesture" | "microphone"} */
  #kind = "taps";
  #state = "ready";
  #round = null;
  #rounds = 0;
  #heard = 0;
  #into = [];
  #clock = null;
  #hand = null;
  #ends = null;

  /** @param {any} root @param {AbortSignal} signal @param {{ over: () => any }} how over() gives what it lies over */
  constructor(root, signal, { over }) {
    super(root, signal);
    this.over = over;
    this.pad = new Pad(this.find("#perform-pad"), this.signal, { listens: () => this.#listens, onPoint: (values, at) => this.#point(values, at) });
    this.outbox = new Outbox({ query: () => this.#query, onStored: (status) => this.#stored(status), going: () => this.#going, signal: this.signal });
    this.voice = new Voice(this.find("#perform-pad"), this.signal, { standIn: () => this.#rehearsed, onLost: () => this.#stop(), late: () => latencyOf(this.devices.chosen, this.voice.microphone.ownLatency).ms });
    this.devices = new Devices({ field: this.find("#perform-device"), pad: this.pad, voice: this.voice, listens: () => this.#listens, signal: this.signal });
    this.calibrating = new Calibrating({ onState: (state, words) => this.#calibrates(state, words), hand: (clock) => this.#standIn(clock), voice: this.voice });
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(root, "change", ({ target }) => this.#changed(target));
    this.on(document, "keydown", (event) => this.#escape(event));
    this.on(window, "pagehide", () => (this.outbox.leave(), this.#ends?.abort()));
    this.on(window, "resize", () => this.#place());
    this.signal.addEventListener("abort", () => this.#stop());
  }

  /** What the pad takes in now. */
  get #listens() {
    if (this.#kind === "microphone") return null;
    if (this.#state === "calibrating") return "taps";
    return this.#state === "recording" ? this.#kind : null;
  }

  open() {
    this.root.hidden = false;
    this.#place();
    this.#performs(this.#kind);
    this.find("#perform-record").focus({ preventScroll: true });
  }

  close() {
    this.#stop();
    this.voice.close();
    this.root.hidden = true;
    this.#marked();
  }

  toggle() {
    if (this.root.hidden) this.open();
    else this.close();
  }

  /** What was drawn anew shows again whether it is open, and where a take may go. */
  renew() {
    this.#marked();
    if (this.root.hidden) return;
    this.#place();
    this.#offer();
  }

  #marked() {
    byId("open-perform")?.setAttribute("aria-expanded", String(!this.root.hidden));
  }

  /** Lie over the spectrogram, so that the waveform above and the level below stay in sight. */
  #place() {
    const place = this.over();
    if (this.root.hidden || !place) return;
    const { left, top, width, height } = place.getBoundingClientRect();
    const room = this.root.offsetParent.getBoundingClientRect();
    Object.assign(this.root.style, { left: `${left - room.left + 8}px`, top: `${top - room.top + 8}px`, width: `${width - 16}px`, height: `${height - 16}px` });
    this.#marked();
  }

  /** Offer the envelopes that are takes of the same kind; the one that is shown is meant. */
  #offer() {
    const field = this.find("#perform-into");
    const takes = JSON.parse(byId("takes-of")?.textContent ?? "[]").filter(({ kind }) => kind === this.#kind);
    const chosen = this.#into[0] ?? takes.find(({ id }) => id === selection.get("envelope"))?.id ?? "";
    const options = takes.map(({ id, name, count }) => new Option(`${name}, as take ${count + 1}`, id));
    field.replaceChildren(new Option("a new envelope", ""), ...options);
    field.value = takes.some(({ id }) => id === chosen) ? chosen : "";
  }

  #show() {
    for (const button of this.all("[data-performs]")) {
      button.setAttribute("aria-pressed", String(button.dataset.performs === this.#kind));
      button.disabled = this.#state !== "ready";
    }
    this.find("#perform-given").hidden = this.#kind !== "gesture";
    this.find("#into-row").hidden = this.#kind === "microphone";
    this.find("#rehearsal-row").hidden = !this.devices.chosen.startsWith("rehearsal");
    this.find("#rehearsal-more").hidden = this.devices.chosen !== "rehearsal microphone";
    this.find("#latency-words").textContent = latencyWords(this.devices.chosen, this.voice.microphone.ownLatency);
    this.find("#pad-words").textContent = this.#state === "ready" ? READY[this.#kind] : "";
    const record = this.find("#perform-record");
    record.textContent = { ready: "Record", counting: "Cancel", recording: "Stop", calibrating: "Record" }[this.#state];
    record.setAttribute("aria-pressed", String(this.#state === "recording"));
    record.disabled = this.#state === "calibrating";
    this.find("#calibrate").textContent = this.#state === "calibrating" ? "Cancel" : "Measure";
    this.root.dataset.state = this.#state;
  }

  #enter(state) {
    this.#state = state;
    this.#show();
  }

  #say(words) {
    this.find("#perform-words").textContent = words;
  }

  #pressed(button) {
    if (!button) return;
    const { id, dataset } = button;
    if (dataset.performs) this.#performs(dataset.performs);
    if (dataset.gives) this.#gives(button);
    if (id === "perform-close") this.close();
    if (id === "perform-record") this.#state === "ready" ? this.#record() : this.#stop();
    if (id === "monitor") this.devices.monitor({ turn: true });
    if (id === "calibrate") this.#state === "calibrating" ? this.calibrating.stop() : this.calibrating.start(this.devices.chosen);
  }

  #performs(kind) {
    this.#kind = kind;
    this.#into = [];
    this.devices.offer(kind);
    this.#offer();
    this.#chosen();
  }

  /** What of a gesture becomes an envelope: one thing at least. */
  #gives(button) {
    const is = button.getAttribute("aria-pressed") === "true";
    const others = this.all("[data-gives][aria-pressed='true']").length;
    button.setAttribute("aria-pressed", String(!is || others === 1));
  }

  #changed({ id }) {
    if (id === "perform-device" || id.startsWith("rehearsal-")) this.#chosen();
  }

  async #chosen() {
    this.#show();
    await this.devices.open();
    this.#show();
  }

  /** How late a stand-in is, in ms, and how noisy and fast a microphone it is. */
  get #rehearsed() {
    const [late, noise_db, drift_ppm] = ["late", "noise", "drift"].map((name) => Number(this.find(`#rehearsal-${name}`).value) || 0);
    return { late, noise_db, drift_ppm };
  }

  #escape(event) {
    if (event.key !== "Escape" || this.root.hidden || event.defaultPrevented || first("dialog[open]")) return;
    event.preventDefault();
    if (this.#state === "ready") this.close();
    else this.#stop();
  }

  /** Count in, play and record: the selection, or from the playhead on; in a loop a take a round. */
  async #record() {
    if (!project.status.frames) return;
    const range = transport.range ?? transport.selection;
    this.#ends = new AbortController();
    this.#rounds = 0;
    const into = this.find("#perform-into").value;
    this.#into = into ? [into] : [];
    transport.stop();
    transport.seek(range ? range[0] : transport.frame >= transport.last ? 0 : transport.frame);
    this.#enter("counting");
    this.#say("Counting in");
    const how = countOf(this.find("#perform-count").value, { perBar: Number(byId("per-bar")?.value ?? 4), bpm: rhythm.bpm });
    const mine = this.#ends;
    if (!(await countIn(how, mine.signal)) || mine.signal.aborted) return;
    this.#clock = new HeardClock(() => transport.seconds);
    this.#begin(this.#seconds(transport.frame));
    this.#enter("recording");
    transport.play();
    if (this.#kind === "microphone") this.voice.begin(() => transport.seconds, { remembers: true });
    this.#hand = this.#standIn(this.#clock);
    if (this.#kind === "taps") this.#hand?.tap(Array.from(rhythm.hits, this.#seconds), this.devices.chosen === PAD ? Array.from(rhythm.strengths) : null);
    else this.#hand?.lead();
    this.#follow(mine.signal);
  }

  #seconds = (frame) => (frame * transport.rate[1]) / transport.rate[0];

  #standIn = (clock) => ([HAND, PAD].includes(this.devices.chosen) ? new RehearsalHand({ clock, late: this.#rehearsed.late, pad: this.pad }) : null);

  #begin(begin) {
    this.#rounds += 1;
    const device = this.devices.chosen;
    this.#round = new Round({ kind: this.#kind, device, begin, latency: latencyOf(device) });
    this.#heard = begin;
  }

  /** Look at the sound's clock with every picture: it may begin a round anew, reach the end, or be stopped. */
  #follow(signal) {
    if (signal.aborted || this.#state !== "recording") return;
    const back = this.#clock.look();
    const { selection: range, looping } = transport;
    if (back && this.#kind === "microphone") return this.#stop();
    if (back) this.#endRound(looping ? this.#seconds(transport.range[1]) : this.#heard, looping ? this.#seconds(transport.range[0]) : transport.seconds);
    this.#heard = transport.seconds;
    if (!transport.playing || this.#round.isFull) return this.#stop();
    if (range && !looping && transport.seconds >= this.#seconds(range[1])) return this.#stop();
    this.#say(this.#kind === "microphone" ? this.voice.words : this.#round.words(this.#rounds));
    requestAnimationFrame(() => this.#follow(signal));
  }

  #point(values, timeStamp) {
    if (this.#state === "calibrating") this.calibrating.tap(timeStamp);
    else if (this.#state === "recording") this.#round.add(this.#clock.at(timeStamp), values);
  }

  /** Stop whatever goes on; what was performed until now is stored. */
  #stop() {
    this.calibrating.stop();
    if (this.#state === "ready" || this.#state === "calibrating") return;
    const was = this.#state;
    this.#ends.abort();
    this.#hand?.stop();
    const end = transport.seconds;
    transport.stop();
    this.#enter("ready");
    this.#say("");
    if (was === "recording") this.#endRound(end);
  }

  /** A round ends, and with another beginning the next one begins. */
  #endRound(end, next = null) {
    if (this.#kind === "microphone") return this.#keepVoice();
    const plain = this.#round.plain(end);
    if (next === null) this.#round = null;
    else this.#begin(next);
    if (plain) this.outbox.take(plain);
    else if (next === null) this.#say("Nothing was performed.");
  }

  /** What was heard becomes a track, where it was performed. */
  #keepVoice() {
    const { blob, address, words, done } = this.voice.end() ?? { words: "Nothing was heard." };
    if (blob) this.outbox.sound(blob, address, done);
    this.#say(words);
  }

  get #query() {
    const given = this.#kind === "gesture" ? this.all("[data-gives][aria-pressed='true']").map(({ dataset }) => ["given", dataset.gives]) : [];
    return new URLSearchParams([...this.#into.map((id) => ["into", id]), ...given]);
  }

  #stored(status) {
    if (!status.envelopes) return;
    this.#into = status.envelopes;
    this.#say(`Take ${status.take} is in ${status.named}.`);
  }

  get #going() {
    return this.#state === "recording" ? this.#round.plain(transport.seconds) : null;
  }

  #calibrates(state, words) {
    if (state) this.#enter(state);
    if (state === "ready" && this.#kind === "microphone") this.#chosen(); // the stand-in plays the sound again
    this.#say(words);
    this.find("#latency-words").textContent = latencyWords(this.devices.chosen, this.voice.microphone.ownLatency);
  }
}

var performing = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Perform: Perform
});

// What moved when another mix came under a track: in words, the old curve under the new one, and where they part.


const perSecond$2 = () => transport.rate[0] / transport.rate[1];

/** What moved, in words for the report of a swap. Pure. */
function reportLines({ moved, of, seconds }) {
  const [before, now] = seconds;
  const length = Math.abs(before - now) < 1e-6 ? [] : [`The project is ${now.toFixed(2)} s long now, ${before.toFixed(2)} s before.`];
  if (!moved.length) return [of ? `None of ${of} driven curves moved.` : "Nothing is driven yet, so nothing moved.", ...length];
  const share = (value) => (value < 0.001 ? "less than 0.1" : (value * 100).toFixed(1));
  const groups = new Map();
  for (const { name, largest, mean, at_s, note } of moved) {
    const words = note || `by up to ${share(largest)} % of its range at ${at_s.toFixed(2)} s, ${share(mean)} % on average`;
    groups.set(words, [...(groups.get(words) ?? []), name]);
  }
  const lines = [...groups].map(([words, names]) => `${names[0]}${names.length > 1 ? ` and ${names.length - 1} like it` : ""}: ${words}`);
  return [`${moved.length} of ${of} driven curves moved:`, ...length, ...lines];
}

const DRAWN_CURVES = 8;
const TOLD_STRETCHES = 6;

/** The curves to draw: of those that moved alike the first, named with how many there are. Pure. */
function unlike(moved) {
  const groups = new Map();
  for (const item of moved.filter(({ drawn }) => drawn.length)) {
    const alike = JSON.stringify(item.drawn);
    groups.set(alike, [...(groups.get(alike) ?? []), item]);
  }
  return [...groups.values()].slice(0, DRAWN_CURVES).map(([first, ...others]) => ({ ...first, name: others.length ? `${first.name} and ${others.length} like it` : first.name }));
}

/** A row of numbers from 0 to 1 as the points of a line, so high and so wide. Pure. */
const linePoints = (row, { width, height }) =>
  row.map((value, at) => `${((at * width) / Math.max(1, row.length - 1)).toFixed(1)},${((1 - value) * (height - 2) + 1).toFixed(1)}`).join(" ");

/** One curve that moved: its name, the old line with the new over it, and its stretches, each to be gone to. */
function drawMoved({ name, drawn, stretches }) {
  const item = document.createElement("div");
  item.className = "py-1";
  const size = { width: 200, height: 28 };
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("viewBox", `0 0 ${size.width} ${size.height}`);
  svg.setAttribute("class", "swap-lines");
  svg.setAttribute("role", "img");
  svg.setAttribute("aria-label", `${name}: the old curve, pale, with the new one over it`);
  for (const row of drawn) {
    const line = document.createElementNS(svg.namespaceURI, "polyline");
    line.setAttribute("points", linePoints(row, size));
    svg.append(line);
  }
  const buttons = stretches.slice(0, TOLD_STRETCHES).map(([from, to]) => {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "btn-quiet text-11! px-1! py-0! font-mono";
    button.textContent = `${(from / perSecond$2()).toFixed(1)}–${(to / perSecond$2()).toFixed(1)} s`;
    button.title = `Go to frame ${from}`;
    button.addEventListener("click", () => transport.seek(from));
    return button;
  });
  const more = document.createElement("span");
  more.className = "quiet text-11!";
  more.textContent = stretches.length > TOLD_STRETCHES ? `and ${stretches.length - TOLD_STRETCHES} more` : "";
  const label = document.createElement("p");
  label.className = "font-semibold clip";
  label.title = label.textContent = name;
  item.append(label, svg, ...buttons, more);
  return item;
}

var swap_report = /*#__PURE__*/Object.freeze({
  __proto__: null,
  drawMoved: drawMoved,
  linePoints: linePoints,
  reportLines: reportLines,
  unlike: unlike
});

// Another mix under a track, and what became of the curves.


const LOOK_AGAIN_MS = 700;

class Swap extends Component {
  #report = null;

  async take(file) {
    const status = await project.bring(() => send$1(project.url(`tracks/${selection.get("track")}/file`), file, () => {}));
    this.#report = { since: status.before, lines: ["Comparing the curves…"], moved: [] };
    await project.came(status);
    await this.#compare();
  }

  /** Ask what moved until both mixes are analyzed. */
  async #compare() {
    try {
      const answer = await getJson(project.url(`moved?since=${this.#report.since}`));
      Object.assign(this.#report, { lines: reportLines(answer), moved: unlike(answer.moved) });
    } catch (wrong) {
      if (wrong instanceof Refused && wrong.status === 202) {
        work.look();
        if (!this.signal.aborted) setTimeout(() => this.#compare(), LOOK_AGAIN_MS);
        return;
      }
      this.#report.lines = [wrong.message];
    }
    this.show();
  }

  show() {
    const place = this.find("#swap-report");
    if (!place || !this.#report) return;
    const lines = this.#report.lines.map((textContent, at) => Object.assign(document.createElement("p"), { textContent, className: at === 0 ? "font-semibold" : "" }));
    place.hidden = false;
    place.replaceChildren(...lines, ...this.#report.moved.map(drawMoved));
  }
}

var swap = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Swap: Swap
});

// The hits of the shown track under the hand: one is chosen on the ribbon, dragged, typed, taken away; another one is added.


const perSecond$1 = () => transport.rate[0] / transport.rate[1];

/** The hit that stands for a chosen one once hits are others: the nearest within half a frame, by its number, or -1. Pure. */
function stillThere(hits, frame) {
  const place = hits.findIndex((hit) => Math.abs(hit - frame) <= 0.5);
  return frame === null ? -1 : place;
}

class TrackHits extends Component {
  /** The chosen hit, in frames; null for none. @type {number | null} */
  picked = null;
  /** The one that is under the hand: where it was, and its number. @type {any} */
  #dragged = null;

  /** @param {any} root @param {AbortSignal} signal @param {{ soon: () => any }} how soon() draws the ribbon anew */
  constructor(root, signal, { soon }) {
    super(root, signal);
    this.soon = soon;
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")?.id));
    this.on(root, "ft:set", (event) => this.#typed(event));
    this.on(document, "keydown", (event) => this.#key(event));
    this.on(rhythm, "rhythm", () => this.show());
    selection.watch(["track"], () => this.pick(null), this.signal);
  }

  get #place() {
    return stillThere(rhythm.hits, this.picked);
  }

  pick(hit) {
    this.picked = hit === this.picked ? null : hit;
    this.show();
    this.soon();
  }

  /** A hit is dragged on the ribbon: it is drawn where the hand has it. */
  drag(hit, frame, done) {
    if (this.#dragged?.hit !== hit) this.#dragged = { hit, place: rhythm.hits.indexOf(hit) };
    const { place } = this.#dragged;
    rhythm.hits[place] = this.picked = frame;
    if (done) this.#move(hit, frame);
    this.soon();
  }

  async #move(hit, frame) {
    this.#dragged = null;
    if (!(await this.#send({ how: "move", hit_s: hit / perSecond$1(), time_s: frame / perSecond$1() }))) rhythm.load(rhythm.track);
  }

  #pressed(id) {
    if (id === "track-hit-add") this.#send({ how: "add", time_s: transport.frame / perSecond$1() });
    else if (id === "track-hit-remove") this.#remove();
  }

  #key(event) {
    if (event.defaultPrevented || isTyping(event.target) || !["Delete", "Backspace"].includes(event.key) || this.#place < 0) return;
    event.preventDefault();
    this.#remove();
  }

  #remove() {
    if (this.#place < 0) return;
    const hit_s = rhythm.hits[this.#place] / perSecond$1();
    this.pick(null);
    this.#send({ how: "remove", hit_s });
  }

  /** A number was typed: the hit is there at once, so that what is typed next is of the same one. */
  #typed({ target, detail }) {
    const place = this.#place;
    if (place < 0 || !["track-hit-time", "track-hit-strength"].includes(target.id)) return;
    setTimeout(() => {
      if (target.id === "track-hit-time") rhythm.hits[place] = this.picked = detail * perSecond$1();
      else rhythm.strengths[place] = detail;
      this.show();
      this.soon();
    }); // when it is sent
  }

  /** The hit that is meant is told by when it is: others may come and go before it is answered. */
  #send(plain) {
    return project.send(`tracks/${selection.get("track")}/hits`, plain);
  }

  /** Show when the chosen hit is and how strong. */
  show() {
    const [bar, place] = [this.find("#track-hit"), this.#place];
    if (!bar) return;
    bar.hidden = place < 0;
    if (place < 0) return;
    this.#fill("time", "move", rhythm.hits[place] / perSecond$1());
    this.#fill("strength", "weigh", rhythm.strengths[place]);
  }

  #fill(name, how, value) {
    const field = this.find(`#track-hit-${name}`);
    field.dataset.values = JSON.stringify({ how, hit_s: rhythm.hits[this.#place] / perSecond$1() });
    if (document.activeElement === field) return;
    field.value = String(Number(value.toFixed(4)));
    field.setAttribute("aria-valuenow", field.value);
  }
}

var track_hits = /*#__PURE__*/Object.freeze({
  __proto__: null,
  TrackHits: TrackHits,
  stillThere: stillThere
});

// The Sound room's left column: tracks, beat, markers and length; and what the ribbon does to them.


const SNAP_SHARE = 0.012; // of what is shown: beats that are moved land on hits this near
const perSecond = () => transport.rate[0] / transport.rate[1];
const beat = (how, more = {}) => project.send("beat", { how, ...more });
const toggle = (button, is) => button?.setAttribute("aria-pressed", String(is));

/** What a file that comes into the Sound room becomes, by its name: a track, or what plays or moves by itself. Pure. */
const takenAs = (name) => (/\.(mid|midi|csv|json)$/i.test(name) ? "curves" : "tracks");

class Soundtrack extends Component {
  #moving = false;
  #unit = "frames";
  #asking = null;
  moved = 0;
  grid = 0;

  /** @param {any} root @param {AbortSignal} signal @param {{ axis: any, soon: () => any }} how soon() draws the plots anew */
  constructor(root, signal, { axis, soon }) {
    super(root, signal);
    this.axis = axis;
    this.soon = soon;
    this.swap = new Swap(root, this.signal);
    this.hits = new TrackHits(root, this.signal, { soon });
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(root, "change", (event) => this.#changed(event.target));
    this.on(rhythm, "rhythm", () => this.#showHits());
  }

  /** What the ribbon does. */
  get ribbon() {
    return {
      onHit: (hit) => this.hits.pick(hit),
      onHitMove: (hit, frame, done) => this.hits.drag(hit, frame, done),
      onMarker: (marker, frame, done) => this.#moveMarker(marker, frame, done),
      onGrid: (frames, done) => this.#moveGrid(frames, done),
      onMove: (frames, done) => this.#moveTrack(frames, done),
      moving: () => this.#moving,
    };
  }

  mount(signal) {
    mountDrop(this.find("#tracks"), {
      input: this.find("#file"),
      words: this.find("#drop-words"),
      work: this.find("#drop-work"),
      onFile: (file, share) => this.#bring(takenAs(file.name), file, share),
      signal,
    });
    this.#taking("#swap-file", signal, (file) => this.swap.take(file));
    this.#taking("#marker-file", signal, (file) => this.#bring("markers", file));
    this.#taking("#curve-file", signal, (file) => this.#bring("curves", file));
    toggle(this.find("#move-track"), this.#moving);
    toggle(this.find("#snap"), rhythm.snapping);
    this.#ask(this.#asking);
    this.#showOffset();
    this.#showHits();
    this.hits.show();
    this.swap.show();
  }

  async #bring(path, file, onShare = () => {}) {
    return project.came(await project.bring(() => send$1(project.url(path), file, onShare)));
  }

  /** Take the first file that was chosen, and let the same one be chosen again. */
  #taking(chooser, signal, run) {
    const input = this.find(chooser);
    const take = async () => {
      const [file] = input.files;
      if (file) await telling(() => run(file), { about: file.name });
      input.value = "";
    };
    input?.addEventListener("change", take, { signal });
  }

  #moveMarker(marker, frame, done) {
    const time_s = Math.round(frame) / perSecond();
    if (done) project.edit({ kind: "set_field", owner: "marker", id: marker.id, path: "time_s", value: time_s });
    else Object.assign(project.status.markers.find(({ id }) => id === marker.id) ?? {}, { time_s });
    this.soon();
  }

  #moveGrid(frames, done) {
    const by = this.#snappedToHit(frames);
    this.grid = done ? 0 : by;
    if (done) beat("move", { number: by / perSecond() });
    this.soon();
  }

  #snappedToHit(frames) {
    const beatNow = nearest(rhythm.beats, transport.frame) ?? 0;
    const hit = nearest(rhythm.hits, beatNow + frames);
    const { from, to } = this.axis.view;
    const close = hit !== null && Math.abs(hit - beatNow - frames) < SNAP_SHARE * (to - from);
    return close ? hit - beatNow : frames;
  }

  #moveTrack(frames, done) {
    const track = selection.get("track");
    const { offset, rate } = this.find(`[data-row="${track}"]`).dataset;
    const now = (Number(offset) / Number(rate)) * perSecond();
    this.moved = Math.round(now + frames) - now;
    if (done) project.send(`tracks/${track}/offset`, { offset: Math.round(now + frames) });
    this.soon();
  }

  /** @param {string} chosen "frame" or "sample", a colon, and "playhead" or a marker's id */
  async #lineUp(chosen) {
    const [to, where] = chosen.split(/:(.*)/);
    const marker = project.status.markers.find(({ id }) => id === where);
    const frame = marker ? Math.floor(markerFrame(marker) + 1e-4) : transport.frame;
    const near = this.hits.picked ?? nearest(rhythm.hits, transport.frame) ?? transport.frame;
    this.hits.picked = null;
    await project.send(`tracks/${selection.get("track")}/offset`, { near_s: near / perSecond(), frame, to });
  }

  /** Ask before a track goes that others depend on; the question stays while the page is drawn anew. */
  #ask(id) {
    this.#asking = id;
    const place = this.find("#remove-ask");
    if (place) place.hidden = id === null || id !== selection.get("track");
  }

  #beatHere() {
    const nearestBeat = nearest(rhythm.beats, transport.frame);
    if (nearestBeat === null) notice("There are no beats yet. Set a tempo first, or tap one.");
    else beat("move", { number: (transport.frame - nearestBeat) / perSecond() });
  }

  /** Buttons that go by the playhead or the selection, or open a file. */
  #pressed(button) {
    const { id, dataset } = button ?? { dataset: {} };
    const acts = {
      choose: () => this.find("#file").click(),
      "move-track": () => toggle(button, (this.#moving = !this.#moving)),
      tap: () => taps.tap(),
      snap: () => toggle(button, (rhythm.snapping = !rhythm.snapping)),
      "take-markers": () => this.find("#marker-file").click(),
      "choose-curve": () => this.find("#curve-file").click(),
    };
    acts[id]?.();
    if ("addSound" in dataset) acts.choose();
    this.#pressedMarked(dataset);
  }

  #pressedMarked(dataset) {
    if (dataset.removeTrack && !dataset.command) this.#ask(dataset.removeTrack);
    else if ("keep" in dataset) this.#ask(null);
    else if (dataset.swap) this.find("#swap-file").click();
    else if (dataset.beat === "bar_here") beat("bar_here", { number: transport.frame / perSecond() });
    else if (dataset.beat === "move_here") this.#beatHere();
    else if (dataset.go) transport.seek(Math.floor(Number(dataset.go) * perSecond() + 1e-4));
    else if ("mark" in dataset) setMarker();
    else if ("workHere" in dataset) project.edit({ kind: "set_work", work: transport.selection ?? [0, project.status.frames] });
  }

  #changed({ id, value }) {
    if (id === "line-up" && value) this.#lineUp(value);
    if (id !== "offset-unit") return;
    this.#unit = value;
    this.#showOffset();
  }

  #showOffset() {
    const field = this.find("#track-offset");
    if (!field) return;
    const unit = this.#unit;
    this.find("#offset-unit").value = unit;
    field.dataset.step = unit === "ms" ? "10" : "1";
    field.dataset.values = JSON.stringify({ counted_in: unit });
    field.value = String(Number(Number(field.dataset[unit]).toFixed(unit === "ms" ? 2 : 3)));
  }

  #showHits() {
    const place = this.find("#hit-words");
    if (!place || rhythm.track !== selection.get("track")) return;
    const grid = rhythm.onGrid === null || !rhythm.beats.length ? "" : `, ${rhythm.onGrid} on the beat`;
    place.dataset.track = rhythm.track ?? "";
    say(place, rhythm.hits.length ? `${rhythm.hits.length} hit${rhythm.hits.length === 1 ? "" : "s"}${grid}` : "no hits in this track");
    const tempo = this.find("#tempo");
    if (tempo && document.activeElement !== tempo) tempo.value = String(Number(rhythm.bpm.toFixed(2)));
  }
}

var soundtrack = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Soundtrack: Soundtrack,
  takenAs: takenAs
});

// The Sound room: the shown track's waveform and spectrogram with the bands read from it, and the chosen envelope's trace.


const ENOUGH_PX = 80; // another width that a picture is asked for again
const BESIDE_PX = 540; // what stands beside the spectrogram

const shownUrl = (view) => project.url(`sound/shown?${new URLSearchParams({ ...asQuery(["envelope", "track"]), ...view })}`);

let ahead = null;

/** Begin to fetch what the room will draw while its page is still coming. */
function openingSound() {
  ahead = getPack(shownUrl({ from: 0, to: 0, columns: Math.max(400, window.innerWidth - BESIDE_PX), tilt: 0 }));
  ahead.catch(() => {});
}

class SoundRoom extends Component {
  #wave = null;
  #trying = null;
  #queued = false;
  #trackBefore = null;

  /** @param {any} room @param {AbortSignal} signal */
  constructor(room, signal) {
    super(room, signal);
    const root = this.find("#parts");
    this.axis = new Axis(project.status.frames);
    this.spectra = new Spectrogram({ axis: this.axis, onDrawn: () => this.#soon() });
    this.trace = new EnvelopeTrace(root, this.signal, { axis: this.axis, onLevel: (at) => this.#levelCame(at), waits: (wrong) => this.#waits(wrong) });
    this.tracks = new Soundtrack(root, this.signal, { axis: this.axis, soon: () => this.#soon() });
    this.listening = new Listening(root, this.signal);
    this.parts = new Parts(root, this.signal, { looked: () => asQuery(["envelope", "track"]), mount: (scope) => this.#mount(scope), drawn: () => this.#drawn() });
    this.drawer = new Drawer(this.find("#drawer"), this.signal, { parts: root, peek: (body) => this.trace.peek(body) });
    this.perform = new Perform(this.find("#perform"), this.signal, { over: () => this.find("#spectrogram") });
    this.hits = new Hits(root, this.signal, { axis: this.axis, trace: this.trace, soon: () => this.#soon() });
    new Order(root, this.signal);
    new Picker(byId("picker"), this.signal);
    new Bound(root, this.signal, {
      onTry: (command, _, { timeStamp }) => this.trace.preview(command, timeStamp),
      onDone: ({ chosen }, element) => element.dataset.opens && openInRoom(element.dataset.opens, chosen),
    });
    this.#listen(root);
    this.#open();
  }

  #listen(root) {
    this.on(root, "click", (event) => this.#pressed(event));
    this.on(root, "ft:try ft:set", (event) => "tilt" in event.target.dataset && this.#tilt(event.detail));
    this.on(this.axis, "view", () => (this.#soon(), this.find("#ribbon") && this.spectra.fetch().catch((wrong) => this.#waits(wrong))));
    this.on(transport, "frame", () => this.#drawFrame());
    this.on(transport, "selection", () => this.#soon());
    this.on(rhythm, "rhythm", () => this.#soon());
    this.on(project, "revised", (event) => this.#revised(event.detail));
    this.on(project, "refused", () => this.parts.renew());
    this.on(work, "done", () => (this.spectra.forget(), this.load()));
    selection.watch(["envelope", "track"], () => this.parts.renew(), this.signal);
    this.onResize(() => this.#resized());
    this.signal.addEventListener("abort", () => transport.other && transport.listen(null));
    document.fonts.ready.then(() => this.#soon());
  }

  /** Draw what came with the page; where something else is selected than the page shows, that. */
  #open() {
    const { envelope, track } = selection.all;
    this.parts.mount();
    const shown = selection.all;
    const other = (envelope && envelope !== shown.envelope && this.find(`[data-show-envelope="${envelope}"]`)) || (track && track !== shown.track && this.find(`[data-row="${track}"]`));
    if (other) selection.set({ envelope, track });
    else this.load(ahead);
    ahead = null;
  }

  get #track() {
    return selection.get("track");
  }

  /** The bands that are read from the shown track, as they are or as the hand holds them. */
  get #bands() {
    const all = JSON.parse(this.find("#bands-read")?.textContent ?? "[]").filter(({ track }) => track === this.#track);
    return this.#trying ? [...all.filter(({ id }) => id !== this.#trying.id), this.#trying] : all;
  }

  get #shownBand() {
    return this.#trying ? this.#trying.id : selection.get("envelope");
  }

  /** Wake what the server drew: what it shows as selected is what is selected. */
  #mount(scope) {
    const envelope = this.find("[data-show-envelope][aria-current]")?.dataset.showEnvelope ?? null;
    const ribbon = this.find("#ribbon");
    const track = ribbon?.dataset.track ?? null;
    this.trace.show(envelope);
    this.#trackBefore = this.#track;
    selection.correct({ envelope, track });
    this.tracks.mount(scope);
    this.find("[data-show-envelope][aria-current]")?.scrollIntoView({ block: "nearest", inline: "nearest" });
    this.listening.mount(this.#trackBefore);
    this.hits.mount(scope);
    if (ribbon) this.#mountPlots(ribbon, scope);
  }

  #mountPlots(ribbon, signal) {
    const { axis } = this;
    this.find("#tilt").value = String(this.spectra.tilt);
    mountRibbon(ribbon, { axis, signal, hits: true, ...this.tracks.ribbon });
    mountBands(this.find("#bands"), {
      bands: () => this.#bands,
      chosen: () => selection.get("envelope"),
      onBand: (band, how) => this.#onBand(band, how),
      onPick: (id) => selection.set({ envelope: id }),
      onClick: (event) => transport.seek(Math.floor(axis.view.from + (event.offsetX / sizeOf(this.find("#bands")).width) * (axis.view.to - axis.view.from))),
      signal,
    });
    for (const panel of ["#wave-panel", "#envelope-panel"]) mountWheel(this.find(panel), { axis, plot: () => this.find("#ribbon"), signal });
  }

  #drawn() {
    this.drawer.renew();
    this.perform.renew();
    return this.load();
  }

  #ask = newest((coming, shown) => telling(() => coming ?? getPack(shownUrl(shown))));

  /** Load what is shown, all at once; what is still being analyzed comes when it is done. */
  async load(coming = null) {
    const { axis, spectra } = this;
    if (axis.frames !== project.status.frames) axis.resize(project.status.frames);
    const picture = this.find("#spectrogram");
    const width = picture ? Math.ceil(sizeOf(picture).width) : 0;
    spectra.show(this.#track);
    this.trace.asks();
    const pack = await this.#ask(coming, { ...axis.view, columns: width || 800, tilt: spectra.tilt });
    if (!pack || this.signal.aborted) return;
    this.#take(pack);
    if (pack.head.missing.length) work.look();
    this.tracks.moved = 0;
    this.#drawAll();
    document.dispatchEvent(new CustomEvent("ft:loaded", { detail: performance.now() }));
    if (coming && width) this.#widen(width);
  }

  #take({ head, arrays }) {
    this.trace.take(head.level?.envelope === selection.get("envelope") ? { head: head.level, arrays } : null);
    if (head.track !== this.#track) return;
    const part = (name, run) => head[name] && run({ head: head[name], arrays });
    part("wave", (item) => (this.#wave = waveOf(item)));
    part("spectra", (item) => this.spectra.take(item));
    part("rhythm", (item) => rhythm.take(this.#track, item));
  }

  #waits(wrong) {
    if (wrong.status === 202) work.awaits();
    else notice(wrong.message);
  }

  /** A band is drawn or tuned: its trace follows; when the hand lets go it is stored. None shows what is stored again. */
  async #onBand(band, { done, at }) {
    if (!band) {
      this.#trying = null;
      this.load();
      return;
    }
    this.#trying = band;
    const command = this.#commandFor(band);
    if (!done) {
      this.trace.preview(command, at);
      return;
    }
    const stored = await project.edit(command);
    this.#trying = null;
    if (stored && band.id !== null) selection.set({ envelope: band.id });
    this.#soon();
  }

  #commandFor({ id, name, low, high }) {
    if (id === null) return { kind: "add_envelope", track: this.#track, reading: { id: this.find("#bands").dataset.reading, params: { low_hz: low, high_hz: high } } };
    const edge = (field, value) => ({ kind: "set_field", owner: "envelope", id, path: `reading.params.${field}`, value });
    return { kind: "together", words: `Tune ${name}`.slice(0, 120), commands: [edge("low_hz", low), edge("high_hz", high)] };
  }

  #pressed(event) {
    const link = event.target.closest("[data-bench]");
    const row = event.target.closest("[data-row]");
    if (event.target.closest("#open-perform")) this.perform.toggle();
    if (link) {
      event.preventDefault();
      openInRoom("bench", { mapping: link.dataset.bench, drive: 0 });
    } else if (row && !event.target.closest("button, input, select, label")) selection.set({ track: row.dataset.row });
  }

  #tilt(tilt) {
    Object.assign(this.spectra, { tilt, mean: null });
    this.spectra.load(this.spectra.width, getPack).then(
      () => this.#soon(),
      (wrong) => this.#waits(wrong),
    );
  }

  #revised({ before }) {
    if (before?.rate.join() !== project.status.rate.join()) this.spectra.forget();
    this.parts.renew();
  }

  #resized() {
    this.#soon();
    const picture = this.find("#spectrogram");
    if (this.spectra.picture && picture) this.#widen(sizeOf(picture).width);
  }

  #widen(width) {
    if (Math.abs(width - this.spectra.width) > ENOUGH_PX) this.spectra.load(width, getPack).catch((wrong) => this.#waits(wrong));
  }

  zoom(by) {
    this.axis.zoomAt(transport.frame, by);
  }

  /** Draw on the next screen frame, once. */
  #soon() {
    if (this.#queued) return;
    this.#queued = true;
    requestAnimationFrame(() => {
      this.#queued = false;
      if (!this.signal.aborted) this.#drawAll();
    });
  }

  #drawAll() {
    const ribbon = this.find("#ribbon");
    if (ribbon) {
      const { hits: { picked }, moved, grid } = this.tracks;
      drawRibbon(ribbon, { wave: this.#wave, axis: this.axis, hits: true, picked, moved, grid });
      this.spectra.draw(this.find("#spectrogram"));
      this.#drawBands();
      drawPitches(this.find("#pitches"));
    }
    this.#drawFrame();
  }

  #drawBands() {
    if (this.find("#bands")) drawBands(this.find("#bands"), { bands: this.#bands, chosen: this.#shownBand });
  }

  #levelCame(at) {
    this.#drawBands();
    this.#drawFrame();
    if (at !== undefined) document.dispatchEvent(new CustomEvent("ft:drawn", { detail: performance.now() - at }));
  }

  #drawFrame() {
    if (transport.playing) this.axis.follow(transport.frame);
    const [head, ribbon] = [this.find("#playhead"), this.find("#ribbon")];
    if (head && ribbon) {
      const { width } = sizeOf(ribbon);
      const x = xOf(transport.frame + 0.5, { ...this.axis.view, width });
      head.hidden = x < 0 || x > width;
      head.style.transform = `translateX(${x}px)`;
      this.spectra.drawSpectrum(this.find("#spectrum"), { frame: transport.frame, bands: this.#bands.filter(({ id }) => id === this.#shownBand) });
    }
    this.hits.show();
    this.trace.draw();
  }
}

var sound_room = /*#__PURE__*/Object.freeze({
  __proto__: null,
  SoundRoom: SoundRoom,
  openingSound: openingSound
});

// Several parts chosen together: with Shift and Ctrl in the tree and on the stage, by a box, by likeness, by name; and the
// line that shows in which order they are.


const CLICK_PX = 4;
const MOST_WHILE_PLAYING = 60;
const MOST_SHOWN = 400;
const CROWD = 40;
const MOST_THROUGH = 150; // pieces that the line of an array goes through
const SETTINGS = ["order", "backwards", "takes", "late", "first_has", "last_has"];

/** The parts that are chosen when one is added to them, or taken away; none where fewer than two are left. Pure. */
function toggled(parts, primary, part) {
  const now = parts.length ? parts : primary ? [primary] : [];
  const next = now.includes(part) ? now.filter((one) => one !== part) : [...now, part];
  const last = next.includes(part) ? part : (next.at(-1) ?? primary);
  return { part: last, parts: next.length > 1 ? next : [] };
}

/** The parts from one row of the tree to another, both included. Pure. */
function ranged(rows, from, to) {
  const [a, b] = [Math.max(0, rows.indexOf(from)), rows.indexOf(to)].sort((x, y) => x - y);
  const parts = rows.slice(a, b + 1);
  return { part: from ?? to, parts: parts.length > 1 ? parts : [] };
}

/** A box from one corner to the other, as left, top, right and bottom in shares of a stage. Pure. */
function boxOf(from, to, { width, height }) {
  const [xs, ys] = [[from.x, to.x], [from.y, to.y]].map((pair) => pair.sort((a, b) => a - b));
  return [xs[0] / width, ys[0] / height, xs[1] / width, ys[1] / height];
}

/** The edges of a box on the screen from one pointer's place to another's. Pure. */
const edgesOf$1 = (a, b) => ({ left: Math.min(a.clientX, b.clientX), right: Math.max(a.clientX, b.clientX), top: Math.min(a.clientY, b.clientY), bottom: Math.max(a.clientY, b.clientY) });

/** A number of entries of a list at most, evenly spaced, the first and the last among them. Pure. */
const spaced = (list, most) =>
  list.length <= most ? list : Array.from({ length: most }, (_, at) => list[Math.round((at * (list.length - 1)) / (most - 1))]);

/** What is to be said of a choice that gave so many parts, of so many there are: nothing where it is as expected. Pure. */
function outcomeWords(how, chosen, count) {
  if (!chosen) return how === "box" || how === "nodes" ? "Nothing lies in the box with all that is seen of it." : "There are no others.";
  if (count > chosen) return `${count} parts are meant: the first ${chosen} are chosen, which is as many as go together.`;
  return chosen === 1 && how === "alike" ? "No other part looks like this one." : "";
}

const middleOf = (corners) => ({
  x: corners.reduce((sum, { x }) => sum + x, 0) / corners.length,
  y: corners.reduce((sum, { y }) => sum + y, 0) / corners.length,
});

class Choosing extends Component {
  #boxing = false;
  #tried = null;
  #answer = newest((ask) => telling(ask));

  /** @param {any} room @param {AbortSignal} signal @param {{ stage: any, isPlaying: () => boolean }} how */
  constructor(room, signal, { stage, isPlaying }) {
    super(room, signal);
    this.stage = stage;
    this.isPlaying = isPlaying;
    this.#layOver();
    this.on(stage.root, "pointerdown", (event) => this.#press(event), { capture: true });
    this.on(room, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(document, "keydown", (event) => event.key === "Escape" && !isTyping(event.target) && !first("dialog[open]") && this.none());
  }

  /** What an edit of all of them says besides: which they are, and how they are put in a row. */
  get asked() {
    return { parts: selection.get("parts"), ...Object.fromEntries(SETTINGS.map((name) => [name, selection.get(name)])) };
  }

  /** A part is picked: alone, or with Shift or Ctrl added or taken away; over rows of the tree, from one to the other. */
  pick(part, { shiftKey = false, ctrlKey = false, metaKey = false } = {}, rows = null) {
    const { part: primary, parts } = selection.all;
    if (rows && shiftKey && !rows.includes(primary)) this.#ask({ how: "range", parts: [primary, part] });
    else if (rows && shiftKey) selection.set({ ...ranged(rows, primary, part), property: "" });
    else if (shiftKey || ctrlKey || metaKey) selection.set({ ...toggled(parts, primary, part), property: "" });
    else selection.set({ part, parts: [], ...(part === primary ? {} : { property: "" }) });
  }

  none() {
    if (selection.get("parts").length) selection.set({ parts: [], property: "" });
  }

  #take(parts) {
    const primary = selection.get("part");
    if (parts.length) selection.set({ part: parts.includes(primary) ? primary : parts[0], parts: parts.length > 1 ? parts : [], property: "" });
  }

  async #ask(body) {
    const answer = await this.#answer(() => postJson(project.url("stage/choose"), body));
    if (!answer || this.signal.aborted) return;
    this.#take(answer.parts);
    const words = outcomeWords(body.how, answer.parts.length, answer.count);
    if (words) notice(words, { tone: "good" });
  }

  async #recall(id) {
    const answer = await this.#answer(() => getJson(project.url(`stage/selections/${id}`)));
    if (answer && !this.signal.aborted) this.#take(answer.parts);
  }

  #pressed(button) {
    const { chooseHow, selection: id } = button?.dataset ?? {};
    const { part, parts } = selection.all;
    if (chooseHow) this.#ask({ how: chooseHow, parts: parts.length ? parts : [part] });
    else if (id) this.#recall(id);
    else if (button?.id === "choose-none") this.none();
    else if (button?.id === "box-parts") this.#setBoxing(!this.#boxing);
  }

  // --- a box on the stage

  #setBoxing(is) {
    this.#boxing = is;
    this.mount();
  }

  /** The panels were drawn anew. */
  mount() {
    this.find("#box-parts")?.setAttribute("aria-pressed", String(this.#boxing));
    this.stage.root.classList.toggle("boxing", this.#boxing);
    if (this.stage.space === "3d") this.stage.view?.placeParts(JSON.parse(this.find("#several-places")?.textContent ?? "{}"));
    this.outline();
  }

  #press(down) {
    const { view, root, space } = this.stage;
    const wanted = this.#boxing || (down.shiftKey && space === "2d"); // in space a drag with Shift moves the eye
    if (!view || this.stage.drawing || down.button !== 0 || !wanted) return;
    const from = space === "2d" ? view.toScene(down) : null;
    this.stage.drawing = true;
    if (space === "3d") view.hold(true);
    const end = (up) => {
      this.stage.drawing = false;
      if (space === "3d") view.hold(false);
      this.#setBoxing(false);
      this.frame.setAttribute("visibility", "hidden");
      if (up.type === "pointercancel") return;
      if (Math.hypot(up.clientX - down.clientX, up.clientY - down.clientY) <= CLICK_PX) this.#click(up);
      else this.#ask(space === "3d" ? { how: "nodes", nodes: view.enclosed(edgesOf$1(down, up)) } : { how: "box", parts: [], box: boxOf(from, view.toScene(up), this.#size) });
    };
    follow(down, root, { move: (event) => this.#showBox(down, event), end, signal: this.signal });
  }

  #click(event) {
    const part = this.stage.view.pick(event);
    if (part) this.pick(part, { shiftKey: true });
  }

  get #size() {
    const [, , width, height] = this.stage.view.svg.dataset.whole.split(/[\s,]+/).map(Number);
    return { width, height };
  }

  #showBox(down, event) {
    const { left, top } = this.stage.root.getBoundingClientRect();
    const [xs, ys] = [[down.clientX - left, event.clientX - left], [down.clientY - top, event.clientY - top]].map((pair) => pair.sort((a, b) => a - b));
    for (const [name, value] of Object.entries({ x: xs[0], y: ys[0], width: xs[1] - xs[0], height: ys[1] - ys[0], visibility: "visible" })) this.frame.setAttribute(name, String(value));
  }

  // --- what is chosen, over the stage

  #layOver() {
    const over = drawn("svg", { class: "over", "aria-hidden": "true" });
    this.boxes = drawn("path", DASHES);
    this.lines = ["order-under", "order-line"].map((name) => drawn("polyline", { class: name }));
    this.ends = [0, 1].map(() => drawn("circle", { class: "order-end", r: 5 }));
    this.words = ["first", "last"].map((text) => Object.assign(drawn("text", { class: "order-word" }), { textContent: text }));
    this.frame = drawn("rect", { class: "choose-box", visibility: "hidden" });
    over.append(this.boxes, ...this.lines, ...this.ends, ...this.words, this.frame);
    this.stage.root.append(over);
    this.over = over;
  }

  /** Show the line of another order, or with null of the one that is chosen. @param {{ parts?: string[], pieces?: number[] } | null} order */
  tryOrder(order) {
    this.#tried = order;
    this.outline();
  }

  /** The parts that are chosen, in their order or in one that is tried. */
  get #ordered() {
    return this.#tried?.parts ?? JSON.parse(this.find("#several-line")?.textContent ?? "[]");
  }

  /** Draw around all that are chosen, and the line through them in their order. */
  outline() {
    const ordered = this.#ordered;
    const pieces = ordered.length > 1 ? null : this.#pieces();
    const shown = this.#showsLine(ordered, pieces);
    this.over.setAttribute("visibility", shown || this.stage.drawing ? "visible" : "hidden");
    for (const part of [this.boxes, ...this.lines, ...this.ends, ...this.words]) part.setAttribute("visibility", shown ? "inherit" : "hidden");
    if (!shown) return;
    const { left, top } = this.stage.root.getBoundingClientRect();
    const at = ({ x, y }) => ({ x: Number((x - left).toFixed(1)), y: Number((y - top).toFixed(1)) });
    const corners = spaced(ordered, MOST_SHOWN).map((part) => this.stage.view.outline(part)?.map(at)).filter(Boolean);
    this.boxes.setAttribute("d", corners.map((points) => `M${points.map(({ x, y }) => `${x} ${y}`).join("L")}Z`).join(""));
    this.over.classList.toggle("crowded", (pieces?.length ?? 0) > CROWD);
    const middles = pieces?.map(at) ?? corners.map(middleOf);
    for (const line of this.lines) line.setAttribute("points", middles.map(({ x, y }) => `${x},${y}`).join(" "));
    [middles[0], middles.at(-1)].forEach((middle, place) => middle && this.#putEnd(place, middle));
  }

  #showsLine(ordered, pieces) {
    return this.stage.view && (pieces || (ordered.length > 1 && !(this.isPlaying() && ordered.length > MOST_WHILE_PLAYING)));
  }

  /** Where the pieces of the selected array are on the screen, in their order; null of any other part. */
  #pieces() {
    const { view } = this.stage;
    const points = view?.arrays?.line(selection.get("part"), MOST_THROUGH, this.#tried?.pieces)?.map((point) => view.onScreen(point));
    return points?.length > 1 && points.every(Boolean) ? points : null;
  }

  #putEnd(place, { x, y }) {
    for (const [name, value] of [["cx", x], ["cy", y]]) this.ends[place].setAttribute(name, value);
    for (const [name, value] of [["x", x], ["y", y - 10]]) this.words[place].setAttribute(name, value);
  }
}

var stage_choose = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Choosing: Choosing,
  boxOf: boxOf,
  edgesOf: edgesOf$1,
  outcomeWords: outcomeWords,
  ranged: ranged,
  spaced: spaced,
  toggled: toggled
});

// Files for the stage: dropped or chosen, added or put in its place, or put under the parts of an older version.


const MOST_NAMED = 6;

const some = (names, between) => `${names.slice(0, MOST_NAMED).join(between)}${names.length > MOST_NAMED ? ` and ${names.length - MOST_NAMED} more` : ""}`;

/** What became of files, in one sentence. Pure. */
function cameIn({ notes = [], lost = [], fresh = [] }) {
  const words = [];
  if (notes.length) words.push(`Left out or changed on the way in: ${notes.join("; ")}.`);
  if (lost.length) words.push(`Not there any more, so nothing moves it: ${some(lost, "; ")}.`);
  if (fresh.length) words.push(`New in it: ${some(fresh, ", ")}.`);
  return words.join(" ");
}

const namesOf = (files) => (files.length === 1 ? files[0].name : `${files[0].name} and ${files.length - 1} more`);
const isSolid = (files) => [...files].some(({ name }) => /\.(glb|gltf)$/i.test(name));
const urlFor = (how) => project.url(`stage/files?how=${how}`);

class StageFiles extends Component {
  #replaces = null;
  #depth = 0;

  /** @param {any} room @param {AbortSignal} signal @param {{ stage: any, isBare: () => boolean }} how isBare() says that the stage is empty */
  constructor(room, signal, { stage, isBare }) {
    super(room, signal);
    this.stage = stage;
    this.isBare = isBare;
    this.input = this.find("#scene-file");
    this.on(this.input, "change", () => this.#chosen());
    this.on(room, "click", ({ target }) => this.#pressed(target.closest("#bring-in, [data-bring-in], [data-replace-file]")));
    this.on(room, "change", ({ target }) => target.id === "new-stage" && target.value && this.#newStage(target));
    this.on(room, "dragenter", (event) => (event.preventDefault(), this.#over(1)));
    this.on(room, "dragover", (event) => event.preventDefault());
    this.on(room, "dragleave", () => this.#over(-1));
    this.on(room, "drop", (event) => this.#dropped(event));
  }

  #over(by) {
    this.#depth += by;
    this.stage.root.classList.toggle("dropping", this.#depth > 0);
  }

  #dropped(event) {
    this.#over(-this.#depth);
    if (event.defaultPrevented) return; // it goes elsewhere
    event.preventDefault();
    this.#offer([...event.dataTransfer.files]);
  }

  #pressed(button) {
    if (!button) return;
    this.#replaces = button.dataset.replaceFile ?? null;
    this.input.click();
  }

  #chosen() {
    const files = [...this.input.files];
    this.input.value = "";
    if (this.#replaces && files.length) this.#send(project.url(`stage/files/${this.#replaces}/replace`), files);
    else this.#offer(files);
    this.#replaces = null;
  }

  /** Ask whether what came is added or takes the stage's place; an empty stage is simply replaced. */
  #offer(files) {
    if (!files.length) return;
    const replace = () => this.#send(urlFor("replace"), files);
    const [solid, names] = [isSolid(files), namesOf(files)];
    if (this.isBare()) replace();
    else if (solid !== (project.status.space === "3d")) {
      const [kind, other] = solid ? ["3D", "2D"] : ["2D", "3D"];
      notice(`${names} is ${kind}, and this stage is ${other}: put it in the stage's place?`, { tone: "good", act: { words: "Replace the stage", run: replace } });
    } else if (solid && project.status.shown.model) {
      notice(`${names}: this stage holds a glTF file already, and one is what it can hold. Join the two in one file to have both.`, { tone: "good", act: { words: "Replace the stage", run: replace } });
    } else {
      const add = { words: "Add it", run: () => this.#send(urlFor("add"), files) };
      const other = { words: "Replace the stage", run: replace };
      notice(`${names}: add it to what is on the stage, or put it in its place?`, { tone: "good", act: add, other });
    }
  }

  /** Send files and take in what came of them. Cancel stops the sending; once they are being read, it takes them back. */
  async #send(url, files) {
    const names = namesOf(files);
    const halt = new AbortController();
    let [sent, unwanted] = [false, false];
    const onShare = (share) => {
      sent = share >= 1;
      if (!unwanted) notice(sent ? `Reading ${names}` : `Sending ${names}: ${Math.round(share * 100)} %`, { tone: "good", act: { words: "Cancel", run: cancel } });
    };
    const cancel = () => {
      unwanted = true;
      if (sent) notice(`${names} is taken back as soon as it is read.`, { tone: "good" });
      else halt.abort();
    };
    onShare(0);
    const status = await telling(() => project.bring(() => postForm(url, files, { onShare, signal: halt.signal })), { about: names });
    if (!status) return;
    await project.came(status); // with what came selected: it is worked on next
    if (unwanted) {
      const isLast = project.status.revision === status.revision;
      if (!isLast) notice(`${names} was read, and you did something since: undo takes that back first, and then the file.`, { act: { words: "Undo", run: () => project.undo() } });
      else if (await project.undo()) notice(`${names} was taken back: all is as it was.`, { tone: "good", act: { words: "Bring it in after all", run: () => project.redo() } });
      return;
    }
    const words = cameIn(status);
    notice(words || `${names} is on the stage.`, { tone: words ? "bad" : "good", act: { words: "Undo", run: () => project.undo() } });
  }

  async #newStage(list) {
    const status = await project.send(`stage/new/${list.value}`);
    list.value = "";
    if (status?.lost?.length) notice(cameIn(status), { act: { words: "Undo", run: () => project.undo() } });
  }
}

var stage_files = /*#__PURE__*/Object.freeze({
  __proto__: null,
  StageFiles: StageFiles,
  cameIn: cameIn
});

// The sound of another tab, or of a whole screen, as the browser shares it: a source for the capture of microphone.js.


const NO_TAB = {
  NotAllowedError: { what: "No tab was shared.", remedy: "Press Start again, and choose one with its sound." },
  NotFoundError: { what: "There is no tab to share.", remedy: "Open the tab that plays, then press Start again." },
};
const SILENT = { what: "The tab was shared without its sound.", remedy: "Press Start again, choose a tab, and let its sound be shared too." };

/** A sentence for a tab that cannot be had. Pure. */
const tabWords = (name) => NO_TAB[name] ?? { what: "This browser does not share the sound of a tab.", remedy: "Use a microphone, or another browser." };

class TabSound {
  /** @param {{ onLost: () => any }} how onLost() hears that it is shared no more */
  constructor({ onLost }) {
    this.onLost = onLost;
  }

  async into(context, capture) {
    let stream;
    try {
      stream = await navigator.mediaDevices.getDisplayMedia({ audio: PLAIN, video: true });
    } catch (wrong) {
      throw new Refused(0, tabWords(wrong.name));
    }
    const end = () => stream.getTracks().forEach((track) => track.stop());
    if (!stream.getAudioTracks().length) {
      end();
      throw new Refused(0, SILENT);
    }
    for (const track of stream.getAudioTracks()) track.addEventListener("ended", () => this.onLost());
    context.createMediaStreamSource(stream).connect(capture);
    return { end };
  }
}

var tab_sound = /*#__PURE__*/Object.freeze({
  __proto__: null,
  TabSound: TabSound,
  tabWords: tabWords
});

// Live: what a microphone, a tab or their stand-in hears moves the stage as it comes. Python says how; see web/pages/live.py.


const CHANNELS = { microphone: 1, tab: 2, rehearsal: 2 };
const TELL_MS = 500;
const GONE = 410; // the session is
const LOOKS = 60; // pictures of which the middle one is said
const NO_SOUND = { what: "Nothing is heard that the rehearsal microphone could play.", remedy: "Let a track be heard." };

/** What is late, in one line for each: those first that are the latest. Pure. */
function lagLines({ lags, late }) {
  const lines = [...lags].sort((a, b) => b.ms - a.ms).map(({ name, ms, words }) => [ms ? `${ms} ms late` : words.length ? "" : "at once", name, words.join(" ")]);
  return late ? [...lines, ["", "", late]] : lines;
}

/** What drives pieces, once its newest rows came: whole, or rows for what is known. Pure. */
function withRows(known, properties, arrays) {
  const moved = { ...known };
  for (const [name, one] of Object.entries(properties)) {
    if (name === "thrown") moved.thrown = one;
    else if (one.whole) Object.assign(moved, unpackedMotion({ [name]: one.whole }, arrays));
    else moved[name] = { ...known[name], drivers: known[name].drivers.map((driver, at) => ({ ...driver, rows: [arrays[one.rows[at]]].flat() })) };
  }
  return moved;
}

class Live extends Component {
  #session = null;
  #worker = null;
  #starts = false;
  #standing = { curves: {}, parts: {}, arrays: {} };
  #next = null;
  #told = 0;
  #delays = [];

  /** @param {any} room @param {AbortSignal} signal @param {{ onStand: (standing: any) => any }} how onStand() hears how the stage stands; null when it is over */
  constructor(room, signal, { onStand }) {
    super(room, signal);
    this.onStand = onStand;
    this.panel = this.find("#live");
    this.microphone = new Microphone({ onLost: () => this.#lost() });
    this.on(room, "click", ({ target }) => this.#act(target.closest("button")?.id));
    this.on(document, "keydown", (event) => event.key === "Escape" && !this.panel.hidden && !event.defaultPrevented && !first("dialog[open]") && !document.fullscreenElement && this.#close());
    this.on(project, "revised", () => this.#session && this.#address());
    this.on(window, "pagehide", () => this.#stop({ quietly: true }));
    this.signal.addEventListener("abort", () => this.#stop({ quietly: true }));
  }

  /** The panels were drawn anew. */
  mount() {
    this.find("#live-open")?.setAttribute("aria-pressed", String(this.#session !== null));
    const tracks = JSON.parse(this.find("#live-tracks")?.textContent ?? "[]");
    const place = this.panel.querySelector("#live-place");
    const before = place.value;
    place.replaceChildren(new Option("every track", ""), ...tracks.map(({ id, name }) => new Option(name, id)));
    if (tracks.some(({ id }) => id === before)) place.value = before;
  }

  #act(id) {
    if (id === "live-open") this.panel.hidden ? this.#open() : this.#close();
    else if (id === "live-close") this.#close();
    else if (id === "live-start") this.#session || this.#starts ? this.#stop() : this.#start();
    else if (id === "live-keep") this.#keep();
  }

  #open() {
    this.panel.hidden = false;
    this.#show();
    this.panel.querySelector("#live-start").focus({ preventScroll: true });
  }

  #close() {
    this.panel.hidden = true;
    this.find("#live-open")?.focus({ preventScroll: true });
  }

  get #source() {
    return this.panel.querySelector("#live-source").value;
  }

  #device() {
    if (this.#source === "tab") return new TabSound({ onLost: () => this.#lost() });
    if (this.#source === "microphone") return null;
    const { url } = transport.audio.dataset;
    if (!url) throw new Refused(0, NO_SOUND);
    return new RehearsalMicrophone({ url, late: 0, noise_db: -70, drift_ppm: 20, loops: true });
  }

  /** Listen, and let what is heard move the stage. */
  async #start() {
    this.#starts = true;
    this.#show();
    const began = await telling(async () => {
      await this.microphone.open(this.#device());
      await this.#begin();
      return this.#starts;
    });
    if (began) hush();
    else this.#stop();
    this.#starts = false;
    if (!began) return;
    this.#feed();
    this.#show();
    this.#meter();
  }

  /** Ask for a session, and feed it. */
  async #begin() {
    const channels = CHANNELS[this.#source];
    const track = this.panel.querySelector("#live-place").value;
    this.#session = await postJson(project.url("live"), { rate_hz: RATE, channels, track });
    this.#standing = { curves: {}, parts: {}, arrays: {} };
    this.#delays = [];
    this.#address();
    this.#lags(this.#session.words);
  }

  /** Let a worker send what is heard: the page may be busy drawing meanwhile. */
  #feed() {
    this.#worker = new Worker(new URL("live_worker.js", import.meta.url), { type: "module" });
    this.#worker.onmessage = ({ data }) => this.#answered(data);
    this.#address();
    const { port1, port2 } = new MessageChannel();
    const headers = { Accept: "application/json", "X-CSRF-Token": token(), "Content-Type": "application/octet-stream" };
    this.#worker.postMessage({ port: port1, headers, rate: project.status.rate, hz: RATE, channels: CHANNELS[this.#source] }, [port1]);
    this.microphone.handTo(port2);
  }

  /** Say where samples go now: the session, and the revision that the page shows. */
  #address() {
    this.#worker?.postMessage({ url: project.url(`live/${this.#session.id}/samples?revision=${project.status.revision}`) });
  }

  /** A session that the application forgot is asked for anew; anything else that goes wrong ends it. */
  async #answered({ status, body, heardAt }) {
    if (!this.#session) return;
    if (status === 200) return this.#stand(unpack(body), heardAt);
    const words = status ? JSON.parse(new TextDecoder().decode(body)) : UNREACHABLE;
    const began = status === GONE && (await telling(() => this.#begin().then(() => true)));
    if (began) return;
    if (status !== GONE) notice(new Refused(status, words).message);
    this.#stop();
  }

  #lost() {
    if (!this.#session) return;
    this.#stop();
    notice("What was listened to is gone. Plug it in or share it again, then start again.");
  }

  /** The stage stands as an answer says. */
  #stand({ head, arrays }, heardAt) {
    if (head.words) this.#lags(head.words);
    if (!head.curves) return;
    const standing = this.#standing;
    const { rate } = project.status;
    standing.curves = Object.fromEntries(Object.entries(head.curves).map(([target, { kind, values }]) => [target, { kind, values: arrays[values] }]));
    Object.assign(standing.parts, head.parts);
    for (const [id, properties] of Object.entries(head.pieces)) standing.arrays[id] = withRows(standing.arrays[id], properties, arrays);
    const waits = this.#next !== null;
    this.#next = { heardAt, standing: { ...standing, frame: head.frames - 1, seconds: (head.frame * rate[1]) / rate[0] } };
    if (!waits) requestAnimationFrame(() => this.#draw());
  }

  /** Draw the newest of what came since the last picture. */
  #draw() {
    const { heardAt, standing } = this.#next;
    this.#next = null;
    if (!this.#session || this.signal.aborted) return;
    this.onStand(standing);
    this.#delays.push(performance.timeOrigin + performance.now() - heardAt);
    if (this.#delays.length > LOOKS) this.#delays.shift();
  }

  #lags(words) {
    const list = this.panel.querySelector("#live-lags");
    list.replaceChildren(
      ...lagLines(words).map(([late, name, more]) => {
        const line = document.createElement("li");
        line.append(...[["b", name], ["span", late], ["small", more]].filter(([, text]) => text).map(([tag, text]) => Object.assign(document.createElement(tag), { textContent: text })));
        return line;
      }),
    );
    this.panel.querySelector("#live-nothing").hidden = words.moves > 0;
  }

  #show() {
    const is = this.#session !== null;
    const { panel } = this;
    panel.dataset.state = is ? "on" : "off";
    panel.querySelector("#live-start").textContent = is || this.#starts ? "Stop" : "Start";
    panel.querySelector("#live-start").setAttribute("aria-pressed", String(is));
    panel.querySelector("#live-keep").disabled = !is;
    for (const field of panel.querySelectorAll("select")) field.disabled = is || this.#starts;
    this.find("#live-open")?.setAttribute("aria-pressed", String(is));
    if (!is) panel.querySelector("#live-words").textContent = this.#starts ? "Opening" : "";
  }

  /** Draw how loud it is, and say how soon it is seen. */
  #meter() {
    if (!drawMeter(this.panel.querySelector("canvas"), this.microphone, { edge: 1 }) || !this.#session) return;
    if (performance.now() - this.#told > TELL_MS) this.#tell();
    requestAnimationFrame(() => this.#meter());
  }

  #tell() {
    this.#told = performance.now();
    const ms = middle(this.#delays);
    this.panel.querySelector("#live-words").textContent = Number.isFinite(ms) ? `${ms.toFixed(0)} ms from sound to picture` : "Listening";
  }

  #stop({ quietly = false } = {}) {
    this.#starts = false;
    const session = this.#session;
    this.#session = null;
    this.#worker?.terminate();
    this.#worker = null;
    this.microphone.close();
    if (session) postLast(project.url(`live/${session.id}/close`), {});
    if (quietly) return;
    this.#show();
    if (session) this.onStand(null);
  }

  /** What came last becomes a track, which can move what was moved live. */
  async #keep() {
    if (!this.#session) return;
    const at = (transport.frame * transport.rate[1]) / transport.rate[0];
    const stored = await telling(() => project.bring(() => postJson(project.url(`live/${this.#session.id}/keep?at_s=${at}`))));
    if (!stored) return;
    const { named, moves, ...status } = stored;
    await project.came(status);
    const other = moves && { words: "Let it move the stage", run: () => project.edit(moves) };
    notice(`It is the track ${named} now.`, { tone: "good", act: { words: "Take back", run: () => project.undo() }, other });
  }
}

var live = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Live: Live,
  lagLines: lagLines,
  withRows: withRows
});

// An array under the hand: its pieces picked in order on the stage, and its reaches dragged by their middles.


const AXES$2 = ["x", "y", "z"];

/** The pieces that are picked once one more is under the hand: each once, where it was picked first. Pure. */
const withPiece = (picked, piece) => (piece === null || picked.includes(piece) ? picked : [...picked, piece]);

class PiecesHand extends Component {
  #picking = false;
  #reaches = [];

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ stage: any, head: () => any }} how head() describes the selected part
   */
  constructor(room, signal, { stage, head }) {
    super(room, signal);
    this.stage = stage;
    this.head = head;
    this.over = drawn("svg", { class: "over reaches" });
    stage.root.append(this.over);
    this.on(room, "click", ({ target }) => target.closest("#pick-pieces") && this.#setPicking(!this.#picking));
    this.on(document, "keydown", ({ key }) => key === "Escape" && this.#picking && this.#setPicking(false));
    this.on(stage.root, "pointerdown", (down) => this.#press(down), { capture: true });
    selection.watch(["part"], () => this.#setPicking(false), signal);
  }

  /** The panels were drawn anew. */
  mount() {
    if (!this.find("#pick-pieces")) this.#picking = false;
    this.find("#pick-pieces")?.setAttribute("aria-pressed", String(this.#picking));
    this.stage.root.classList.toggle("boxing", this.#picking);
    this.outline();
  }

  #setPicking(is) {
    this.#picking = is;
    this.mount();
  }

  #press(down) {
    if (!this.#picking || down.button !== 0 || !this.stage.view) return;
    down.stopPropagation();
    const part = this.head().id;
    const path = "shape.params.order.params.picked";
    let picked = JSON.parse(this.find("#picked-pieces").textContent);
    const before = picked.length;
    const take = (event) => (picked = withPiece(picked, this.stage.view.pickPiece(event, part)));
    this.stage.drawing = true;
    this.stage.view.hold(true);
    take(down);
    const end = ({ type }) => {
      this.stage.drawing = false;
      this.stage.view.hold(false);
      if (type !== "pointercancel" && picked.length > before) project.edit({ kind: "set_field", owner: "part", id: part, path, value: picked });
    };
    follow(down, this.stage.root, { move: take, end, signal: this.signal });
  }

  // --- reaches

  /** Draw a handle at the middle of every reach of the selected array that nothing drives. */
  outline() {
    const part = selection.get("part");
    const { view } = this.stage;
    const reaches = view?.arrays?.reaches(part) ?? [];
    if (reaches.length !== this.#reaches.length) this.#make(reaches.length);
    const { left, top } = this.stage.root.getBoundingClientRect();
    reaches.forEach((reach, place) => {
      const at = view.onScreen(reach.middle);
      const [dot, word] = this.#reaches[place];
      for (const one of [dot, word]) one.setAttribute("visibility", at ? "visible" : "hidden");
      if (!at) return;
      dot.setAttribute("transform", `translate(${at.x - left} ${at.y - top})`);
      word.setAttribute("transform", `translate(${at.x - left} ${at.y - top + 21})`);
      word.textContent = reach.name.replace("reach", "reach ");
      dot.dataset.reach = reach.name;
    });
  }

  #make(count) {
    this.over.replaceChildren();
    this.#reaches = Array.from({ length: count }, () => {
      const dot = drawn("circle", { class: "reach-handle", r: 7, tabindex: "-1" });
      const word = drawn("text", { class: "order-word" });
      dot.addEventListener("pointerdown", (down) => this.#drag(down, dot.dataset.reach));
      this.over.append(dot, word);
      return [dot, word];
    });
  }

  /** A reach goes with the hand, in the plane that faces the eye; its place is stored when it is let go. */
  #drag(down, name) {
    down.stopPropagation();
    const part = selection.get("part");
    const { view } = this.stage;
    const { middle } = view.arrays.reaches(part).find((reach) => reach.name === name);
    const head = this.head();
    let at = null;
    view.hold(true);
    this.stage.drawing = true;
    const move = (event) => {
      at = view.arrays.toOwn(part, view.inSpace(event, middle)).map((value) => Number(value.toFixed(3)));
      at.forEach((value, place) => view.try(`${part}:${name}_${AXES$2[place]}`, value, head));
      view.showAgain();
    };
    const end = async ({ type }) => {
      view.hold(false);
      this.stage.drawing = false;
      if (at && type !== "pointercancel") await project.edit({ kind: "together", words: `Move ${name.replace("reach", "reach ")}`, commands: at.map((value, place) => ({ kind: "set_value", target: `${part}:${name}_${AXES$2[place]}`, value })) });
      await this.stage.shown; // until then it is seen where the hand left it
      for (const axis of AXES$2.slice(0, at?.length ?? 0)) view.try(`${part}:${name}_${axis}`, null);
      view.showAgain();
    };
    follow(down, this.over, { move, end, signal: this.signal });
  }
}

var stage_pieces = /*#__PURE__*/Object.freeze({
  __proto__: null,
  PiecesHand: PiecesHand,
  withPiece: withPiece
});

// Ways to move along, as geometry: the curves through points, points along them, and matrices.

const AXES$1 = ["x", "y", "z"];

/** A point that a matrix moves, row by row as the server counts it. Pure. */
const movedBy = (matrix, /** @type {any} */ [x, y, z]) => [0, 4, 8].map((row) => matrix[row] * x + matrix[row + 1] * y + matrix[row + 2] * z + matrix[row + 3]);

/** How far each point's handle lies from it: its own, or a sixth of the way from the one before to the one after. Pure. */
function handlesOf(points, { closed }) {
  const last = points.length - 1;
  const at = (place) => points[closed ? (place + points.length) % points.length : Math.min(Math.max(place, 0), last)];
  return points.map(({ handle }, place) => handle ?? AXES$1.map((axis) => (at(place + 1)[axis] - at(place - 1)[axis]) / 6));
}

/** The cubic curves of a way, each as four points. Pure. */
function wayCurves(points, { smooth, closed }) {
  const at = points.map((point) => AXES$1.map((axis) => point[axis]));
  const out = handlesOf(points, { closed });
  const ends = closed ? points.map((_, place) => place) : points.slice(1).map((_, place) => place);
  return ends.map((from) => {
    const to = (from + 1) % points.length;
    const between = (share) => at[from].map((value, axis) => value + (at[to][axis] - value) * share);
    const one = smooth ? at[from].map((value, axis) => value + out[from][axis]) : between(1 / 3);
    const other = smooth ? at[to].map((value, axis) => value - out[to][axis]) : between(2 / 3);
    return [at[from], one, other, at[to]];
  });
}

/** Points along curves, so many steps on each. Pure. */
function alongCurves(curves, steps) {
  const points = curves.length ? [curves[0][0]] : [];
  for (const [a, b, c, d] of curves) {
    for (let step = 1; step <= steps; step += 1) {
      const [t, u] = [step / steps, 1 - step / steps];
      points.push(a.map((value, axis) => u ** 3 * value + 3 * u * u * t * b[axis] + 3 * u * t * t * c[axis] + t ** 3 * d[axis]));
    }
  }
  return points;
}

var ways = /*#__PURE__*/Object.freeze({
  __proto__: null,
  alongCurves: alongCurves,
  handlesOf: handlesOf,
  movedBy: movedBy,
  wayCurves: wayCurves
});

// A reach that stands in the scene, drawn over the stage where it is at this frame, and dragged by its middle.


const AXES = ["x", "y", "z"];
const AROUND = 48;
const WIDE = { "2d": 400, "3d": 1.5 }; // how far a plane is drawn to each side of its middle
const FLAT = [[0, 1]];
const ALL = [
  [0, 1],
  [1, 2],
  [0, 2],
];
const RING = Array.from({ length: AROUND + 1 }, (_, at) => [Math.cos((2 * Math.PI * at) / AROUND), Math.sin((2 * Math.PI * at) / AROUND)]);
const SQUARE = [
  [-1, -1],
  [1, -1],
  [1, 1],
  [-1, 1],
  [-1, -1],
];

/**
 * A line in the plane of two axes, as long along each as is given. Pure.
 * @param {number[][]} line @param {number[]} pair @param {number[]} sizes
 */
const inPlane = (line, [a, b], sizes) => line.map((at) => AXES.map((_, axis) => (axis === a ? at[0] * sizes[a] : axis === b ? at[1] * sizes[b] : 0)));

/** Where a reach ends, or begins to fade, as lines about its middle, before it is turned. Pure. */
function linesOf({ measure }, space, edge, sizes) {
  const pairs = space === "2d" ? FLAT : ALL;
  if (measure === "length") return pairs.map((pair) => inPlane(RING, pair, [edge, edge, edge]));
  if (measure === "largest") {
    const half = sizes.map((size) => (size ?? 0) * edge);
    return pairs.map((pair) => inPlane(SQUARE, pair, half));
  }
  const wide = WIDE[space];
  const flat = [-wide, wide].map((x) => [x, edge, 0]);
  return space === "2d" ? [flat] : [inPlane(SQUARE, [0, 2], [wide, 0, wide]).map(([x, , z]) => [x, edge, z])];
}

/** The lines of a reach where it stands: of its outer edge first, then of its inner one. Pure. */
function edgesOf(head, space, valueOf) {
  const of = (what) => valueOf(`reach_${what}`) ?? 0;
  const centre = AXES.map(of);
  const axes = axesOf(...(head.turned ? AXES.map((axis) => of(`turn_${axis}`)) : [0, 0, 0]));
  const sizes = AXES.map((axis) => valueOf(`reach_size_${axis}`));
  const placed = ([x, y, z]) => centre.map((middle, row) => middle + axes[0][row] * x + axes[1][row] * y + axes[2][row] * z);
  return ["outer", "inner"].map((what) => linesOf(head, space, of(what), sizes).map((line) => line.map(placed)));
}

class ReachHand extends Component {
  #head = null;
  #tried = {};
  /** @type {any[]} */
  #lines = [];

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ stage: any, valueAt: (target: string) => number | undefined, onTry: (command: any) => any }} how valueAt(target) is what drives a property makes of it at this frame; onTry(command) shows what an edit would do
   */
  constructor(room, signal, { stage, valueAt, onTry }) {
    super(room, signal);
    this.stage = stage;
    this.valueAt = valueAt;
    this.onTry = onTry;
    this.over = drawn("svg", { class: "over" });
    this.dot = drawn("circle", { class: "reach-handle", r: 7, tabindex: "-1" });
    this.on(this.dot, "pointerdown", (down) => this.#drag(down));
    stage.root.append(this.over);
  }

  /** The panels were drawn anew. */
  mount() {
    if (!this.stage.drawing) this.#tried = {};
    this.#head = JSON.parse(this.find("#reach-head")?.textContent ?? "null");
    this.#lines = [];
    this.over.replaceChildren();
    this.outline();
  }

  #valueOf = (name) => this.#tried[name] ?? this.valueAt(`${this.#head.id}:${name}`) ?? this.#head.own[name];

  #screen(at) {
    const { left, top } = this.stage.root.getBoundingClientRect();
    const seen = this.stage.view.screenOf(movedBy(this.#head.to_scene, at));
    return seen && { x: seen.x - left, y: seen.y - top };
  }

  get #middle() {
    return AXES.map((axis) => this.#valueOf(`reach_${axis}`) ?? 0);
  }

  /** Whether nothing drives its place, so that the hand can. */
  get #isFree() {
    return !AXES.some((axis) => this.valueAt(`${this.#head.id}:reach_${axis}`) !== undefined);
  }

  /** Draw it from where the eye is, where it is at this frame. */
  outline() {
    if (!this.#head || !this.stage.view) return;
    const [outer, inner] = edgesOf(this.#head, this.stage.space, this.#valueOf);
    if (outer.length + inner.length !== this.#lines.length) this.#make(outer.length, inner.length);
    [...outer, ...inner].forEach((line, place) => {
      const points = line.map((at) => this.#screen(at));
      this.#lines[place].setAttribute("points", points.includes(null) ? "" : points.map(({ x, y }) => `${x},${y}`).join(" "));
    });
    const at = this.#isFree ? this.#screen(this.#middle) : null;
    this.dot.setAttribute("visibility", at ? "visible" : "hidden");
    if (at) this.dot.setAttribute("transform", `translate(${at.x} ${at.y})`);
  }

  #make(outer, inner) {
    const classes = [...Array(outer).fill("reach-edge"), ...Array(inner).fill("reach-edge reach-inner")];
    this.#lines = classes.map((name) => drawn("polyline", { class: name }));
    this.over.replaceChildren(...this.#lines, this.dot);
  }

  /** It goes with the hand, in the plane that faces the eye; what goes by it is seen at once. */
  #drag(down) {
    down.stopPropagation();
    const { view, space } = this.stage;
    const { id, to_scene, to_own } = this.#head;
    const near = movedBy(to_scene, this.#middle);
    const digits = space === "2d" ? 1 : 3;
    const axes = AXES.filter((axis) => `reach_${axis}` in this.#head.own);
    view.hold(true);
    this.stage.drawing = true;
    const command = () => ({ kind: "together", words: "Move the reach", commands: axes.map((axis) => ({ kind: "set_value", target: `${id}:reach_${axis}`, value: this.#tried[`reach_${axis}`] })) });
    const move = (event) => {
      const at = movedBy(to_own, view.spaceAt(event, near));
      this.#tried = Object.fromEntries(axes.map((axis, place) => [`reach_${axis}`, Number(at[place].toFixed(digits))]));
      this.outline();
      this.onTry(command());
    };
    const end = async ({ type }) => {
      view.hold(false);
      this.stage.drawing = false;
      const stored = Object.keys(this.#tried).length && type !== "pointercancel" && (await project.edit(command()));
      if (stored) return; // it is seen where the hand left it until it is drawn
      this.onTry(null);
      this.#tried = {};
      this.outline();
    };
    follow(down, this.over, { move, end, signal: this.signal });
  }
}

var stage_reach = /*#__PURE__*/Object.freeze({
  __proto__: null,
  ReachHand: ReachHand,
  edgesOf: edgesOf,
  linesOf: linesOf
});

// Leading properties while the sound plays: one by its knob, or across and up at once by dragging the part on the stage. What
// the hand did becomes a take, and mappings that do it again.


const DEVICE = "keys and pointer";
const GIVEN = { x: "across", y: "up" };
const OTHER = { x: "y", y: "x" };

/** Where a knob's value lies between what counts as 0 and as 1. Pure. */
const shareOf = (value, rest, full) => Math.min(1, Math.max(0, (value - rest) / (full - rest || 1)));

/** Whether two led properties can be led at once: neither has a take, or each has one of its own direction. Pure. */
const goTogether = (one, other) => Boolean(one && other) && [one, other].every(({ into, given, name }) => (into ? given === GIVEN[name] : true)) && Boolean(one.into) === Boolean(other.into);

/** What a round is taken for, as a query: more of the takes that there are, or new ones of all that moved. Pure. */
function queryOf(moved) {
  const into = moved.filter(({ into }) => into).map(({ into }) => ["into", into]);
  const [alone, second] = moved;
  const given = (one) => (second ? GIVEN[one.name] : "up");
  const made = moved.flatMap((one) => [["given", given(one)], ["drive", one.target], ["rest", one.rest], ["full", one.full]]);
  return String(new URLSearchParams(alone.into ? into : made));
}

const ledBy = ({ dataset: { lead, rest, full, into, given } }) => ({ target: lead, name: lead.split(":")[1], rest: Number(rest), full: Number(full), into, given });

class Leading extends Component {
  /** What is led: a property, or two of them. @type {any[]} */
  #led = [];
  #moved = new Set();
  #ends = 0;
  #round = null;
  #clock = null;
  #query = "";

  /** @param {any} root @param {AbortSignal} signal @param {{ stage: any, value: (knob: any) => number, put: (knob: any, value: number) => any, onEnd: () => any }} how value(knob) is what it shows */
  constructor(root, signal, { stage, value, put, onEnd }) {
    super(root, signal);
    this.stage = stage;
    this.value = value;
    this.put = put;
    this.onEnd = onEnd;
    this.outbox = new Outbox({ query: () => this.#query, onStored: (status) => this.#stored(status), going: () => this.#going, signal: this.signal });
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("[data-lead]")));
    this.on(root, "input", (event) => this.#moves(event));
    this.on(stage.root, "pointerdown", (down) => this.#drag(down), { capture: true });
    this.on(document, "keydown", (event) => event.key === "Escape" && this.#led.length && (event.preventDefault(), this.#end()));
    this.on(window, "pagehide", () => this.outbox.leave());
    this.signal.addEventListener("abort", () => this.#end());
  }

  /** Whether a property is led now: its knob stays where the hand leaves it. */
  leads(target) {
    return this.#led.some((one) => one.target === target);
  }

  #pressed(button) {
    if (!button) return;
    const again = this.#led[0]?.target === button.dataset.lead;
    this.#end();
    if (!again) this.#begin(ledBy(button));
  }

  #knob(target) {
    return this.find(`input[data-try="${CSS.escape(target)}"]`);
  }

  /** What can be led with a property: the other direction of the same part. */
  #besides({ target, name }) {
    const button = OTHER[name] && this.find(`[data-lead="${CSS.escape(target.replace(/:.*/, `:${OTHER[name]}`))}"]`);
    return button ? ledBy(button) : null;
  }

  #begin(led) {
    if (!project.status.frames) return void notice("There is no sound to lead it by. Add one first.");
    const range = transport.range ?? transport.selection;
    transport.stop();
    transport.seek(range ? range[0] : transport.frame >= transport.last ? 0 : transport.frame);
    const other = this.#besides(led);
    this.#led = goTogether(led, other) ? [led, other] : [led];
    this.#moved = new Set();
    this.#ends = range && !transport.looping ? range[1] : transport.last;
    const begin = (transport.frame * transport.rate[1]) / transport.rate[0];
    this.#clock = new HeardClock(() => transport.seconds);
    this.#round = new Round({ kind: "gesture", device: DEVICE, begin, latency: latencyOf(DEVICE) });
    this.#take(begin, 0);
    transport.play();
    this.#show();
    this.#knob(led.target).focus({ preventScroll: true });
    this.#follow(this.#round);
  }

  #follow(round) {
    if (this.#round !== round) return;
    const back = this.#clock.look();
    if (back || !transport.playing || round.isFull || transport.frame >= this.#ends) return this.#end();
    requestAnimationFrame(() => this.#follow(round));
  }

  #moves(event) {
    const knob = event.target.closest?.("input[data-try]");
    if (!knob || event.detail?.byStage || !this.leads(knob.dataset.try)) return;
    this.#moved.add(knob.dataset.try);
    this.#take(this.#clock.at(event.timeStamp), 0);
  }

  /** The part is dragged over the stage: both directions follow the pointer, every place that the browser reports. */
  #drag(down) {
    if (this.#led.length < 2 || down.button !== 0 || !this.stage.view) return;
    const [part] = this.#led[0].target.split(":");
    const at = (event) => this.stage.view.toParent(part, event);
    const start = at(down);
    if (!start) return;
    down.stopImmediatePropagation();
    const from = Object.fromEntries(this.#led.map(({ target, name }) => [name, this.value(this.#knob(target)) - start[name]]));
    this.stage.view.hold(true);
    const move = (event) => {
      const events = event.getCoalescedEvents?.() ?? [];
      for (const one of events.length ? events : [event]) this.#lead(at(one), from, one);
    };
    follow(down, this.stage.root, { move, end: () => this.stage.view?.hold(false), signal: this.signal });
  }

  #lead(point, from, { timeStamp, pressure }) {
    for (const { target, name } of this.#led) {
      const knob = this.#knob(target);
      this.put(knob, from[name] + point[name]);
      knob.dispatchEvent(new CustomEvent("input", { bubbles: true, detail: { byStage: true } }));
      this.#moved.add(target);
    }
    if (this.#led.length) this.#take(this.#clock.at(timeStamp), pressure ?? 0);
  }

  /** Take in where the knobs are. One stays where it is between two moves: it does not drift from one to the next. */
  #take(seconds, pressure) {
    const shares = Object.fromEntries(this.#led.map(({ target, name, rest, full }) => [GIVEN[name] ?? "up", shareOf(this.value(this.#knob(target)), rest, full)]));
    const [alone] = Object.values(shares);
    const { last } = this.#round;
    if (last && seconds - last.seconds > 0.1) this.#round.add(seconds - 0.02, { ...last.values });
    this.#round.add(seconds, { across: alone, up: alone, pressure, ...(this.#led.length > 1 ? shares : {}) });
  }

  #show() {
    for (const button of this.all("[data-lead]")) button.setAttribute("aria-pressed", String(this.leads(button.dataset.lead)));
    const drag = this.#led.length > 1 ? ", or drag the part on the stage," : "";
    if (this.#led.length) notice(`Move the knob${drag} while it plays; Escape, or the end, stores what you did.`, { tone: "good" });
    else hush();
  }

  /** The round as it is stored: of two that could have moved and of which one did, that alone, whatever it is taken for. */
  #plain() {
    const plain = this.#moved.size ? this.#round.plain(transport.seconds) : null;
    if (!plain) return null;
    const moved = this.#led.filter(({ target }) => this.#moved.has(target));
    this.#query = queryOf(moved);
    if (moved.length === this.#led.length) return plain;
    const own = plain.values[GIVEN[moved[0].name]];
    return { ...plain, values: { ...plain.values, across: own, up: own } };
  }

  get #going() {
    return this.#led.length ? this.#plain() : null;
  }

  /** What was led until now is stored. */
  #end() {
    if (!this.#led.length) return;
    const plain = this.#plain();
    transport.stop();
    this.#led = [];
    this.#round = null;
    this.#show();
    this.onEnd();
    if (plain) this.outbox.take(plain);
    else notice("The knob was not moved: nothing is stored.");
  }

  #stored({ named }) {
    notice(`It is led by ${named} now.`, { tone: "good", act: { words: "Take back", run: () => project.undo() } });
  }
}

var stage_leading = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Leading: Leading,
  goTogether: goTogether,
  queryOf: queryOf,
  shareOf: shareOf
});

// The properties of the selected part: tried by hand, and its anchor. What is set by a field alone edits by itself (bound.js).


const NINE = [0, 0.5, 1];
const NO_SHAPE = "This part has no shape of its own: type where its anchor is.";

/** The value under a knob: 0 to 1000 over the ends of its slider. Pure. */
const knobValue = (at, from, to) => Number((from + (at / 1000) * (to - from)).toPrecision(6));

const rounded = (value, digits) => Number(value.toFixed(digits));
const valueOf = (knob) => knobValue(Number(knob.value), Number(knob.dataset.from), Number(knob.dataset.to));
const knobOf = (event) => event.target.closest?.("input[data-try]");

class PartProperties extends Component {
  #tried = null;
  #tries = new Map(); // how often each property was tried
  #outlined = null; // which outline the next drag on the stage draws

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ stage: any, head: () => any, onUnseen: (command: any) => any }} how head() is what the page knows of the part;
   *   onUnseen(command) shows what an edit of a value would do that only other properties show, or with null what is stored
   */
  constructor(root, signal, { stage, head, onUnseen }) {
    super(root, signal);
    this.onUnseen = onUnseen;
    this.stage = stage;
    this.head = head;
    this.on(root, "input", (event) => knobOf(event) && this.#hold(knobOf(event)));
    this.on(root, "change pointerup pointercancel keyup", (event) => knobOf(event) && setTimeout(() => this.#release(event.target)));
    this.on(root, "change", ({ target }) => this.#changed(target));
    this.on(root, "ft:set", ({ target }) => target.dataset.own && this.#back(target.dataset.own));
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(project, "refused", ({ detail }) => this.#askAgain(detail));
    this.leading = new Leading(root, this.signal, { stage, value: valueOf, put: (knob, value) => this.putKnob(knob, value), onEnd: () => this.all("input[data-try]").forEach((knob) => this.#release(knob)) });
  }

  get #part() {
    return JSON.parse(this.find("[data-part-json]")?.textContent ?? "null");
  }

  // --- trying by hand: the value is shown while the hand holds the knob, and goes back when it lets go

  /** Put a knob where a value is. */
  putKnob(knob, value) {
    const [from, to] = [Number(knob.dataset.from), Number(knob.dataset.to)];
    knob.value = String(Math.round(((value - from) / (to - from || 1)) * 1000));
  }

  #hold(knob) {
    const target = knob.dataset.try;
    const value = valueOf(knob);
    knob.dataset.held = "";
    this.#show(target, value);
    this.#tell(target, value);
  }

  #release(knob) {
    if (!("held" in knob.dataset) || this.leading.leads(knob.dataset.try)) return;
    delete knob.dataset.held;
    const [, name] = knob.dataset.try.split(":");
    this.putKnob(knob, this.head().own[name]);
    this.#show(knob.dataset.try, null);
    transport.show();
  }

  /** Show an own value that a field holds; a colour can be used as rest or full afterwards. */
  tryOwn(field, value) {
    this.#show(field.dataset.own, value);
    if (field.type === "color") this.#tell(field.dataset.own, value);
  }

  #show(target, value) {
    const { view } = this.stage;
    if (value !== null) this.#tries.set(target, (this.#tries.get(target) ?? 0) + 1);
    if (this.find(`[data-property="${CSS.escape(target)}"][data-unseen]`)) this.onUnseen(value === null ? null : { kind: "set_value", target, value });
    view?.try(target, value, this.head());
    view?.show(transport.frame);
    const output = this.find(`[data-running="${CSS.escape(target)}"].num`);
    if (output && typeof value === "number") output.textContent = String(value);
    view?.onView?.();
  }

  /** An own value is on its way into the project: the view shows it until that is seen, or another one is tried. */
  async #back(target) {
    const tries = this.#tries.get(target);
    await new Promise((after) => setTimeout(after)); // when whoever hears of the field has sent it
    await project.settled();
    await this.stage.shown;
    if (tries === this.#tries.get(target) && !this.signal.aborted) this.#show(target, null);
  }

  #tell(target, value) {
    this.#tried = { target, value };
    for (const row of this.all("[data-tried]")) row.hidden = row.dataset.tried !== target;
    const words = this.find(`[data-tried="${CSS.escape(target)}"] [data-tried-value]`);
    if (words) words.textContent = String(value);
  }

  /** Say again what was tried, after the page was drawn anew: it can still be used. */
  renew() {
    if (this.#tried && this.#tried.target.split(":")[0] !== selection.get("part")) this.#tried = null;
    if (this.#tried) this.#tell(this.#tried.target, this.#tried.value);
    this.#showOutlined();
  }

  /** Use what was tried as a mapping's rest or full, or as the part's own value where nothing drives it. */
  #use(end) {
    const { target, value } = this.#tried;
    this.#tried = null;
    const { mapping, place } = this.find(`[data-tried="${CSS.escape(target)}"]`).dataset;
    if (mapping) return project.edit({ kind: "set_field", owner: "mapping", id: mapping, path: `drives.${place}.${end}`, value });
    return project.edit({ kind: "set_value", target, value });
  }

  #changed(target) {
    if (target.id === "anchor-3d" && target.value !== "point") this.#anchorSolid(target.value);
    if (target.type === "color" && target.dataset.own) {
      if (target.dataset.command) this.#back(target.dataset.own);
      else this.#show(target.dataset.own, null); // what drives it says its value
    }
  }

  // --- anchors

  #setAnchor(anchor) {
    return project.edit({ kind: "set_anchor", id: this.head().id, anchor });
  }

  get #box() {
    const box = this.stage.view?.anchorBox(this.head());
    if (!box) notice(NO_SHAPE);
    return box;
  }

  #anchorAt(column, row, word) {
    const box = this.#box;
    if (box) this.#setAnchor({ x: rounded(box.x + box.width * NINE[column], 4), y: rounded(box.y + box.height * NINE[row], 4), word });
  }

  #anchorSolid(word) {
    const known = word === "origin" ? { x: 0, y: 0, z: 0, word } : JSON.parse(this.find("#solid-anchors").textContent)[word];
    const box = known ? null : this.#box;
    if (known) this.#setAnchor(known);
    if (!box) return;
    const { min, max } = box;
    const height = { base: min.y, centre: (min.y + max.y) / 2, top: max.y }[word];
    this.#setAnchor({ x: rounded((min.x + max.x) / 2, 6), y: rounded(height, 6), z: rounded((min.z + max.z) / 2, 6), word });
  }

  #pressed(button) {
    const { use, anchor, word, drawOutline } = button?.dataset ?? {};
    if (use) this.#use(use);
    else if (anchor) this.#anchorAt(...anchor.split(" ").map(Number), word);
    else if (button?.id === "keep-base") project.status.space === "3d" ? this.#anchorSolid("base") : this.#anchorAt(1, 2, "bottom");
    else if (drawOutline) this.#drawOutline(drawOutline);
  }

  /** A part that others depend on is not removed at once: ask. */
  #askAgain({ wrong, command }) {
    if (command?.kind !== "remove_part" || !wrong.remedy.endsWith("?")) return;
    notice(wrong.message, { act: { words: "Remove it with that", run: () => project.edit({ ...command, with_users: true }) } });
  }

  /** The next drag on the stage draws a path, or the mask of a picture. */
  #drawOutline(field) {
    const { stage } = this;
    const press = (is) => {
      this.#outlined = is ? field : null;
      this.#showOutlined();
      stage.drawing = is;
    };
    const draw = (down) => {
      const points = [];
      const at = (event) => {
        const { x, y } = stage.view.toPart(selection.get("part"), event);
        points.push(`${x.toFixed(1)} ${y.toFixed(1)}`);
      };
      const end = () => {
        press(false);
        if (points.length >= 3) this.#takeOutline(points, field);
      };
      at(down);
      follow(down, stage.root, { move: at, end, signal: this.signal });
    };
    press(true);
    stage.root.addEventListener("pointerdown", draw, { once: true, signal: this.signal });
  }

  /** The button that was pressed stays so, also where it was drawn anew meanwhile. */
  #showOutlined() {
    for (const button of this.all("[data-draw-outline]")) button.setAttribute("aria-pressed", String(button.dataset.drawOutline === this.#outlined));
  }

  #takeOutline(points, field) {
    const { id, shape } = this.#part;
    const masks = field === "outline";
    const outline = `M${points.join("L")}${masks || shape.params.filled ? "Z" : ""}`;
    const params = { ...shape.params, [field]: outline, ...(masks ? { mask: "drawn" } : {}) };
    return project.edit({ kind: "set_field", owner: "part", id, path: "shape.params", value: params });
  }
}

var stage_properties = /*#__PURE__*/Object.freeze({
  __proto__: null,
  PartProperties: PartProperties,
  knobValue: knobValue
});

// The tree of the parts: found, folded, walked through and selected from.


const FIND_MS = 180;
const AHEAD = 70; // rows drawn before the first that is seen

/** Which row is to be the first that is drawn, for what is seen of a list; null where all of it is drawn. Pure. */
function firstToDraw({ top, tall, row }, { before, count, after }) {
  const [first, last] = [Math.floor(top / row), Math.ceil((top + tall) / row)];
  if ((first >= before || !before) && (last <= before + count || !after)) return null;
  return Math.max(0, first - AHEAD);
}

class Tree extends Component {
  #typing = 0;
  typed = "";

  /** @param {any} root @param {AbortSignal} signal @param {{ renew: () => any, looked: () => any, pick: (part: string, event: any, rows: string[] | null) => any }} how
   *   renew() asks the server for the tree anew; looked() says what is looked at, for the server; pick(part, event, rows) hears of a part that is picked, among the shown rows */
  constructor(root, signal, { renew, looked, pick }) {
    super(root, signal);
    this.pick = pick;
    this.on(root, "htmx:configRequest", ({ detail }) => detail.target.id === "tree" && Object.assign(detail.parameters, looked(), { at: this.#at, reveal: "" }));
    this.on(root, "htmx:afterSwap", ({ target }) => target.id === "tree" && this.mount());
    this.on(root, "scroll", ({ target }) => target.id === "tree" && this.#scrolled(target), { capture: true });
    this.on(root, "input", ({ target }) => {
      if (target.id !== "find-part") return;
      this.typed = target.value;
      clearTimeout(this.#typing);
      this.#typing = setTimeout(renew, FIND_MS);
    });
    this.on(root, "click", (event) => this.#pressed(event));
    this.on(root, "keydown", (event) => event.target.closest("#tree") && this.#walk(event));
  }

  // --- a long tree: only the rows about those that are seen are drawn, with room for the others

  #at = 0;
  #top = 0;
  #reveals = false;

  /** What the server draws of the tree: from which row on, and whether the chosen part's row is among them. */
  get asked() {
    const before = this.find(".tree-space:first-child")?.dataset.rows ?? 0;
    return { at: String(before), reveal: this.#reveals ? "yes" : "" };
  }

  /** What is chosen next is to be seen. */
  willReveal() {
    this.#reveals = true;
  }

  /** The rows were drawn anew. */
  mount() {
    const list = this.find("#tree");
    const row = list?.querySelector(".tree-row")?.offsetHeight;
    if (!row) return;
    for (const space of list.querySelectorAll(".tree-space")) space.style.height = `${space.dataset.rows * row}px`;
    if (this.#reveals) this.reveal();
    else list.scrollTop = this.#top;
    this.#reveals = false;
  }

  #scrolled(list) {
    this.#top = list.scrollTop;
    const rows = list.querySelectorAll(".tree-row[data-part]");
    const [before, after] = ["first", "last"].map((end) => Number(list.querySelector(`.tree-space:${end}-child`)?.dataset.rows ?? 0));
    const seen = { top: list.scrollTop, tall: list.clientHeight, row: rows[0]?.offsetHeight || 27 };
    const at = firstToDraw(seen, { before, count: rows.length, after });
    if (at !== null) this.#draw(at);
  }

  #draw(at) {
    this.#at = at;
    this.find("#tree").dispatchEvent(new CustomEvent("ft:renew"));
  }

  get #rows() {
    return this.all(".tree-row[data-part]").map((row) => row.dataset.part);
  }

  #pressed(event) {
    const { target } = event;
    const fold = target.closest("[data-fold]");
    const row = target.closest(".tree-row");
    if (fold) this.#fold(fold.dataset.fold);
    else if (row?.dataset.part) this.pick(row.dataset.part, event, this.#rows);
  }

  #fold(part) {
    const open = selection.get("open");
    selection.set({ open: open.includes(part) ? open.filter((other) => other !== part) : [...open, part] });
  }

  #walk(event) {
    const rows = this.all(".tree-row[data-part]");
    const has = focused()?.dataset.select ?? selection.get("part");
    const at = rows.findIndex((row) => row.dataset.part === has);
    const to = { ArrowDown: at + 1, ArrowUp: at - 1 }[event.key];
    const fold = { ArrowRight: "false", ArrowLeft: "true" }[event.key];
    if (event.key === "Delete") this.find("#remove-part")?.click();
    else if (rows[to]) this.#walkTo(rows[to].dataset.part, event);
    else if (fold && rows[at]?.getAttribute("aria-expanded") === fold) this.#fold(rows[at].dataset.part);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  #walked = null;

  /** With Shift all from the one that was chosen to here. */
  #walkTo(part, { shiftKey }) {
    this.#walked = part;
    this.pick(part, { shiftKey }, this.#rows);
  }

  /** Let the selected row be seen; the keyboard goes along with it. */
  reveal() {
    const part = selection.get("part");
    const shown = this.#walked ?? part;
    this.find(`.tree-row[data-part="${shown}"]`)?.scrollIntoView({ block: "nearest" });
    if (this.#walked) this.find(`[data-select="${shown}"]`)?.focus();
    this.#walked = null;
  }
}

var stage_tree = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Tree: Tree,
  firstToDraw: firstToDraw
});

// What the sound could let the chosen parts do: asked for, pointed at, and there until something else is chosen or done.


class Suggestions extends Component {
  /** The one that is pointed at. @type {any} */
  #offer = null;
  #again = false; // the sound is read now that they waited for

  /**
   * @param {any} root what the server draws of the room
   * @param {AbortSignal} signal
   * @param {{ onTry: (command: any) => any }} how onTry(command) shows what an edit would do, or with null what is stored
   */
  constructor(root, signal, { onTry }) {
    super(root, signal);
    this.onTry = onTry;
    this.on(root, "htmx:configRequest", ({ detail }) => detail.target.id === "suggestions" && (detail.parameters.parts = this.#asked.join()));
    this.on(root, "htmx:beforeRequest", ({ detail }) => detail.target.id === "suggestions" && this.#listens(detail.target));
    this.on(root, "htmx:beforeSwap", ({ target }) => target === root && this.#forgets());
    this.on(root, "htmx:afterSettle", () => this.#asksAgain());
    this.on(root, "pointerover focusin", ({ target }) => this.#point(target.closest("[data-pick='suggestion']")));
    this.on(work, "done", () => (this.#again = Boolean(this.find("#suggestions [data-waits]"))));
  }

  /** The parts that they are asked for. */
  get #asked() {
    const { part, parts } = selection.all;
    return parts.length ? parts : [part];
  }

  /** What they are of: the chosen parts of the project as it stands. */
  get #of() {
    return `${project.status.revision} ${this.#asked.join()}`;
  }

  #listens(place) {
    place.textContent = "Listening, and trying what could be seen";
    place.dataset.awaits = this.#of;
  }

  /** They stay when the panels are drawn anew, but for those of other parts, or of what was there before an edit. */
  #forgets() {
    const place = this.find("#suggestions");
    if (place && place.dataset.awaits !== this.#of) delete place.dataset.awaits;
  }

  #asksAgain() {
    if (this.#again) this.find("#suggest-parts")?.click();
    this.#again = false;
  }

  /** One is pointed at: what it would do is seen; what is there, when none is any more. */
  #point(offer) {
    if (offer === this.#offer) return;
    this.#offer = offer;
    this.onTry(offer && JSON.parse(offer.dataset.command));
  }
}

var stage_suggestions = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Suggestions: Suggestions
});

// The planes that the selected part's shapers act between, and the edges of their regions, drawn over the stage, at rest.


class Planes extends Component {
  #corners = [];

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ stage: any }} how
   */
  constructor(room, signal, { stage }) {
    super(room, signal);
    this.stage = stage;
    this.over = drawn("svg", { class: "over", "aria-hidden": "true" });
    stage.root.append(this.over);
  }

  /** The panels were drawn anew. */
  mount() {
    this.#corners = JSON.parse(this.find("#shaper-planes")?.textContent ?? "[]");
    this.over.replaceChildren(...this.#corners.map(() => drawn("polygon", { class: "shaper-plane" })));
    this.outline();
  }

  /** Draw them from where the eye is. */
  outline() {
    const { root, view } = this.stage;
    if (!this.#corners.length || !view) return;
    const { left, top } = root.getBoundingClientRect();
    this.#corners.forEach((corners, place) => {
      const points = corners.map((corner) => view.screenOf(corner));
      const shown = points.includes(null) ? [] : points.map(({ x, y }) => `${x - left},${y - top}`);
      this.over.children[place].setAttribute("points", shown.join(" "));
    });
  }
}

var stage_planes = /*#__PURE__*/Object.freeze({
  __proto__: null,
  Planes: Planes
});

// A way under the hand: drawn over the stage, its points and their handles dragged, or all of it drawn point by point.


const STEPS = 16;
const MOST_HANDLES = 200;
const PATH = "shape.params.points";

class WaysHand extends Component {
  #way = null;
  #drawing = null;
  #marks = [];

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ stage: any, onTry: (command: any) => any }} how onTry(command) shows what an edit would do
   */
  constructor(room, signal, { stage, onTry }) {
    super(room, signal);
    this.stage = stage;
    this.onTry = onTry;
    this.over = drawn("svg", { class: "over ways" });
    this.lines = ["way-under", "way-line"].map((name) => drawn("polyline", { class: name }));
    this.marks = drawn("g");
    this.over.append(...this.lines, this.marks);
    stage.root.append(this.over);
    this.on(room, "click", ({ target }) => target.closest("#draw-way") && (this.#drawing ? this.#end() : this.#begin()));
    this.on(document, "keydown", ({ key }) => ["Escape", "Enter"].includes(key) && this.#drawing && this.#end());
    this.on(stage.root, "pointerdown", (down) => this.#press(down), { capture: true });
    selection.watch(["part"], () => this.#drawing && this.#end(), signal);
  }

  /** The panels were drawn anew; what is being drawn stays. */
  mount() {
    const way = JSON.parse(this.find("#way-head")?.textContent ?? "null");
    this.#way = way && way.id === this.#drawing?.part ? { ...way, points: this.#drawing.points } : way;
    this.#show();
    this.outline();
  }

  #show() {
    this.find("#draw-way")?.setAttribute("aria-pressed", String(Boolean(this.#drawing)));
    this.stage.root.classList.toggle("boxing", Boolean(this.#drawing));
  }

  // --- drawing point by point

  #begin() {
    this.#drawing = { part: this.#way.id, points: [] };
    this.#way = { ...this.#way, points: [] };
    this.#show();
    this.outline();
  }

  async #end() {
    const { part, points } = this.#drawing;
    this.#drawing = null;
    this.#show();
    const stored = points.length > 1 && (await project.edit({ kind: "set_field", owner: "part", id: part, path: PATH, value: points }));
    if (!stored) this.mount(); // otherwise it is seen as it was drawn until the panels are drawn anew
  }

  #press(down) {
    const { view } = this.stage;
    if (!this.#drawing || down.button !== 0 || !view) return;
    down.stopPropagation();
    const before = this.#drawing.points.at(-1);
    const near = movedBy(this.#way.to_scene, before ? [before.x, before.y, before.z] : [0, 0, 0]);
    this.#drawing.points.push({ ...this.#point(view.spaceAt(down, near)), handle: null });
    this.#way = { ...this.#way, points: this.#drawing.points };
    this.outline();
  }

  /** A point of the scene as the way counts it, rounded. */
  #point(at) {
    const digits = this.stage.space === "2d" ? 1 : 3;
    const [x, y, z] = movedBy(this.#way.to_own, at).map((value) => Number(value.toFixed(digits)));
    return { x, y, z };
  }

  // --- what is seen

  /** Draw the line, and where it is the way's own its points and their handles. */
  outline() {
    const { view } = this.stage;
    const shown = this.#way && view ? this.#seen() : [];
    for (const line of this.lines) line.setAttribute("points", shown.map(({ x, y }) => `${x},${y}`).join(" "));
    this.#putMarks(view);
  }

  #screen(at) {
    const { left, top } = this.stage.root.getBoundingClientRect();
    const found = this.stage.view.screenOf(at);
    return found && { x: found.x - left, y: found.y - top };
  }

  #seen() {
    const way = this.#way;
    const own = way.points && alongCurves(wayCurves(way.points, way), STEPS).map((at) => movedBy(way.to_scene, at));
    return (own ?? way.line).map((at) => this.#screen(at)).filter(Boolean);
  }

  #putMarks(view) {
    const points = (view && this.#way?.points) || [];
    const handles = points.length > 1 && points.length <= MOST_HANDLES && this.#way.smooth ? handlesOf(points, this.#way) : [];
    if (this.#marks.length !== points.length || (handles.length > 0) !== Boolean(this.#marks[0]?.handle)) this.#make(points.length, handles.length > 0);
    points.forEach((point, place) => {
      const at = [point.x, point.y, point.z];
      this.#put(this.#marks[place].dot, at);
      if (!handles[place]) return;
      const end = at.map((value, axis) => value + handles[place][axis]);
      const [from, to] = [at, end].map((one) => this.#screen(movedBy(this.#way.to_scene, one)));
      this.#put(this.#marks[place].handle, end);
      const { line } = this.#marks[place];
      line.setAttribute("visibility", from && to ? "visible" : "hidden");
      if (from && to) for (const [name, value] of Object.entries({ x1: from.x, y1: from.y, x2: to.x, y2: to.y })) line.setAttribute(name, value);
    });
  }

  #put(mark, at) {
    const seen = this.#screen(movedBy(this.#way.to_scene, at));
    mark.setAttribute("visibility", seen ? "visible" : "hidden");
    if (seen) mark.setAttribute("transform", `translate(${seen.x} ${seen.y})`);
  }

  #make(count, bent) {
    this.marks.replaceChildren();
    this.#marks = Array.from({ length: count }, (_, place) => {
      const line = drawn("line", { class: "way-arm" });
      const handle = bent ? drawn("circle", { class: "way-handle", r: 4 }) : null;
      const dot = drawn("circle", { class: "reach-handle way-point", r: 6, "data-point": place });
      handle?.addEventListener("pointerdown", (down) => this.#drag(down, place, true));
      dot.addEventListener("pointerdown", (down) => this.#drag(down, place, false));
      return { line, handle, dot };
    });
    for (const name of ["line", "handle", "dot"]) this.marks.append(...this.#marks.map((mark) => mark[name]).filter(Boolean)); // points lie over handles
  }

  // --- dragging

  #drag(down, place, bends) {
    if (this.#drawing) return;
    down.stopPropagation();
    const { view } = this.stage;
    const way = this.#way;
    const point = way.points[place];
    const start = [point.x, point.y, point.z];
    const handle = handlesOf(way.points, way)[place];
    const near = movedBy(way.to_scene, bends ? start.map((value, axis) => value + handle[axis]) : start);
    let changed = null;
    view.hold(true);
    this.stage.drawing = true;
    const move = (event) => {
      const { x, y, z } = this.#point(view.spaceAt(event, near));
      changed = bends ? { ...point, handle: [x - start[0], y - start[1], z - start[2]].map((value) => Number(value.toFixed(3))) } : { ...point, x, y, z };
      this.#way = { ...way, points: way.points.map((one, at) => (at === place ? changed : one)) };
      this.outline();
      this.onTry(this.#edit(place, changed));
    };
    const end = async ({ type }) => {
      view.hold(false);
      this.stage.drawing = false;
      const stored = changed && type !== "pointercancel" && (await project.edit(this.#edit(place, changed)));
      if (!stored) this.mount();
    };
    follow(down, this.over, { move, end, signal: this.signal });
  }

  #edit(place, value) {
    return { kind: "set_field", owner: "part", id: this.#way.id, path: `${PATH}.${place}`, value };
  }
}

var stage_ways = /*#__PURE__*/Object.freeze({
  __proto__: null,
  WaysHand: WaysHand
});

// An order that is pointed at, or that has the focus, is shown as a line before it is chosen.


const REST_MS = 60; // the hand passes over some on its way

/** What an order is asked for by: its own address, and which parts are chosen. Pure. */
function addressOf(address, { parts, backwards }) {
  if (!parts.length || address.includes("?")) return address;
  return `${address}?parts=${parts.map(encodeURIComponent).join(",")}${backwards ? "&backwards=yes" : ""}`;
}

class TriedOrder extends Component {
  #asked = 0;

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ onTry: (order: any) => void }} how onTry hears of an order, or with null that there is none
   */
  constructor(room, signal, { onTry }) {
    super(room, signal);
    this.onTry = onTry;
    this.on(room, "pointerover focusin", ({ target }) => this.#over(target.closest?.("[data-order]")));
    this.on(room, "pointerout focusout", ({ target }) => target.closest?.("[data-order]") && this.#end());
  }

  /** The panels were drawn anew. */
  mount() {
    this.#end();
  }

  #end() {
    this.#asked += 1;
    this.onTry(null);
  }

  async #over(button) {
    if (!button || button.getAttribute("aria-pressed") === "true") return;
    const asked = (this.#asked += 1);
    await new Promise((done) => setTimeout(done, REST_MS));
    if (asked !== this.#asked) return;
    const address = addressOf(button.dataset.order, { parts: selection.get("parts"), backwards: selection.get("backwards") });
    const order = await getJson(project.url(address)).catch(() => null); // it is a look ahead: nothing is lost without it
    if (asked === this.#asked) this.onTry(order);
  }
}

var tried_order = /*#__PURE__*/Object.freeze({
  __proto__: null,
  TriedOrder: TriedOrder,
  addressOf: addressOf
});

// The Stage: the scene to look at and pick from, the tree of its parts, and every property of the selected one.


const CHOSEN = ["parts", "order", "backwards", "takes", "late", "first_has", "last_has"];

/** A number as the tree shows it: three digits that count. Pure. */
const shortNumber = (value) => (Math.abs(value) >= 100 ? value.toFixed(0) : Math.abs(value) >= 10 ? value.toFixed(1) : value.toFixed(2));

class StageRoom extends Component {
  #wave = new RibbonWave();
  #previewed = null;
  #bound = { curves: {}, parts: {}, arrays: {} };
  /** How the stage stands while it is moved live; null while it is not. @type {any} */
  #live = null;

  /** @param {any} room @param {AbortSignal} signal */
  constructor(room, signal) {
    super(room, signal);
    const root = this.find("#parts");
    this.axis = new Axis(project.status.frames);
    this.stage = new StageView(this.find("#stage"), { prefix: "stage-", signal: this.signal });
    const head = (this.head = () => JSON.parse(this.find("#part-head")?.textContent ?? "null"));
    this.choosing = new Choosing(room, this.signal, { stage: this.stage, isPlaying: () => transport.playing });
    this.triedOrder = new TriedOrder(root, this.signal, { onTry: (order) => this.choosing.tryOrder(order) });
    const pick = (part, event, rows) => this.choosing.pick(part, event, rows);
    this.looking = new Looking(room, this.signal, { stage: this.stage, onPick: pick, onOutline: () => this.#outline() });
    this.pieces = new PiecesHand(room, this.signal, { stage: this.stage, head });
    this.planes = new Planes(room, this.signal, { stage: this.stage });
    this.ways = new WaysHand(room, this.signal, { stage: this.stage, onTry: (command) => this.#preview(command) });
    const seen = (command) => (command ? this.#preview(command) : this.load());
    this.reach = new ReachHand(room, this.signal, { stage: this.stage, valueAt: (target) => this.#valueAt(target), onTry: seen });
    this.properties = new PartProperties(root, this.signal, { stage: this.stage, head, onUnseen: seen });
    new Suggestions(root, this.signal, { onTry: seen });
    this.tree = new Tree(root, this.signal, { renew: () => this.parts.renew(), looked: () => this.#looked(), pick });
    new StageFiles(room, this.signal, { stage: this.stage, isBare: () => !this.find(".tree-row") });
    this.parts = new Parts(root, this.signal, { looked: () => this.#looked(), mount: (scope) => this.#mount(scope), drawn: () => this.#drawn() });
    this.live = new Live(room, this.signal, { onStand: (standing) => this.#stand(standing) });
    new Picker(byId("picker"), this.signal);
    const more = (path) => (path.startsWith("stage/several/") ? this.choosing.asked : {});
    new Bound(root, this.signal, { onTry: (command, field) => this.#tried(command, field), onDone: ({ note }) => note && notice(note, { tone: "good" }), more });
    this.#listen(root);
    this.#open();
  }

  #looked() {
    return { ...asQuery(["part", "open", "property", "larger", ...CHOSEN]), find: this.tree.typed, ...this.tree.asked };
  }

  #listen(root) {
    this.on(root, "click", (event) => this.#toBench(event));
    this.on(this.axis, "view", () => this.#redraw());
    this.on(transport, "frame", () => this.#drawFrame());
    this.on(transport, "selection", () => this.#redraw());
    this.on(project, "revised", () => (this.stage.shown = this.#revised()));
    this.on(project, "refused", () => this.#all());
    this.on(work, "done", () => this.#all());
    selection.watch(["part", "property", "open", "larger", ...CHOSEN], () => this.#choose(), this.signal);
    this.stage.onReady = () => this.#ready();
    this.onResize(() => this.#redraw());
    document.fonts.ready.then(() => this.#redraw());
  }

  /** Draw what came with the page; where something else is selected than the page shows, that. */
  #open() {
    const { part, parts, open, property } = selection.all;
    this.parts.mount();
    if (part !== selection.get("part") || parts.length || open.length || property || selection.get("larger")) {
      selection.correct({ part, parts, open, property });
      this.#all();
    } else this.load();
  }

  #mount(scope) {
    selection.correct({ part: this.find("[data-part-json]")?.dataset.partJson ?? null });
    if (!this.find("#several-line")) selection.correct({ parts: [] });
    this.tree.mount();
    const ribbon = this.find("#ribbon");
    if (ribbon) {
      mountRibbon(ribbon, { axis: this.axis, signal: scope });
      mountWheel(ribbon, { axis: this.axis, plot: () => ribbon, signal: scope });
    }
    this.#ready();
    this.looking.mount();
    this.choosing.mount();
    this.triedOrder.mount();
    this.pieces.mount();
    this.ways.mount();
    this.planes.mount();
    this.reach.mount();
    this.live.mount();
  }

  #outline() {
    this.choosing.outline();
    this.pieces?.outline();
    this.ways?.outline();
    this.planes?.outline();
    this.reach?.outline();
  }

  /** The view knows the selected part, driven or not. */
  #ready() {
    const head = this.head();
    if (head?.space === this.stage.space) this.stage.view?.know(head);
    this.looking.outline();
  }

  #drawn() {
    this.properties.renew();
    this.#drawAll();
  }

  async #choose() {
    this.tree.willReveal();
    await this.parts.renew();
    this.tree.reveal();
  }

  async #all() {
    await this.parts.renew();
    await this.load();
  }

  /** What moves is asked for beside what it moves, where that looks as before; otherwise after it. */
  async #revised() {
    const same = project.status.looks === this.stage.looks;
    await Promise.all([this.stage.follow(project.status), same && this.load()]);
    await this.parts.renew();
    if (!same) await this.load();
    this.tree.reveal();
  }

  #toBench(event) {
    const link = event.target.closest("[data-bench]");
    if (!link) return;
    event.preventDefault();
    openInRoom("bench", { mapping: link.dataset.bench, drive: Number(link.dataset.drive ?? 0) });
  }

  /** A field is held: what it would do is seen; an own value at once, without asking. */
  #tried(command, field) {
    if (field.dataset.own) this.properties.tryOwn(field, command.value);
    else if (command.owner !== "part") this.#preview(command);
  }

  #preview(command) {
    this.#previewed = command;
    return this.#ask(command);
  }

  /** Nothing is seen of what is not tried any more when its answer comes. */
  #ask = latest(async (command) => {
    if (command !== this.#previewed) return;
    const pack = await telling(() => postPack(project.url("preview"), { command }));
    if (pack && command === this.#previewed && !this.signal.aborted) this.#take(pack, { whole: false });
  });

  /** What moves; and how the parts are whose values the hand had, also of others than the selected one. */
  #askCurves = newest(() => telling(() => getPack(project.url(`curves?parts=${this.stage.handled}`))));

  async load() {
    this.#previewed = null;
    const pack = await this.#askCurves();
    if (!pack || this.signal.aborted) return;
    this.#take(pack, { whole: true });
    if (this.#previewed) this.#ask(this.#previewed); // the hand is at something else by now
    await this.#wave.load(this.find("#ribbon")?.dataset.track);
    if (!this.signal.aborted) this.#drawAll();
  }

  #take({ head, arrays }, { whole }) {
    if (project.status.space !== this.stage.space) return; // the page is loaded anew, for a stage of another kind
    if (whole) this.#bound = { curves: {}, parts: {}, arrays: {} };
    for (const [target, { kind, values }] of Object.entries(head.curves)) this.#bound.curves[target] = { kind, values: arrays[values] };
    Object.assign(this.#bound.parts, head.parts);
    for (const [id, moved] of Object.entries(head.pieces)) this.#bound.arrays[id] = unpackedMotion(moved, arrays);
    this.axis.resize(head.frames);
    if (this.#live) return;
    this.stage.bind(this.#bound);
    this.stage.show(transport.frame);
    this.#drawRunning();
    this.looking.outline();
  }

  /** The stage is moved live; null is no more. */
  #stand(standing) {
    this.#live = standing;
    this.stage.hurry(standing !== null);
    if (!standing) return void this.load();
    this.stage.bind(standing);
    this.stage.show(standing.frame, standing.seconds);
    this.stage.drawNow();
    this.#drawRunning();
    this.looking.outline();
  }

  zoom(by) {
    this.axis.zoomAt(transport.frame, by);
  }

  #redraw() {
    requestAnimationFrame(() => !this.signal.aborted && this.#drawAll());
  }

  #drawAll() {
    const ribbon = this.find("#ribbon");
    if (ribbon) drawRibbon(ribbon, { wave: this.#wave.wave, axis: this.axis });
    this.#drawFrame();
  }

  #drawFrame() {
    if (!this.#live) this.stage.show(transport.frame);
    if (transport.playing) this.axis.follow(transport.frame);
    this.#drawRunning();
    this.looking.outline();
    this.#drawPlayhead(this.find("#playhead"), this.find("#ribbon"));
  }

  #drawPlayhead(line, ribbon) {
    if (!ribbon || !line) return;
    const { width } = ribbon.getBoundingClientRect();
    const x = xOf(transport.frame + 0.5, { ...this.axis.view, width });
    line.hidden = x < 0 || x > width || !project.status.frames;
    line.style.transform = `translateX(${x}px)`;
  }

  /** What a driven property is at this frame; undefined of what nothing drives. */
  #valueAt(target) {
    const { curves, frame } = this.#live ?? { ...this.#bound, frame: transport.frame };
    return curves[target]?.values[frame];
  }

  /** Write the values of this frame beside what is driven, and put its knobs there. */
  #drawRunning() {
    const { curves, frame } = this.#live ?? { ...this.#bound, frame: transport.frame };
    for (const output of this.all("[data-running]")) {
      const curve = curves[output.dataset.running];
      if (!curve) continue;
      const text = curve.kind === "colour" ? colourAt(curve.values, frame) : shortNumber(curve.values[frame] ?? 0);
      say(output, `${text}${output.dataset.unit === "°" ? "°" : ""}`);
    }
    for (const knob of this.all("input[data-try]")) {
      const curve = curves[knob.dataset.try];
      if (curve && curve.kind !== "colour" && !("held" in knob.dataset)) this.properties.putKnob(knob, curve.values[frame]);
    }
  }
}

var stage_room = /*#__PURE__*/Object.freeze({
  __proto__: null,
  StageRoom: StageRoom,
  shortNumber: shortNumber
});

// How large everything is drawn: kept in a cookie, so that a page comes in its size at once.


const YEAR_S = 365 * 24 * 3600;

function mountSize() {
  const choice = byId("size");
  choice?.addEventListener("change", () => {
    document.cookie = `size=${choice.value}; path=/; max-age=${YEAR_S}; samesite=strict`;
    document.documentElement.dataset.size = choice.value;
    forgetLetters();
  });
}

var size = /*#__PURE__*/Object.freeze({
  __proto__: null,
  mountSize: mountSize
});

// Whether a pointer is pressed: what the hand holds must not be taken away by a page that is drawn anew.


let pressed = null;
let waiting = [];

function released() {
  pressed = null;
  const now = waiting;
  waiting = [];
  now.forEach((go) => go());
}

const HELD = "button, a[href], canvas, [data-number], [data-try], .tidemark, .bender, [data-handle], [data-grip]"; // what is pressed or dragged
/** @param {any} event */
const press = ({ target }) => (pressed = target.closest(HELD));
onPage("pointerdown", press, { capture: true });
for (const type of ["pointerup", "pointercancel"]) onPage(type, () => setTimeout(released), { capture: true });
onPage("pointermove", ({ buttons }) => pressed && buttons === 0 && released(), { capture: true }); // let go outside the window

/** Whether something is held that lies in a place. */
const isHeldIn = (place) => pressed !== null && place.contains(pressed);

/** Do something when nothing is held: at once, or when the hand lets go. */
function whenFree(run) {
  if (pressed) waiting.push(run);
  else run();
}

var hand = /*#__PURE__*/Object.freeze({
  __proto__: null,
  isHeldIn: isHeldIn,
  whenFree: whenFree
});

// How htmx puts what the server drew anew in its place: the focus, what is being typed, how far lists are scrolled, what
// is folded, files that are being chosen and what waits for an answer of its own stay, and nothing is taken out of the
// hand. An extension: hx-ext="steady", hx-swap="steady".


/** Put new content into a place. */
function putSteadily(place, content) {
  const focus = focused();
  const held = focus && place.contains(focus) ? focus : null;
  const scrolled = [...place.querySelectorAll("[id]")].filter(({ scrollTop }) => scrollTop > 0).map(({ id, scrollTop }) => [id, scrollTop]);
  const folds = [...place.querySelectorAll("details[id]")].map(({ id, open }) => [id, open]);
  const staying = [...place.querySelectorAll("input[type=file][id], [id][data-awaits]")];
  if (held) held.dataset.leaving = ""; // so that being taken away does not count as being left
  place.replaceChildren(content);
  for (const one of staying) place.querySelector(`#${CSS.escape(one.id)}`)?.replaceWith(one);
  for (const [id, open] of folds) byId(id)?.toggleAttribute("open", open);
  for (const [id, top] of scrolled) {
    const list = byId(id);
    if (list) list.scrollTop = top;
  }
  if (held?.id) refocus(held, byId(held.id));
}

const isTyped = (field) => field.matches("input:not([type=checkbox]):not([type=color])") && field.value !== (field.dataset.before ?? field.defaultValue);

const isWritten = (field) => field.matches("textarea, input:not([type=checkbox]):not([type=color]):not([type=file]):not([type=range])");

/** Give the focus to what stands in the place of what had it, with what was marked and being typed. */
function refocus(held, same) {
  if (!same || focused() === same) return;
  const { selectionStart, selectionEnd } = held;
  const all = selectionStart === 0 && selectionEnd === held.value?.length;
  same.focus({ preventScroll: true });
  if (same === held) return;
  if (isWritten(same)) same.setSelectionRange(selectionStart, all ? same.value.length : selectionEnd);
  if (!isTyped(held)) return;
  same.value = held.value;
  if (held.getAttribute("aria-invalid") === "true") same.setAttribute("aria-invalid", "true");
  if ("tried" in held.dataset) same.dataset.tried = "";
  same.dataset.before = held.dataset.before ?? "";
  same.setSelectionRange(selectionStart, selectionEnd);
  // the browser takes what was put there for unchanged, and would not tell of it when the field is left
  if (!("number" in same.dataset)) same.addEventListener("blur", () => same.dispatchEvent(new Event("change", { bubbles: true })), { once: true });
}

/** @type {any} */ (window).htmx.defineExtension("steady", {
  isInlineSwap: (style) => style === "steady",
  handleSwap(style, target, fragment) {
    if (style !== "steady") return false;
    putSteadily(target, fragment);
    return [...target.children];
  },
  onEvent(name, { detail, target }) {
    if (name !== "htmx:beforeSwap" || !detail.shouldSwap || !isHeldIn(target)) return true;
    detail.shouldSwap = false; // what is in the hand stays; it is asked for again when the hand lets go
    const asker = detail.requestConfig.elt;
    whenFree(() => asker.dispatchEvent(new CustomEvent("ft:renew")));
    return true;
  },
});

var steady = /*#__PURE__*/Object.freeze({
  __proto__: null,
  putSteadily: putSteadily
});

// "Show me": a tour of the rooms on the demo, each step done by the person on the real screen, kept where one left it.


const STORE = "ft:tour";
const LOOK_MS = 250;

/** Whether a step is done, from how things stood when it began and how they stand now. Pure. */
function isDone(until, before, now) {
  if (until === "playing") return now.playing;
  if (until === "room") return now.room === now.wanted;
  if (until === "edited") return now.revision !== before.revision && now.undo !== null && now.undo !== before.undo;
  if (until === "baked") return now.stale === 0;
  return now.written;
}

const progress = () => JSON.parse(localStorage.getItem(STORE) ?? "null");

/** Begin the tour, or go on with it where it was left; it has a demo of its own. */
async function showMe() {
  const before = progress();
  const there = before && (await getJson(`/p/${before.project}/status`).catch(() => null));
  if (there) localStorage.setItem(STORE, JSON.stringify({ ...before, on: true }));
  const demo = there ? { url: `/p/${before.project}/bench` } : await telling(() => postJson("/projects/demo"));
  if (!demo) return;
  if (!there) localStorage.setItem(STORE, JSON.stringify({ project: demo.url.split("/")[2], step: 0, on: true }));
  window.location.href = demo.url;
}

class Tour {
  #before = null;

  constructor(root) {
    this.root = root;
    this.steps = [...root.querySelectorAll("[data-step]")];
    byId("tour-skip").addEventListener("click", () => this.#go(this.step + 1));
    byId("tour-leave").addEventListener("click", () => this.#leave());
    root.hidden = false;
    this.timer = setInterval(() => this.#look(), LOOK_MS);
    this.#go(progress().step);
  }

  get #now() {
    const { revision, undo, stale } = project.status;
    const shown = this.steps[this.step];
    return { revision, undo, stale, playing: transport.playing, room: byId("room")?.dataset.room, wanted: shown.dataset.room, written: Boolean(first("[id^=download-]")) };
  }

  #go(step) {
    this.step = step;
    localStorage.setItem(STORE, JSON.stringify({ project: project.key, step, on: step < this.steps.length }));
    this.steps.forEach((one, place) => (one.hidden = place !== step));
    byId("tour-count").textContent = String(Math.min(step + 1, this.steps.length));
    if (step >= this.steps.length) this.#end();
    else this.#before = this.#now;
  }

  #look() {
    if (this.step >= this.steps.length) return;
    const { room, point, until } = this.steps[this.step].dataset;
    if (isDone(until, this.#before, this.#now)) this.#go(this.step + 1);
    else this.#ring(byId("room")?.dataset.room === room ? first(point) : first(`#rooms [href$='/${room}']`));
  }

  /** Show where the next thing is done. */
  #ring(element) {
    const ring = byId("tour-ring");
    const box = element?.getBoundingClientRect();
    ring.hidden = !box?.width;
    if (ring.hidden) return;
    const at = { left: box.left - 4, top: box.top - 4, width: box.width + 8, height: box.height + 8 };
    for (const [name, px] of Object.entries(at)) ring.style[name] = `${px}px`;
  }

  #end() {
    clearInterval(this.timer);
    localStorage.removeItem(STORE);
    byId("tour-end").hidden = false;
    byId("tour-ring").hidden = byId("tour-skip").hidden = true;
    byId("tour-leave").textContent = "Close";
  }

  #leave() {
    clearInterval(this.timer);
    const state = progress();
    if (state) localStorage.setItem(STORE, JSON.stringify({ ...state, on: false }));
    this.root.hidden = byId("tour-ring").hidden = true;
  }
}

function mountTour() {
  for (const id of ["show-me", "show-me-again"]) byId(id)?.addEventListener("click", showMe);
  const state = progress();
  if (project.key && state?.on && state.project === project.key) new Tour(byId("tour"));
}

var tour = /*#__PURE__*/Object.freeze({
  __proto__: null,
  isDone: isDone,
  mountTour: mountTour,
  showMe: showMe
});

// Starts the page: header, transport, keyboard, and the view of the room that is shown. Each view has one dispose scope.


const ROOMS = { bench: Bench, sound: SoundRoom, stage: StageRoom, "hand-off": Handoff };
let scope = null;
let view = null;

function mountRoom() {
  scope?.abort();
  scope = new AbortController();
  const room = byId("room");
  if (!room) return;
  mountNumberFields(room, scope.signal);
  const Room = ROOMS[room.dataset.room];
  if (Room) view = new Room(room, scope.signal);
  else mountProjects(room, scope.signal);
}

/** A room goes: emptied here at once, since htmx would take leave of each of its thousand elements. */
function leave(room) {
  scope?.abort();
  room.replaceChildren();
}

/** Another room was swapped in: its address goes into the history, its view is mounted, the playhead stays. */
function enter() {
  mountRoom();
  const { href } = first('#rooms [aria-current="page"]');
  setTimeout(() => history.pushState(null, "", href)); // after the room is drawn: it takes a whole screen frame
}

function paintHeader() {
  const { undo, redo, saved, stale, driven, name } = project.status;
  const button = (id, label, words) => {
    const element = byId(id);
    element.disabled = !label;
    element.title = label ? `${words}: ${label}` : `Nothing to ${words.toLowerCase()}`;
  };
  button("undo", undo, "Undo");
  button("redo", redo, "Redo");
  byId("saved").textContent = `Saved ${saved}`;
  const bake = byId("bake");
  bake.disabled = stale === 0;
  bake.textContent = stale ? `Bake ${stale} changed curve${stale === 1 ? "" : "s"}` : driven ? "All curves baked" : "Nothing to bake";
  const title = byId("project-name");
  if (focused() !== title) title.value = name;
  title.title = name;
  const [top, bottom] = project.status.rate;
  const rate = byId("rate");
  const text = bottom === 1 ? String(top) : `${top}/${bottom}`;
  if (focused() !== rate) rate.value = text;
}

/** Show only the words in which all of what is typed lies. */
function findWord(text) {
  const entries = [...document.querySelectorAll("#words li")];
  const typed = text.toLowerCase().split(/\s+/).filter(Boolean);
  for (const entry of entries) /** @type {any} */ (entry).hidden = !typed.every((word) => entry.getAttribute("data-words").includes(word));
  byId("no-word").hidden = entries.some((entry) => !(/** @type {any} */ (entry).hidden));
}

function mountHeader() {
  const on = (id, type, run) => byId(id).addEventListener(type, run);
  on("undo", "click", () => project.undo());
  on("redo", "click", () => project.redo());
  on("bake", "click", () => project.bake());
  on("show-keys", "click", () => byId("keys").showModal());
  on("find-word", "input", (event) => findWord(event.target.value));
  on("rate", "change", (event) => project.edit({ kind: "set_rate", rate: event.target.value }));
  on("project-name", "change", (event) => {
    if (event.target.value.trim()) project.edit({ kind: "rename_project", name: event.target.value });
    else event.target.value = project.status.name;
  });
  on("project-name", "keydown", (event) => event.key === "Enter" && event.target.blur());
  project.addEventListener("status", paintHeader);
  paintHeader();
}

/** Every request of htmx carries the token; one for another room says what is selected. */
function completeRequest({ detail: { headers, target, parameters } }) {
  headers["X-CSRF-Token"] = token();
  if (target.id !== "room") return;
  const { open, curve, ...selected } = selection.all;
  for (const [name, value] of Object.entries({ ...selected, open: open.join(), target: curve })) if (value) parameters[name] = String(value);
}

onPage("htmx:configRequest", completeRequest);
hearFragments();
mountDropAnywhere();
mountSize();
project.open();
if (project.key) {
  transport.open();
  mountHeader();
  work.open();
  rhythm.open();
  offerRounds();
  offerSounds();
  work.addEventListener("done", () => rhythm.load(byId("ribbon")?.dataset.track || null));
  mountKeyboard({ zoom: (by) => view?.zoom?.(by), nextVersion: () => view?.nextVersion?.() });
  onPage("htmx:beforeRequest", (event) => event.target.getAttribute("href")?.endsWith("/sound") && openingSound());
  onPage("htmx:beforeSwap", ({ target, detail }) => target.id === "room" && detail.shouldSwap && leave(target));
  onPage("htmx:afterSettle", (event) => event.target.id === "room" && enter());
  window.addEventListener("popstate", () => project.settled().then(() => window.location.reload()));
}
mountRoom();
mountTour();

export { ArrayViews as A, asked as a, array_views, axis, freeReaches as b, bands_hand, bench, benders, beside, bound, calibrating, canvas, component, count_in, devices, dom, drag$1 as drag, drawer, drop, drop_anywhere, envelope_trace, flying as f, first_cut, getterOf as g, graphic, hand, handoff, heard_clock, hits, inOrder as i, keyboard, keys_plot, lane, lanes, large_curve, latency, listening, live, looking2d, mixedLight as m, microphone, midi_in, motion, notices, number_field, order, outbox, outlines, own_motion, pad, parts, performing, picker, pieces, placing, profile, project$1 as project, projects, proof, proof_stage, reachesOf as r, rehearsal, rhythm$1 as rhythm, ribbon, ribbon_hand, seenShapes as s, selection$1 as selection, server, shapes, sheet, sheet_plot, size, sound_memory, sound_room, soundtrack, spectrogram, spotlight, stage, stage2d_arrays, stage2d_outlines, stage_choose, stage_files, stage_leading, stage_looking, stage_pick, stage_pieces, stage_planes, stage_properties, stage_reach, stage_room, stage_suggestions, stage_tree, stage_view, stage_ways, steady, stilled$1 as stilled, store, svg, swap, swap_report, tab_sound, take, taps$1 as taps, _throw as throw, tour, trace, track_hits, transport$1 as transport, tried_order, unhurried$1 as unhurried, voice, wav, ways, work$1 as work };
