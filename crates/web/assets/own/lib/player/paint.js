// @ts-check
// A decoded frame on a canvas.

/** Fills the canvas with it, its middle kept. @param {CanvasRenderingContext2D} pen @param {VideoFrame} frame
 * @param {number} share how much of it covers what is there */
export function fill(pen, frame, share) {
  const { width: w, height: h } = pen.canvas,
    scale = Math.max(w / frame.displayWidth, h / frame.displayHeight),
    [fw, fh] = [frame.displayWidth * scale, frame.displayHeight * scale];
  pen.globalAlpha = share;
  pen.drawImage(frame, (w - fw) / 2, (h - fh) / 2, fw, fh);
  pen.globalAlpha = 1;
}

/** Black, or so much of it. @param {CanvasRenderingContext2D} pen @param {number} [share] */
export function black(pen, share = 1) {
  pen.globalAlpha = share;
  pen.fillStyle = "#000";
  pen.fillRect(0, 0, pen.canvas.width, pen.canvas.height);
  pen.globalAlpha = 1;
}
