// @ts-check
// Watch: the whole draft with its music, notes while it runs, and the checks.
import { ask, loaded } from "../../lib/api.js";
import { $, css, say, startOrStop, svg } from "../../lib/dom.js";
import { follow } from "../../lib/events.js";
import { inGroup, on } from "../../lib/keys.js";
import { loadMusic, loadShots, withTables } from "../../lib/player/draft.js";
import { canPlay, Player } from "../../lib/player/index.js";
import { onScreen } from "../../lib/screen.js";
import { ofJob } from "../../lib/session.js";
import { clock, frames } from "../../lib/time.js";
import { between } from "../../lib/tone.js";

const draft = $("draft"),
  video = $("video");
/** Once it is loaded. @type {Omit<import("wire").WatchView, "shots"> & Draft} */
let d;
let noteFrame = 0;
const path = () => ofJob(`/drafts/${draft.dataset.draft}`);
/** The live player; none where the browser has no decoder for it, or where the rendered preview is looked at.
 * @type {Player | null} */
let live = null;
const frame = () => (live ? live.mark : Math.floor(video.currentTime * d.fps + 0.01));
/** @param {number} f */
const seek = (f) => {
  if (live) live.seek(f, { heard: true });
  else video.currentTime = (Math.max(0, Math.min(d.total - 1, f)) + 0.5) / d.fps;
};

/** What the page shows beside the picture. */
const page = onScreen("watch", {
  /** @type {string[]} */
  figures: [],
  /** @type {import("wire").NoteView[]} */
  notes: [],
  /** @type {{ words: string, frame: number | null }[]} */
  findings: [],
  /** How far the preview is, in words. */
  making: "",
  /** It is being made, and can be stopped. */
  busy: false,
  /** It was stopped, and can be begun again. */
  stopped: false,
  /** @param {number} f */
  go(f) {
    go(f);
  },
  /** @param {import("wire").NoteView} n */
  remove(n) {
    keep(() => ask(`${path()}/notes/${n.id}`, undefined, { method: "DELETE" }));
  },
  async stop() {
    making++;
    Object.assign(page, { busy: false, stopped: true, making: "the preview was stopped" });
    await ask(`${path()}/preview`, undefined, { method: "DELETE" }).catch((error) => say(error.message));
  },
  begin() {
    make();
  },
});

/** Which asking for a preview counts: an edit begins a new one. */
let making = 0;
async function make() {
  const mine = ++making;
  Object.assign(page, { busy: false, stopped: false, making: "" });
  try {
    // One changed shot is ready in under a second; a whole draft takes longer, and asking costs what rendering needs.
    for (let wait = 120; mine === making; wait = Math.min(600, wait * 1.3)) {
      const p = await ask(`${path()}/preview`, {});
      if (mine !== making) return;
      page.busy = p.state === "making";
      if (p.state === "ready") {
        page.making = "";
        const src = ofJob(`/media/previews/${p.key}.mp4`);
        if (!video.src.endsWith(src)) video.src = src;
        video.dataset.ready = p.key;
        return;
      }
      if (p.state === "failed") {
        page.making = p.words;
        return;
      }
      page.making = `making the preview: ${p.ready} of ${p.total} shots`;
      await new Promise((done) => setTimeout(done, wait));
    }
  } catch (error) {
    Object.assign(page, { busy: false, making: /** @type {Error} */ (error).message });
  }
}
function drawLine() {
  const inside = [],
    x = (/** @type {number} */ f) => (f / d.total) * 760,
    stops = ["--calm", "--warm", "--hot"].map(css);
  for (const [i, s] of d.shots.entries()) {
    const h = Math.max(3, (s.level / 100) * 44);
    const r = svg("rect", {
      class: "line-shot",
      x: x(s.start),
      y: 48 - h,
      width: x(s.len),
      height: h,
      fill: between(s.level, stops),
    });
    r.append(svg("title", {}, `shot ${i + 1}, ${s.name}`));
    inside.push(r);
  }
  for (const n of d.notes) inside.push(svg("circle", { class: "note", cx: x(n.frame), cy: 54, r: 4 }));
  inside.push(svg("line", { class: "now", y1: 0, y2: 60 }));
  $("line").replaceChildren(...inside);
  mark();
}
/** Only what moves while it plays. */
function mark() {
  const f = frame(),
    x = (f / d.total) * 760,
    line = document.querySelector("#line .now");
  if (line) for (const end of ["x1", "x2"]) line.setAttribute(end, String(x));
  const s = d.shots.findIndex((q) => f < q.start + q.len);
  $("at").textContent = `${frames(f / d.fps, d.fps)}  shot ${s < 0 ? d.shots.length : s + 1} of ${d.shots.length}`;
  const now = d.shots[s < 0 ? d.shots.length - 1 : s];
  if (now) $("to-arrange").href = ofJob(`/arrange?draft=${draft.dataset.draft}&shot=${now.id}`);
}
/** @param {number} f */
const go = (f) => {
  if (live) live.go(0);
  else video.pause();
  seek(f);
};
function showNotes() {
  page.notes = d.notes;
  $("says-watch").textContent = d.notes.length === 1 ? "1 note" : d.notes.length ? `${d.notes.length} notes` : "no notes";
}
/** @param {() => Promise<any>} act */
async function keep(act) {
  try {
    d.notes = await act();
    showNotes();
    drawLine();
    return true;
  } catch (error) {
    say(/** @type {Error} */ (error).message);
    return false;
  }
}
function showLists() {
  const f = d.figures,
    target = d.target ? `, wanted ${clock(d.target)}` : "";
  page.figures = [
    `${d.length}${target}`,
    `${f.shots} shots`,
    `${(f.shortest / d.fps).toFixed(2)}–${(f.longest / d.fps).toFixed(2)} s, average ${(f.average / d.fps).toFixed(2)}`,
    `agreement ${f.agreement.toFixed(2)}`,
  ];
  page.findings = d.findings.length ? d.findings : [{ words: d.nothing_found, frame: null }];
  showNotes();
}
const play = () => (live ? live.toggle() : startOrStop(video));
/** Plays the draft from its light copies, or the preview that is rendered first. @param {boolean} rendered */
function show(rendered) {
  const at = d ? frame() : 0;
  live?.go(0);
  video.pause();
  live = rendered ? null : player;
  $("picture").hidden = rendered;
  $("rendered").setAttribute("aria-pressed", String(rendered));
  if (rendered && d) make();
  else Object.assign(page, { busy: false, stopped: false, making: "" });
  if (d) seek(at);
}
/** @type {Player | null} */
let player = null;
function begun() {
  if (!canPlay()) {
    say("this browser cannot play a draft by itself: the preview is rendered first");
    return show(true);
  }
  const mine = new Player($("picture"), () => d && mark());
  player = mine;
  /** @type {any} */ ($("picture")).player = mine;
  show(false);
}
function loadLive() {
  if (!player) return;
  loadShots(player, d);
  loadMusic(player, draft.dataset.draft, d.music);
}
function note() {
  noteFrame = frame();
  $("note-at").textContent = frames(noteFrame / d.fps, d.fps);
  $("note-form").hidden = false;
  $("note-words").value = "";
  $("note-words").focus();
}
/** @param {number} n */
function shot(n) {
  const f = frame(),
    i = d.shots.findIndex((q) => f < q.start + q.len),
    s = d.shots[Math.max(0, Math.min(d.shots.length - 1, i + n))];
  if (s) seek(s.start);
}
async function load() {
  d = withTables(await ask(`${path()}/watch.json`));
  showLists();
  loadLive();
  drawLine();
  if (!live) make();
}

