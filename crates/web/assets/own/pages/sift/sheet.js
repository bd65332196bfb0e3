// @ts-check
// The contact sheet: a cell for each clip, of which only those that are seen are in the page.
import { $, el } from "../../lib/dom.js";
import { STILLS, tile } from "../../lib/filmstrip.js";
import { clock } from "../../lib/time.js";
import { bestOf, clipsOf, state } from "./state.js";
import * as stills from "./stills.js";

const GAP = 8;
/** Widths of a still, in pixels. */
const WIDTHS = { small: 122, large: 244 };
/** What stands below a still, in pixels. */
const BELOW = 36;
/** Rows above and below those in sight whose pictures are made ready. */
const AHEAD = 2;

const box = $("sheet"),
  inside = /** @type {HTMLElement} */ (box.querySelector(".inside"));
/** @type {import("./state.js").Clip[]} */
let clips = [];
/** @type {Map<string, number>} */
let places = new Map();
/** @type {Map<number, Cell>} cells in the page, by their place */
const cells = new Map();
/** @type {"small" | "large"} */
let size = "small";
let across = 1,
  wide = 122,
  high = 100;
/** @type {(s: Select, event: MouseEvent) => void} */
let press = () => undefined;

/** @param {(s: Select, event: MouseEvent) => void} act */
export const whenPressed = (act) => {
  press = act;
};
/** @param {"small" | "large"} wanted */
export function setSize(wanted) {
  size = wanted;
  layAnew();
}

function measure() {
  const room = Math.max(200, box.clientWidth - 6);
  across = Math.max(1, Math.floor((room + GAP) / (WIDTHS[size] + GAP)));
  wide = Math.floor((room - GAP * (across - 1)) / across);
  high = Math.round((wide * 9) / 16) + BELOW;
  inside.style.height = `${Math.ceil(clips.length / across) * (high + GAP)}px`;
}

/** A clip's place on the sheet: its elements stay, what they show changes.
 * @typedef {ReturnType<typeof fresh>} Cell */
function fresh() {
  const part = (/** @type {string} */ name) => el("span", { class: name });
  const cell = {
    box: el("div", { role: "option", class: "clip-cell" }),
    still: part("pic"),
    brackets: part("brackets"),
    under: part("under"),
    cap: part("cap"),
    name: part("clip-name"),
    length: part(""),
    take: part("take"),
    label: part("label-now"),
    said: part("is-sr-only"),
    /** How the clip's selects lie in it. */
    marks: "",
  };
  cell.cap.append(cell.name, cell.length, cell.take, cell.label);
  cell.box.append(cell.still, cell.brackets, cell.under, cell.cap, cell.said);
  return cell;
}
/** Changes only what is not so already: even an equal text is laid out again. @param {HTMLElement} part @param {string} words */
function write(part, words) {
  if (part.textContent !== words) part.textContent = words;
  part.hidden = !words;
}
/** @param {HTMLElement} part @param {string} name */
function dressAs(part, name) {
  if (part.className !== name) part.className = name;
}

/** The select that stands for a clip: the one that is looked at, or the best. @param {import("./state.js").Clip} clip */
const face = (clip) => (state.now?.clip === clip.id ? state.now : bestOf(clip.selects));

