// @ts-check
// What the skyline is made of: the music's energy as a contour, and a building for each shot.
import { css, svg } from "../../lib/dom.js";
import { sheet, tile } from "../../lib/filmstrip.js";
import { between } from "../../lib/tone.js";

export const W = 1076,
  TOP = 22,
  /** Where the ground is, and where it is with another draft beside. */
  BASE = 236,
  LOW_BASE = 140,
  /** Below the ground: beats, bars and chapters. */
  FOOT = 38;
/** The energies that the skyline's height shows are this far apart at least. */
const LEAST_SPAN = 30;

/** Marks that lie nearer to each other than this, in the skyline's own units, are not drawn. */
const APART = 4;
/** The narrowest building that shows its still. */
const PICTURED = 9;

/** @typedef {{ at: (frame: number) => number, length: (frames: number) => number, from: number, to: number, base: number,
 *   low: number, high: number }} Ruler `low` and `high`: the energies at the ground and at the top */

/** The energies that the height shows: from somewhat below the calmest to the liveliest of music and pictures.
 * @param {Draft} d @returns {[number, number]} */
export function scaleOf(d) {
  const levels = d.shots.map((s) => s.level),
    music = d.shots.map((s) => s.wanted),
    high = Math.min(100, Math.ceil(Math.max(...levels, ...music, LEAST_SPAN) / 10) * 10),
    calmest = Math.min(...levels, ...music, high),
    // The calmest keeps a third of the height: its still has to be seen.
    low = Math.max(0, Math.floor((calmest - (high - calmest) / 2) / 10) * 10);
  return [high - low < LEAST_SPAN ? Math.max(0, high - LEAST_SPAN) : low, high];
}

/** How high something stands that is this lively. @param {Ruler} ruler @param {number} energy */
export const heightOf = (ruler, energy) =>
  ruler.base - Math.max(0.04, Math.min(1.04, (energy - ruler.low) / (ruler.high - ruler.low))) * (ruler.base - TOP);