if (draft) {
  $("play").addEventListener("click", play);
  $("note").addEventListener("click", note);
  $("note-form").addEventListener("submit", async (/** @type {Event} */ e) => {
    e.preventDefault();
    // What was typed stays until it is kept.
    const kept = await keep(() => ask(`${path()}/notes`, { frame: noteFrame, words: $("note-words").value }));
    if (!kept) return;
    $("note-form").hidden = true;
    $("note-words").blur();
  });
  $("line").addEventListener("pointerdown", (/** @type {PointerEvent} */ e) => {
    const box = $("line").getBoundingClientRect();
    seek(Math.floor(((e.clientX - box.left) / box.width) * d.total));
  });
  const tick = () => {
    if (d) mark();
    if (!video.paused) requestAnimationFrame(tick);
  };
  video.addEventListener("play", tick);
  video.addEventListener("seeked", () => d && mark());
  $("rendered").addEventListener("click", () => show(Boolean(live)));
  const fill = () => {
    if (document.fullscreenElement) document.exitFullscreen();
    else
      document
        .querySelector(".screen")
        ?.requestFullscreen()
        .catch(() => say("this browser does not fill the screen"));
  };
  $("fill").addEventListener("click", fill);
  inGroup("watching");
  on("f", "fill the screen, and back", fill);
  on("j", "shuttle backwards, faster with each press", () => live?.shuttle(-1));
  on("k", "stop", () => (live ? live.go(0) : video.pause()));
  on("l", "shuttle on, faster with each press", () => live?.shuttle(1));
  on("Enter", "this shot in Arrange", () => location.assign($("to-arrange").href));
  on(" ", "play and stop", play);
  on("m", "a note here, while it runs", note);
  on("ArrowLeft", "a frame back", () => go(frame() - 1), { repeats: true });
  on("ArrowRight", "a frame on", () => go(frame() + 1), { repeats: true });
  on(",", "the shot before", () => shot(-1), { repeats: true });
  on(".", "the next shot", () => shot(1), { repeats: true });
  document.addEventListener("legere:changed", () => loaded(load));
  document.addEventListener("legere:redraw", () => d && drawLine());
  begun();
  loaded(load);
  const notes = () => keep(() => ask(`${path()}/notes`));
  follow(
    {
      note: ({ mine }) => !mine && d && notes(),
      draft: ({ id, mine }) => id === draft.dataset.draft && !mine && loaded(load),
      track: ({ mine }) => !mine && d && loaded(load),
    },
    () => d && loaded(load),
  );
}
