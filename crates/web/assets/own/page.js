// @ts-check
// What every page has: keys, undo and redo, the theme, and who asks when htmx asks.
import { say } from "./lib/dom.js";
import { follow, replay, whenHistory } from "./lib/history.js";
import { listen, on, showKeys } from "./lib/keys.js";
import { headers, job } from "./lib/session.js";

function night() {
  const root = document.documentElement,
    dark = root.dataset.theme !== "dark";
  root.dataset.theme = dark ? "dark" : "light";
  localStorage.setItem("theme", root.dataset.theme);
  document.dispatchEvent(new CustomEvent("legere:redraw"));
}

// Alpine's build for strict content-security policies wants every action by name.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("foot", () => ({
    undoes: "",
    redoes: "",
    nothingToUndo: true,
    nothingToRedo: true,
    undoTitle: "there is nothing to undo here",
    redoTitle: "there is nothing to redo here",
    init() {
      whenHistory(({ undo, redo }) => {
        this.undoes = undo || "";
        this.redoes = redo || "";
        this.nothingToUndo = !undo;
        this.nothingToRedo = !redo;
        this.undoTitle = undo ? `undo “${undo}”` : "there is nothing to undo here";
        this.redoTitle = redo ? `redo “${redo}”` : "there is nothing to redo here";
      });
    },
    undo: () => replay("undo"),
    redo: () => replay("redo"),
    keys: () => showKeys(),
    night,
  }));
});

document.addEventListener("htmx:configRequest", (event) => {
  Object.assign(/** @type {CustomEvent} */ (event).detail.headers, headers());
});
document.addEventListener("htmx:responseError", (event) =>
  say(/** @type {CustomEvent} */ (event).detail.xhr.responseText || "the server did not answer"),
);
document.addEventListener("htmx:sendError", () => say("Legere does not answer: is it still running?"));
document.addEventListener("htmx:afterRequest", (event) => {
  const { requestConfig, successful } = /** @type {CustomEvent} */ (event).detail;
  if (successful && requestConfig.verb !== "get") document.dispatchEvent(new CustomEvent("legere:edited"));
});

if (job) {
  listen(replay);
  on("?", "all keys", () => showKeys(), { group: "everywhere" });
  on("n", "night and day", night, { group: "everywhere" });
  document.getElementById("keys-close")?.addEventListener("click", () => {
    /** @type {HTMLDialogElement} */ (document.getElementById("keys")).close();
  });
  follow();
}
