//! What the program stands on: its port, its data folder, its rights, and a copy of what was done.

mod house;

use house::program::Program;
use legere_store::sqlx;
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Command, Output};

fn legere(data: &Path, words: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_legere"));
    command.args(words).arg("--data").arg(data).output().expect("the program runs")
}

/// What it says where it cannot go on.
fn refused(data: &Path, words: &[&str]) -> String {
    let out = legere(data, words);
    assert!(!out.status.success(), "{words:?} was not refused");
    String::from_utf8_lossy(&out.stderr).into_owned()
}

fn ask(program: &Program, request: &str, body: &str) -> String {
    let host = program.address.trim_start_matches("http://");
    let mut socket = TcpStream::connect(host).expect("a connection");
    let head = format!("{request} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n");
    let kind = "Content-Type: application/x-www-form-urlencoded";
    write!(socket, "{head}{kind}\r\nContent-Length: {}\r\n\r\n{body}", body.len()).expect("asked");
    let mut answer = String::new();
    socket.read_to_string(&mut answer).expect("an answer");
    answer
}

fn new_job(program: &Program, name: &str) {
    let made = ask(program, "POST /jobs", &format!("name={name}&length=30&rate=25&size=1920x1080"));
    assert!(made.starts_with("HTTP/1.1 303"), "{made}");
}

