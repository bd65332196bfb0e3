//! Order statistics of measured values.

/// The value in the middle; of an even number of values, the upper of the two. `None` of nothing. Sorts in place.
pub fn median(values: &mut [f64]) -> Option<f64> {
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied()
}

/// The value below which a share of the others lies, 0–1; 0 of nothing.
pub fn percentile(mut values: Vec<f64>, share: f64) -> f64 {
    values.sort_by(f64::total_cmp);
    let at = ((values.len() as f64 * share) as usize).min(values.len().saturating_sub(1));
    values.get(at).copied().unwrap_or(0.0)
}

/// The median distance of neighbours in a sorted list; `None` where it is nothing.
pub fn median_gap(times: &[f64]) -> Option<f64> {
    let mut gaps: Vec<f64> = times.windows(2).map(|w| w[1] - w[0]).collect();
    median(&mut gaps).filter(|gap| *gap > 0.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_middle_is_found_whatever_the_order() {
        assert_eq!(median(&mut [3.0, 1.0, 2.0]), Some(2.0));
        assert_eq!((median(&mut [1.0, 2.0]), median(&mut [])), (Some(2.0), None));
        assert_eq!(
            (median_gap(&[0.0, 0.5, 1.0, 3.0]), median_gap(&[1.0]), median_gap(&[1.0, 1.0])),
            (Some(0.5), None, None)
        );
    }

    #[test]
    fn a_percentile_lies_among_the_values() {
        let values: Vec<f64> = (0..100).rev().map(f64::from).collect();
        assert_eq!(
            (percentile(values.clone(), 0.98), percentile(values, 1.0), percentile(vec![], 0.5)),
            (98.0, 99.0, 0.0)
        );
    }
}