/** The music, as far as it is in sight. @param {Draft} d @param {Ruler} ruler */
export function drawnScore(d, ruler) {
  const x = ruler.at,
    beyond = (ruler.to - ruler.from) / 2,
    under = [svg("path", { class: "contour", d: contour(d, ruler, false) })],
    over = [svg("path", { class: "line", d: contour(d, ruler, true) })];
  for (const s of d.sections) under.push(svg("line", { class: "section", x1: x(s.start), x2: x(s.start), y1: 0, y2: ruler.base }));
  const inSight = d.beats.filter((/** @type {number[]} */ b) => b[0] >= ruler.from - beyond && b[0] <= ruler.to + beyond),
    gap = (/** @type {number[][]} */ marks) =>
      marks.length > 1 ? (x(marks[marks.length - 1][0]) - x(marks[0][0])) / (marks.length - 1) : W,
    bars = inSight.filter((/** @type {number[]} */ b) => b[2] === 1),
    // Of marks that would lie on each other some are left out: every second, fourth … bar.
    every = Math.max(1, 2 ** Math.ceil(Math.log2(APART / Math.max(0.01, gap(bars))))),
    named = Math.max(2, 2 ** Math.ceil(Math.log2(28 / Math.max(0.01, gap(bars)))));
  for (const [frame, bar, beat] of gap(inSight) < APART ? bars.filter((/** @type {number[]} */ b) => (b[1] - 1) % every === 0) : inSight) {
    over.push(
      svg("line", {
        class: beat === 1 ? "bar" : "beat",
        x1: x(frame),
        x2: x(frame),
        y1: ruler.base,
        y2: ruler.base + (beat === 1 ? 9 : 5),
      }),
    );
    if (beat === 1 && (bar - 1) % named === 0) over.push(svg("text", { x: x(frame) + 2, y: ruler.base + 20 }, bar));
  }
  for (const energy of [ruler.low, (ruler.low + ruler.high) / 2, ruler.high]) {
    const y = ruler.base - ((energy - ruler.low) / (ruler.high - ruler.low)) * (ruler.base - TOP);
    under.push(svg("line", { class: "level", x1: 0, x2: W, y1: y, y2: y }));
    over.push(svg("text", { class: "level", x: W - 2, y: y - 2, "text-anchor": "end" }, String(Math.round(energy))));
  }
  for (const c of d.chapters) {
    const left = x(c.from),
      g = svg("g", { class: "chapter" });
    g.append(svg("rect", { x: left, y: ruler.base + 24, width: Math.max(2, ruler.length(c.to - c.from) - 2), height: 12 }));
    g.append(svg("text", { x: left + 4, y: ruler.base + 34 }, c.words));
    g.append(svg("title", {}, `chapter: ${c.words}, ${c.selects} selects`));
    over.push(g);
  }
  // What is to stand before what, as an arc over the buildings.
  for (const [a, b] of d.pairs) {
    const shots = [a, b].map((id) => d.shots.find((s) => s.id === id));
    const [from, to] = shots.map((s) => x((s?.start ?? 0) + (s?.len ?? 0) / 2)),
      wrong = (shots[0]?.start ?? 0) > (shots[1]?.start ?? 0);
    const arc = svg("path", {
      class: wrong ? "pair wrong" : "pair",
      d: `M${from},${TOP - 4}Q${(from + to) / 2},${TOP - 30} ${to},${TOP - 4}`,
    });
    arc.append(svg("title", {}, wrong ? "these two stand the other way round" : "the first stands before the second"));
    over.push(arc);
  }
  for (const c of d.cues) {
    const px = x(c.at),
      g = svg("g", { class: "cue" });
    if (c.kind === "drop") g.append(svg("path", { d: `M${px - 6},16L${px},3L${px + 6},16` }));
    else if (c.kind === "pause") g.append(svg("path", { d: `M${px},16l5,-12M${px + 5},16l5,-12` }));
    g.append(svg("title", {}, c.kind));
    over.push(g);
  }
  return { under, over };
}

/** @param {Draft} d @param {Ruler} ruler @param {boolean} open */
function contour(d, ruler, open) {
  const e = d.energy,
    per = e.step * d.fps,
    // A point for each two units of the skyline is enough, and a little on either side of what is in sight.
    beyond = (ruler.to - ruler.from) / 2,
    first = Math.max(0, Math.floor((ruler.from - beyond) / per) - 4),
    last = Math.min(e.values.length, Math.ceil((ruler.to + beyond) / per) + 4),
    step = Math.max(1, Math.floor((last - first) / (W / 2))) * (last - first > 200 ? 2 : 1),
    /** @type {number[][]} */
    points = [];
  for (let i = first; i < last; i += step) points.push([ruler.at((i + 1) * per), e.values[i]]);
  if (!points.length) return "";
  // The line of a building site is a contour, not a tremble: half a second of smoothing.
  const smooth = points.map((p, i) => {
    const near = points.slice(Math.max(0, i - 2), i + 3);
    return [p[0], near.reduce((s, q) => s + q[1], 0) / near.length];
  });
  const line = smooth.map((p) => `${p[0].toFixed(1)},${heightOf(ruler, p[1]).toFixed(1)}`).join("L");
  return open
    ? `M${line}`
    : `M0,${ruler.base}L0,${heightOf(ruler, smooth[0][1])}L${line}L${Math.max(W, smooth[smooth.length - 1][0])},${heightOf(ruler, smooth[smooth.length - 1][1])}V${ruler.base}Z`;
}

/** All of it is a full diamond, the place half of one at its beginning, the ends one half at either end.
 * @param {string} pin @param {number} left @param {number} w @param {number} top */
function pinSign(pin, left, w, top) {
  const open = `M${left},${top - 16}l5,5l-5,5z`,
    close = `M${left + w},${top - 16}l-5,5l5,5z`;
  if (pin === "place") return open;
  return pin === "ends" ? open + close : `M${left + w / 2},${top - 16}l5,5l-5,5l-5,-5z`;
}

