// @ts-check
// The page of music: what is read, what is heard, and where.
import { ask, loaded } from "../../lib/api.js";
import { $, say, startOrStop } from "../../lib/dom.js";
import { follow } from "../../lib/events.js";
import { inGroup, on } from "../../lib/keys.js";
import { ofJob } from "../../lib/session.js";

const music = $("music"),
  audio = $("audio");
/** Each module adds what it does for the others. */
export const L = /** @type {Listening} */ (
  /** @type {unknown} */ ({ data: null, peaks: null, part: [0, 0], taps: [], held: null, audio, music })
);
/** @type {(() => void)[]} */
const watchers = [];
L.whenDrawn = (/** @type {() => void} */ act) => watchers.push(act);
L.base = () => ofJob(`/tracks/${music.dataset.track}`);
L.beats = () => L.data.reading.beats;
L.nearest = (/** @type {number[]} */ list, /** @type {number} */ t) =>
  list.reduce((best, q) => (Math.abs(q - t) < Math.abs(best - t) ? q : best), list[0] ?? t);
L.seek = (/** @type {number} */ t) => {
  audio.currentTime = Math.max(0, Math.min(t, L.data.reading.duration - 0.01));
};
// What one hears now: the element is ahead of the loudspeaker by what the sound card holds back.
L.now = () => Math.max(0, audio.currentTime - (audio.paused || !L.sound ? 0 : L.sound.outputLatency || 0));
L.take = (/** @type {Track} */ data) => {
  L.data = data;
  const spans = data.version ? data.version.spans : [[0, data.reading.duration]];
  L.part = [spans[0][0], spans[spans.length - 1][1]];
  L.layout();
  L.drawAll();
  for (const act of watchers) act();
};
L.send = async (/** @type {string} */ path, /** @type {object} */ body) => {
  try {
    L.take(await ask(`${L.base()}/${path}`, body, { base: L.data.revision }));
    return true;
  } catch (error) {
    const refused = /** @type {import("../../lib/api.js").Refused} */ (error);
    say(refused.message);
    if (refused.movedOn) await load();
    return false;
  }
};
const load = async () => {
  if (!L.peaks) {
    const peaks = await fetch(ofJob(`/media/tracks/${music.dataset.track}/peaks.bin`));
    if (!peaks.ok) throw new Error("the waveform is not there");
    L.peaks = new Uint8Array(await peaks.arrayBuffer());
  }
  L.take(await ask(`${L.base()}/reading.json`));
  music.dataset.ready = "yes";
};
const nearestBeat = (/** @type {number} */ t) => {
  const end = L.data.reading.duration;
  return L.nearest([t > end - 0.3 ? end : 0, ...L.beats().map((b) => b.at)], t);
};
const setPart = (/** @type {number} */ start, /** @type {number} */ end) => L.send("version", { spans: [[start, end]] });
/** The parts of the track that are used. @returns {[number, number][]} */
const spans = () => /** @type {[number, number][]} */ (L.data.version ? L.data.version.spans : [[0, L.data.reading.duration]]);
/** The part that an instant lies in; -1 where none is. @param {number} t */
const partAt = (t) => spans().findIndex(([a, b]) => t >= a - 0.01 && t < b);
const startHere = () => {
  const length = L.part[1] - L.part[0],
    t = nearestBeat(audio.currentTime),
    at = partAt(t);
  // What lies behind stays with its seams.
  if (at >= 0) L.send("version", { spans: [[t, spans()[at][1]], ...spans().slice(at + 1)] });
  else setPart(t, Math.min(L.data.reading.duration, Math.max(L.part[1], t + Math.min(length, 2))));
};
const endHere = () => {
  const t = nearestBeat(audio.currentTime),
    at = partAt(t - 0.02);
  if (at >= 0) L.send("version", { spans: [...spans().slice(0, at), [spans()[at][0], t]] });
  else setPart(L.part[0], t);
};
L.play = () => {
  $("other").pause();
  startOrStop(audio);
};

