//! What requests cost in the server of a large job: `cargo xtask bench server`. Figures are 95th percentiles over the socket,
//! asked one after the other.

#[path = "../../web/tests/server/mod.rs"]
mod server;

use legere_core::id::JobId;
use legere_store::sqlx;
use serde_json::json;
use server::Server;
use std::path::Path;
use std::time::{Duration, Instant, SystemTime};

const TIMES: usize = 60;

fn say(what: &str, mut milliseconds: Vec<f64>, wanted: f64) {
    milliseconds.sort_by(f64::total_cmp);
    let at = |share: f64| milliseconds[((milliseconds.len() - 1) as f64 * share).round() as usize];
    println!("{what:<44} median {:7.1} ms   p95 {:7.1} ms   wanted {wanted:6.0} ms", at(0.5), at(0.95));
}

/// A figure of this process from /proc, in the unit that stands there.
fn status(name: &str) -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").expect("Linux");
    let line = status.lines().find(|l| l.starts_with(name)).expect("a line");
    line.split_whitespace().nth(1).and_then(|kb| kb.parse::<f64>().ok()).expect("a number")
}

/// Seconds of processor time that this process has used.
fn processor_seconds() -> f64 {
    let usage = nix::sys::resource::getrusage(nix::sys::resource::UsageWho::RUSAGE_SELF).expect("usage");
    let seconds = |t: nix::sys::time::TimeVal| t.tv_sec() as f64 + t.tv_usec() as f64 / 1e6;
    seconds(usage.user_time()) + seconds(usage.system_time())
}

/// As many clips as wanted, each like one of those that a small shoot has, each with one select.
async fn grown(server: &Server, job: JobId, clips: usize) {
    let pool = server.app.store.pool();
    let grow = "INSERT INTO clip (id, job_id, roll_id, import_id, root, path, name, bytes, modified, digest, recorded_at,
            recorded_from, state, progress, missing, probe, motion, signatures, summary, reading_version, version, removed,
            hidden, revision)
        SELECT gen_random_uuid(), job_id, roll_id, import_id, root, 'more/' || n || path, 'M' || n || name, bytes, modified,
            digest || n, recorded_at + make_interval(secs => n * 7), recorded_from, state, progress, missing, probe, motion,
            signatures, summary, reading_version, version, removed, hidden, 0
        FROM clip, generate_series(1, $2) AS n WHERE job_id = $1 AND path NOT LIKE 'more/%' LIMIT $3";
    let base: i64 = sqlx::query_scalar("SELECT count(*) FROM clip WHERE job_id = $1")
        .bind(job.uuid())
        .fetch_one(pool)
        .await
        .expect("counted");
    let more = clips as i64 - base;
    sqlx::query(grow).bind(job.uuid()).bind((more / base + 1) as i32).bind(more).execute(pool).await.expect("grown");
    let picks = "INSERT INTO pick (id, job_id, clip_id, verdict, energy, movement)
        SELECT gen_random_uuid(), c.job_id, c.id, p.verdict, (random() * 100), p.movement
        FROM clip c, LATERAL (SELECT verdict, movement FROM pick WHERE pick.job_id = c.job_id LIMIT 1) p
        WHERE c.job_id = $1 AND c.path LIKE 'more/%'";
    sqlx::query(picks).bind(job.uuid()).execute(pool).await.expect("grown");
    sqlx::query("UPDATE job SET footage = footage + 1 WHERE id = $1")
        .bind(job.uuid())
        .execute(pool)
        .await
        .expect("said");
    sqlx::query("ANALYZE").execute(pool).await.expect("analysed");
}

