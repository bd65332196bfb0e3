// @ts-check
// What the verdicts teach: an order of the unread clips by what their editor tends to keep, and what would probably be dropped.
import { ask } from "../../lib/api.js";
import { ofJob } from "../../lib/session.js";
import { state } from "./state.js";

/** @typedef {{ place: number, why: string, drops: boolean }} Expected */

/** What is expected of the unread selects, by their ids. @type {Map<string, Expected>} */
let expected = new Map();
/** The page. @type {{ tends: string, tendsSpeaks: boolean, drops: number }} */
let view;

/** What the page shows of it. */
export const parts = {
  /** How often it was right, or why it is silent. */
  tends: "",
  tendsSpeaks: false,
  /** How many it would probably drop. */
  drops: 0,
};

/** How far behind a select stands in the order; what is judged stands behind all. @param {Select} s */
export const place = (s) => (s.tier === "unread" ? (expected.get(s.id)?.place ?? expected.size) : Number.POSITIVE_INFINITY);

/** Why a select stands where it does. @param {Select} s */
export const why = (s) => (s.tier === "unread" && view.tendsSpeaks ? (expected.get(s.id)?.why ?? "") : "");

/** Those that would probably be dropped. @returns {Select[]} */
export const drops = () => state.shown.filter((s) => s.tier === "unread" && expected.get(s.id)?.drops);

export function count() {
  view.drops = view.tendsSpeaks ? drops().length : 0;
}

/** Asks again what the verdicts teach. */
export async function refresh() {
  /** @type {import("wire").Tending} */
  const found = await ask(ofJob("/sift/tends.json"));
  expected = new Map(found.unread.map(({ select, why, drops }, place) => [select, { place, why, drops }]));
  view.tends = found.says;
  view.tendsSpeaks = found.speaks;
  count();
}

/** @param {any} page */
export function begin(page) {
  view = page;
}
