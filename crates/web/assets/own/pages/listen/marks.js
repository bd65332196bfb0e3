// @ts-check
// Marks by hand: taps, beats, sections and cues, by key at the playing mark and by dragging.
import { $, el, start } from "../../lib/dom.js";
import { inGroup, on } from "../../lib/keys.js";
import { clock } from "../../lib/time.js";
import { L } from "./state.js";

const LATENCY = "tap latency",
  REACH = 7;
const mark = (/** @type {object} */ edit) => L.send("marks", edit);
const here = () => L.audio.currentTime;
const nearestBeat = (/** @type {number} */ t) =>
  L.nearest(
    L.beats().map((b) => b.at),
    t,
  );
const boundaries = () => L.data.reading.sections.slice(1).map((s) => s.start);
const sectionAt = (/** @type {number} */ t) => L.data.reading.sections.find((s) => t >= s.start && t < s.end);

/** @type {Record<string, () => void>} */
const acts = {
  "add-beat": () => mark({ do: "add-beat", at: here(), snap: true }),
  "remove-beat": () => mark({ do: "remove-beat", at: nearestBeat(here()) }),
  downbeat: () => mark({ do: "downbeat", at: nearestBeat(here()) }),
  halve: () => mark({ do: "halve" }),
  double: () => mark({ do: "double" }),
  "strong-beats": () => mark({ do: "density", strong: true }),
  "all-beats": () => mark({ do: "density", strong: false }),
  split: () => mark({ do: "split", at: here(), to_bar: true }),
  join: () => mark({ do: "join", at: L.nearest(boundaries(), here()) }),
  boundary: () => mark({ do: "move-boundary", at: L.nearest(boundaries(), here()), to: here(), to_bar: true }),
  "add-cue": () => mark({ do: "add-cue", at: nearestBeat(here()), kind: $("cue").value }),
  "start-over": () => mark({ do: "start-over" }),
};

// Taps are gathered while it plays, and become beats when it stops.
function tap() {
  if (L.audio.paused) {
    L.taps = [];
    start(L.audio);
    return;
  }
  L.taps.push(Math.max(0, L.now() - Number(localStorage.getItem(LATENCY) || 0) / 1000));
  L.drawAll();
  $("held").hidden = false;
  $("held").replaceChildren(`${L.taps.length} taps; stop to keep them, Escape to drop them`);
}
async function tapped() {
  const times = L.taps;
  L.taps = [];
  if (times.length) await mark({ do: "taps", times, snap: true });
  hold(null);
  L.drawAll();
}

