// @ts-check
// The skyline: the music's energy as a contour, every shot a building under it. What has not changed stays as it is drawn.
import { css, svg } from "../../lib/dom.js";
import { sheet, tile } from "../../lib/filmstrip.js";
import { between } from "../../lib/tone.js";

const W = 1076,
  TOP = 22,
  BASE = 270;

/** Buildings by their shots, with what they were drawn from.
 * @type {Map<string, { drawn: string, node: any }>} */
let buildings = new Map();
/** @type {{ of: any, under: any[], over: any[] } | null} */
let score = null;

export function forget() {
  buildings = new Map();
  score = null;
}

const y = (/** @type {number} */ e) => BASE - (e / 100) * (BASE - TOP);

/** @param {SVGElement} sky @param {any} d @param {number} at @param {(id: string) => void} choose */
export function draw(sky, d, at, choose) {
  const x = (/** @type {number} */ f) => (f / d.total) * W;
  if (!score || score.of !== d.energy) score = { of: d.energy, ...drawnScore(d, x) };
  const kept = new Map();
  const nodes = d.shots.map((/** @type {any} */ s, /** @type {number} */ i) => {
    const drawn = JSON.stringify([i, i === at, s.start, s.len, s.level, s.pinned, s.clip, s.hit, s.source, d.total, s.name]);
    const known = buildings.get(s.id);
    const node = known?.drawn === drawn ? known.node : building(s, i, i === at, x, choose);
    kept.set(s.id, { drawn, node });
    return node;
  });
  buildings = kept;
  const inside = [...score.under, ...nodes, ...score.over];
  const on = d.shots[at];
  if (on && Math.abs(on.level - on.wanted) > 20)
    inside.push(
      svg(
        "text",
        { class: "gap", x: Math.min(x(on.start), W - 70), y: Math.max(12, y(Math.max(on.level, on.wanted)) - 12) },
        `${Math.abs(Math.round(on.level - on.wanted))} ${on.level < on.wanted ? "below" : "above"}`,
      ),
    );
  sky.replaceChildren(...inside);
}

/** @param {any} d @param {(f: number) => number} x */
function drawnScore(d, x) {
  const under = [svg("path", { class: "contour", d: contour(d, x, false) })],
    over = [svg("path", { class: "line", d: contour(d, x, true) })];
  for (const s of d.sections)
    under.push(svg("line", { class: "section", x1: x(s.start), x2: x(s.start), y1: 0, y2: BASE }));
  for (const [frame, bar, beat] of d.beats) {
    over.push(
      svg("line", {
        class: beat === 1 ? "bar" : "beat",
        x1: x(frame),
        x2: x(frame),
        y1: BASE,
        y2: BASE + (beat === 1 ? 9 : 5),
      }),
    );
    if (beat === 1 && bar % 2 === 1) over.push(svg("text", { x: x(frame) + 2, y: BASE + 20 }, bar));
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

/** @param {any} d @param {(f: number) => number} x @param {boolean} open */
function contour(d, x, open) {
  const e = d.energy,
    /** @type {number[][]} */
    points = [];
  for (let i = 0; i < e.values.length; i += 2) points.push([Math.min(W, x((i + 1) * e.step * d.fps)), e.values[i]]);
  if (!points.length) return "";
  // The line of a building site is a contour, not a tremble: half a second of smoothing.
  const smooth = points.map((p, i) => {
    const near = points.slice(Math.max(0, i - 2), i + 3);
    return [p[0], near.reduce((s, q) => s + q[1], 0) / near.length];
  });
  const line = smooth.map((p) => `${p[0].toFixed(1)},${y(p[1]).toFixed(1)}`).join("L");
  return open
    ? `M${line}`
    : `M0,${BASE}L0,${y(smooth[0][1])}L${line}L${W},${y(smooth[smooth.length - 1][1])}L${W},${BASE}Z`;
}

/** @param {any} s @param {number} i @param {boolean} on @param {(f: number) => number} x
 * @param {(id: string) => void} choose */
function building(s, i, on, x, choose) {
  const g = svg("g", {
    class: `building${on ? " on" : ""}${s.missing ? " away" : ""}`,
    "data-shot": i,
    role: "button",
    tabindex: -1,
    "aria-label": `shot ${i + 1}, ${s.name ?? "left out"}, energy ${Math.round(s.energy)}${s.pinned ? ", pinned" : ""}${s.missing ? ", its file is not where it was" : ""}`,
  });
  const left = x(s.start),
    w = Math.max(1, x(s.len)),
    top = y(Math.max(4, s.level)),
    h = BASE - top;
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
  g.append(svg("rect", { x: left, y: top, width: w, height: h, fill: css("--well") }), view);
  g.append(svg("rect", { x: left, y: top - 3, width: w, height: 3, fill: tone }));
  g.append(svg("rect", { class: "frame", x: left + 0.5, y: top, width: Math.max(0.5, w - 1), height: h }));
  if (s.missing) g.append(svg("path", { class: "away", d: `M${left},${top}L${left + w},${BASE}M${left + w},${top}L${left},${BASE}` }));
  if (s.pinned) g.append(svg("path", { class: "pin", d: `M${left + w / 2},${top - 16}l5,5l-5,5l-5,-5z` }));
  g.addEventListener("click", () => choose(s.id));
  return g;
}
