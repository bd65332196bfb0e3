// @ts-check
// The stretch of time that is in sight: all skylines of the page share it. Wheel and pinch zoom around the pointer, sideways they
// pan; a thin overview above shows where one is.
import { crisp } from "../../lib/canvas.js";
import { css } from "../../lib/dom.js";

/** Frames that are always in sight. */
const LEAST = 24;

export class View {
  /** @param {() => void} changed called once a picture, however often it changes */
  constructor(changed) {
    this.from = 0;
    this.to = 1;
    this.total = 1;
    this.changed = changed;
    this.waiting = false;
  }
  span() {
    return Math.max(1, this.to - this.from);
  }
  whole() {
    return this.from <= 0 && this.to >= this.total;
  }
  /** The frame at a share of the width. @param {number} share */
  frameAt(share) {
    return this.from + share * this.span();
  }

  /** The piece has another length: what was wholly in sight stays so. @param {number} total */
  of(total) {
    if (total === this.total) return;
    const whole = this.whole();
    this.total = total;
    if (whole) [this.from, this.to] = [0, total];
    else this.set(this.from, this.to);
  }
  /** @param {number} from @param {number} to */
  set(from, to) {
    const span = Math.max(Math.min(LEAST, this.total), Math.min(this.total, to - from)),
      at = Math.max(0, Math.min(this.total - span, from));
    if (at === this.from && at + span === this.to) return;
    this.from = at;
    this.to = at + span;
    this.tell();
  }
  tell() {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame(() => {
      this.waiting = false;
      this.changed();
    });
  }
  /** @param {number} factor below 1 nearer @param {number} around a share of the width that stays where it is */
  zoom(factor, around = 0.5) {
    const frame = this.frameAt(around),
      span = this.span() * factor;
    this.set(frame - span * around, frame + span * (1 - around));
  }
  /** @param {number} share of the width */
  pan(share) {
    const by = share * this.span();
    this.set(this.from + by, this.to + by);
  }
  /** Brings a frame into sight. @param {number} frame */
  see(frame) {
    if (frame >= this.from && frame < this.to) return;
    const span = this.span();
    // What plays is seen coming.
    this.set(frame - span * 0.1, frame + span * 0.9);
  }

  /** Wheel and pinch on an element. @param {Element} element */
  wheel(element) {
    element.addEventListener(
      "wheel",
      (event) => {
        const e = /** @type {WheelEvent} */ (event),
          box = element.getBoundingClientRect();
        e.preventDefault();
        const sideways = e.shiftKey ? e.deltaY || e.deltaX : Math.abs(e.deltaX) > Math.abs(e.deltaY) ? e.deltaX : 0;
        if (sideways) this.pan(sideways / box.width);
        else this.zoom(Math.exp(Math.max(-1, Math.min(1, e.deltaY * 0.003))), (e.clientX - box.left) / box.width);
      },
      { passive: false },
    );
  }

  /** The overview: the energy of the whole, and what of it is in sight. @param {HTMLCanvasElement} canvas @param {Draft} d */
  drawOverview(canvas, d) {
    const { pen, w, h } = crisp(canvas),
      x = (/** @type {number} */ f) => (f / this.total) * w,
      { values, step } = d.energy;
    pen.fillStyle = css("--sky");
    pen.beginPath();
    pen.moveTo(0, h);
    for (let i = 0; i < values.length; i++) pen.lineTo(x((i + 1) * step * d.fps), h - (values[i] / 100) * (h - 2));
    pen.lineTo(w, h);
    pen.fill();
    pen.fillStyle = css("--quiet");
    for (const s of d.shots) pen.fillRect(x(s.start), h - 2, 1, 2);
    if (this.whole()) return;
    pen.strokeStyle = css("--act");
    pen.lineWidth = 2;
    pen.strokeRect(x(this.from) + 1, 1, Math.max(2, x(this.span()) - 2), h - 2);
  }
  /** It is pulled along the overview. @param {HTMLCanvasElement} canvas */
  listen(canvas) {
    const go = (/** @type {PointerEvent} */ e) => {
      const box = canvas.getBoundingClientRect(),
        frame = ((e.clientX - box.left) / box.width) * this.total,
        span = this.span();
      this.set(frame - span / 2, frame + span / 2);
    };
    canvas.addEventListener("pointerdown", (e) => {
      canvas.setPointerCapture(e.pointerId);
      go(e);
    });
    canvas.addEventListener("pointermove", (e) => e.buttons && go(e));
    this.wheel(canvas);
  }
}
