//! What reading costs on top of a light copy, stage by stage: `cargo xtask bench clip [FILE …]`, else on drawn clips. The last
//! stage, everything that Legere makes of a clip, is to be held against the third, one ffmpeg process that only makes the copy
//! and the stills. The stages take turns, round by round, so that a machine which is now fast and now slow is so for all.

use legere_core::clip::ClipProbe;
use legere_core::stats::percentile;
use legere_media::guard::Guarded;
use legere_media::shelf::Shelf;
use legere_media::{light, probe};
use nix::sys::resource::{UsageWho, getrusage};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;
use tokio::runtime::Runtime;

const ROUNDS: usize = 11;
const STAGES: [&str; 4] = ["bare decode", "light copy", "light copy and stills", "all: copy, stills, peaks, reading"];

fn main() {
    let dir = tempfile::tempdir().expect("a folder");
    let runtime = Runtime::new().expect("a runtime");
    let given: Vec<PathBuf> = std::env::args().skip(1).map(PathBuf::from).filter(|p| p.is_file()).collect();
    let files = if given.is_empty() {
        vec![drawn(dir.path(), 1920, 1080, 5), drawn(dir.path(), 3840, 2160, 5), drawn(dir.path(), 640, 360, 300)]
    } else {
        given
    };
    for file in &files {
        let name = file.file_name().unwrap_or_default().to_string_lossy();
        let clip = Clip::of(&runtime, file, dir.path());
        println!("\n{name}: {:.1} s, {}x{}", clip.probe.duration.to_f64(), clip.probe.width, clip.probe.height);
        // Of a long clip once is enough: it is there for the memory.
        let rounds = if clip.probe.duration.to_f64() > 60.0 { 1 } else { ROUNDS };
        clip.measure(rounds);
        println!("  memory of this process at its highest, ffmpeg beside it: {} MB", highest_memory());
    }
}

/// Footage with sound as a camera writes it, moving all over.
fn drawn(dir: &Path, width: u32, height: u32, seconds: u32) -> PathBuf {
    let file = dir.join(format!("{height}p.mp4"));
    let made = Command::new("ffmpeg")
        .args(["-v", "error", "-f", "lavfi", "-i"])
        .arg(format!("testsrc2=size={width}x{height}:rate=25:duration={seconds}"))
        .args(["-f", "lavfi", "-i", &format!("anoisesrc=duration={seconds}:amplitude=0.2")])
        .args(["-vf", "noise=alls=4:allf=t", "-c:v", "libx264", "-preset", "veryfast", "-crf", "20"])
        .args(["-pix_fmt", "yuv420p", "-c:a", "aac"])
        .arg(&file)
        .status();
    assert!(made.expect("ffmpeg").success());
    file
}

/// Seconds of the clock and of the processor.
#[derive(Clone, Copy)]
struct Cost {
    clock: f64,
    here: f64,
    ffmpeg: f64,
}

impl Cost {
    fn processor(&self) -> f64 {
        self.here + self.ffmpeg
    }
}

fn cost(work: impl FnOnce()) -> Cost {
    let used = |who: UsageWho| {
        let usage = getrusage(who).expect("usage");
        [usage.user_time(), usage.system_time()]
            .map(|t| t.tv_sec() as f64 + t.tv_usec() as f64 / 1e6)
            .iter()
            .sum::<f64>()
    };
    let before = (Instant::now(), used(UsageWho::RUSAGE_SELF), used(UsageWho::RUSAGE_CHILDREN));
    work();
    Cost {
        clock: before.0.elapsed().as_secs_f64(),
        here: used(UsageWho::RUSAGE_SELF) - before.1,
        ffmpeg: used(UsageWho::RUSAGE_CHILDREN) - before.2,
    }
}

struct Clip<'a> {
    runtime: &'a Runtime,
    file: &'a Path,
    probe: ClipProbe,
    shelf: Shelf,
    to: PathBuf,
}

