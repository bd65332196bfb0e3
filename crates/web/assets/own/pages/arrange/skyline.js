// @ts-check
// The skyline of a draft: time to the right, energy upward. What has not changed stays as it is drawn; only what is in sight is.
// Cuts, shots and selects are pulled on it.
import { svg } from "../../lib/dom.js";
import { BASE, building, drawnScore, FOOT, heightOf, LOW_BASE, scaleOf, TOP, W } from "./building.js";

/** @typedef {{ mark: (frame: number) => void, choose: (shot: string, how?: { extend?: boolean }) => void }} Acts */
/** What is pulled on it. @typedef {{ cut: (shot: string, by: number) => void, move: (shot: string, before: string | null) => void,
 *   trim: (shot: string, edge: "begin" | "end", by: number) => void, exchange: (shot: string, other: string) => void,
 *   range: (from: number, to: number) => void,
 *   put: (shot: string, select: string) => void, insert: (before: string | null, select: string) => void }} Pulled */

/** Pixels within which a cut snaps to a beat. */
const SNAP = 7;
/** How much more is drawn on either side, as a share of what is in sight. */
const MARGIN = 0.5;

export class Skyline {
  /** @param {SVGElement} sky @param {import("./view.js").View} view @param {Acts} acts
   * @param {Pulled | null} pulled none: it is only looked at */
  constructor(sky, view, acts, pulled) {
    this.sky = sky;
    this.view = view;
    this.acts = acts;
    this.pulled = pulled;
    /** Buildings by their shots, with what they were drawn from. @type {Map<string, { drawn: string, node: any }>} */
    this.buildings = new Map();
    /** @type {{ of: any, seen: string, under: any[], over: any[] } | null} */
    this.score = null;
    /** As it is drawn. @type {Draft} */
    this.draft = /** @type {Draft} */ (/** @type {unknown} */ (null));
    /** The shot whose ends can be pulled. @type {string | null} */
    this.chosen = null;
    this.base = BASE;
    /** The energies at the ground and at the top. */
    this.scale = /** @type {[number, number]} */ ([0, 100]);
    /** All that stands at its time: it is shifted and stretched while one zooms, and drawn again when that rests. */
    this.content = svg("g");
    /** The stretch that it was drawn for. */
    this.drawn = { from: 0, to: 1 };
    this.frame = 0;
    this.markLine = svg("line", { class: "mark", y1: 0, y2: BASE + 10, x1: -9, x2: -9 });
    this.dropLine = svg("rect", { class: "drop", x: -99, y: 0, width: 4, height: BASE });
    if (pulled) this.listen(pulled);
    else sky.addEventListener("click", (e) => !(/** @type {SVGElement} */ (e.target).closest(".building")) && this.markAt(e));
  }

  forget() {
    this.buildings = new Map();
    this.score = null;
  }

  /** Lower, so that two have room under each other, or as high as usual. @param {boolean} low */
  low(low) {
    this.base = low ? LOW_BASE : BASE;
    this.sky.setAttribute("viewBox", `0 0 ${W} ${this.base + FOOT}`);
    this.markLine.setAttribute("y2", String(this.base + 10));
    this.dropLine.setAttribute("height", String(this.base));
  }

  /** Frames as places on it. @returns {import("./building.js").Ruler} */
  ruler() {
    const { from, to } = this.view,
      span = Math.max(1, to - from);
    const [low, high] = this.scale;
    return { from, to, base: this.base, low, high, at: (f) => ((f - from) / span) * W, length: (n) => (n / span) * W };
  }