// What is held: a beat, a boundary or a cue, with what can be done to it.
/** @param {Held | null} what */
function hold(what) {
  L.held = what;
  const box = $("held");
  box.hidden = !what;
  if (!what) return;
  const button = (/** @type {string} */ text, /** @type {() => void} */ act) => {
    const b = el("button", { type: "button", class: "link" }, text);
    b.addEventListener("click", act);
    return b;
  };
  /** @param {string[]} options @param {string | undefined} now @param {string} label @param {(to: string) => void} act */
  const choose = (options, now, label, act) => {
    const s = el("select", { "aria-label": label });
    for (const o of options) s.append(el("option", {}, o));
    s.value = now;
    s.addEventListener("change", () => act(s.value));
    return s;
  };
  const gone = (/** @type {object} */ edit) => async () => {
    if (await mark(edit)) hold(null);
  };
  const at = `${clock(what.at)}.${String(Math.round((what.at % 1) * 1000)).padStart(3, "0")}`;
  if (what.what === "beat")
    box.replaceChildren(
      `beat at ${at} `,
      button("remove", gone({ do: "remove-beat", at: what.at })),
      " ",
      button("this is one", () => mark({ do: "downbeat", at: what.at })),
      " ",
      button("10 ms earlier", () => nudge(-0.01)),
      " ",
      button("10 ms later", () => nudge(0.01)),
    );
  else if (what.what === "cue")
    box.replaceChildren(
      `cue at ${at} `,
      choose(
        [...$("cue").options].map((o) => o.value),
        what.kind,
        "kind of the cue",
        (to) => gone({ do: "cue-kind", at: what.at, kind: what.kind, to })(),
      ),
      " ",
      button("remove", gone({ do: "remove-cue", at: what.at, kind: what.kind })),
    );
  if (what.what === "section") {
    const s = sectionAt(what.at + 0.01);
    if (!s) return;
    const energy = el("input", { class: "line-input short", inputmode: "numeric", "aria-label": "energy" });
    energy.value = Math.round(s.energy);
    energy.addEventListener("change", () =>
      mark({ do: "energy", at: what.at + 0.01, energy: energy.value.trim() === "" ? null : Number(energy.value) }),
    );
    box.replaceChildren(
      `section from ${at} `,
      choose(["intro", "groove", "build", "drop", "break", "outro"], s.kind, "kind of the section", (kind) =>
        mark({ do: "kind", at: what.at + 0.01, kind }),
      ),
      " energy ",
      energy,
      " ",
      button("as measured", () => mark({ do: "energy", at: what.at + 0.01, energy: null })),
      " tempo ",
      tempo(s),
    );
    if (what.at > 0.01) box.append(" ", button("join with the one before", gone({ do: "join", at: what.at })));
  }
}
// A section is read again at about a given tempo, where the reading went astray.
/** @param {import("wire").Section} section */
function tempo(section) {
  const input = el("input", { class: "line-input short", inputmode: "decimal", "aria-label": "tempo of the section" });
  input.placeholder = L.data.reading.tempo_bpm.toFixed(1);
  input.addEventListener("change", () => {
    const bpm = Number(input.value.replace(",", "."));
    mark({ do: "retempo", start: section.start, end: section.end, bpm: Number.isFinite(bpm) ? bpm : 0 });
  });
  return input;
}
// "0.8" is seconds, "2b" is beats.
function thin() {
  const text = $("least").value.trim().replace(",", "."),
    number = parseFloat(text),
    least = /b/.test(text) ? (number * 60) / L.data.reading.tempo_bpm - 0.05 : number;
  if (least > 0) mark({ do: "thin", least });
  $("least").value = "";
  $("least").blur();
}
/** @param {number} by */
async function nudge(by) {
  if (!L.held) return;
  const at = L.held.at,
    to = at + by;
  if (await mark({ do: "move-beat", at, to, snap: false })) hold({ what: "beat", at: to });
  L.drawAll();
}

// What lies under the pointer: cues and boundaries above, beats below.
/** @param {Line} line @param {number} x @param {number} y @returns {Held | null} */
function under(line, x, y) {
  const h = line.canvas.clientHeight,
    near = (/** @type {number} */ t) => Math.abs(L.xOf(line, t) - x);
  if (y < 16) {
    const cue = L.data.reading.cues.find((c) => c.kind !== "end" && near(c.at) < REACH + 4);
    if (cue) return { what: "cue", at: cue.at, kind: cue.kind };
  }
  const edge = L.data.reading.sections.find((s) => s.start > 0 && near(s.start) < REACH);
  if (edge && y < h - 16) return { what: "section", at: edge.start };
  const beat = y >= h - 22 && L.beats().find((b) => near(b.at) < REACH);
  return beat ? { what: "beat", at: beat.at } : null;
}
/** @param {Line} line @param {PointerEvent} event */
function drag(line, event) {
  const canvas = line.canvas,
    box = canvas.getBoundingClientRect(),
    x = event.clientX - box.left,
    found = under(line, x, event.clientY - box.top);
  if (!found) {
    hold(null);
    L.seek(L.timeAt(line, x));
    L.drawAll();
    return;
  }
  hold(found);
  L.drawAll();
  canvas.setPointerCapture(event.pointerId);
  let moved = 0;
  const move = (/** @type {PointerEvent} */ e) => {
    moved = Math.max(moved, Math.abs(e.clientX - event.clientX));
  };
  const up = async (/** @type {PointerEvent} */ e) => {
    canvas.removeEventListener("pointermove", move);
    canvas.removeEventListener("pointerup", up);
    if (moved < 4) return;
    const to = L.timeAt(line, e.clientX - box.left),
      free = e.shiftKey;
    // Beats and cues snap to onsets, boundaries to bars; with shift they stay where they are let go.
    const edit = {
      beat: { do: "move-beat", at: found.at, to, snap: !free },
      cue: { do: "move-cue", at: found.at, kind: found.kind, to, snap: !free },
      section: { do: "move-boundary", at: found.at, to, to_bar: !free },
    }[found.what];
    await mark(edit);
    hold(null);
    L.drawAll();
  };
  canvas.addEventListener("pointermove", move);
  canvas.addEventListener("pointerup", up);
}

