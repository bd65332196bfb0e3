// @ts-check
// Sift: look, decide, next.
import { ask, loaded } from "../../lib/api.js";
import { crisp } from "../../lib/canvas.js";
import { $, css, say, startOrStop } from "../../lib/dom.js";
import { follow, gathered } from "../../lib/events.js";
import { STILLS, image, light, tile, when } from "../../lib/filmstrip.js";
import { on } from "../../lib/keys.js";
import { onScreen } from "../../lib/screen.js";
import { ofJob } from "../../lib/session.js";
import { clock, frames } from "../../lib/time.js";
import { between } from "../../lib/tone.js";
import { matches, usedTags } from "./filters.js";
import * as ribbon from "./ribbon.js";
import * as sheet from "./sheet.js";

/** @type {any[]} */
let all = [];
/** @type {any[]} */
let shown = [];
/** @type {any} */
let now = null;
let loading = 0;
/** @type {Map<string, any>} */
const readings = new Map();
const filters = { tiers: new Set(), tags: new Set(), words: "" };
const video = $("video"),
  still = $("still");
/** Tags that have a chip of their own; the others are in a list. */
const CHIPS = 8;

function narrow() {
  shown = all.filter((s) => matches(s, filters));
  count();
  sheet.narrow(all, shown);
}
/** @param {Set<string>} set @param {string} value */
function toggle(set, value) {
  set.has(value) ? set.delete(value) : set.add(value);
  drawFilters();
  narrow();
  if (shown.length && !shown.includes(now)) show(shown[0]);
}
/** What can be narrowed to: chips for tiers and for the most used tags, a list for the others. */
const page = onScreen("sift", {
  /** @type {{ kind: "tiers" | "tags", value: string, words: string, on: boolean }[]} */
  chips: [],
  /** @type {{ value: string, words: string }[]} */
  more: [],
  /** @param {"tiers" | "tags"} kind @param {string} value */
  toggle(kind, value) {
    toggle(filters[kind], value);
  },
  /** @param {HTMLSelectElement} list */
  take(list) {
    if (list.value) toggle(filters.tags, list.value);
    list.value = "";
  },
});
function drawFilters() {
  const words = (/** @type {string} */ tag) => tag.split(":")[1];
  const used = usedTags(all),
    near = [...new Set([...filters.tags, ...used])].slice(0, Math.max(CHIPS, filters.tags.size));
  page.chips = [
    ...["unread", "hero", "strong", "spare", "out"].map((tier) => ({
      kind: /** @type {const} */ ("tiers"),
      value: tier,
      words: `${tier} ${all.filter((s) => s.tier === tier).length}`,
      on: filters.tiers.has(tier),
    })),
    ...near.map((tag) => ({ kind: /** @type {const} */ ("tags"), value: tag, words: words(tag), on: filters.tags.has(tag) })),
  ];
  page.more = used.filter((tag) => !near.includes(tag)).map((tag) => ({ value: tag, words: words(tag) }));
}

function drawStill() {
  const { pen, w, h } = crisp(still);
  pen.fillStyle = css("--well");
  pen.fillRect(0, 0, w, h);
  if (!now) return;
  const mine = now,
    picture = image(now.clip);
  when(picture, () => {
    if (mine !== now || !picture.naturalWidth) return;
    const wide = picture.naturalWidth / STILLS;
    pen.drawImage(picture, tile(now.hit, now.duration) * wide, 0, wide, picture.naturalHeight, 0, 0, w, h);
    still.dataset.shown = now.id;
  });
}
function drawRibbon() {
  const mine = now;
  const others = now ? all.filter((s) => s.clip === now.clip && s !== now) : [];
  ribbon.draw($("ribbon"), now, others, now && readings.get(now.clip), at(), () => mine === now);
}
/** @param {any} s */
function show(s) {
  if (!s) return;
  const before = now;
  now = s;
  video.pause();
  video.classList.remove("on");
  drawStill();
  clearTimeout(loading);
  loading = window.setTimeout(loadClip, 150);
  sheet.choose(before, now);
  describe();
  drawRibbon();
  if (!readings.has(s.clip)) read(s);
  // The neighbours, so that the next verdicts find them there.
  const place = shown.indexOf(now);
  for (const n of [1, 2, 3, 4, 5, 6, -1]) if (shown[place + n]) image(shown[place + n].clip);
}
/** @param {any} s */
async function read(s) {
  try {
    readings.set(s.clip, await ask(ofJob(`/clips/${s.clip}/reading.json`)));
    if (now === s) drawRibbon();
  } catch (error) {
    if (now === s) $("problem").textContent = /** @type {Error} */ (error).message;
  }
}
// The moving picture comes once one rests on a clip: those passed by quickly must not hold up the next still.
const at = () => (now && video.getAttribute("src") === light(now.clip) ? video.currentTime : (now?.start ?? 0));
function loadClip() {
  clearTimeout(loading);
  if (!now || video.getAttribute("src") === light(now.clip)) return;
  video.src = light(now.clip);
  // Playing begins where the select does.
  video.currentTime = now.start;
  video.dataset.shown = now.id;
}
function describe() {
  const s = now;
  $("name").textContent = sheet.named(s);
  $("facts").textContent =
    `${s.roll} · ${s.when} · ${s.rate_words} → ${s.slows > 1 ? `slows to ${s.slows}×` : "no slow motion"}`;
  $("problem").textContent = s.problem || "";
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tier]")))
    b.setAttribute("aria-pressed", String(b.dataset.tier === s.tier));
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tag]")))
    b.setAttribute("aria-pressed", String(s.tags.includes(b.dataset.tag)));
  $("energy").textContent = String(Math.round(s.energy));
  $("energy-bar").setAttribute("width", String(s.energy * 3));
  $("energy-bar").setAttribute("fill", between(s.energy, ["--calm", "--warm", "--hot"].map(css)));
  $("measured").textContent = `measured: ${s.movement}`;
  for (const [id, time] of [
    ["at-in", s.start],
    ["at-hit", s.hit],
    ["at-out", s.end],
  ])
    $(id).textContent = frames(time, s.rate);
}

