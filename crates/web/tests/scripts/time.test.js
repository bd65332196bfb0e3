// The grammar of lengths on the examples that core::length is tested on.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import { clock, frames, parseLength } from "../../assets/own/lib/time.js";

const file = new URL("../../../core/testdata/lengths.json", import.meta.url);
const { lengths, wrong, clocks } = JSON.parse(readFileSync(file, "utf8"));
const fps = (rate) => rate.split("/").reduce((n, d) => Number(n) / Number(d));

test("what people write is read as core reads it", () => {
  for (const { text, rate, own, seconds } of lengths) {
    const found = parseLength(text, fps(rate), own);
    assert.ok(Math.abs(found - seconds) < 1e-6, `${text} at ${rate}: ${found}`);
  }
});

test("what is no length is none", () => {
  for (const text of wrong) assert.ok(Number.isNaN(parseLength(text, 25)), text);
});

test("times are written as core writes them", () => {
  for (const { seconds, text } of clocks) assert.equal(clock(seconds), text);
  assert.equal(frames(12.28, 25), "12:07");
  // 23.976 counts 24 frames a second.
  assert.equal(frames((24 * 1001) / 24000, 24000 / 1001), "01:00");
});
