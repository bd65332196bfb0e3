// @ts-check
// Words that selects are narrowed by, as values that are pressed.

/** @typedef {{ term: string, word: string, count: number, on: boolean }} Value */
/** @typedef {{ name: string, values: Value[] }} Group */

/** Names of the groups of values, in their order. */
const GROUPS = ["tier", "framing", "role", "light", "movement", "subject", "own", "label", "roll", "is"];
/** Of these a select has one each: two of them are alternatives. */
const ONE_EACH = ["tier", "framing", "role", "light", "movement"];

/** Cut at spaces outside of quotes. @param {string} of @returns {string[]} */
export const pieces = (of) => of.match(/(?:"[^"]*"?|[^\s"])+/g) || [];

/** What was counted, by groups. @param {{ group: string, term: string, word: string, count: number }[]} counts
 * @param {string} words @returns {Group[]} */
export function grouped(counts, words) {
  const on = new Set(pieces(words).flatMap((p) => [p, ...p.split(",")]));
  return GROUPS.map((name) => ({
    name,
    values: counts.filter((c) => c.group === name).map((c) => ({ term: c.term, word: c.word, count: c.count, on: on.has(c.term) })),
  })).filter((g) => g.values.length);
}

/** The words after a value was pressed: it is asked for beside others of its group, or no more.
 * @param {string} words @param {string} term @param {string} group @param {Group[]} groups @returns {string} */
export function pressed(words, term, group, groups) {
  const all = pieces(words),
    known = groups.find((g) => g.name === group)?.values.map((v) => v.term) || [],
    mine = all.findIndex((p) => p.split(",").every((q) => known.includes(q)));
  if (all.includes(term)) all.splice(all.indexOf(term), 1);
  else if (ONE_EACH.includes(group) && mine >= 0) {
    const some = all[mine].split(",");
    const next = some.includes(term) ? some.filter((q) => q !== term) : [...some, term];
    all.splice(mine, 1, ...(next.length ? [next.join(",")] : []));
  } else all.push(term);
  return all.join(" ");
}
