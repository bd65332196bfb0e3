//! A PostgreSQL server of our own: its own data folder, loopback only, an unprivileged user. Debian's system cluster is
//! never touched.
//!
//! Nobody enters without a password: there is one for the administrator (`app`, who owns the cluster) and one for the role
//! `legere`, who owns the database and nothing else. Both are made at random and lie in a file that only its owner reads.
//! A thread of its own keeps the server: started there, stopped there, and started again when it stopped by itself, as it
//! does when the disk is full.

use crate::StoreError;
use nix::fcntl::{Flock, FlockArg};
use serde::{Deserialize, Serialize};
use std::io::Write;
use std::net::TcpListener;
use std::os::unix::fs::{OpenOptionsExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::mpsc;
use std::time::{Duration, Instant};
use uuid::Uuid;

/// Who owns the cluster.
const ADMIN: &str = "app";
/// Who owns the database, and its name.
const ROLE: &str = "legere";
const LOOK_EVERY: Duration = Duration::from_millis(500);
/// A last checkpoint can take a while on a slow disk.
const ENDS_WITHIN: Duration = Duration::from_mins(1);
const STARTS_WITHIN: Duration = Duration::from_mins(1);

/// How a cluster keeps its data.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Durability {
    /// What is acknowledged survives a loss of power.
    Safe,
    /// For tests: fast, and gone after a power cut.
    Careless,
}

/// A running server; stopped when dropped.
#[derive(Debug)]
pub struct Cluster {
    port: u16,
    passwords: Passwords,
    bin: PathBuf,
    keeper: Option<(mpsc::Sender<()>, std::thread::JoinHandle<()>)>,
    /// Held as long as we run, so that no second program starts a server on the same data.
    _lock: Flock<std::fs::File>,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
struct Passwords {
    app: String,
    legere: String,
}

impl Cluster {
    /// Starts the server of `folder`, making its data first where there is none.
    pub fn start(folder: &Path, durability: Durability) -> Result<Self, StoreError> {
        std::fs::create_dir_all(folder)?;
        let folder = folder.canonicalize()?;
        let lock = locked(&folder)?;
        let owner = Owner::of_server()?;
        let data = folder.join("postgres");
        let secrets = folder.join("passwords.json");
        let bin = binaries(&data)?;
        let known = read_passwords(&secrets)?;
        let passwords = match (&known, data.join("PG_VERSION").exists()) {
            (Some(known), true) => known.clone(),
            (None, true) => Passwords::fresh(),
            (_, false) => {
                let fresh = Passwords::fresh();
                // Kept before there is anything to enter with them.
                write_passwords(&secrets, &fresh)?;
                initialise(&bin, &owner, &folder, &data, &fresh)?;
                fresh
            }
        };
        if known.is_none() {
            // Data of an earlier version has none; where it was made just now there is nothing to do.
            let _ =
                owner.run_as(&mut Command::new(bin.join("pg_checksums"))).arg("--enable").arg("-D").arg(&data).output();
        }
        wait_for_the_last(&data)?;
        let server = Server { bin: bin.clone(), owner, folder: folder.clone(), data: data.clone(), durability };
        let (port, keeper) = keep(server)?;
        let cluster = Self { port, passwords, bin, keeper: Some(keeper), _lock: lock };
        if known.is_none() && !secrets.exists() {
            cluster.lock_down(&data)?;
            write_passwords(&secrets, &cluster.passwords)?;
        }
        cluster.ensure_database()?;
        Ok(cluster)
    }

    /// The address of the database of a cluster that another Legere runs on this data.
    pub fn url_of_running(folder: &Path) -> Result<String, StoreError> {
        let port = postmaster(&folder.join("postgres"), 3).and_then(|l| l.parse().ok());
        let port: u16 = port.ok_or_else(|| StoreError::Cluster("no database runs in this data folder".into()))?;
        let passwords = read_passwords(&folder.join("passwords.json"))?
            .ok_or_else(|| StoreError::Cluster("there are no passwords in this data folder".into()))?;
        Ok(address(port, &passwords))
    }

    /// For the role that owns the database, who is no superuser.
    pub fn url(&self) -> String {
        address(self.port, &self.passwords)
    }

    /// For the administrator; tests make databases with it.
    pub fn admin_url(&self, database: &str) -> String {
        format!("postgres://{ADMIN}:{}@127.0.0.1:{}/{database}", self.passwords.app, self.port)
    }

