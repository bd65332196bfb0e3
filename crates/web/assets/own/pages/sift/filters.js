// @ts-check
// Narrowing the selects: by tier, by tag and by words.

/** @typedef {{ tiers: Set<string>, tags: Set<string>, words: string }} Filters */

/** The words by which a select is found.
 * @param {any} s @returns {string[]} */
const wordsOf = (s) =>
  [s.name, s.roll, s.tier, s.note, s.movement, ...s.tags.map((/** @type {string} */ t) => t.split(":")[1])]
    .join(" ")
    .toLowerCase()
    .split(/[\s,;]+/)
    .filter(Boolean);

/** Whether a select has a word: short ones whole ("in" is no "inside"), longer ones from their beginning.
 * @param {string[]} words @param {string} wanted */
const has = (words, wanted) => words.some((w) => w === wanted || (wanted.length > 2 && w.includes(wanted)));

/** @param {any} s @param {Filters} filters @returns {boolean} */
export function matches(s, filters) {
  if (filters.tiers.size && !filters.tiers.has(s.tier)) return false;
  for (const tag of filters.tags) if (!s.tags.includes(tag)) return false;
  const wanted = filters.words.toLowerCase().split(/\s+/).filter(Boolean);
  if (!wanted.length) return true;
  const words = wordsOf(s);
  return wanted.every((w) => has(words, w));
}

/** The tags in use, most used first.
 * @param {any[]} all @returns {string[]} */
export function usedTags(all) {
  /** @type {Map<string, number>} */
  const counts = new Map();
  for (const s of all) for (const tag of s.tags) counts.set(tag, (counts.get(tag) || 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1] || a[0].localeCompare(b[0])).map(([tag]) => tag);
}
