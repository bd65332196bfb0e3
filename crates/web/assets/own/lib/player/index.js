// @ts-check
// The live player: shows a draft from its light copies without rendering anything. The frame table says what is drawn, the
// music is the clock; decoding runs ahead over the next cuts.
import { light } from "../filmstrip.js";
import { ClipFrames } from "./decoder.js";
import { Music } from "./music.js";
import { black, fill } from "./paint.js";
import { faster } from "./shuttle.js";

/** The part of the frame table that a shot has: frames of its clip, and how far on the way to the next one in 256ths.
 * @typedef {{ clip: string, frames: number[], toward?: number[] }} TableShot */

/** In the place of a frame: nothing is seen. */
export const BLACK = -1;

/** Seconds that are decoded ahead, and kept behind. */
const AHEAD = 0.9;
const BEHIND = 0.25;
/** Clips whose index, and whose bytes where they are few, are kept at hand. */
const OPEN = 60;

/** What is on the screen, distinguished from anything else. @param {{ clip: string, k: number, toward: number }} of */
const named = ({ clip, k, toward }) => `${clip} ${k} ${toward}`;

export const canPlay = () => "VideoDecoder" in window && "AudioContext" in window;

export class Player {
  /** @param {HTMLCanvasElement} canvas @param {(frame: number) => void} moved called when the mark has moved */
  constructor(canvas, moved) {
    this.canvas = canvas;
    this.pen = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d", { alpha: false }));
    this.moved = moved;
    this.music = new Music();
    this.fps = 25;
    this.total = 0;
    /** What stands on each frame of the draft. @type {{ clip: string, k: number, toward: number }[]} */
    this.table = [];
    /** @type {Map<string, ClipFrames>} */
    this.clips = new Map();
    this.mark = 0;
    this.speed = 0;
    /** @type {{ from: number, to: number } | null} */
    this.loop = null;
    /** @type {() => number} what is heard now, in seconds */
    this.clock = () => 0;
    this.drawn = -1;
    /** @type {string} what was drawn last: another cut at the same frame is another picture */
    this.shown = "";
    this.late = 0;
    this.asked = 0;
    this.running = false;
    this.warming = 0;
  }

  /** The draft as it is now; what plays goes on.
   * @param {TableShot[]} shots @param {number} fps */
  load(shots, fps) {
    this.table = shots.flatMap((s) => s.frames.map((k, i) => ({ clip: s.clip, k, toward: s.toward?.[i] ?? 0 })));
    this.total = this.table.length;
    this.fps = fps;
    this.mark = Math.max(0, Math.min(this.mark, this.total - 1));
    this.draw(true);
    this.warm();
  }

  /** Has the clips of the draft at hand before they are looked at: from the mark on, one after the other. */
  async warm() {
    const mine = ++this.warming,
      clips = new Set([...this.table.slice(this.mark), ...this.table.slice(0, this.mark)].map((t) => t.clip));
    for (const clip of [...clips].slice(0, OPEN)) {
      if (mine !== this.warming) return;
      await this.open(clip).fetched();
    }
  }

  /** Stands on a frame. @param {number} frame @param {{ heard?: boolean }} [how] */
  seek(frame, how = {}) {
    const f = Math.max(0, Math.min(this.total - 1, Math.round(frame)));
    this.mark = f;
    if (this.speed === 1) this.clock = this.music.play(f / this.fps);
    else if (this.speed) this.restartClock();
    else if (how.heard) this.music.touch(f / this.fps);
    this.draw(false);
    this.moved(f);
  }

  /** Shows a frame without a sound: another player has the clock. @param {number} frame */
  stand(frame) {
    this.mark = Math.max(0, Math.min(this.total - 1, frame));
    this.draw(false);
  }

  /** @param {number} speed 0 stands, 1 plays with the music, others shuttle */
  go(speed) {
    if (!this.total) return;
    if (speed > 0 && this.mark >= this.total - 1 && !this.loop) this.mark = 0;
    this.speed = speed;
    this.music.stop();
    if (speed === 1) this.clock = this.music.play(this.mark / this.fps);
    else if (speed) this.restartClock();
    if (speed && !this.running) {
      this.running = true;
      requestAnimationFrame(() => this.turn());
    }
    this.moved(this.mark);
  }
  restartClock() {
    const begun = performance.now(),
      at = this.mark / this.fps,
      speed = this.speed;
    this.clock = () => at + (speed * (performance.now() - begun)) / 1000;
  }
  toggle() {
    if (this.speed === 0) this.loop = null;
    this.go(this.speed ? 0 : 1);
  }
  /** Faster with each press, one way or the other. @param {1 | -1} way */
  shuttle(way) {
    this.go(faster(this.speed, way));
  }
  /** Plays a stretch over and over. @param {number} from @param {number} to exclusive */
  around(from, to) {
    this.loop = { from: Math.max(0, from), to: Math.min(this.total, to) };
    this.mark = this.loop.from;
    this.go(1);
  }
  /** @param {number} n */
  step(n) {
    if (this.speed) this.go(0);
    this.seek(this.mark + n, { heard: true });
  }

