//! The proportional-odds model: one line of worth, and the bounds between the grades on it.

/// Grades, from out to hero.
pub const GRADES: usize = 4;
/// How strongly weights are held at nothing: as if so many verdicts had said that a trait does not matter.
const HELD: f64 = 2.0;
const STEPS: usize = 250;

/// Weights of the traits, and the bounds between grades in ascending order.
#[derive(Debug, Clone, PartialEq)]
pub struct Model {
    pub weights: Vec<f64>,
    bounds: [f64; GRADES - 1],
}

fn sigmoid(x: f64) -> f64 {
    1.0 / (1.0 + (-x).exp())
}

impl Model {
    /// Greatest penalised likelihood, by a fixed number of steps of gradient ascent with momentum per coordinate (Kingma and Ba, "Adam",
    /// 2015): the same rows give the same model.
    pub fn fit(rows: &[Vec<f64>], grades: &[usize]) -> Self {
        let width = rows.first().map_or(0, Vec::len);
        // Where the grades lie when nothing matters.
        let share =
            |below: usize| (grades.iter().filter(|g| **g <= below).count() as f64 + 0.5) / (grades.len() as f64 + 1.0);
        let logit = |p: f64| (p / (1.0 - p)).ln();
        // The first bound, and the distances of the others as logarithms: they cannot cross.
        let first = logit(share(0));
        let gaps: Vec<f64> = (1..GRADES - 1).map(|k| (logit(share(k)) - logit(share(k - 1))).max(0.05).ln()).collect();
        let mut values: Vec<f64> = std::iter::repeat_n(0.0, width).chain([first]).chain(gaps).collect();
        let (mut mean, mut square) = (vec![0.0; values.len()], vec![0.0; values.len()]);
        for step in 1..=STEPS {
            let gradient = gradient(&values, width, rows, grades);
            let (b1, b2) = (0.9f64, 0.99f64);
            let rate = 0.12 * (1.0 - step as f64 / (STEPS as f64 + 1.0));
            for (i, g) in gradient.iter().enumerate() {
                mean[i] = b1 * mean[i] + (1.0 - b1) * g;
                square[i] = b2 * square[i] + (1.0 - b2) * g * g;
                let (m, s) = (mean[i] / (1.0 - b1.powi(step as i32)), square[i] / (1.0 - b2.powi(step as i32)));
                values[i] += rate * m / (s.sqrt() + 1e-9);
            }
        }
        let bounds = bounds_of(&values[width..]);
        values.truncate(width);
        Self { weights: values, bounds }
    }

    /// Where a row lies on the line.
    pub fn worth(&self, row: &[f64]) -> f64 {
        self.weights.iter().zip(row).map(|(w, x)| w * x).sum()
    }

    /// How likely each grade is.
    pub fn odds(&self, row: &[f64]) -> [f64; GRADES] {
        let worth = self.worth(row);
        let up_to = self.bounds.map(|bound| sigmoid(bound - worth));
        [up_to[0], up_to[1] - up_to[0], up_to[2] - up_to[1], 1.0 - up_to[2]]
    }
}

fn bounds_of(values: &[f64]) -> [f64; GRADES - 1] {
    let mut bounds = [values[0]; GRADES - 1];
    for k in 1..GRADES - 1 {
        bounds[k] = bounds[k - 1] + values[k].exp();
    }
    bounds
}

/// Of the penalised logarithm of the likelihood, for each row as much.
fn gradient(values: &[f64], width: usize, rows: &[Vec<f64>], grades: &[usize]) -> Vec<f64> {
    let bounds = bounds_of(&values[width..]);
    let mut found = vec![0.0; values.len()];
    for (row, grade) in rows.iter().zip(grades) {
        let worth: f64 = values[..width].iter().zip(row).map(|(w, x)| w * x).sum();
        let (above, below) = (
            if *grade < GRADES - 1 { sigmoid(bounds[*grade] - worth) } else { 1.0 },
            if *grade > 0 { sigmoid(bounds[*grade - 1] - worth) } else { 0.0 },
        );
        let likely = (above - below).max(1e-9);
        let (slope_above, slope_below) = (above * (1.0 - above) / likely, below * (1.0 - below) / likely);
        let along = slope_below - slope_above;
        for (f, x) in found[..width].iter_mut().zip(row) {
            *f += along * x;
        }
        // A bound moves all bounds behind it.
        for (k, slope) in [(*grade, slope_above), (grade.wrapping_sub(1), -slope_below)] {
            if k < GRADES - 1 {
                found[width] += slope;
                for j in 1..=k {
                    found[width + j] += slope * values[width + j].exp();
                }
            }
        }
    }
    for (f, w) in found[..width].iter_mut().zip(&values[..width]) {
        *f -= HELD * w;
    }
    let n = rows.len().max(1) as f64;
    found.iter().map(|f| f / n).collect()
}