/** @param {Cell} cell @param {number} at */
function dressCell(cell, at) {
  const clip = clips[at],
    s = face(clip),
    best = bestOf(clip.selects),
    here = state.now?.clip === clip.id,
    chosen = clip.selects.some((q) => state.chosen.has(q.id)),
    { box } = cell;
  box.style.left = `${(at % across) * (wide + GAP)}px`;
  box.style.top = `${Math.floor(at / across) * (high + GAP)}px`;
  box.style.width = `${wide}px`;
  box.style.height = `${high}px`;
  dressAs(box, `clip-cell is-${best.tier}${s.problem ? " is-away" : ""}${chosen ? " is-chosen" : ""}${here ? " is-here" : ""}`);
  box.dataset.select = s.id;
  box.draggable = here;
  box.dataset.at = String(at);
  box.setAttribute("aria-selected", String(here || chosen));
  box.setAttribute("aria-posinset", String(at + 1));
  box.setAttribute("aria-setsize", String(clips.length));
  cell.still.dataset.of = s.clip;
  stills.show(cell.still, s.clip, tile(s.hit, s.duration));
  bracket(cell, clip.selects);
  dressAs(cell.under, `under ${best.tier === "out" ? "" : best.tier}`);
  const length = clock(clip.selects.reduce((sum, q) => sum + q.end - q.start, 0)),
    many = clip.selects.length > 1 ? ` ×${clip.selects.length}` : "";
  write(cell.name, s.name);
  write(cell.length, `${length}${many}${s.sound && !s.muted ? " ♪" : ""}`);
  write(cell.take, s.alike ? `${s.alike.take}/${s.alike.of}` : "");
  if (s.alike) cell.take.title = `take ${s.alike.take} of ${s.alike.of} that show the same`;
  dressAs(cell.label, `label-now tone-${s.label?.tone || ""}`);
  write(cell.label, s.label ? s.label.word : "");
  write(cell.said, [best.tier, s.problem].filter(Boolean).join(", "));
}
/** Where the selects of a clip lie in it. @param {Cell} cell @param {Select[]} selects */
function bracket(cell, selects) {
  const share = (/** @type {Select} */ q, /** @type {number} */ seconds) => `${((100 * seconds) / q.duration).toFixed(1)}%`,
    marks = selects.map((q) => `${share(q, q.start)} ${share(q, q.end - q.start)} ${q.tier}`).join();
  if (cell.marks === marks) return;
  cell.marks = marks;
  while (cell.brackets.children.length > selects.length) cell.brackets.lastChild?.remove();
  for (const [i, q] of selects.entries()) {
    const mark = /** @type {HTMLElement} */ (cell.brackets.children[i] || cell.brackets.appendChild(el("i", {})));
    dressAs(mark, q.tier);
    mark.style.left = share(q, q.start);
    mark.style.width = share(q, q.end - q.start);
  }
}

/** Shows the cells that are in sight and the rows next to it. A cell that has left it becomes one that comes, where it
 * stands in the page: taking it out and putting it in costs most of a step of scrolling. */
function look() {
  const row = high + GAP,
    first = Math.max(0, Math.floor(box.scrollTop / row) - AHEAD) * across,
    last = Math.min(clips.length, (Math.ceil((box.scrollTop + box.clientHeight) / row) + AHEAD) * across);
  /** @type {Cell[]} */
  const free = [];
  for (const [at, cell] of cells) {
    if (at >= first && at < last) continue;
    cells.delete(at);
    free.push(cell);
  }
  for (let at = first; at < last; at++) {
    if (cells.has(at)) continue;
    const cell = free.pop() || fresh();
    if (!cell.box.parentElement) inside.append(cell.box);
    cells.set(at, cell);
    dressCell(cell, at);
  }
  for (const cell of free) cell.box.remove();
  inOrderLater();
}
let rests = 0;
/** Once the sheet rests, its cells stand in the page in the order in which they are seen and read out. */
function inOrderLater() {
  clearTimeout(rests);
  rests = window.setTimeout(() => {
    const seen = [...cells].sort(([a], [b]) => a - b).map(([, cell]) => cell.box);
    for (const [i, cell] of seen.entries()) {
      const follows = i ? seen[i - 1].nextElementSibling : inside.querySelector(".clip-cell");
      if (follows !== cell) inside.insertBefore(cell, follows);
    }
  }, 200);
}

function layAnew() {
  measure();
  // What stays where it is stays the same element: a press that is under way must not lose it.
  for (const [at, cell] of cells) if (at < clips.length) dressCell(cell, at);
  look();
}

/** Shows the clips of what is narrowed to. */
export function show() {
  clips = clipsOf(state.shown);
  places = new Map(clips.map((c, i) => [c.id, i]));
  box.dataset.clips = String(clips.length);
  $("nothing").hidden = clips.length > 0;
  layAnew();
}

/** The selects in the order in which they stand on the sheet. @returns {Select[]} */
export const inOrder = () => clips.flatMap((c) => c.selects);

/** Shows a clip's cell as it is now. @param {string} clip */
export function dress(clip) {
  const at = places.get(clip),
    cell = at === undefined ? undefined : cells.get(at);
  if (cell) dressCell(cell, /** @type {number} */ (at));
}
export const dressAll = () => {
  for (const [at, cell] of cells) dressCell(cell, at);
};

/** Says which clip is looked at, and brings it into sight. @param {Select | null} before @param {Select | null} now */
export function choose(before, now) {
  if (before && before.clip !== now?.clip) dress(before.clip);
  if (!now) return;
  const at = places.get(now.clip);
  if (at !== undefined) {
    const top = Math.floor(at / across) * (high + GAP);
    if (top < box.scrollTop) box.scrollTop = top;
    else if (top + high > box.scrollTop + box.clientHeight) box.scrollTop = top + high - box.clientHeight + 4;
    look();
  }
  dress(now.clip);
}

