import assert from "node:assert/strict";
import { test } from "node:test";
import { faster, spoken } from "../../assets/own/lib/player/shuttle.js";

test("each press is faster, as far as it goes", () => {
  const speeds = [];
  for (let speed = 0; speeds.length < 5; ) {
    speed = faster(speed, 1);
    speeds.push(speed);
  }
  assert.deepEqual(speeds, [1, 2, 4, 8, 8]);
});

test("the other way begins again", () => {
  assert.equal(faster(4, -1), -1);
  assert.equal(faster(-1, -1), -2);
});

test("a speed is said with its way, standing is not said", () => {
  assert.deepEqual([0, 2, -4].map(spoken), ["", "2×", "−4×"]);
});

test("a clip that came at a speed of its own goes on from there, not from the beginning", () => {
  assert.deepEqual([faster(3, 1), faster(1.5, 1), faster(8, 1), faster(3, -1)], [4, 2, 8, -1]);
});
