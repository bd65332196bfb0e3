// @ts-check
// The contact sheet: a cell for each select, made once; narrowing hides cells instead of making them anew.
import { $, el } from "../../lib/dom.js";
import { sheet, tile } from "../../lib/filmstrip.js";
import { clock } from "../../lib/time.js";

/** @type {Map<string, any>} */
const cells = new Map();

/** @param {any} s */
export const cellOf = (s) => cells.get(s.id);

/** The clip's name, and which of its selects this is where it has several.
 * @param {any} s @returns {string} */
export const named = (s) => (s.of > 1 ? `${s.name} ${s.place}/${s.of}` : s.name);

/** Shows a select's tier and hit on its cell.
 * @param {any} s */
export function dress(s) {
  const cell = cells.get(s.id);
  if (!cell) return;
  cell.className = `cell is-${s.tier}`;
  cell.querySelector("img").className = `tile-${tile(s.hit, s.duration)}`;
  cell.querySelector(".cap").textContent = `${named(s)} ${clock(s.end - s.start)}`;
  cell.querySelector(".under").className = `under ${s.tier === "out" ? "" : s.tier}`;
  cell.setAttribute("aria-label", `${named(s)} ${clock(s.end - s.start)}, ${s.tier}`);
}

/** Makes the cells of a list that has others than before.
 * @param {any[]} all @param {(s: any) => void} show */
export function fill(all, show) {
  cells.clear();
  const made = document.createDocumentFragment();
  for (const s of all) {
    const cell = el("button", {
      type: "button",
      role: "option",
      "data-select": s.id,
      tabindex: -1,
      "aria-selected": false,
    });
    cell.append(
      el("img", { loading: "lazy", src: sheet(s.clip), alt: "" }),
      el("span", { class: "under" }),
      el("span", { class: "cap" }),
    );
    cell.addEventListener("click", () => show(s));
    cells.set(s.id, cell);
    dress(s);
    made.append(cell);
  }
  $("sheet").replaceChildren(made);
}

/** @param {any[]} all @param {any[]} shown */
export function narrow(all, shown) {
  const wanted = new Set(shown);
  for (const s of all) {
    const cell = cells.get(s.id);
    if (cell && cell.hidden === wanted.has(s)) cell.hidden = !wanted.has(s);
  }
  $("nothing").hidden = shown.length > 0;
}

/** Says which cell is looked at.
 * @param {any} before @param {any} now */
export function choose(before, now) {
  for (const one of [before, now]) if (one) cells.get(one.id)?.setAttribute("aria-selected", String(one === now));
  if (now) cells.get(now.id)?.scrollIntoView({ block: "nearest" });
}