impl<'a> Clip<'a> {
    fn of(runtime: &'a Runtime, file: &'a Path, dir: &Path) -> Self {
        let probe = runtime.block_on(probe::clip(file)).expect("a video");
        let shelf = Shelf::open(&dir.join("shelf")).expect("a shelf");
        Self { runtime, file, probe, shelf, to: dir.to_owned() }
    }

    fn measure(&self, rounds: usize) {
        let mut costs: [Vec<Cost>; STAGES.len()] = Default::default();
        for _ in 0..rounds {
            for (stage, costs) in costs.iter_mut().enumerate() {
                costs.push(cost(|| self.stage(stage)));
            }
        }
        let middle = |values: Vec<f64>| percentile(values, 0.5);
        // Held against the same round: what slows one stage slows its neighbours.
        let held = &costs[2];
        println!("  {:<34} {:>16} {:>19} {:>8} {:>7}", "", "clock", "processor", "ffmpeg", "here");
        for (name, costs) in STAGES.iter().zip(&costs) {
            let of = |value: fn(&Cost) -> f64| middle(costs.iter().map(value).collect());
            let share =
                |value: fn(&Cost) -> f64| middle(costs.iter().zip(held).map(|(c, h)| value(c) / value(h)).collect());
            let (clock, by_clock) = (of(|c| c.clock), share(|c| c.clock));
            let (processor, by_processor) = (of(Cost::processor), share(Cost::processor));
            println!(
                "  {name:<34} {clock:>7.2} s ({by_clock:.2})  {processor:>8.2} s ({by_processor:.2})  {:>6.2} {:>7.2}",
                of(|c| c.ffmpeg),
                of(|c| c.here)
            );
        }
    }

    fn stage(&self, stage: usize) {
        let (w, h) = light::light_size(self.probe.width, self.probe.height, light::LIGHT_WIDTH);
        let rate = self.probe.frame_rate;
        let scaled =
            format!("[0:v:0]fps={rate},scale={w}:{h}:flags=bilinear:out_range=limited,setsar=1,format=yuv420p");
        let every = 16.0 / self.probe.duration.to_f64();
        let stills = format!("{scaled},split=2[copy][a];[a]fps={every}:round=down,scale=256:144,tile=16x1[sheet]");
        let group = light::GROUP.to_string();
        let coded = ["-c:v", "libx264", "-preset", "ultrafast", "-crf", "26", "-g", &group, "-bf", "0"];
        let sound =
            ["-ac", "2", "-c:a", "aac", "-aac_coder", "fast", "-b:a", "96k", "-movflags", "+faststart", "-f", "mp4"];
        let from = Guarded::ffmpeg().input(self.file);
        let made = |graph: &str| {
            let made = Guarded::ffmpeg().input(self.file).args(["-filter_complex", graph, "-map", "[copy]"]);
            made.args(["-map", "0:a:0?"]).args(coded).args(sound).output(&self.to.join("copy.mp4"))
        };
        let guarded = match stage {
            0 => from.args(["-map", "0:v:0", "-f", "null", "-"]),
            1 => made(&format!("{scaled}[copy]")),
            2 => made(&stills)
                .args(["-map", "[sheet]", "-frames:v", "1", "-q:v", "4", "-f", "image2", "-update", "1"])
                .output(&self.to.join("sheet.jpg")),
            _ => {
                let work = self.shelf.work().expect("a folder");
                let all = light::make(self.file, &self.probe, &work, light::LIGHT_WIDTH, |_| ());
                self.runtime.block_on(all).expect("made");
                return;
            }
        };
        self.runtime.block_on(guarded.run()).expect("made");
    }
}

/// Megabytes, as the kernel counted them.
fn highest_memory() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").expect("what the kernel says of us");
    let line = status.lines().find_map(|l| l.strip_prefix("VmHWM:")).expect("the highest memory");
    line.trim().trim_end_matches(" kB").parse::<u64>().expect("a number") / 1024
}
