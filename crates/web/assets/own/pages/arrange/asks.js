// @ts-check
// What is asked of a draft as a whole: another one, a shorter one, what counts more, its story and its chapters.
import { ask } from "../../lib/api.js";
import { $, say } from "../../lib/dom.js";
import { inGroup, on } from "../../lib/keys.js";
import { ofJob } from "../../lib/session.js";

/** @typedef {{ path: () => string, draft: () => Draft, shot: () => Shot, chosenShots: () => string[],
 *   act: (where: string, body: any) => void, reload: () => Promise<void> }} Of */

/** What can count more, as an editor says it. */
const WISHES = /** @type {const} */ ([
  ["energy", "follow the energy more"],
  ["order", "stay in shooting order more"],
  ["framings", "fewer alike framings"],
]);

/** @param {Draft} d */
export const wishesOf = (d) => WISHES.map(([name, words]) => ({ name, words, on: d.wishes[name] }));

/** Goes to what a request makes. @param {string} where @param {any} body */
export async function make(where, body = {}) {
  $("problem").textContent = "";
  try {
    location.assign((await ask(where, body)).place);
  } catch (error) {
    $("problem").textContent = /** @type {Error} */ (error).message;
  }
}

/** A form in a dialog: opened by a button, kept by its form. @param {string} name @param {() => void} kept */
function dialog(name, kept) {
  $(`${name}-cancel`).addEventListener("click", () => $(`${name}-dialog`).close());
  $(`${name}-form`).addEventListener("submit", kept);
}

/** The draft's differences from the one beside it, a line each. @param {string} path @param {string} other @returns {Promise<string[]>} */
export async function differences(path, other) {
  const found = /** @type {import("wire").DifferencesView} */ (await ask(`${path}/against.json?other=${other}`));
  const left = found.left.length ? [`not in this one: ${found.left.slice(0, 6).join("; ")}${found.left.length > 6 ? " …" : ""}`] : [];
  return [...found.better.map((w) => `+ ${w}`), ...found.worse.map((w) => `− ${w}`), ...left];
}

/** @param {Of} of */
export function begin(of) {
  const another = () => make(`${of.path()}/another`);
  const shorter = () => {
    $("shorter-dialog").showModal();
    $("shorter-seconds").select();
  };
  $("another").addEventListener("click", another);
  $("shorter").addEventListener("click", shorter);
  dialog("shorter", () => {
    const seconds = Number($("shorter-seconds").value.replace(",", ".").replace("s", ""));
    if (Number.isFinite(seconds) && seconds > 0) make(`${of.path()}/shorter`, { seconds });
    else say("write the length in seconds");
  });
  /** @param {any} body */
  const tell = async (body) => {
    try {
      await ask(ofJob("/story"), body);
      await of.reload();
    } catch (error) {
      $("problem").textContent = /** @type {Error} */ (error).message;
    }
  };
  const opening = () => tell({ do: "opening", select: of.shot().select });
  const closing = () => tell({ do: "closing", select: of.shot().select });
  const before = () => {
    const shots = of.chosenShots().map((id) => of.draft().shots.find((s) => s.id === id));
    if (shots.length !== 2) return say("choose two shots: the first is to stand before the second");
    tell({ do: "before", first: shots[0]?.select, second: shots[1]?.select });
  };
  const chapter = () => {
    const d = of.draft(),
      at = of.shot().start,
      now = d.chapters.find((c) => at >= c.from && at < c.to);
    $("chapter-words").value = now?.words ?? "";
    $("chapter-dialog").showModal();
  };
  dialog("chapter", () => {
    const ids = of.chosenShots(),
      shots = of.draft().shots.filter((s) => ids.includes(s.id)),
      last = shots[shots.length - 1];
    if (last) of.act("chapter", { from: shots[0].start, to: last.start + last.len, words: $("chapter-words").value });
  });
  for (const [id, act] of /** @type {[string, () => void][]} */ ([
    ["opens", opening],
    ["closes", closing],
    ["stands-before", before],
    ["chapter", chapter],
  ]))
    $(id).addEventListener("click", act);
  inGroup("the whole");
  on("Shift+A", "another draft, really different, beside this one", another);
  on("Shift+S", "a shorter draft from this one", shorter);
  inGroup("the story");
  on("Shift+O", "the piece opens with this", opening);
  on("Shift+C", "the piece closes with this", closing);
  on("Shift+B", "of two chosen shots the first stands before the second", before);
  on("Shift+K", "what the chosen shots are about", chapter);
}
