// @ts-check
// Canvases in device pixels, drawn in CSS pixels.

/** Clears it and gives a pen for it.
 * @param {HTMLCanvasElement} canvas @returns {{ pen: CanvasRenderingContext2D, w: number, h: number }} */
export function crisp(canvas) {
  const box = canvas.getBoundingClientRect(),
    ratio = window.devicePixelRatio || 1,
    w = Math.max(1, Math.round(box.width)),
    h = Math.max(1, Math.round(box.height));
  if (canvas.width !== w * ratio || canvas.height !== h * ratio) {
    canvas.width = w * ratio;
    canvas.height = h * ratio;
  }
  const pen = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
  pen.setTransform(ratio, 0, 0, ratio, 0, 0);
  pen.clearRect(0, 0, w, h);
  return { pen, w, h };
}
