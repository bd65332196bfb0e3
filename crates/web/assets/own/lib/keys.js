// @ts-check
// Keys of the page, with words for the list of all keys. Letters go by what they print.
import { $, el } from "./dom.js";

/** @type {{ key: string, words: string, act: (event?: KeyboardEvent) => void, repeats: boolean }[]} */
const keys = [];

/** @param {string} key @param {string} words @param {(event?: KeyboardEvent) => void} act
 * @param {{ repeats?: boolean }} [how] `repeats`: a held key does it again and again */
export function on(key, words, act, how = {}) {
  keys.push({ key, words, act, repeats: Boolean(how.repeats) });
}

export function showKeys() {
  const list = /** @type {Element} */ (document.querySelector("#keys dl"));
  list.replaceChildren();
  for (const { key, words } of keys) {
    const term = el("dt");
    term.append(el("kbd", {}, key === " " ? "Space" : key.length === 1 ? key.toUpperCase() : key));
    list.append(term, el("dd", {}, words));
  }
  $("keys").showModal();
}

/** Begins to listen; `replay` takes back or does again.
 * @param {(way: "undo" | "redo") => void} replay */
export function listen(replay) {
  document.addEventListener("keydown", (event) => {
    const target = /** @type {Element} */ (event.target),
      typing = target.matches("input, textarea, select"),
      command = event.ctrlKey || event.metaKey,
      letter = event.key.toLowerCase();
    if (command && !typing && (letter === "z" || letter === "y")) {
      event.preventDefault();
      replay(letter === "y" || event.shiftKey ? "redo" : "undo");
      return;
    }
    if (command || event.altKey) return;
    if (event.key === "Escape" && typing) {
      /** @type {HTMLElement} */ (target).blur();
      return;
    }
    if (typing || document.querySelector("dialog[open]")) return;
    // Buttons and links keep their own Enter; space plays wherever the focus is.
    if (event.key === "Enter" && target.matches("button, a")) return;
    const found = keys.find((k) => k.key.toLowerCase() === letter);
    if (!found) return;
    event.preventDefault();
    if (!event.repeat || found.repeats) found.act(event);
  });
}
