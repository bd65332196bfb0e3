import assert from "node:assert/strict";
import { test } from "node:test";
import { between } from "../../assets/own/lib/tone.js";
import { matches, usedTags } from "../../assets/own/pages/sift/filters.js";

const select = (more) => ({
  name: "bench.mp4",
  roll: "day one",
  tier: "hero",
  note: "inside the workshop",
  movement: "still",
  tags: ["subject:hands", "framing:close"],
  ...more,
});
const filters = (more) => ({ tiers: new Set(), tags: new Set(), words: "", ...more });

test("selects are narrowed by tier, tag and words together", () => {
  assert.ok(matches(select(), filters()));
  assert.ok(matches(select(), filters({ tiers: new Set(["hero", "strong"]), tags: new Set(["subject:hands"]), words: "WORK bench" })));
  assert.ok(!matches(select(), filters({ tiers: new Set(["spare"]) })));
  assert.ok(!matches(select(), filters({ tags: new Set(["subject:hands", "framing:wide"]) })));
  assert.ok(!matches(select(), filters({ words: "bench harbour" })));
});

test("short words are whole words", () => {
  assert.ok(!matches(select(), filters({ words: "in" })), "in is not inside");
  assert.ok(matches(select({ note: "in the rain" }), filters({ words: "in" })));
});

test("tags in use stand by how often they are used, then by name", () => {
  const all = [select(), select({ tags: ["framing:close"] }), select({ tags: ["place:dock"] })];
  assert.deepEqual(usedTags(all), ["framing:close", "place:dock", "subject:hands"]);
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
