// @ts-check
// Which window this is, and where in the work it stands.

const KEY = "legere window";

/** Holds an id for as long as the page is open; false where another window holds it already.
 * @param {string} id @returns {Promise<boolean>} */
const claim = (id) =>
  new Promise((claimed) => {
    navigator.locks.request(`legere window ${id}`, { ifAvailable: true }, (lock) => {
      claimed(Boolean(lock));
      return lock ? new Promise(() => {}) : undefined;
    });
  });

/** Begins an id of this window's own. */
function begin() {
  const fresh = crypto.randomUUID();
  sessionStorage.setItem(KEY, fresh);
  return fresh;
}

const known = sessionStorage.getItem(KEY);

/** The window's own id: it stays when the page is loaded again. */
export let session = known || begin();

/** A duplicated tab brings the id of the first one along; it takes another one, so that each sees what the other changes.
 * Without locks (no secure context) that cannot be known. */
async function settle() {
  if (!navigator.locks || (await claim(session))) return;
  session = begin();
  await claim(session);
}

/** Fulfilled once the id is this window's alone. Modules must not wait for it while they load: the page's other scripts would
 * run before them. */
export const settled = settle();

const main = /** @type {HTMLElement | null} */ (document.querySelector("main"));

/** The id of the job on the page. */
export const job = main?.dataset.job || "";

/** The step that the page is. */
export const step = main?.dataset.step || "start";

/** The address of the job.
 * @param {string} [below] */
export const ofJob = (below = "") => `/jobs/${job}${below}`;

/** What goes with every request. */
export const headers = () => ({ "x-legere-session": session, "x-legere-step": step });
