// @ts-check
// Undo and redo of this window in this step; the buttons name what they would take back or do again.
import { ask } from "./api.js";
import { say } from "./dom.js";
import { job, ofJob } from "./session.js";

/** @type {{ undo: string | null, redo: string | null }} */
export const history = { undo: null, redo: null };

/** @type {((history: { undo: string | null, redo: string | null }) => void)[]} */
const watchers = [];

/** @param {(history: { undo: string | null, redo: string | null }) => void} act */
export function whenHistory(act) {
  watchers.push(act);
  act(history);
}

/** @param {{ undo: string | null, redo: string | null }} now */
function set(now) {
  history.undo = now.undo;
  history.redo = now.redo;
  for (const act of watchers) act(history);
}

/** @param {"undo" | "redo"} way */
export async function replay(way) {
  if (!job) return;
  try {
    const done = await ask(ofJob(`/${way}`), {});
    say(`${way === "undo" ? "undone" : "done again"}: ${done.label}`);
    set(done.next);
    document.dispatchEvent(new CustomEvent("legere:changed"));
  } catch (error) {
    say(/** @type {Error} */ (error).message);
    refresh();
  }
}

let asked = 0;
async function refresh() {
  const mine = ++asked;
  try {
    const now = await ask(ofJob("/history"));
    if (mine === asked) set(now);
  } catch {
    // The next edit asks again.
  }
}

export function follow() {
  if (!job) return;
  let waiting = 0;
  document.addEventListener("legere:edited", () => {
    clearTimeout(waiting);
    waiting = window.setTimeout(refresh, 120);
  });
  refresh();
}
