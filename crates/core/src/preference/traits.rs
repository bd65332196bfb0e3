//! What of a select a taste can hang on, as numbers of one size.

use crate::footage::FrameSignature;
use crate::select::{Framing, Light, Movement, Tier};

/// What is known of a select.
#[derive(Debug, Clone)]
pub struct Traits<'a> {
    /// The clip's name.
    pub name: &'a str,
    /// 0–100.
    pub energy: f64,
    /// 0–1.
    pub sharpness: f64,
    /// −1 to 1.
    pub warmth: f64,
    /// 0–1: the share of it that cannot be used.
    pub faulty: f64,
    /// In seconds.
    pub seconds: f64,
    /// How many times it can be slowed.
    pub slows: f64,
    /// Said or measured.
    pub framing: Option<Framing>,
    /// Said or measured.
    pub light: Option<Light>,
    /// Said or measured.
    pub movement: Option<Movement>,
    /// The set-up that it is a take of.
    pub set_up: Option<usize>,
    /// What its pictures look like, some along the clip.
    pub looks: &'a [FrameSignature],
}

/// What the first traits are called where there is more and where there is less of them.
pub const NAMED: [(&str, &str); 9] = [
    ("livelier", "calmer"),
    ("sharper", "softer"),
    ("warmer", "cooler"),
    ("with more that cannot be used", "steadier"),
    ("longer", "shorter"),
    ("slows further", "slows less"),
    ("brighter", "darker"),
    ("more contrast", "flatter"),
    ("more colour", "less colour"),
];
/// Those of which too much can be as bad as too little.
const CURVED: [usize; 4] = [0, 2, 4, 6];
/// Terms of likeness.
const LIKE: usize = 2;

/// Correlations of looks from which two are alike enough to be named, and from which they count at all.
const ALIKE: f64 = 0.8;
const COUNTS: f64 = 0.3;
/// What stands against a few alike clips: as if so many had been middling.
const MIDDLING: f64 = 0.7;

/// A select that was judged, made ready to be compared with many.
pub struct Known<'a> {
    pub traits: Traits<'a>,
    pub tier: Tier,
    look: Option<Look>,
}

impl<'a> Known<'a> {
    pub fn new(traits: Traits<'a>, tier: Tier) -> Self {
        let look = middle(traits.looks).map(Look::of);
        Self { traits, tier, look }
    }
}

/// Means and spreads of the measured traits.
#[derive(Debug, Clone)]
pub struct Scales {
    mean: [f64; NAMED.len()],
    spread: [f64; NAMED.len()],
}

/// What was said of selects that are like one.
pub struct Likeness {
    /// −1 to 1, from out to hero: of those that look alike.
    looks: f64,
    /// The same of its set-up: another take of what has a hero already is no second one.
    set_up: f64,
    /// Which of the judged ones is most like it.
    pub nearest: Option<usize>,
}

impl Scales {
    pub fn of<'a, 'b: 'a>(all: impl Iterator<Item = &'a Traits<'b>>) -> Self {
        let rows: Vec<[f64; NAMED.len()]> = all.map(measured).collect();
        let n = rows.len().max(1) as f64;
        let mean = std::array::from_fn(|i| rows.iter().map(|row| row[i]).sum::<f64>() / n);
        let spread = std::array::from_fn(|i| {
            let variance = rows.iter().map(|row| (row[i] - mean[i]).powi(2)).sum::<f64>() / n;
            variance.sqrt().max(1e-3)
        });
        Self { mean, spread }
    }

    /// The measured traits, the curved ones once more, framing, light and movement, and likeness.
    pub fn row(&self, traits: &Traits<'_>, likeness: &Likeness) -> Vec<f64> {
        let own = measured(traits);
        let sized: Vec<f64> =
            (0..NAMED.len()).map(|i| ((own[i] - self.mean[i]) / self.spread[i]).clamp(-3.0, 3.0)).collect();
        let curved = CURVED.iter().map(|i| (sized[*i] * sized[*i] - 1.0) / 1.5);
        let is = |yes: bool| if yes { 1.0 } else { 0.0 };
        let words = Framing::ALL
            .iter()
            .map(|f| is(traits.framing == Some(*f)))
            .chain(Light::ALL.iter().map(|l| is(traits.light == Some(*l))))
            .chain(Movement::ALL.iter().map(|m| is(traits.movement == Some(*m))));
        let mut row: Vec<f64> = sized.iter().copied().chain(curved).chain(words).collect();
        row.extend([likeness.looks * LIKE as f64, likeness.set_up * LIKE as f64]);
        row
    }
}

