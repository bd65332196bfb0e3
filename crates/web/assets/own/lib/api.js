// @ts-check
// Asking the server. What it refuses is an error with its words; what was kept is passed to the page, so that undo knows.
import { headers, settled } from "./session.js";

export class Refused extends Error {
  /** @param {string} message @param {number} status 0 when nobody answered */
  constructor(message, status) {
    super(message);
    this.status = status;
  }
  /** Whether another window has changed the same thing. */
  get movedOn() {
    return this.status === 409;
  }
}

/** @param {string} path
 * @param {any} [body] what is posted; without, it is only asked
 * @param {{ method?: string, base?: number }} [how] `base` is the revision of the thing that the page shows
 * @returns {Promise<any>} */
export async function ask(path, body, how = {}) {
  const method = how.method || (body === undefined ? "GET" : "POST");
  await settled;
  /** @type {Record<string, string>} */
  const all = headers();
  if (body !== undefined) all["content-type"] = "application/json";
  if (how.base !== undefined) all["x-legere-base"] = String(how.base);
  let answer;
  try {
    const text = body === undefined ? undefined : JSON.stringify(body);
    // What was pressed is sent to its end, also when the page is left meanwhile; browsers bound the size of that.
    const keepalive = method !== "GET" && (text || "").length < 30_000;
    answer = await fetch(path, { method, headers: all, body: text, keepalive });
  } catch {
    throw new Refused("Legere does not answer: is it still running?", 0);
  }
  if (!answer.ok) throw new Refused(await answer.text(), answer.status);
  if (method !== "GET") document.dispatchEvent(new CustomEvent("legere:edited"));
  return answer.status === 204 ? null : answer.json();
}

/** Loads what a page needs; what cannot be loaded is said where the page would be, with a way to try again.
 * @param {() => Promise<void>} load */
export async function loaded(load) {
  const box = document.getElementById("load-problem") || document.getElementById("problem");
  try {
    if (box) box.replaceChildren();
    await load();
  } catch (error) {
    if (!box) throw error;
    const again = document.createElement("button");
    again.type = "button";
    again.className = "link";
    again.textContent = "try again";
    again.addEventListener("click", () => loaded(load));
    box.replaceChildren(`This could not be loaded: ${/** @type {Error} */ (error).message}. `, again);
  }
}
