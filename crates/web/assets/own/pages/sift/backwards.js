// @ts-check
// A clip played backwards: its frames come out of the live player's decoder, group by group ahead of what is shown, so that each
// one is there in its turn. A page's video element can only jump.
import { $ } from "../../lib/dom.js";
import { light } from "../../lib/filmstrip.js";
import { ClipFrames } from "../../lib/player/decoder.js";

/** Seconds of playing that are decoded ahead. */
const AHEAD = 0.5;

/** @type {ClipFrames | null} */
let frames = null;
let of = "";

/** Goes back from an instant until the start is there or `on` says no. `moved` gets the instant on the screen.
 * @param {{ clip: string, duration: number }} clip @param {number} from seconds @param {number} speed negative
 * @param {{ on: () => boolean, moved: (at: number) => void, ended: () => void }} how */
export async function backwards(clip, from, speed, how) {
  if (of !== clip.clip) {
    leave();
    frames = new ClipFrames(light(clip.clip), () => undefined);
    of = clip.clip;
  }
  const mine = /** @type {ClipFrames} */ (frames);
  await mine.ready;
  if (!how.on() || frames !== mine) return;
  const canvas = /** @type {HTMLCanvasElement} */ ($("backwards")),
    pen = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d", { alpha: false })),
    count = mine.film?.samples.length ?? 1,
    rate = count / clip.duration,
    reach = Math.ceil(AHEAD * rate * -speed);
  /** @type {number | null} */
  let begun = null;
  const turn = (/** @type {number} */ time) => {
    if (!how.on() || frames !== mine) return;
    const at = begun === null ? from : Math.max(0, from + (speed * (time - begun)) / 1000),
      k = mine.inside(Math.floor(at * rate + 0.001)),
      wanted = Array.from({ length: reach + 1 }, (_, i) => k - i).filter((n) => n >= 0);
    mine.keepOnly(wanted);
    for (const n of wanted) mine.want(n);
    const frame = mine.get(k);
    if (frame) {
      begun ??= time;
      if (canvas.width !== frame.displayWidth || canvas.height !== frame.displayHeight) {
        canvas.width = frame.displayWidth;
        canvas.height = frame.displayHeight;
      }
      pen.drawImage(frame, 0, 0);
      canvas.dataset.frame = String(k);
      canvas.classList.add("on");
      how.moved(at);
      if (at <= 0) return how.ended();
    }
    requestAnimationFrame(turn);
  };
  requestAnimationFrame(turn);
}

/** Shows what lies below again. */
export function hide() {
  $("backwards").classList.remove("on");
}

/** Lets go of the clip. */
export function leave() {
  hide();
  frames?.close();
  frames = null;
  of = "";
}