    /// Puts what was dumped in the place of what is there, all of it or nothing.
    pub fn restore(&self, from: &Path) -> Result<(), StoreError> {
        let aside = format!("{ROLE}_new");
        self.admin("postgres", &format!("DROP DATABASE IF EXISTS {aside}"))?;
        self.admin("postgres", &format!("CREATE DATABASE {aside} OWNER {ROLE}"))?;
        let mut command = self.tool("pg_restore", ROLE, &self.passwords.legere);
        command.args(["--no-owner", "--exit-on-error", "--single-transaction", "--dbname", &aside]).arg(from);
        if let Err(error) = command.output().map_err(StoreError::from).and_then(|out| stdout_of(&out)) {
            self.admin("postgres", &format!("DROP DATABASE IF EXISTS {aside}"))?;
            return Err(error);
        }
        self.admin("postgres", &format!("DROP DATABASE IF EXISTS {ROLE} WITH (FORCE)"))?;
        self.admin("postgres", &format!("ALTER DATABASE {aside} RENAME TO {ROLE}"))?;
        Ok(())
    }

    fn tool(&self, name: &str, role: &str, password: &str) -> Command {
        tool(&self.bin, name, self.port, role, password)
    }

    /// Runs one statement as the administrator.
    fn admin(&self, database: &str, sql: &str) -> Result<String, StoreError> {
        let mut command = self.tool("psql", ADMIN, &self.passwords.app);
        command.args(["-d", database, "-v", "ON_ERROR_STOP=1", "-qAtX", "-c", sql]);
        stdout_of(&command.output()?)
    }

    fn ensure_database(&self) -> Result<(), StoreError> {
        let exists = |table: &str, name: &str, what: &str| -> Result<bool, StoreError> {
            Ok(self.admin("postgres", &format!("SELECT 1 FROM {table} WHERE {name} = '{what}'"))?.trim() == "1")
        };
        if !exists("pg_roles", "rolname", ROLE)? {
            self.admin("postgres", &format!("CREATE ROLE {ROLE} LOGIN PASSWORD '{}'", self.passwords.legere))?;
        }
        if !exists("pg_database", "datname", ROLE)? {
            self.admin("postgres", &format!("CREATE DATABASE {ROLE} OWNER {ROLE}"))?;
        }
        Ok(())
    }

    /// Gives a cluster of an earlier version, which let everybody in, its passwords and its role.
    fn lock_down(&self, data: &Path) -> Result<(), StoreError> {
        tracing::info!("the database of an earlier version gets passwords");
        self.admin("postgres", &format!("ALTER ROLE {ADMIN} PASSWORD '{}'", self.passwords.app))?;
        self.ensure_database()?;
        self.admin("postgres", &format!("ALTER DATABASE {ROLE} OWNER TO {ROLE}"))?;
        self.admin(
            ROLE,
            &format!(
                "ALTER SCHEMA public OWNER TO {ROLE}; DO $$ DECLARE t record; BEGIN \
                 FOR t IN SELECT c.relname, c.relkind FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace \
                          WHERE n.nspname = 'public' AND c.relkind = 'r' LOOP \
                   EXECUTE format('ALTER TABLE public.%I OWNER TO {ROLE}', t.relname); \
                 END LOOP; END $$"
            ),
        )?;
        std::fs::write(data.join("pg_hba.conf"), "host all all 127.0.0.1/32 scram-sha-256\n")?;
        self.admin("postgres", "SELECT pg_reload_conf()").map(drop)
    }

    /// The server's process, for tests that kill it.
    #[cfg(feature = "testing")]
    pub(crate) fn process(&self) -> Result<u32, StoreError> {
        let text = self.admin("postgres", "SELECT pg_read_file('postmaster.pid', 0, 12)")?;
        text.lines().next().and_then(|l| l.trim().parse().ok()).ok_or_else(|| StoreError::Cluster(text))
    }
}

fn tool(bin: &Path, name: &str, port: u16, role: &str, password: &str) -> Command {
    let mut command = Command::new(bin.join(name));
    command.env("PGPASSWORD", password).args(["-h", "127.0.0.1", "-p", &port.to_string(), "-U", role]);
    command.stdin(Stdio::null());
    command
}

fn address(port: u16, passwords: &Passwords) -> String {
    format!("postgres://{ROLE}:{}@127.0.0.1:{port}/{ROLE}", passwords.legere)
}

impl Drop for Cluster {
    fn drop(&mut self) {
        if let Some((stop, thread)) = self.keeper.take() {
            drop(stop);
            let _ = thread.join();
        }
    }
}

impl Passwords {
    fn fresh() -> Self {
        // 244 random bits each, from the system.
        let one = || format!("{}{}", Uuid::new_v4().simple(), Uuid::new_v4().simple());
        Self { app: one(), legere: one() }
    }
}

fn read_passwords(file: &Path) -> Result<Option<Passwords>, StoreError> {
    match std::fs::read(file) {
        Ok(bytes) => Ok(Some(serde_json::from_slice(&bytes).map_err(StoreError::broken("file of passwords"))?)),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error.into()),
    }
}

