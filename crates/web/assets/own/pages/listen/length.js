// @ts-check
// The right length: versions for a wanted length, their seams, stretch, fades and level.
import { ask } from "../../lib/api.js";
import { $, say, start } from "../../lib/dom.js";
import { inGroup, on } from "../../lib/keys.js";
import { onScreen } from "../../lib/screen.js";
import { ofJob } from "../../lib/session.js";
import { parseLength } from "../../lib/time.js";
import { L } from "./state.js";

/** @typedef {{ seams: Seam[], length: string, ways: string, heard: string, playing: boolean, parts: { left: string, width: string }[] }} Offer */

/** Versions of the wanted length. @type {{ seconds: number, seams: Seam[] }[]} */
let offers = [];
/** @type {Seam[]} */
let seams = [];
/** Those of the version that is used, as far as what they cost is known. @type {Seam[]} */
let shown = [];
/** The player of versions. @type {HTMLAudioElement} */
let other;
/** The seam that is heard again and again. @type {number | null} */
let loop = null;
const problem = (/** @type {string} */ words) => {
  $("length-problem").textContent = words;
};
const attempt = async (/** @type {() => unknown} */ act) => {
  problem("");
  try {
    await act();
  } catch (error) {
    problem(/** @type {Error} */ (error).message);
  }
};
/** Seconds of what was typed; NaN when it is no length. @param {string} text @param {number} own */
const seconds = (text, own) => parseLength(text, Number(L.music.dataset.rate), own);
/** @param {Seam[]} list @returns {[number, number][]} */
const spansOf = (list) => {
  /** @type {[number, number][]} */
  const spans = [];
  let start = 0;
  for (const s of list) {
    spans.push([start, s.out]);
    start = s.into;
  }
  return [...spans, [start, L.data.reading.duration]];
};
// The last is beyond what the search takes where it has a choice (ROUGHEST in core::track::retarget).
/** @type {[number, string][]} */
const HEARD = [
  [0.12, "not to be heard"],
  [0.25, "hardly heard"],
  [0.42, "heard by some"],
  [0.62, "heard"],
  [Infinity, "plainly heard"],
];
const heard = (/** @type {number} */ cost) => HEARD.find(([below]) => cost < below)?.[1] ?? "";
const bar = (/** @type {number} */ t) => {
  const b = L.beats().findLast((q) => q.at <= t + 0.02);
  return b ? `bar ${b.bar}${b.beat > 1 ? `.${b.beat}` : ""}` : "the start";
};

