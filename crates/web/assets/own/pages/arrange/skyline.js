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
    const drawn = JSON.stringify([i, i === at, s.start, s.len, s.level, s.pinned, s.missing, s.clip, s.hit, s.source, d.total, s.name]);
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
  // Over the cuts: what is pulled to move them.
  for (const s of d.shots.slice(0, -1)) {
    const handle = svg("rect", { class: "handle", x: x(s.start + s.len) - 5, y: TOP, width: 10, height: BASE - TOP, "data-cut": s.id });
    handle.append(svg("title", {}, "pull to move the cut; it snaps to beats, not with Alt"));
    inside.push(handle);
  }
  inside.push(markLine, dropLine);
  sky.replaceChildren(...inside);
  drawing = d;
  place(sky);
}

// ---- the mark, and what is pulled

const markLine = svg("line", { class: "mark", y1: 0, y2: BASE + 10, x1: -9, x2: -9 }),
  dropLine = svg("rect", { class: "drop", x: -99, y: 0, width: 4, height: BASE });
/** @type {any} the draft as it is drawn */
let drawing = null;
/** @param {number} frame @param {number} total */
export function mark(frame, total) {
  const at = String((frame / Math.max(1, total)) * W);
  markLine.setAttribute("x1", at);
  markLine.setAttribute("x2", at);
}

/** @typedef {{ cut: (shot: string, by: number) => void, move: (shot: string, before: string | null) => void,
 *   put: (shot: string, select: string) => void, insert: (before: string | null, select: string) => void,
 *   mark: (frame: number) => void }} Pulled */
/** @type {Pulled | null} */
let pulled = null;
/** @param {Pulled} acts */
export const whenPulled = (acts) => {
  pulled = acts;
};
/** Pixels within which a cut snaps to a beat. */
const SNAP = 7;
/** @type {SVGElement | null} */
let placed = null;

/** Listens once on the skyline. @param {SVGElement} sky */
function place(sky) {
  if (placed === sky) return;
  placed = sky;
  const frameAt = (/** @type {MouseEvent} */ e) => {
    const box = sky.getBoundingClientRect();
    return ((e.clientX - box.left) / box.width) * drawing.total;
  };
  const perPixel = () => drawing.total / sky.getBoundingClientRect().width;
  /** @param {number} frame @param {boolean} free */
  const snapped = (frame, free) => {
    if (free) return Math.round(frame);
    const near = drawing.beats
      .map((/** @type {number[]} */ b) => b[0])
      .reduce((/** @type {number} */ a, /** @type {number} */ b) => (Math.abs(b - frame) < Math.abs(a - frame) ? b : a), Infinity);
    return Math.abs(near - frame) <= SNAP * perPixel() ? near : Math.round(frame);
  };
  const shotAt = (/** @type {number} */ frame) =>
    drawing.shots.find((/** @type {any} */ s) => frame < s.start + s.len) || drawing.shots[drawing.shots.length - 1];
  /** The shot before which something would stand. @param {number} frame */
  const before = (frame) => drawing.shots.find((/** @type {any} */ s) => frame < s.start + s.len / 2) || null;
  const show = (/** @type {number | null} */ frame) =>
    dropLine.setAttribute("x", frame === null ? "-99" : String((frame / drawing.total) * W - 2));
  const startOf = (/** @type {any} */ s) => (s ? s.start : drawing.total);

  sky.addEventListener("pointerdown", (e) => {
    const target = /** @type {SVGElement} */ (e.target),
      cut = target.dataset.cut,
      building = /** @type {SVGElement | null} */ (target.closest(".building")),
      shot = building && drawing.shots[Number(building.dataset.shot)],
      begun = e.clientX;
    let moved = false;
    if (!cut && !shot) {
      pulled?.mark(Math.floor(frameAt(e)));
      return;
    }
    const move = (/** @type {PointerEvent} */ m) => {
      if (!moved && Math.abs(m.clientX - begun) < 5) return;
      moved = true;
      show(cut ? snapped(frameAt(m), m.altKey) : startOf(before(frameAt(m))));
    };
    const up = (/** @type {PointerEvent} */ u) => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", up);
      show(null);
      if (!moved) return;
      const s = drawing.shots.find((/** @type {any} */ q) => q.id === cut);
      if (s) {
        const by = snapped(frameAt(u), u.altKey) - (s.start + s.len);
        if (by) pulled?.cut(s.id, by);
      } else if (shot) {
        const to = before(frameAt(u)),
          at = drawing.shots.indexOf(shot);
        // Before itself or before the next one is where it is.
        if (to !== shot && to !== (drawing.shots[at + 1] || null)) pulled?.move(shot.id, to ? to.id : null);
      }
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", up);
    e.preventDefault();
  });
  // A select that is dragged here: into a shot's place, or between two.
  const between = (/** @type {number} */ frame) => {
    const s = shotAt(frame),
      along = (frame - s.start) / s.len;
    return along > 0.2 && along < 0.8 ? null : before(frame);
  };
  sky.addEventListener("dragover", (e) => {
    e.preventDefault();
    const f = frameAt(e),
      edge = between(f);
    show(edge || f > drawing.total * 0.999 ? startOf(edge) : shotAt(f).start);
  });
  sky.addEventListener("dragleave", () => show(null));
  sky.addEventListener("drop", (e) => {
    e.preventDefault();
    show(null);
    const select = e.dataTransfer?.getData("text/x-select"),
      f = frameAt(e),
      s = shotAt(f),
      along = (f - s.start) / s.len;
    if (!select) return;
    if (along > 0.2 && along < 0.8) pulled?.put(s.id, select);
    else pulled?.insert(before(f)?.id ?? null, select);
  });
  document.addEventListener("dragstart", (e) => {
    const alt = /** @type {HTMLElement} */ (e.target).closest?.(".alt");
    if (alt) e.dataTransfer?.setData("text/x-select", /** @type {HTMLElement} */ (alt).dataset.select || "");
  });
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
