//! One small grey frame and what can be told from it alone.

/// A frame at full and at half size.
pub struct Picture {
    pub fine: Plane,
    pub half: Plane,
    pub quarter: Plane,
    histogram: [f32; 32],
}

/// Luma as floats, 0–255.
pub struct Plane {
    pub width: usize,
    pub height: usize,
    pub luma: Vec<f32>,
}

impl Plane {
    fn halved(&self) -> Self {
        let (width, height) = (self.width / 2, self.height / 2);
        let mut luma = Vec::with_capacity(width * height);
        for y in 0..height {
            for x in 0..width {
                let at = 2 * y * self.width + 2 * x;
                let four =
                    self.luma[at] + self.luma[at + 1] + self.luma[at + self.width] + self.luma[at + self.width + 1];
                luma.push(four / 4.0);
            }
        }
        Self { width, height, luma }
    }

    /// The squared differences to the right and lower neighbours, summed.
    fn detail(&self) -> f32 {
        let mut sum = 0.0;
        for row in self.luma.chunks_exact(self.width) {
            sum += row.windows(2).map(|w| (w[1] - w[0]).powi(2)).sum::<f32>();
        }
        for pair in self.luma.windows(self.width + 1) {
            sum += (pair[self.width] - pair[0]).powi(2);
        }
        sum
    }
}

impl Picture {
    pub fn of(grey: &[u8], width: usize, height: usize) -> Self {
        let fine = Plane { width, height, luma: grey.iter().map(|v| f32::from(*v)).collect() };
        let half = fine.halved();
        let quarter = half.halved();
        let mut histogram = [0.0; 32];
        for v in grey {
            histogram[usize::from(*v) / 8] += 1.0 / grey.len() as f32;
        }
        Self { fine, half, quarter, histogram }
    }

    pub fn exposure(&self) -> f32 {
        self.fine.luma.iter().sum::<f32>() / (self.fine.luma.len().max(1) as f32 * 255.0)
    }

    /// 0–1: the detail at full size against the detail that is left at half size. A sharp edge keeps its
    /// contrast over one pixel and gives a high ratio, a blurred one spreads it over many; contrast itself
    /// cancels out.
    pub fn sharpness(&self) -> f32 {
        let coarse = self.half.detail();
        if coarse < 1.0 {
            return 0.0;
        }
        // At equal sharpness both scales hold the same detail per edge, twice as many edge pixels at full size.
        let ratio = self.fine.detail() / (2.0 * coarse);
        ((ratio - 0.2) / 0.7).clamp(0.0, 1.0)
    }

    /// Whether this is another shot than the frame before: its tones and its places are both different.
    pub fn is_another_shot(&self, before: &Self) -> bool {
        let tones: f32 = self.histogram.iter().zip(&before.histogram).map(|(a, b)| (a - b).abs()).sum::<f32>() / 2.0;
        if tones < 0.35 {
            return false;
        }
        let n = self.quarter.luma.len().max(1) as f32;
        let places: f32 =
            self.quarter.luma.iter().zip(&before.quarter.luma).map(|(a, b)| (a - b).abs()).sum::<f32>() / n;
        places > 24.0
    }
}