/** @param {Shot} s @param {number} i @param {boolean} on @param {Ruler} ruler
 * @param {{ differs: boolean, warned: boolean, also?: boolean, cost?: number | null, end?: string }} sign whether the draft beside has another one, whether a check says
 *   something of it, whether it is chosen beside another one
 * @param {(id: string, how?: { extend?: boolean }) => void} choose */
export function building(s, i, on, ruler, { differs, warned, also, cost, end }, choose) {
  const g = svg("g", {
    class: `building${on ? " on" : ""}${also ? " also" : ""}${s.missing ? " away" : ""}`,
    "data-shot": i,
    role: "button",
    tabindex: -1,
    "aria-label": `shot ${i + 1}, ${s.name ?? "left out"}, energy ${Math.round(s.energy)}${s.pinned ? ", pinned" : s.held ? ", held" : ""}${warned ? ", see its checks" : ""}${differs ? ", another one in the other draft" : ""}${s.missing ? ", its file is not where it was" : ""}`,
  });
  const x = ruler.at,
    left = x(s.start),
    w = Math.max(1, ruler.length(s.len)),
    top = heightOf(ruler, s.level),
    h = Math.max(1, ruler.base - top);
  // The still is cut to the building, its middle kept: a window 256 x 144 of the sheet.
  const scale = Math.max(w / 256, h / 144),
    k = tile(s.hit ?? s.source, s.media);
  const view = svg("svg", {
    x: left,
    y: top,
    width: w,
    height: h,
    viewBox: `${k * 256 + 128 - w / scale / 2} ${72 - h / scale / 2} ${w / scale} ${h / scale}`,
    preserveAspectRatio: "none",
  });
  view.append(svg("image", { href: sheet(s.clip), width: 4096, height: 144, preserveAspectRatio: "none" }));
  const tone = between(s.level, ["--calm", "--warm", "--hot"].map(css));
  g.append(svg("rect", { x: left, y: top, width: w, height: h, fill: css("--well") }));
  // In a narrower one nothing would be seen of a picture.
  if (w >= PICTURED) g.append(view);
  g.append(svg("rect", { x: left, y: top - 3, width: w, height: 3, fill: tone }));
  g.append(svg("rect", { class: "frame", x: left + 0.5, y: top, width: Math.max(0.5, w - 1), height: h }));
  if (s.missing)
    g.append(svg("path", { class: "away", d: `M${left},${top}L${left + w},${ruler.base}M${left + w},${top}L${left},${ruler.base}` }));
  if (s.pause) {
    const dark = x(s.start + s.len - s.pause.len);
    g.append(svg("rect", { class: `pause ${s.pause.stop}`, x: dark, y: top, width: Math.max(1, left + w - dark), height: h }));
  }
  // An open ring: a hand changed it, and it stays.
  if (s.held && !s.pinned) g.append(svg("circle", { class: "held", cx: left + w / 2, cy: top - 11, r: 3.5 }));
  if (s.pinned) g.append(svg("path", { class: "pin", d: pinSign(s.pin, left, w, top) }));
  if (warned) g.append(svg("path", { class: "warned", d: `M${left + 3},${top + 3}h7l-3.5,7z` }));
  // What the reason that is pressed costs here, from the ground up.
  if (cost) {
    const high = Math.min(1, cost / 1.5) * (ruler.base - top);
    g.append(svg("rect", { class: "cost", x: left + 1, y: ruler.base - high, width: Math.max(1, w - 2), height: high }));
  }
  if (end && w > 36) g.append(svg("text", { class: "end", x: left + 4, y: top + 14 }, end));
  if (differs) g.append(svg("rect", { class: "differs", x: left + 1, y: ruler.base + 1, width: Math.max(1, w - 2), height: 4 }));
  g.addEventListener("click", (/** @type {MouseEvent} */ e) => choose(s.id, { extend: e.shiftKey }));
  return g;
}
