// @ts-check
// Draws the page of music: lines of bars, the overview, and a close look at the beats around the mark.
import { crisp } from "../../lib/canvas.js";
import { $, css, el } from "../../lib/dom.js";
import { inGroup, on } from "../../lib/keys.js";
import { clock } from "../../lib/time.js";
import { between } from "../../lib/tone.js";
import { L } from "./state.js";

/** @param {number} energy */
const tone = (energy) => between(energy, ["--calm", "--warm", "--hot"].map(css));
// Room at both ends of a line for the signs that stand on its first and last beat.
const INSET = 8,
  TOP = 16,
  BELOW = 13,
  CLOSE_SECONDS = 2.4;
/** @type {Line[]} */
let lines = [];
let drawnAt = -1;
L.lines = () => lines;
const bars = () => Number($("bars").value);
L.lineSeconds = () => (lines[0] ? lines[0].span : 16);

function phrases() {
  const r = L.data.reading,
    ones = r.beats.filter((b) => b.beat === 1);
  /** @type {Pick<Line, "start" | "end" | "bars">[]} */
  const out = [];
  if (!ones.length) return [{ start: 0, end: r.duration, bars: [] }];
  if (ones[0].at > 0.3) out.push({ start: 0, end: ones[0].at, bars: [] });
  for (let i = 0; i < ones.length; i += bars())
    out.push({
      start: ones[i].at,
      end: ones[i + bars()] ? ones[i + bars()].at : r.duration,
      bars: ones.slice(i, i + bars()),
    });
  return out;
}
L.layout = () => {
  const all = phrases();
  const full = Math.max(...all.filter((p) => p.bars.length === bars()).map((p) => p.end - p.start), 1);
  const span = (/** @type {Pick<Line, "start" | "end" | "bars">} */ p) =>
    p.bars.length === bars() ? p.end - p.start : Math.max(full, p.end - p.start);
  const kept = $("music").children.length === all.length ? lines : [];
  lines = all.map((p, i) => ({ ...p, span: span(p), row: kept[i]?.row, canvas: kept[i]?.canvas }));
  if (!kept.length)
    $("music").replaceChildren(
      ...lines.map((line, i) => {
        line.row = el("div", { class: "phrase", "data-line": i });
        line.canvas = el("canvas");
        line.row.append(el("div", { class: "margin" }), line.canvas, el("i", { class: "playing" }));
        return line.row;
      }),
    );
  for (const line of lines) margin(line);
  spoken();
};
/** @param {Line} line */
function margin(line) {
  const list = L.data.reading.sections;
  const section =
    list.find((s) => s.start >= line.start - 0.3 && s.start < line.end - 0.3) ||
    list.find((s) => s.start <= line.start && s.end > line.start);
  const box = /** @type {HTMLElement} */ (line.row.firstChild);
  box.replaceChildren();
  if (!section) return;
  const starts = section.start >= line.start - 0.3,
    hand = section.energy_manual ? " by hand" : "";
  box.append(
    el("b", {}, starts ? section.kind : ""),
    el("span", {}, starts ? `${section.label || ""} ${Math.round(section.energy)}${hand}`.trim() : `${section.kind}, on`),
  );
}
// The same for ears: sections and cues in words.
function spoken() {
  const r = L.data.reading;
  $("spoken").replaceChildren(
    ...r.sections.map((s) =>
      el("li", {}, `${s.kind} ${s.label || ""}, ${clock(s.start)} to ${clock(s.end)}, energy ${Math.round(s.energy)}`),
    ),
    ...r.cues.map((c) => el("li", {}, `${c.kind} at ${clock(c.at)}${c.lasts ? `, ${c.lasts.toFixed(1)} seconds long` : ""}`)),
  );
}
const energyAt = (/** @type {number} */ t) => {
  const e = L.data.reading.energy;
  return e.values[Math.min(e.values.length - 1, Math.max(0, Math.floor(t / e.step)))] || 0;
};
const loudAt = (/** @type {number} */ a, /** @type {number} */ b) => {
  const peaks = L.peaks ?? new Uint8Array(),
    to = Math.min(peaks.length, Math.max(Math.ceil(b * 100), Math.floor(a * 100) + 1));
  let m = 0;
  for (let i = Math.max(0, Math.floor(a * 100)); i < to; i++) m = Math.max(m, peaks[i]);
  return m / 255;
};
// Where a time stands on a line, and the other way round.
L.xOf = (line, t) => INSET + ((t - line.start) / line.span) * (line.canvas.clientWidth - 2 * INSET);
L.timeAt = (line, x) => line.start + ((x - INSET) / (line.canvas.clientWidth - 2 * INSET)) * line.span;

