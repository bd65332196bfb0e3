//! What is said of a shot's time, pause and frames in between.

use super::{Between, Pause, Source, Speed, Stop};

impl Source {
    /// How its time goes, where that is not as it was recorded.
    pub fn time_words(&self) -> Vec<String> {
        let speeds: Vec<Speed> = std::iter::once(self.speed).chain(self.keyframes.iter().map(|t| t.to)).collect();
        let mut words = Vec::new();
        if speeds != [Speed::NORMAL] {
            let all: Vec<String> = speeds.iter().map(|s| percent(*s)).collect();
            words.push(format!("plays {}", all.join(", then ")));
        }
        let slowest = speeds.iter().filter(|s| !s.is_held()).any(|s| s.to_f64().abs() < 1.0);
        match self.between {
            Between::Blend if slowest => words.push("frames in between are mixed".to_owned()),
            Between::Computed if slowest => {
                words.push("frames in between are computed in the film, and mixed here".to_owned());
            }
            _ => {}
        }
        words
    }
}

impl Pause {
    /// How it stands still.
    pub fn words(self) -> String {
        let what = match self.stop {
            Stop::Black => "black",
            Stop::Held => "its last frame held",
        };
        format!("pauses at its end: {} frames, {what}", self.len.get())
    }
}

/// "at 50 %", "at 100 % backwards", "held".
fn percent(speed: Speed) -> String {
    let percent = speed.to_f64().abs() * 100.0;
    match (speed.is_held(), speed.is_backwards()) {
        (true, _) => "held".to_owned(),
        (_, true) => format!("at {percent:.0} % backwards"),
        _ => format!("at {percent:.0} %"),
    }
}
