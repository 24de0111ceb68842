//! The files of a backup: what is copied, and what not.

use std::collections::HashSet;
use std::fs;
use std::io::{self, ErrorKind};
use std::path::{Path, PathBuf};
use std::process::Command;

use jampin_media::ClipFolder;
use jampin_store::Known;
use uuid::Uuid;

use super::report::{BackupError, BackupReport, failed};
use crate::Library;

pub(super) fn entries(folder: &Path) -> Vec<PathBuf> {
    fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path()).collect()
}

/// Waits until all that was written to where the folder is cannot be lost with the power. One by one thousands of small
/// files would take minutes.
pub(super) fn on_disk(folder: &Path) -> Result<(), BackupError> {
    fs::create_dir_all(folder).map_err(failed("making the folder"))?;
    let synced = Command::new("sync").arg("-f").arg(folder).status().map_err(failed("keeping what was copied"))?;
    let broken = || failed("keeping what was copied")(io::Error::other(synced.to_string()));
    if synced.success() { Ok(()) } else { Err(broken()) }
}

/// What a file is named after; for a draft nothing.
pub(super) fn identity(path: &Path) -> Option<Uuid> {
    let mut words = path.file_name()?.to_str()?.split('.');
    let id = words.next()?.parse().ok()?;
    (words.count() <= 1).then_some(id)
}

/// Copies what there are rows for. Also the identities whose files are not there.
pub(super) fn copy_files(
    from: &Library,
    to: &Library,
    known: &Known,
) -> Result<(BackupReport, HashSet<Uuid>), BackupError> {
    let mut report = BackupReport { media_elsewhere: from.is_cache() || to.is_cache(), ..BackupReport::default() };
    let mut gone = HashSet::new();
    // An object store has its own means to keep what was overwritten or lost.
    if report.media_elsewhere {
        return Ok((report, gone));
    }
    for id in &known.clips {
        report.clips += 1;
        if !copy_clip(&from.clip(*id), &to.clip(*id), &mut report)? {
            gone.insert(*id);
        }
    }
    let pictures = known.pictures.iter().map(|id| (*id, from.picture(*id), to.picture(*id)));
    let films = entries(&from.exports()).into_iter().filter_map(|path| {
        let id = identity(&path).filter(|id| known.written.contains(id))?;
        let copy = to.exports().join(path.file_name()?);
        Some((id, path, copy))
    });
    for (id, file, copy) in pictures.chain(films) {
        report.others += 1;
        if !copy_file(&file, &copy, &mut report)? {
            gone.insert(id);
        }
    }
    Ok((report, gone))
}

/// Copies a whole backup.
pub(super) fn copy_all(from: &Library, to: &Library) -> Result<BackupReport, BackupError> {
    let ids = |room: PathBuf| entries(&room).iter().filter_map(|path| identity(path)).collect();
    let known = Known {
        clips: ids(from.clips()),
        pictures: ids(from.pictures()),
        written: ids(from.exports()),
        active: HashSet::new(),
    };
    copy_files(from, to, &known).map(|(report, _)| report)
}

/// Whether the film itself is there.
fn copy_clip(from: &ClipFolder, to: &ClipFolder, report: &mut BackupReport) -> Result<bool, BackupError> {
    for (source, copy) in from.lasting().into_iter().zip(to.lasting()) {
        if !source.is_dir() {
            // Only the film must be there: the rest is missing while it is being made.
            let there = source != from.original() && !source.exists() || copy_file(&source, &copy, report)?;
            if !there {
                return Ok(false);
            }
            continue;
        }
        // A picture that is being made has another name until it is whole.
        for file in entries(&source).into_iter().filter(|file| file.extension().is_some_and(|ending| ending == "jpg")) {
            let Some(name) = file.file_name() else { continue };
            copy_file(&file, &copy.join(name), report)?;
        }
    }
    Ok(true)
}

/// Copies a file unless it is there already. `false` when there is none to copy.
fn copy_file(from: &Path, to: &Path, report: &mut BackupReport) -> Result<bool, BackupError> {
    let broken = || failed(format!("copying {}", from.display()));
    let length = match fs::metadata(from) {
        Ok(meta) => meta.len(),
        Err(error) if error.kind() == ErrorKind::NotFound => {
            report.missing.push(from.to_owned());
            return Ok(false);
        }
        Err(error) => return Err(broken()(error)),
    };
    if fs::metadata(to).is_ok_and(|there| there.len() == length) {
        return Ok(true);
    }
    crate::make_room_for(to).map_err(|error| BackupError::Unusable(error.to_string()))?;
    // A copy that was broken off is never taken for the file.
    let draft = to.with_file_name(format!("{}.part", to.file_name().unwrap_or_default().to_string_lossy()));
    match fs::copy(from, &draft) {
        Ok(bytes) => report.copied += bytes,
        Err(error) if error.kind() == ErrorKind::NotFound => return Ok(false),
        Err(error) => return Err(broken()(error)),
    }
    fs::rename(&draft, to).map_err(broken())?;
    Ok(true)
}
