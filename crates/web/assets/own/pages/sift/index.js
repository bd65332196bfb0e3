// @ts-check
// Sift: look, decide, next.
import { ask, loaded } from "../../lib/api.js";
import { crisp } from "../../lib/canvas.js";
import { $, css, say } from "../../lib/dom.js";
import { follow, gathered } from "../../lib/events.js";
import { image, STILLS, drawStill as still, when, whenFine } from "../../lib/filmstrip.js";
import { fullSize } from "../../lib/fullsize.js";
import { inGroup, on } from "../../lib/keys.js";
import { onScreen } from "../../lib/screen.js";
import { ofJob } from "../../lib/session.js";
import { clock, frames } from "../../lib/time.js";
import { between } from "../../lib/tone.js";
import * as chosen from "./chosen.js";
import * as narrow from "./narrow.js";
import * as passes from "./passes.js";
import * as player from "./player.js";
import * as ribbon from "./ribbon.js";
import * as sheet from "./sheet.js";
import { bestOf, clipsOf, faultNear, isLeft, meant, named, ofClip, state, tagsOf } from "./state.js";
import * as tends from "./tends.js";
import * as words from "./words.js";

const video = $("video"),
  picture = $("still");
/** @type {Map<string, import("wire").ClipReading>} */
const readings = new Map();
/** @type {Map<string, Uint8Array>} */
const peaks = new Map();
let loading = 0;

const page = onScreen("sift", {
  ...narrow.parts,
  ...passes.parts,
  ...tends.parts,
  chosen: 0,
  chosenSays: "",
  /** @type {{ tag: string, words: string, ofClip: boolean }[]} */
  words: [],
  label: "",
  tone: "straw",
  /** @param {{ tag: string, ofClip: boolean }} word */
  dropWord(word) {
    judge({ do: word.ofClip ? "clip-tag" : "tag", tag: word.tag, on: false });
  },
});

// ---- what is looked at

