import assert from "node:assert/strict";
import { test } from "node:test";

// What is imported looks for its page.
globalThis.document ??= { querySelector: () => null, getElementById: () => null, addEventListener: () => {}, documentElement: {} };
globalThis.navigator ??= {};
globalThis.sessionStorage ??= { getItem: () => null, setItem: () => {} };
globalThis.location ??= { pathname: "/jobs/1/arrange", search: "" };
const { count, shown } = await import("../../assets/own/pages/arrange/instead.js");
const { again, headsOf, stays } = await import("../../assets/own/pages/arrange/heads.js");

const alternate = (select, set_up, energy = 0) => ({
  select,
  set_up,
  clip: select,
  name: select,
  hit: 1,
  media: 4,
  short: "as good",
  why: [{ part: "energy", words: "lively" }],
  gains: energy ? [["energy", energy]] : [],
});

test("takes of one set-up are one, until they are unfolded", () => {
  const found = [alternate("a", 3), alternate("b", null), alternate("c", 3), alternate("d", 3)];
  const folded = shown(found, new Set());
  assert.deepEqual(
    folded.map((a) => [a.select, a.more]),
    [
      ["a", "1 of 3"],
      ["b", ""],
    ],
  );
  assert.deepEqual(
    folded.map((a) => a.key),
    ["1", "2"],
  );
  assert.deepEqual(
    shown(found, new Set([3])).map((a) => a.select),
    ["a", "b", "c", "d"],
  );
  assert.equal(count(found), "4 fit, of 2 set-ups");
  assert.equal(count([]), "");
});

test("a bar says what is gained and what is lost", () => {
  const [better, worse, same] = shown([alternate("a", null, 0.4), alternate("b", null, -9), alternate("c", null)], new Set()).map(
    (a) => a.bars[0],
  );
  assert.deepEqual([better.sign, better.width, better.words], ["gain", "50%", "energy better"]);
  assert.deepEqual([worse.sign, worse.width, worse.words], ["loss", "100%", "energy less good"]);
  assert.equal(same.words, "energy as good");
});

test("a pin says more precisely what a hand has held", () => {
  const shot = (held, pin) => stays({ held, pin });
  assert.deepEqual(
    [shot(true, "open"), shot(false, "whole"), shot(true, "place"), shot(true, "ends"), shot(false, "open")],
    [true, true, false, false, false],
  );
  assert.equal(again(1, "the"), "lay the 1 open one again");
});

test("the head of a section says its pace, and how many of its shots are open", () => {
  const draft = {
    choices: [{ quarters: 2, words: "half a bar" }],
    sections: [
      { start: 0, end: 100, kind: "drop", pace: "half a bar", quarters: 2, varied: true, on: "beats", energy: 71.6, at_track: ["t", 3] },
    ],
    shots: [
      { start: 0, len: 50, pin: "open", held: false },
      { start: 50, len: 50, pin: "whole", held: false },
      { start: 100, len: 50, pin: "open", held: false },
    ],
  };
  const [head] = headsOf(draft);
  assert.deepEqual([head.words, head.energy, head.open, head.kept], ["half a bar", 72, "lay its 1 open one again", false]);
});