/// In the order of [`NAMED`].
fn measured(traits: &Traits<'_>) -> [f64; NAMED.len()] {
    let look = middle(traits.looks);
    let tones: Vec<f64> = look.map_or_else(Vec::new, |l| l.tones.iter().map(|t| f64::from(*t)).collect());
    let n = tones.len().max(1) as f64;
    let bright = tones.iter().sum::<f64>() / n;
    let contrast = (tones.iter().map(|t| (t - bright).powi(2)).sum::<f64>() / n).sqrt();
    let colour = look.map_or(0.0, |l| {
        l.colours.iter().map(|c| f64::from(c.unsigned_abs())).sum::<f64>() / l.colours.len().max(1) as f64
    });
    [
        traits.energy,
        traits.sharpness,
        traits.warmth,
        traits.faulty,
        traits.seconds.max(0.1).ln(),
        traits.slows.max(1.0).ln(),
        bright,
        contrast,
        colour,
    ]
}

fn middle(looks: &[FrameSignature]) -> Option<&FrameSignature> {
    looks.get(looks.len() / 2)
}

impl Likeness {
    /// Of any select.
    pub fn to(traits: &Traits<'_>, judged: &[Known<'_>]) -> Self {
        Self::of(traits, middle(traits.looks).map(Look::of).as_ref(), judged, None)
    }

    /// Of a judged one, to the others.
    pub fn among(judged: &[Known<'_>], place: usize) -> Self {
        let own = &judged[place];
        Self::of(&own.traits, own.look.as_ref(), judged, Some(place))
    }

    fn of(traits: &Traits<'_>, own: Option<&Look>, judged: &[Known<'_>], but: Option<usize>) -> Self {
        let (mut sum, mut weight) = (0.0, MIDDLING);
        let (mut takes, mut of_takes) = (0.0, 0.0f64);
        let mut nearest: Option<(f64, usize)> = None;
        for (n, Known { traits: other, tier, look }) in judged.iter().enumerate().filter(|(n, _)| Some(*n) != but) {
            let said = f64::from(match tier {
                Tier::Hero => 3i8,
                Tier::Strong => 1,
                Tier::Spare | Tier::Unread => -1,
                Tier::Out => -3,
            }) / 3.0;
            let same = traits.set_up.is_some() && traits.set_up == other.set_up;
            if same {
                takes += said;
                of_takes += 1.0;
            }
            let alike = match (own, look) {
                _ if same => 1.0,
                (Some(own), Some(look)) => own.alike(look),
                _ => 0.0,
            };
            if alike > COUNTS {
                let counts = ((alike - COUNTS) / (1.0 - COUNTS)).powi(2);
                sum += counts * said;
                weight += counts;
            }
            // Of two that are as alike, the better judged one is named.
            let rank = alike + 0.001 * said;
            if alike > ALIKE && nearest.is_none_or(|(most, _)| rank > most) {
                nearest = Some((rank, n));
            }
        }
        Self { looks: sum / weight, set_up: takes / (of_takes + 1.0), nearest: nearest.map(|(_, n)| n) }
    }
}

/// A look without its brightness, of length 1.
struct Look {
    tones: Vec<f32>,
}

impl Look {
    fn of(look: &FrameSignature) -> Self {
        let mean = look.tones.iter().map(|t| f32::from(*t)).sum::<f32>() / look.tones.len().max(1) as f32;
        let mut tones: Vec<f32> = look.tones.iter().map(|t| f32::from(*t) - mean).collect();
        // Colours count as much as a few tones.
        tones.extend(look.colours.iter().map(|c| f32::from(*c) * 2.0));
        let size = tones.iter().map(|t| t * t).sum::<f32>().sqrt().max(1e-6);
        tones.iter_mut().for_each(|t| *t /= size);
        Self { tones }
    }

    /// −1 to 1.
    fn alike(&self, other: &Self) -> f64 {
        f64::from(self.tones.iter().zip(&other.tones).map(|(a, b)| a * b).sum::<f32>())
    }
}
