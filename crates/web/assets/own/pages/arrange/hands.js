// @ts-check
// What a hand does to the shot that is chosen: by keys, by buttons, by typed numbers.
import { $, say, whenEntered } from "../../lib/dom.js";
import { inGroup, on } from "../../lib/keys.js";

/** @typedef {{ edit: (body: Command) => void, editEach: (body: Command) => void, exchangeWith: () => void, shot: () => Shot, draft: () => Draft, mark: () => number, timeFrom: () => string,
 *   choose: (n: number) => void }} Hands */

/** A length as it is typed: frames more or less (`+6`), beats (`2b`), bars (`1bar`), or seconds and frames (`1:12`).
 * @param {string} text @param {Draft} d @param {Shot} s @returns {number | null} by how many frames the shot becomes longer */
export function typedLength(text, d, s) {
  const t = text.trim().toLowerCase();
  if (/^[+-]\d+$/.test(t)) return Number(t);
  const fps = Math.round(d.fps),
    clock = /^(\d+):(\d{1,2})$/.exec(t),
    music = /^(\d+(?:\.\d+)?)\s*(b|bar|bars)$/.exec(t);
  if (clock && Number(clock[2]) < fps) return Number(clock[1]) * fps + Number(clock[2]) - s.len;
  if (music) {
    // So many beats from where it begins.
    const beats = d.beats.map((/** @type {number[]} */ b) => b[0]),
      metre = Math.max(...d.beats.map((/** @type {number[]} */ b) => b[2]), 1),
      many = Number(music[1]) * (music[2] === "b" ? 1 : metre),
      gaps = beats.slice(1).map((/** @type {number} */ b, /** @type {number} */ i) => b - beats[i]),
      near = gaps[Math.max(0, beats.findIndex((/** @type {number} */ b) => b > s.start) - 1)] ?? gaps[0];
    if (near) return Math.round(many * near) - s.len;
  }
  if (/^\d+$/.test(t)) return Number(t) - s.len;
  return null;
}

