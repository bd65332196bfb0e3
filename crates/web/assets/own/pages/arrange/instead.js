// @ts-check
// Here instead: what could stand in the place of the chosen shot, the takes of one set-up as one.
import { sheet, tile } from "../../lib/filmstrip.js";

/** What has a bar of its own. */
const BARS = /** @type {const} */ (["energy", "hit", "join"]);
/** A gain of so much fills a bar. */
const FULL = 0.8;

/** @typedef {Alternate & { key: string, still: string, tile: string, caption: string, more: string, moreSays: string, gainsSay: string,
 *   bars: { name: string, sign: string, words: string, width: string }[] }} ShownAlternate */

/** @param {Alternate[]} found @param {Set<number>} unfolded set-ups all of whose takes are shown @returns {ShownAlternate[]} */
export function shown(found, unfolded) {
  /** @type {Map<number, number>} */
  const takes = new Map();
  for (const a of found) if (a.set_up !== null) takes.set(a.set_up, (takes.get(a.set_up) ?? 0) + 1);
  /** @type {Set<number>} */
  const seen = new Set();
  const first = found.filter((a) => {
    if (a.set_up === null) return true;
    const again = seen.has(a.set_up);
    seen.add(a.set_up);
    return !again || unfolded.has(a.set_up);
  });
  return first.map((a, i) => {
    const others = a.set_up === null || unfolded.has(a.set_up) ? 0 : (takes.get(a.set_up) ?? 1) - 1,
      bars = BARS.map((name) => bar(name, a.gains.find(([part]) => part === name)?.[1] ?? 0));
    return {
      ...a,
      key: i < 9 ? String(i + 1) : "",
      still: sheet(a.clip),
      tile: `tile-${tile(a.hit ?? 0, a.media)}`,
      caption: `${a.name}: ${a.why.map((r) => r.words).join(", ")}`,
      more: others ? `1 of ${others + 1}` : "",
      moreSays: others ? `${others + 1} takes of the same fit: show them all` : "",
      bars,
      gainsSay: bars.map((b) => b.words).join(", "),
    };
  });
}

/** @param {string} name @param {number} gained */
function bar(name, gained) {
  const share = Math.min(1, Math.abs(gained) / FULL),
    words = share < 0.05 ? `${name} as good` : `${name} ${gained > 0 ? "better" : "less good"}`;
  return { name, words, sign: gained >= 0 ? "gain" : "loss", width: `${Math.round(share * 100)}%` };
}

/** "61 fit, of 24 set-ups". @param {Alternate[]} found */
export function count(found) {
  const set_ups = new Set(found.map((a) => (a.set_up === null ? a.select : a.set_up))).size;
  return found.length ? `${found.length} fit${set_ups < found.length ? `, of ${set_ups} set-ups` : ""}` : "";
}
