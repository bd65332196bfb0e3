//! A database for each test: copied from a migrated template, on a server that this test program starts once.

use crate::cluster::{Cluster, Durability};
use crate::{Store, StoreError};
use sea_orm_migration::MigratorTrait;
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Mutex, OnceLock};

struct Server {
    base: String,
    /// Kept so that the data folder lives as long as the program.
    _folder: std::path::PathBuf,
}

fn server() -> Result<&'static Server, StoreError> {
    static SERVER: OnceLock<Server> = OnceLock::new();
    static STARTING: Mutex<()> = Mutex::new(());
    let _turn = STARTING.lock().map_err(|error| StoreError::Cluster(format!("an earlier start failed: {error}")))?;
    if let Some(server) = SERVER.get() {
        return Ok(server);
    }
    let folder = std::env::temp_dir().join(format!("legere-test-{}", std::process::id()));
    let (sender, receiver) = std::sync::mpsc::channel();
    let place = folder.clone();
    // The server stops when the thread that started it ends: this one ends with the program.
    std::thread::spawn(move || {
        let cluster = Cluster::start(&place, Durability::Careless);
        let base = cluster.as_ref().map(|c| c.admin_url("")).map_err(ToString::to_string);
        let _ = sender.send(base);
        loop {
            std::thread::park();
        }
    });
    let base = receiver.recv().map_err(|e| StoreError::Cluster(e.to_string()))?.map_err(StoreError::Cluster)?;
    sweep();
    Ok(SERVER.get_or_init(|| Server { base, _folder: folder }))
}

/// Removes what test programs of earlier runs left.
fn sweep() {
    for entry in std::fs::read_dir(std::env::temp_dir()).into_iter().flatten().flatten() {
        let name = entry.file_name();
        let Some(pid) = name.to_str().and_then(|n| n.strip_prefix("legere-test-")) else { continue };
        if !std::path::Path::new("/proc").join(pid).exists() {
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
}

/// The address of a fresh, migrated database.
pub async fn fresh_url() -> Result<String, StoreError> {
    static TEMPLATE: tokio::sync::OnceCell<()> = tokio::sync::OnceCell::const_new();
    let base = &server()?.base;
    TEMPLATE
        .get_or_try_init(|| async {
            // The database that the cluster made is the template; nobody may be connected to it when it is copied.
            let store = Store::open(&format!("{base}legere")).await?;
            store.pool().close().await;
            Ok::<(), StoreError>(())
        })
        .await?;
    database("TEMPLATE legere STRATEGY FILE_COPY").await
}

/// The address of a database without anything in it.
pub async fn empty_url() -> Result<String, StoreError> {
    database("TEMPLATE template0").await
}

/// The address of an empty database with the schema of the first version, whose data later ones take over.
pub async fn url_of_the_first_version() -> Result<String, StoreError> {
    let url = empty_url().await?;
    let store = Store::connect(&url).await?;
    crate::migration::Migrator::up(&store.db, Some(2)).await?;
    store.pool().close().await;
    Ok(url)
}

async fn database(how: &str) -> Result<String, StoreError> {
    static NUMBER: AtomicU32 = AtomicU32::new(0);
    let base = &server()?.base;
    let name = format!("t{}", NUMBER.fetch_add(1, Ordering::Relaxed));
    let admin = crate::sqlx::PgPool::connect(&format!("{base}postgres")).await?;
    let statement = format!("CREATE DATABASE {name} {how}");
    crate::sqlx::query(crate::sqlx::AssertSqlSafe(statement)).execute(&admin).await?;
    admin.close().await;
    Ok(format!("{base}{name}"))
}

/// A store on a fresh, migrated database.
pub async fn fresh_store() -> Result<Store, StoreError> {
    Store::open(&fresh_url().await?).await
}

/// A server that a test can take away, and that comes back by itself on the same port.
pub struct Restartable {
    cluster: Cluster,
}

impl Restartable {
    /// Starts a server of its own in a folder.
    pub fn start(folder: &std::path::Path) -> Result<Self, StoreError> {
        // Its user must be able to reach the data.
        std::fs::set_permissions(folder, std::os::unix::fs::PermissionsExt::from_mode(0o755))?;
        // What was acknowledged must outlive a kill, as it does for an editor.
        Ok(Self { cluster: Cluster::start(folder, Durability::Safe)? })
    }

    /// The address of its database.
    pub fn url(&self) -> String {
        self.cluster.url()
    }

    /// The server itself.
    pub fn cluster(&self) -> &Cluster {
        &self.cluster
    }

    /// Kills the server as a machine without memory does; it is started again by itself.
    pub fn kill(&self) -> Result<(), StoreError> {
        let pid = i32::try_from(self.cluster.process()?).map_err(|e| StoreError::Cluster(e.to_string()))?;
        let killed = nix::sys::signal::kill(nix::unistd::Pid::from_raw(pid), nix::sys::signal::Signal::SIGKILL);
        killed.map_err(|e| StoreError::Cluster(e.to_string()))
    }
}
