// @ts-check
// Two drafts on one ruler: the other one's skyline under this one's, what differs marked in both, both pictures played by one key;
// a shot or a section is taken over.
import { ask } from "../../lib/api.js";
import { $, say } from "../../lib/dom.js";
import { loadShots, withTables } from "../../lib/player/draft.js";
import { canPlay, Player } from "../../lib/player/index.js";
import { ofJob } from "../../lib/session.js";
import { Skyline } from "./skyline.js";

/** @typedef {{ draft: () => Draft, view: import("./view.js").View, edit: (body: Command) => void, seek: (frame: number) => void,
 *   changed: () => void }} Of */

/** @type {Draft | null} the other draft */
let other = null;
/** @type {string | null} the shot of the other one that is chosen */
let chosen = null;
/** @type {Skyline | null} */
let sky = null;
/** @type {Player | null} */
let picture = null;
/** @type {Of} */
let of;

export const isOpen = () => other !== null;
export const otherId = () => other?.id ?? null;

/** What a shot shows and where, to tell apart. @param {Shot} s */
const named = (s) => `${s.start} ${s.len} ${s.clip} ${s.frames[0]} ${s.frames[s.frames.length - 1]} ${s.frames[s.frames.length >> 1]}`;
/** Shots of `a` that `b` has not got. @param {Draft | null} a @param {Draft | null} b @returns {(s: Shot) => boolean} */
export function unlike(a, b) {
  if (!a || !b) return () => false;
  const there = new Set(b.shots.map(named));
  return (s) => !there.has(named(s));
}

/** For the first skyline: what of it differs. */
export const differs = () => unlike(of?.draft(), other);

export function draw() {
  if (!other || !sky) return;
  const at = other.shots.findIndex((s) => s.id === chosen);
  sky.draw(other, at, unlike(other, of.draft()));
  const s = other.shots[at];
  $("other-shot").textContent = s ? `shot ${at + 1}, ${s.name ?? "left out"}, ${s.len} frames` : "choose a shot of it";
  $("take-shot").disabled = !s;
  $("take-section").disabled = !s;
}

/** Another stretch is in sight. */
export const follow = () => other !== null && sky?.follow();

/** The mark is one for both. @param {number} frame */
export function moved(frame) {
  if (!other) return;
  sky?.mark(frame);
  picture?.stand(Math.min(frame, other.total - 1));
}

/** @param {string} id none: the comparison is closed */
export async function open(id) {
  if (!id) {
    other = null;
    $("other").hidden = $("other-side").hidden = true;
    of.changed();
    return;
  }
  try {
    other = /** @type {Draft} */ (withTables(await ask(ofJob(`/drafts/${id}.json`))));
  } catch (error) {
    say(/** @type {Error} */ (error).message);
    return;
  }
  chosen = null;
  $("other").hidden = $("other-side").hidden = false;
  $("other-title").textContent = other.title;
  if (canPlay()) {
    picture ??= new Player($("other-picture"), () => undefined);
    loadShots(picture, other);
  }
  of.changed();
}

/** @param {Of} page */
export function begin(page) {
  of = page;
  const list = $("compare");
  if (!list) return;
  const acts = {
    mark: page.seek,
    choose: (/** @type {string} */ id) => {
      chosen = id;
      const s = other?.shots.find((q) => q.id === id);
      if (s) page.seek(s.start);
      draw();
    },
  };
  sky = new Skyline($("other-skyline"), page.view, acts, null);
  sky.low(true);
  page.view.wheel($("other-skyline"));
  list.addEventListener("change", () => open(list.value));
  const section = () => {
    const s = other?.shots.find((q) => q.id === chosen);
    return s && other ? other.sections.findIndex((q) => s.start < q.end) : -1;
  };
  $("take-shot").addEventListener("click", () => page.edit({ do: "take-over", draft: other?.id, shot: chosen }));
  $("take-section").addEventListener("click", () => page.edit({ do: "take-over", draft: other?.id, section: section() }));
  $("close-other").addEventListener("click", () => {
    list.value = "";
    open("");
  });
}

/** Opens the draft that the address names. @param {string} id */
export function start(id) {
  const list = $("compare");
  if (!list) return;
  list.value = id;
  if (list.value === id) open(id);
}

/** Opens the next draft to compare with, or closes. */
export function next() {
  const list = $("compare");
  if (!list) return say("there is no other draft: copy this one, or lay a new one");
  list.selectedIndex = (list.selectedIndex + 1) % list.options.length;
  open(list.value);
}