/** Says something of the select that is shown. @param {any} said @param {() => void} [then] */
async function judge(said, then) {
  if (!now) return;
  const s = now;
  if (then) then();
  try {
    Object.assign(s, await ask(ofJob(`/selects/${s.id}`), said, { base: s.revision }));
  } catch (error) {
    const refused = /** @type {import("../../lib/api.js").Refused} */ (error);
    say(refused.message);
    // What is there now is shown, whatever was said here.
    await fresh(s.id);
    return;
  }
  changed(s);
}
/** Shows a select as it is now. @param {any} s */
function changed(s) {
  if (now === s) {
    describe();
    drawRibbon();
  }
  sheet.dress(s);
  drawFilters();
  count();
}
/** Fetches one select that was changed elsewhere. @param {string} id */
async function fresh(id) {
  const s = all.find((q) => q.id === id);
  if (!s) return;
  try {
    Object.assign(s, await ask(ofJob(`/selects/${id}`)));
    changed(s);
  } catch (error) {
    // Removed in another window.
    if (/** @type {any} */ (error).status === 404) reload();
    else say(/** @type {Error} */ (error).message);
  }
}
function count() {
  const left = all.filter((s) => matches(s, filters));
  $("left").textContent =
    `${left.length} of ${all.length} selects  ${clock(left.reduce((sum, s) => sum + s.end - s.start, 0))} left`;
  $("says-sift").textContent = `${all.filter((s) => s.tier !== "unread").length} of ${all.length} judged`;
}
/** @param {string} tier */
function verdict(tier) {
  if (!now) return;
  const s = now,
    next = shown[shown.indexOf(now) + 1];
  judge({ do: "tier", tier }, () => {
    s.tier = tier;
    sheet.dress(s);
    if (next) show(next);
    else describe();
  });
}
/** @param {string} which */
function mark(which) {
  loadClip();
  judge({ do: "mark", mark: which, at: video.currentTime });
}
/** @param {number} n */
function go(n) {
  const place = shown.indexOf(now);
  show(shown[Math.max(0, Math.min(shown.length - 1, place + n))]);
}
/** @param {number} n */
function step(n) {
  if (!now) return;
  loadClip();
  video.pause();
  video.classList.add("on");
  const frame = Math.floor(video.currentTime * now.rate + 0.001) + n;
  video.currentTime = Math.max(0, Math.min(now.duration - 0.001, (frame + 0.5) / now.rate));
}
function play() {
  if (!now) return;
  loadClip();
  video.classList.add("on");
  startOrStop(video);
}
function suggest() {
  const reading = now && readings.get(now.clip);
  if (!reading?.moments.length) return;
  const list = reading.moments,
    place = list.findIndex(
      (/** @type {any} */ m) => Math.abs(m.start - now.start) < 0.05 && Math.abs(m.end - now.end) < 0.05,
    );
  const m = list[(place + 1) % list.length];
  loadClip();
  judge({ do: "range", start: m.start, end: m.end, hit: m.hit });
  video.currentTime = m.start;
}

/** Cuts another select out of the clip, from the mark on: three seconds, or as much as there is before the next one. */
async function cutOut() {
  if (!now) return;
  loadClip();
  const { clip, duration } = now,
    mine = all.filter((s) => s.clip === clip);
  let start = at();
  // Where there is a select already, behind it.
  for (const s of mine.sort((a, b) => a.start - b.start)) if (s.start <= start + 0.05 && s.end > start) start = s.end;
  const end = Math.min(start + 3, duration, ...mine.map((s) => s.start).filter((t) => t > start + 0.05));
  if (end - start < 0.1) say("there is no room for another select behind the mark: split this one with X");
  else await made(() => ask(ofJob(`/clips/${clip}/selects`), { start, end }));
}
/** Ends the select at the mark and begins another there. */
async function split() {
  if (!now) return;
  const { id, revision } = now;
  await made(() => ask(ofJob(`/selects/${id}/split`), { at: at() }, { base: revision }));
}
async function remove() {
  if (!now) return;
  const { id } = now,
    near = shown[shown.indexOf(now) + 1] || shown[shown.indexOf(now) - 1];
  try {
    await ask(ofJob(`/selects/${id}`), undefined, { method: "DELETE" });
    await reload();
    if (near && all.includes(near)) show(near);
  } catch (error) {
    say(/** @type {Error} */ (error).message);
  }
}
/** Makes a select and goes there. @param {() => Promise<any>} act */
async function made(act) {
  try {
    const { id } = await act();
    await reload();
    const select = all.find((s) => s.id === id);
    if (select) show(select);
  } catch (error) {
    say(/** @type {Error} */ (error).message);
  }
}

