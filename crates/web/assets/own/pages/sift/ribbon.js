// @ts-check
// The ribbon of a clip: its stills, what was measured over them, and the select's in, out and hit.
import { crisp } from "../../lib/canvas.js";
import { css } from "../../lib/dom.js";
import { image, stills, strip, when } from "../../lib/filmstrip.js";

const PAPER = "#f6f3ec";
/** Height of the sound's peaks below the stills, in pixels. */
const SOUND = 14;

/** @param {HTMLCanvasElement} canvas @param {Select | null} s the select @param {Select[]} all the clip's selects, in their order
 * @param {import("wire").ClipReading | null | undefined} reading what was measured, once it is there @param {Uint8Array | undefined} peaks of its sound, a hundred a
 * second @param {number} at where it plays, in seconds @param {() => boolean} still whether this is still the one to draw */
export function draw(canvas, s, all, reading, peaks, at, still) {
  const { pen, w, h } = crisp(canvas);
  if (!s) return;
  const put = () => still() && drawn(pen, w, h, s, all, reading, peaks, at);
  when(image(s.clip), put);
}

/** @param {CanvasRenderingContext2D} pen @param {number} w @param {number} full @param {Select} s @param {Select[]} all
 * @param {import("wire").ClipReading | null | undefined} reading @param {Uint8Array | undefined} peaks @param {number} at */
function drawn(pen, w, full, s, all, reading, peaks, at) {
  const x = (/** @type {number} */ t) => (t / s.duration) * w,
    h = full - SOUND;
  pen.clearRect(0, 0, w, full);
  strip(pen, stills(s), w, h, s.duration);
  pen.fillStyle = "rgba(30,28,25,.35)";
  pen.fillRect(0, 0, w, h);
  if (reading) traces(pen, w, h, s, reading);
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

/** @param {CanvasRenderingContext2D} pen @param {number} w @param {number} top @param {Select} s
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

/** In which layer a fault is seen. @type {Record<string, string>} */
const LAYER_OF = { shake: "shake", soft: "focus", dark: "light", blown: "light" };
/** A veil where it is out of focus, grey where too little can be seen. @type {Record<string, string>} */
const VEIL = { soft: "rgba(246,243,236,.45)", dark: "rgba(128,126,122,.72)", blown: "rgba(128,126,122,.72)" };

/** @param {CanvasRenderingContext2D} pen @param {number} from @param {number} to @param {number} h @param {string} kind */
function fault(pen, from, to, h, kind) {
  if (VEIL[kind]) {
    pen.fillStyle = VEIL[kind];
    pen.fillRect(from, 0, to - from, h);
    return;
  }
  pen.strokeStyle = "rgba(246,243,236,.75)";
  pen.lineWidth = 1;
  pen.beginPath();
  for (let q = from; q < to; q += 5) {
    pen.moveTo(q, h);
    pen.lineTo(q + 5, 0);
  }
  pen.stroke();
}

/** @param {CanvasRenderingContext2D} pen @param {number} w @param {number} h @param {Select} select @param {import("wire").ClipReading} reading */
function traces(pen, w, h, select, reading) {
  const s = reading.samples,
    x = (/** @type {number} */ t) => (t / select.duration) * w;
  for (const f of select.faults)
    if (isShown(LAYER_OF[f.kind]) && !select.no_faults.includes(f.kind)) fault(pen, x(f.start), x(f.end), h, f.kind);
  if (isShown("movement")) {
    pen.beginPath();
    pen.moveTo(0, h);
    for (const [k, v] of s.motion.entries()) pen.lineTo(x((k + 0.5) * s.step), h - v * (h - 4));
    pen.lineTo(w, h);
    pen.fillStyle = "rgba(197,138,43,.75)";
    pen.fill();
  }
  if (isShown("waits"))
    for (const wait of reading.waits ?? []) {
      pen.fillStyle = "rgba(246,243,236,.9)";
      pen.fillRect(x(wait.start), h / 2 - 0.75, x(wait.end) - x(wait.start), 1.5);
    }
  if (isShown("cuts")) {
    pen.strokeStyle = PAPER;
    pen.lineWidth = 1.5;
    for (const cut of reading.shot_changes) {
      pen.beginPath();
      pen.moveTo(x(cut), 0);
      pen.lineTo(x(cut), h);
      pen.stroke();
    }
    pen.setLineDash([2, 3]);
    for (const event of (reading.events ?? []).slice(1)) {
      pen.beginPath();
      pen.moveTo(x(event.start), 0);
      pen.lineTo(x(event.start), h);
      pen.stroke();
    }
    pen.setLineDash([]);
  }
  if (!isShown("moments")) return;
  pen.font = "10px Atkinson, sans-serif";
  for (const m of reading.moments) {
    const a = x(m.start),
      b = x(m.end);
    pen.strokeStyle = "rgba(246,243,236,.9)";
    pen.lineWidth = 1;
    pen.beginPath();
    pen.moveTo(a + 0.5, h - 10);
    pen.lineTo(a + 0.5, h - 1.5);
    pen.lineTo(b - 0.5, h - 1.5);
    pen.lineTo(b - 0.5, h - 10);
    pen.stroke();
    const fits = b - a - 8;
    if (fits < 40) continue;
    let words = String(m.why);
    while (words && pen.measureText(words).width > fits) words = words.slice(0, -1);
    if (words.length < m.why.length) words = `${words.slice(0, -1)}…`;
    const wide = pen.measureText(words).width;
    pen.fillStyle = "rgba(20,18,16,.6)";
    pen.fillRect(a + 3, h - 15, wide + 4, 12);
    pen.fillStyle = PAPER;
    pen.fillText(words, a + 5, h - 5.5);
  }
}

const KEPT = "legere.ribbon.off";
/** What of a reading is not shown; it stays so. */
const off = new Set((localStorage.getItem(KEPT) || "").split(" ").filter(Boolean));
/** @param {string} layer */
export const isShown = (layer) => !off.has(layer);
/** @param {string} layer */
export function toggle(layer) {
  if (!off.delete(layer)) off.add(layer);
  localStorage.setItem(KEPT, [...off].join(" "));
}
