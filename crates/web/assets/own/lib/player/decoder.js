// @ts-check
// The frames of one clip, decoded group by group: a light copy has a whole picture every eight frames.
import { open } from "./demux.js";

/** @typedef {{ first: number, end: number }} Group */

export class ClipFrames {
  /** @param {string} url @param {(k: number) => void} came called with each frame that is there */
  constructor(url, came) {
    this.came = came;
    /** @type {Map<number, any>} */
    this.frames = new Map();
    /** Groups that are decoded or on their way. @type {Set<number>} */
    this.asked = new Set();
    /** Starts of groups. @type {number[]} */
    this.starts = [];
    /** @type {import("./demux.js").Film | null} */
    this.film = null;
    /** @type {any} */
    this.decoder = null;
    this.closed = false;
    /** One group after the other goes into the decoder. @type {Promise<any>} */
    this.line = Promise.resolve();
    this.ready = open(url).then((film) => {
      this.film = film;
      this.starts = film.samples.flatMap((s, i) => (s.whole ? [i] : []));
    });
    this.ready.catch(() => undefined);
  }

  /** Until its bytes are there, as far as they are fetched at once. */
  async fetched() {
    try {
      await this.ready;
      await this.film?.bytes(0, 1);
    } catch {
      // What is wrong with it stands in the clip's own line.
    }
  }

  /** The number of the group that a frame is in. @param {number} k */
  groupOf(k) {
    let low = 0,
      high = this.starts.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (this.starts[middle] <= k) low = middle;
      else high = middle - 1;
    }
    return low;
  }

  /** The last frame that there is, for what lies behind it. @param {number} k */
  inside(k) {
    return Math.max(0, Math.min(k, (this.film?.samples.length ?? 1) - 1));
  }

  /** @param {number} k @returns {any} */
  get(k) {
    return this.frames.get(this.inside(k));
  }

  /** Has a frame decoded, unless it is there or on its way. @param {number} k */
  want(k) {
    if (!this.film) {
      this.ready.then(() => !this.closed && this.want(k)).catch(() => undefined);
      return;
    }
    const group = this.groupOf(this.inside(k));
    if (this.asked.has(group)) return;
    this.asked.add(group);
    this.line = this.line.then(() => this.decode(group)).catch(() => this.asked.delete(group));
  }

  /** @param {number} group */
  async decode(group) {
    if (this.closed || !this.asked.has(group) || !this.film) return;
    const first = this.starts[group],
      end = this.starts[group + 1] ?? this.film.samples.length,
      some = this.film.samples.slice(first, end),
      from = some[0].at,
      to = Math.max(...some.map((s) => s.at + s.size)),
      bytes = await this.film.bytes(from, to);
    if (this.closed || !this.asked.has(group)) return;
    const decoder = this.decoderOf();
    for (const [i, s] of some.entries())
      decoder.decode(
        new /** @type {any} */ (window).EncodedVideoChunk({
          type: s.whole ? "key" : "delta",
          timestamp: (first + i) * 1000,
          data: bytes.subarray(s.at - from, s.at - from + s.size),
        }),
      );
    await decoder.flush();
  }

  decoderOf() {
    if (this.decoder && this.decoder.state !== "closed") return this.decoder;
    this.decoder = new /** @type {any} */ (window).VideoDecoder({
      output: (/** @type {VideoFrame} */ frame) => {
        const k = Math.round(frame.timestamp / 1000);
        if (this.closed || !this.asked.has(this.groupOf(k)) || this.frames.has(k)) return frame.close();
        this.frames.set(k, frame);
        this.came(k);
      },
      error: () => this.asked.clear(),
    });
    this.decoder.configure(this.film?.config);
    return this.decoder;
  }

  /** Lets go of all groups but those of these frames. @param {Iterable<number>} frames */
  keepOnly(frames) {
    if (!this.film) return;
    const kept = new Set([...frames].map((k) => this.groupOf(this.inside(k))));
    for (const group of this.asked) if (!kept.has(group)) this.asked.delete(group);
    for (const [k, frame] of this.frames) {
      if (kept.has(this.groupOf(k))) continue;
      frame.close();
      this.frames.delete(k);
    }
    // A decoder takes threads and memory, and is there again in a few milliseconds.
    if (!kept.size && this.decoder && this.decoder.state !== "closed") this.decoder.close();
  }

  close() {
    this.closed = true;
    for (const frame of this.frames.values()) frame.close();
    this.frames.clear();
    this.asked.clear();
    if (this.decoder && this.decoder.state !== "closed") this.decoder.close();
  }
}