function drawStill() {
  const { pen, w, h } = crisp(picture);
  pen.fillStyle = css("--well");
  pen.fillRect(0, 0, w, h);
  if (!state.now) return;
  const mine = state.now,
    sheetOfClip = image(mine.clip);
  when(sheetOfClip, () => {
    if (mine !== state.now || !sheetOfClip.naturalWidth) return;
    still(pen, { picture: sheetOfClip, count: STILLS, across: STILLS }, mine.hit, mine.duration, 0, 0, w, h);
    picture.dataset.shown = mine.id;
  });
}
function drawRibbon() {
  const mine = state.now;
  const all = mine ? ofClip(mine.clip) : [];
  ribbon.draw(
    $("ribbon"),
    mine,
    all,
    mine && readings.get(mine.clip),
    mine ? peaks.get(mine.clip) : undefined,
    player.at(),
    () => mine === state.now,
  );
}
/** @param {Select | null | undefined} s */
function show(s) {
  if (!s) return;
  const before = state.now;
  state.now = s;
  if (before?.clip !== s.clip) {
    player.leave();
    if (!readings.has(s.clip)) read(s);
    whenFine(s, () => state.now?.clip === s.clip && drawRibbon());
  } else if (before !== s) {
    player.rest();
    player.arrive(s.start);
  }
  clearTimeout(loading);
  loading = window.setTimeout(rested, 150);
  drawStill();
  sheet.choose(before, s);
  describe();
  drawRibbon();
  address();
  passes.remember(s.id);
  // The neighbours, so that the next verdicts find them there.
  for (const n of [1, 2, 3, 4, 5, 6, -1]) {
    const near = sheet.beside(s, n);
    if (near) image(near.clip);
  }
}
// The moving picture comes once one rests on a clip: those passed by quickly must not hold up the next still.
function rested() {
  clearTimeout(loading);
  player.load();
  const s = state.now;
  if (s?.sound && !peaks.has(s.clip))
    fetch(ofJob(`/media/clips/${s.clip}/peaks.bin`))
      .then(async (answer) => {
        if (!answer.ok) return;
        peaks.set(s.clip, new Uint8Array(await answer.arrayBuffer()));
        if (state.now?.clip === s.clip) drawRibbon();
      })
      .catch(() => undefined);
  player.comes();
}
/** @param {Select} s */
async function read(s) {
  try {
    readings.set(s.clip, await ask(ofJob(`/clips/${s.clip}/reading.json`)));
    if (state.now?.clip === s.clip) {
      describe();
      drawRibbon();
    }
  } catch (error) {
    if (state.now === s) $("problem").textContent = /** @type {Error} */ (error).message;
  }
}
function describe() {
  const s = state.now;
  if (!s) return;
  $("name").textContent = s.name;
  const reading = readings.get(s.clip);
  $("no-fault").hidden = !s.faults.length;
  $("break-up").hidden = !reading?.events.length;
  const take = s.alike ? `take ${s.alike.take} of ${s.alike.of} · ` : "";
  $("alike").hidden = !s.alike;
  $("which").textContent = `${take}${s.of > 1 ? `select ${s.place} of ${s.of} · ` : ""}${s.roll} · ${s.when}`;
  $("facts").textContent =
    `${s.rate_words} → ${s.slows > 1 ? `slows to ${s.slows}×` : "no slow motion"} · ${s.size} · ${s.sound ? (s.muted ? "muted" : "sound") : "silent"}${s.soft_in_job && !s.no_faults.includes("soft") ? " · softer than the rest of the job" : ""}`;
  $("tends-why").textContent = tends.why(s);
  $("problem").textContent = s.problem || "";
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tier]")))
    b.setAttribute("aria-pressed", String(b.dataset.tier === s.tier));
  const tags = tagsOf(s),
    suggested = [`movement:${s.movement}`, `light:${reading?.light}`, `framing:${reading?.framing}`],
    saidOf = (/** @type {string} */ facet) => tags.some((t) => t.startsWith(`${facet}:`)),
    said = saidOf("movement");
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tag]"))) {
    const tag = b.dataset.tag || "";
    b.setAttribute("aria-pressed", String(tags.includes(tag)));
    b.classList.toggle("is-of-clip", tags.includes(tag) && !s.tags.includes(tag));
    b.classList.toggle("is-suggested", suggested.includes(tag) && !saidOf(tag.split(":")[0]));
  }
  $("take-movement").hidden = said;
  page.words = tags
    .filter((t) => t.startsWith("subject:") || t.startsWith("own:"))
    .map((tag) => ({ tag, words: tag.split(":")[1], ofClip: !s.tags.includes(tag) }));
  page.label = s.label ? s.label.word : "";
  page.tone = s.label ? s.label.tone : words.tone();
  if (document.activeElement !== $("note-input")) $("note-input").value = s.note;
  $("energy").textContent = String(Math.round(s.energy));
  $("energy-bar").setAttribute("width", String(s.energy * 3));
  $("energy-bar").setAttribute("fill", between(s.energy, ["--calm", "--warm", "--hot"].map(css)));
  for (const [id, time] of /** @type {[string, number][]} */ ([
    ["at-in", s.start],
    ["at-hit", s.hit],
    ["at-out", s.end],
  ]))
    $(id).textContent = frames(time, s.rate);
  $("mute").setAttribute("aria-pressed", String(s.muted));
  played();
}
function played() {
  const s = state.now;
  $("loop").setAttribute("aria-pressed", String(player.isLooping()));
  $("quiet").setAttribute("aria-pressed", String(player.isQuiet()));
  $("coming").value = String(player.comingAt());
  if (!s) return;
  const heard = !s.sound ? "silent" : s.muted ? "muted" : player.isQuiet() ? "quiet" : "sound";
  $("at-now").textContent = [frames(player.at(), s.rate), player.says(), heard].filter(Boolean).join(" · ");
}
function count() {
  const left = state.shown.filter(isLeft),
    seconds = left.reduce((sum, s) => sum + s.end - s.start, 0);
  const all = `${state.shown.length} selects, ${clock(state.shown.reduce((sum, s) => sum + s.end - s.start, 0))}`;
  $("left").textContent = left.length === state.shown.length ? all : `${all}; ${left.length} left, ${clock(seconds)}`;
  $("says-sift").textContent = `${state.all.filter((s) => s.tier !== "unread").length} of ${state.all.length} judged`;
}
/** The address holds what is narrowed to, the pass, the order and the select. */
function address() {
  const query = new URLSearchParams(location.search);
  const set = (/** @type {string} */ key, /** @type {string} */ value) => (value ? query.set(key, value) : query.delete(key));
  set("words", narrow.text());
  set("pass", state.pass > 1 ? String(state.pass) : "");
  set("left", narrow.isOnlyLeft() ? "true" : "");
  set("order", state.order === "roll" ? "" : state.order);
  set("select", state.now ? state.now.id : "");
  const next = `${location.pathname}${query.size ? `?${query}` : ""}`;
  if (next !== location.pathname + location.search) history.replaceState(null, "", next);
}

