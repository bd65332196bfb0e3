// @ts-check
// The candidate tracks beside each other: sort, narrow, describe, hear one while looking at another.
import { ask } from "../../lib/api.js";
import { $, say, start } from "../../lib/dom.js";
import { ofJob } from "../../lib/session.js";

const body = () => /** @type {HTMLTableSectionElement} */ (document.querySelector(".tracks tbody"));
const rows = () => [...body().rows];
/** @param {number} column @param {HTMLElement} head */
function sort(column, head) {
  const down = head.getAttribute("aria-sort") === "ascending";
  for (const th of document.querySelectorAll(".tracks th[aria-sort]")) th.setAttribute("aria-sort", "none");
  head.setAttribute("aria-sort", down ? "descending" : "ascending");
  const key = (/** @type {HTMLElement} */ row) => row.getAttribute(`data-key-${column}`) || "";
  const by = (/** @type {HTMLElement} */ a, /** @type {HTMLElement} */ b) => {
    // What has no value stands last, either way.
    if (!key(a) || !key(b)) return key(a) ? -1 : key(b) ? 1 : 0;
    const order = column >= 5 ? Number(key(a)) - Number(key(b)) : key(a).localeCompare(key(b));
    return down ? -order : order;
  };
  body().replaceChildren(...rows().sort(by));
}
/** @param {string} words */
function narrow(words) {
  const wanted = words.toLowerCase().split(/\s+/);
  for (const row of rows()) {
    // biome-ignore lint/performance/useDomNodeTextContent: what a row does not show is not looked through
    const text = [row.innerText, ...[...row.querySelectorAll("input")].map((i) => i.value)].join(" ").toLowerCase();
    row.hidden = !wanted.every((w) => text.includes(w));
  }
}
/** @param {HTMLElement} row @param {HTMLInputElement} input */
async function describe(row, input) {
  const what = input.dataset.about || "";
  try {
    await ask(ofJob(`/tracks/${row.dataset.track}/about`), { [what]: input.value });
    row.setAttribute(`data-key-${["title", "maker", "mood", "theme", "genre"].indexOf(what)}`, input.value);
  } catch (error) {
    say(/** @type {Error} */ (error).message);
  }
}
// The page stays as it is; only what is heard changes.
/** @param {HTMLElement} row @param {Element} button */
function hear(row, button) {
  const other = $("other") || new Audio(),
    src = ofJob(`/media/tracks/${row.dataset.track}/light.flac`);
  const playing = !other.paused && other.getAttribute("src") === src;
  for (const b of document.querySelectorAll(".hear")) b.textContent = "hear";
  if (playing) {
    other.pause();
    return;
  }
  if ($("audio")) $("audio").pause();
  if (other.getAttribute("src") !== src) other.src = src;
  start(other);
  button.textContent = "stop";
}
document.addEventListener("DOMContentLoaded", () => {
  if (!body()) return;
  /** @type {NodeListOf<HTMLElement>} */
  const sorts = document.querySelectorAll("[data-sort]");
  for (const b of sorts) b.addEventListener("click", () => sort(Number(b.dataset.sort), /** @type {HTMLElement} */ (b.closest("th"))));
  // The track on the page is the first that is seen, below the heads of the columns.
  const shown = /** @type {HTMLElement} */ (body().querySelector(".shown")),
    list = /** @type {HTMLElement} */ (document.querySelector(".tracks")),
    head = /** @type {HTMLElement} */ (list.querySelector("thead"));
  if (shown) list.scrollTop = shown.offsetTop - head.offsetHeight;
  $("track-words").addEventListener("input", (/** @type {{ target: HTMLInputElement }} */ e) => narrow(e.target.value));
  for (const row of rows()) {
    for (const input of row.querySelectorAll("input")) input.addEventListener("change", () => describe(row, input));
    const button = row.querySelector(".hear");
    if (button) button.addEventListener("click", () => hear(row, button));
  }
});
