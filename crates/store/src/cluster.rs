//! A PostgreSQL server of our own: its own data folder, loopback only, an unprivileged user. Debian's system
//! cluster is never touched.

use crate::StoreError;
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// How a cluster keeps its data.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Durability {
    Safe,
    /// For tests: fast, and gone after a power cut.
    Careless,
}

/// A running server; stopped when dropped.
#[derive(Debug)]
pub struct Cluster {
    child: Child,
    port: u16,
}

impl Cluster {
    /// Starts the server of `folder`, making its data first where there is none.
    pub fn start(folder: &Path, durability: Durability) -> Result<Self, StoreError> {
        std::fs::create_dir_all(folder)?;
        let folder = folder.canonicalize()?;
        let bin = binaries()?;
        let owner = Owner::of_server()?;
        let data = folder.join("postgres");
        owner.give(&folder)?;
        if !data.join("PG_VERSION").exists() {
            std::fs::create_dir_all(&data)?;
            owner.give(&data)?;
            let mut initdb = Command::new(bin.join("initdb"));
            initdb.arg("-D").arg(&data).args([
                "-U",
                "app",
                "-A",
                "trust",
                "-E",
                "UTF8",
                "--locale=C.UTF-8",
                "--no-sync",
            ]);
            let out = owner.run_as(&mut initdb).current_dir("/").output()?;
            if !out.status.success() {
                return Err(StoreError::Cluster(String::from_utf8_lossy(&out.stderr).trim().to_owned()));
            }
        }
        // A free port can be taken between choosing and binding: try again with another.
        let mut last = String::new();
        for _ in 0..5 {
            let port = TcpListener::bind("127.0.0.1:0")?.local_addr()?.port();
            // However we end, the server is told to stop as well.
            let mut postgres = Command::new("setpriv");
            postgres.args(["--pdeathsig", "INT", "--"]).arg(bin.join("postgres"));
            postgres.arg("-D").arg(&data).args(["-p", &port.to_string(), "-h", "127.0.0.1"]).arg("-k").arg("");
            if durability == Durability::Careless {
                for option in [
                    "fsync=off",
                    "synchronous_commit=off",
                    "full_page_writes=off",
                    "autovacuum=off",
                    "max_connections=200",
                ] {
                    postgres.args(["-c", option]);
                }
            }
            let log = std::fs::File::create(folder.join("postgres.log"))?;
            let child = owner
                .run_as(&mut postgres)
                .current_dir("/")
                .stdin(Stdio::null())
                .stdout(log.try_clone()?)
                .stderr(log)
                .spawn()?;
            let mut cluster = Self { child, port };
            if cluster.ready()? {
                cluster.ensure_database(&bin)?;
                return Ok(cluster);
            }
            last = std::fs::read_to_string(folder.join("postgres.log")).unwrap_or_default();
        }
        Err(StoreError::Cluster(last.lines().last().unwrap_or("it did not start").to_owned()))
    }

    pub fn url(&self, database: &str) -> String {
        format!("postgres://app@127.0.0.1:{}/{database}", self.port)
    }

    fn ready(&mut self) -> Result<bool, StoreError> {
        let until = Instant::now() + Duration::from_secs(20);
        while Instant::now() < until {
            if self.child.try_wait()?.is_some() {
                return Ok(false);
            }
            if std::net::TcpStream::connect(("127.0.0.1", self.port)).is_ok() {
                return Ok(true);
            }
            std::thread::sleep(Duration::from_millis(30));
        }
        Ok(false)
    }

    fn ensure_database(&self, bin: &Path) -> Result<(), StoreError> {
        let until = Instant::now() + Duration::from_secs(20);
        loop {
            let out = Command::new(bin.join("createdb"))
                .args(["-h", "127.0.0.1", "-p", &self.port.to_string(), "-U", "app", "legere"])
                .output()?;
            let said = String::from_utf8_lossy(&out.stderr);
            if out.status.success() || said.contains("already exists") {
                return Ok(());
            }
            if Instant::now() > until {
                return Err(StoreError::Cluster(said.trim().to_owned()));
            }
            std::thread::sleep(Duration::from_millis(50));
        }
    }
}

impl Drop for Cluster {
    fn drop(&mut self) {
        use nix::sys::signal::{Signal, kill};
        // SIGINT is PostgreSQL's fast shutdown.
        if let Ok(pid) = i32::try_from(self.child.id()) {
            let _ = kill(nix::unistd::Pid::from_raw(pid), Signal::SIGINT);
        }
        let _ = self.child.wait();
    }
}

/// Where Debian puts the server's programs.
fn binaries() -> Result<PathBuf, StoreError> {
    let mut found: Vec<PathBuf> = std::fs::read_dir("/usr/lib/postgresql")
        .map(|dir| dir.flatten().map(|e| e.path().join("bin")).filter(|p| p.join("initdb").exists()).collect())
        .unwrap_or_default();
    found.sort();
    found.pop().ok_or_else(|| StoreError::Cluster("the package postgresql-15 is not installed".into()))
}

/// PostgreSQL refuses to run as root; root lends it the user that Debian's package made for it.
struct Owner(Option<(nix::unistd::Uid, nix::unistd::Gid)>);

impl Owner {
    fn of_server() -> Result<Self, StoreError> {
        if !nix::unistd::Uid::effective().is_root() {
            return Ok(Self(None));
        }
        let user = nix::unistd::User::from_name("postgres").ok().flatten();
        let user = user.ok_or_else(|| StoreError::Cluster("there is no user postgres".into()))?;
        Ok(Self(Some((user.uid, user.gid))))
    }

    fn give(&self, path: &Path) -> Result<(), StoreError> {
        if let Self(Some((uid, gid))) = self {
            std::os::unix::fs::chown(path, Some(uid.as_raw()), Some(gid.as_raw()))?;
        }
        Ok(())
    }

    fn run_as<'a>(&self, command: &'a mut Command) -> &'a mut Command {
        use std::os::unix::process::CommandExt;
        if let Self(Some((uid, gid))) = self {
            command.uid(uid.as_raw()).gid(gid.as_raw());
        }
        // Its own group, so that Ctrl-C in the terminal reaches us first and we stop it in order.
        command.process_group(0)
    }
}
