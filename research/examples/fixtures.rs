//! Plays the pieces that the product's own tests read, and writes their truth beside them:
//! `cargo run --release --manifest-path research/Cargo.toml --example fixtures -- FOLDER`. Needs ffmpeg with Opus.

use legere_analysis::music::READING_RATE;
use legere_research::{Band, Composition, FITTED_IMPROVISATIONS, FITTED_SEEDS, STYLES};
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};

/// Bits a second: enough for what begins when.
const BITRATE: &str = "20k";

fn main() {
    let folder = std::env::args().nth(1).expect("a folder");
    let band = Band::from_debian().expect("a soundfont");
    let styled = ["house", "swing", "waltz", "strings"].map(|name| {
        let style = STYLES.iter().find(|s| s.name == name).expect("a style");
        Composition::compose(style, FITTED_SEEDS.end + 100)
    });
    let free = Composition::improvise(FITTED_IMPROVISATIONS.end + 1000);
    for piece in styled.into_iter().chain([free]) {
        let samples = piece.play(&band, READING_RATE).expect("played");
        let name = piece.name.split(' ').next().expect("a word").to_owned();
        let to = Path::new(&folder).join(&name);
        write_sound(&samples, &to.with_extension("ogg"));
        let truth = &piece.truth;
        let list = |times: &[f64]| times.iter().map(|t| format!("{t:.3}")).collect::<Vec<_>>().join(",");
        let sections: Vec<f64> = truth.sections.iter().skip(1).map(|s| s.0).collect();
        let json = format!(
            "{{\n  \"metre\": {},\n  \"tempo_bpm\": {:.2},\n  \"beats\": [{}],\n  \"downbeats\": [{}],\n  \"boundaries\": [{}]\n}}\n",
            truth.metre,
            truth.tempo_bpm,
            list(&truth.beats),
            list(&truth.downbeats),
            list(&sections)
        );
        std::fs::write(to.with_extension("json"), json).expect("written");
    }
}

fn write_sound(samples: &[f32], to: &Path) {
    let rate = READING_RATE.to_string();
    let mut ffmpeg = Command::new("ffmpeg")
        .args([
            "-v", "error", "-y", "-f", "f32le", "-ar", &rate, "-ac", "1", "-i", "-", "-c:a", "libopus", "-b:a", BITRATE,
        ])
        .args(["-map_metadata", "-1", "-fflags", "+bitexact", "-flags", "+bitexact"])
        .arg(to)
        .stdin(Stdio::piped())
        .spawn()
        .expect("ffmpeg");
    let bytes: Vec<u8> = samples.iter().flat_map(|s| s.to_le_bytes()).collect();
    ffmpeg.stdin.take().expect("piped").write_all(&bytes).expect("fed");
    assert!(ffmpeg.wait().expect("ended").success());
}
