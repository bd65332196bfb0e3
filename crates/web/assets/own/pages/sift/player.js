// @ts-check
// Looking at one clip: playing with sound, shuttling both ways, loops, frames.
import { $, say, start } from "../../lib/dom.js";
import { light } from "../../lib/filmstrip.js";
import { canPlay } from "../../lib/player/index.js";
import { faster, spoken } from "../../lib/player/shuttle.js";
import * as backwards from "./backwards.js";
import { state } from "./state.js";

const video = $("video");
/** A second before the hit and one after it. */
const AROUND = 1;
let quiet = false;
/** How fast a clip plays as it comes, in times its own speed; 0 where it stands. Kept in this browser. */
const COMING = "legere sift plays";
const FASTEST_COMING = 4;
let coming = Math.min(FASTEST_COMING, Math.max(0, Number(localStorage.getItem(COMING) ?? 1) || 0));
/** What was switched off last, for switching on again. */
let comingBefore = coming || 1;
/** Whether nothing was done with a clip since it came. */
let untouched = false;
/** How fast and which way it is shuttled: 0 stands, negative goes backwards. */
let speed = 0;
/** @type {{ from: number, to: number } | null} what is played over and over */
let loop = null;
/** The instant on the screen while it goes backwards. @type {number | null} */
let behind = null;
/** @type {() => void} */
let reported = () => undefined;

/** @param {() => void} act called when something of how it plays has changed */
export const whenChanged = (act) => {
  reported = act;
};

export const comingAt = () => coming;
/** @param {number} times 0: clips stand when they come */
export function setComing(times) {
  comingBefore = times || coming || comingBefore;
  coming = times;
  localStorage.setItem(COMING, String(times));
  reported();
}
export const toggleComing = () => setComing(coming ? 0 : comingBefore);

/** A clip has come: it plays, unless something was done with it since, or nobody looks at it. */
export function comes() {
  const elsewhere =
    document.hidden || document.querySelector("dialog[open]") || document.activeElement?.matches("input:not([type=checkbox]), textarea");
  if (untouched && coming && !elsewhere) go(coming, () => go(0));
}
/** Another select of the same clip: its first frame, until it plays. @param {number} t */
export function arrive(t) {
  stand(t);
  untouched = true;
}

export const isQuiet = () => quiet;
export const isLooping = () => loop !== null;
/** "2×", "−4×", or nothing. */
export const says = () => spoken(speed);

const loaded = () => state.now && video.getAttribute("src") === light(state.now.clip);
export const at = () => behind ?? (loaded() ? video.currentTime : (state.now?.start ?? 0));

/** What was shown backwards is what the video element stands on from now on. */
function caughtUp() {
  if (behind === null || !state.now) return;
  const t = behind;
  behind = null;
  video.currentTime = (Math.floor(t * state.now.rate + 0.001) + 0.5) / state.now.rate;
  video.addEventListener("seeked", () => behind === null && backwards.hide(), { once: true });
}

/** Fetches the moving picture of what is looked at, with its mark where the select begins. */
export function load() {
  if (!state.now || loaded()) return;
  video.src = light(state.now.clip);
  video.currentTime = state.now.start;
  video.dataset.shown = state.now.id;
  listen();
}
export function rest() {
  caughtUp();
  speed = 0;
  loop = null;
  video.pause();
  video.playbackRate = 1;
}
/** Another clip: its still is shown until it moves. */
export function leave() {
  behind = null;
  backwards.leave();
  rest();
  video.classList.remove("on");
  untouched = true;
  reported();
}
function listen() {
  video.muted = quiet || Boolean(state.now?.muted);
}
export function toggleQuiet() {
  quiet = !quiet;
  listen();
  reported();
}
export const muteChanged = listen;

/** Stands on the frame that an instant lies in. @param {number} t */
export function stand(t) {
  const s = state.now;
  if (!s) return;
  untouched = false;
  load();
  rest();
  video.classList.add("on");
  const frame = Math.floor(Math.max(0, Math.min(s.duration - 0.5 / s.rate, t)) * s.rate + 0.001);
  video.currentTime = (frame + 0.5) / s.rate;
  reported();
}
/** @param {number} n */
export function step(n) {
  const s = state.now;
  if (!s) return;
  load();
  stand((Math.floor(at() * s.rate + 0.001) + n) / s.rate);
}
/** @param {number} seconds */
export const jump = (seconds) => state.now && stand(at() + seconds);

/** @param {number} wanted @param {() => void} [refused] when the browser waits for a first key or click */
function go(wanted, refused) {
  if (wanted >= 0) caughtUp();
  untouched = false;
  speed = wanted;
  load();
  video.classList.add("on");
  if (speed > 0) {
    video.playbackRate = speed;
    listen();
    start(video, refused);
  } else {
    video.pause();
    if (speed < 0) back();
  }
  reported();
}
export function play() {
  if (!state.now) return;
  if (speed !== 0) return go(0);
  if (at() >= state.now.duration - 0.05) stand(state.now.start);
  go(1);
}
export function fromIn() {
  if (!state.now) return;
  stand(state.now.start);
  go(1);
}
export const stop = () => go(0);
/** Faster with each press, in one direction or the other. @param {1 | -1} way */
export function shuttle(way) {
  go(faster(speed, way));
}

/** Backwards, through the live player's decoder; where there is none, by jumping. */
function back() {
  const s = state.now,
    from = at(),
    mine = speed;
  if (!s) return;
  const on = () => state.now === s && speed === mine;
  if (!canPlay()) return jumping(on);
  const ended = () => go(0);
  const moved = (/** @type {number} */ t) => {
    behind = t;
    reported();
  };
  backwards.backwards(s, from, mine, { on, moved, ended }).catch(() => on() && jumping(on));
}

/** The copies have a whole picture every eight frames. @param {() => boolean} on */
function jumping(on) {
  let before = performance.now(),
    wanted = video.currentTime;
  const tick = (/** @type {number} */ time) => {
    if (!on()) return;
    wanted = Math.max(0, wanted + (speed * (time - before)) / 1000);
    before = time;
    if (!video.seeking) video.currentTime = wanted;
    if (wanted <= 0) return go(0);
    requestAnimationFrame(tick);
  };
  requestAnimationFrame(tick);
}

/** From the in, over and over. */
export function loopSelect() {
  const s = state.now;
  if (!s) return;
  if (loop) {
    loop = null;
    go(0);
    return;
  }
  load();
  loop = { from: s.start, to: s.end };
  video.currentTime = s.start;
  go(1);
}
/** Around the hit, over and over. */
export function aroundHit() {
  const s = state.now;
  if (!s) return;
  load();
  loop = { from: Math.max(0, s.hit - AROUND), to: Math.min(s.duration, s.hit + AROUND) };
  video.currentTime = loop.from;
  go(1);
}
const turn = () => {
  if (loop && speed > 0 && (video.currentTime >= loop.to - 0.02 || video.ended)) {
    video.currentTime = loop.from;
    if (video.paused) start(video);
  }
  if (speed !== 0) requestAnimationFrame(turn);
};
video.addEventListener("play", () => requestAnimationFrame(turn));
video.addEventListener("ended", () => {
  if (!loop) go(0);
});
video.addEventListener("error", () => {
  if (video.getAttribute("src")) say("the light copy of this clip cannot be played; Gather can make it again");
});
