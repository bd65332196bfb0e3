// @ts-check
// The time curve of a shot: its speed along its frames, over the beats, with the slowest that its frames allow. Its keyframes are
// pulled: along the shot, where they snap to beats, and up and down to another speed.
import { crisp } from "../../lib/canvas.js";
import { $, css } from "../../lib/dom.js";

/** Speeds at the upper and the lower edge, as factors. */
const ROOM = 0.5;
/** Pixels around a keyframe that take hold of it, and within which it snaps to a beat. */
const HOLD = 9;

/** @typedef {import("wire").KeyframeView} Keyframe */

/** The speed on a frame, as the core has it: 3u² − 2u³ within a keyframe.
 * @param {{ speed: number, keyframes: Keyframe[] }} s @param {number} frame @returns {number} */
export function speedAt(s, frame) {
  let speed = s.speed;
  for (const keyframe of s.keyframes) {
    if (frame <= keyframe.at && keyframe.over > 0) break;
    if (frame < keyframe.at) break;
    const u = keyframe.over ? Math.min(1, (frame - keyframe.at) / keyframe.over) : 1;
    speed += (keyframe.to - speed) * (3 * u * u - 2 * u * u * u);
  }
  return speed;
}

/** How many of its frames are pictures. @param {Shot} s */
export const pictures = (s) => s.len - (s.pause ? s.pause.len : 0);

/** The speeds at the lower and the upper edge. @param {Shot} s @returns {[number, number]} */
function span(s) {
  const all = [0, 1, s.speed, ...s.keyframes.map((/** @type {Keyframe} */ t) => t.to)];
  return [Math.min(...all) - ROOM / 2, Math.max(...all) + ROOM];
}

/** @param {Shot} s @param {Draft} d */
export function draw(s, d) {
  const canvas = $("curve");
  // What is not on the screen has no size to draw in.
  if (!canvas.clientWidth) return;
  const { pen, w, h } = crisp(canvas),
    [low, high] = span(s),
    x = (/** @type {number} */ f) => (f / s.len) * w,
    y = (/** @type {number} */ v) => h - ((v - low) / (high - low)) * h,
    line = (/** @type {number} */ v, /** @type {string} */ colour, /** @type {number[]} */ dash) => {
      pen.strokeStyle = css(colour);
      pen.setLineDash(dash);
      pen.beginPath();
      pen.moveTo(0, y(v));
      pen.lineTo(w, y(v));
      pen.stroke();
      pen.setLineDash([]);
    };
  pen.clearRect(0, 0, w, h);
  pen.lineWidth = 1;
  for (const [frame, , beat] of d.beats) {
    const f = frame - s.start;
    if (f < 0 || f > s.len) continue;
    pen.strokeStyle = css(beat === 1 ? "--quiet" : "--rule");
    pen.beginPath();
    pen.moveTo(x(f), beat === 1 ? h - 12 : h - 7);
    pen.lineTo(x(f), h);
    pen.stroke();
  }
  line(0, "--rule", []);
  line(1, "--rule", []);
  // Slower than this its frames do not suffice.
  if (s.slowest !== null && s.slowest < 0.99) line(s.slowest, "--act", [4, 4]);
  pen.font = "11px AtkinsonMono, monospace";
  pen.fillStyle = css("--quiet");
  pen.fillText("100 %", 3, y(1) - 3);
  if (low < -0.3) pen.fillText("held", 3, y(0) - 3);
  if (s.slowest !== null && s.slowest < 0.9) pen.fillText(`slowest ${Math.round(s.slowest * 100)} %`, 3, y(s.slowest) - 3);
  if (s.pause) {
    pen.fillStyle = s.pause.stop === "black" ? "#000" : css("--rule");
    pen.fillRect(x(pictures(s)), 0, w - x(pictures(s)), h);
  }
  pen.strokeStyle = css("--ink");
  pen.lineWidth = 2;
  pen.beginPath();
  const steps = Math.min(600, Math.max(60, pictures(s) * 4));
  for (let i = 0; i <= steps; i++) {
    const f = (i / steps) * pictures(s);
    if (i === 0) pen.moveTo(x(f), y(speedAt(s, f)));
    else pen.lineTo(x(f), y(speedAt(s, f)));
  }
  pen.stroke();
  pen.fillStyle = css("--act");
  for (const t of s.keyframes) pen.fillRect(x(t.at + t.over) - 4, y(t.to) - 4, 8, 8);
  if (s.hit_at !== null) {
    pen.fillStyle = "#e0553c";
    pen.fillRect(x(s.hit_at) - 1, 0, 2, 8);
  }
  const all = [s.speed, ...s.keyframes.map((/** @type {Keyframe} */ t) => t.to)].map((v) => `${Math.round(v * 100)} %`);
  canvas.setAttribute("aria-label", `The time curve: ${all.join(", then ")}`);
}