async function load() {
  const keep = now && now.id;
  all = await ask(ofJob("/sift/selects.json"));
  sheet.fill(all, show);
  drawFilters();
  narrow();
  now = null;
  const first = shown.find((s) => s.id === keep) || shown.find((s) => s.tier === "unread") || shown[0];
  if (first) show(first);
  else drawStill();
}
/** Clips come in, are read and go; selects that are known stay as they are on the page. */
async function reload() {
  try {
    const news = await ask(ofJob("/sift/selects.json"));
    const known = new Map(all.map((s) => [s.id, s]));
    const same = news.length === all.length && news.every((/** @type {any} */ s, /** @type {number} */ i) => all[i]?.id === s.id);
    all = news.map((/** @type {any} */ s) => Object.assign(known.get(s.id) || {}, s));
    if (!same) sheet.fill(all, show);
    else for (const s of all) sheet.dress(s);
    drawFilters();
    narrow();
    if (now && !all.includes(now)) now = null;
    if (now) describe();
    if (!now && shown[0]) show(shown[0]);
    else sheet.choose(null, now);
  } catch (error) {
    say(/** @type {Error} */ (error).message);
  }
}

for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tier]")))
  b.addEventListener("click", () => verdict(/** @type {string} */ (b.dataset.tier)));
for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tag]")))
  b.addEventListener("click", () => judge({ do: "tag", tag: b.dataset.tag }));
for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-mark]")))
  b.addEventListener("click", () => mark(/** @type {string} */ (b.dataset.mark)));
$("suggest").addEventListener("click", suggest);
$("cut-out").addEventListener("click", cutOut);
$("split").addEventListener("click", split);
$("remove").addEventListener("click", remove);
$("words").addEventListener("input", (/** @type {any} */ e) => {
  filters.words = e.target.value;
  narrow();
  if (shown.length && !shown.includes(now)) show(shown[0]);
});
const scrub = (/** @type {PointerEvent} */ e) => {
  if (!now) return;
  const box = $("ribbon").getBoundingClientRect();
  loadClip();
  video.pause();
  video.classList.add("on");
  const frame = Math.floor(((e.clientX - box.left) / box.width) * now.duration * now.rate);
  video.currentTime = (Math.max(0, frame) + 0.5) / now.rate;
};
$("ribbon").addEventListener("pointerdown", (/** @type {PointerEvent} */ e) => {
  $("ribbon").setPointerCapture(e.pointerId);
  scrub(e);
});
$("ribbon").addEventListener("pointermove", (/** @type {PointerEvent} */ e) => {
  if (e.buttons) scrub(e);
});
const tick = () => {
  if (!now) return;
  $("at-now").textContent = frames(video.currentTime, now.rate);
  drawRibbon();
};
video.addEventListener("timeupdate", tick);
video.addEventListener("seeked", tick);
for (const [key, tier] of [
  ["a", "out"],
  ["s", "spare"],
  ["d", "strong"],
  ["f", "hero"],
])
  on(key, tier, () => verdict(tier));
on(" ", "play and stop", play);
on("w", "mark in", () => mark("in"));
on("e", "mark out", () => mark("out"));
on("r", "mark the hit", () => mark("hit"));
on("c", "cut out another select here", cutOut);
on("x", "split the select here", split);
on("Delete", "remove the select", remove);
on("g", "take the suggested range, again for the next", suggest);
on("ArrowLeft", "a frame back", () => step(-1), { repeats: true });
on("ArrowRight", "a frame on", () => step(1), { repeats: true });
on("ArrowUp", "the clip before", () => go(-1), { repeats: true });
on("ArrowDown", "the next clip", () => go(1), { repeats: true });
on("/", "narrow by words", () => $("words").focus());
document.addEventListener("legere:changed", reload);
document.addEventListener("legere:redraw", () => {
  drawStill();
  drawRibbon();
});
window.addEventListener("resize", () => {
  drawStill();
  drawRibbon();
});
const later = gathered(reload, 1500);
loaded(load);
follow(
  {
    clip: later,
    roll: later,
    import: later,
    select: ({ id, mine }) => {
      if (mine) return;
      // One that is new here, or gone, changes the sheet.
      if (all.some((s) => s.id === id)) fresh(id);
      else later();
    },
  },
  later,
);
