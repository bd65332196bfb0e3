// @ts-check
// Single frames of light copies, for looking at beside each other.
import { light } from "../filmstrip.js";
import { ClipFrames } from "./decoder.js";
import { fill } from "./paint.js";

/** Clips that are kept open. */
const OPEN = 6;
/** @type {Map<string, ClipFrames>} */
const clips = new Map();
/** Who waits for a frame. @type {{ clip: string, k: number, done: (frame: VideoFrame) => void }[]} */
let waiting = [];

/** @param {string} clip */
function open(clip) {
  let found = clips.get(clip);
  if (found) clips.delete(clip);
  else
    found = new ClipFrames(light(clip), () => {
      waiting = waiting.filter((w) => {
        const frame = w.clip === clip ? found?.get(w.k) : null;
        if (frame) w.done(frame);
        return !frame;
      });
    });
  clips.set(clip, found);
  for (const [name, old] of clips) {
    if (clips.size <= OPEN) break;
    old.close();
    clips.delete(name);
  }
  return found;
}

/** Draws a frame as large as a canvas, once it is there. @param {HTMLCanvasElement} canvas @param {string} clip @param {number} k
 * @param {number} [share] how much of it covers what is drawn already */
export function drawFrame(canvas, clip, k, share = 1) {
  const name = `${clip} ${k}`;
  if (share === 1) canvas.dataset.wanted = name;
  const of = open(clip),
    there = of.get(k),
    done = (/** @type {VideoFrame} */ frame) => {
      if (share === 1 && canvas.dataset.wanted !== name) return;
      fill(/** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d")), frame, share);
      if (share === 1) canvas.dataset.shown = name;
    };
  return new Promise((drawn) => {
    const act = (/** @type {VideoFrame} */ frame) => {
      done(frame);
      drawn(undefined);
      // Frames take the decoder's own memory: none is kept longer than somebody waits for it.
      setTimeout(() => of.keepOnly(waiting.filter((w) => w.clip === clip).map((w) => w.k)));
    };
    if (there) return act(there);
    waiting.push({ clip, k, done: act });
    of.want(k);
  });
}