/** @param {Line} line */
function drawLine(line) {
  const { pen, w, h } = crisp(line.canvas);
  const scale = (w - 2 * INSET) / line.span,
    x = (/** @type {number} */ t) => INSET + (t - line.start) * scale,
    base = h - BELOW,
    room = base - TOP,
    ink = css("--ink");
  const end = Math.min(line.end, line.start + line.span);
  pen.globalAlpha = 0.5;
  for (let px = INSET; px < x(end); px += 2) {
    const e = energyAt(line.start + (px - INSET) / scale),
      eh = (e / 100) * room;
    pen.fillStyle = tone(e);
    pen.fillRect(px, base - eh, 2, eh);
  }
  pen.globalAlpha = 1;
  pen.fillStyle = ink;
  for (let px = INSET; px < x(end); px++) {
    const t = line.start + (px - INSET) / scale,
      v = (loudAt(t, t + 1 / scale) * room) / 2;
    pen.fillRect(px, TOP + room / 2 - v, 1, Math.max(1, 2 * v));
  }
  beats(pen, line, x, base, h, end);
  for (const s of L.data.reading.sections)
    if (s.start > line.start + 0.3 && s.start < end - 0.3) {
      pen.fillStyle = ink;
      pen.font = "500 15px Alegreya, serif";
      // A cue that stands there says the same with its sign.
      if (!L.data.reading.cues.some((c) => Math.abs(c.at - s.start) < 0.15 && c.kind !== "pause")) pen.fillText(s.kind, x(s.start) + 4, 12);
      pen.fillRect(x(s.start) - 1, 2, 2, base - 2);
    }
  const last = line === lines[lines.length - 1];
  for (const c of L.data.reading.cues)
    if ((c.at >= line.start - 0.05 && c.at < end - 0.05) || (c.kind === "end" && last && c.at >= line.start))
      sign(pen, c, Math.min(x(c.at), w - INSET), base, w, x);
  pen.fillStyle = css("--act");
  for (const t of L.taps)
    if (t >= line.start && t < end) {
      pen.beginPath();
      pen.arc(x(t), base + 2, 3.5, 0, 7);
      pen.fill();
    }
  pen.font = "11px AtkinsonMono, monospace";
  for (const join of L.data.version ? L.data.version.joins : []) {
    if (join.out > line.start && join.out <= end) pen.fillText("⟶", x(join.out) - 12, base - 3);
    if (join.into >= line.start && join.into < end) pen.fillText("⟶", x(join.into) + 2, base - 3);
  }
  veil(pen, line, x, w, h, end);
}
/** @param {CanvasRenderingContext2D} pen @param {Line} line @param {OnLine} x
 * @param {number} base where the beats stand @param {number} h @param {number} end */
