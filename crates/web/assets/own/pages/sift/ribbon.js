// @ts-check
// The ribbon of a clip: its stills, what was measured over them, and the select's in, out and hit.
import { crisp } from "../../lib/canvas.js";
import { css } from "../../lib/dom.js";
import { image, stills, strip, when } from "../../lib/filmstrip.js";

const PAPER = "#f6f3ec";
/** Height of the sound's peaks below the stills, in pixels. */
const SOUND = 14;

/** @param {HTMLCanvasElement} canvas @param {any} s the select @param {any[]} all the clip's selects, in their order
 * @param {any} reading what was measured, once it is there @param {Uint8Array | undefined} peaks of its sound, a hundred a
 * second @param {number} at where it plays, in seconds @param {() => boolean} still whether this is still the one to draw */
export function draw(canvas, s, all, reading, peaks, at, still) {
  const { pen, w, h } = crisp(canvas);
  if (!s) return;
  const put = () => still() && drawn(pen, w, h, s, all, reading, peaks, at);
  when(image(s.clip), put);
}

/** @param {CanvasRenderingContext2D} pen @param {number} w @param {number} full @param {any} s @param {any[]} all
 * @param {any} reading @param {Uint8Array | undefined} peaks @param {number} at */
function drawn(pen, w, full, s, all, reading, peaks, at) {
  const x = (/** @type {number} */ t) => (t / s.duration) * w,
    h = full - SOUND;
  pen.clearRect(0, 0, w, full);
  strip(pen, stills(s), w, h, s.duration);
  pen.fillStyle = "rgba(30,28,25,.35)";
  pen.fillRect(0, 0, w, h);
  if (reading) traces(pen, w, h, s.duration, reading);
  pen.fillStyle = "rgba(20,18,16,.45)";
  pen.fillRect(0, 0, x(s.start), h);
  pen.fillRect(x(s.end), 0, w - x(s.end), h);
  sound(pen, w, h, s, peaks);
  // The clip's other selects, thinner, so that one sees where there is none yet.
  pen.strokeStyle = PAPER;
  for (const [i, one] of all.entries()) {
    const mine = one.id === s.id;
    pen.lineWidth = mine ? 3 : 1;
    bracket(pen, x(one.start), 1, h);
    bracket(pen, x(one.end), -1, h);
    pen.fillStyle = "#e0553c";
    pen.globalAlpha = mine ? 1 : 0.6;
    pen.fillRect(x(one.hit) - 1, 0, 2, h);
    pen.globalAlpha = 1;
    if (all.length > 1) {
      pen.fillStyle = PAPER;
      pen.fillRect(x(one.start), 0, 13, 13);
      pen.fillStyle = "#211d18";
      pen.font = "10px AtkinsonMono, monospace";
      pen.fillText(String(i + 1), x(one.start) + 3.5, 10);
    }
  }
  pen.fillStyle = css("--act");
  pen.fillRect(x(at) - 1, 0, 2, full);
}

/** @param {CanvasRenderingContext2D} pen @param {number} w @param {number} top @param {any} s
 * @param {Uint8Array | undefined} peaks */
function sound(pen, w, top, s, peaks) {
  if (!peaks?.length) return;
  pen.fillStyle = css("--quiet");
  pen.globalAlpha = s.muted ? 0.3 : 1;
  const per = (s.duration * 100) / w,
    middle = top + SOUND / 2;
  for (let i = 0; i < w; i += 2) {
    let most = 0;
    for (let k = Math.floor(i * per); k < Math.min(peaks.length, (i + 2) * per); k++) most = Math.max(most, peaks[k]);
    const high = Math.max(1, (most / 255) * (SOUND - 2));
    pen.fillRect(i, middle - high / 2, 1, high);
  }
  pen.globalAlpha = 1;
}

/** @param {CanvasRenderingContext2D} pen @param {number} at @param {number} way @param {number} h */
function bracket(pen, at, way, h) {
  pen.beginPath();
  pen.moveTo(at + 7 * way, 2);
  pen.lineTo(at + 1.5 * way, 2);
  pen.lineTo(at + 1.5 * way, h - 2);
  pen.lineTo(at + 7 * way, h - 2);
  pen.stroke();
}

/** Sharpness that three in four samples stay below, reckoned once for a reading.
 * @type {WeakMap<any, number>} */
const typical = new WeakMap();
/** @param {any} reading @returns {number} */
function typicalSharpness(reading) {
  const kept = typical.get(reading);
  if (kept !== undefined) return kept;
  /** @type {number[]} */
  const sorted = [...reading.samples.sharpness].sort((a, b) => a - b);
  const found = sorted[Math.floor(sorted.length * 0.75)] ?? 0;
  typical.set(reading, found);
  return found;
}

/** @param {CanvasRenderingContext2D} pen @param {number} w @param {number} h @param {number} d @param {any} reading */
function traces(pen, w, h, d, reading) {
  const s = reading.samples,
    step = (s.step / d) * w,
    sharp = typicalSharpness(reading);
  for (const k of s.motion.keys()) {
    const left = k * step;
    if (sharp > 0.02 && s.sharpness[k] < 0.6 * sharp) {
      pen.fillStyle = "rgba(246,243,236,.45)";
      pen.fillRect(left, 0, step + 0.5, h);
    }
    if (s.shake[k] > 0.5) {
      pen.strokeStyle = "rgba(246,243,236,.75)";
      pen.lineWidth = 1;
      pen.beginPath();
      for (let q = 0; q < step; q += 5) {
        pen.moveTo(left + q, h);
        pen.lineTo(left + q + 5, 0);
      }
      pen.stroke();
    }
  }
  pen.beginPath();
  pen.moveTo(0, h);
  for (const [k, v] of s.motion.entries()) pen.lineTo((k + 0.5) * step, h - v * (h - 4));
  pen.lineTo(w, h);
  pen.fillStyle = "rgba(197,138,43,.75)";
  pen.fill();
  pen.strokeStyle = "rgba(246,243,236,.8)";
  pen.lineWidth = 1;
  for (const m of reading.moments) {
    const a = (m.start / d) * w,
      b = (m.end / d) * w;
    pen.strokeRect(a + 0.5, h - 5.5, b - a - 1, 5);
  }
}
