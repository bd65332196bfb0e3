// @ts-check
// Shuttling: faster with each press, one way or the other.

const SPEEDS = [1, 2, 4, 8];

/** The speed after a press. @param {number} speed negative goes backwards, 0 stands @param {1 | -1} way */
export function faster(speed, way) {
  const now = Math.sign(speed) === way ? SPEEDS.indexOf(Math.abs(speed)) : -1;
  return way * SPEEDS[Math.min(SPEEDS.length - 1, now + 1)];
}

/** "2×", "−4×", or nothing while it stands. @param {number} speed */
export const spoken = (speed) => (speed === 0 ? "" : `${speed < 0 ? "−" : ""}${Math.abs(speed)}×`);