/** Clips between two, as one sees them. @param {string} from @param {string} to @returns {Select[]} */
export function between(from, to) {
  const [a, b] = [places.get(from) ?? 0, places.get(to) ?? 0].sort((x, y) => x - y);
  return clips.slice(a, b + 1).flatMap((c) => c.selects);
}

/** The clip some steps on. @param {Select | null} now @param {number} step @returns {Select | undefined} */
export function beside(now, step) {
  const at = now ? (places.get(now.clip) ?? -1) : -1;
  return clips[Math.max(0, Math.min(clips.length - 1, at + step))]?.selects[0];
}
export const columns = () => across;

/** @param {Event} event @returns {{ cell: Cell, clip: import("./state.js").Clip } | null} */
function under(event) {
  const pressed = /** @type {any} */ (event.target).closest?.(".clip-cell"),
    at = Number(pressed?.dataset.at),
    cell = pressed && cells.get(at);
  return cell ? { cell, clip: clips[at] } : null;
}
box.addEventListener("scroll", look, { passive: true });
new ResizeObserver(layAnew).observe(box);
box.addEventListener("click", (/** @type {MouseEvent} */ event) => {
  const found = under(event);
  // The click that ends a rubber band is none.
  if (!found || performance.now() - bandEnded < 60) return;
  // Pressing one of several brackets goes to that select.
  const along = (event.clientX - found.cell.box.getBoundingClientRect().left) / wide,
    at = along * found.clip.selects[0].duration,
    on = found.clip.selects.find((s) => at >= s.start && at < s.end);
  press(on || face(found.clip), event);
});
// The pointer over a still runs through the clip; the sheet is there already, so nobody is asked.
box.addEventListener("pointermove", (/** @type {PointerEvent} */ event) => {
  const found = under(event);
  if (!found || event.buttons) return;
  const along = (event.clientX - found.cell.box.getBoundingClientRect().left) / wide;
  stills.leafTo(found.cell.still, Math.max(0, Math.min(STILLS - 1, Math.floor(along * STILLS))));
});
box.addEventListener("pointerout", (/** @type {PointerEvent} */ event) => {
  const found = under(event);
  if (!found || found.cell.box.contains(/** @type {Node} */ (event.relatedTarget))) return;
  const s = face(found.clip);
  stills.show(found.cell.still, s.clip, tile(s.hit, s.duration));
});

// A rubber band over the paper between the cells, or from a cell with the button held.
let bandEnded = 0;
/** @type {{ x: number, y: number, moved: boolean, add: boolean } | null} */
let pulled = null;
/** @type {(selects: Select[], add: boolean) => void} */
let banded = () => undefined;
/** @param {(selects: Select[], add: boolean) => void} act */
export const whenBanded = (act) => {
  banded = act;
};
const band = /** @type {HTMLElement} */ (box.querySelector(".band"));
const here = (/** @type {PointerEvent} */ event) => {
  const frame = box.getBoundingClientRect();
  return { x: event.clientX - frame.left, y: event.clientY - frame.top + box.scrollTop };
};
box.addEventListener("dragstart", (/** @type {DragEvent} */ event) => {
  if (state.now) event.dataTransfer?.setData("text/x-select", state.now.id);
});
box.addEventListener("pointerdown", (/** @type {PointerEvent} */ event) => {
  // What can be dragged away is: to the skyline of Arrange in another window.
  if (/** @type {Element} */ (event.target).closest("[draggable='true']")) return;
  if (event.button === 0 && event.clientX < box.getBoundingClientRect().left + box.clientWidth)
    pulled = { ...here(event), moved: false, add: event.ctrlKey || event.metaKey || event.shiftKey };
});
window.addEventListener("pointermove", (event) => {
  if (!pulled) return;
  const to = here(event);
  if (!pulled.moved && Math.hypot(to.x - pulled.x, to.y - pulled.y) < 8) return;
  pulled.moved = true;
  event.preventDefault();
  const [x, y, w, h] = [Math.min(to.x, pulled.x), Math.min(to.y, pulled.y), Math.abs(to.x - pulled.x), Math.abs(to.y - pulled.y)];
  band.hidden = false;
  Object.assign(band.style, { left: `${x}px`, top: `${y}px`, width: `${w}px`, height: `${h}px` });
  const row = high + GAP,
    column = wide + GAP,
    hit = clips.filter((_, i) => {
      const left = (i % across) * column,
        top = Math.floor(i / across) * row;
      return left < x + w && left + wide > x && top < y + h && top + high > y;
    });
  banded(
    hit.flatMap((c) => c.selects),
    pulled.add,
  );
});
window.addEventListener("pointerup", () => {
  if (pulled?.moved) bandEnded = performance.now();
  pulled = null;
  band.hidden = true;
});
