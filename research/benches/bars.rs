//! Fits how beats are decoded into bars (`analysis::music::bars`) on the pieces with the fitted seeds, one weight after
//! the other as long as that helps, and prints the weights.

use legere_analysis::evaluation::agreement;
use legere_analysis::music::training::{BeatSequence, WEIGHTS, Weights, beat_sequence};
use legere_analysis::music::{Audio, READING_RATE};
use legere_research::{Band, Composition, FITTED_SEEDS, STYLES, Truth, each, fitted_improvisations, kept};
use std::path::Path;

const SEEDS_A_STYLE: u64 = 6;
/// Where the beats are wrong, the bars say nothing.
const GOOD_BEATS: f64 = 0.9;

type Piece = (Truth, BeatSequence);

fn main() {
    let band = Band::from_debian().expect("a soundfont");
    let kept = kept(env!("CARGO_TARGET_TMPDIR"));
    let seeds = FITTED_SEEDS.start..FITTED_SEEDS.start + SEEDS_A_STYLE;
    let compositions: Vec<Composition> = STYLES
        .iter()
        .flat_map(|style| seeds.clone().map(move |seed| Composition::compose(style, seed)))
        .chain(fitted_improvisations())
        .collect();
    let pieces: Vec<Piece> =
        each(&compositions, |composition| piece(composition, &band, &kept)).into_iter().flatten().collect();
    println!("{} of {} pieces with good beats", pieces.len(), compositions.len());
    let mut best = (judged(&pieces, &WEIGHTS), WEIGHTS);
    println!("as it is: {:.4}", best.0);
    loop {
        let before = best.0;
        for field in FIELDS {
            for factor in [0.3, 0.6, 0.8, 0.9, 1.1, 1.25, 1.6, 3.5] {
                let mut weights = best.1;
                *field(&mut weights) *= factor;
                let now = judged(&pieces, &weights);
                if now > best.0 + 1e-5 {
                    best = (now, weights);
                }
            }
        }
        println!("{:.4}: {:.2?}", best.0, best.1);
        if best.0 < before + 5e-4 {
            break;
        }
    }
}

/// Each of the weights.
const FIELDS: [fn(&mut Weights) -> &mut f64; 11] = [
    |w| &mut w.harmony,
    |w| &mut w.timbre,
    |w| &mut w.activation,
    |w| &mut w.beat_sync,
    |w| &mut w.backbeat,
    |w| &mut w.irregular,
    |w| &mut w.other_metre,
    |w| &mut w.duple,
    |w| &mut w.triple,
    |w| &mut w.start,
    |w| &mut w.upbeat,
];

fn piece(composition: &Composition, band: &Band, kept: &Path) -> Option<Piece> {
    let samples = composition.played(band, READING_RATE, kept).expect("played");
    let sequence = beat_sequence(Audio::mono(&samples))?;
    (agreement(&composition.truth.beats, &sequence.beats(), 0.07).f > GOOD_BEATS)
        .then(|| (composition.truth.clone(), sequence))
}

/// The mean F-measure of the downbeats.
fn judged(pieces: &[Piece], weights: &Weights) -> f64 {
    let sum: f64 = pieces
        .iter()
        .map(|(truth, sequence)| {
            let downbeats: Vec<f64> =
                sequence.in_bars(weights).0.iter().filter(|b| b.beat == 1).map(|b| b.at).collect();
            let last = truth.beats[truth.beats.len() - 1] + 0.3;
            let downbeats: Vec<f64> = downbeats.into_iter().filter(|t| *t < last).collect();
            agreement(&truth.downbeats, &downbeats, 0.07).f
        })
        .sum();
    sum / pieces.len() as f64
}
