//! Root is for installing packages. For everything else the program becomes an ordinary user: the one who called `sudo`, the
//! owner of what it works on, or the one that Debian's package of PostgreSQL made.

use crate::MainError;
use nix::unistd::{Gid, Uid, User, setgid, setgroups, setuid};
use std::os::unix::fs::MetadataExt;
use std::path::Path;

/// The media folder of the demo, which lies in the data folder.
pub const DEMO_ROOT: &str = "the long hour";

/// What Legere makes in its data folder; nothing else there changes its owner.
const OURS: [&str; 10] = [
    "postgres",
    "postgres.new",
    "postgres.log",
    "passwords.json",
    "lock",
    "shelf",
    "originals",
    "backups",
    "legere.log",
    DEMO_ROOT,
];

/// Gives the data folder to an ordinary user and becomes that user. Must be called before any thread is started.
pub fn drop_with_data(data: &Path) -> Result<(), MainError> {
    if !Uid::effective().is_root() {
        return Ok(());
    }
    std::fs::create_dir_all(data).map_err(MainError::Data)?;
    let user = ordinary(data)?;
    let own = |path: &Path| std::os::unix::fs::lchown(path, Some(user.uid.as_raw()), Some(user.gid.as_raw()));
    own(data).map_err(MainError::Data)?;
    for name in OURS {
        give_below(&data.join(name), user.uid, &own).map_err(MainError::Data)?;
    }
    become_user(&user)
}

/// Gives a folder to the ordinary user that [`drop_with_data`] becomes.
pub fn give(folder: &Path, data: &Path) -> Result<(), MainError> {
    if !Uid::effective().is_root() {
        return Ok(());
    }
    let user = ordinary(data)?;
    let own = |path: &Path| std::os::unix::fs::lchown(path, Some(user.uid.as_raw()), Some(user.gid.as_raw()));
    give_below(folder, user.uid, &own).map_err(MainError::Data)
}

/// Becomes an ordinary user to look at one file.
pub fn drop_for_file(file: &Path) -> Result<(), MainError> {
    if Uid::effective().is_root() { become_user(&ordinary(file)?) } else { Ok(()) }
}

fn ordinary(path: &Path) -> Result<User, MainError> {
    let called = std::env::var("SUDO_UID").ok().and_then(|u| u.parse().ok()).map(Uid::from_raw);
    let owner = std::fs::metadata(path).ok().map(|m| Uid::from_raw(m.uid()));
    let by_id =
        [called, owner].into_iter().flatten().filter(|u| !u.is_root()).find_map(|u| User::from_uid(u).ok().flatten());
    let named = || ["postgres", "nobody"].into_iter().find_map(|n| User::from_name(n).ok().flatten());
    by_id.or_else(named).ok_or(MainError::NoUser)
}

fn become_user(user: &User) -> Result<(), MainError> {
    let refused = |error: nix::Error| MainError::Privileges(std::io::Error::from(error));
    setgroups(&[user.gid]).map_err(refused)?;
    setgid(Gid::from_raw(user.gid.as_raw())).map_err(refused)?;
    setuid(user.uid).map_err(refused)
}

/// Everything below a path that is not the user's yet.
fn give_below(path: &Path, uid: Uid, own: &impl Fn(&Path) -> std::io::Result<()>) -> std::io::Result<()> {
    let Ok(meta) = std::fs::symlink_metadata(path) else { return Ok(()) };
    if meta.uid() != uid.as_raw() {
        own(path)?;
    }
    if meta.is_dir() {
        for entry in std::fs::read_dir(path)? {
            give_below(&entry?.path(), uid, own)?;
        }
    }
    Ok(())
}
