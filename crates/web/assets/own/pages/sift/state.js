// @ts-check
// What Sift shows: the selects of the job, those that are narrowed to, the one that is looked at.

/** @typedef {any} Select */

export const state = {
  /** Every select of the job, by roll and time. @type {Select[]} */
  all: [],
  /** Those that are narrowed to, in the order of the sheet. @type {Select[]} */
  shown: [],
  /** @type {Select} */
  now: null,
  /** Chosen to be dealt with together, by id. @type {Set<string>} */
  chosen: new Set(),
  pass: 1,
  /** @type {"roll" | "time" | "energy" | "tier" | "left" | "alike"} */
  order: "roll",
};

/** Tiers, the best last. */
const WORTH = ["out", "unread", "spare", "strong", "hero"];

/** The select that stands for several: the best judged. @param {Select[]} selects @returns {Select} */
export const bestOf = (selects) => selects.reduce((a, b) => (WORTH.indexOf(b.tier) > WORTH.indexOf(a.tier) ? b : a));

/** Whether the pass has not come to a select yet. @param {Select} s */
export const isLeft = (s) => (state.pass <= 1 ? s.tier === "unread" : s.pass < state.pass);

/** The selects of a clip, in their order. @param {string} clip @returns {Select[]} */
export const ofClip = (clip) => state.all.filter((s) => s.clip === clip).sort((a, b) => a.start - b.start);

/** @typedef {{ id: string, selects: Select[] }} Clip */

/** The clips of some selects, in the order that is wanted.
 * @param {Select[]} selects @returns {Clip[]} */
export function clipsOf(selects) {
  /** @type {Map<string, Clip>} */
  const clips = new Map();
  for (const s of selects) {
    const clip = clips.get(s.clip);
    if (clip) clip.selects.push(s);
    else clips.set(s.clip, { id: s.clip, selects: [s] });
  }
  const list = [...clips.values()];
  /** @param {(s: Select) => number} rank */
  const best = (rank) => {
    const of = new Map(list.map((c) => [c, Math.max(...c.selects.map(rank))]));
    return list.sort((a, b) => /** @type {number} */ (of.get(b)) - /** @type {number} */ (of.get(a)));
  };
  switch (state.order) {
    case "energy":
      return best((s) => s.energy);
    case "tier":
      return best((s) => WORTH.indexOf(s.tier));
    case "left":
      return best((s) => Number(isLeft(s)));
    case "time":
      return list;
    case "alike": {
      // Groups where their first take lies; clips alone behind them.
      const group = (/** @type {Clip} */ c) => c.selects[0].alike?.group ?? Infinity;
      return list.sort((a, b) => (group(a) === group(b) ? 0 : group(a) - group(b)));
    }
    default: {
      // Rolls in the order in which they were begun.
      const rolls = [...new Set(list.map((c) => c.selects[0].roll))];
      return list.sort((a, b) => rolls.indexOf(a.selects[0].roll) - rolls.indexOf(b.selects[0].roll));
    }
  }
}

/** The clip's name, and which of its selects this is where it has several.
 * @param {Select} s @returns {string} */
export const named = (s) => (s.of > 1 ? `${s.name} ${s.place}/${s.of}` : s.name);

/** The selects that a deed is for: those that are chosen, or the one that is looked at. @returns {Select[]} */
export const meant = () => (state.chosen.size ? state.all.filter((s) => state.chosen.has(s.id)) : state.now ? [state.now] : []);

/** Its own tags and those of its clip: its own count where both answer. @param {Select} s @returns {string[]} */
export function tagsOf(s) {
  const facet = (/** @type {string} */ tag) => tag.split(":")[0],
    free = (/** @type {string} */ tag) => ["subject", "own"].includes(facet(tag)),
    own = new Set(s.tags.map(facet));
  return [...new Set([...s.tags, ...s.clip_tags.filter((/** @type {string} */ t) => free(t) || !own.has(facet(t)))])];
}
