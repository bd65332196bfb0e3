//! Files that move, are replaced, doubled, renamed, disappear and come back, in any order: what a person said of a content is
//! on the clip of that content, whatever became of its file. A plain model stands beside it.

mod server;

use legere_core::id::{ClipId, JobId};
use legere_core::select::Tier;
use legere_store::clip_files::ClipFile;
use legere_store::clips::Clip;
use legere_store::queue::{Delivery, Work};
use proptest::prelude::*;
use serde_json::json;
use server::Server;
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::process::Command;
use std::sync::OnceLock;

/// How many different contents there are, and how many names they can lie under.
const CONTENTS: usize = 4;
const NAMES: usize = 6;

/// Clips of a fifth of a second, drawn once.
fn drawn() -> &'static Vec<Vec<u8>> {
    static DRAWN: OnceLock<Vec<Vec<u8>>> = OnceLock::new();
    DRAWN.get_or_init(|| {
        let folder = tempfile::tempdir().expect("a folder");
        let one = |hue: usize| {
            let to = folder.path().join(format!("{hue}.mp4"));
            let source = format!("testsrc2=size=160x90:rate=25:duration=0.2,hue=h={}", hue * 70);
            let made = Command::new("ffmpeg")
                .args(["-v", "error", "-y", "-f", "lavfi", "-i", &source, "-pix_fmt", "yuv420p"])
                .arg(&to)
                .status();
            assert!(made.expect("ffmpeg").success());
            std::fs::read(to).expect("drawn")
        };
        (0..CONTENTS).map(one).collect()
    })
}

#[derive(Debug, Clone, Copy)]
enum Step {
    /// A content is written to a name, over whatever lies there.
    Write(usize, usize),
    Rename(usize, usize),
    Copy(usize, usize),
    Delete(usize),
    /// The job looks for its files and reads what there is to read.
    Look,
    /// The folder is brought in again.
    Bring,
    /// What cannot be found is looked for everywhere.
    Find,
    /// The clip that shows a content now gets a note and a verdict.
    Judge(usize),
}

fn steps() -> impl Strategy<Value = Vec<Step>> {
    let name = || 0..NAMES;
    let step = prop_oneof![
        2 => (0..CONTENTS, name()).prop_map(|(content, to)| Step::Write(content, to)),
        3 => (name(), name()).prop_map(|(from, to)| Step::Rename(from, to)),
        1 => (name(), name()).prop_map(|(from, to)| Step::Copy(from, to)),
        1 => name().prop_map(Step::Delete),
        3 => Just(Step::Look),
        2 => Just(Step::Bring),
        1 => Just(Step::Find),
        3 => (0..CONTENTS).prop_map(Step::Judge),
    ];
    proptest::collection::vec(step, 8..24)
}

/// A job over a folder, and what was said of each content in it.
struct Journey {
    server: Server,
    job: JobId,
    folder: PathBuf,
    said: BTreeMap<usize, Vec<String>>,
}

impl Journey {
    async fn begun() -> Self {
        let server = Server::start().await;
        let job = server.job("Journeys").await;
        let folder = server.dir.path().join("media/day one");
        for (name, content) in drawn().iter().enumerate() {
            std::fs::write(folder.join(format!("{name}.mp4")), content).expect("written");
        }
        let journey = Self { server, job, folder, said: BTreeMap::new() };
        journey.bring().await;
        journey
    }

    fn at(&self, name: usize) -> PathBuf {
        self.folder.join(format!("{name}.mp4"))
    }

    async fn work(&self) {
        for _ in 0..4 {
            let waiting = self.server.app.store.clips().unfinished().await.expect("clips");
            for clip in waiting {
                self.server.app.do_work(Delivery::Do(Work::ReadClip(clip))).await;
            }
        }
    }

    async fn bring(&self) {
        let answer = self.server.post_form(&format!("/jobs/{}/bring", self.job), "root=media&path=").await;
        assert_eq!(answer.status, 200, "{}", answer.body);
        self.work().await;
    }

    async fn look(&self) {
        self.server.app.files().look(self.job).await.expect("looked");
        self.work().await;
    }

    /// The content of a clip, by its digest.
    fn content_of(clip: &Clip) -> Option<usize> {
        let digests: Vec<String> = drawn()
            .iter()
            .map(|bytes| {
                let file = tempfile::NamedTempFile::new().expect("a file");
                std::fs::write(file.path(), bytes).expect("written");
                legere_media::identity::digest(file.path()).expect("a digest")
            })
            .collect();
        digests.iter().position(|d| Some(d) == clip.digest.as_ref())
    }

