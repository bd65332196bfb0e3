use super::*;
use legere_core::track::READING_RATE;

#[test]
fn a_piece_is_the_same_each_time_and_sounds_where_its_truth_says() {
    let band = Band::from_debian().expect("a soundfont");
    let style = &STYLES[0];
    let piece = Etude::compose(style, 3);
    let samples = piece.play(&band, READING_RATE).expect("played");
    let again = Etude::compose(style, 3);
    assert_eq!(piece.fingerprint(), again.fingerprint());
    assert_eq!(samples, again.play(&band, READING_RATE).expect("played"));
    let truth = &piece.truth;
    assert!(truth.beats.windows(2).all(|w| w[1] > w[0]));
    assert_eq!(truth.downbeats.len(), truth.beats.len().div_ceil(4));
    // Loud at the drop, quieter just before the piece begins.
    let level = |from: f64, to: f64| {
        let range = (from * f64::from(READING_RATE)) as usize..(to * f64::from(READING_RATE)) as usize;
        samples[range.clone()].iter().map(|s| f64::from(s * s)).sum::<f64>() / range.len() as f64
    };
    let first = truth.beats[0];
    assert!(level(0.0, (first - 0.01).max(0.005)) < 0.1 * level(first, first + 1.0));
}
