// @ts-check
// What changes in the job, thing by thing, as it changes. A window that was away catches up when it is back.
import { ofJob, session } from "./session.js";

/** @typedef {{ id: string, revision: number | null, session: string | null, mine: boolean }} Changed */

/** The windows of a browser share one connection; one without shared workers has its own.
 * @param {string} address @param {(message: { kind: string, data?: string }) => void} each */
function connected(address, each) {
  if (typeof SharedWorker === "undefined") {
    const stream = new EventSource(address);
    for (const kind of ["job", "import", "roll", "clip", "select", "track", "draft", "note", "pass", "handoff", "missed"])
      stream.addEventListener(kind, (event) => each({ kind, data: /** @type {MessageEvent} */ (event).data }));
    stream.addEventListener("open", () => each({ kind: "open" }));
    window.addEventListener("pagehide", () => stream.close());
    return;
  }
  const worker = new SharedWorker("/assets/own/lib/events-worker.js", { name: "legere events" });
  worker.port.addEventListener("message", ({ data }) => each(data));
  worker.port.start();
  worker.port.postMessage({ follow: address });
  window.addEventListener("pagehide", () => worker.port.postMessage({ leave: address }));
  // A page that comes back from the browser's memory follows again.
  window.addEventListener("pageshow", (event) => {
    if (event.persisted) worker.port.postMessage({ follow: address });
  });
}

/** @param {Record<string, (changed: Changed) => void>} handlers by kind of thing
 * @param {() => void} missed something may have been missed: look at everything */
export function follow(handlers, missed) {
  let opened = false;
  connected(ofJob("/events"), ({ kind, data }) => {
    if (kind === "missed") return missed();
    if (kind === "open") {
      // What happened between the page and the stream is looked at as well.
      if (opened || Object.keys(handlers).length) missed();
      opened = true;
      document.documentElement.dataset.following = "yes";
      return;
    }
    const changed = JSON.parse(data || "{}");
    handlers[kind]?.({ ...changed, mine: changed.session === session });
  });
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
