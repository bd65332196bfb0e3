// @ts-check
// The ribbon of a clip: its stills, what was measured over them, and the select's in, out and hit.
import { crisp } from "../../lib/canvas.js";
import { image, strip, when } from "../../lib/filmstrip.js";

const PAPER = "#f6f3ec";

/** @param {HTMLCanvasElement} canvas @param {any} s the select @param {any[]} others the
 * clip's other selects @param {any} reading what was measured, once it is there
 * @param {number} at where it plays, in seconds @param {() => boolean} still whether this is still the one to draw */
export function draw(canvas, s, others, reading, at, still) {
  const { pen, w, h } = crisp(canvas);
  if (!s) return;
  const picture = image(s.clip);
  when(picture, () => {
    if (still()) drawn(pen, picture, w, h, s, others, reading, at);
  });
}

/** @param {CanvasRenderingContext2D} pen @param {HTMLImageElement} picture @param {number} w @param {number} h
 * @param {any} s @param {any[]} others @param {any} reading @param {number} at */
function drawn(pen, picture, w, h, s, others, reading, at) {
  const x = (/** @type {number} */ t) => (t / s.duration) * w;
  strip(pen, picture, w, h, s.duration);
  pen.fillStyle = "rgba(30,28,25,.35)";
  pen.fillRect(0, 0, w, h);
  if (reading) traces(pen, w, h, s.duration, reading);
  pen.fillStyle = "rgba(20,18,16,.45)";
  pen.fillRect(0, 0, x(s.start), h);
  pen.fillRect(x(s.end), 0, w, h);
  // The clip's other selects, thinner, so that one sees where there is none yet.
  pen.strokeStyle = PAPER;
  pen.lineWidth = 1;
  for (const other of others) {
    bracket(pen, x(other.start), 1, h);
    bracket(pen, x(other.end), -1, h);
  }
  pen.lineWidth = 3;
  bracket(pen, x(s.start), 1, h);
  bracket(pen, x(s.end), -1, h);
  pen.fillStyle = "#e0553c";
  pen.fillRect(x(s.hit) - 1, 0, 2, h);
  pen.fillStyle = PAPER;
  pen.fillRect(x(at), 0, 1, h);
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
