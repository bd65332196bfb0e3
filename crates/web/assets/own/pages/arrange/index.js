// @ts-check
// Arrange: the skyline, the shot that is chosen, and what could be there instead.
import { ask, loaded } from "../../lib/api.js";
import { crisp } from "../../lib/canvas.js";
import { $, css, say } from "../../lib/dom.js";
import { follow } from "../../lib/events.js";
import { image, STILLS, sheet, strip, tile, when } from "../../lib/filmstrip.js";
import { fullSize } from "../../lib/fullsize.js";
import { inGroup, on } from "../../lib/keys.js";
import { grouped, pressed } from "../../lib/narrowing.js";
import { withTables } from "../../lib/player/draft.js";
import { withFrames } from "../../lib/player/table.js";
import { onScreen } from "../../lib/screen.js";
import { job, ofJob } from "../../lib/session.js";
import * as compare from "./compare.js";
import * as curve from "./curve.js";
import * as hands from "./hands.js";
import * as join from "./join.js";
import { Skyline } from "./skyline.js";
import * as stripHands from "./strip.js";
import * as transport from "./transport.js";
import { View } from "./view.js";

/** Once it is loaded. @type {Draft} */
let d;
/** The id of the shot that is chosen.
 * @type {string | null} */
let chosen = new URLSearchParams(location.search).get("shot");
const box = $("figures");
const path = () => ofJob(`/drafts/${box.dataset.draft}`);
const index = () => {
  const at = d.shots.findIndex((s) => s.id === chosen);
  return Math.max(0, at);
};
const shot = () => d.shots[index()];

const view = new View(() => d && seen());
let resting = 0;
/** Another stretch is in sight: what is drawn is moved there, and drawn again once that rests. */
function seen() {
  const empty = [skyline.follow(), compare.follow()].some(Boolean);
  view.drawOverview($("overview"), d);
  placeHeads();
  clearTimeout(resting);
  if (empty) draw();
  else resting = window.setTimeout(draw, 150);
}
/** @type {Skyline} */
let skyline;

/** @typedef {{ at: number, over: number, percent: number, onBeat: boolean }} ShownKeyframe */

/** What the page shows around the skyline. */
const page = onScreen("arrange", {
  /** @type {string[]} */
  figures: [],
  /** @type {string[]} */
  measures: [],
  /** The sections, each with where its head stands and the paces that it can have.
   * @type {{ section: number, kind: string, kept: boolean, paces: { value: string, words: string, chosen: boolean }[] }[]} */
  heads: [],
  /** @type {{ words: string, shot: string | null }[]} */
  findings: [],
  /** @type {(Alternate & { key: string, still: string, tile: string, caption: string, difference: string })[]} */
  alternates: [],
  /** What is said in their place: that there are none, or why they are not known. */
  noAlternates: "",
  insteadProblem: "",
  /** What could be narrowed by, as values that are pressed.
   * @type {import("../../lib/narrowing.js").Group[]} */
  values: [],
  /** @param {string} term @param {string} group */
  press(term, group) {
    $("instead-words").value = pressed($("instead-words").value, term, group, page.values);
    show();
  },
  /** What the checks say of the shot.
   * @type {string[]} */
  warnings: [],
  /** @type {import("wire").UnfitView[]} */
  unfit: [],
  failed: false,
  name: "",
  facts: "",
  why: "",
  /** Which pane of the shot is open: cut, time or joins. */
  pane: "cut",
  /** @type {ShownKeyframe[]} */
  keyframes: [],
  /** @param {ShownKeyframe} keyframe @param {string} value */
  moveKeyframe(keyframe, value) {
    const to = Math.round(Number(value));
    if (Number.isFinite(to) && value.trim()) edit({ do: "move-keyframe", shot: shot().id, at: keyframe.at, to });
  },
  /** @param {ShownKeyframe} keyframe @param {"over" | "percent"} what @param {string} value */
  setKeyframe(keyframe, what, value) {
    const n = Number(value.replace("%", "").replace(",", "."));
    if (Number.isFinite(n) && value.trim())
      edit({
        do: "keyframe",
        shot: shot().id,
        at: keyframe.at,
        over: keyframe.over,
        percent: keyframe.percent,
        [what]: what === "over" ? Math.max(0, Math.round(n)) : n,
      });
  },
  /** @param {ShownKeyframe} keyframe */
  dropKeyframe(keyframe) {
    edit({ do: "drop-keyframe", shot: shot().id, at: keyframe.at });
  },
  /** The tracks under it, with where each begins.
   * @type {import("wire").PassageView[]} */
  passages: [],
  musicTold: false,
  musicChanged: false,
  /** @param {string} shot @param {string | null} track */
  track(shot, track) {
    act("track", { shot, track });
  },
  moveOver() {
    act("move-over", {});
  },
  /** @param {string} id */
  choose(id) {
    choose(id);
  },
  /** @param {number} section @param {boolean} on */
  keep(section, on) {
    edit({ do: "keep", section, on });
  },
  /** @param {number} section */
  layAgain(section) {
    act("arrange", { section });
  },
  /** @param {number} section @param {string} value a pace: quarters, and whether it varies */
  pace(section, value) {
    const pace = d.sections.map((t) => [t.quarters, t.varied]);
    const [quarters, varied] = value.split(" ");
    pace[section] = [Number(quarters), varied === "true"];
    // Only this section is laid again; what was done elsewhere stays.
    act("arrange", { pace, section });
  },
  /** @param {string} select */
  put(select) {
    edit({ do: "swap", shot: shot().id, select });
  },
  /** @param {string} select */
  insert(select) {
    edit({ do: "insert", select, before: shot().id, from: timeFrom() });
  },
  /** Shows a select in the place before it is taken; nothing shows the draft again. @param {string | null} select */
  tryOut(select) {
    const alt = page.alternates.find((a) => a.select === select);
    transport.tryOut(d, alt ? { shot: shot().id, clip: alt.clip, frames: alt.frames, toward: alt.toward } : null);
  },
});
const timeFrom = () => $("time-from").value;

