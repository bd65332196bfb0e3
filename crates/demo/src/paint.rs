//! Drawing in a world that a camera looks at: x to the right, y down, one unit is the width of a medium shot.

use tiny_skia::{Color, FillRule, Paint, PathBuilder, Pixmap, Stroke, Transform};

/// A canvas with a camera. What is painted is also noted, so that the drawn movement is known.
pub struct Canvas<'a> {
    pixels: &'a mut Pixmap,
    world: Transform,
    scale: f32,
    notes: &'a mut Vec<Note>,
    backdrop: bool,
}

/// A painted shape on the screen, in frame widths.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Note {
    pub x: f32,
    pub y: f32,
    /// How wide it is.
    pub size: f32,
    /// Radians.
    pub angle: f32,
    /// Part of the world that only the camera moves.
    pub backdrop: bool,
}

#[derive(Debug, Clone, Copy)]
pub struct Ink(pub u8, pub u8, pub u8, pub u8);

impl Ink {
    pub const fn rgb(r: u8, g: u8, b: u8) -> Self {
        Self(r, g, b, 255)
    }

    fn paint(self) -> Paint<'static> {
        let mut paint = Paint::default();
        paint.set_color(Color::from_rgba8(self.0, self.1, self.2, self.3));
        paint.anti_alias = true;
        paint
    }
}

impl<'a> Canvas<'a> {
    /// Looks at (`x`, `y`), `zoom` times as near as a medium shot.
    pub fn new(pixels: &'a mut Pixmap, notes: &'a mut Vec<Note>, x: f64, y: f64, zoom: f64) -> Self {
        let (w, h) = (pixels.width() as f32, pixels.height() as f32);
        // Upright frames see as much of the world in their height as wide ones in their width.
        let scale = w.max(h) * zoom as f32;
        let world =
            Transform::from_translate(-x as f32, -y as f32).post_scale(scale, scale).post_translate(w / 2.0, h / 2.0);
        Self { pixels, world, scale, notes, backdrop: false }
    }

    /// What is painted from now on stands still in the world, or does not.
    pub fn backdrop(&mut self, on: bool) {
        self.backdrop = on;
    }

    /// Notes the ground, which only the camera moves: a grid of places on it.
    pub fn ground(&mut self) {
        self.backdrop = true;
        for row in -5..=5 {
            for column in -9..=9 {
                self.note(f64::from(column) * 0.12, f64::from(row) * 0.12, 0.05, 0.0);
            }
        }
        self.backdrop = false;
    }

    /// Notes a shape and says whether any of it can be in the picture; most of a wall is not.
    fn note(&mut self, x: f64, y: f64, size: f64, angle: f64) -> bool {
        let width = self.pixels.width() as f32;
        let mut p = tiny_skia::Point::from_xy(x as f32, y as f32);
        self.world.map_point(&mut p);
        self.notes.push(Note {
            x: p.x / width,
            y: p.y / width,
            size: size as f32 * self.scale / width,
            angle: angle as f32,
            backdrop: self.backdrop,
        });
        let (reach, height) = (size as f32 * self.scale / 2.0 + 2.0, self.pixels.height() as f32);
        p.x + reach > 0.0 && p.x - reach < width && p.y + reach > 0.0 && p.y - reach < height
    }

    pub fn disc(&mut self, x: f64, y: f64, r: f64, ink: Ink) {
        if !self.note(x, y, 2.0 * r, 0.0) {
            return;
        }
        if let Some(path) = PathBuilder::from_circle(x as f32, y as f32, r.max(1e-5) as f32) {
            self.pixels.fill_path(&path, &ink.paint(), FillRule::Winding, self.world, None);
        }
    }

    pub fn polygon(&mut self, points: &[(f64, f64)], angle: f64, ink: Ink) {
        let n = points.len().max(1) as f64;
        let (cx, cy) = (points.iter().map(|p| p.0).sum::<f64>() / n, points.iter().map(|p| p.1).sum::<f64>() / n);
        let size = points.iter().map(|p| (p.0 - cx).hypot(p.1 - cy)).fold(0.0, f64::max) * 2.0;
        if !self.note(cx, cy, size, angle) {
            return;
        }
        let mut builder = PathBuilder::new();
        for (i, (x, y)) in points.iter().enumerate() {
            if i == 0 {
                builder.move_to(*x as f32, *y as f32);
            } else {
                builder.line_to(*x as f32, *y as f32);
            }
        }
        builder.close();
        if let Some(path) = builder.finish() {
            self.pixels.fill_path(&path, &ink.paint(), FillRule::Winding, self.world, None);
        }
    }

