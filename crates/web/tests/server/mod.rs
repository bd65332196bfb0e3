//! The real server on a real database, asked over a real socket.
#![allow(dead_code, reason = "each test program uses its own part of this")]

pub mod shoot;

use legere_app::App;
use legere_core::id::{JobId, PersonId, SessionId, TrackId};
use legere_media::roots::{Root, Roots};
use legere_media::shelf::Shelf;
use legere_store::Store;
use legere_store::jobs::NewJob;
use legere_store::journal::{By, Step};
use legere_store::queue::{Delivery, Work};
use legere_store::testing::fresh_url;
use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use tempfile::TempDir;

/// Who does what a test does without a window.
pub const NOBODY: By = By { person: PersonId::from_u128(99), session: SessionId::from_u128(99), step: Step::Gather };

/// The frame table of a shot, from the runs that it is sent as.
pub fn unfolded(shot: &serde_json::Value) -> Vec<i64> {
    let runs: Vec<(i64, i64, u32)> = serde_json::from_value(shot["runs"].clone()).expect("runs");
    runs.iter().flat_map(|(first, step, count)| (0..i64::from(*count)).map(move |i| first + step * i)).collect()
}

pub struct Server {
    pub app: App,
    pub port: u16,
    pub dir: TempDir,
    /// Of its database.
    url: String,
    handle: actix_web::dev::ServerHandle,
}

pub struct Answer {
    pub status: u16,
    pub head: String,
    pub body: String,
}

impl Server {
    /// With one media root, `media`, that holds a folder `day one`; beside it lies what nobody may reach.
    pub async fn start() -> Self {
        Self::start_allowing(Vec::new()).await
    }

    /// The same, where media folders may be added below some parents.
    pub async fn start_allowing(parents: Vec<std::path::PathBuf>) -> Self {
        let dir = tempfile::tempdir().expect("a folder");
        let media = dir.path().join("media");
        std::fs::create_dir_all(media.join("day one")).expect("folders");
        std::fs::write(dir.path().join("secret.mp4"), b"secret").expect("a file");
        let shelf = Shelf::open(&dir.path().join("shelf")).expect("a shelf");
        let roots = Roots::new(vec![Root { name: "media".into(), path: media }]).expect("roots").with_parents(parents);
        Self::on(dir, fresh_url().await.expect("a database"), shelf, roots).await
    }

    /// The same database and shelf in a program that was just started.
    pub async fn restarted(self) -> Self {
        self.handle.stop(false).await;
        let roots = Roots::new(self.app.roots.all()).expect("roots");
        Self::on(self.dir, self.url, self.app.shelf.clone(), roots).await
    }

    /// With connections of its own: those of a server end with its threads.
    async fn on(dir: TempDir, url: String, shelf: Shelf, roots: Roots) -> Self {
        let app = App::new(Store::open(&url).await.expect("a store"), shelf, roots);
        let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
        let port = listener.local_addr().expect("an address").port();
        let server = legere_web::serve(app.clone(), listener, 1).expect("a server");
        let handle = server.handle();
        tokio::spawn(server);
        Self { app, port, dir, url, handle }
    }

    pub async fn job(&self, name: &str) -> JobId {
        let rate = "25".parse().expect("a rate");
        let new = NewJob {
            name: name.into(),
            rate,
            width: 1920,
            height: 1080,
            target_seconds: Some(20.0),
            zone: "UTC".into(),
        };
        self.app.store.jobs().create(new, NOBODY).await.expect("a job")
    }

    /// Brings in what lies in the media root and reads its clips and its one track; gives that.
    pub async fn bring_and_read(&self, job: JobId) -> TrackId {
        self.post_form(&format!("/jobs/{job}/bring"), "root=media&path=").await;
        for clip in self.app.store.clips().unfinished().await.expect("clips") {
            self.app.do_work(Delivery::Do(Work::ReadClip(clip))).await;
        }
        let track = self.app.store.tracks().of_job(job).await.expect("tracks").whole.remove(0).id;
        self.app.do_work(Delivery::Do(Work::ReadTrack(track))).await;
        track
    }

    pub async fn get(&self, path: &str) -> Answer {
        self.ask("GET", path, &[], "").await
    }

    pub async fn post_form(&self, path: &str, body: &str) -> Answer {
        self.ask("POST", path, &[("Content-Type", "application/x-www-form-urlencoded")], body).await
    }

    pub async fn post_json(&self, path: &str, body: &str) -> Answer {
        self.ask("POST", path, &[("Content-Type", "application/json")], body).await
    }

    /// Says something from a window in a step, about the revision that it shows.
    pub async fn in_window(&self, session: u128, step: &str, base: Option<i64>, path: &str, body: &str) -> Answer {
        let session = SessionId::from_u128(session).to_string();
        let base = base.map(|b| b.to_string());
        let mut headers =
            vec![("Content-Type", "application/json"), ("x-legere-session", &session), ("x-legere-step", step)];
        headers.extend(base.as_deref().map(|b| ("x-legere-base", b)));
        self.ask("POST", path, &headers, body).await
    }

    /// Bytes, as a page sends the pieces of a file.
    pub async fn put(&self, path: &str, bytes: &[u8]) -> Answer {
        self.send("PUT", path, &[("Content-Type", "application/octet-stream")], bytes.to_vec()).await
    }

    /// One piece of a file with its digest, which is taken; gives what came back.
    pub async fn put_piece(&self, path: &str, bytes: &[u8], digest: &str) -> serde_json::Value {
        let headers = [("Content-Type", "application/octet-stream"), ("x-legere-digest", digest)];
        let answer = self.send("PUT", path, &headers, bytes.to_vec()).await;
        assert_eq!(answer.status, 200, "{path}: {}", answer.body);
        serde_json::from_str(&answer.body).expect("json")
    }

    /// `headers` may name another host than our own.
    pub async fn ask(&self, method: &str, path: &str, headers: &[(&str, &str)], body: &str) -> Answer {
        self.send(method, path, headers, body.as_bytes().to_vec()).await
    }

    async fn send(&self, method: &str, path: &str, headers: &[(&str, &str)], body: Vec<u8>) -> Answer {
        let mut text = format!("{method} {path} HTTP/1.1\r\nConnection: close\r\nContent-Length: {}\r\n", body.len());
        if !headers.iter().any(|(name, _)| *name == "Host") {
            text.push_str(&format!("Host: 127.0.0.1:{}\r\n", self.port));
        }
        for (name, value) in headers {
            text.push_str(&format!("{name}: {value}\r\n"));
        }
        text.push_str("\r\n");
        let mut whole = text.into_bytes();
        whole.extend(body);
        let port = self.port;
        tokio::task::spawn_blocking(move || {
            let mut socket = TcpStream::connect(("127.0.0.1", port)).expect("a connection");
            socket.write_all(&whole).expect("asked");
            let mut bytes = Vec::new();
            socket.read_to_end(&mut bytes).expect("an answer");
            let text = String::from_utf8_lossy(&bytes).into_owned();
            let (head, body) = text.split_once("\r\n\r\n").expect("a head");
            let status = head.split(' ').nth(1).and_then(|s| s.parse().ok()).expect("a status");
            Answer { status, head: head.to_lowercase(), body: body.to_owned() }
        })
        .await
        .expect("asked")
    }

    pub async fn stop(self) {
        self.handle.stop(false).await;
    }
}
