//! The loudness of a part, from the momentary loudness along time (EBU R 128, ITU-R BS.1770).

/// Blocks below this are silence (BS.1770: the absolute gate), in LUFS.
const SILENCE: f64 = -70.0;
/// Blocks so much below the mean of the others do not count (the relative gate), in LU.
const RELATIVE_GATE: f64 = -10.0;

fn power(lufs: f64) -> f64 {
    10f64.powf(lufs / 10.0)
}

/// The programme loudness, in LUFS, of blocks of momentary loudness: both gates, then the mean of their power. `None` in silence.
pub fn programme_loudness(blocks: &[f64]) -> Option<f64> {
    let mean = |gate: f64| {
        let heard: Vec<f64> = blocks.iter().filter(|b| **b > gate).map(|b| power(*b)).collect();
        (!heard.is_empty()).then(|| 10.0 * (heard.iter().sum::<f64>() / heard.len() as f64).log10())
    };
    mean((mean(SILENCE)? + RELATIVE_GATE).max(SILENCE))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_far_below_the_rest_does_not_count() {
        assert_eq!(programme_loudness(&[-70.0; 9]), None, "silence has no loudness");
        let of = |blocks: &[f64]| programme_loudness(blocks).expect("heard");
        assert!((of(&[-20.0; 4]) + 20.0).abs() < 1e-9);
        assert!((of(&[-20.0, -20.0, -45.0, -70.0]) + 20.0).abs() < 1e-9);
    }
}