async function find() {
  const [what, at, kind] = $("keep").value.split(" "),
    keep = what === "section" ? { section: L.audio.currentTime } : what === "cue" ? { cue: [Number(at), kind] } : what,
    wanted = seconds($("seconds").value, L.data.reading.duration);
  $("length-says").textContent = "looking";
  await attempt(async () => {
    offers = await ask(`${L.base()}/lengths`, { seconds: Number.isFinite(wanted) ? wanted : 0, keep });
    const off = offers.length ? Math.abs(offers[0].seconds - wanted) : 0;
    $("length-says").textContent = !offers.length
      ? "there is no way to that length"
      : off > 1
        ? `no nearer than ${offers[0].seconds.toFixed(2)} s`
        : "";
  });
  if ($("length-problem").textContent) $("length-says").textContent = "";
  page.offers = offers.map((o) => ({
    seams: o.seams,
    length: `${o.seconds.toFixed(2)} s`,
    ways: o.seams.map((s) => `${bar(s.out)} → ${bar(s.into)}`).join(", ") || "as it is",
    heard: o.seams.length ? heard(Math.max(...o.seams.map((s) => s.cost))) : "",
    playing: false,
    // Over the overview: where the version is in the track.
    parts: spansOf(o.seams).map(([a, b]) => ({ left: share(a), width: share(b - a) })),
  }));
}
/** Of the track's length. @param {number} seconds */
const share = (seconds) => `${((100 * seconds) / L.data.reading.duration).toFixed(3)}%`;
/** Puts a version on, before it is played. @param {string} query how it differs from the track */
function putOn(query) {
  L.audio.pause();
  const src = ofJob(`/media/tracks/${L.music.dataset.track}/version.flac?${query}`);
  if (other.getAttribute("src") !== src) other.src = src;
}
/** Two bars before a seam and two after, again and again. @param {number} at @param {number} stretch */
function playAround(at, stretch) {
  const twoBars = ((2 * (L.data.metre ?? 4) * 60) / L.data.reading.tempo_bpm) * stretch,
    from = Math.max(0, at - twoBars);
  other.ontimeupdate = () => {
    if (other.currentTime > at + twoBars) other.currentTime = from;
  };
  other.onended = () => {
    other.currentTime = from;
    start(other);
  };
  other.currentTime = from;
  start(other);
}
/** Plays an offer, whole or around a seam again and again, without using it. @param {number} i @param {number | null} seam */
function hearOffer(i, seam) {
  const offer = page.offers[i],
    again = offer.playing && seam === null;
  stop();
  if (again) return;
  const spans = spansOf(offer.seams);
  putOn(`spans=${encodeURIComponent(JSON.stringify(spans))}`);
  offer.playing = true;
  if (seam !== null)
    return playAround(
      spans.slice(0, seam + 1).reduce((sum, [a, b]) => sum + b - a, 0),
      1,
    );
  other.onended = () => {
    offer.playing = false;
  };
  other.currentTime = 0;
  start(other);
}
/** @param {Seam[]} list @param {number} [stretch] as the version is now, unless something else is said */
async function use(list, stretch) {
  if (await L.send("version", { spans: spansOf(list), stretch })) seams = list;
  drawSeams();
}
function drawSeams() {
  const joins = L.data.version ? L.data.version.joins : [];
  const known = (/** @type {import("wire").Join} */ j) =>
    seams.find((s) => Math.abs(s.out - j.out) < 0.01 && Math.abs(s.into - j.into) < 0.01);
  shown = joins.map((j) => known(j) || { out: j.out, into: j.into, cost: 1 });
  page.seams = shown.map((s, i) => ({
    at: joins[i].at,
    name: `seam ${i + 1}`,
    words: `${joins[i].at.toFixed(2)} s  ${bar(s.out)} → ${bar(s.into)}`,
    heard: loop === i,
  }));
}
const put = (/** @type {number} */ i, /** @type {Seam} */ next) => use(shown.map((q, k) => (k === i ? next : q)));
/** @param {number} i */
async function nextBest(i) {
  const s = shown[i],
    /** @type {Seam[]} */
    others = await ask(`${L.base()}/seam`, { seam: s });
  const at = others.findIndex((o) => Math.abs(o.out - s.out) < 0.01 && Math.abs(o.into - s.into) < 0.01);
  const next = others[(at + 1) % others.length];
  if (next) await put(i, next);
}
/** The versions that were found, and the seams of the one that is used. */
const page = onScreen("length", {
  /** @type {Offer[]} */
  offers: [],
  /** @type {{ at: number, name: string, words: string, heard: boolean }[]} */
  seams: [],
  // As long as the offer says: at the track's own tempo.
  use: (/** @type {Seam[]} */ list) => use(list, 1),
  hearOffer: (/** @type {number} */ i, /** @type {number | null} */ seam) => attempt(() => hearOffer(i, seam)),
  /** Draws an offer over the overview, or none. @param {number | null} i */
  show(i) {
    L.offered = i === null ? null : spansOf(page.offers[i].seams);
    L.drawAll();
  },
  hear: (/** @type {number} */ i) => attempt(() => audition(i, page.seams[i].at)),
  move: (/** @type {number} */ i, /** @type {number} */ beats) =>
    attempt(async () => put(i, (await ask(`${L.base()}/seam`, { seam: shown[i], beats }))[0])),
  next: (/** @type {number} */ i) => attempt(() => nextBest(i)),
});
/** @param {number} i @param {number} at */
function audition(i, at) {
  if (loop === i) return stop();
  loop = i;
  version();
  playAround(at, L.data.version?.stretch ?? 1);
  drawSeams();
}
function version() {
  for (const o of page.offers) o.playing = false;
  putOn(`v=${encodeURIComponent(JSON.stringify(L.data.version))}`);
}
function stop() {
  loop = null;
  for (const o of page.offers) o.playing = false;
  other.pause();
  other.ontimeupdate = other.onended = null;
  drawSeams();
}
function hear() {
  if (loop !== null) stop();
  if (!other.paused) {
    other.pause();
    return;
  }
  version();
  start(other);
}
const own = () => (L.data.version ? L.data.version.spans.reduce((sum, [a, b]) => sum + b - a, 0) : 0);
const shownLength = () => (L.data.version?.duration ?? 0).toFixed(2);
// How many times as long as at its own tempo. The page shows less of a length than there is: what was not touched, or is
// its own length again, stretches nothing by what was rounded away.
function factor() {
  const text = $("stretch").value.trim();
  if (text === shownLength()) return L.data.version?.stretch ?? 1;
  return text === own().toFixed(2) ? 1 : seconds(text, own()) / own();
}
function stretchWords() {
  const by = factor() - 1,
    percent = Math.abs(by * 100);
  $("stretch-says").textContent = !Number.isFinite(by)
    ? ""
    : by === 0
      ? "its own tempo"
      : `${by > 0 ? "+" : "−"}${percent.toFixed(percent < 0.1 ? 3 : 1)} %${Math.abs(by) > 0.08 ? (by > 0 ? ": drums will smear and voices drag" : ": it will sound hurried, attacks will flutter") : ""}`;
  $("stretch-says").classList.toggle("problem", Math.abs(by) > 0.08);
}
/** @param {Event} event */
async function finish(event) {
  event.preventDefault();
  await attempt(async () => {
    const number = (/** @type {string} */ id, /** @type {string} */ words) => {
      const v = Number($(id).value.replace(",", ".").replace("−", "-"));
      if (!Number.isFinite(v)) throw new Error(words);
      return v;
    };
    if (!Number.isFinite(factor())) throw new Error("the stretched length is seconds, a timecode, frames (100f) or per cent (97%)");
    const fade = (/** @type {string} */ id) => Math.round(1000 * Math.max(0, number(`fade-${id}`, "a fade is a number of seconds")));
    const body = {
      stretch: factor(),
      fade_in: { milliseconds: fade("in"), curve: $("curve-in").value },
      fade_out: { milliseconds: fade("out"), curve: $("curve-out").value },
      level: Math.round(number("level", "the level is a number of decibels") * 100),
    };
    L.take(await ask(`${L.base()}/version`, body));
    say("used so");
  });
}
/** Each cue can be asked to stay. */
function cuesToKeep() {
  const list = $("keep"),
    chosen = list.value;
  for (const option of [...list.options]) if (option.value.startsWith("cue ")) option.remove();
  for (const c of L.data.reading.cues) {
    if (c.kind === "end") continue;
    const option = document.createElement("option");
    option.value = `cue ${c.at} ${c.kind}`;
    option.textContent = `the ${c.kind} at ${bar(c.at)}`;
    list.append(option);
  }
  list.value = chosen;
  if (list.selectedIndex < 0) list.selectedIndex = 0;
}
/** A track that is longer than wanted is offered in the wanted length by itself, once. */
function offerAtOnce() {
  const wanted = Number($("music").dataset.wanted);
  if (L.offeredOnce || !(wanted > 0) || L.data.reading.duration < wanted + 1) return;
  L.offeredOnce = true;
  find();
}
function show() {
  const v = L.data.version;
  if (!v) return;
  $("stretch").value = shownLength();
  $("fade-in").value = v.fade_in.milliseconds / 1000;
  $("fade-out").value = v.fade_out.milliseconds / 1000;
  $("curve-in").value = v.fade_in.curve;
  $("curve-out").value = v.fade_out.curve;
  $("level").value = v.level / 100;
  stretchWords();
  drawSeams();
  cuesToKeep();
  offerAtOnce();
  $("music").dataset.length = v.duration;
}
document.addEventListener("DOMContentLoaded", () => {
  if (!L.music) return;
  other = $("other");
  $("length-form").addEventListener("submit", (/** @type {Event} */ e) => {
    e.preventDefault();
    find();
  });
  $("finish").addEventListener("submit", finish);
  $("stretch").addEventListener("input", stretchWords);
  $("hear-version").addEventListener("click", hear);
  inGroup("the length");
  on("l", "the right length", () => {
    $("length").open = true;
    $("seconds").focus();
    $("seconds").select();
  });
  on("v", "hear the version", hear);
  L.whenDrawn(show);
});
