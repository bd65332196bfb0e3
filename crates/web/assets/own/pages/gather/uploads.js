// @ts-check
// Files that are chosen or dropped: sent piece by piece, one after the other, and gone on with where they stopped.
import { ask } from "../../lib/api.js";
import { $ } from "../../lib/dom.js";
import { onScreen } from "../../lib/screen.js";
import { headers } from "../../lib/session.js";

/** Sent at once; what a broken connection loses at most. */
const PIECE = 8 << 20;
/** Waits after a failure, in milliseconds; the last one again and again. */
const WAITS = [500, 2000, 5000, 10_000];

const address = $("bring").dataset.uploads;
const page = onScreen("uploads", {
  /** @type {{ name: string, bytes: number, have: number, said: string, problem: string, done: boolean }[]} */
  lines: [],
});

/** @typedef {{ file: File, path: string, drop: string }} Dropped */
/** @type {Dropped[]} */
const waiting = [];
let busy = false;

/** @param {number} bytes */
const size = (bytes) => (bytes < 1e9 ? `${(bytes / 1e6).toFixed(1)} MB` : `${(bytes / 1e9).toFixed(2)} GB`);
/** @param {number} ms */
const pause = (ms) => new Promise((done) => setTimeout(done, ms));

/** @param {string} name @param {any} change */
function line(name, change) {
  page.lines = page.lines.map((l) => (l.name === name ? { ...l, ...change } : l));
}

/** SHA-256, in hexadecimal. @param {Blob} blob */
async function digest(blob) {
  const sum = new Uint8Array(await crypto.subtle.digest("SHA-256", await blob.arrayBuffer()));
  return [...sum].map((b) => b.toString(16).padStart(2, "0")).join("");
}
/** What the server knows a file by: its first and its last mebibyte. @param {File} file */
const sampleOf = (file) => digest(file.size <= 2 << 20 ? file : new Blob([file.slice(0, 1 << 20), file.slice(file.size - (1 << 20))]));

/** Sends one file to its end. @param {Dropped} dropped */
async function send({ file, path, drop }) {
  let failures = 0,
    announced;
  try {
    announced = { drop, path, bytes: file.size, modified: file.lastModified, sample: await sampleOf(file) };
  } catch {
    line(path, { said: "", problem: "the browser can no longer read this file: choose it again" });
    return false;
  }
  for (;;) {
    try {
      const upload = await ask(address, announced);
      let { have, whole } = upload;
      const begun = performance.now(),
        from = have;
      while (!whole) {
        line(path, { have, said: `${size(have)} of ${size(file.size)}${speed(have - from, begun)}` });
        const piece = file.slice(have, have + PIECE);
        const answer = await fetch(`${address}/${upload.id}?from=${have}`, {
          method: "PUT",
          headers: {
            ...headers(),
            "content-type": "application/octet-stream",
            "x-legere-digest": await digest(piece),
          },
          body: piece,
        });
        if (!answer.ok) throw Object.assign(new Error(await answer.text()), { status: answer.status });
        ({ have, whole } = await answer.json());
        failures = 0;
      }
      line(path, { have: file.size, done: true, said: size(file.size) });
      return true;
    } catch (error) {
      const refused = /** @type {any} */ (error).status;
      // What was refused for good stays refused; a connection may come back.
      if (refused && refused !== 507 && failures > 0) {
        line(path, { problem: /** @type {Error} */ (error).message });
        return false;
      }
      if (refused === 422 || refused === 400) {
        failures++;
        line(path, { said: "", problem: /** @type {Error} */ (error).message });
        if (!/sent again/.test(/** @type {Error} */ (error).message) || failures > 5) return false;
        line(path, { problem: "" });
        continue;
      }
      line(path, { said: "the connection is broken: it goes on by itself" });
      await pause(WAITS[Math.min(failures++, WAITS.length - 1)]);
    }
  }
}
/** @param {number} sent @param {number} begun */
function speed(sent, begun) {
  const seconds = (performance.now() - begun) / 1000;
  return sent && seconds > 1 ? `, ${size(sent / seconds)} a second` : "";
}

async function work() {
  if (busy) return;
  busy = true;
  window.addEventListener("beforeunload", warn);
  let came = 0;
  for (let next = waiting.shift(); next; next = waiting.shift()) {
    if (await send(next)) came++;
    // What is there is brought in now and then, so that it can be read while the rest comes.
    if (came && (came % 20 === 0 || !waiting.length)) await ask(`${address}/taken`, {}).catch(() => undefined);
  }
  window.removeEventListener("beforeunload", warn);
  busy = false;
}
const warn = (/** @type {BeforeUnloadEvent} */ event) => event.preventDefault();

/** @param {Dropped[]} files */
function take(files) {
  // What is under way goes on; what is done or failed may be a file of another card.
  const busyWith = new Set(page.lines.filter((l) => !l.problem && !l.done).map((l) => l.name)),
    fresh = files.filter((f) => !busyWith.has(f.path)),
    later = files.filter((f) => busyWith.has(f.path));
  page.lines = [
    ...page.lines.filter((l) => !fresh.some((f) => f.path === l.name)),
    ...fresh.map((f) => ({ name: f.path, bytes: f.file.size, have: 0, said: "waits", problem: "", done: false })),
  ];
  waiting.push(...fresh, ...later);
  work();
}

/** All files of something that was dropped, folders and all.
 * @param {any} entry @param {string} above @param {string} drop @returns {Promise<Dropped[]>} */
async function filesOf(entry, above, drop) {
  const path = above ? `${above}/${entry.name}` : entry.name;
  if (entry.name.startsWith(".")) return [];
  if (entry.isFile) {
    const file = await new Promise((done, failed) => entry.file(done, failed));
    return [{ file: /** @type {File} */ (file), path, drop }];
  }
  const reader = entry.createReader(),
    all = [];
  for (;;) {
    const some = /** @type {any[]} */ (await new Promise((done, failed) => reader.readEntries(done, failed)));
    if (!some.length) break;
    for (const one of some) all.push(...(await filesOf(one, path, drop)));
  }
  return all;
}

$("choose-files")?.addEventListener("change", (/** @type {Event} */ event) => {
  const drop = crypto.randomUUID(),
    field = /** @type {HTMLInputElement} */ (event.target);
  take([...(field.files ?? [])].map((file) => ({ file, path: file.name, drop })));
  field.value = "";
});
for (const kind of ["dragenter", "dragover"])
  document.addEventListener(kind, (event) => {
    event.preventDefault();
    document.body.classList.add("is-dropping");
  });
document.addEventListener("dragleave", (event) => {
  if (!event.relatedTarget) document.body.classList.remove("is-dropping");
});
document.addEventListener("drop", async (event) => {
  event.preventDefault();
  document.body.classList.remove("is-dropping");
  const items = [...(event.dataTransfer?.items ?? [])],
    entries = items.map((i) => i.webkitGetAsEntry()).filter(Boolean);
  // Dropped together, they lie in one folder: another card with the same names is another drop.
  const drop = crypto.randomUUID();
  for (const entry of entries) take(await filesOf(entry, "", drop));
});