fn write_passwords(file: &Path, passwords: &Passwords) -> Result<(), StoreError> {
    let text = serde_json::to_vec(passwords).map_err(StoreError::broken("file of passwords"))?;
    let aside = file.with_extension("new");
    let _ = std::fs::remove_file(&aside);
    let mut out = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(&aside)?;
    out.write_all(&text)?;
    out.sync_all()?;
    Ok(std::fs::rename(aside, file)?)
}

fn locked(folder: &Path) -> Result<Flock<std::fs::File>, StoreError> {
    let file = std::fs::OpenOptions::new().create(true).truncate(false).write(true).open(folder.join("lock"))?;
    Flock::lock(file, FlockArg::LockExclusiveNonblock).map_err(|(_, error)| match error {
        nix::errno::Errno::EWOULDBLOCK => StoreError::InUse,
        other => StoreError::Io(other.into()),
    })
}

/// A line of what a running server writes into its data folder: the first is its process, the fourth its port.
fn postmaster(data: &Path, line: usize) -> Option<String> {
    Some(std::fs::read_to_string(data.join("postmaster.pid")).ok()?.lines().nth(line)?.trim().to_owned())
}

/// Where a Legere was killed, its server still writes down what it has and ends then.
fn wait_for_the_last(data: &Path) -> Result<(), StoreError> {
    let runs = || {
        let pid = postmaster(data, 0)?;
        let words = std::fs::read(format!("/proc/{pid}/cmdline")).ok()?;
        String::from_utf8_lossy(&words).contains(&*data.to_string_lossy()).then_some(pid)
    };
    let until = Instant::now() + ENDS_WITHIN;
    while let Some(pid) = runs() {
        if Instant::now() > until {
            return Err(StoreError::Cluster(format!("the server of an earlier run, process {pid}, does not end")));
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    Ok(())
}

/// Makes the data beside its place and moves it there when it is whole.
fn initialise(bin: &Path, owner: &Owner, folder: &Path, data: &Path, passwords: &Passwords) -> Result<(), StoreError> {
    let beside = folder.join("postgres.new");
    if beside.exists() {
        std::fs::remove_dir_all(&beside)?;
    }
    std::fs::create_dir(&beside)?;
    owner.give(&beside)?;
    let secret = folder.join("password.once");
    let _ = std::fs::remove_file(&secret);
    let mut out = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(&secret)?;
    out.write_all(passwords.app.as_bytes())?;
    owner.give(&secret)?;
    let mut initdb = Command::new(bin.join("initdb"));
    initdb.arg("-D").arg(&beside).arg(format!("--pwfile={}", secret.display())).args([
        "-U",
        ADMIN,
        "--auth-host=scram-sha-256",
        "--auth-local=reject",
        "-E",
        "UTF8",
        "--locale=C.UTF-8",
        "--data-checksums",
    ]);
    let done =
        owner.run_as(&mut initdb).current_dir("/").output().map_err(StoreError::from).and_then(|out| stdout_of(&out));
    std::fs::remove_file(&secret)?;
    done?;
    // An empty folder of an attempt that was stopped may be in the way.
    let _ = std::fs::remove_dir(data);
    std::fs::rename(&beside, data)?;
    Ok(std::fs::File::open(folder)?.sync_all()?)
}

/// What a program printed, or why it failed.
fn stdout_of(out: &std::process::Output) -> Result<String, StoreError> {
    if out.status.success() {
        Ok(String::from_utf8_lossy(&out.stdout).into_owned())
    } else {
        Err(StoreError::Cluster(String::from_utf8_lossy(&out.stderr).trim().to_owned()))
    }
}

struct Server {
    bin: PathBuf,
    owner: Owner,
    folder: PathBuf,
    data: PathBuf,
    durability: Durability,
}

type Keeper = (mpsc::Sender<()>, std::thread::JoinHandle<()>);

/// Starts the server in a thread that stays with it. The server stops when that thread ends, however the program
/// ends.
fn keep(server: Server) -> Result<(u16, Keeper), StoreError> {
    let (stop, stopped) = mpsc::channel::<()>();
    let (started, was_started) = mpsc::channel();
    let thread = std::thread::Builder::new().name("postgres".into()).spawn(move || {
        let first = server.start_on_a_free_port();
        let (port, mut child) = match first {
            Ok((port, child)) => {
                let _ = started.send(Ok(port));
                (port, Some(child))
            }
            Err(error) => {
                let _ = started.send(Err(error));
                return;
            }
        };
        let mut again_at = Instant::now();
        while let Err(mpsc::RecvTimeoutError::Timeout) = stopped.recv_timeout(LOOK_EVERY) {
            let ended = child.as_mut().is_none_or(|c| matches!(c.try_wait(), Ok(Some(_))));
            if ended && Instant::now() >= again_at {
                tracing::error!("PostgreSQL has stopped by itself and is started again");
                again_at = Instant::now() + Duration::from_secs(5);
                child = match server.start_on(port) {
                    Ok(child) => child,
                    Err(error) => {
                        tracing::error!(?error, "PostgreSQL cannot be started again yet");
                        None
                    }
                };
            }
        }
        if let Some(child) = child {
            stop_fast(child);
        }
    })?;
    let port = was_started.recv().map_err(|ended| StoreError::Cluster(format!("its thread ended: {ended}")))??;
    Ok((port, (stop, thread)))
}

/// SIGINT is PostgreSQL's fast shutdown.
fn stop_fast(mut child: Child) {
    use nix::sys::signal::{Signal, kill};
    if let Ok(pid) = i32::try_from(child.id()) {
        let _ = kill(nix::unistd::Pid::from_raw(pid), Signal::SIGINT);
    }
    let _ = child.wait();
}

impl Server {
    /// A free port can be taken between choosing and binding: another one is tried then.
    fn start_on_a_free_port(&self) -> Result<(u16, Child), StoreError> {
        for _ in 0..5 {
            let port = TcpListener::bind("127.0.0.1:0")?.local_addr()?.port();
            if let Some(child) = self.start_on(port)? {
                return Ok((port, child));
            }
        }
        Err(StoreError::Cluster(self.last_words()))
    }

    fn last_words(&self) -> String {
        let log = std::fs::read_to_string(self.folder.join("postgres.log")).unwrap_or_default();
        log.lines().last().unwrap_or("it did not start").to_owned()
    }

    /// `None` when it did not come up.
    fn start_on(&self, port: u16) -> Result<Option<Child>, StoreError> {
        let mut postgres = Command::new("setpriv");
        postgres.args(["--pdeathsig", "INT", "--"]).arg(self.bin.join("postgres"));
        postgres.arg("-D").arg(&self.data).args(["-p", &port.to_string(), "-h", "127.0.0.1"]).arg("-k").arg("");
        if self.durability == Durability::Careless {
            let options = [
                "fsync=off",
                "synchronous_commit=off",
                "full_page_writes=off",
                "autovacuum=off",
                "max_connections=300",
            ];
            for option in options {
                postgres.args(["-c", option]);
            }
        }
        let log = std::fs::OpenOptions::new().create(true).append(true).open(self.folder.join("postgres.log"))?;
        let mut child = self
            .owner
            .run_as(&mut postgres)
            .current_dir("/")
            .stdin(Stdio::null())
            .stdout(log.try_clone()?)
            .stderr(log)
            .spawn()?;
        let until = Instant::now() + STARTS_WITHIN;
        while Instant::now() < until {
            if child.try_wait()?.is_some() {
                return Ok(None);
            }
            if self.is_up(port) {
                return Ok(Some(child));
            }
            std::thread::sleep(Duration::from_millis(30));
        }
        stop_fast(child);
        Ok(None)
    }

    /// Open for connections, not only listening.
    fn is_up(&self, port: u16) -> bool {
        let mut ready = Command::new(self.bin.join("pg_isready"));
        ready.args(["-q", "-h", "127.0.0.1", "-p", &port.to_string()]);
        ready.status().is_ok_and(|s| s.success())
    }
}

const VERSIONS: &str = "/usr/lib/postgresql";

fn installed(version: &str) -> Option<PathBuf> {
    let bin = Path::new(VERSIONS).join(version).join("bin");
    bin.join("initdb").exists().then_some(bin)
}

/// Debian's programs for the version that the data was made with; for new data, the newest.
fn binaries(data: &Path) -> Result<PathBuf, StoreError> {
    if let Ok(version) = std::fs::read_to_string(data.join("PG_VERSION")) {
        let version = version.trim();
        return installed(version).ok_or_else(|| {
            StoreError::Cluster(format!(
                "the data was made by PostgreSQL {version}, which is not installed: install postgresql-{version}"
            ))
        });
    }
    newest_binaries()
}

/// The newest of Debian's versions of the server's programs.
pub(crate) fn newest_binaries() -> Result<PathBuf, StoreError> {
    let mut found: Vec<(u32, PathBuf)> = std::fs::read_dir(VERSIONS)
        .into_iter()
        .flatten()
        .flatten()
        .filter_map(|e| Some((e.file_name().to_str()?.parse().ok()?, installed(e.file_name().to_str()?)?)))
        .collect();
    found.sort_by_key(|(version, _)| *version);
    let newest = found.pop().map(|(_, bin)| bin);
    newest.ok_or_else(|| StoreError::Cluster("PostgreSQL is not installed: install the package postgresql".into()))
}

/// PostgreSQL refuses to run as root; root lends it the user that Debian's package made for it.
#[derive(Debug, Clone)]
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
            if path.is_dir() {
                std::fs::set_permissions(path, std::fs::Permissions::from_mode(0o700))?;
            }
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
