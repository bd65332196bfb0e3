// @ts-check
// Narrowing by words: what is typed goes to the server, whose grammar answers what is shown and how many there are of each.
import { ask } from "../../lib/api.js";
import { $, say } from "../../lib/dom.js";
import { grouped, pieces, pressed } from "../../lib/narrowing.js";
import { ofJob } from "../../lib/session.js";
import { state } from "./state.js";

const field = $("words"),
  only = $("only-left");
let words = "";
let asked = 0;
/** @type {typeof parts & { passesOpen: boolean }} */
let view;
/** @type {() => void} */
let found = () => undefined;

/** The words as they are narrowed by. @returns {string} */
export const text = () => words;
export const isOnlyLeft = () => only.checked;

/** What the page's templates name. */
export const parts = {
  /** @type {{ at: number, words: string }[]} */
  terms: [],
  /** @type {{ name: string, values: { term: string, word: string, count: number, on: boolean }[] }[]} */
  values: [],
  problem: "",
  valuesOpen: false,
  /** @type {{ name: string, words: string }[]} */
  searches: [],
  openValues() {
    view.valuesOpen = true;
  },
  /** @param {number} at */
  takeOff(at) {
    set(
      pieces(words)
        .filter((_, i) => i !== at)
        .join(" "),
    );
  },
  /** @param {string} term @param {string} group */
  press: (term, group) => set(pressed(words, term, group, view.values)),
  /** @param {string} saved */
  recall(saved) {
    set(saved);
    view.valuesOpen = false;
  },
  /** @param {HTMLFormElement} form */
  async keep(form) {
    const name = /** @type {HTMLInputElement} */ (form.elements.namedItem("name"));
    await save(name.value, words);
    name.value = "";
  },
  /** @param {string} name */
  forget: (name) => save(name, ""),
};

/** @param {string} name @param {string} of */
async function save(name, of) {
  if (!name.trim()) return say("give it a name");
  if (!of && !view.searches.some((s) => s.name === name)) return say("there are no words to save yet");
  try {
    view.searches = await ask(ofJob("/sift/searches"), { name, words: of });
  } catch (error) {
    say(/** @type {Error} */ (error).message);
  }
}

/** @param {string} next */
export function set(next) {
  field.value = next;
  words = next.trim();
  refresh();
}

/** Asks what is shown by now, and how many there are of each value. */
export async function refresh() {
  const mine = ++asked,
    query = new URLSearchParams({ words, pass: String(state.pass), left: String(only.checked) });
  try {
    /** @type {import("wire").NarrowedView} */
    const answer = await ask(ofJob(`/sift/narrow.json?${query}`));
    if (mine !== asked) return;
    // Both keep the order of the clips, which is that of the selects on the page.
    const named = new Set("shown" in answer ? answer.shown : answer.all_but);
    state.shown = state.all.filter((s) => named.has(s.id) === "shown" in answer);
    view.terms = pieces(words).map((piece, at) => ({ at, words: piece }));
    view.values = grouped(answer.counts, words);
    view.problem = answer.problems.join("; ");
    found();
  } catch (error) {
    if (mine === asked) say(/** @type {Error} */ (error).message);
  }
}

/** @param {typeof parts & { passesOpen: boolean }} store what is on the screen @param {() => void} act called when what is shown has changed */
export function begin(store, act) {
  view = store;
  found = act;
  field.addEventListener("input", () => {
    words = field.value.trim();
    refresh();
  });
  field.addEventListener("keydown", (/** @type {KeyboardEvent} */ e) => {
    if (e.key === "Enter" || e.key === "Escape") {
      view.valuesOpen = false;
      field.blur();
    }
  });
  only.addEventListener("change", refresh);
  // A press anywhere else puts the paper away.
  document.addEventListener("pointerdown", (e) => {
    const target = /** @type {Element} */ (e.target);
    if (!target.closest(".narrow")) view.valuesOpen = false;
    if (!target.closest(".drop:not(.narrow)")) view.passesOpen = false;
  });
}