// How late taps arrive: eight clicks, and the middle of the taps' distances from them.
function tapTest() {
  const dialog = $("tap-dialog");
  /** @type {number[]} */
  const taps = [];
  /** @type {number[]} */
  let clicks = [];
  $("tap-says").textContent = `now ${localStorage.getItem(LATENCY) || 0} ms`;
  dialog.showModal();
  const listen = (/** @type {KeyboardEvent} */ e) => {
    if (e.key.toLowerCase() !== "t") return;
    e.preventDefault();
    taps.push(L.sound ? L.sound.currentTime : 0);
  };
  dialog.addEventListener("keydown", listen);
  $("tap-start").onclick = () => {
    const sound = L.openSound();
    taps.length = 0;
    clicks = [...Array(8).keys()].map((i) => sound.currentTime + 0.6 + i * 0.6);
    for (const c of clicks) L.tick(c, false);
    $("tap-says").textContent = "tap along";
    setTimeout(
      () => {
        const late = taps
          .map((t) => t - L.nearest(clicks, t))
          .filter((d) => Math.abs(d) < 0.3)
          .sort((a, b) => a - b);
        if (late.length < 4) {
          $("tap-says").textContent = "too few taps; try again";
          return;
        }
        const ms = Math.round(late[Math.floor(late.length / 2)] * 1000);
        localStorage.setItem(LATENCY, String(ms));
        $("tap-says").textContent = `your taps come ${ms} ms late; kept in this browser`;
      },
      0.6 * 9 * 1000 + 200,
    );
    dialog.focus();
  };
  $("tap-close").onclick = () => {
    dialog.removeEventListener("keydown", listen);
    dialog.close();
  };
}

document.addEventListener("DOMContentLoaded", () => {
  if (!L.music) return;
  /** @type {NodeListOf<HTMLElement>} */
  const buttons = document.querySelectorAll("[data-mark]");
  for (const b of buttons) b.addEventListener("click", acts[b.dataset.mark || ""]);
  $("tap").addEventListener("click", tap);
  $("tap-test").addEventListener("click", tapTest);
  $("metre").addEventListener("change", () => {
    mark({ do: "metre", beats: Number($("metre").value) });
    $("metre").blur();
  });
  $("least").addEventListener("change", thin);
  L.audio.addEventListener("pause", tapped);
  L.music.addEventListener("pointerdown", (e) => {
    const row = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest(".phrase"));
    if (!row) return;
    const line = L.lines()[Number(row.dataset.line)];
    if (e.target === line.canvas) drag(line, e);
    else hold({ what: "section", at: (sectionAt(line.start + 0.4) || { start: 0 }).start });
  });
  L.whenDrawn(() => {
    if (L.held && L.held.what === "section") hold(L.held);
  });
  inGroup("beats");
  on("t", "tap along; the taps become beats when it stops", tap);
  on("b", "a beat here", acts["add-beat"]);
  on("x", "no beat here", acts["remove-beat"]);
  on("1", "the beat here is one", acts.downbeat);
  on("h", "half as many beats", acts.halve);
  on("d", "twice as many beats", acts.double);
  on("f", "marks on the strong beats only", acts["strong-beats"]);
  on("a", "marks on all beats again", acts["all-beats"]);
  inGroup("sections and cues");
  on("s", "split the section at the bar here", acts.split);
  on("j", "join the sections nearest to here", acts.join);
  on("m", "move the nearest boundary to the bar here", acts.boundary);
  on("q", "set a cue at the beat here", acts["add-cue"]);
  on("e", "the section here: kind and energy", () => hold({ what: "section", at: (sectionAt(here()) || { start: 0 }).start }));
  inGroup("beats");
  on("[", "the beat here 10 ms earlier", () => {
    hold({ what: "beat", at: nearestBeat(here()) });
    nudge(-0.01);
  });
  on("]", "the beat here 10 ms later", () => {
    hold({ what: "beat", at: nearestBeat(here()) });
    nudge(0.01);
  });
  on("Delete", "remove what is held", () => {
    if (L.held && L.held.what === "beat") mark({ do: "remove-beat", at: L.held.at });
    if (L.held && L.held.what === "cue") mark({ do: "remove-cue", at: L.held.at, kind: L.held.kind });
    hold(null);
  });
  on("Escape", "let go; drop the taps", () => {
    L.taps = [];
    hold(null);
    L.drawAll();
  });
});