function beats(pen, line, x, base, h, end) {
  const ink = css("--ink"),
    quiet = css("--quiet");
  pen.font = "11px AtkinsonMono, monospace";
  const claps = new Set((L.data.reading.backbeats || []).map((t) => Math.round(t * 10)));
  for (const b of L.beats()) {
    if (b.at < line.start - 0.01 || b.at >= end - 0.01) continue;
    const px = Math.round(x(b.at)) + 0.5,
      held = L.held && L.held.what === "beat" && Math.abs(L.held.at - b.at) < 0.001;
    pen.beginPath();
    pen.strokeStyle = held ? css("--act") : b.beat === 1 ? ink : quiet;
    pen.lineWidth = held ? 3 : 1;
    pen.moveTo(px, b.beat === 1 ? TOP - 4 : base);
    pen.lineTo(px, base + 4);
    // A backbeat has the crossed head of a note for drums.
    if (claps.has(Math.round(b.at * 10))) {
      pen.moveTo(px - 3, base + 5);
      pen.lineTo(px + 3, base + 11);
      pen.moveTo(px + 3, base + 5);
      pen.lineTo(px - 3, base + 11);
    }
    pen.stroke();
    pen.fillStyle = quiet;
    if (b.beat === 1 && (bars() < 16 || b.bar % 2 === 1)) pen.fillText(String(b.bar), px + 2, h - 1);
  }
  pen.lineWidth = 1;
}
// What is not in the version lies under paper.
/** @param {CanvasRenderingContext2D} pen @param {Line} line @param {OnLine} x @param {number} w
 * @param {number} h @param {number} end */
function veil(pen, line, x, w, h, end) {
  const spans = L.data.version ? L.data.version.spans : [[0, L.data.reading.duration]];
  const inside = spans.some(([a, b]) => a < line.end - 0.05 && b > line.start + 0.05);
  line.row.classList.toggle("outside", !inside);
  if (!inside) return;
  pen.fillStyle = css("--paper");
  pen.globalAlpha = 0.66;
  const ordered = [...spans].sort((a, b) => a[0] - b[0]);
  let at = line.start;
  for (const [a, b] of [...ordered, [end + 1, end + 1]]) {
    if (a > at + 0.02 && at < end) {
      const from = at === line.start ? 0 : x(at),
        to = a >= end ? w : x(a);
      if (to > from) pen.fillRect(from, 0, to - from, h);
    }
    at = Math.max(at, b);
  }
  pen.globalAlpha = 1;
}
// The signs of musical notation, drawn: accents for drop and hit, breath mark for a break, hairpin for a build,
// caesura for a pause, an upbeat's arrow for a pickup, the final bar line for the end.
/** @param {CanvasRenderingContext2D} pen @param {import("wire").Cue} cue @param {number} px @param {number} base
 * @param {number} w @param {OnLine} x */