/// Lays the files of all clips where they should be, and their light copies, as far as looking for them goes.
async fn on_disk(server: &Server, job: JobId) {
    let media = server.dir.path().join("media");
    let place = |path: &Path, bytes: u64, modified: Option<SystemTime>| {
        std::fs::create_dir_all(path.parent().expect("a folder")).expect("folders");
        let file = std::fs::File::create(path).expect("a file");
        file.set_len(bytes).expect("its length");
        file.set_modified(modified.unwrap_or_else(SystemTime::now)).expect("its time");
    };
    for file in server.app.store.clips().files(job).await.expect("files") {
        place(&media.join(&file.path), file.bytes as u64, file.modified.map(SystemTime::from));
        place(&server.app.shelf.clip(&file.id().to_string()).join("light.mp4"), 1, None);
    }
    for track in server.app.store.tracks().of_job(job).await.expect("tracks").whole {
        place(&media.join(&track.path), track.bytes as u64, track.modified.map(SystemTime::from));
        place(&server.app.shelf.track(&track.id.to_string()).join("light.flac"), 1, None);
    }
    server.app.files().look(job).await.expect("looked");
    let missing = server.app.store.clips().files(job).await.expect("files").iter().filter(|f| f.missing).count();
    assert_eq!(missing, 0, "all files are there");
}

async fn measured(clips: usize, (first_cells, megabytes): (f64, f64)) {
    println!("\n{clips} selects");
    let mut server = Server::start().await;
    let shoot = server.shoot(100).await;
    grown(&server, shoot.job, clips).await;
    let job = format!("/jobs/{}", shoot.job);
    let rows = server.json(&format!("{job}/sift/selects.json")).await;
    let ids: Vec<String> = rows.as_array().expect("rows").iter().map(id_of).collect();
    assert_eq!(ids.len(), clips);
    let (mut verdicts, mut narrow, mut passes, mut needs) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    for (i, select) in ids.iter().cycle().step_by(7).take(TIMES).enumerate() {
        let tier = if i % 2 == 0 { "strong" } else { "spare" };
        let timed = async |path: String, times: &mut Vec<f64>| {
            let start = Instant::now();
            let answer = server.get(&path).await;
            times.push(start.elapsed().as_secs_f64() * 1000.0);
            assert_eq!(answer.status, 200, "{path}: {}", answer.body);
        };
        let start = Instant::now();
        server.say(&format!("{job}/selects/{select}"), json!({ "do": "tier", "tier": tier, "pass": 1 })).await;
        verdicts.push(start.elapsed().as_secs_f64() * 1000.0);
        timed(format!("{job}/sift/narrow.json?words=-out&pass=1"), &mut narrow).await;
        timed(format!("{job}/sift/passes.json"), &mut passes).await;
        timed(format!("{job}/sift/needs.json"), &mut needs).await;
    }
    say("a verdict stored", verdicts, 10.0);
    say("narrow after a verdict", narrow, 15.0);
    say("passes after narrow", passes, 15.0);
    say("needs after passes", needs, 15.0);
    // As after a restart: nothing is in memory.
    let mut first = Vec::new();
    for _ in 0..5 {
        server = server.restarted().await;
        let start = Instant::now();
        let page = server.get(&format!("{job}/sift")).await;
        let cells = server.get(&format!("{job}/sift/selects.json?first=60")).await;
        first.push(start.elapsed().as_secs_f64() * 1000.0);
        assert_eq!((page.status, cells.status), (200, 200));
    }
    say("Sift's page and first cells after a restart", first, first_cells);
    let start = Instant::now();
    let all = server.get(&format!("{job}/sift/selects.json")).await;
    println!("all cells: {:.0} ms, {:.0} KB", start.elapsed().as_secs_f64() * 1000.0, all.body.len() as f64 / 1024.0);
    on_disk(&server, shoot.job).await;
    let looking = tokio::spawn({
        let app = server.app.clone();
        async move { app.look_after().await }
    });
    let (begun, used) = (Instant::now(), processor_seconds());
    tokio::time::sleep(Duration::from_secs(46)).await;
    let share = 100.0 * (processor_seconds() - used) / begun.elapsed().as_secs_f64();
    looking.abort();
    println!("looking for files at rest: {share:.2} % of a core, wanted 1 %");
    println!("in memory, server and test together: {:.0} MB, wanted {megabytes:.0} MB", status("VmRSS") / 1024.0);
    server.stop().await;
}

fn id_of(row: &serde_json::Value) -> String {
    row["id"].as_str().expect("an id").to_owned()
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "a measurement; run by cargo xtask bench server"]
async fn measure() {
    measured(1_200, (1000.0, 250.0)).await;
    measured(10_000, (2500.0, 600.0)).await;
}