function draw() {
  view.of(d.total);
  skyline.low(compare.isOpen());
  skyline.draw(d, index(), compare.differs(), also);
  compare.draw();
  view.drawOverview($("overview"), d);
  heads();
  const f = d.figures;
  page.passages = d.passages;
  page.musicChanged = d.passages.some((p) => p.changed);
  page.musicTold = page.musicChanged || d.passages.length > 1;
  page.figures = [d.length, `${f.shots} shots`];
  page.measures = [`${(f.shortest / d.fps).toFixed(1)}–${(f.longest / d.fps).toFixed(1)} s`, `agreement ${f.agreement.toFixed(2)}`];
  $("says-arrange").textContent = `${d.title}, ${f.shots === 1 ? "1 shot" : `${f.shots} shots`}`;
  const option = $("drafts").selectedOptions[0];
  if (option) option.textContent = d.title;
  const found = [...d.findings, ...d.left_out.map((words) => ({ words, shot: null }))];
  page.findings = found.length ? found : [{ words: d.nothing_found, shot: null }];
}
/** What the heads show now, to leave them alone as long as that stays. */
let headed = "";
function heads() {
  const kept = (/** @type {import("wire").SectionView} */ s) => {
      const inside = d.shots.filter((q) => q.start >= s.start && q.start < s.end);
      return inside.length > 0 && inside.every((q) => q.pin === "whole");
    },
    wanted = JSON.stringify([d.sections, d.sections.map(kept)]);
  if (headed === wanted) return placeHeads();
  headed = wanted;
  // They are there once Alpine has drawn them.
  requestAnimationFrame(placeHeads);
  page.heads = d.sections.map((s, i) => ({
    section: i,
    kind: s.kind,
    kept: kept(s),
    paces: d.choices.flatMap((c) =>
      [false, true].map((varied) => ({
        value: `${c.quarters} ${varied}`,
        words: varied ? `${c.words}, varied` : c.words,
        chosen: c.quarters === s.quarters && varied === s.varied,
      })),
    ),
  }));
}
/** Each head above its section; one whose beginning is out of sight stands at the edge. */
function placeHeads() {
  const per = (/** @type {number} */ frames) => `${(frames / view.span()) * 100}%`;
  for (const head of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll(".head"))) {
    const s = d.sections[Number(head.dataset.section)];
    if (!s) continue;
    head.style.left = per(Math.max(0, s.start - view.from));
    head.style.width = per(Math.max(0, Math.min(s.end, view.to) - Math.max(s.start, view.from)));
    head.hidden = s.end <= view.from || s.start >= view.to;
  }
}
/** Shots that are chosen beside the one that the mark stands in. @type {Set<string>} */
const also = new Set();
/** Whether the next shot that is chosen is exchanged with the one that is chosen now. @type {string | null} */
let exchanging = null;
/** @param {string} id @param {{ extend?: boolean }} [how] `extend`: all from the chosen one to this one */
function choose(id, how = {}) {
  if (exchanging && exchanging !== id) {
    const shot = exchanging;
    exchanging = null;
    edit({ do: "exchange", shot, with: id });
    return;
  }
  if (how.extend) {
    const places = [index(), d.shots.findIndex((s) => s.id === id)].sort((a, b) => a - b);
    for (const s of d.shots.slice(places[0], places[1] + 1)) also.add(s.id);
    return show();
  }
  const other = chosen !== id;
  also.clear();
  chosen = id;
  show();
  if (other) transport.seek(shot().start);
}
/** The mark moved, by playing, scrubbing or stepping: the shot under it is the chosen one. @param {number} frame */
function follows(frame) {
  const under = d?.shots.find((s) => frame < s.start + s.len);
  if (!under || under.id === chosen || busy) return;
  also.clear();
  chosen = under.id;
  show(transport.plays());
}
/** After an edit the mark stands in the chosen shot again, where it was not playing. */
function markInside() {
  const s = shot(),
    mark = transport.mark();
  if (!s || transport.plays() || (mark >= s.start && mark < s.start + s.len)) return;
  transport.seek(mark < s.start ? s.start : s.start + s.len - 1);
}
/** All shots that are chosen, in their order. @returns {string[]} */
const chosenShots = () => d.shots.filter((s) => s.id === chosen || also.has(s.id)).map((s) => s.id);
/** Does the same to all shots that are chosen, as one thing to undo. @param {Command} what */
function editEach(what) {
  const shots = chosenShots();
  if (shots.length < 2) edit({ ...what, shot: shot().id });
  else act("edit", { shots, each: what });
}
let waiting = 0;
/** @param {boolean} [passing] while it plays nobody looks for another shot */
function show(passing = false) {
  draw();
  about();
  if (passing) return clearTimeout(waiting);
  // The others are looked for once the hand rests.
  clearTimeout(waiting);
  waiting = window.setTimeout(async () => {
    const mine = shot()?.id;
    if (!mine) return;
    try {
      const words = encodeURIComponent($("instead-words").value.trim()),
        found = await ask(`${path()}/alternates?shot=${mine}&words=${words}`);
      if (shot()?.id === mine) instead({ ...found, fitting: withFrames(found.fitting) });
    } catch (error) {
      Object.assign(page, { alternates: [], failed: true, noAlternates: /** @type {Error} */ (error).message });
    }
  }, 120);
}
function about() {
  const s = shot();
  if (!s) return;
  page.name = s.name ?? "a clip that was left out";
  page.facts = `shot ${index() + 1} · ${s.tier ?? "–"} · ${s.timecode} · ${s.len} frames${also.size > 1 ? ` · ${chosenShots().length} shots chosen` : ""}`;
  page.warnings = d.findings.filter((f) => f.shot === s.id).map((f) => f.words.replace(/^shot \d+ /, ""));
  page.why = s.why.map((/** @type {string} */ w) => `${w[0].toUpperCase()}${w.slice(1)}.`).join(" ");
  if ($("track-from")) $("track-from").value = d.passages.find((p) => p.from === s.id)?.track ?? "";
  $("pin-kind").value = s.pin;
  drawStrip(s);
  drawPane();
  if (document.activeElement !== $("speed")) $("speed").value = String(Math.round(s.speed * 1000) / 10);
}
/** What the open pane shows of the shot. */
function drawPane() {
  const s = shot();
  page.keyframes = s.keyframes.map((t) => ({
    at: t.at,
    over: t.over,
    onBeat: t.on_beat,
    percent: Math.round(t.to * 1000) / 10,
  }));
  $("between").value = s.between;
  if (document.activeElement !== $("pause-len")) $("pause-len").value = s.pause ? s.pause.len : "";
  if (s.pause) $("pause-stop").value = s.pause.stop;
  if (page.pane === "time") curve.draw(shot(), d);
  if (page.pane === "joins") join.draw(d, index());
}
/** @param {string} name */
function openPane(name) {
  page.pane = name;
  drawPane();
}
/** @param {Shot} s */
function drawStrip(s) {
  const { pen, w, h } = crisp($("strip"));
  const picture = image(s.clip);
  when(picture, () => {
    if (shot()?.id !== s.id) return;
    strip(pen, { picture, count: STILLS, across: STILLS }, w, h, s.media);
    const px = (/** @type {number} */ t) => (t / s.media) * w,
      a = px(s.source),
      b = px(s.source + s.used);
    // What the shot does not show lies behind paper, by night too.
    pen.globalAlpha = 0.72;
    pen.fillStyle = css("--paper");
    pen.fillRect(0, 0, a, h);
    pen.fillRect(b, 0, w - b, h);
    pen.globalAlpha = 1;
    pen.strokeStyle = css("--act");
    pen.lineWidth = 3;
    pen.strokeRect(a + 1.5, 1.5, b - a - 3, h - 3);
    // In and out of the select: what lies outside was not chosen.
    pen.fillStyle = "#f6f3ec";
    for (const edge of [s.in, s.out]) if (edge !== null) pen.fillRect(px(edge) - 1, 0, 2, h);
    if (s.hit_source !== null) {
      pen.fillStyle = "#e0553c";
      pen.fillRect(px(s.hit_source) - 1, 0, 2, h);
    }
  });
}
/** @param {Omit<import("wire").InsteadView, "fitting"> & { fitting: Alternate[] }} found */
function instead(found) {
  page.failed = false;
  page.insteadProblem = found.problems.join("; ");
  page.values = grouped(found.counts, $("instead-words").value).filter((g) =>
    ["tier", "framing", "role", "movement", "light", "label"].includes(g.name),
  );
  page.unfit = found.unfit;
  page.noAlternates = found.fitting.length ? "" : "No other select fits this place.";
  page.alternates = found.fitting.map((a, i) => ({
    ...a,
    key: i < 9 ? String(i + 1) : "",
    still: sheet(a.clip),
    tile: `tile-${tile(a.hit ?? 0, a.media)}`,
    caption: `${a.name}: ${a.why.slice(0, 2).join(", ")}`,
    difference: a.gains.map(([name, v]) => `${v > 0 ? "+" : "−"}${Math.abs(v).toFixed(2)} ${name}`).join(" ") || "as good",
  }));
}