// ---- what is said

/** What was asked for when the sheet was laid out last. */
let asked = "";
/** What is narrowed to has changed. */
function narrowed() {
  sheet.show();
  count();
  const keep = state.now && state.shown.includes(state.now) ? state.now : state.shown.find(isLeft) || state.shown[0];
  // The sheet stays where its editor scrolled it, unless something else was asked for.
  const asks = [narrow.text(), state.pass, narrow.isOnlyLeft()].join("|"),
    same = asks === asked;
  asked = asks;
  if (keep && keep !== state.now) show(keep);
  else if (keep && !same) sheet.choose(null, keep);
  if (!state.now) drawStill();
  address();
}
/** After so many changes it is asked again what the verdicts teach. */
const TAUGHT_BY = 5;
let untaught = 0;
/** What changes with verdicts, a moment after the last one. */
const settled = gathered(() => {
  narrow.refresh();
  passes.later();
  if (++untaught >= TAUGHT_BY) learn();
}, 80);

/** Says something of what is meant: of all that are chosen, or of the one that is looked at.
 * @param {Command} said @param {string} [label] what undo calls it */
async function judge(said, label) {
  if (state.chosen.size) return judgeMany([said], label);
  const s = state.now;
  if (!s) return;
  try {
    put(s, await ask(ofJob(`/selects/${s.id}`), said, { base: s.revision }));
  } catch (error) {
    say(/** @type {Error} */ (error).message);
    // What is there now is shown, whatever was said here.
    await fresh(s.id);
    return;
  }
  changed(s);
}
/** @param {Command[]} said @param {string} [label] @param {Select[]} [of] */
async function judgeMany(said, label, of = meant()) {
  if (!of.length) return;
  try {
    await ask(ofJob("/sift/many"), { selects: of.map((s) => s.id), said, label });
    await reload();
  } catch (error) {
    say(/** @type {Error} */ (error).message);
    reload();
  }
}
/** Verdicts that are shown and not stored yet, by select: an answer that was given before them does not take them back.
 * @type {Map<string, { tier: string, pass: number }>} */
const unstored = new Map();
/** Takes over what is kept of a select, unless that is older than what is known: answers may overtake each other.
 * @param {Select} s @param {Select} kept @returns {boolean} whether it was newer */
function renew(s, kept) {
  if (kept.revision < s.revision) return false;
  Object.assign(s, kept, unstored.get(s.id));
  return true;
}
/** Takes over what is kept of a select; what is of its clip holds for the others of it. @param {Select} s @param {Select} kept */
function put(s, kept) {
  if (!renew(s, kept)) return;
  for (const q of state.all) if (q.clip === s.clip) Object.assign(q, { clip_tags: kept.clip_tags, muted: kept.muted });
}
/** Shows a select as it is now. @param {Select} s */
function changed(s) {
  if (state.now?.clip === s.clip) {
    describe();
    drawRibbon();
  }
  player.muteChanged();
  sheet.dress(s.clip);
  words.known();
  count();
  settled();
}
/** Fetches one select that was changed elsewhere. @param {string} id */
async function fresh(id) {
  const s = state.all.find((q) => q.id === id);
  if (!s) return;
  try {
    put(s, await ask(ofJob(`/selects/${id}`)));
    changed(s);
  } catch (error) {
    // Removed in another window.
    if (/** @type {any} */ (error).status === 404) reload();
    else say(/** @type {Error} */ (error).message);
  }
}
/** The next one that this pass has not come to: in the same clip, then from here on, then from the beginning.
 * @param {any} from */