  turn() {
    if (!this.speed) {
      this.running = false;
      return;
    }
    const reported = Math.floor(this.clock() * this.fps + 1e-6),
      // Sound begins a little later than it is asked for; until then the first picture stands.
      wanted = this.speed > 0 ? Math.max(reported, 0) : reported;
    if (this.loop && this.speed > 0 && wanted >= this.loop.to) {
      this.mark = this.loop.from;
      if (this.speed === 1) this.clock = this.music.play(this.mark / this.fps);
      else this.restartClock();
    } else if (wanted >= this.total || wanted < 0) {
      this.mark = wanted < 0 ? 0 : this.total - 1;
      this.go(0);
      this.draw(false);
      this.running = false;
      return;
    } else if (wanted !== this.mark || this.drawn !== wanted) {
      if (wanted !== this.mark) this.asked++;
      this.mark = Math.max(0, wanted);
      this.draw(false);
      this.moved(this.mark);
    }
    requestAnimationFrame(() => this.turn());
  }

  /** @param {string} clip @returns {ClipFrames} */
  open(clip) {
    let found = this.clips.get(clip);
    if (!found) {
      found = new ClipFrames(light(clip), () => this.came(clip));
      this.clips.set(clip, found);
    }
    return found;
  }

  /** A frame has come: perhaps it is the one that is waited for. @param {string} clip */
  came(clip) {
    const now = this.table[this.mark];
    if (now?.clip === clip && this.drawn !== this.mark) this.put();
  }

  /** Draws what the mark stands on, and has decoded what comes next. @param {boolean} replaced the table is another one */
  draw(replaced) {
    const now = this.table[this.mark];
    if (!now) return;
    if (replaced && this.shown !== named(now)) this.drawn = -1;
    if (this.drawn !== this.mark || replaced) this.put();
    this.prepare();
  }

  put() {
    const now = this.table[this.mark];
    if (now.k === BLACK) {
      black(this.pen);
    } else {
      const clip = this.open(now.clip),
        frame = clip.get(now.k),
        next = now.toward ? clip.get(now.k + 1) : null;
      if (!frame || (now.toward && !next)) {
        if (this.speed === 1) this.late++;
        return;
      }
      fill(this.pen, frame, 1);
      if (next) fill(this.pen, next, now.toward / 256);
    }
    this.drawn = this.mark;
    this.shown = named(now);
    this.canvas.dataset.frame = String(this.mark);
    this.canvas.dataset.shows = this.shown;
  }

  /** Which frames are wanted, the nearest first, in the direction of play. */
  prepare() {
    const way = this.speed < 0 ? -1 : 1,
      reach = Math.round(AHEAD * this.fps * Math.max(1, Math.min(2, Math.abs(this.speed)))),
      back = Math.round(BEHIND * this.fps);
    /** @type {Map<string, number[]>} */
    const wanted = new Map();
    const add = (/** @type {number} */ f) => {
      const entry = this.table[f];
      if (!entry || entry.k === BLACK) return;
      const frames = entry.toward ? [entry.k, entry.k + 1] : [entry.k],
        list = wanted.get(entry.clip);
      if (list) list.push(...frames);
      else wanted.set(entry.clip, frames);
    };
    for (let i = 0; i <= reach; i++) add(this.mark + i * way);
    for (let i = 1; i <= back; i++) add(this.mark - i * way);
    for (const [clip, frames] of wanted) {
      const open = this.open(clip);
      open.keepOnly(frames);
      for (const k of frames) open.want(k);
    }
    // Over a copy: what is put in again would be met again.
    for (const [clip, open] of [...this.clips]) {
      if (wanted.has(clip)) {
        // The latest used last, so that the oldest is closed first.
        this.clips.delete(clip);
        this.clips.set(clip, open);
      } else open.keepOnly([]);
    }
    for (const [clip, open] of [...this.clips]) {
      if (this.clips.size <= OPEN) break;
      if (wanted.has(clip)) continue;
      open.close();
      this.clips.delete(clip);
    }
  }
}
