// @ts-check
// How a shot joins on both sides: the last frame and the first one beside each other, and laid over each other at half strength.
import { $ } from "../../lib/dom.js";
import { BLACK } from "../../lib/player/index.js";
import { black } from "../../lib/player/paint.js";
import { drawFrame } from "../../lib/player/still.js";

/** The sides of a cut: what is on the screen just before it, and on it. @param {Shot} a the earlier shot @param {Shot} b */
const sides = (a, b) => [
  { clip: a.clip, k: a.frames[a.frames.length - 1] },
  { clip: b.clip, k: b.frames[0] },
];

/** @param {HTMLCanvasElement} canvas @param {{ clip: string, k: number }} what @param {number} [share] */
function put(canvas, what, share) {
  if (what.k !== BLACK && what.k !== undefined) return drawFrame(canvas, what.clip, what.k, share);
  black(/** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d")), share);
  return Promise.resolve();
}

/** @param {Draft} d @param {number} at the place of the shot */
export function draw(d, at) {
  for (const [row, a, b] of /** @type {[string, Shot, Shot][]} */ ([
    ["before", d.shots[at - 1], d.shots[at]],
    ["after", d.shots[at], d.shots[at + 1]],
  ])) {
    const [left, right, over] = $(`join-${row}`).querySelectorAll("canvas"),
      words = $(`join-${row}`).querySelector("figcaption");
    $(`join-${row}`).hidden = !a || !b;
    if (!a || !b) continue;
    const [last, first] = sides(a, b);
    words.textContent = `${a.name ?? "left out"} into ${b.name ?? "left out"}${a.framing && a.framing === b.framing ? `, both ${a.framing}` : ""}`;
    put(left, last);
    put(right, first);
    put(over, last).then(() => put(over, first, 0.5));
  }
}