    async fn goes(&mut self, step: Step) {
        match step {
            Step::Write(content, to) => std::fs::write(self.at(to), &drawn()[content]).expect("written"),
            Step::Rename(from, to) => drop(std::fs::rename(self.at(from), self.at(to))),
            Step::Copy(from, to) if from != to => drop(std::fs::copy(self.at(from), self.at(to))),
            Step::Copy(..) => {}
            Step::Delete(name) => drop(std::fs::remove_file(self.at(name))),
            Step::Look => self.look().await,
            Step::Bring => self.bring().await,
            Step::Find => {
                self.server.post_form(&format!("/jobs/{}/find", self.job), "root=media&path=").await;
                self.work().await;
            }
            Step::Judge(content) => self.judge(content).await,
        }
    }

    /// Says something of the clip that shows a content.
    async fn judge(&mut self, content: usize) {
        let clips = self.server.app.store.clips().of_job(self.job).await.expect("clips").whole;
        let Some(clip) = clips.iter().find(|c| Self::content_of(c) == Some(content)) else { return };
        let selects = self.server.app.store.selects().of_job(self.job).await.expect("selects").whole;
        let Some(select) = selects.iter().find(|s| s.clip == clip.id) else { return };
        let said = self.said.entry(content).or_default();
        said.push(format!("{} {}", content, said.len()));
        let path = format!("/jobs/{}/selects/{}", self.job, select.id);
        let words = format!("{} {}", select.verdict.note, said[said.len() - 1]);
        self.server.say(&path, json!({ "do": "note", "words": words.trim() })).await;
        self.server.say(&path, json!({ "do": "tier", "tier": "hero" })).await;
    }

    /// Everything that was said is on a clip of the content that it was said of, also of a clip that is missing.
    async fn nothing_is_lost(&self) {
        let store = &self.server.app.store;
        let all: Vec<ClipId> = store.clips().files(self.job).await.expect("files").iter().map(ClipFile::id).collect();
        let clips = store.clips().some(self.job, &all).await.expect("clips").whole;
        let by_id: BTreeMap<ClipId, &Clip> = clips.iter().map(|c| (c.id, c)).collect();
        let selects = self.server.app.store.selects().of_job(self.job).await.expect("selects").whole;
        for (content, said) in &self.said {
            let on_it =
                selects.iter().filter(|s| by_id.get(&s.clip).is_some_and(|c| Self::content_of(c) == Some(*content)));
            let (notes, heroes): (Vec<&str>, Vec<bool>) =
                on_it.map(|s| (s.verdict.note.as_str(), s.verdict.tier == Tier::Hero)).unzip();
            let all = notes.join("; ");
            for words in said {
                assert!(all.contains(words), "“{words}” of content {content} is on none of its clips: {notes:?}");
            }
            assert!(heroes.contains(&true), "the verdict on content {content}");
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 40, ..ProptestConfig::with_cases(10) })]

    #[test]
    fn what_was_said_stays_with_its_content(steps in steps()) {
        let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().expect("a runtime");
        runtime.block_on(async {
            let mut journey = Journey::begun().await;
            for step in &steps {
                journey.goes(*step).await;
                journey.nothing_is_lost().await;
            }
            // All of it is back under names of its own: nothing is missing in the end.
            for name in 0..NAMES {
                let _ = std::fs::remove_file(journey.at(name));
            }
            journey.look().await;
            for (name, content) in drawn().iter().enumerate() {
                std::fs::write(journey.folder.join(format!("back {name}.mp4")), content).expect("written");
            }
            journey.bring().await;
            journey.look().await;
            journey.nothing_is_lost().await;
            let clips = journey.server.app.store.clips().of_job(journey.job).await.expect("clips").whole;
            for content in journey.said.keys() {
                let found = clips.iter().any(|c| Journey::content_of(c) == Some(*content) && !c.missing);
                prop_assert!(found, "content {} is back: {:?}", content, clips.iter().map(|c| (&c.path, c.missing, c.owns_path, Journey::content_of(c))).collect::<Vec<_>>());
            }
            journey.server.stop().await;
            Ok(())
        })?;
    }
}
