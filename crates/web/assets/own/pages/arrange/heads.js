// @ts-check
// The heads of the sections: above their stretch, short ones pushed on so that all can be read; what is asked of a section in a
// panel below them.
import { $ } from "../../lib/dom.js";

/** The least that a head takes, as a share of the width of all. */
const LEAST = 0.075;
/** What the cuts of a section can fall on. */
const MARKS = ["beats", "backbeats", "onsets"];

/** @typedef {{ section: number, kind: string, words: string, kept: boolean, varied: boolean, energy: number | null, open: string,
 *   paces: { value: string, words: string, chosen: boolean }[], marks: { value: string, chosen: boolean }[] }} Head */

/** Whether a shot stays as it is when the open ones are laid again. @param {Shot} s */
export const stays = (s) => s.pin === "whole" || (s.held && s.pin === "open");

/** "lay its 4 open ones again". @param {number} open @param {string} of */
export const again = (open, of) => `lay ${of} ${open} open ${open === 1 ? "one" : "ones"} again`;

/** @param {Draft} d @returns {Head[]} */
export function headsOf(d) {
  return d.sections.map((s, i) => {
    const inside = d.shots.filter((q) => q.start >= s.start && q.start < s.end),
      kept = inside.length > 0 && inside.every((q) => q.pin === "whole");
    return {
      section: i,
      kind: s.kind,
      kept,
      varied: s.varied,
      words: kept ? `${s.pace}, kept` : s.pace,
      energy: s.at_track ? Math.round(s.energy) : null,
      open: again(inside.filter((q) => !stays(q)).length, "its"),
      paces: d.choices.map((c) => ({ value: String(c.quarters), words: c.words, chosen: c.quarters === s.quarters })),
      marks: MARKS.map((value) => ({ value, chosen: value === s.on })),
    };
  });
}

/** Each head above its section; one whose beginning is out of sight stands at the edge, one that has no room further on.
 * @param {Draft} d @param {import("./view.js").View} view */
export function place(d, view) {
  let free = 0;
  for (const head of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll(".head"))) {
    const s = d.sections[Number(head.dataset.section)];
    if (!s) continue;
    head.hidden = s.end <= view.from || s.start >= view.to;
    if (head.hidden) continue;
    const begins = Math.max(0, (s.start - view.from) / view.span()),
      from = Math.min(Math.max(begins, free), 1 - LEAST),
      to = Math.max(from + LEAST, (Math.min(s.end, view.to) - view.from) / view.span());
    head.style.left = `${from * 100}%`;
    head.style.width = `${(to - from) * 100}%`;
    head.classList.toggle("moved-on", from > begins + 0.002);
    free = from + LEAST;
  }
  // Those before it end where the next one begins.
  const shown = /** @type {HTMLElement[]} */ ([...document.querySelectorAll(".head")]).filter((h) => !h.hidden);
  for (const [i, head] of shown.entries()) {
    const next = shown[i + 1];
    if (!next) continue;
    const room = Number.parseFloat(next.style.left) - Number.parseFloat(head.style.left);
    if (Number.parseFloat(head.style.width) > room) head.style.width = `${room}%`;
  }
  $("heads").dataset.placed = "yes";
}