function nextLeft(from) {
  const all = sheet.inOrder(),
    at = all.indexOf(from),
    near = all.find((s) => s.clip === from.clip && s !== from && isLeft(s));
  if (near) return near;
  return [...all.slice(at + 1), ...all.slice(0, Math.max(0, at))].find(isLeft);
}
/** @param {string} tier */
function verdict(tier) {
  if (state.chosen.size) return judge({ do: "tier", tier, pass: state.pass });
  const s = state.now;
  if (!s) return;
  const was = { tier: s.tier, pass: s.pass },
    said = { tier, pass: tier === "unread" ? 0 : state.pass },
    next = tier === "unread" ? null : nextLeft(s) || sheet.beside(s, 1);
  unstored.set(s.id, said);
  const stored = () => unstored.get(s.id) === said && unstored.delete(s.id);
  Object.assign(s, said);
  sheet.dress(s.clip);
  if (next && next !== s) show(next);
  else describe();
  ask(ofJob(`/selects/${s.id}`), { do: "tier", tier, pass: state.pass }, { base: s.revision })
    .then((kept) => {
      stored();
      put(s, kept);
      changed(s);
    })
    .catch((error) => {
      stored();
      Object.assign(s, was);
      say(error.message);
      fresh(s.id);
    });
}
/** @param {string} which */
function mark(which) {
  judgeOne({ do: "mark", mark: which, at: player.at() });
}
/** Of the one that is looked at, whatever is chosen. @param {Command} said */
async function judgeOne(said) {
  const s = state.now;
  if (!s) return;
  try {
    put(s, await ask(ofJob(`/selects/${s.id}`), said, { base: s.revision }));
    changed(s);
  } catch (error) {
    say(/** @type {Error} */ (error).message);
    await fresh(s.id);
  }
}
function suggest() {
  const s = state.now,
    list = s ? readings.get(s.clip)?.moments : null;
  if (!s || !list?.length) return say("the reading suggests nothing in this clip");
  const place = list.findIndex((m) => Math.abs(m.start - s.start) < 0.05 && Math.abs(m.end - s.end) < 0.05),
    m = list[(place + 1) % list.length],
    over = ofClip(s.clip).some((q) => q !== s && m.start < q.end && m.end > q.start);
  // What another select has already is gone to instead.
  if (over) say("another select of the clip lies there");
  else judgeOne({ do: "range", start: m.start, end: m.end, hit: m.hit });
  player.stand(m.start);
}
/** Another select from the next suggested moment that no select has yet. */
async function anotherMoment() {
  const s = state.now,
    list = s ? readings.get(s.clip)?.moments : null;
  const free = s && list?.find((m) => !ofClip(s.clip).some((q) => m.start < q.end - 0.05 && m.end > q.start + 0.05));
  if (!free) return say("the reading suggests nothing that is not in a select already");
  await made(() => ask(ofJob(`/clips/${s.clip}/selects`), { start: free.start, end: free.end, hit: free.hit }));
}
/** Cuts another select out of the clip, from the mark on: three seconds, or as much as there is before the next one. */
async function another() {
  const s = state.now;
  if (!s) return;
  const mine = ofClip(s.clip);
  let start = player.at();
  // Where there is a select already, behind it.
  for (const q of mine) if (q.start <= start + 0.05 && q.end > start) start = q.end;
  const end = Math.min(start + 3, s.duration, ...mine.map((q) => q.start).filter((t) => t > start + 0.05));
  if (end - start < 0.1) say("there is no room for another select behind the mark: split this one with X");
  else await made(() => ask(ofJob(`/clips/${s.clip}/selects`), { start, end }));
}
/** Makes a select and goes there, unless its editor has gone on meanwhile. @param {() => Promise<Select>} act */
async function made(act) {
  const from = state.now;
  try {
    const { id } = await act();
    await reload();
    const select = state.all.find((s) => s.id === id),
      wentOn = state.now !== from && state.all.some((s) => s === from);
    if (select && !wentOn) show(select);
  } catch (error) {
    say(/** @type {Error} */ (error).message);
  }
}
/** Each event of a long take becomes an undecided select. */
function breakUp() {
  const clip = state.now?.clip;
  if (!clip) return;
  if (!readings.get(clip)?.events.length) return say("one thing happens in this clip: there is nothing to break up");
  made(() => ask(ofJob(`/clips/${clip}/events`), {}));
}
/** @type {Record<string, string>} */
const NO_FAULT = { shake: "not shaky", soft: "not out of focus", dark: "not too dark", blown: "not blown out" };
/** What the reading calls a fault near the mark is none: said once, it stays said, and is taken back the same way. */
function noFault() {
  const s = state.now,
    fault = s && faultNear(s, player.at());
  if (!fault) return say("the reading finds no fault in this clip");
  judgeOne({ do: "no-fault", fault });
  say(s.no_faults.includes(fault) ? `taken back: ${NO_FAULT[fault]}` : `${NO_FAULT[fault]}: said of the whole clip`);
}
/** The takes that show the same as this one, the best judged of each, as many as fit beside each other. */
function alike() {
  const s = state.now,
    group = s?.alike?.group;
  if (!s || group === undefined) return say("no other clip shows the same as this one");
  const takes = clipsOf(state.all.filter((q) => q.alike?.group === group)).map((c) => (c.id === s.clip ? s : bestOf(c.selects))),
    from = Math.max(0, Math.min(takes.indexOf(s), takes.length - 4));
  if (takes.length > 4) say(`${takes.length} takes are alike; these are ${from + 1} to ${from + 4}`);
  chosen.beside(takes.slice(from, from + 4));
}
function split() {
  const s = state.now;
  if (s) made(() => ask(ofJob(`/selects/${s.id}/split`), { at: player.at() }, { base: s.revision }));
}
function join() {
  const s = state.now;
  if (s) made(() => ask(ofJob(`/selects/${s.id}/join`), {}));
}
async function remove() {
  if (state.chosen.size) return judge({ do: "leave-out" }, "leave out");
  const s = state.now;
  if (!s) return;
  const near = ofClip(s.clip).find((q) => q !== s) || sheet.beside(s, 1) || sheet.beside(s, -1);
  show(near);
  try {
    await ask(ofJob(`/selects/${s.id}`), undefined, { method: "DELETE" });
    await reload();
  } catch (error) {
    say(/** @type {Error} */ (error).message);
    if (state.now === near) show(s);
  }
}
/** @param {number} n */
function nextSelect(n) {
  if (!state.now) return;
  const all = ofClip(state.now.clip);
  if (all.length < 2) return say("this clip has one select; + makes another");
  show(all[(all.indexOf(state.now) + n + all.length) % all.length]);
}

