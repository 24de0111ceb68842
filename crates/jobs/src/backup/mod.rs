//! A copy of all that is worth keeping, in a folder, taken while people work; and back from it.
//!
//! The database is dumped as of one moment. The files that its rows promise never change once they are there, so they
//! are copied after it; those that an earlier backup in the same folder has already are not copied again. When one was
//! deleted before it could be copied, the database's moment is chosen anew.

mod files;
mod report;

use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::time::{SystemTime, UNIX_EPOCH};

use jampin_store::{Known, Store};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::Library;
use crate::library::take_away;
use files::{copy_all, copy_files, entries, identity, on_disk};
use report::failed;
pub use report::{BackupError, BackupReport};

/// How often a moment is chosen anew before giving up.
const TRIES: u32 = 5;
/// Says what a backup is, and that it is whole: written last.
const MANIFEST: &str = "jampin-backup.json";

#[derive(Serialize, Deserialize)]
struct Manifest {
    /// Version of the program that wrote it.
    version: String,
    /// Of which database.
    installation: Uuid,
    /// Seconds since 1970.
    made_at: u64,
    /// Name of the dump beside this.
    database: String,
}

/// Writes a backup into a folder: a new one, or one with an earlier backup of the same database, which is brought up to
/// date and stays whole until then.
pub async fn back_up(store: &Store, library: &Library, folder: &Path) -> Result<BackupReport, BackupError> {
    check_room(folder, store.installation().await?)?;
    let copy = Library::new(folder.join("media"), library.tools.clone(), 0);
    fs::create_dir_all(folder).map_err(failed("making the folder"))?;
    for _ in 0..TRIES {
        let made_at = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_millis() as u64);
        let mut snapshot = store.snapshot().await?;
        let (installation, known) = (snapshot.installation().await?, snapshot.known().await?);
        let database = format!("database-{made_at}.dump");
        snapshot.dump(&folder.join(&database)).await?;
        drop(snapshot);
        let (from, to, wanted) = (library.clone(), copy.clone(), known.clone());
        let copied = tokio::task::spawn_blocking(move || copy_files(&from, &to, &wanted)).await;
        let (report, gone) = copied.map_err(|panic| BackupError::Unusable(panic.to_string()))??;
        if !gone.is_empty() && store.known().await?.lacks_any(&gone) {
            fs::remove_file(folder.join(&database)).map_err(failed("taking an unfinished dump away"))?;
            continue;
        }
        let version = env!("CARGO_PKG_VERSION").to_owned();
        finish(folder, &Manifest { version, installation, made_at: made_at / 1000, database: database.clone() })?;
        tidy(folder, &copy, &known, &database);
        return Ok(report);
    }
    Err(BackupError::Unusable(
        "Films were deleted all the time while they were being copied. Try again when less is going on.".into(),
    ))
}

/// Fills an unused database and an empty media folder from a backup.
pub async fn restore(store: &Store, library: &Library, folder: &Path) -> Result<BackupReport, BackupError> {
    let manifest = read_manifest(folder)?.ok_or_else(|| {
        BackupError::Unusable(format!("There is no finished backup in {}: it has no {MANIFEST}.", folder.display()))
    })?;
    if !store.is_unused().await? {
        return Err(BackupError::Unusable(
            "The database has projects in it. Restore into one that was just made.".into(),
        ));
    }
    if [library.clips(), library.pictures(), library.exports()].iter().any(|folder| has_entries(folder)) {
        return Err(BackupError::Unusable("The media folder has films in it. Restore into one that is empty.".into()));
    }
    let copy = Library::new(folder.join("media"), library.tools.clone(), 0);
    let report = {
        let library = library.clone();
        let copied = tokio::task::spawn_blocking(move || copy_all(&copy, &library)).await;
        copied.map_err(|panic| BackupError::Unusable(panic.to_string()))??
    };
    on_disk(&library.clips())?;
    fs::write(library.installation_file(), manifest.installation.to_string())
        .map_err(failed("marking the media folder"))?;
    // The rows after the files that they promise.
    store.load_dump(&folder.join(&manifest.database)).await?;
    store.migrate().await?;
    Ok(report)
}

fn read_manifest(folder: &Path) -> Result<Option<Manifest>, BackupError> {
    match fs::read(folder.join(MANIFEST)) {
        Ok(bytes) => serde_json::from_slice(&bytes)
            .map(Some)
            .map_err(|error| BackupError::Unusable(format!("{MANIFEST} cannot be understood: {error}."))),
        Err(error) if error.kind() == ErrorKind::NotFound => Ok(None),
        Err(error) => Err(failed(format!("reading {MANIFEST}"))(error)),
    }
}

/// The folder must be new, or have a backup of the same database.
fn check_room(folder: &Path, installation: Uuid) -> Result<(), BackupError> {
    let why = match read_manifest(folder)? {
        Some(earlier) if earlier.installation != installation => "the backup of another database in it",
        None if has_entries(folder) && !has_dump(folder) => "other things in it",
        _ => return Ok(()),
    };
    Err(BackupError::Unusable(format!("This folder has {why}. Choose an empty one, or one with an earlier backup.")))
}

/// A backup that was broken off may be gone on with.
fn has_dump(folder: &Path) -> bool {
    entries(folder).iter().any(|path| is_dump(path))
}

fn is_dump(path: &Path) -> bool {
    let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
    name.starts_with("database-") && name.ends_with(".dump")
}

fn has_entries(folder: &Path) -> bool {
    !entries(folder).is_empty()
}

/// The manifest makes the backup: it appears whole, when all else is on the disk.
fn finish(folder: &Path, manifest: &Manifest) -> Result<(), BackupError> {
    let text = serde_json::to_vec_pretty(manifest).map_err(|error| BackupError::Unusable(error.to_string()))?;
    let draft = folder.join(format!("{MANIFEST}.part"));
    on_disk(folder)?;
    fs::write(&draft, text).map_err(failed("writing what the backup is"))?;
    crate::put_in_place(&draft, &folder.join(MANIFEST)).map_err(|error| BackupError::Unusable(error.to_string()))
}

/// Takes away what only the backup before had, and what one that was broken off has left.
fn tidy(folder: &Path, copy: &Library, known: &Known, dump: &str) {
    let old_dumps = entries(folder).into_iter().filter(|path| is_dump(path) && !path.ends_with(dump));
    let rooms = [(copy.clips(), &known.clips), (copy.pictures(), &known.pictures), (copy.exports(), &known.written)];
    let unneeded = rooms.into_iter().flat_map(|(room, wanted)| {
        let is_unneeded = |path: &PathBuf| identity(path).is_none_or(|id| !wanted.contains(&id));
        entries(&room).into_iter().filter(is_unneeded).collect::<Vec<_>>()
    });
    for path in old_dumps.chain(unneeded) {
        take_away(&path);
    }
}
