//! Luma as a picture that can be read between its pixels.

/// Luma as floats, 0–255.
pub struct Plane {
    pub width: usize,
    pub height: usize,
    pub luma: Vec<f32>,
}

impl Plane {
    /// At half its size: the mean of each four pixels.
    pub fn halved(&self) -> Self {
        let (width, height) = (self.width / 2, self.height / 2);
        let mut luma = vec![0.0; width * height];
        for (y, row) in luma.chunks_exact_mut(width.max(1)).enumerate() {
            let top = &self.luma[2 * y * self.width..][..2 * width];
            let bottom = &self.luma[(2 * y + 1) * self.width..][..2 * width];
            for (to, (a, b)) in row.iter_mut().zip(top.chunks_exact(2).zip(bottom.chunks_exact(2))) {
                *to = (a[0] + a[1] + b[0] + b[1]) * 0.25;
            }
        }
        Self { width, height, luma }
    }

    /// The same of a frame's bytes.
    pub fn half_of_bytes(bytes: &[u8], width: usize, height: usize) -> Self {
        let (w, h) = (width / 2, height / 2);
        let mut luma = vec![0.0; w * h];
        for (y, row) in luma.chunks_exact_mut(w.max(1)).enumerate() {
            let top = &bytes[2 * y * width..][..2 * w];
            let bottom = &bytes[(2 * y + 1) * width..][..2 * w];
            for (to, (a, b)) in row.iter_mut().zip(top.chunks_exact(2).zip(bottom.chunks_exact(2))) {
                *to = f32::from(u16::from(a[0]) + u16::from(a[1]) + u16::from(b[0]) + u16::from(b[1])) * 0.25;
            }
        }
        Self { width: w, height: h, luma }
    }

    /// Between its pixels; the caller keeps to the inside.
    #[inline]
    pub fn between(&self, x: f32, y: f32) -> f32 {
        let (ix, iy) = (x as usize, y as usize);
        let (fx, fy) = (x - ix as f32, y - iy as f32);
        let at = iy * self.width + ix;
        let top = self.luma[at] + (self.luma[at + 1] - self.luma[at]) * fx;
        let below = at + self.width;
        let bottom = self.luma[below] + (self.luma[below + 1] - self.luma[below]) * fx;
        top + (bottom - top) * fy
    }
}
