// @ts-check
// Passes, and what the music asks for: both move as one judges.
import { ask } from "../../lib/api.js";
import { say } from "../../lib/dom.js";
import { gathered } from "../../lib/events.js";
import { ofJob } from "../../lib/session.js";
import { clock } from "../../lib/time.js";
import { state } from "./state.js";

/** @type {typeof parts} */
let view;
/** @type {(number: number, place: string | null) => void} */
let went = () => undefined;

/** What the page's templates name. */
export const parts = {
  pass: 1,
  passWhat: "through everything",
  passesOpen: false,
  /** @type {(import("wire").Progress & { said: string })[]} */
  passes: [],
  /** @type {(import("wire").NeedView & { at: number, said: string, state: string, share: number, title: string })[]} */
  needs: [],
  togglePasses() {
    view.passesOpen = !view.passesOpen;
  },
  /** @param {number} number */
  goToPass(number) {
    view.passesOpen = false;
    enter(number);
  },
  /** @param {string} through */
  async beginPass(through) {
    try {
      const { number } = await ask(ofJob("/sift/passes"), { through });
      view.passesOpen = false;
      await refresh();
      enter(number);
    } catch (error) {
      say(/** @type {Error} */ (error).message);
    }
  },
  /** @param {string} id */
  async endPass(id) {
    try {
      await ask(ofJob(`/sift/passes/${id}`), undefined, { method: "DELETE" });
      await refresh();
    } catch (error) {
      say(/** @type {Error} */ (error).message);
    }
  },
};

/** @param {number} number */
function enter(number) {
  const pass = view.passes.find((p) => p.number === number) || view.passes[0];
  state.pass = pass ? pass.number : 1;
  describe();
  went(state.pass, pass?.place || null);
}
function describe() {
  const pass = view.passes.find((p) => p.number === state.pass);
  view.pass = state.pass;
  view.passWhat = pass ? `through ${pass.what}` : "through everything";
}

/** Asks how far the passes are. */
export async function refresh() {
  try {
    const all = await ask(ofJob("/sift/passes.json"));
    view.passes = all.map((/** @type {import("wire").Progress} */ p) => ({
      ...p,
      said: `${p.selects} selects, ${p.left} left, ${clock(p.seconds_left)}; ${p.taken_out} taken out`,
    }));
    if (!view.passes.some((p) => p.number === state.pass)) enter(1);
    describe();
  } catch (error) {
    say(/** @type {Error} */ (error).message);
  }
}
async function refreshNeeds() {
  try {
    // At the pace of the draft that one comes from.
    const draft = new URLSearchParams(location.search).get("draft"),
      all = await ask(ofJob(`/sift/needs.json${draft ? `?draft=${draft}` : ""}`));
    view.needs = all.map((/** @type {import("wire").NeedView} */ n, /** @type {number} */ at) => ({
      ...n,
      at,
      said: `${n.offered} of ${n.shots}`,
      state: n.offered >= n.shots ? "enough" : n.kind,
      share: (100 * n.offered) / n.shots,
      title: `${n.kind}: ${n.offered} of ${n.shots} shots, ${n.asks}; show what could fill it`,
    }));
  } catch {
    // There is no music yet, or the next verdict asks again.
  }
}
/** Both, a moment after the last change. */
export const later = gathered(() => {
  refresh();
  refreshNeeds();
}, 250);

/** Keeps where one is. @type {number} */
let keeping = 0;
/** @param {string} select */
export function remember(select) {
  const id = view.passes.find((p) => p.number === state.pass)?.id;
  if (!id) return;
  clearTimeout(keeping);
  keeping = window.setTimeout(() => {
    fetch(ofJob(`/sift/passes/${id}/place`), {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ select }),
    }).catch(() => undefined);
  }, 600);
}

/** @param {typeof parts} store what is on the screen @param {(number: number, place: string | null) => void} act another pass is gone through */
export async function begin(store, act) {
  view = store;
  went = act;
  await refresh();
  refreshNeeds();
}
