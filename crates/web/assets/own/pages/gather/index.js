// @ts-check
// Lines change while the clips are read: only what changed is fetched, so that a thousand lines stay still.
import { $ } from "../../lib/dom.js";
import { follow, gathered } from "../../lib/events.js";
import { ofJob } from "../../lib/session.js";
import "./uploads.js";

/** @type {any} */
const htmx = window.htmx;
/** @type {Set<string>} */
const changed = new Set();
let wholeAt = 0;
let whole = false;

const rolls = () => $("rolls");
const address = () => rolls().dataset.address;
/** @returns {HTMLElement | null} */
const more = () => document.querySelector("[data-more]");

// Puts what has changed among what is the same: two thousand lines that were all replaced would stop the page for a second
// each time. Parts are known by their ids; the inside of a [data-parts] is laid in the same way.
/** @param {Element} old @param {ParentNode} fresh */
function lay(old, fresh) {
  let at = old.firstElementChild;
  for (const part of /** @type {HTMLElement[]} */ ([...fresh.children])) {
    const known = part.id ? $(part.id) : at;
    const here = known && known.parentNode === old;
    const open = "parts" in part.dataset;
    if (here && (open || known.isEqualNode(part))) {
      if (known === at) at = /** @type {Element} */ (at).nextElementSibling;
      else old.insertBefore(known, at);
      if (open) lay(known, part);
    } else {
      old.insertBefore(part, at);
      if (here && known === at) at = /** @type {Element} */ (at).nextElementSibling;
      if (here) known.remove();
    }
  }
  while (at) {
    const next = at.nextElementSibling;
    at.remove();
    at = next;
  }
}
// The way in which htmx swaps the rolls; the fetching and what goes elsewhere on the page stay its own work.
htmx.defineExtension("lay", {
  isInlineSwap: (/** @type {string} */ style) => style === "lay",
  handleSwap(/** @type {string} */ style, /** @type {Element} */ target, /** @type {ParentNode} */ fragment) {
    if (style === "lay") lay(target, fragment);
    return style === "lay";
  },
});

/** How many lines the page shows, or wants to. */
let lines = 0;

async function layAnew() {
  wholeAt = Date.now();
  whole = false;
  changed.clear();
  const wanted = lines ? `?lines=${lines}` : "";
  await htmx.ajax("GET", `${address()}/gather/rolls${wanted}`, { source: "#rolls", target: "#rolls", swap: "lay" });
  watchEnd();
}
async function refresh() {
  const unknown = [...changed].some((id) => !$(`clip-${id}`)) && !more();
  // Recording times are known once a clip is read, so the order is laid again now and then.
  if (whole || unknown || Date.now() - wholeAt > 8000) return layAnew();
  const ids = [...changed].filter((id) => $(`clip-${id}`)).slice(0, 100);
  changed.clear();
  if (ids.length) await htmx.ajax("GET", `${address()}/gather/lines?clips=${ids.join(",")}`, { target: "#rolls", swap: "none" });
  const busy = document.querySelector("tr[data-state=waiting], tr[data-state=reading]");
  if (!busy) {
    whole = true;
    later();
  }
}
const later = gathered(refresh, 700);

// Further lines come as one looks down.
const end = new IntersectionObserver(
  (seen) => {
    const next = more();
    if (!next || !seen.some((s) => s.isIntersecting)) return;
    lines = Number(next.dataset.more);
    layAnew();
  },
  { rootMargin: "600px" },
);
function watchEnd() {
  end.disconnect();
  const next = more();
  if (next) end.observe(next);
  watchLines();
}

// What is being looked at is read first.
/** @type {Set<string>} */
const inSight = new Set();
const tell = gathered(() => {
  const clips = [...inSight].filter((id) => $(`clip-${id}`)?.dataset.state === "waiting");
  if (clips.length)
    fetch(ofJob("/gather/look"), {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ clips: clips.slice(0, 500) }),
    }).catch(() => undefined);
}, 400);
const sight = new IntersectionObserver((seen) => {
  for (const s of seen) {
    const id = s.target.id.slice(5);
    s.isIntersecting ? inSight.add(id) : inSight.delete(id);
  }
  tell();
});
function watchLines() {
  sight.disconnect();
  inSight.clear();
  for (const row of document.querySelectorAll("tr[data-state=waiting]")) sight.observe(row);
}
// Time zones are known to the browser.
const zones = $("zones");
for (const zone of /** @type {any} */ (Intl).supportedValuesOf?.("timeZone") || []) {
  const option = document.createElement("option");
  option.value = zone;
  zones.append(option);
}

const all = () => {
  whole = true;
  later();
};
follow(
  {
    clip: ({ id }) => {
      changed.add(id);
      later();
    },
    track: all,
    roll: all,
    import: all,
    job: all,
  },
  all,
);
document.addEventListener("legere:changed", layAnew);
document.addEventListener("legere:edited", all);
watchEnd();