const mute = () => judge({ do: "mute" });
/** What the reading suggests, each select its own. */
const takeMovement = () => judge({ do: "take-movement" });
chosen.begin(page, {
  show,
  act: {
    words: words.focusOn("tag-input"),
    label: words.focusOn("label-input"),
    movement: takeMovement,
    mute,
    "leave-out": remove,
    verdict,
  },
  /** @param {Select[]} of @param {Select} kept */
  async keep(of, kept) {
    const others = of.filter((s) => s !== kept);
    chosen.letGo();
    show(kept);
    await judgeMany([{ do: "tier", tier: "out", pass: state.pass }], `keep ${named(kept)}`, others);
  },
});
words.begin(page, { many: judgeMany, one: judgeOne });

// ---- full size

const full = () => state.now && fullSize(state.now, player.at(), frames(player.at(), state.now.rate));

// ---- the page

/** Selects that are asked for first: two screens of the sheet. */
const FIRST = 96;

/** @param {number} n */
const go = (n) => show(sheet.beside(state.now, n));

/** Clips come in, are read and go; selects that are known stay as they are on the page. */
async function reload() {
  try {
    const news = await ask(ofJob("/sift/selects.json")),
      old = new Map(state.all.map((s) => [s.id, s]));
    state.all = news.map((/** @type {Select} */ s) => {
      const known = old.get(s.id);
      if (known) renew(known, s);
      return known || s;
    });
    for (const id of state.chosen) if (!state.all.some((s) => s.id === id)) state.chosen.delete(id);
    if (state.now && !state.all.includes(state.now)) state.now = null;
    chosen.changed();
    words.known();
    await narrow.refresh();
    passes.later();
    if (state.now) describe();
    drawRibbon();
  } catch (error) {
    say(/** @type {Error} */ (error).message);
  }
}
async function load() {
  const query = new URLSearchParams(location.search);
  state.pass = Number(query.get("pass")) || 1;
  state.order = /** @type {any} */ (query.get("order") || "roll");
  $("order").value = state.order;
  $("only-left").checked = query.get("left") === "true";
  const asked = query.get("select"),
    around = asked ? `&around=${encodeURIComponent(asked)}` : "";
  // The first screens at once; the rest of a large job comes after them.
  state.all = await ask(ofJob(`/sift/selects.json?first=${FIRST}${around}`));
  state.now = state.all.find((s) => s.id === asked) || null;
  /** Where the pass was left, if that is not among the first. @type {string | null} */
  let left = null;
  const begun = passes.begin(page, (_, place) => {
    const at = state.all.find((s) => s.id === place);
    if (place && !at) left = place;
    state.now = at || state.now;
    narrow.refresh();
  });
  tends.begin(page);
  state.tends = tends.place;
  narrow.begin(page, narrowed);
  if (state.order === "tends" || state.order === "drops") await learn();
  else learn();
  page.searches = JSON.parse($("searches").dataset.searches || "[]");
  const first = state.now;
  state.now = null;
  narrow.set(query.get("words") || "");
  await begun;
  if (first) show(first);
  words.known();
  if (state.all.length < FIRST) return;
  const shown = state.now;
  await reload();
  // Unless one has moved on meanwhile, the pass goes on where it was left.
  if (left && state.now === shown) show(state.all.find((s) => s.id === left));
}

