// @ts-check
// The strip of the chosen shot's clip: its middle is pulled to show another part, its edges to begin or end elsewhere. The
// picture shows the frame meanwhile.

/** Pixels within which an edge is meant. */
const EDGE = 8;

/** @param {{ strip: HTMLCanvasElement, edit: (body: Command) => void, shot: () => Shot, draft: () => Draft, timeFrom: () => string,
 *   shown: (frames: number[] | null) => void }} of */
export function begin({ strip, edit, shot, draft, timeFrom, shown }) {
  /** Where the range that is shown begins and ends, in pixels of the strip. @param {Shot} s */
  const edges = (s) => {
    const width = strip.getBoundingClientRect().width;
    return [(s.source / s.media) * width, ((s.source + s.used) / s.media) * width];
  };
  /** @param {Shot} s @param {number} x @returns {"begin" | "end" | "slip" | null} */
  const meant = (s, x) => {
    const [from, to] = edges(s),
      // However little is shown, its middle can be taken.
      edge = Math.min(EDGE, (to - from) / 3);
    if (Math.abs(x - from) <= edge) return "begin";
    if (Math.abs(x - to) <= edge) return "end";
    return x > from && x < to ? "slip" : null;
  };
  const place = (/** @type {PointerEvent} */ e) => e.clientX - strip.getBoundingClientRect().left;
  strip.addEventListener("pointermove", (e) => {
    if (e.buttons) return;
    const what = shot() ? meant(shot(), place(e)) : null;
    strip.style.cursor = what === "slip" ? "grab" : what ? "ew-resize" : "";
  });
  strip.addEventListener("pointerdown", (e) => {
    const s = shot(),
      begun = place(e),
      what = s ? meant(s, begun) : null;
    if (!what) return;
    e.preventDefault();
    strip.setPointerCapture(e.pointerId);
    const perPixel = s.media / strip.getBoundingClientRect().width,
      fps = draft().fps,
      // A clip that is slowed or goes back covers less, or the other way.
      speed = s.keyframes.length ? 1 : s.speed || 1,
      frames = (/** @type {number} */ x) => Math.round((((x - begun) * perPixel) / speed) * fps);
    let by = 0;
    const move = (/** @type {PointerEvent} */ m) => {
      by = frames(place(m));
      const clipFrames = Math.round(((by * speed) / fps) * (s.clip_rate || fps)),
        last = s.frames.length - 1;
      if (what === "slip") shown(s.frames.map((/** @type {number} */ k) => (k < 0 ? k : Math.max(0, k + clipFrames))));
      else {
        // All of it shows the frame that it would begin or end with.
        const k = Math.max(0, (what === "begin" ? s.frames[0] : s.frames[last]) + clipFrames);
        shown(s.frames.map(() => k));
      }
    };
    const up = () => {
      strip.removeEventListener("pointermove", move);
      strip.removeEventListener("pointerup", up);
      strip.removeEventListener("pointercancel", up);
      shown(null);
      if (!by) return;
      if (what === "slip") edit({ do: "slip", shot: s.id, by });
      else edit({ do: what === "begin" ? "trim-start" : "trim-end", shot: s.id, by, from: timeFrom() });
    };
    strip.addEventListener("pointermove", move);
    strip.addEventListener("pointerup", up);
    strip.addEventListener("pointercancel", up);
  });
}
