// @ts-check
// The frame tables of shots, which the server sends as runs.

/** @typedef {[first: number, step: number, count: number]} Run frames of the clip, the same step from each to the next */

/** The frame of the clip on each frame of a shot. @param {Run[]} runs @returns {number[]} */
export const unfolded = (runs) => runs.flatMap(([first, step, count]) => Array.from({ length: count }, (_, i) => first + step * i));

/** The same shots, each with its table. @template {{ runs: Run[] }} T @param {T[]} shots @returns {(T & { frames: number[] })[]} */
export const withFrames = (shots) => shots.map((s) => ({ ...s, frames: unfolded(s.runs) }));
