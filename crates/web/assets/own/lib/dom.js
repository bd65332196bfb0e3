// @ts-check
// Elements, and the colours of the theme.

/** An element by its id; pages know what theirs are.
 * @param {string} id @returns {any} */
export const $ = (id) => document.getElementById(id);

/** @param {string} name @param {Record<string, any>} [attributes] @param {any} [inside] @returns {any} */
export function el(name, attributes = {}, inside) {
  const node = document.createElement(name);
  for (const [k, v] of Object.entries(attributes)) node.setAttribute(k, v);
  if (inside !== undefined) node.textContent = inside;
  return node;
}

/** @param {string} name @param {Record<string, any>} [attributes] @param {any} [inside] @returns {any} */
export function svg(name, attributes = {}, inside) {
  const node = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [k, v] of Object.entries(attributes)) node.setAttribute(k, v);
  if (inside !== undefined) node.textContent = inside;
  return node;
}

/** What is typed in a field, once Enter says that it is meant.
 * @param {string} id @param {(text: string, event: KeyboardEvent) => void} act */
export function whenEntered(id, act) {
  const input = $(id);
  input.addEventListener("keydown", (/** @type {KeyboardEvent} */ e) => {
    if (e.key !== "Enter") return;
    e.preventDefault();
    act(input.value, e);
    input.blur();
  });
}

/** @type {Map<string, string>} */
const colours = new Map();

/** A variable of the theme; asked for thousands of times while a view is drawn.
 * @param {string} name @returns {string} */
export function css(name) {
  const key = `${document.documentElement.dataset.theme} ${name}`;
  let found = colours.get(key);
  if (found === undefined) {
    found = getComputedStyle(document.documentElement).getPropertyValue(name).trim();
    colours.set(key, found);
  }
  return found;
}

/** Words that stand for a moment.
 * @param {string} words */
export function say(words) {
  const toast = $("toast");
  toast.textContent = words;
  toast.classList.add("on");
  clearTimeout(timer);
  timer = window.setTimeout(() => toast.classList.remove("on"), 3200);
}
let timer = 0;

/** Stopped before it began is no error; a file that does not play is.
 * @param {HTMLMediaElement} media @param {() => void} [refused] when the browser waits for a first key or click */
export function start(media, refused) {
  media.play().catch((error) => {
    if (error.name === "NotAllowedError" && refused) refused();
    else if (error.name !== "AbortError") say("this cannot be played");
  });
}

/** @param {HTMLMediaElement} media */
export function startOrStop(media) {
  if (media.paused) start(media);
  else media.pause();
}