const press = (/** @type {string} */ id, /** @type {() => void} */ act) => $(id).addEventListener("click", act);
for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tier]")))
  b.addEventListener("click", () => verdict(/** @type {string} */ (b.dataset.tier)));
for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tag]")))
  b.addEventListener("click", (e) => judge({ do: e.altKey ? "clip-tag" : "tag", tag: b.dataset.tag }));
for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-mark]")))
  b.addEventListener("click", () => mark(/** @type {string} */ (b.dataset.mark)));
press("suggest", suggest);
press("another", another);
press("split", split);
press("join", join);
press("break-up", breakUp);
press("no-fault", noFault);
press("alike", alike);
for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-layer]"))) {
  const layer = b.dataset.layer || "";
  b.setAttribute("aria-pressed", String(ribbon.isShown(layer)));
  b.addEventListener("click", () => {
    ribbon.toggle(layer);
    b.setAttribute("aria-pressed", String(ribbon.isShown(layer)));
    drawRibbon();
  });
}
press("remove", remove);
press("next-select", () => nextSelect(1));
press("take-movement", takeMovement);
press("loop", player.loopSelect);
press("around", player.aroundHit);
press("mute", mute);
press("quiet", player.toggleQuiet);
$("coming").addEventListener("change", () => {
  player.setComing(Number($("coming").value));
  $("coming").blur();
});
press("full", full);
/** Another order, with what the verdicts teach where it is by that. */
async function ordered() {
  state.order = $("order").value;
  if (state.order === "tends" || state.order === "drops") await learn();
  sheet.show();
  sheet.choose(null, state.now);
  address();
}
async function learn() {
  untaught = 0;
  try {
    await tends.refresh();
  } catch (error) {
    return say(/** @type {Error} */ (error).message);
  }
  if (state.now) $("tends-why").textContent = tends.why(state.now);
}
$("order").addEventListener("change", ordered);
/** Goes through what would probably be dropped, at triple speed. */
async function throughDrops() {
  $("order").value = "drops";
  await ordered();
  player.setComing(3);
  $("coming").value = "3";
  show(tends.drops().sort((a, b) => tends.place(b) - tends.place(a))[0]);
}
/** All that would probably be dropped is out, as one thing to undo. */
async function dropAll() {
  const of = tends.drops();
  if (!of.length) return say("there is nothing that would probably be dropped");
  await judgeMany([{ do: "tier", tier: "out" }], "out", of);
  tends.count();
}
press("through-drops", throughDrops);
press("drop-all", dropAll);
$("still-size").addEventListener("change", () => {
  sheet.setSize($("still-size").value);
  sheet.choose(null, state.now);
});
const scrub = (/** @type {PointerEvent} */ e) => {
  if (!state.now) return;
  const box = $("ribbon").getBoundingClientRect();
  player.stand(((e.clientX - box.left) / box.width) * state.now.duration);
};
$("ribbon").addEventListener("pointerdown", (/** @type {PointerEvent} */ e) => {
  $("ribbon").setPointerCapture(e.pointerId);
  scrub(e);
});
$("ribbon").addEventListener("pointermove", (/** @type {PointerEvent} */ e) => {
  if (e.buttons) scrub(e);
});
const tick = () => {
  played();
  drawRibbon();
};
video.addEventListener("timeupdate", tick);
video.addEventListener("seeked", tick);
player.whenChanged(tick);

