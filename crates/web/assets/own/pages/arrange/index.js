// @ts-check
// Arrange: the skyline, the shot that is chosen, and what could be there instead.
import { ask, loaded } from "../../lib/api.js";
import { crisp } from "../../lib/canvas.js";
import { $, css, say } from "../../lib/dom.js";
import { follow } from "../../lib/events.js";
import { image, STILLS, strip, when } from "../../lib/filmstrip.js";
import { fullSize } from "../../lib/fullsize.js";
import { inGroup, on } from "../../lib/keys.js";
import { grouped, pressed } from "../../lib/narrowing.js";
import { withTables } from "../../lib/player/draft.js";
import { withFrames } from "../../lib/player/table.js";
import { onScreen } from "../../lib/screen.js";
import { job, ofJob } from "../../lib/session.js";
import * as asks from "./asks.js";
import * as compare from "./compare.js";
import * as curve from "./curve.js";
import * as hands from "./hands.js";
import * as heads from "./heads.js";
import * as alternates from "./instead.js";
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
  heads.place(d, view);
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
  /** @type {import("./heads.js").Head[]} */
  heads: [],
  /** The section whose head is open. @type {number | null} */
  openHead: null,
  /** The same as a list of one, or of none. @type {import("./heads.js").Head[]} */
  openHeads: [],
  head: false,
  /** @param {number} section */
  toggleHead(section) {
    page.openHead = page.openHead === section ? null : section;
    page.openHeads = page.heads.filter((h) => h.section === page.openHead);
    page.head = page.openHeads.length > 0;
  },
  /** What laying again will touch. */
  again: "lay again",
  /** @type {{ name: "energy" | "order" | "framings", words: string, on: boolean }[]} */
  wishes: [],
  /** @param {"energy" | "order" | "framings"} name @param {boolean} on */
  wish(name, on) {
    act("wishes", { ...d.wishes, [name]: on });
  },
  /** What the draft has against the one beside it. @type {string[]} */
  differences: [],
  /** @type {{ words: string, shot: string | null, kind: string | null, repair: import("wire").Repair | null, repairWords: string, needs: string }[]} */
  findings: [],
  /** @param {{ repair: import("wire").Repair | null }} finding */
  repair(finding) {
    if (finding.repair) edit(/** @type {any} */ (finding.repair));
  },
  /** It is meant, and not said again. @param {{ shot: string | null, kind: string | null }} finding */
  mean({ shot, kind }) {
    act("meant", { shot, kind });
  },
  /** @type {import("./instead.js").ShownAlternate[]} */
  alternates: [],
  /** How many fit. */
  fit: "",
  /** @param {number | null} set_up */
  unfold(set_up) {
    if (set_up !== null) unfolded.add(set_up);
    page.alternates = alternates.shown(found, unfolded);
  },
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
  /** @type {{ part: import("wire").Part | null, words: string }[]} */
  why: [],
  /** The part of the cost that is shown on the skyline. @type {import("wire").Part | null} */
  part: null,
  /** @param {import("wire").Part | null} part */
  pressReason(part) {
    page.part = part && page.part !== part ? part : null;
    draw();
  },
  /** What would make the place better, and where it is looked for. */
  lacking: "",
  lackingPlace: "",
  held: false,
  range: "",
  /** What the picture is, a line each. @type {string[]} */
  looks: [],
  /** The music under the shot. */
  heard: "",
  opens: false,
  closes: false,
  /** How many shots are chosen. */
  several: 1,
  /** Which pane of the shot is open: time, picture, sound or join. */
  pane: "time",
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
  /** Only this section is laid again; what was done elsewhere stays.
   * @param {number} section @param {{ quarters?: string, varied?: boolean, on?: string }} change */
  pace(section, change) {
    const pace = d.sections.map(({ quarters, varied, on }) => ({ quarters, varied, on }));
    pace[section] = /** @type {any} */ ({ ...pace[section], ...change, quarters: Number(change.quarters ?? pace[section].quarters) });
    act("arrange", { pace, section });
  },
  /** A section is as loud as a person says. @param {number} section @param {string} value */
  async energy(section, value) {
    const at = d.sections[section].at_track,
      energy = Math.round(Number(value));
    if (!at || !Number.isFinite(energy)) return say("an energy lies between 0 and 100");
    try {
      await ask(ofJob(`/tracks/${at[0]}/marks`), { do: "energy", at: at[1], energy: Math.max(0, Math.min(100, energy)) });
      await load();
    } catch (error) {
      $("problem").textContent = /** @type {Error} */ (error).message;
    }
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
  skyline.draw(d, index(), compare.differs(), also, page.part);
  compare.draw();
  view.drawOverview($("overview"), d);
  drawHeads();
  page.wishes = asks.wishesOf(d);
  page.again = heads.again(d.shots.filter((s) => !heads.stays(s)).length, "the");
  const f = d.figures;
  page.passages = d.passages;
  page.musicChanged = d.passages.some((p) => p.changed);
  page.musicTold = page.musicChanged || d.passages.length > 1;
  page.figures = [d.length];
  page.measures = [
    `${f.shots} shots`,
    `${(f.shortest / d.fps).toFixed(1)}–${(f.longest / d.fps).toFixed(1)} s`,
    `agreement ${f.agreement.toFixed(2)}`,
  ];
  $("says-arrange").textContent = `${d.title}, ${f.shots === 1 ? "1 shot" : `${f.shots} shots`}`;
  const option = $("drafts").selectedOptions[0];
  if (option) option.textContent = d.title;
  const said = d.findings.map((f) => ({
      ...f,
      repairWords: f.repair ? REPAIRS[f.repair.do] : "",
      needs: f.kind === "black" ? ofJob(`/sift?draft=${d.id}#needs`) : "",
    })),
    plain = { shot: null, kind: null, repair: null, repairWords: "", needs: "" },
    left = d.left_out.map(({ words }) => ({ ...plain, words }));
  page.findings = said.length + left.length ? [...said, ...left] : [{ ...plain, words: d.nothing_found }];
}
/** What a repair does, on its button. @type {Record<import("wire").Repair["do"], string>} */
const REPAIRS = { "move-cut": "put the cut on the beat", slip: "show a part beside it", "trim-end": "end with the music" };
/** What the heads show now, to leave them alone as long as that stays. */
let headed = "";
function drawHeads() {
  const now = heads.headsOf(d),
    wanted = JSON.stringify(now);
  if (headed === wanted) return heads.place(d, view);
  headed = wanted;
  // They are there once Alpine has drawn them.
  requestAnimationFrame(() => heads.place(d, view));
  page.heads = now;
  page.openHeads = now.filter((h) => h.section === page.openHead);
  page.head = page.openHeads.length > 0;
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
        answer = await ask(`${path()}/alternates?shot=${mine}&words=${words}`);
      if (shot()?.id === mine) instead({ ...answer, fitting: withFrames(answer.fitting) });
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
  page.why = s.why.map(({ part, words }) => ({ part, words: `${words[0].toUpperCase()}${words.slice(1)}.` }));
  page.lacking = s.lacking?.words ?? "";
  page.lackingPlace = s.lacking ? ofJob(`/sift?draft=${d.id}&words=${encodeURIComponent(s.lacking.narrow)}`) : "";
  page.held = heads.stays(s);
  page.opens = d.opening === s.select;
  page.closes = d.closing === s.select;
  page.several = chosenShots().length;
  page.looks = [
    `${s.framing ?? "framing not known"}, ${s.tier ?? "not judged"}`,
    s.clip_rate ? `${Math.round(s.clip_rate * 100) / 100} frames a second` : "",
  ].filter(Boolean);
  page.heard = d.passages.filter((p) => p.start <= s.start).at(-1)?.name ?? "no music";
  page.range = rangeWords(s);
  if ($("track-from")) $("track-from").value = d.passages.find((p) => (index() ? p.from === s.id : p.from === null))?.track ?? "";
  $("pin-kind").value = s.pin;
  drawStrip(s);
  drawPane();
  if (document.activeElement !== $("speed")) $("speed").value = String(Math.round(s.speed * 1000) / 10);
}
/** "in 3.1 · hit 4.2 · out 6.8 · uses 3.4–5.7", in seconds of the clip. @param {Shot} s */
function rangeWords(s) {
  const t = (/** @type {number | null} */ v) => (v === null ? "–" : v.toFixed(1));
  return `in ${t(s.in)} hit ${t(s.hit)} out ${t(s.out)} · uses ${t(s.source)}–${t(s.source + s.used)}`;
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
  if (page.pane === "join") join.draw(d, index());
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
    // In and out of the select as brackets: what lies outside was not chosen.
    pen.strokeStyle = css("--ink");
    pen.lineWidth = 3;
    for (const [edge, way] of /** @type {[number | null, number][]} */ ([
      [s.in, 1],
      [s.out, -1],
    ])) {
      if (edge === null) continue;
      const x = px(edge) + way * 1.5;
      pen.beginPath();
      pen.moveTo(x + way * 6, 2);
      pen.lineTo(x, 2);
      pen.lineTo(x, h - 2);
      pen.lineTo(x + way * 6, h - 2);
      pen.stroke();
    }
    const hit = s.hit_source ?? s.hit;
    if (hit !== null) {
      pen.fillStyle = "#e0553c";
      pen.fillRect(px(hit) - 1, 0, 2, h);
      pen.beginPath();
      pen.moveTo(px(hit) - 5, 0);
      pen.lineTo(px(hit) + 5, 0);
      pen.lineTo(px(hit), 7);
      pen.fill();
    }
    // What stays when the open ones are laid again is closed off by a line along its foot.
    if (heads.stays(s)) {
      pen.fillStyle = css("--act");
      pen.fillRect(a, h - 6, b - a, 6);
    }
  });
}
/** What could stand here, and the set-ups all of whose takes are shown. @type {Alternate[]} */
let found = [];
/** @type {Set<number>} */
const unfolded = new Set();
/** @param {Omit<import("wire").InsteadView, "fitting"> & { fitting: Alternate[] }} answer */
function instead(answer) {
  page.failed = false;
  page.insteadProblem = answer.problems.join("; ");
  page.values = grouped(answer.counts, $("instead-words").value).filter((g) =>
    ["tier", "framing", "role", "movement", "light", "label"].includes(g.name),
  );
  page.unfit = answer.unfit;
  page.noAlternates = answer.fitting.length ? "" : "No other select fits this place.";
  found = answer.fitting;
  page.fit = alternates.count(found);
  page.alternates = alternates.shown(found, unfolded);
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
      const answer = withTables(await ask(`${path()}/${where}`, body, { base: d.revision }));
      // Into what is shown now: it may have been loaded again meanwhile, with this edit or without it.
      if (answer.revision >= d.revision) Object.assign(d, answer);
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

$("new-draft").addEventListener("click", () => asks.make(ofJob("/drafts")));

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
  asks.begin({ path, draft: () => d, shot, chosenShots, act, reload: load });
  const panes = ["time", "picture", "sound", "join"];
  inGroup("looking");
  on("d", "what is shown of the shot: time, picture, sound, join", () => openPane(panes[(panes.indexOf(page.pane) + 1) % panes.length]));
  on("+", "nearer", () => view.zoom(0.7, marksShare()), { repeats: true });
  on("-", "farther", () => view.zoom(1 / 0.7, marksShare()), { repeats: true });
  on("0", "the whole in sight", () => view.set(0, d.total));
  inGroup("laying");
  const ofShot = () => page.findings.find((f) => f.shot === shot().id && f.kind);
  on("\\", "put right what the checks found of this shot", () => {
    const f = page.findings.find((g) => g.shot === shot().id && g.repair);
    if (f) page.repair(f);
    else say("nothing of this shot can be put right by one thing");
  });
  on("|", "what the checks found of this shot is meant", () => {
    const f = ofShot();
    if (f) page.mean(f);
    else say("the checks found nothing of this shot");
  });
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
  $("copy-draft").addEventListener("click", () => asks.make(`${path()}/copy`));
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
    b.addEventListener("click", () => openPane(b.dataset.pane || "time"));
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
  compare.begin({
    draft: () => d,
    view,
    edit,
    seek: (f) => transport.seek(f),
    changed: () => {
      draw();
      const other = compare.otherId();
      page.differences = [];
      if (other)
        asks.differences(path(), other).then(
          (lines) => (page.differences = lines),
          (error) => say(error.message),
        );
    },
  });
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
    const beside = new URLSearchParams(location.search).get("beside");
    if (beside) compare.start(beside);
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
