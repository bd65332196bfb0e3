// @ts-check
// The picture of the draft: the live player, its keys, and what is tried out before it is taken.
import { $ } from "../../lib/dom.js";
import { inGroup, on } from "../../lib/keys.js";
import { loadMusic, loadShots } from "../../lib/player/draft.js";
import { canPlay, Player } from "../../lib/player/index.js";
import { spoken } from "../../lib/player/shuttle.js";
import { frames } from "../../lib/time.js";

/** @type {Player | null} */
let player = null;
/** @type {{ draft: () => Draft, shot: () => Shot, moved: (frame: number) => void }} */
let page;
/** @type {import("../../lib/player/draft.js").Tried | null} */
let tried = null;

export const mark = () => player?.mark ?? 0;
export const plays = () => (player?.speed ?? 0) !== 0;
/** @param {number} frame */
export const seek = (frame) => player?.seek(frame, { heard: true });

/** The draft as it is now. @param {Draft} d */
export function load(d) {
  if (!player) return;
  loadShots(player, d, tried);
  moved(player.mark);
  loadMusic(player, d.id, d.music);
}
/** Shows something else in the place of a shot, until it is taken or not. @param {Draft} d
 * @param {import("../../lib/player/draft.js").Tried | null} what */
export function tryOut(d, what) {
  if (!player || (!what && !tried)) return;
  tried = what;
  loadShots(player, d, tried);
  const s = what && d.shots.find((q) => q.id === what.shot);
  // What is tried is looked at where it would stand.
  if (s && (player.mark < s.start || player.mark >= s.start + s.len) && !player.speed) player.seek(s.start);
}

/** @param {number} frame */
function moved(frame) {
  const d = page.draft();
  if (!d || !player) return;
  const speed = player.speed && player.speed !== 1 ? ` · ${spoken(player.speed)}` : "";
  $("at-mark").textContent = `${frames(frame / d.fps, d.fps)}${speed}`;
  $("play").setAttribute("aria-pressed", String(player.speed !== 0));
  page.moved(frame);
}

/** @param {string} what */
function around(what) {
  const d = page.draft(),
    s = page.shot();
  if (!player || !s) return;
  const second = Math.round(d.fps);
  if (what === "cut") player.around(s.start - second, s.start + second);
  else if (what === "whole") player.around(0, d.total);
  else if (what === "section") {
    const section = d.sections.find((q) => s.start < q.end) || d.sections[d.sections.length - 1];
    player.around(section.start, section.end);
  } else {
    // From two bars before, once.
    const ones = d.beats.filter((/** @type {number[]} */ b) => b[2] === 1 && b[0] <= s.start + 1).map((/** @type {number[]} */ b) => b[0]);
    player.loop = null;
    player.seek(ones[Math.max(0, ones.length - 3)] ?? 0);
    player.go(1);
  }
}

/** @param {{ draft: () => Draft, shot: () => Shot, moved: (frame: number) => void }} of */
export function begin(of) {
  page = of;
  if (!canPlay()) {
    $("no-player").textContent = "This browser cannot play a draft by itself: look at it in Watch, where it is rendered first.";
    $("no-player").hidden = false;
    return;
  }
  const mine = new Player($("picture"), moved);
  player = mine;
  /** @type {any} */ ($("picture")).player = mine;
  $("play").addEventListener("click", () => mine.toggle());
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-around]")))
    b.addEventListener("click", () => around(b.dataset.around || ""));
  inGroup("playing");
  on(" ", "play the draft and stop", () => mine.toggle());
  on("j", "shuttle backwards, faster with each press", () => mine.shuttle(-1));
  on("k", "stop", () => mine.go(0));
  on("l", "shuttle on, faster with each press", () => mine.shuttle(1));
  on("Shift+ArrowLeft", "the mark a frame back", () => mine.step(-1), { repeats: true });
  on("Shift+ArrowRight", "the mark a frame on", () => mine.step(1), { repeats: true });
  on("q", "play around the cut, over and over", () => around("cut"));
  on("b", "play from two bars before", () => around("bars"));
  on("s", "play the section, over and over", () => around("section"));
  on("w", "play the whole, over and over", () => around("whole"));
}
