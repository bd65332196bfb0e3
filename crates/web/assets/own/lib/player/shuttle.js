// @ts-check
// Shuttling: faster with each press, one way or the other.

const SPEEDS = [1, 2, 4, 8];

/** The speed after a press. @param {number} speed negative goes backwards, 0 stands @param {1 | -1} way */
export function faster(speed, way) {
  const now = Math.sign(speed) === way ? Math.abs(speed) : 0;
  return way * (SPEEDS.find((s) => s > now) ?? SPEEDS[SPEEDS.length - 1]);
}

/** "2×", "−4×", or nothing while it stands. @param {number} speed */
export const spoken = (speed) => (speed === 0 ? "" : `${speed < 0 ? "−" : ""}${Math.abs(speed)}×`);
