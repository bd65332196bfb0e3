// @ts-check
// Keys of the page, with words for the list of all keys. Letters go by what they print, digits by where they are.
import { $, el } from "./dom.js";

/** @type {{ key: string, words: string, act: (event?: KeyboardEvent) => void, repeats: boolean }[]} */
const keys = [];

/** @param {string} key as printed, digits and letters with "Shift+" before them where that is meant
 * @param {string} words @param {(event?: KeyboardEvent) => void} act
 * @param {{ repeats?: boolean }} [how] `repeats`: a held key does it again and again */
export function on(key, words, act, how = {}) {
  keys.push({ key, words, act, repeats: Boolean(how.repeats) });
}

/** @param {string} key */
const printed = (key) => {
  const [shift, bare] = key.startsWith("Shift+") ? ["⇧", key.slice(6)] : ["", key];
  return shift + (bare === " " ? "Space" : bare.length === 1 ? bare.toUpperCase() : bare);
};

export function showKeys() {
  const list = /** @type {Element} */ (document.querySelector("#keys dl"));
  list.replaceChildren();
  for (const { key, words } of keys) {
    const term = el("dt");
    term.append(el("kbd", {}, printed(key)));
    list.append(term, el("dd", {}, words));
  }
  $("keys").showModal();
}

/** What a press may be called, the most particular first.
 * @param {KeyboardEvent} event @returns {string[]} */
function names(event) {
  const key = event.key.toLowerCase(),
    digit = /^Digit(\d)$/.exec(event.code)?.[1];
  return event.shiftKey ? [`shift+${digit ?? key}`, key] : [digit ?? key, key];
}

/** Begins to listen; `replay` takes back or does again.
 * @param {(way: "undo" | "redo") => void} replay */
export function listen(replay) {
  document.addEventListener("keydown", (event) => {
    const target = /** @type {Element} */ (event.target),
      typing = target.matches("input:not([type=checkbox]), textarea, select"),
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
    for (const name of names(event)) {
      const found = keys.find((k) => k.key.toLowerCase() === name);
      if (!found) continue;
      event.preventDefault();
      if (!event.repeat || found.repeats) found.act(event);
      return;
    }
  });
}
