// @ts-check
// The stills in the cells of the contact sheet. Each is cut once out of the sixteen of its clip: sixteen in one picture are
// decoded again and again as one scrolls, and hold the next picture of the screen up.
import { image, STILLS, sheet, when } from "../../lib/filmstrip.js";

/** Stills that are kept, at some 5 KB each. */
const KEPT = 3000;
/** How many are fetched and cut at a time. */
const AT_ONCE = 4;

/** Addresses of stills, by clip and place in its sheet. @type {Map<string, string>} */
const kept = new Map();
/** What each cell shows or waits for. @type {WeakMap<HTMLElement, { clip: string, n: number }>} */
const wanted = new WeakMap();
/** Cells whose still is not here yet, the last asked for last. @type {Set<HTMLElement>} */
const waiting = new Set();
let busy = 0;

/** @param {HTMLElement} cell @param {string} address */
function put(cell, address) {
  cell.style.backgroundImage = address && `url("${address}")`;
  cell.style.backgroundSize = "100% 100%";
}
/** @param {string} clip @param {number} n @returns {Promise<string>} */
async function cut(clip, n) {
  const answer = await fetch(sheet(clip));
  if (!answer.ok) throw new Error("no stills");
  const whole = await createImageBitmap(await answer.blob()),
    wide = Math.floor(whole.width / STILLS),
    canvas = new OffscreenCanvas(wide, whole.height);
  canvas.getContext("2d")?.drawImage(whole, -n * wide, 0);
  whole.close();
  return URL.createObjectURL(await canvas.convertToBlob({ type: "image/jpeg", quality: 0.85 }));
}
async function next() {
  // Those that came last are in sight; the others may have been scrolled past.
  const cell = [...waiting].pop();
  if (!cell || busy >= AT_ONCE) return;
  waiting.delete(cell);
  const mine = wanted.get(cell);
  if (!mine || !cell.isConnected) return next();
  busy++;
  try {
    const still = await cut(mine.clip, mine.n);
    kept.set(`${mine.clip} ${mine.n}`, still);
    for (const [key, old] of kept) {
      if (kept.size <= KEPT) break;
      URL.revokeObjectURL(old);
      kept.delete(key);
    }
    if (wanted.get(cell) === mine) put(cell, still);
  } catch {
    // A clip without a light copy has no stills: its cell stays dark, and asks again when it is shown the next time.
    if (wanted.get(cell) === mine) wanted.delete(cell);
  }
  busy--;
  next();
}

/** Shows a clip's still in a cell, at once or as soon as it is there.
 * @param {HTMLElement} cell @param {string} clip @param {number} n which of the sixteen */
export function show(cell, clip, n) {
  const before = wanted.get(cell);
  if (before?.clip === clip && before.n === n) return;
  wanted.set(cell, { clip, n });
  waiting.delete(cell);
  const still = kept.get(`${clip} ${n}`);
  if (still) return put(cell, still);
  if (before?.clip !== clip) put(cell, "");
  waiting.add(cell);
  next();
}
/** Shows another of the sixteen for as long as the pointer is over it. @param {HTMLElement} cell @param {number} n */
export function leafTo(cell, n) {
  const mine = wanted.get(cell);
  if (!mine || mine.n === n) return;
  const now = { clip: mine.clip, n },
    all = image(mine.clip);
  wanted.set(cell, now);
  waiting.delete(cell);
  when(all, () => {
    if (wanted.get(cell) !== now) return;
    cell.style.backgroundImage = `url("${sheet(mine.clip)}")`;
    cell.style.backgroundSize = "1600% 100%";
    cell.style.backgroundPositionX = `${(n / (STILLS - 1)) * 100}%`;
  });
}
