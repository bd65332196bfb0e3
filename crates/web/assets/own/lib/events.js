// @ts-check
// What changes in the job, thing by thing, as it changes. A window that was away catches up when it is back.
import { ofJob, session } from "./session.js";

/** @typedef {{ id: string, revision: number | null, session: string | null, mine: boolean }} Told */

/** @param {Record<string, (told: Told) => void>} handlers by kind of thing
 * @param {() => void} missed something may have been missed: look at everything
 * @returns {EventSource} */
export function follow(handlers, missed) {
  const stream = new EventSource(ofJob("/events"));
  let opened = false;
  for (const [kind, act] of Object.entries(handlers))
    stream.addEventListener(kind, (event) => {
      const told = JSON.parse(/** @type {MessageEvent} */ (event).data);
      act({ ...told, mine: told.session === session });
    });
  stream.addEventListener("missed", missed);
  stream.addEventListener("open", () => {
    // What happened between the page and the stream is looked at as well.
    if (opened || Object.keys(handlers).length) missed();
    opened = true;
    document.documentElement.dataset.following = "yes";
  });
  window.addEventListener("pagehide", () => stream.close());
  return stream;
}

/** Calls at most once in a while, the last call counting.
 * @param {() => void} act @param {number} wait milliseconds */
export function gathered(act, wait) {
  let waiting = 0;
  return () => {
    if (waiting) return;
    waiting = window.setTimeout(() => {
      waiting = 0;
      act();
    }, wait);
  };
}
