// @ts-check
// The music under the pictures: it plays from any frame, is heard while one scrubs, and is the clock as long as it plays.

/** Heard at a step of the mark, in seconds. */
const SNIPPET = 0.09;

export class Music {
  constructor() {
    /** @type {AudioContext | null} */
    this.context = null;
    /** @type {AudioBuffer | null} */
    this.buffer = null;
    /** @type {AudioBufferSourceNode | null} */
    this.source = null;
    this.url = "";
    this.quiet = false;
  }

  /** @param {string} url */
  async load(url) {
    if (url === this.url) return;
    this.url = url;
    const context = this.opened(),
      answer = await fetch(url);
    if (!answer.ok) throw new Error("the music is not there");
    const buffer = await context.decodeAudioData(await answer.arrayBuffer());
    if (this.url === url) this.buffer = buffer;
  }

  opened() {
    this.context ??= new AudioContext({ latencyHint: "interactive" });
    if (this.context.state === "suspended") this.context.resume().catch(() => undefined);
    return this.context;
  }

  /** Begins at an instant. Gives a function for what, in seconds of the piece, is being heard right now.
   * @param {number} at @returns {() => number} */
  play(at) {
    this.stop();
    const context = this.opened(),
      begins = context.currentTime + 0.02;
    if (this.buffer && !this.quiet && at < this.buffer.duration) {
      this.source = context.createBufferSource();
      this.source.buffer = this.buffer;
      this.source.connect(context.destination);
      this.source.start(begins, Math.max(0, at));
    }
    // What leaves the loudspeaker now was handed over a while ago.
    return () => at + context.currentTime - begins - (context.outputLatency || 0);
  }

  stop() {
    this.source?.stop();
    this.source?.disconnect();
    this.source = null;
  }

  /** A short piece, for the ear while one scrubs. @param {number} at */
  touch(at) {
    if (!this.buffer || this.quiet || at < 0 || at >= this.buffer.duration) return;
    const context = this.opened(),
      source = context.createBufferSource(),
      gain = context.createGain(),
      now = context.currentTime;
    source.buffer = this.buffer;
    gain.gain.setValueAtTime(0, now);
    gain.gain.linearRampToValueAtTime(0.9, now + 0.01);
    gain.gain.setValueAtTime(0.9, now + SNIPPET - 0.02);
    gain.gain.linearRampToValueAtTime(0, now + SNIPPET);
    source.connect(gain).connect(context.destination);
    source.start(now, at, SNIPPET);
  }
}