// Edits go one after the other; steps that come faster than they are answered are added up.
/** @type {{ where: string, body: any }[]} */
const queue = [];
let busy = false;
/** Whether another window changed something meanwhile. */
let overheard = false;
/** @param {string} where @param {any} body */
function act(where, body) {
  const last = queue[queue.length - 1];
  const same = last?.where === where && last.body.by !== undefined && last.body.do === body.do && last.body.shot === body.shot;
  if (same) last.body.by += body.by;
  else queue.push({ where, body });
  work();
}
async function work() {
  if (busy) return;
  busy = true;
  $("skyline").dataset.busy = "yes";
  while (queue.length) {
    const { where, body } = /** @type {{ where: string, body: any }} */ (queue.shift());
    $("problem").textContent = "";
    try {
      const place = index();
      Object.assign(d, withTables(await ask(`${path()}/${where}`, body, { base: d.revision })));
      transport.load(d);
      if (!d.shots.some((s) => s.id === chosen)) chosen = d.shots[Math.min(place, d.shots.length - 1)]?.id ?? null;
      show();
      markInside();
    } catch (error) {
      const refused = /** @type {import("../../lib/api.js").Refused} */ (error);
      // Of steps that were added up, those that are possible are still made.
      if (!refused.movedOn && Math.abs(body.by ?? 0) > 1) {
        const half = Math.trunc(body.by / 2);
        queue.unshift({ where, body: { ...body, by: half } }, { where, body: { ...body, by: body.by - half } });
        continue;
      }
      $("problem").textContent = refused.message;
      // Said where one looks as well.
      say(refused.message);
      queue.length = 0;
      if (refused.movedOn) await load();
    }
  }
  busy = false;
  if (overheard) {
    overheard = false;
    await changed();
  }
  delete $("skyline").dataset.busy;
}
/** @param {Command} body */
const edit = (body) => act("edit", body);
const again = () => act("arrange", {});
/** @param {number} n */
function step(n) {
  const next = d.shots[Math.max(0, Math.min(d.shots.length - 1, index() + n))];
  if (next) choose(next.id);
}
/** One more shot is chosen beside the others, before or behind them. @param {number} n */
function extend(n) {
  const places = chosenShots().map((id) => d.shots.findIndex((s) => s.id === id)),
    next = d.shots[(n < 0 ? places[0] : places[places.length - 1]) + n];
  if (next) choose(next.id, { extend: true });
}
/** Exchanges the chosen shot with the one that is chosen next. */
function exchangeWith() {
  exchanging = exchanging ? null : shot().id;
  say(exchanging ? "choose the shot to exchange it with; the same key again leaves it" : "nothing is exchanged");
}
async function load() {
  const loaded = withTables(await ask(`${path()}.json`));
  // It was asked for before an edit that has been answered meanwhile: what is shown is newer.
  if (d && loaded.revision < d.revision) return;
  d = loaded;
  if (!d.shots.some((s) => s.id === chosen)) chosen = d.shots[0]?.id ?? null;
  transport.load(d);
  show();
  $("skyline").dataset.ready = "yes";
}

