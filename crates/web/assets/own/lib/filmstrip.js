// @ts-check
// The sheet of a clip: its stills beside each other in one picture.
import { ofJob } from "./session.js";

export const STILLS = 16;

/** The still that shows the instant `at` of a clip.
 * @param {number} at @param {number} duration @returns {number} */
export const tile = (at, duration) =>
  Math.max(0, Math.min(STILLS - 1, Math.floor((at / Math.max(duration, 0.01)) * STILLS)));

/** @param {string} clip */
export const sheet = (clip) => ofJob(`/media/clips/${clip}/sheet.jpg`);

/** @param {string} clip */
export const light = (clip) => ofJob(`/media/clips/${clip}/light.mp4`);

/** @type {Map<string, HTMLImageElement>} */
const images = new Map();

/** The sheet's picture, asked for once.
 * @param {string} clip @returns {HTMLImageElement} */
export function image(clip) {
  let found = images.get(clip);
  if (!found) {
    found = new Image();
    found.src = sheet(clip);
    images.set(clip, found);
  }
  return found;
}

/** Calls `put` once a picture is there; at once when it is.
 * @param {HTMLImageElement} picture @param {() => void} put */
export function when(picture, put) {
  if (picture.complete) put();
  else picture.addEventListener("load", put, { once: true });
}

/** Draws stills side by side over a canvas, each showing the instant under its middle.
 * @param {CanvasRenderingContext2D} pen @param {HTMLImageElement} picture @param {number} w @param {number} h
 * @param {number} duration */
export function strip(pen, picture, w, h, duration) {
  if (!picture.naturalWidth) return;
  const wide = picture.naturalWidth / STILLS,
    step = (h * 16) / 9;
  for (let k = 0; k * step < w; k++) {
    const at = tile((((k + 0.5) * step) / w) * duration, duration);
    pen.drawImage(picture, at * wide, 0, wide, picture.naturalHeight, k * step, 0, step, h);
  }
}
