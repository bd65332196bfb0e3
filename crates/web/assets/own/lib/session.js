// @ts-check
// Which window this is, and where in the work it stands.

const KEY = "legere session";

/** The window's own: it stays when the page is loaded again, and goes with the window.
 * @returns {string} */
function ofWindow() {
  const known = sessionStorage.getItem(KEY);
  if (known) return known;
  const fresh = crypto.randomUUID();
  sessionStorage.setItem(KEY, fresh);
  return fresh;
}

export const session = ofWindow();

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