    pub fn rect(&mut self, x: f64, y: f64, w: f64, h: f64, ink: Ink) {
        self.polygon(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], 0.0, ink);
    }

    pub fn line(&mut self, from: (f64, f64), to: (f64, f64), width: f64, ink: Ink) {
        let (dx, dy) = (to.0 - from.0, to.1 - from.1);
        if !self.note((from.0 + to.0) / 2.0, (from.1 + to.1) / 2.0, dx.hypot(dy), dy.atan2(dx)) {
            return;
        }
        let mut builder = PathBuilder::new();
        builder.move_to(from.0 as f32, from.1 as f32);
        builder.line_to(to.0 as f32, to.1 as f32);
        if let Some(path) = builder.finish() {
            let stroke = Stroke { width: width.max(1e-4) as f32, ..Stroke::default() };
            self.pixels.stroke_path(&path, &ink.paint(), &stroke, self.world, None);
        }
    }

    /// A toothed wheel.
    pub fn gear(&mut self, (x, y): (f64, f64), r: f64, teeth: u32, angle: f64, ink: Ink, hole: Ink) {
        let mut points = Vec::with_capacity(teeth as usize * 4);
        for tooth in 0..teeth {
            for (part, reach) in [(0.0, 1.0), (0.25, 1.0), (0.5, 0.84), (0.75, 0.84)] {
                let a = angle + (f64::from(tooth) + part) / f64::from(teeth) * std::f64::consts::TAU;
                points.push((x + r * reach * a.cos(), y + r * reach * a.sin()));
            }
        }
        self.polygon(&points, angle, ink);
        // The rim stands higher than the plate within, and catches the light.
        let within =
            Ink((f32::from(ink.0) * 0.82) as u8, (f32::from(ink.1) * 0.82) as u8, (f32::from(ink.2) * 0.82) as u8, 255);
        let lit = |c: u8| c.saturating_add(26);
        self.disc(x, y, r * 0.78, Ink::rgb(lit(ink.0), lit(ink.1), lit(ink.2)));
        self.disc(x + 0.012 * r, y + 0.02 * r, r * 0.76, within);
        for spoke in 0..5 {
            let a = angle + f64::from(spoke) / 5.0 * std::f64::consts::TAU;
            self.disc(x + 0.5 * r * a.cos(), y + 0.5 * r * a.sin(), r * 0.17, hole);
        }
        self.disc(x, y, r * 0.13, hole);
    }
}

/// Softens a picture as a lens out of focus does: three passes of a box of `radius` pixels.
pub fn defocus(pixels: &mut Pixmap, radius: usize) {
    let (w, h) = (pixels.width() as usize, pixels.height() as usize);
    let mut scratch = vec![0u8; w * h * 4];
    for _ in 0..3 {
        // Along each line into the scratch, down all columns back.
        let lines = pixels.data().chunks_exact(w * 4).zip(scratch.chunks_exact_mut(w * 4));
        lines.for_each(|(from, to)| running_mean(from, to, 4, radius));
        running_mean(&scratch, pixels.data_mut(), w * 4, radius);
    }
}

/// The mean of each item and of `radius` on both sides, where an item is `width` channels; the first and the last go on beyond the ends.
fn running_mean(from: &[u8], to: &mut [u8], width: usize, radius: usize) {
    let last = from.len() / width - 1;
    let item = |i: usize| &from[i.min(last) * width..][..width];
    // Of 65,536 parts, rounded up so that white stays white.
    let share = 65_536u32.div_ceil(2 * radius as u32 + 1);
    let mut sums: Vec<u32> = item(0).iter().map(|v| u32::from(*v) * (radius as u32 + 1)).collect();
    for i in 1..=radius {
        sums.iter_mut().zip(item(i)).for_each(|(sum, v)| *sum += u32::from(*v));
    }
    for (i, to) in to.chunks_exact_mut(width).enumerate() {
        let (leaves, enters) = (item(i.saturating_sub(radius)), item(i + radius + 1));
        for (((sum, to), leaves), enters) in sums.iter_mut().zip(to).zip(leaves).zip(enters) {
            *to = ((*sum * share) >> 16) as u8;
            *sum = *sum + u32::from(*enters) - u32::from(*leaves);
        }
    }
}