/** @typedef {{ edit: (body: Command) => void, shot: () => Shot, draft: () => Draft }} Of */

/** @param {Of} of */
export function begin(of) {
  const canvas = $("curve");
  new ResizeObserver(() => of.draft() && of.shot() && draw(of.shot(), of.draft())).observe(canvas);
  /** Where on the curve a pointer is. @param {PointerEvent | MouseEvent} e */
  const place = (e) => {
    const s = of.shot(),
      box = canvas.getBoundingClientRect(),
      [low, high] = span(s);
    return {
      frame: ((e.clientX - box.left) / box.width) * s.len,
      speed: low + (1 - (e.clientY - box.top) / box.height) * (high - low),
      perPixel: s.len / box.width,
      perSpeed: (high - low) / box.height,
    };
  };
  /** @param {number} frame @param {boolean} free @param {number} within frames */
  const snapped = (frame, free, within) => {
    const s = of.shot(),
      beats = of.draft().beats.map((/** @type {number[]} */ b) => b[0] - s.start),
      near = beats.reduce(
        (/** @type {number} */ a, /** @type {number} */ b) => (Math.abs(b - frame) < Math.abs(a - frame) ? b : a),
        Infinity,
      );
    return !free && Math.abs(near - frame) <= within ? near : Math.round(frame);
  };
  canvas.addEventListener("pointerdown", (/** @type {PointerEvent} */ e) => {
    const s = of.shot(),
      from = place(e),
      keyframe = s.keyframes.find(
        (/** @type {Keyframe} */ t) =>
          Math.abs(t.at + t.over - from.frame) < HOLD * from.perPixel && Math.abs(t.to - from.speed) < HOLD * from.perSpeed,
      );
    if (!keyframe) return;
    e.preventDefault();
    canvas.setPointerCapture(e.pointerId);
    const changed = (/** @type {PointerEvent} */ m) => {
      const now = place(m),
        end = snapped(keyframe.at + keyframe.over + now.frame - from.frame, m.altKey, HOLD * now.perPixel),
        // In steps of five per cent: nobody means 147.
        to = m.altKey
          ? Math.round((keyframe.to + now.speed - from.speed) * 100) / 100
          : Math.round((keyframe.to + now.speed - from.speed) * 20) / 20;
      return { ...keyframe, at: end - keyframe.over, to: Math.abs(to) < 0.05 ? 0 : to };
    };
    const shown = (/** @type {PointerEvent} */ m) =>
      draw({ ...s, keyframes: s.keyframes.map((/** @type {Keyframe} */ t) => (t === keyframe ? changed(m) : t)) }, of.draft());
    const up = (/** @type {PointerEvent} */ u) => {
      canvas.removeEventListener("pointermove", shown);
      const next = changed(u);
      if (next.at !== keyframe.at) of.edit({ do: "move-keyframe", shot: s.id, at: keyframe.at, to: next.at });
      if (next.to !== keyframe.to) of.edit({ do: "keyframe", shot: s.id, at: next.at, over: keyframe.over, percent: next.to * 100 });
      else if (next.at === keyframe.at) draw(s, of.draft());
    };
    canvas.addEventListener("pointermove", shown);
    canvas.addEventListener("pointerup", up, { once: true });
  });
  canvas.addEventListener("dblclick", (/** @type {MouseEvent} */ e) => {
    const now = place(e),
      s = of.shot();
    of.edit({
      do: "keyframe",
      shot: s.id,
      at: snapped(now.frame, e.altKey, HOLD * now.perPixel),
      over: 0,
      percent: Math.round(now.speed * 20) * 5,
    });
  });
}
