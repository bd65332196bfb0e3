// @ts-check
// Words, labels and notes: typed, with what is in use offered.
import { $, el, say, whenEntered } from "../../lib/dom.js";
import { gathered } from "../../lib/events.js";
import { state, tagsOf } from "./state.js";

/** The tone of the next new label. */
let next = "straw";
export const tone = () => next;

/** Offers the words and labels that are in use. */
export const known = gathered(() => {
  const words = new Set(state.all.flatMap((s) => tagsOf(s)).filter((t) => t.startsWith("own:") || t.startsWith("subject:")));
  $("known-words").replaceChildren(...[...words].sort().map((t) => el("option", { value: t.startsWith("subject:") ? t : t.slice(4) })));
  const labels = new Set(state.all.flatMap((s) => (s.label ? [s.label.word] : [])));
  $("known-labels").replaceChildren(...[...labels].sort().map((value) => el("option", { value })));
}, 300);

/** A tag as it is typed: `subject:bell`, a word of a facet, or a word of one's own. @param {string} text */
function tagOf(text) {
  const word = text.trim().toLowerCase();
  if (/^(subject|own|framing|role|light|movement):/.test(word)) return word;
  const chips = /** @type {HTMLElement[]} */ ([...document.querySelectorAll("[data-tag]")]);
  return chips.find((b) => b.dataset.tag?.split(":")[1] === word)?.dataset.tag || `own:${word}`;
}

/** Goes to a field, its text chosen. @param {string} id */
export const focusOn = (id) => () => {
  $(id).focus();
  $(id).select();
};

/** @param {any} page what is on the screen
 * @param {{ many: (said: Command[], label?: string) => void, one: (said: Command) => void }} judge */
export function begin(page, judge) {
  whenEntered("tag-input", (text, e) => {
    // Several at once with commas; with Shift of the whole clip.
    const tags = text.split(",").filter((t) => t.trim());
    $("tag-input").value = "";
    const said = tags.map((t) => ({ do: e.shiftKey ? "clip-tag" : "tag", tag: tagOf(t), on: true }));
    if (said.length) judge.many(said, `tag ${tags.map((t) => t.trim()).join(", ")}`);
  });
  whenEntered("label-input", (text) => {
    const word = text.trim().toLowerCase();
    $("label-input").value = "";
    const same = state.all.find((s) => s.label?.word === word);
    judge.many([{ do: "label", label: word ? { word, tone: same?.label ? same.label.tone : next } : null }]);
  });
  const note = $("note-input");
  whenEntered("note-input", (words) => judge.one({ do: "note", words }));
  note.addEventListener("change", () => state.now && note.value !== state.now.note && judge.one({ do: "note", words: note.value }));
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tone]")))
    b.addEventListener("click", () => {
      next = b.dataset.tone || next;
      page.tone = next;
      const label = state.now?.label;
      if (label) judge.many([{ do: "label", label: { word: label.word, tone: next } }]);
      else say(`the next new label is ${next}`);
    });
}
