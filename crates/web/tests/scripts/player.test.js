import assert from "node:assert/strict";
import { test } from "node:test";
import { ClipFrames } from "../../assets/own/lib/player/decoder.js";

/** A copy with a whole picture every twelve frames, thirty in all. */
function frames() {
  const clip = Object.create(ClipFrames.prototype);
  Object.assign(clip, { starts: [0, 12, 24], film: { samples: Array.from({ length: 30 }) }, frames: new Map(), asked: new Set() });
  return clip;
}

test("a frame is in the group that its whole picture begins", () => {
  const clip = frames();
  assert.deepEqual(
    [0, 11, 12, 23, 24, 29].map((k) => clip.groupOf(k)),
    [0, 0, 1, 1, 2, 2],
  );
});

test("behind the last frame the last one stands", () => {
  const clip = frames();
  assert.deepEqual([clip.inside(29), clip.inside(30), clip.inside(500), clip.inside(-1)], [29, 29, 29, 0]);
});

test("what is not wanted any more is let go of, and closed", () => {
  const clip = frames();
  const closed = [];
  for (const k of [3, 13, 25]) {
    clip.frames.set(k, { close: () => closed.push(k) });
    clip.asked.add(clip.groupOf(k));
  }
  clip.keepOnly([14]);
  assert.deepEqual(closed, [3, 25]);
  assert.deepEqual([[...clip.frames.keys()], [...clip.asked]], [[13], [1]]);
});