/** Makes a draft and goes there. @param {string} where */
async function make(where) {
  $("problem").textContent = "";
  try {
    location.assign((await ask(where, {})).place);
  } catch (error) {
    $("problem").textContent = /** @type {Error} */ (error).message;
  }
}
$("new-draft").addEventListener("click", () => make(ofJob("/drafts")));

/** Undo can bring back or take away the draft of the page. */
async function changed() {
  try {
    await load();
  } catch (error) {
    // What was undone is the draft itself.
    if (/** @type {any} */ (error).status === 404) location.assign(ofJob("/arrange"));
    else say(/** @type {Error} */ (error).message);
  }
}

/** The keys of the page, once there is a draft that they can act on. */
function wire() {
  const marksShare = () => Math.max(0, Math.min(1, (transport.mark() - view.from) / view.span()));
  inGroup("going");
  on("ArrowLeft", "the shot before", () => step(-1), { repeats: true });
  on("ArrowRight", "the next shot", () => step(1), { repeats: true });
  inGroup("laying");
  on("Enter", "lay the open shots again", again);
  on("ArrowUp", "the shot before as well", () => extend(-1), { repeats: true });
  on("ArrowDown", "the next shot as well", () => extend(1), { repeats: true });
  hands.begin({ edit, editEach, shot, draft: () => d, mark: transport.mark, timeFrom, choose: step, exchangeWith });
  stripHands.begin({ strip: $("strip"), edit, shot, draft: () => d, timeFrom, shown: (frames) => stripShown(frames) });
  const panes = ["cut", "time", "joins"];
  inGroup("looking");
  on("d", "what is shown of the shot: cut, time, joins", () => openPane(panes[(panes.indexOf(page.pane) + 1) % panes.length]));
  on("+", "nearer", () => view.zoom(0.7, marksShare()), { repeats: true });
  on("-", "farther", () => view.zoom(1 / 0.7, marksShare()), { repeats: true });
  on("0", "the whole in sight", () => view.set(0, d.total));
  inGroup("laying");
  on("y", "keep the section, or open it", () => {
    const at = d.sections.findIndex((q) => shot().start < q.end),
      head = page.heads[at];
    if (head) page.keep(at, !head.kept);
  });
  on("c", "the next draft beside this one, or none", compare.next);
  inGroup("here instead");
  on("/", "narrow what could be here", () => $("instead-words").focus());
  for (let i = 1; i <= 9; i++)
    on(String(i), `put select ${i} of the list here`, () => {
      const b = /** @type {HTMLElement | undefined} */ (document.querySelectorAll(".alt")[i - 1]);
      if (b) b.click();
    });
  inGroup("looking");
  on("z", "full size, from the original", full);
}
/** Shows other frames of the clip in the place of the chosen shot while the strip is pulled. @param {number[] | null} frames */
function stripShown(frames) {
  const s = shot();
  transport.tryOut(d, frames ? { shot: s.id, clip: s.clip, frames } : null);
}
const full = () => {
  const s = shot(),
    k = Math.max(0, Math.min(s.len - 1, transport.mark() - s.start));
  if (s.frames[k] >= 0 && s.clip_rate) fullSize(s, (s.frames[k] + 0.5) / s.clip_rate, s.timecode);
  else say("there is no picture here");
};

