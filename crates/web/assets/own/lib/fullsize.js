// @ts-check
// The frame under the mark from the original, one of its pixels on one of the screen's: to judge focus by.
import { $ } from "./dom.js";
import { ofJob } from "./session.js";

/** @param {{ clip: string, name: string | null, missing?: boolean }} of @param {number} at seconds of the clip
 * @param {string} said where that is, for people */
export function fullSize(of, at, said) {
  const dialog = $("full-size"),
    words = dialog.querySelector("p"),
    img = dialog.querySelector("img"),
    pane = dialog.querySelector(".pane");
  words.textContent = `${of.name} at ${said}, from the original …`;
  img.removeAttribute("src");
  img.onload = () => {
    words.textContent = `${of.name} at ${said}, ${img.naturalWidth}×${img.naturalHeight}, one pixel of the clip on one of the screen; Esc or Z closes`;
    pane.scrollTo((img.naturalWidth - pane.clientWidth) / 2, (img.naturalHeight - pane.clientHeight) / 2);
    dialog.dataset.ready = "yes";
  };
  img.onerror = () =>
    (words.textContent = of.missing
      ? `${of.name} is not where it was: its original cannot be shown`
      : "this picture cannot be read from the original");
  delete dialog.dataset.ready;
  img.src = ofJob(`/media/clips/${of.clip}/frame.jpg?at=${at.toFixed(6)}`);
  dialog.onkeydown = (/** @type {KeyboardEvent} */ e) => {
    if (e.key.toLowerCase() !== "z") return;
    // Behind the dialog the same key would open it again.
    e.stopPropagation();
    dialog.close();
  };
  dialog.showModal();
}
