// @ts-check
// The contact sheet: a cell for each clip, of which only those that are seen are in the page.
import { $, el } from "../../lib/dom.js";
import { STILLS, sheet as sheetOf, tile } from "../../lib/filmstrip.js";
import { clock } from "../../lib/time.js";
import { bestOf, clipsOf, state } from "./state.js";

const GAP = 8;
/** Widths of a still, in pixels. */
const WIDTHS = { small: 122, large: 244 };
/** What stands below a still, in pixels. */
const BELOW = 36;

const box = $("sheet"),
  inside = /** @type {HTMLElement} */ (box.querySelector(".inside"));
/** @type {import("./state.js").Clip[]} */
let clips = [];
/** @type {Map<string, number>} */
let places = new Map();
/** @type {Map<number, HTMLElement>} cells in the page, by their place */
const cells = new Map();
/** @type {HTMLElement[]} */
const spare = [];
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

/** What a cell is made of. @param {HTMLElement} cell */
const parts = (cell) => /** @type {HTMLElement[]} */ ([...cell.children]);

/** @returns {HTMLElement} */
function fresh() {
  const kept = spare.pop();
  if (kept) return kept;
  const cell = el("div", { role: "option", class: "cell" });
  cell.append(
    el("span", { class: "pic" }),
    el("span", { class: "brackets" }),
    el("span", { class: "under" }),
    el("span", { class: "cap" }),
    el("span", { class: "is-sr-only" }),
  );
  return cell;
}

/** @param {HTMLElement} still @param {number} n */
const showTile = (still, n) => (still.style.backgroundPositionX = `${(n / (STILLS - 1)) * 100}%`);

/** The select that stands for a clip: the one that is looked at, or the best. @param {import("./state.js").Clip} clip */
const face = (clip) => (state.now?.clip === clip.id ? state.now : bestOf(clip.selects));

/** @param {HTMLElement} cell @param {number} at */
function dressCell(cell, at) {
  const clip = clips[at],
    s = face(clip),
    best = bestOf(clip.selects),
    here = state.now?.clip === clip.id,
    chosen = clip.selects.some((q) => state.chosen.has(q.id));
  cell.style.transform = `translate(${(at % across) * (wide + GAP)}px, ${Math.floor(at / across) * (high + GAP)}px)`;
  cell.style.width = `${wide}px`;
  cell.style.height = `${high}px`;
  cell.className = `cell is-${best.tier}${chosen ? " is-chosen" : ""}${here ? " is-here" : ""}`;
  cell.dataset.select = s.id;
  cell.draggable = here;
  cell.dataset.at = String(at);
  cell.setAttribute("aria-selected", String(here || chosen));
  cell.setAttribute("aria-posinset", String(at + 1));
  cell.setAttribute("aria-setsize", String(clips.length));
  const [still, brackets, under, cap, said] = parts(cell),
    address = `url("${sheetOf(s.clip)}")`;
  if (still.dataset.of !== s.clip) {
    still.dataset.of = s.clip;
    still.style.backgroundImage = address;
  }
  showTile(still, tile(s.hit, s.duration));
  const marks = clip.selects
    .map((q) => `${((q.start / s.duration) * 100).toFixed(1)} ${(((q.end - q.start) / s.duration) * 100).toFixed(1)} ${q.tier}`)
    .join();
  if (brackets.dataset.marks !== marks) {
    brackets.dataset.marks = marks;
    brackets.replaceChildren(
      ...clip.selects.map((q) => {
        const mark = el("i", { class: q.tier });
        mark.style.left = `${(q.start / s.duration) * 100}%`;
        mark.style.width = `${((q.end - q.start) / s.duration) * 100}%`;
        return mark;
      }),
    );
  }
  under.className = `under ${best.tier === "out" ? "" : best.tier}`;
  const length = clock(clip.selects.reduce((sum, q) => sum + q.end - q.start, 0)),
    many = clip.selects.length > 1 ? ` ×${clip.selects.length}` : "",
    label = s.label,
    words = `${s.name}|${length}${many}|${s.sound && !s.muted ? "♪" : ""}|${label ? label.word : ""}|${s.alike?.take}/${s.alike?.of}`;
  if (cap.dataset.words !== words) {
    cap.dataset.words = words;
    cap.replaceChildren(el("span", { class: "clip-name" }, s.name), el("span", {}, `${length}${many}${s.sound && !s.muted ? " ♪" : ""}`));
    if (s.alike)
      cap.append(
        el("span", { class: "take", title: `take ${s.alike.take} of ${s.alike.of} that show the same` }, `${s.alike.take}/${s.alike.of}`),
      );
    if (label) cap.append(el("span", { class: `label-now tone-${label.tone}` }, label.word));
  }
  const reported = [best.tier, s.problem].filter(Boolean).join(", ");
  if (said.textContent !== reported) said.textContent = reported;
  cell.classList.toggle("is-away", Boolean(s.problem));
}

/** Puts the cells that are seen into the page, and takes the others out. */
function look() {
  const row = high + GAP,
    first = Math.max(0, Math.floor(box.scrollTop / row) - 1) * across,
    last = Math.min(clips.length, (Math.ceil((box.scrollTop + box.clientHeight) / row) + 1) * across);
  for (const [at, cell] of cells) {
    if (at >= first && at < last) continue;
    cells.delete(at);
    spare.push(cell);
    cell.remove();
  }
  // From behind, so that they stand in the page in the order in which they are seen.
  for (let at = last - 1; at >= first; at--) {
    if (cells.has(at)) continue;
    const cell = fresh();
    inside.insertBefore(cell, cells.get(at + 1) || null);
    cells.set(at, cell);
    dressCell(cell, at);
  }
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

/** @param {Event} event @returns {{ cell: HTMLElement, clip: import("./state.js").Clip } | null} */
function under(event) {
  const cell = /** @type {any} */ (event.target).closest?.(".cell");
  return cell ? { cell, clip: clips[Number(cell.dataset.at)] } : null;
}
box.addEventListener("scroll", look, { passive: true });
new ResizeObserver(layAnew).observe(box);
box.addEventListener("click", (/** @type {MouseEvent} */ event) => {
  const found = under(event);
  // The click that ends a rubber band is none.
  if (!found || performance.now() - bandEnded < 60) return;
  // Pressing one of several brackets goes to that select.
  const along = (event.clientX - found.cell.getBoundingClientRect().left) / wide,
    at = along * found.clip.selects[0].duration,
    on = found.clip.selects.find((s) => at >= s.start && at < s.end);
  press(on || face(found.clip), event);
});
// The pointer over a still runs through the clip; the sheet is there already, so nobody is asked.
box.addEventListener("pointermove", (/** @type {PointerEvent} */ event) => {
  const found = under(event);
  if (!found || event.buttons) return;
  const along = (event.clientX - found.cell.getBoundingClientRect().left) / wide;
  showTile(parts(found.cell)[0], Math.max(0, Math.min(STILLS - 1, Math.floor(along * STILLS))));
});
box.addEventListener("pointerout", (/** @type {PointerEvent} */ event) => {
  const found = under(event);
  if (!found || found.cell.contains(/** @type {Node} */ (event.relatedTarget))) return;
  const s = face(found.clip);
  showTile(parts(found.cell)[0], tile(s.hit, s.duration));
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
