// @ts-check
// Two to four selects beside each other, played together from their hits; one key keeps one and puts the others out.
import { $, el, say, start } from "../../lib/dom.js";
import { light } from "../../lib/filmstrip.js";
import { frames } from "../../lib/time.js";
import { named, sharpest, trouble } from "./state.js";

/** Shown before the hit, in seconds. */
const LEAD = 1.5;
const dialog = $("beside");

/** @param {Select[]} selects @param {(kept: Select) => void} keep */
export function open(selects, keep) {
  if (selects.length < 2 || selects.length > 4) return say("choose two to four selects to see them beside each other");
  const before = Math.min(LEAD, ...selects.map((s) => s.hit - s.start)),
    after = Math.max(0.6, Math.min(...selects.map((s) => s.end - s.hit)));
  dialog.replaceChildren();
  const best = sharpest(selects);
  const videos = selects.map((s, i) => {
    const figure = el("figure"),
      video = el("video", { src: light(s.clip), playsinline: "", preload: "auto" }),
      caption = el("figcaption");
    video.muted = true;
    video.currentTime = Math.max(0, s.hit - before);
    const button = el("button", { type: "button", class: "button" }, `keep `);
    button.append(el("kbd", {}, i + 1));
    button.addEventListener("click", () => kept(s));
    caption.append(
      el("b", {}, named(s)),
      el("span", { class: "mono" }, ` ${s.tier} · energy ${Math.round(s.energy)} · ${frames(s.end - s.start, s.rate)} `),
      el(
        "span",
        { class: "quiet reported" },
        [s === best ? "the sharpest" : "", trouble(s) || "nothing wrong"].filter(Boolean).join(" · "),
      ),
      button,
    );
    figure.append(video, caption);
    dialog.append(figure);
    return video;
  });
  const help = el("p", { class: "quiet" });
  help.append(
    "together from their hits: ",
    el("kbd", {}, "Space"),
    " from the beginning, a number keeps that one and puts the others out, ",
    el("kbd", {}, "Esc"),
    " closes",
  );
  dialog.append(help);
  const rewind = () => {
    for (const [i, video] of videos.entries()) video.currentTime = Math.max(0, selects[i].hit - before);
  };
  const play = () => {
    rewind();
    for (const video of videos) start(video);
  };
  const turn = () => {
    if (!dialog.open) return;
    if (videos[0].currentTime >= selects[0].hit + after || videos[0].ended) play();
    requestAnimationFrame(turn);
  };
  /** @param {Select} s */
  const kept = (s) => {
    dialog.close();
    keep(s);
  };
  dialog.onkeydown = (/** @type {KeyboardEvent} */ e) => {
    const n = Number(e.key);
    if (n >= 1 && n <= selects.length) kept(selects[n - 1]);
    else if (e.key === " ") play();
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  dialog.onclose = () => {
    for (const v of videos) v.pause();
    dialog.replaceChildren();
  };
  dialog.showModal();
  Promise.all(
    videos.map((v) => (v.readyState >= 2 ? null : new Promise((done) => v.addEventListener("loadeddata", done, { once: true })))),
  ).then(() => {
    dialog.dataset.ready = "yes";
    play();
    requestAnimationFrame(turn);
  });
}