  /** @param {Draft} d @param {number} at the place of the shot that is chosen @param {(s: Shot) => boolean} differs
   * @param {Set<string>} [also] shots that are chosen beside it
   * @param {import("wire").Part | null} [part] the part of the cost that is shown */
  draw(d, at, differs, also = new Set(), part = null) {
    this.scale = scaleOf(d);
    const ruler = this.ruler(),
      seen = `${ruler.from} ${ruler.to} ${ruler.base} ${ruler.low} ${ruler.high} ${JSON.stringify([d.chapters, d.pairs])}`;
    if (!this.score || this.score.of !== d.energy || this.score.seen !== seen) this.score = { of: d.energy, seen, ...drawnScore(d, ruler) };
    const kept = new Map(),
      warned = new Set(d.findings.map((f) => f.shot)),
      inside = [...this.score.under],
      // A little more than what is in sight, for it to be there when one pans.
      more = (ruler.to - ruler.from) * MARGIN,
      /** @type {[number, any][]} */
      inSight = [...d.shots.entries()].filter(([, s]) => s.start < ruler.to + more && s.start + s.len > ruler.from - more);
    for (const [i, s] of inSight) {
      const other = differs(s),
        cost = part && (s.cost.find((/** @type {[string, number]} */ [name]) => name === part)?.[1] ?? 0),
        end = s.select === d.opening ? "opens" : s.select === d.closing ? "closes" : "",
        drawn = JSON.stringify([
          seen,
          i,
          i === at,
          s.start,
          s.len,
          s.level,
          s.pin,
          s.held,
          also.has(s.id),
          s.pause,
          s.missing,
          s.clip,
          s.hit,
          s.source,
          s.name,
          other,
          warned.has(s.id),
          cost,
          end,
        ]),
        known = this.buildings.get(s.id),
        node =
          known?.drawn === drawn
            ? known.node
            : building(
                s,
                i,
                i === at,
                ruler,
                { differs: other, warned: warned.has(s.id), also: also.has(s.id), cost, end },
                this.acts.choose,
              );
      kept.set(s.id, { drawn, node });
      inside.push(node);
    }
    this.buildings = kept;
    inside.push(...this.score.over);
    const on = d.shots[at];
    if (on && this.pulled && Math.abs(on.level - on.wanted) > 20)
      inside.push(
        svg(
          "text",
          { class: "gap", x: Math.min(ruler.at(on.start), W - 70), y: Math.max(12, heightOf(ruler, Math.max(on.level, on.wanted)) - 12) },
          on.level < on.wanted ? "calmer" : "livelier",
        ),
      );
    // Over the cuts: what is pulled to move them.
    if (this.pulled)
      for (const [i, s] of inSight) {
        if (i === d.shots.length - 1) continue;
        const handle = svg("rect", {
          class: "handle",
          x: ruler.at(s.start + s.len) - 5,
          y: TOP,
          width: 10,
          height: this.base - TOP,
          "data-cut": s.id,
        });
        handle.append(svg("title", {}, "pull to move the cut; it snaps to beats, not with Alt; with Shift the end of this shot alone"));
        inside.push(handle);
      }
    if (this.pulled && on) {
      // The ends of the chosen shot, above the cuts: each alone.
      const top = heightOf(ruler, on.level);
      for (const [edge, frame] of /** @type {[string, number][]} */ ([
        ["begin", on.start],
        ["end", on.start + on.len],
      ])) {
        const grip = svg("rect", {
          class: "grip",
          x: ruler.at(frame) - (edge === "begin" ? 0 : 6),
          y: top - 10,
          width: 6,
          height: 18,
          "data-edge": edge,
        });
        grip.append(svg("title", {}, `pull to ${edge} the shot elsewhere; the time comes from where it is set`));
        inside.push(grip);
      }
    }
    this.content.replaceChildren(...inside);
    this.content.removeAttribute("transform");
    if (!this.content.isConnected) this.sky.replaceChildren(this.content, this.markLine, this.dropLine);
    this.drawn = { from: ruler.from, to: ruler.to };
    this.draft = d;
    this.chosen = on?.id ?? null;
    this.mark(this.frame);
  }

  /** Another stretch is in sight: what is drawn goes there at once. Gives whether that leaves a place empty. */
  follow() {
    const { from, to } = this.view,
      span = Math.max(1, to - from),
      wide = this.drawn.to - this.drawn.from;
    this.content.setAttribute("transform", `translate(${((this.drawn.from - from) / span) * W} 0) scale(${wide / span} 1)`);
    this.mark(this.frame);
    return from < this.drawn.from - wide * MARGIN || to > this.drawn.to + wide * MARGIN;
  }

  /** @param {number} frame */
  mark(frame) {
    this.frame = frame;
    const at = String(this.ruler().at(frame));
    this.markLine.setAttribute("x1", at);
    this.markLine.setAttribute("x2", at);
  }

  /** @param {MouseEvent} e */
  markAt(e) {
    const box = this.sky.getBoundingClientRect();
    this.acts.mark(Math.floor(this.view.frameAt((e.clientX - box.left) / box.width)));
  }

