// @ts-check
// Many at once: chosen with Shift, Ctrl, a rubber band, or all that is shown; dealt with by one key.
import { clock } from "../../lib/time.js";
import * as dialog from "./beside.js";
import * as player from "./player.js";
import * as sheet from "./sheet.js";
import { meant, ofClip, state } from "./state.js";

/** @typedef {{ show: (s: Select) => void, keep: (of: Select[], kept: Select) => Promise<void>,
 *   act: { words: () => void, label: () => void, movement: () => void, mute: () => void, "leave-out": () => void,
 *     verdict: (tier: string) => void } }} Acts */

/** @type {any} */
let page;
/** @type {Acts} */
let acts;
/** From where Shift chooses. @type {Select | null} */
let anchor = null;

export function changed() {
  const all = state.all.filter((s) => state.chosen.has(s.id));
  page.chosen = all.length;
  page.chosenSays = `${all.length} chosen, ${clock(all.reduce((sum, s) => sum + s.end - s.start, 0))}`;
  sheet.dressAll();
}
/** @param {Select[]} selects @param {boolean} add */
function choose(selects, add) {
  if (!add) state.chosen.clear();
  for (const s of selects) state.chosen.add(s.id);
  changed();
}
const chooseAll = () => choose(state.shown, false);

/** Stops what plays over and over, and lets go of what is chosen. */
export function letGo() {
  if (player.isLooping() || player.says()) player.stop();
  state.chosen.clear();
  changed();
}

/** Those that are chosen, or all selects of the clip that is looked at, beside each other. */
export function sideBySide() {
  beside(state.chosen.size ? meant() : state.now ? ofClip(state.now.clip) : []);
}
/** @param {Select[]} of */
export function beside(of) {
  dialog.open(of, (kept) => acts.keep(of, kept));
}

/** @param {any} store what is on the screen @param {Acts} of */
export function begin(store, of) {
  page = store;
  acts = of;
  sheet.whenPressed((s, event) => {
    if (event.shiftKey) return choose(sheet.between((anchor || state.now || s).clip, s.clip), true);
    anchor = s;
    if (event.ctrlKey || event.metaKey) {
      for (const q of state.shown.filter((q) => q.clip === s.clip))
        state.chosen.has(q.id) ? state.chosen.delete(q.id) : state.chosen.add(q.id);
      return changed();
    }
    if (state.chosen.size) letGo();
    acts.show(s);
  });
  sheet.whenBanded(choose);
  const buttons = /** @type {Record<string, (...rest: any[]) => void>} */ ({
    ...acts.act,
    beside: sideBySide,
    all: chooseAll,
    "let-go": letGo,
  });
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-many]")))
    b.addEventListener("click", buttons[b.dataset.many || ""]);
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-many-tier]")))
    b.addEventListener("click", () => acts.act.verdict(b.dataset.manyTier || ""));
  document.addEventListener("keydown", (e) => {
    const typing = /** @type {Element} */ (e.target).matches("input, textarea");
    if (!(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== "a" || typing) return;
    e.preventDefault();
    chooseAll();
  });
}
