// @ts-check
// Energy as a colour: from slate over ochre to vermilion.

/** The colour between three, at 0–100.
 * @param {number} energy @param {string[]} stops three colours as #rrggbb @returns {string} */
export function between(energy, stops) {
  const rgb = stops.map((s) => (s.match(/[0-9a-f]{2}/gi) || []).map((h) => parseInt(h, 16)));
  const at = Math.max(0, Math.min(1, energy / 100)) * 2,
    i = Math.min(1, Math.floor(at)),
    f = at - i;
  return `rgb(${rgb[i].map((v, k) => Math.round(v + (rgb[i + 1][k] - v) * f)).join(",")})`;
}
