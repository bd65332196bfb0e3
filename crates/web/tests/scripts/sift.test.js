import assert from "node:assert/strict";
import { test } from "node:test";
import { between } from "../../assets/own/lib/tone.js";
import { clipsOf, faultNear, isLeft, sharpest, state, tagsOf, trouble } from "../../assets/own/pages/sift/state.js";

const select = (id, more) => ({
  id,
  clip: "one",
  name: "bench",
  tier: "unread",
  pass: 0,
  start: 0,
  end: 2,
  energy: 10,
  tags: [],
  clip_tags: [],
  faults: [],
  no_faults: [],
  sharpness: 0.5,
  ...more,
});

test("a clip stands once on the sheet, with all of its selects", () => {
  const all = [select("a"), select("b", { clip: "two", energy: 80, tier: "out" }), select("c", { start: 3, energy: 40, tier: "hero" })];
  const order = (wanted) => {
    state.order = wanted;
    return clipsOf(all).map((c) => c.selects.map((s) => s.id).join("+"));
  };
  assert.deepEqual(order("time"), ["a+c", "b"]);
  const rolled = [select("a", { roll: "one" }), select("b", { clip: "two", roll: "two" }), select("c", { clip: "three", roll: "one" })];
  state.order = "roll";
  assert.deepEqual(
    clipsOf(rolled).map((c) => c.id),
    ["one", "three", "two"],
    "roll after roll, each by time",
  );
  assert.deepEqual(order("energy"), ["b", "a+c"], "the liveliest select counts");
  assert.deepEqual(order("tier"), ["a+c", "b"]);
  assert.deepEqual(order("left"), ["a+c", "b"], "what is left comes first");
});

test("a pass has left what was not judged in it", () => {
  state.pass = 1;
  assert.deepEqual([isLeft(select("a")), isLeft(select("b", { tier: "spare", pass: 1 }))], [true, false]);
  state.pass = 2;
  assert.deepEqual([isLeft(select("b", { tier: "spare", pass: 1 })), isLeft(select("b", { tier: "spare", pass: 2 }))], [true, false]);
});

test("what a select says itself counts before what its clip says", () => {
  const s = select("a", { tags: ["framing:close", "own:dust"], clip_tags: ["framing:wide", "light:night", "own:brass"] });
  assert.deepEqual(tagsOf(s), ["framing:close", "own:dust", "light:night", "own:brass"]);
});

test("what cannot be used of a select is reported between its in and out", () => {
  const fault = (kind, start, end) => ({ kind, start, end });
  const s = select("a", {
    start: 1,
    end: 3,
    faults: [fault("soft", 0, 4), fault("shake", 0, 1.1), fault("shake", 2.5, 4), fault("dark", 3, 4)],
  });
  assert.equal(trouble(s), "out of focus, shakes 0.6 s");
  assert.equal(trouble({ ...s, no_faults: ["soft"] }), "shakes 0.6 s");
  assert.equal(trouble(select("b")), "");
  assert.equal(faultNear(s, 3.6), "soft");
  assert.equal(faultNear({ ...s, no_faults: ["soft", "shake"] }, 0.5), "dark", "what was called none comes last");
  assert.equal(faultNear(select("b"), 0), undefined);
});

test("the sharpest of several is said where one sees it", () => {
  const soft = select("a", { sharpness: 0.2 }),
    sharp = select("b", { sharpness: 0.3 });
  assert.equal(sharpest([soft, sharp])?.id, "b");
  assert.equal(sharpest([sharp, select("c", { sharpness: 0.29 })]), undefined);
  assert.equal(sharpest([sharp]), undefined);
});

test("energy is a colour between three, and never outside them", () => {
  const stops = ["#000000", "#646464", "#c8c8c8"];
  const at = (energy) => between(energy, stops);
  assert.equal(at(0), "rgb(0,0,0)");
  assert.equal(at(25), "rgb(50,50,50)");
  assert.equal(at(50), "rgb(100,100,100)");
  assert.equal(at(100), "rgb(200,200,200)");
  assert.deepEqual([at(-9), at(250)], [at(0), at(100)]);
});