// The click: each beat is put on the same clock that plays the music, a little ahead.
const AHEAD = 0.2;
let clicking = false,
  clickedTo = 0;
/** @type {{ at: number, click: OscillatorNode }[]} */
let ahead = [];
L.openSound = () => {
  if (!L.sound) {
    L.sound = new AudioContext();
    L.sound.createMediaElementSource(audio).connect(L.sound.destination);
  }
  if (L.sound.state === "suspended") L.sound.resume();
  return L.sound;
};
L.tick = (/** @type {number} */ when, /** @type {boolean} */ accent) => {
  const sound = L.openSound(),
    pitch = sound.createOscillator(),
    loud = sound.createGain();
  pitch.frequency.value = accent ? 1760 : 1175;
  loud.gain.setValueAtTime(accent ? 0.5 : 0.3, when);
  loud.gain.exponentialRampToValueAtTime(0.001, when + 0.05);
  pitch.connect(loud).connect(sound.destination);
  pitch.start(when);
  pitch.stop(when + 0.06);
  return pitch;
};
function clicks() {
  if (!clicking || audio.paused) return;
  const at = audio.currentTime;
  if (clickedTo < at - 0.05 || clickedTo > at + 1) clickedTo = at;
  ahead = ahead.filter((c) => c.at > at - 0.1);
  for (const b of L.beats())
    if (b.at >= clickedTo && b.at < at + AHEAD)
      ahead.push({ at: b.at, click: L.tick(L.openSound().currentTime + (b.at - at), b.beat === 1) });
  clickedTo = Math.max(clickedTo, at + AHEAD);
}
// Where the music stops or jumps, the clicks that were to come do not.
function hush() {
  for (const c of ahead) c.click.stop();
  ahead = [];
  clickedTo = 0;
}
L.click = () => {
  L.openSound();
  clicking = !clicking;
  clickedTo = 0;
  $("click").setAttribute("aria-pressed", clicking);
  $("click").classList.toggle("pressed", clicking);
};

document.addEventListener("DOMContentLoaded", () => {
  if (!music) return;
  $("play").addEventListener("click", L.play);
  $("click").addEventListener("click", L.click);
  $("start-here").addEventListener("click", startHere);
  $("end-here").addEventListener("click", endHere);
  $("choose").addEventListener("click", async () => {
    await ask(`${L.base()}/choose`, {});
    location.reload();
  });
  inGroup("playing");
  on(" ", "play and stop", L.play);
  on("c", "a click on the beats", L.click);
  on("i", "the part starts at the beat here", startHere);
  on("o", "the part ends at the beat here", endHere);
  const beat = (/** @type {number} */ n) => {
    const list = L.beats(),
      at = list.findIndex((b) => b.at > audio.currentTime + 0.03);
    const i = n > 0 ? at : (at < 0 ? list.length : at) - 2;
    if (list[i]) L.seek(list[i].at);
  };
  on("ArrowLeft", "a beat back", () => beat(-1));
  on("ArrowRight", "a beat on", () => beat(1));
  on("ArrowUp", "a line back", () => L.seek(audio.currentTime - L.lineSeconds()));
  on("ArrowDown", "a line on", () => L.seek(audio.currentTime + L.lineSeconds()));
  setInterval(clicks, 50);
  audio.addEventListener("pause", hush);
  audio.addEventListener("seeking", hush);
  document.addEventListener("legere:changed", () => loaded(load));
  document.addEventListener("legere:redraw", () => L.drawAll());
  window.addEventListener("resize", () => L.drawAll());
  document.fonts.ready.then(() => loaded(load)).then(() => requestAnimationFrame(L.follow));
  const again = () => L.data && loaded(load);
  follow({ track: ({ id, mine }) => void (id === music.dataset.track && !mine && again()) }, again);
});