/** @param {Hands} of */
export function begin(of) {
  const { edit, editEach, shot } = of;
  const id = () => shot().id;
  const neighbour = (/** @type {number} */ n) => {
    const d = of.draft(),
      at = d.shots.findIndex((s) => s.id === id());
    return d.shots[at + n];
  };
  /** Does something with the shot beside this one, or says that there is none. @param {number} n @param {(other: Shot) => void} act */
  const beside = (n, act) => () => {
    const other = neighbour(n);
    if (other) act(other);
    else say(n < 0 ? "this is the first shot: there is none before it" : "this is the last shot: there is none behind it");
  };
  /** The beat before or after a frame. @param {number} frame @param {number} way */
  const beat = (frame, way) => {
    const beats = of.draft().beats.map((/** @type {number[]} */ b) => b[0]);
    return way > 0 ? beats.find((/** @type {number} */ f) => f > frame) : beats.filter((/** @type {number} */ f) => f < frame).pop();
  };
  const toBeat = (/** @type {number} */ way) => {
    const end = shot().start + shot().len,
      target = beat(end, way);
    if (target === undefined) say(`there is no beat ${way > 0 ? "behind" : "before"} the end of this shot`);
    else edit({ do: "move-cut", shot: id(), by: target - end });
  };
  const toBackbeat = (/** @type {number} */ way) => {
    const end = shot().start + shot().len,
      { backbeats } = of.draft(),
      target = way > 0 ? backbeats.find((f) => f > end) : backbeats.filter((f) => f < end).pop();
    if (target === undefined) say(`there is no backbeat ${way > 0 ? "behind" : "before"} the end of this shot`);
    else edit({ do: "move-cut", shot: id(), by: target - end });
  };
  /** Frames that are typed in a field. @param {string} field @param {number} usual */
  const frames = (field, usual) => {
    const n = Math.round(Number($(field).value));
    return Number.isFinite(n) && n >= 0 ? n : usual;
  };
  /** The mark within the shot, in its frames; -1 where it lies elsewhere. */
  const inside = () => {
    const at = of.mark() - shot().start;
    return at >= 0 && at < shot().len ? at : -1;
  };
  const atMark = (/** @type {(at: number) => void} */ act) => () => {
    const at = inside();
    if (at < 0) say("put the mark into the shot first");
    else act(at);
  };
  const hit = (/** @type {number} */ at) => edit({ do: "hit", shot: id(), at });
  /** @type {Record<string, () => void>} */
  const acts = {
    pin: () => editEach({ do: "pin", pin: shot().pinned ? "open" : "whole" }),
    release: () => editEach({ do: "release" }),
    "cut-earlier": () => edit({ do: "move-cut", shot: id(), by: -1 }),
    "cut-later": () => edit({ do: "move-cut", shot: id(), by: 1 }),
    "beat-before": () => toBeat(-1),
    "beat-next": () => toBeat(1),
    "backbeat-before": () => toBackbeat(-1),
    "backbeat-next": () => toBackbeat(1),
    "slip-earlier-ten": () => edit({ do: "slip", shot: id(), by: -10 }),
    "slip-later-ten": () => edit({ do: "slip", shot: id(), by: 10 }),
    "slip-earlier": () => edit({ do: "slip", shot: id(), by: -1 }),
    "slip-later": () => edit({ do: "slip", shot: id(), by: 1 }),
    "slide-earlier": () => edit({ do: "slide", shot: id(), by: -1 }),
    "slide-later": () => edit({ do: "slide", shot: id(), by: 1 }),
    begin: atMark((at) => edit({ do: "trim-start", shot: id(), by: at, from: of.timeFrom() })),
    end: atMark((at) => edit({ do: "trim-end", shot: id(), by: at + 1 - shot().len, from: of.timeFrom() })),
    split: atMark((at) => edit({ do: "split", shot: id(), at })),
    join: () => edit({ do: "join", shot: id() }),
    remove: () => editEach({ do: "remove", from: of.timeFrom() }),
    "move-earlier": beside(-1, (other) => edit({ do: "move", shot: id(), before: other.id })),
    "move-later": beside(1, () => edit({ do: "move", shot: id(), before: neighbour(2)?.id ?? null })),
    exchange: beside(1, (other) => edit({ do: "exchange", shot: id(), with: other.id })),
    ramp: atMark((at) => {
      const over = frames("over", 8),
        percent = Number($("to-percent").value.replace("%", "").replace(",", "."));
      if (Number.isFinite(percent)) edit({ do: "keyframe", shot: id(), at, over, percent });
      else say("a speed is written in per cent: 50 is half as fast");
    }),
    backwards: () => edit({ do: "reverse", shot: id() }),
    fit: () => edit({ do: "fit", shot: id() }),
    plain: () => editEach({ do: "speed", percent: 100 }),
    "exchange-with": of.exchangeWith,
    hold: atMark((at) => edit({ do: "hold", shot: id(), at, len: Math.max(1, frames("over", 8)) })),
    between: () => {
      const list = $("between");
      list.selectedIndex = (list.selectedIndex + 1) % list.options.length;
      edit({ do: "between", shot: id(), between: list.value });
      say(`between frames: ${list.selectedOptions[0].textContent}`);
    },
    pause: () => {
      // The music's pause nearest to the mark.
      const pauses = of.draft().cues.filter((c) => c.kind === "pause" && (c.lasts ?? 0) > 0),
        far = (/** @type {import("wire").CueView} */ c) => Math.abs(c.at - of.mark());
      if (!pauses.length) return say("the music does not pause; type how many frames the picture pauses at the shot's end");
      const cue = pauses.reduce((a, b) => (far(b) < far(a) ? b : a));
      edit({ do: "pause-over", from: cue.at, len: cue.lasts, stop: $("pause-stop").value });
    },
    "pin-kind": () => {
      const list = $("pin-kind");
      list.selectedIndex = (list.selectedIndex + 1) % list.options.length;
      editEach({ do: "pin", pin: list.value });
      say(`pinned: ${list.selectedOptions[0].textContent}`);
    },
    "hit-mark": atMark(hit),
    "hit-beat": () => {
      const s = shot(),
        beats = of
          .draft()
          .beats.map((/** @type {number[]} */ b) => b[0] - s.start)
          .filter((/** @type {number} */ f) => f >= 0 && f < s.len),
        near = s.hit_at ?? s.len / 2;
      if (!beats.length) return say("no beat falls into this shot");
      hit(beats.reduce((/** @type {number} */ a, /** @type {number} */ b) => (Math.abs(b - near) < Math.abs(a - near) ? b : a)));
    },
  };
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-act]")))
    b.addEventListener("click", acts[b.dataset.act || ""]);
  for (const [key, words, act, repeats] of /** @type {[string, string, string?, boolean?][]} */ ([
    ["", "holding"],
    ["p", "pin and unpin", "pin"],
    ["Shift+L", "let the shot be laid again", "release"],
    ["Shift+P", "what is pinned: nothing, its place, its ends, all of it", "pin-kind"],
    ["", "cutting"],
    [",", "the cut a frame earlier", "cut-earlier", true],
    [".", "the cut a frame later", "cut-later", true],
    ["<", "the cut to the beat before", "beat-before"],
    [">", "the cut to the next beat", "beat-next"],
    [":", "the cut to the backbeat before", "backbeat-before"],
    ['"', "the cut to the next backbeat", "backbeat-next"],
    ["[", "an earlier part of the clip", "slip-earlier", true],
    ["]", "a later part of the clip", "slip-later", true],
    ["{", "a part ten frames earlier", "slip-earlier-ten", true],
    ["}", "a part ten frames later", "slip-later-ten", true],
    [";", "slide the shot earlier", "slide-earlier", true],
    ["'", "slide the shot later", "slide-later", true],
    ["i", "begin the shot at the mark", "begin"],
    ["o", "end the shot at the mark", "end"],
    ["x", "split the shot at the mark", "split"],
    ["Shift+X", "join it with the next one", "join"],
    ["Delete", "remove the shot", "remove"],
    ["(", "the shot a place earlier", "move-earlier"],
    [")", "the shot a place later", "move-later"],
    ["e", "exchange it with the next one", "exchange"],
    ["Shift+E", "exchange it with the shot that is chosen next", "exchange-with"],
    ["", "time"],
    ["r", "a new speed from the mark on", "ramp"],
    ["Shift+R", "play the shot backwards", "backwards"],
    ["f", "fit the select to its place", "fit"],
    ["Shift+F", "play it as it was recorded", "plain"],
    ["u", "hold the frame at the mark", "hold"],
    ["m", "between frames: repeat, mix, compute", "between"],
    ["a", "pause the pictures as long as the music does", "pause"],
    ["", "the hit"],
    ["h", "put the hit on the mark", "hit-mark"],
    ["Shift+H", "put the hit on the nearest beat", "hit-beat"],
  ])) {
    if (act) on(key, words, acts[act], { repeats });
    else inGroup(words);
  }
  whenEntered("speed", (text) => {
    const percent = Number(text.replace("%", "").replace("−", "-").replace(",", "."));
    if (text.trim() && Number.isFinite(percent)) editEach({ do: "speed", percent });
    else say("a speed is written in per cent: 50 is half as fast, -100 backwards");
  });
  whenEntered("typed", (text) => {
    const by = typedLength(text, of.draft(), shot());
    $("typed").value = "";
    if (by === null) say("write +6 or -6 for frames, 2b for beats, 1:12 for seconds and frames");
    else if (by) edit({ do: "trim-end", shot: id(), by, from: of.timeFrom() });
  });
  $("between").addEventListener("change", () => edit({ do: "between", shot: id(), between: $("between").value }));
  $("pin-kind").addEventListener("change", () => editEach({ do: "pin", pin: $("pin-kind").value }));
  const pause = () => {
    const len = frames("pause-len", 0);
    if (len || shot().pause) edit({ do: "pause", shot: id(), len, stop: $("pause-stop").value });
  };
  whenEntered("pause-len", pause);
  $("pause-stop").addEventListener("change", () => shot().pause && pause());
  inGroup("typing");
  on("v", "type a speed", () => $("speed").select());
  on("t", "type a length", () => $("typed").focus());
  on("g", "who gives the time: neighbour, section, whole", () => {
    const list = $("time-from");
    list.selectedIndex = (list.selectedIndex + 1) % list.options.length;
    say(`time from ${list.selectedOptions[0].textContent}`);
  });
}