function sign(pen, cue, px, base, w, x) {
  const held = L.held && L.held.what === "cue" && L.held.kind === cue.kind && Math.abs(L.held.at - cue.at) < 0.001;
  pen.strokeStyle = css("--act");
  pen.fillStyle = css("--act");
  pen.lineWidth = held ? 3.5 : 2;
  pen.font = "12px Atkinson, sans-serif";
  pen.beginPath();
  const path = (/** @type {[number, number][]} */ ...points) => {
    for (const [i, [a, b]] of points.entries()) i ? pen.lineTo(a, b) : pen.moveTo(a, b);
    pen.stroke();
  };
  const word = (/** @type {string} */ text, /** @type {number} */ at) => pen.fillText(text, at, 11);
  if (cue.kind === "drop") {
    path([px - 5, 12], [px, 2], [px + 5, 12]);
    word("drop", px + 9);
  } else if (cue.kind === "hit") {
    path([px - 4, 3], [px + 6, 7], [px - 4, 11]);
    word("hit", px + 10);
  } else if (cue.kind === "break") {
    pen.arc(px + 2, 6, 4, -1.6, 1.2);
    pen.stroke();
    word("break", px + 11);
  } else if (cue.kind === "build") {
    const s = L.data.reading.sections.find((q) => Math.abs(q.start - cue.at) < 0.1),
      e = Math.min(x(s ? s.end : cue.at + 4), w - 2);
    pen.lineWidth = held ? 2.5 : 1.2;
    word("build", px + 4);
    path([e, 2], [px + 38, 7], [e, 12]);
  } else if (cue.kind === "pause") {
    path([px, 13], [px + 5, 2]);
    pen.beginPath();
    path([px + 5, 13], [px + 10, 2]);
    // Before the sign is the music that ends; behind it there is mostly a hit.
    if (cue.lasts) {
      const text = `${cue.lasts.toFixed(1)} s`,
        wide = pen.measureText(text).width + 4;
      word(text, px > wide ? px - wide : px + 14);
    }
  } else if (cue.kind === "pickup") {
    path([px, 12], [px, 4], [px + 8, 4], [px + 8, 9]);
    word("pickup", px + 12);
  } else if (cue.kind === "end") {
    pen.fillStyle = held ? css("--act") : css("--ink");
    pen.fillRect(px - 6, TOP, 1.5, base - TOP);
    pen.fillRect(px - 2, TOP, 4, base - TOP);
  }
  pen.lineWidth = 1;
}
/** The waveform, and what it was drawn for. @type {{ wanted: string, copy: OffscreenCanvas } | null} */
let overview = null;
/** @param {number} playhead */
function drawOverview(playhead) {
  const canvas = $("overview"),
    { pen, w, h } = crisp(canvas),
    d = L.data.reading.duration;
  // The waveform is drawn once and laid under the mark.
  const wanted = `${w} ${h} ${document.documentElement.dataset.theme} ${JSON.stringify([L.data.version?.spans, L.offered])}`;
  if (!overview || overview.wanted !== wanted) {
    const spans = L.data.version ? L.data.version.spans : [[0, d]];
    for (let px = 0; px < w; px += 3) {
      const t = (px / w) * d,
        v = (loudAt(t, t + (3 / w) * d) * h) / 2;
      pen.fillStyle = spans.some(([a, b]) => t >= a && t < b) ? css("--ink") : css("--rule");
      pen.fillRect(px, h / 2 - v, 2, Math.max(1, 2 * v));
    }
    pen.strokeStyle = css("--quiet");
    for (const [a, b] of spans) pen.strokeRect((a / d) * w + 0.5, 0.5, ((b - a) / d) * w - 1, h - 1);
    // An offer that is pointed at.
    pen.fillStyle = css("--act");
    pen.globalAlpha = 0.3;
    for (const [a, b] of L.offered ?? []) pen.fillRect((a / d) * w, 0, ((b - a) / d) * w - 1, h);
    pen.globalAlpha = 1;
    const copy = new OffscreenCanvas(canvas.width, canvas.height);
    copy.getContext("2d")?.drawImage(canvas, 0, 0);
    overview = { wanted, copy };
  } else pen.drawImage(overview.copy, 0, 0, w, h);
  pen.fillStyle = css("--act");
  pen.fillRect((playhead / d) * w - 1, 0, 2, h);
}
/** @param {number} playhead */
function drawClose(playhead) {
  const canvas = $("close");
  if (canvas.hidden) return;
  const { pen, w, h } = crisp(canvas),
    from = playhead - CLOSE_SECONDS / 2,
    x = (/** @type {number} */ t) => ((t - from) / CLOSE_SECONDS) * w,
    ink = css("--ink");
  pen.fillStyle = ink;
  for (let px = 0; px < w; px++) {
    const t = from + (px / w) * CLOSE_SECONDS;
    if (t < 0) continue;
    const v = (loudAt(t, t + CLOSE_SECONDS / w) * (h - 26)) / 2;
    pen.fillRect(px, (h - 12) / 2 - v, 1, 2 * v);
  }
  pen.strokeStyle = css("--warm");
  for (const o of L.data.reading.onsets || [])
    if (o > from && o < from + CLOSE_SECONDS) {
      pen.beginPath();
      pen.moveTo(x(o), h - 26);
      pen.lineTo(x(o), h - 12);
      pen.stroke();
    }
  pen.font = "11px AtkinsonMono, monospace";
  for (const b of L.beats())
    if (b.at > from && b.at < from + CLOSE_SECONDS) {
      pen.fillStyle = b.beat === 1 ? css("--act") : css("--quiet");
      pen.fillRect(x(b.at) - 0.75, 2, b.beat === 1 ? 2 : 1.5, h - 14);
      pen.fillText(`${b.bar}.${b.beat}`, x(b.at) + 3, h - 1);
    }
  pen.fillStyle = css("--act");
  pen.fillRect(w / 2 - 1, 0, 2, h - 12);
}
/** @param {number} playhead */
function place(playhead) {
  for (const line of lines) {
    const mark = /** @type {HTMLElement} */ (line.row.lastChild),
      on = playhead >= line.start && playhead < Math.min(line.end, line.start + line.span);
    mark.hidden = !on;
    if (on) mark.style.transform = `translateX(${100 + L.xOf(line, playhead)}px)`;
  }
}
L.drawAll = () => {
  if (!L.data || !L.peaks) return;
  for (const line of lines) drawLine(line);
  const now = L.now();
  drawOverview(now);
  drawClose(now);
  place(now);
  words();
};
function words() {
  const bar = (/** @type {number} */ t) => {
    const b = L.beats()
      .filter((q) => q.at <= t + 0.02)
      .pop();
    return b ? `bar ${b.bar}` : "start";
  };
  const v = L.data.version,
    r = L.data.reading,
    length = v ? v.duration : r.duration,
    joined = v?.joins.length ? `, ${v.joins.length === 1 ? "1 seam" : `${v.joins.length} seams`}` : "",
    hand = Object.entries(L.data.manual)
      .filter(([, set]) => set)
      .map(([what]) => what);
  // Stretching smears attacks, and what is raised beyond full scale is held there: a little softer comes out than went in.
  const about = v && (v.stretch !== 1 || v.level > 0) ? "about " : "";
  // What is heard is no longer what the beats are, once they are set by hand.
  const heard = L.data.manual.beats ? "" : `, heard ${Math.round(100 * r.confidence)} % clearly`;
  // One line, so that the page below stays where it is; what does not fit is said when one points at it.
  $("part").title = $("part").textContent =
    `part ${clock(L.part[0])}–${clock(L.part[1])}, ${length.toFixed(2)} s, from ${bar(L.part[0])}${joined}; ` +
    `${r.tempo_bpm.toFixed(1)} bpm${heard}, ${about}${(v?.loudness ?? r.loudness).toFixed(1)} LUFS` +
    (8 * (r.backbeats || []).length > r.beats.length ? ", backbeat" : "") +
    (hand.length ? `; by hand: ${hand.join(", ")}` : "");
  $("metre").value = L.data.metre;
}
L.follow = () => {
  if (L.data && L.peaks) {
    const now = L.now();
    if (now !== drawnAt) {
      place(now);
      drawOverview(now);
      drawClose(now);
      drawnAt = now;
    }
  }
  requestAnimationFrame(L.follow);
};
document.addEventListener("DOMContentLoaded", () => {
  if (!L.music) return;
  $("overview").addEventListener("pointerdown", (/** @type {any} */ e) => {
    const box = e.target.getBoundingClientRect();
    L.seek(((e.clientX - box.left) / box.width) * L.data.reading.duration);
  });
  $("bars").addEventListener("change", () => {
    lines = [];
    $("music").replaceChildren();
    L.layout();
    L.drawAll();
    $("bars").blur();
  });
  const zoom = () => {
    $("close").hidden = !$("close").hidden;
    drawnAt = -1;
  };
  $("zoom").addEventListener("click", zoom);
  inGroup("playing");
  on("z", "a close look at the onsets", zoom);
});