inGroup("verdicts");
for (const [key, tier] of [
  ["a", "out"],
  ["s", "spare"],
  ["d", "strong"],
  ["f", "hero"],
])
  on(key, tier, () => verdict(tier));
on("v", "unread again", () => verdict("unread"));
inGroup("the story");
/** @param {"opening" | "closing"} what */
async function story(what) {
  const s = state.now;
  if (!s) return;
  try {
    const now = await ask(ofJob("/story"), { do: what, select: s.id });
    say(
      now[what] === s.id
        ? `the piece ${what === "opening" ? "opens" : "closes"} with ${s.name}`
        : `${s.name} no longer ${what === "opening" ? "opens" : "closes"} the piece`,
    );
  } catch (error) {
    say(/** @type {Error} */ (error).message);
  }
}
on("Shift+O", "the piece opens with this", () => story("opening"));
on("Shift+E", "the piece closes with this", () => story("closing"));
inGroup("playing");
on(" ", "play and stop", player.play);
on("j", "shuttle backwards, faster with each press", () => player.shuttle(-1));
on("k", "stop", player.stop);
on("l", "shuttle on, faster with each press", () => player.shuttle(1));
on("p", "loop the select from its in", player.loopSelect);
on("h", "play around the hit", player.aroundHit);
on("q", "quiet: hear nothing", player.toggleQuiet);
on("Shift+P", "play each clip as it comes, or let it stand", player.toggleComing);
inGroup("the select");
on("w", "mark in", () => mark("in"));
on("i", "mark in", () => mark("in"));
on("e", "mark out", () => mark("out"));
on("o", "mark out", () => mark("out"));
on("r", "mark the hit", () => mark("hit"));
on(".", "the clip's next select", () => nextSelect(1));
on(",", "the clip's select before", () => nextSelect(-1));
on("+", "cut out another select here", another);
on("Shift+G", "another select from the next suggested moment", anotherMoment);
on("Enter", "play from the in", player.fromIn);
on("x", "split the select here", split);
on("Shift+B", "break a long take up into its events", breakUp);
on("Shift+N", "what the reading calls a fault here is none", noFault);
on("Shift+C", "alike takes side by side", alike);
on("Shift+X", "join it with the next one", join);
on("Delete", "remove the select, or leave out the clips that are chosen", remove);
on("g", "take the suggested range, again for the next", suggest);
inGroup("words");
on("t", "add a word", words.focusOn("tag-input"));
on("b", "label", words.focusOn("label-input"));
on("y", "write a note", words.focusOn("note-input"));
on("m", "take the movement that was measured", takeMovement);
on("u", "mute the clip, for all its selects", mute);
inGroup("looking closer");
on("c", "side by side", chosen.sideBySide);
on("z", "full size, from the original", full);
on("Escape", "let go of what is chosen", chosen.letGo);
const wordKey = (/** @type {string} */ key) => (key.startsWith("⇧") ? `Shift+${key.slice(1)}` : key);
inGroup("words");
for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tag]"))) {
  const key = b.querySelector("kbd")?.textContent || "",
    [facet, word] = (b.dataset.tag || "").split(":");
  on(wordKey(key), `${facet}: ${word}`, () => judge({ do: "tag", tag: b.dataset.tag }));
}
inGroup("going");
on("ArrowLeft", "a frame back", () => player.step(-1), { repeats: true });
on("ArrowRight", "a frame on", () => player.step(1), { repeats: true });
on("Shift+ArrowLeft", "a second back", () => player.jump(-1), { repeats: true });
on("Shift+ArrowRight", "a second on", () => player.jump(1), { repeats: true });
on("ArrowUp", "the clip before", () => go(-1), { repeats: true });
on("ArrowDown", "the next clip", () => go(1), { repeats: true });
on("/", "narrow by words", words.focusOn("words"));
document.addEventListener("legere:changed", reload);
const redraw = () => {
  drawStill();
  drawRibbon();
};
document.addEventListener("legere:redraw", redraw);
window.addEventListener("resize", redraw);
const later = gathered(reload, 1500);
loaded(load);
follow(
  {
    clip: later,
    roll: later,
    import: later,
    job: later,
    pass: passes.later,
    track: passes.later,
    select: ({ id, mine }) => {
      if (mine) return;
      // One that is new here, or gone, changes the sheet.
      if (state.all.some((s) => s.id === id)) fresh(id);
      else later();
    },
  },
  later,
);
