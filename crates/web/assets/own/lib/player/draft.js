// @ts-check
// A draft as the live player plays it.
import { say } from "../dom.js";
import { ofJob } from "../session.js";
import { BLACK } from "./index.js";
import { withFrames } from "./table.js";

/** @typedef {{ shot: string, clip: string, frames: number[], toward?: number[] }} Tried something in the place of a shot */

/** A draft whose shots have their tables. @template {{ shots: import("wire").ShotView[] }} D
 * @param {D} d @returns {D & { shots: Shot[] }} */
export const withTables = (d) => ({ ...d, shots: withFrames(d.shots) });

/** The pictures of a draft. @param {import("./index.js").Player} player @param {Draft} d @param {Tried | null} [tried] */
export function loadShots(player, d, tried) {
  player.load(
    d.shots.map((s) =>
      tried && tried.shot === s.id && tried.frames.length === s.len
        ? { clip: tried.clip, frames: tried.frames, toward: tried.toward }
        : { clip: s.clip, frames: s.frames.length === s.len ? s.frames : new Array(s.len).fill(BLACK), toward: s.toward },
    ),
    d.fps,
  );
}

/** Its music, as it is cut. @param {import("./index.js").Player} player @param {string} draft
 * @param {string} heard what it is known by: another one is fetched again */
export function loadMusic(player, draft, heard) {
  player.music.load(ofJob(`/media/drafts/${draft}/music.flac?heard=${heard}`)).catch((error) => say(error.message));
}
