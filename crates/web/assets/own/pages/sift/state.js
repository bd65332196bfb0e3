// @ts-check
// What Sift shows: the selects of the job, those that are narrowed to, the one that is looked at.

export const state = {
  /** Every select of the job, by roll and time. @type {Select[]} */
  all: [],
  /** Those that are narrowed to, in the order of the sheet. @type {Select[]} */
  shown: [],
  /** The one that is looked at. @type {Select | null} */
  now: null,
  /** Chosen to be dealt with together, by id. @type {Set<string>} */
  chosen: new Set(),
  pass: 1,
  /** @type {"roll" | "time" | "energy" | "tier" | "left" | "alike" | "tends" | "drops"} */
  order: "roll",
  /** The place of a select by what its editor tends to keep, the likeliest first. @type {(s: Select) => number} */
  tends: () => 0,
};

/** Tiers, the best last. */
const WORTH = ["out", "unread", "spare", "strong", "hero"];

/** The select that stands for several: the best judged. @param {Select[]} selects @returns {Select} */
export const bestOf = (selects) => selects.reduce((a, b) => (WORTH.indexOf(b.tier) > WORTH.indexOf(a.tier) ? b : a));

/** @typedef {import("wire").Fault} Fault */

/** The fault of a select's clip that lies nearest to an instant, of those that nobody has called none yet, or else of those that
 * somebody has. @param {Select} s @param {number} at @returns {import("wire").FaultKind | undefined} */
export function faultNear(s, at) {
  const far = (/** @type {Fault} */ f) => Math.max(f.start - at, at - f.end, 0),
    said = (/** @type {Fault} */ f) => Number(s.no_faults.includes(f.kind)),
    [nearest] = [...s.faults].sort((a, b) => said(a) - said(b) || far(a) - far(b));
  return nearest?.kind;
}

/** Faults shorter than this, in seconds, are not seen. */
const SEEN = 0.2;
/** @type {Record<string, string>} */
const SAID = { shake: "shakes", soft: "out of focus", dark: "too dark", blown: "blown out" };

/** What cannot be used between a select's in and out, in words; nothing where all of it can be. @param {Select} s */
export function trouble(s) {
  /** @type {Map<string, number>} */
  const seconds = new Map();
  for (const f of /** @type {Fault[]} */ (s.faults)) {
    const seen = Math.max(0, Math.min(f.end, s.end) - Math.max(f.start, s.start));
    if (!s.no_faults.includes(f.kind)) seconds.set(f.kind, (seconds.get(f.kind) || 0) + seen);
  }
  const reported = [...seconds].filter(([, n]) => n >= SEEN);
  return reported.map(([kind, n]) => `${SAID[kind]}${n > s.end - s.start - 0.05 ? "" : ` ${n.toFixed(1)} s`}`).join(", ");
}

/** How much sharper a clip is than the next before one says so: less is not seen. */
const SHARPER = 1.15;

/** The one of several selects that is clearly the sharpest, if one is. @param {Select[]} of @returns {Select | undefined} */
export function sharpest(of) {
  const [first, second] = [...of].sort((a, b) => b.sharpness - a.sharpness);
  return second && first.sharpness > SHARPER * second.sharpness ? first : undefined;
}

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
    case "tends":
      return best((s) => -state.tends(s));
    case "drops":
      // What is judged stays behind.
      return best((s) => (s.tier === "unread" ? state.tends(s) : -1));
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
