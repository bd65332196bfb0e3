//! One file, without a database: what scripts rely on.

mod house;

use house::folder;
use serde_json::Value;
use std::path::Path;
use std::process::{Command, Output};

fn legere(words: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_legere")).args(words).output().expect("the program runs")
}

fn ffmpeg(words: &[&str], to: &Path) {
    let status = Command::new("ffmpeg").args(["-nostdin", "-v", "error", "-y"]).args(words).arg(to).status();
    assert!(status.expect("ffmpeg").success());
}

/// The names and kinds of what is in a value, so that the format can be seen at a glance.
fn shape(value: &Value) -> Value {
    match value {
        Value::Object(map) => map.iter().map(|(k, v)| (k.clone(), shape(v))).collect(),
        Value::Array(list) => list.first().map_or(Value::Array(vec![]), |v| Value::Array(vec![shape(v)])),
        Value::Number(_) => "number".into(),
        Value::String(_) => "text".into(),
        other => other.clone(),
    }
}

#[test]
fn a_clip_is_printed_as_json() {
    let dir = folder();
    let file = dir.path().join("-pan it's.mp4");
    // A moving pattern, with a cut in its middle.
    let source = "testsrc2=size=640x360:rate=30000/1001:duration=2,negate=enable='gte(t,1)'";
    ffmpeg(&["-f", "lavfi", "-i", source, "-frames:v", "59", "-pix_fmt", "yuv420p"], &file);
    let out = legere(&["read-clip", file.to_str().expect("a name")]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let json: Value = serde_json::from_slice(&out.stdout).expect("JSON");
    assert_eq!(json["frame_rate"], "30000/1001");
    assert_eq!((&json["width"], &json["height"], &json["rotation"]), (&640.into(), &360.into(), &0.into()));
    assert!((json["duration"].as_f64().expect("a number") - 59.0 * 1001.0 / 30000.0).abs() < 0.001);
    let cuts = json["shot_changes"].as_array().expect("a list");
    assert!(cuts.len() == 1 && (cuts[0].as_f64().expect("a number") - 1.0).abs() < 0.04, "{cuts:?}");
    for trace in ["motion", "shake", "sharpness", "exposure"] {
        let values = json["samples"][trace].as_array().expect("a trace");
        assert_eq!(values.len(), 20, "{trace}");
        assert!(values.iter().all(|v| (0.0..=1.0).contains(&v.as_f64().expect("a number"))), "{trace}");
    }
    insta::assert_json_snapshot!("clip", shape(&json));
}

#[test]
fn a_track_is_printed_as_json() {
    let dir = folder();
    let file = dir.path().join("beat.flac");
    // A kick on the one and the three, a snare on the two and the four, a low note on each one.
    let kick = "0.8*sin(2*PI*70*t)*exp(-30*mod(t,1))+0.3*sin(2*PI*110*t)*lt(mod(t,2),0.4)";
    let snare = "0.4*(2*random(0)-1)*exp(-25*mod(t,0.5))*gt(mod(t,1),0.5)";
    ffmpeg(&["-f", "lavfi", "-i", &format!("aevalsrc='{kick}+{snare}':s=44100:d=16")], &file);
    let out = legere(&["read-track", file.to_str().expect("a name")]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let json: Value = serde_json::from_slice(&out.stdout).expect("JSON");
    assert!((json["tempo_bpm"].as_f64().expect("a number") - 120.0).abs() < 1.0, "{}", json["tempo_bpm"]);
    let beats = json["beats"].as_array().expect("beats");
    assert!(beats.iter().any(|b| b["beat"] == 1) && beats.len() > 20);
    let backbeats = json["backbeats"].as_array().expect("backbeats");
    let odd = backbeats.iter().filter_map(Value::as_f64).filter(|at| ((at % 1.0) - 0.5).abs() < 0.03).count();
    assert!(backbeats.len() > 10 && odd == backbeats.len(), "{backbeats:?}");
    insta::assert_json_snapshot!("track", shape(&json));
}

#[test]
fn a_file_that_cannot_be_read_is_one_line_and_exit_1() {
    let dir = folder();
    let text = dir.path().join("notes.mp4");
    std::fs::write(&text, "These are notes.").expect("written");
    for (words, said) in [
        (["read-clip", text.to_str().expect("a name")], "this is not a video, or it is damaged beyond reading\n"),
        (["read-clip", "/nowhere/at all.mp4"], "the file is no longer where it was\n"),
        (
            ["read-track", text.to_str().expect("a name")],
            "this is not a piece of music, or it is damaged beyond reading\n",
        ),
    ] {
        let out = legere(&words);
        assert_eq!(out.status.code(), Some(1), "{words:?}");
        assert_eq!(String::from_utf8_lossy(&out.stderr), said, "{words:?}");
        assert!(out.stdout.is_empty());
    }
}

#[test]
fn wrong_usage_is_exit_2() {
    for words in [&["read-clip"][..], &["sing"], &["serve", "--port", "many"], &[]] {
        assert_eq!(legere(words).status.code(), Some(2), "{words:?}");
    }
}

#[test]
fn a_problem_is_laid_and_what_is_none_is_refused_in_words() {
    let example = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/arrange-example.json");
    let example = example.to_str().expect("a name");
    let laid = |words: &[&str]| -> Value {
        let out = legere(&[&["arrange", example], words].concat());
        assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
        serde_json::from_slice(&out.stdout).expect("JSON")
    };
    let (plain, costs) = (laid(&[]), laid(&["--costs"]));
    assert_eq!(plain["chosen"].as_array().map(Vec::len), Some(12));
    assert!(plain["ms"].as_f64().is_some_and(|ms| ms > 0.0));
    assert!(plain.get("place_cost").is_none());
    let sizes = |name: &str| (costs[name].as_array().map(Vec::len), costs[name][0].as_array().map(Vec::len));
    assert_eq!((sizes("place_cost"), sizes("join_cost")), ((Some(12), Some(30)), (Some(30), Some(30))));

    let dir = folder();
    let file = dir.path().join("-odd.json");
    for (text, words) in [
        ("{", "is not a problem to arrange"),
        (r#"{"rate":"25/1","places":[],"selects":[]}"#, "a problem has 1 to 2000 places"),
    ] {
        std::fs::write(&file, text).expect("written");
        let out = legere(&["arrange", "--", file.to_str().expect("a name")]);
        let said = String::from_utf8_lossy(&out.stderr).into_owned();
        assert!(!out.status.success() && said.contains(words), "{said}");
    }
    let out = legere(&["arrange", "nowhere.json"]);
    assert!(String::from_utf8_lossy(&out.stderr).contains("nowhere.json cannot be read"));
}
