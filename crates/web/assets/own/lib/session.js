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

/** The window's own: it stays when the page is loaded again. A duplicated tab brings the id of the first one along, and takes
 * another one, so that each sees what the other changes.
 * @returns {Promise<string>} */
async function ofWindow() {
  const known = sessionStorage.getItem(KEY);
  // Without locks (no secure context) a duplicated tab cannot be known.
  if (known && (!navigator.locks || (await claim(known)))) return known;
  const fresh = crypto.randomUUID();
  sessionStorage.setItem(KEY, fresh);
  if (navigator.locks) await claim(fresh);
  return fresh;
}

export const session = await ofWindow();

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