  /** @param {Pulled} acts */
  listen(acts) {
    const { sky } = this;
    const frameAt = (/** @type {MouseEvent} */ e) => {
      const box = sky.getBoundingClientRect();
      return this.view.frameAt((e.clientX - box.left) / box.width);
    };
    const perPixel = () => this.view.span() / sky.getBoundingClientRect().width;
    /** @param {number} frame @param {boolean} free */
    const snapped = (frame, free) => {
      if (free) return Math.round(frame);
      const near = this.draft.beats
        .map((/** @type {number[]} */ b) => b[0])
        .reduce((/** @type {number} */ a, /** @type {number} */ b) => (Math.abs(b - frame) < Math.abs(a - frame) ? b : a), Infinity);
      return Math.abs(near - frame) <= SNAP * perPixel() ? near : Math.round(frame);
    };
    const shotAt = (/** @type {number} */ frame) =>
      this.draft.shots.find((s) => frame < s.start + s.len) || this.draft.shots[this.draft.shots.length - 1];
    /** The shot before which something would stand. @param {number} frame */
    const before = (frame) => this.draft.shots.find((s) => frame < s.start + s.len / 2) || null;
    const show = (/** @type {number | null} */ frame) =>
      this.dropLine.setAttribute("x", frame === null ? "-99" : String(this.ruler().at(frame) - 2));
    const startOf = (/** @type {Shot | null} */ s) => (s ? s.start : this.draft.total);

    sky.addEventListener("pointerdown", (e) => {
      const target = /** @type {SVGElement} */ (e.target),
        cut = e.shiftKey ? undefined : target.dataset.cut,
        edge = /** @type {"begin" | "end" | undefined} */ (target.dataset.edge) || (e.shiftKey && target.dataset.cut ? "end" : undefined),
        edged =
          edge &&
          (target.dataset.cut
            ? this.draft.shots.find((q) => q.id === target.dataset.cut)
            : this.draft.shots.find((q) => q.id === this.chosen)),
        building = /** @type {SVGElement | null} */ (target.closest(".building")),
        shot = building && this.draft.shots[Number(building.dataset.shot)],
        begun = e.clientX;
      let moved = false;
      if (!cut && !shot && !edged) {
        // Over the ground line: a stretch is chosen by pulling.
        const from = frameAt(e);
        let pulled = false;
        this.markAt(e);
        const along = (/** @type {PointerEvent} */ m) => {
          pulled ||= Math.abs(m.clientX - begun) > 8;
          if (pulled) show(frameAt(m));
        };
        const done = (/** @type {PointerEvent} */ u) => {
          window.removeEventListener("pointermove", along);
          window.removeEventListener("pointerup", done);
          show(null);
          if (pulled) acts.range(Math.min(from, frameAt(u)), Math.max(from, frameAt(u)));
        };
        window.addEventListener("pointermove", along);
        window.addEventListener("pointerup", done);
        return;
      }
      const move = (/** @type {PointerEvent} */ m) => {
        if (!moved && Math.abs(m.clientX - begun) < 5) return;
        moved = true;
        if (edged) {
          // The frame that it would begin or end with is shown.
          const to = snapped(frameAt(m), m.altKey);
          show(to);
          this.acts.mark(Math.max(0, edge === "end" ? Math.min(to, edged.start + edged.len) - 1 : Math.max(to, edged.start)));
          return;
        }
        show(cut ? snapped(frameAt(m), m.altKey) : m.altKey && shot ? startOf(shotAt(frameAt(m))) : startOf(before(frameAt(m))));
      };
      const up = (/** @type {PointerEvent} */ u) => {
        window.removeEventListener("pointermove", move);
        window.removeEventListener("pointerup", up);
        show(null);
        if (!moved) return;
        if (edged && edge) {
          const by = snapped(frameAt(u), u.altKey) - (edge === "begin" ? edged.start : edged.start + edged.len);
          if (by) acts.trim(edged.id, edge, by);
          return;
        }
        if (shot && u.altKey) {
          const other = shotAt(frameAt(u));
          if (other.id !== shot.id) acts.exchange(shot.id, other.id);
          return;
        }
        const s = this.draft.shots.find((q) => q.id === cut);
        if (s) {
          const by = snapped(frameAt(u), u.altKey) - (s.start + s.len);
          if (by) acts.cut(s.id, by);
        } else if (shot) {
          const to = before(frameAt(u)),
            at = this.draft.shots.indexOf(shot);
          // Before itself or before the next one is where it is.
          if (to !== shot && to !== (this.draft.shots[at + 1] || null)) acts.move(shot.id, to ? to.id : null);
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
      show(edge || f > this.draft.total * 0.999 ? startOf(edge) : shotAt(f).start);
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
      if (along > 0.2 && along < 0.8) acts.put(s.id, select);
      else acts.insert(before(f)?.id ?? null, select);
    });
  }
}

document.addEventListener("dragstart", (e) => {
  const alt = /** @type {HTMLElement} */ (e.target).closest?.(".alt");
  if (alt) e.dataTransfer?.setData("text/x-select", /** @type {HTMLElement} */ (alt).dataset.select || "");
});