#[test]
fn what_was_done_is_copied_and_brought_back() {
    let dir = house::folder();
    let [data, other] = ["data", "other"].map(|name| dir.path().join(name));
    for folder in [&data, &other] {
        std::fs::create_dir_all(folder).expect("a folder");
    }
    let file = dir.path().join("monday.legere");
    let file_text = file.to_str().expect("a name");
    let program = Program::start("serve", &data, &[]);
    new_job(&program, "Kept");
    // A file that was dropped on a page is an original: it is in the backup.
    let dropped = data.join("originals/job/drop/card a/C001.mp4");
    std::fs::create_dir_all(dropped.parent().expect("a folder")).expect("folders");
    std::fs::write(&dropped, b"pictures").expect("written");
    std::fs::create_dir_all(data.join("originals/job/.uploads")).expect("folders");
    std::fs::write(data.join("originals/job/.uploads/half.part"), b"pict").expect("written");
    // While it runs.
    let out = legere(&data, &["backup", file_text]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let said = String::from_utf8_lossy(&out.stdout).into_owned();
    assert!(
        said.contains("1 files that were dropped") && said.contains("light copies"),
        "what it lacks is said: {said}"
    );
    let mode = std::os::unix::fs::PermissionsExt::mode(&std::fs::metadata(&file).expect("the backup").permissions());
    assert_eq!(mode & 0o077, 0, "nobody else reads it");
    let said = refused(&data, &["backup", file_text]);
    assert!(said.contains("is there already"), "never over another backup: {said}");
    new_job(&program, "Later");
    assert!(program.stop());

    // Where there are jobs nothing is replaced unless it is asked for.
    let said = refused(&data, &["restore", file_text]);
    assert!(said.contains("there are 2 jobs already"), "{said}");
    let out = legere(&data, &["restore", file_text, "--replace"]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    // And on another machine, as it were.
    let out = legere(&other, &["restore", file_text]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    assert_eq!(std::fs::read(other.join("originals/job/drop/card a/C001.mp4")).expect("restored"), b"pictures");
    assert!(!other.join("originals/job/.uploads").exists(), "what is half there is no original");
    for folder in [&data, &other] {
        let program = Program::start("serve", folder, &[]);
        let page = ask(&program, "GET /", "");
        assert!(page.contains("Kept") && !page.contains("Later"), "{page}");
        assert!(program.stop());
    }

    // A file that is something else, or was damaged on its way, changes nothing.
    let mut bytes = std::fs::read(&file).expect("the backup");
    let middle = bytes.len() / 2;
    bytes[middle] ^= 0xff;
    let damaged = dir.path().join("damaged.legere");
    std::fs::write(&damaged, bytes).expect("written");
    let notes = dir.path().join("notes.txt");
    std::fs::write(&notes, "bread, milk").expect("written");
    for file in [&damaged, &notes] {
        let said = refused(&data, &["restore", file.to_str().expect("a name"), "--replace"]);
        assert!(said.contains("is not a backup of Legere, or it is damaged"), "{said}");
    }
    let program = Program::start("serve", &data, &[]);
    assert!(ask(&program, "GET /", "").contains("Kept"));
    assert!(program.stop());
}

/// All rows of all tables of a database, as text: each value.
fn everything(url: &str) -> String {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().expect("a runtime");
    runtime.block_on(async {
        use sqlx::Connection;
        let mut db = sqlx::PgConnection::connect(url).await.expect("connected");
        let tables: Vec<String> = sqlx::query_scalar(
            "SELECT table_name::text FROM information_schema.tables WHERE table_schema = 'public' ORDER BY 1",
        )
        .fetch_all(&mut db)
        .await
        .expect("tables");
        let mut all = String::new();
        for table in tables {
            let rows = format!("SELECT coalesce(string_agg(t::text, E'\\n' ORDER BY t::text), '') FROM {table} AS t");
            let rows: String = sqlx::query_scalar(sqlx::AssertSqlSafe(rows)).fetch_one(&mut db).await.expect("rows");
            all.push_str(&format!("{table}\n{rows}\n"));
        }
        all
    })
}

#[test]
fn an_outside_database_is_copied_destroyed_and_restored_value_by_value() {
    let dir = house::folder();
    let data = dir.path().join("data");
    std::fs::create_dir_all(&data).expect("a folder");
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().expect("a runtime");
    let url = runtime.block_on(legere_store::testing::empty_url()).expect("a database");
    let outside = ["--database", &url];
    let program = Program::start("serve", &data, &outside);
    for name in ["One", "Two", "Three"] {
        new_job(&program, name);
    }
    let file = dir.path().join("outside.legere");
    let with = |words: &[&str]| legere(&data, &[words, &outside].concat());
    let out = with(&["backup", file.to_str().expect("a name")]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let before = everything(&url);
    assert!(before.contains("Three"));
    new_job(&program, "After");
    assert!(program.stop());
    let asked = ["restore", file.to_str().expect("a name")];
    let out = with(&asked);
    assert!(String::from_utf8_lossy(&out.stderr).contains("there are 4 jobs already"));
    assert!(everything(&url).contains("After"), "nothing was touched");
    let out = with(&[&asked[..], &["--replace"]].concat());
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    assert_eq!(everything(&url), before);
    // What was there is aside in the same form, and restored in the same way.
    let aside = std::fs::read_dir(data.join("backups")).expect("copies").flatten().next().expect("a copy").path();
    let out = with(&["restore", aside.to_str().expect("a name"), "--replace"]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    assert!(everything(&url).contains("After"));
}

#[test]
fn a_backup_of_a_newer_program_is_refused_with_words_and_nothing_is_touched() {
    let dir = house::folder();
    let data = dir.path().join("data");
    std::fs::create_dir_all(&data).expect("a folder");
    let file = dir.path().join("newer.legere");
    let out = legere(&data, &["backup", file.to_str().expect("a name")]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    // As a later version would write it.
    let mut tar = tar::Archive::new(std::fs::File::open(&file).expect("the backup"));
    let newer = dir.path().join("edited.legere");
    let mut out = tar::Builder::new(std::fs::File::create(&newer).expect("a file"));
    for entry in tar.entries().expect("entries") {
        let mut entry = entry.expect("an entry");
        let name = entry.path().expect("a name").into_owned();
        let mut bytes = Vec::new();
        entry.read_to_end(&mut bytes).expect("read");
        if name == Path::new("manifest.json") {
            let mut manifest: serde_json::Value = serde_json::from_slice(&bytes).expect("json");
            manifest["version"] = "9.9.9".into();
            manifest["migrations"] = serde_json::json!(["m2031_01_01_many_hands"]);
            bytes = serde_json::to_vec(&manifest).expect("json");
        }
        let mut header = tar::Header::new_gnu();
        header.set_size(bytes.len() as u64);
        header.set_mode(0o600);
        header.set_cksum();
        out.append_data(&mut header, name, &*bytes).expect("written");
    }
    out.into_inner().expect("written");
    let said = refused(&data, &["restore", newer.to_str().expect("a name"), "--replace"]);
    assert!(said.contains("made by a newer Legere (9.9.9)") && said.contains("many_hands"), "{said}");
    assert!(!data.join("backups").exists(), "nothing was even copied aside");
}

#[test]
fn a_port_or_a_folder_that_is_taken_is_named() {
    let dir = house::folder();
    let [data, other] = ["data", "other"].map(|name| dir.path().join(name));
    for folder in [&data, &other] {
        std::fs::create_dir_all(folder).expect("a folder");
    }
    let program = Program::start("serve", &data, &[]);
    let port = program.address.rsplit_once(':').expect("a port").1.to_owned();
    let said = refused(&other, &["serve", "--port", &port]);
    assert!(said.contains(&port) && said.contains("in use"), "{said}");
    let said = refused(&data, &["serve", "--port", "0"]);
    assert!(said.contains("the data folder is in use by another Legere"), "{said}");
    // The first is none the worse for it.
    new_job(&program, "Still");
    assert!(program.stop());
}

/// Clips of three seconds, long enough to be read for a while.
fn card(folder: &Path, count: usize) {
    std::fs::create_dir_all(folder).expect("a folder");
    let first = folder.join("C000.mp4");
    let drawn =
        ["-v", "error", "-f", "lavfi", "-i", "testsrc2=size=1280x720:rate=25:duration=3", "-pix_fmt", "yuv420p"];
    assert!(Command::new("ffmpeg").args(drawn).arg(&first).status().expect("ffmpeg").success());
    for i in 1..count {
        house::material::another(&first, &folder.join(format!("C{i:03}.mp4")), i);
    }
}

/// The light copies on the shelf, and how many frames each has.
fn light_copies(data: &Path) -> Vec<u64> {
    let clips = std::fs::read_dir(data.join("shelf/clips")).expect("the shelf").flatten();
    let frames = |file: &Path| {
        let asked = ["-v", "error", "-count_frames", "-show_entries", "stream=nb_read_frames", "-of", "csv=p=0"];
        let out =
            Command::new("ffprobe").args(asked).args(["-select_streams", "v"]).arg(file).output().expect("ffprobe");
        String::from_utf8_lossy(&out.stdout).trim().parse().unwrap_or(0)
    };
    clips.map(|c| frames(&c.path().join("light.mp4"))).collect()
}

#[test]
fn a_clip_that_was_being_read_when_it_ended_is_read_whole_afterwards() {
    const CLIPS: usize = 12;
    let dir = house::folder();
    let [data, media] = ["data", "media"].map(|name| dir.path().join(name));
    std::fs::create_dir_all(&data).expect("a folder");
    card(&media.join("card"), CLIPS);
    let words = ["--media", media.to_str().expect("a name"), "--at-once", "2"];
    let program = Program::start("serve", &data, &words);
    let made = ask(&program, "POST /jobs", "name=Read&length=30&rate=25&size=1920x1080");
    let place = made.lines().find_map(|l| l.strip_prefix("location: ")).expect("a place").trim().to_owned();
    let job = place.trim_end_matches("/gather").to_owned();
    ask(&program, &format!("POST {job}/bring"), "root=media&path=");
    let count = |program: &Program, state: &str| {
        let page = ask(program, &format!("GET {job}/gather"), "");
        page.matches(&format!("data-state=\"{state}\"")).count()
    };
    let until = |program: &Program, state: &str, least: usize| {
        let end = std::time::Instant::now() + std::time::Duration::from_mins(2);
        while count(program, state) < least {
            assert!(std::time::Instant::now() < end, "{}", ask(program, &format!("GET {job}/gather"), ""));
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
    };
    // Ctrl-C, then a kill, each in the midst of it.
    until(&program, "ready", 2);
    until(&program, "reading", 1);
    assert!(program.stop());
    let program = Program::start("serve", &data, &words);
    until(&program, "ready", 5);
    until(&program, "reading", 1);
    program.kill();
    for frames in light_copies(&data) {
        assert_eq!(frames, 75, "what lies on the shelf is whole");
    }
    let program = Program::start("serve", &data, &words);
    until(&program, "ready", CLIPS);
    assert_eq!(light_copies(&data), [75; CLIPS]);
    assert!(program.stop());
}

#[test]
fn nothing_runs_with_the_rights_of_root_and_nothing_is_left_running() {
    if !nix::unistd::Uid::effective().is_root() {
        return;
    }
    let dir = house::folder();
    let data = dir.path().join("data");
    std::fs::create_dir_all(&data).expect("a folder");
    let program = Program::start("serve", &data, &[]);
    let status = std::fs::read_to_string(format!("/proc/{}/status", program.id())).expect("it runs");
    let of = |name: &str| status.lines().find(|l| l.starts_with(name)).expect("a line").to_owned();
    let ids: Vec<&str> = ["Uid:", "Gid:"].iter().filter_map(|n| status.lines().find(|l| l.starts_with(n))).collect();
    for line in ids {
        assert!(line.split_whitespace().skip(1).all(|id| id != "0"), "{line}");
    }
    assert!(of("CapEff:").ends_with("0000000000000000"), "{}", of("CapEff:"));
    // Killed as by a machine without memory: the next start finds all of it.
    new_job(&program, "Kept");
    program.kill();
    let program = Program::start("serve", &data, &[]);
    assert!(ask(&program, "GET /", "").contains("Kept"));
    assert!(program.stop());
    let text = data.to_str().expect("a name").to_owned();
    let left: Vec<String> = std::fs::read_dir("/proc")
        .expect("Linux")
        .flatten()
        .filter_map(|p| std::fs::read_to_string(p.path().join("cmdline")).ok())
        .filter(|c| c.contains(&text))
        .collect();
    assert_eq!(left, Vec::<String>::new(), "the database ends with the program");
}

#[test]
fn a_worker_runs_beside_a_server_and_has_no_web_server_in_it() {
    let dir = house::folder();
    let data = dir.path().join("data");
    std::fs::create_dir_all(&data).expect("a folder");
    assert!(refused(&data, &["work"]).contains("a worker needs --database"));
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().expect("a runtime");
    let url = runtime.block_on(legere_store::testing::empty_url()).expect("a database");
    let mut worker = Command::new(env!("CARGO_BIN_EXE_legere"))
        .args(["work", "--database", &url, "--data"])
        .arg(&data)
        .stdout(std::process::Stdio::piped())
        .spawn()
        .expect("the worker starts");
    let mut out = std::io::BufReader::new(worker.stdout.take().expect("piped"));
    let mut line = String::new();
    std::io::BufRead::read_line(&mut out, &mut line).expect("a line");
    assert_eq!(line, "Working (Ctrl-C stops it)\n");
    // The program that took its place.
    let running = std::fs::read_link(format!("/proc/{}/exe", worker.id())).expect("a program");
    assert!(running.ends_with("legere-work"), "{}", running.display());
    let names = |program: &Path| {
        let bytes = std::fs::read(program).expect("the program");
        bytes.windows(9).filter(|w| w == b"actix_web").count()
    };
    assert_eq!(names(&running), 0);
    assert!(names(Path::new(env!("CARGO_BIN_EXE_legere"))) > 0, "the server has one");
    Command::new("kill").arg(worker.id().to_string()).status().expect("asked to end");
    assert!(worker.wait().expect("it ends").success());
}
