// @ts-check
// The stills of a clip: a sheet of sixteen beside each other, and for longer clips one still a second in many lines.
import { ofJob } from "./session.js";

export const STILLS = 16;
/** Stills in a line of the longer picture, as the light copies are made. */
const ACROSS = 20;

/** The still that shows the instant `at` of a clip.
 * @param {number} at @param {number} duration @param {number} [count] @returns {number} */
export const tile = (at, duration, count = STILLS) => Math.max(0, Math.min(count - 1, Math.floor((at / Math.max(duration, 0.01)) * count)));

/** @param {string} clip */
export const sheet = (clip) => ofJob(`/media/clips/${clip}/sheet.jpg`);

/** @param {string} clip */
export const light = (clip) => ofJob(`/media/clips/${clip}/light.mp4`);

/** @type {Map<string, HTMLImageElement>} */
const images = new Map();

/** @param {string} address @returns {HTMLImageElement} */
function kept(address) {
  let found = images.get(address);
  if (!found) {
    found = new Image();
    found.src = address;
    images.set(address, found);
  }
  return found;
}

/** The sheet's picture, asked for once.
 * @param {string} clip @returns {HTMLImageElement} */
export const image = (clip) => kept(sheet(clip));

/** @typedef {{ picture: HTMLImageElement, count: number, across: number }} Stills */

/** The finest stills that are there: the longer picture once it is loaded, the sheet until then.
 * @param {{ clip: string, stills?: number }} s @returns {Stills} */
export function stills(s) {
  const count = s.stills || STILLS;
  if (count > STILLS) {
    const fine = kept(ofJob(`/media/clips/${s.clip}/stills.jpg`));
    if (fine.complete && fine.naturalWidth) return { picture: fine, count, across: ACROSS };
  }
  return { picture: image(s.clip), count: STILLS, across: STILLS };
}

/** Calls `put` once a picture is there; at once when it is.
 * @param {HTMLImageElement} picture @param {() => void} put */
export function when(picture, put) {
  if (picture.complete) put();
  else picture.addEventListener("load", put, { once: true });
}

/** The finest stills, as soon as they are there.
 * @param {{ clip: string, stills?: number }} s @param {() => void} put */
export function whenFine(s, put) {
  if ((s.stills || STILLS) > STILLS) when(kept(ofJob(`/media/clips/${s.clip}/stills.jpg`)), put);
}

/** Draws the still of an instant.
 * @param {CanvasRenderingContext2D} pen @param {Stills} of @param {number} at @param {number} duration
 * @param {number} x @param {number} y @param {number} w @param {number} h */
export function drawStill(pen, of, at, duration, x, y, w, h) {
  const { picture, count, across } = of;
  if (!picture.naturalWidth) return;
  const lines = Math.ceil(count / across),
    wide = picture.naturalWidth / across,
    high = picture.naturalHeight / lines,
    n = tile(at, duration, count);
  pen.drawImage(picture, (n % across) * wide, Math.floor(n / across) * high, wide, high, x, y, w, h);
}

/** Draws stills side by side over a canvas, each showing the instant under its middle.
 * @param {CanvasRenderingContext2D} pen @param {Stills} of @param {number} w @param {number} h @param {number} duration */
export function strip(pen, of, w, h, duration) {
  const step = (h * 16) / 9;
  for (let k = 0; k * step < w; k++) drawStill(pen, of, (((k + 0.5) * step) / w) * duration, duration, k * step, 0, step, h);
}