if (box) {
  $("again").addEventListener("click", again);
  $("drafts").addEventListener("change", () => location.assign(`?draft=${$("drafts").value}`));
  $("copy-draft").addEventListener("click", () => make(`${path()}/copy`));
  $("name-draft").addEventListener("click", () => {
    $("draft-name").value = /^draft \d+$/.test(d.title) ? "" : d.title;
    $("name-dialog").showModal();
  });
  $("name-cancel").addEventListener("click", () => $("name-dialog").close());
  $("name-form").addEventListener("submit", () => act("name", { name: $("draft-name").value }));
  $("delete-draft").addEventListener("click", async () => {
    try {
      await ask(path(), undefined, { method: "DELETE" });
      location.assign(ofJob("/arrange"));
    } catch (error) {
      $("problem").textContent = /** @type {Error} */ (error).message;
    }
  });
  $("track-from")?.addEventListener("change", () => page.track(shot().id, $("track-from").value || null));
  curve.begin({ edit, shot, draft: () => d });
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-pane]")))
    b.addEventListener("click", () => openPane(b.dataset.pane || "cut"));
  const marked = (/** @type {number} */ f) => {
    follows(f);
    if (transport.plays()) view.see(f);
    skyline.mark(f);
    compare.moved(f);
  };
  skyline = new Skyline(
    $("skyline"),
    view,
    { mark: (f) => transport.seek(f), choose },
    {
      cut: (id, by) => edit({ do: "move-cut", shot: id, by }),
      move: (id, before) => edit({ do: "move", shot: id, before }),
      trim: (id, edge, by) => edit({ do: edge === "begin" ? "trim-start" : "trim-end", shot: id, by, from: timeFrom() }),
      exchange: (id, other) => edit({ do: "exchange", shot: id, with: other }),
      range: (from, to) => {
        also.clear();
        for (const s of d.shots) if (s.start + s.len > from && s.start < to) also.add(s.id);
        const first = d.shots.find((s) => also.has(s.id));
        if (first) chosen = first.id;
        show();
        if (first) transport.seek(first.start);
      },
      put: (id, select) => edit({ do: "swap", shot: id, select }),
      insert: (before, select) => edit({ do: "insert", select, before, from: timeFrom() }),
    },
  );
  view.wheel($("skyline"));
  view.listen($("overview"));
  compare.begin({ draft: () => d, view, edit, seek: (f) => transport.seek(f), changed: draw });
  transport.begin({ draft: () => d, shot, moved: marked });
  $("full").addEventListener("click", full);
  let typing = 0;
  $("instead-words").addEventListener("input", () => {
    clearTimeout(typing);
    typing = window.setTimeout(show, 150);
  });
  document.addEventListener("legere:changed", changed);
  document.addEventListener("legere:redraw", () => {
    if (!d) return;
    skyline.forget();
    show();
  });
  loaded(async () => {
    const addressed = chosen;
    await load();
    wire();
    // The mark comes to the shot that the address names, as it comes to one that is chosen here.
    const there = d.shots.find((s) => s.id === addressed);
    if (there) transport.seek(there.start);
  });
  /** Another window's change of what is on this page. @param {boolean} mine */
  const other = (mine) => {
    if (mine || !d) return;
    if (busy) overheard = true;
    else changed();
  };
  follow(
    {
      draft: ({ id, mine }) => id === box.dataset.draft && other(mine),
      select: ({ mine }) => other(mine),
      track: ({ mine }) => other(mine),
    },
    () => other(false),
  );
} else if (job) {
  document.addEventListener("legere:changed", () => location.reload());
}
