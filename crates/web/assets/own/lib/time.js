// @ts-check
// Times and lengths as people write and read them: the grammar of core::length, tested on the same examples.

const LONGEST = 100 * 3600;

/** Minutes and seconds for reading: `0:45`, `1:02:03`.
 * @param {number} seconds @returns {string} */
export function clock(seconds) {
  const s = Math.round(Math.max(0, seconds)),
    two = (/** @type {number} */ n) => String(n).padStart(2, "0");
  return s >= 3600 ? `${Math.floor(s / 3600)}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}` : `${Math.floor(s / 60)}:${two(s % 60)}`;
}

/** Seconds and frames: `12:07`.
 * @param {number} s @param {number} fps @returns {string} */
export function frames(s, fps) {
  const f = Math.floor(s * fps + 0.001),
    n = Math.ceil(fps - 0.01);
  return `${String(Math.floor(f / n)).padStart(2, "0")}:${String(f % n).padStart(2, "0")}`;
}

/** Seconds of a length as people write it; NaN when it is none. Per cents are those of `own`.
 * @param {string} text @param {number} fps @param {number} [own] @returns {number} */
export function parseLength(text, fps, own) {
  const t = text.trim().replaceAll(",", ".");
  const seconds = read(t, fps, own);
  return seconds <= LONGEST ? seconds : NaN;
}

/** @param {string} t @param {number} fps @param {number | undefined} own */
function read(t, fps, own) {
  if (t.endsWith("%")) return own === undefined ? NaN : (own * decimal(t.slice(0, -1))) / 100;
  if (/^\d+\s*f$/.test(t)) return parseInt(t, 10) / fps;
  if ((t.match(/[:;]/g) || []).length === 3) return timecode(t, fps);
  const parts = t.split(":"),
    last = decimal(/** @type {string} */ (parts.pop()));
  if (parts.length > 2 || (parts.length && last >= 60)) return NaN;
  let minutes = 0;
  for (const [i, part] of parts.entries()) {
    if (!/^\s*\d{1,4}\s*$/.test(part) || (i > 0 && Number(part) > 59)) return NaN;
    minutes = minutes * 60 + Number(part);
  }
  return minutes * 60 + last;
}

/** Digits with at most one point among them.
 * @param {string} text */
const decimal = (text) => (/^\s*(\d+\.?\d*|\.\d+)\s*$/.test(text) ? Number(text) : NaN);

/** @param {string} text @param {number} fps */
function timecode(text, fps) {
  const code = text.match(/^(\d+):(\d+):(\d+)([:;])(\d+)$/);
  if (!code) return NaN;
  const [h, m, s, f] = [code[1], code[2], code[3], code[5]].map(Number),
    nominal = Math.ceil(fps - 1e-6);
  if (h > 99 || m > 59 || s > 59 || f >= nominal) return NaN;
  // Drop-frame timecode leaves out numbers, not frames: two a minute at 29.97, four at 59.94, none each tenth minute.
  const drops = code[4] === ";" && Math.abs(fps - nominal) > 1e-6 && nominal % 30 === 0 ? nominal / 15 : 0;
  if (drops && s === 0 && f < drops && m % 10 !== 0) return NaN;
  const minutes = h * 60 + m;
  return ((minutes * 60 + s) * nominal + f - drops * (minutes - Math.floor(minutes / 10))) / fps;
}
