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

/// A folder with clips in a folder of their own, one file that is none, and a track of a steady beat.
fn shoot(place: &Path) {
    let clips = place.join("shoot/day one");
    std::fs::create_dir_all(&clips).expect("a folder");
    for (i, source) in
        ["testsrc2", "mandelbrot", "life=mold=10", "testsrc", "smptebars", "cellauto", "gradients", "sierpinski"]
            .iter()
            .enumerate()
    {
        let options = if source.contains('=') { ":" } else { "=" };
        let source = format!("{source}{options}size=320x180:rate=25");
        let words = ["-f", "lavfi", "-i", &source, "-t", "4", "-pix_fmt", "yuv420p"];
        ffmpeg(&words, &clips.join(format!("A{i:03}.mp4")));
    }
    std::fs::write(place.join("shoot/broken.mp4"), b"no film").expect("written");
    let kick = "0.8*sin(2*PI*70*t)*exp(-30*mod(t,0.5))";
    ffmpeg(&["-f", "lavfi", "-i", &format!("aevalsrc='{kick}':s=44100:d=20")], &place.join("beat.wav"));
    let verdicts = "name,tier,in,out,hit\nA000.mp4,hero,0.5,3.5,1.5\nA001.mp4,out\nA002.mp4,strong\n";
    std::fs::write(place.join("verdicts.csv"), verdicts).expect("written");
}

#[test]
fn a_folder_and_a_track_become_a_rough_cut_with_its_lists() {
    use legere_core::interchange::{read_csv, read_edl, read_otio};
    let dir = folder();
    shoot(dir.path());
    let at = |name: &str| dir.path().join(name).to_str().expect("a name").to_owned();
    let cut = |more: &[&str]| {
        let words = ["cut", &at("shoot"), &at("beat.wav"), "--seconds", "12", "--out", &at("out")];
        legere(&[&words, more].concat())
    };
    let out = cut(&["--verdicts", &at("verdicts.csv")]);
    let said = String::from_utf8_lossy(&out.stderr);
    assert!(out.status.success(), "{said}");
    assert!(said.contains("broken.mp4 is left out"), "{said}");
    let read = |name: &str| std::fs::read_to_string(dir.path().join("out").join(name)).expect(name);
    let draft: Value = serde_json::from_str(&read("draft.json")).expect("JSON");
    let shots = draft["shots"].as_array().expect("shots");
    let number = |value: &Value| value.as_f64().expect("a number");
    assert_eq!(draft["rate"], "25/1");
    assert_eq!(draft["frames"], shots.iter().map(|s| s["len"].as_u64().expect("frames")).sum::<u64>());
    let heard: f64 = draft["version"]["spans"]
        .as_array()
        .expect("spans")
        .iter()
        .map(|s| number(&s["to"]) - number(&s["from"]))
        .sum();
    assert!((heard - 12.0).abs() < 0.4 && (number(&draft["frames"]) - 300.0).abs() <= 1.0, "{heard} s");
    let clips: Vec<&str> = shots.iter().map(|s| s["clip"].as_str().expect("a path")).collect();
    assert!(clips.iter().all(|c| c.starts_with("day one/")) && !clips.contains(&"day one/A001.mp4"), "{clips:?}");
    let hero = shots.iter().find(|s| s["tier"] == "hero").expect("the hero is in it");
    assert!(number(&hero["start"]) >= 0.5 && number(&hero["end"]) <= 3.5, "between its marks: {hero}");
    assert!(number(&draft["bound"]) <= number(&draft["total"]) + 1e-9);
    let names = |value: &Value| value.as_object().expect("an object").keys().cloned().collect::<Vec<_>>().join(" ");
    assert_eq!(names(&draft), "bound frames left_out rate shots total version");
    assert_eq!(names(&shots[0]), "alike clip end energy hit_at len speed start tier wanted why");
    let rate = "25".parse().expect("a rate");
    assert_eq!(read_csv(&read("draft.csv")).expect("a list").len(), shots.len());
    assert!(read_edl(&read("draft.edl"), rate).expect("a list").len() >= shots.len());
    assert_eq!(read_otio(&read("draft.otio"), "Video").expect("a timeline").len(), shots.len());

    // Another seed gives another cut; what is wrong is said.
    let clips_of = |seed: &str| {
        assert!(cut(&["--seed", seed]).status.success());
        let draft: Value = serde_json::from_str(&read("draft.json")).expect("JSON");
        draft["shots"]
            .as_array()
            .expect("shots")
            .iter()
            .map(|s| (s["clip"].clone(), s["len"].clone()))
            .collect::<Vec<_>>()
    };
    assert_ne!(clips_of("1"), clips_of("2"));
    std::fs::write(dir.path().join("verdicts.csv"), "name,tier\nA000.mp4,best\n").expect("written");
    let said = cut(&["--verdicts", &at("verdicts.csv")]);
    assert!(String::from_utf8_lossy(&said.stderr).contains("the verdicts, line 2: the tier is one of hero"));
}
