// @ts-check
// Keys of the page, in groups by what one is doing, with words for the list of all keys. Letters go by what they print, digits
// by where they are. Each key can be changed; what a person changed is kept in this browser and shown wherever the key is.
import { $, el } from "./dom.js";

/** @typedef {{ usual: string, key: string, words: string, group: string, act: (event?: KeyboardEvent) => void, repeats: boolean }} Key */

/** @type {Key[]} */
const keys = [];
let group = "everywhere";

/** What this person changed: by the page's step, from the usual key to another. */
const STORED = "legere keys";

/** @returns {Record<string, Record<string, string>>} */
function changes() {
  try {
    return JSON.parse(localStorage.getItem(STORED) || "{}") || {};
  } catch {
    return {};
  }
}
/** The page's step: each has keys of its own. */
const step = () => /** @type {HTMLElement | null} */ (document.querySelector("main"))?.dataset.step || "start";

/** Keys that follow belong together. @param {string} words what one is doing with them */
export function inGroup(words) {
  group = words;
}

/** @param {string} key as printed, digits and letters with "Shift+" before them where that is meant
 * @param {string} words @param {(event?: KeyboardEvent) => void} act
 * @param {{ repeats?: boolean, group?: string }} [how] `repeats`: a held key does it again and again */
export function on(key, words, act, how = {}) {
  keys.push({ usual: key, key: changes()[step()]?.[key] || key, words, group: how.group || group, act, repeats: Boolean(how.repeats) });
  // The list of a page is complete once its modules have run.
  queueMicrotask(showChanged);
}

/** @type {Record<string, string>} */
const SIGNS = { " ": "Space", ArrowLeft: "←", ArrowRight: "→", ArrowUp: "↑", ArrowDown: "↓", Delete: "Del", Escape: "Esc", Enter: "↵" };

/** A key as it is shown. @param {string} key */
export const printed = (key) => {
  const [shift, bare] = key.startsWith("Shift+") ? ["⇧", key.slice(6)] : ["", key];
  return shift + (SIGNS[bare] || (bare.length === 1 ? bare.toUpperCase() : bare));
};

/** Signs beside buttons show the key that is meant now. */
function showChanged() {
  const now = new Map(keys.filter((k) => k.key !== k.usual).map((k) => [printed(k.usual), printed(k.key)]));
  for (const sign of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("main kbd"))) {
    const usual = sign.dataset.usual || sign.textContent || "";
    // Enter is written out beside buttons.
    const other = now.get(usual === "Enter" ? "↵" : usual);
    if (!other && !sign.dataset.usual) continue;
    sign.dataset.usual = usual;
    sign.textContent = other || usual;
  }
}

/** Which key is being changed, and which one was pressed last for it although it is another's. */
let changing = /** @type {{ key: Key, taken: string } | null} */ (null);

/** @param {Key} of @param {string} key */
function set(of, key) {
  of.key = key;
  const all = changes(),
    own = all[step()] ?? {};
  all[step()] = own;
  if (key === of.usual) delete own[of.usual];
  else own[of.usual] = key;
  localStorage.setItem(STORED, JSON.stringify(all));
}

/** Takes a press for the key that is being changed. @param {KeyboardEvent} event */
function change(event) {
  if (!changing) return;
  event.preventDefault();
  event.stopPropagation();
  if (["Shift", "Control", "Alt", "Meta"].includes(event.key)) return;
  const { key } = changing,
    pressed = nameOf(event);
  if (event.key === "Escape" || event.ctrlKey || event.metaKey || event.altKey) return showKeys("");
  const other = keys.find((k) => k !== key && k.key.toLowerCase() === pressed.toLowerCase());
  if (other && changing.taken !== pressed) {
    changing.taken = pressed;
    return showKeys(`${printed(pressed)} is “${other.words}”: press it once more to exchange the two, or another key.`, key);
  }
  if (other) set(other, key.key);
  set(key, pressed);
  showChanged();
  showKeys("");
}

/** @param {string} [said] @param {Key} [asked] whose key is asked for */
export function showKeys(said = "", asked) {
  const list = /** @type {Element} */ (document.querySelector("#keys .key-groups"));
  if (!asked) changing = null;
  $("keys-said").textContent = said || (asked ? "Press the key that you want for it; Esc leaves it as it is." : "");
  list.replaceChildren();
  for (const name of new Set(keys.map((k) => k.group))) {
    const section = el("section");
    section.append(el("h3", {}, name));
    const rows = el("dl");
    for (const key of keys.filter((k) => k.group === name)) {
      const term = el("dt"),
        button = el("button", { type: "button", "aria-label": `change the key for: ${key.words}` });
      button.append(el("kbd", {}, key === asked ? "…" : printed(key.key)));
      button.classList.toggle("is-changed", key.key !== key.usual);
      button.addEventListener("click", () => {
        changing = { key, taken: "" };
        showKeys("", key);
      });
      term.append(button);
      rows.append(term, el("dd", {}, key.words));
    }
    section.append(rows);
    list.append(section);
  }
  $("keys-usual").hidden = keys.every((k) => k.key === k.usual);
  if (!$("keys").open) $("keys").showModal();
  if (asked) $("keys").focus();
}

/** A press as a key is written. @param {KeyboardEvent} event */
function nameOf(event) {
  const digit = /^Digit(\d)$/.exec(event.code)?.[1],
    bare = digit ?? (event.key.length === 1 ? event.key.toLowerCase() : event.key),
    // A sign that needs Shift is itself: "(" and not "Shift+(".
    shifted = event.shiftKey && (digit || bare.length > 1 || /\p{L}/u.test(bare));
  return shifted ? `Shift+${bare.length === 1 ? bare.toUpperCase() : bare}` : bare;
}

/** What a press may be called, the most particular first.
 * @param {KeyboardEvent} event @returns {string[]} */
function names(event) {
  const key = event.key.toLowerCase(),
    digit = /^Digit(\d)$/.exec(event.code)?.[1];
  return event.shiftKey ? [`shift+${digit ?? key}`, key] : [digit ?? key, key];
}

/** Begins to listen; `replay` undoes or redoes.
 * @param {(way: "undo" | "redo") => void} replay */
export function listen(replay) {
  const dialog = $("keys");
  dialog.addEventListener("keydown", change, true);
  dialog.addEventListener("close", () => (changing = null));
  $("keys-usual").addEventListener("click", () => {
    for (const key of keys) set(key, key.usual);
    showChanged();
    showKeys("");
  });
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
