import assert from "node:assert/strict";
import { test } from "node:test";
import { typedLength } from "../../assets/own/pages/arrange/hands.js";

// Half a second a beat at 24 frames: twelve frames, four to the bar.
const draft = { fps: 23.976, beats: [...Array(32).keys()].map((i) => [i * 12, 1 + Math.floor(i / 4), 1 + (i % 4)]) };
const shot = { start: 24, len: 30 };

test("a length is typed in frames, beats, bars, or seconds and frames", () => {
  const by = (text) => typedLength(text, draft, shot);
  assert.equal(by("+6"), 6);
  assert.equal(by(" -4 "), -4);
  assert.equal(by("36"), 6, "a plain number is the length itself");
  assert.equal(by("2b"), -6);
  assert.equal(by("1 bar"), 18);
  assert.equal(by("1.5b"), -12);
  assert.equal(by("1:12"), 6);
});

test("what is no length is none", () => {
  for (const text of ["", "long", "1:30", "2x", "+", "b"]) assert.equal(typedLength(text, draft, shot), null, text);
});
