//! Where media files are.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use jampin_media::{ClipFolder, MediaError, Tools};
use jampin_store::Remains;
use uuid::Uuid;

use crate::Remote;

/// What was used more lately is not dropped where it would have to be fetched anew: somebody may be at it.
const IDLE: Duration = Duration::from_secs(600);

/// An upload in which nothing happened for so long is over; making a film of numbered pictures takes less.
const UPLOAD_IDLE: Duration = Duration::from_secs(600);

/// The folder of all media, and the tools to read them.
#[derive(Clone, Debug)]
pub struct Library {
    root: PathBuf,
    /// ffmpeg and ffprobe.
    pub tools: Tools,
    /// Bytes that planes may take on disk in all.
    pub plane_limit: u64,
    /// Bytes of the disk that are left free: the database, too, needs room to keep an edit.
    pub reserve: u64,
    /// Where files are kept, if not in the folder.
    pub(crate) remote: Option<Remote>,
    /// What tells the folder from those of other hosts, when it is a cache.
    pub(crate) place: Option<Uuid>,
}

impl Library {
    /// Over a folder, which need not exist yet.
    pub fn new(root: PathBuf, tools: Tools, plane_limit: u64) -> Self {
        Self { root, tools, plane_limit, reserve: 0, remote: None, place: None }
    }

    /// Keeps files in an object store, of which the folder, which must be there, is a cache.
    pub fn over(mut self, remote: Remote) -> Result<Self, MediaError> {
        self.place = Some(place_of(&self.root).map_err(MediaError::io("marking the folder of media"))?);
        self.remote = Some(remote);
        Ok(self)
    }

    pub(crate) fn root(&self) -> &Path {
        &self.root
    }

    /// Bytes that are free where the media are.
    pub fn room(&self) -> io::Result<u64> {
        let disk = nix::sys::statvfs::statvfs(&self.root)?;
        Ok(disk.blocks_available() as u64 * disk.fragment_size() as u64)
    }

    /// An error when so many bytes more would leave less free than the reserve.
    pub fn make_sure_of_room(&self, bytes: u64) -> Result<(), MediaError> {
        if self.room().map_err(MediaError::io("looking for room on the disk"))? >= bytes.saturating_add(self.reserve) {
            return Ok(());
        }
        Err(MediaError::Full)
    }

    /// The files of a clip.
    pub fn clip(&self, id: Uuid) -> ClipFolder {
        ClipFolder::new(self.clips().join(id.to_string()))
    }

    /// Where an upload is put together before it is known to be a film.
    pub fn uploads(&self) -> PathBuf {
        self.root.join("uploads")
    }

    /// Removes what a killed server had half taken in. What another one takes in now, over the same folder, stays: it would
    /// have given up by itself if nothing had come for so long.
    pub fn clear_uploads(&self) {
        let is_idle = |path: &Path| {
            let files = fs::read_dir(path).into_iter().flatten().flatten().map(|entry| entry.path());
            let written = files.chain([path.to_owned()]).filter_map(|file| file.metadata().ok()?.modified().ok()).max();
            written.and_then(|at| at.elapsed().ok()).is_some_and(|since| since > UPLOAD_IDLE)
        };
        let uploads = fs::read_dir(self.uploads()).into_iter().flatten().flatten().map(|entry| entry.path());
        for path in uploads.filter(|path| is_idle(path)) {
            take_away(&path);
        }
    }

    /// The finished film of an export.
    pub fn export(&self, job: Uuid, extension: &str) -> PathBuf {
        self.exports().join(format!("{job}.{extension}"))
    }

    /// The pieces of an export that is being written.
    pub fn pieces(&self, job: Uuid) -> PathBuf {
        self.exports().join(format!("{job}.pieces"))
    }

    /// A picture of a project: a PNG, or an SVG made harmless.
    pub fn picture(&self, id: Uuid) -> PathBuf {
        self.pictures().join(id.to_string())
    }

    /// Says to which database the folder belongs.
    pub(crate) fn installation_file(&self) -> PathBuf {
        self.root.join("installation")
    }

    pub(crate) fn clips(&self) -> PathBuf {
        self.root.join("clips")
    }

    pub(crate) fn exports(&self) -> PathBuf {
        self.root.join("exports")
    }

    pub(crate) fn pictures(&self) -> PathBuf {
        self.root.join("pictures")
    }

    /// Drops the planes of the clips used longest ago until all fit the limit; those of `keep` stay. Where the folder is
    /// a cache, all that is there of a clip is dropped. Which clips they were.
    pub fn trim_planes(&self, keep: Uuid) -> Vec<Uuid> {
        let mut dropped = Vec::new();
        let Ok(entries) = std::fs::read_dir(self.clips()) else { return dropped };
        let mut folders: Vec<(SystemTime, u64, ClipFolder)> = entries
            .flatten()
            .map(|entry| (last_used(&entry.path()), ClipFolder::new(entry.path())))
            .map(|(used, folder)| (used, self.droppable(&folder), folder))
            .collect();
        folders.sort_by_key(|(used, ..)| *used);
        let mut total: u64 = folders.iter().map(|(_, bytes, _)| bytes).sum();
        let now = SystemTime::now();
        for (used, bytes, folder) in folders {
            if total <= self.plane_limit {
                break;
            }
            let is_idle = !self.is_cache() || now.duration_since(used).is_ok_and(|since| since > IDLE);
            if bytes == 0 || !is_idle || folder.path() == self.clip(keep).path() {
                continue;
            }
            if self.drop_what_comes_back(&folder) {
                total -= bytes;
                dropped.extend(folder.path().file_name().and_then(|id| id.to_str()?.parse::<Uuid>().ok()));
            }
        }
        dropped
    }

    fn drop_what_comes_back(&self, folder: &ClipFolder) -> bool {
        if self.is_cache() {
            return take_away(folder.path());
        }
        let done = folder.planes().clear();
        done.inspect_err(|error| tracing::warn!(%error, "planes could not be dropped")).is_ok()
    }

    /// Bytes of a clip that come back when they are needed.
    fn droppable(&self, folder: &ClipFolder) -> u64 {
        if self.is_cache() { folder.bytes() } else { folder.plane_bytes() }
    }

    /// Removes the files whose rows are gone. What cannot be removed only takes room, until house is kept the next
    /// time.
    pub(crate) fn remove(&self, remains: &Remains) {
        let clips = remains.clips.iter().map(|id| self.clip(*id).path().to_owned());
        let pictures = remains.pictures.iter().map(|id| self.picture(*id));
        for path in clips.chain(pictures).chain(self.files_of(&remains.films)) {
            take_away(&path);
        }
    }

    /// Everything that these jobs have written, whatever its ending.
    fn files_of(&self, films: &[Uuid]) -> Vec<PathBuf> {
        let is_theirs = |path: &PathBuf| {
            let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
            name.split('.').next().and_then(|id| id.parse().ok()).is_some_and(|id: Uuid| films.contains(&id))
        };
        let entries = std::fs::read_dir(self.exports()).into_iter().flatten().flatten();
        entries.map(|entry| entry.path()).filter(is_theirs).collect()
    }

    /// Takes note that the planes of a clip are in use.
    pub fn touch(&self, clip: Uuid) {
        // When this fails the planes are dropped a little too early, and made again.
        let _ = std::fs::write(self.clip(clip).path().join("used"), b"");
    }
}

/// Removes a file or folder; whether it is gone now.
pub(crate) fn take_away(path: &Path) -> bool {
    let done = if path.is_dir() { std::fs::remove_dir_all(path) } else { std::fs::remove_file(path) };
    match done {
        Err(error) if error.kind() != io::ErrorKind::NotFound => {
            tracing::warn!(%error, path = %path.display(), "a file that nobody needs could not be removed");
            false
        }
        _ => true,
    }
}

/// The name of a folder among those of all hosts; it is given one when it has none.
fn place_of(root: &Path) -> io::Result<Uuid> {
    let file = root.join("place");
    match fs::read_to_string(&file) {
        Ok(said) => said.trim().parse().map_err(io::Error::other),
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            let draft = root.join(format!("place.{}", Uuid::new_v4()));
            fs::write(&draft, Uuid::new_v4().to_string())?;
            // Of several processes that begin at once the first one's holds.
            let _ = fs::hard_link(&draft, &file);
            fs::remove_file(&draft)?;
            fs::read_to_string(&file)?.trim().parse().map_err(io::Error::other)
        }
        Err(error) => Err(error),
    }
}

fn last_used(clip: &Path) -> SystemTime {
    let when = |path: &Path| path.metadata().and_then(|meta| meta.modified());
    when(&clip.join("used")).or_else(|_| when(clip)).unwrap_or(SystemTime::UNIX_EPOCH)
}

#[cfg(test)]
mod tests {
    use jampin_core::geometry::Size;
    use jampin_core::image::Plane;
    use jampin_core::time::Frame;

    use super::*;

    #[test]
    fn what_is_left_of_a_project_goes_and_nothing_else() {
        let dir = tempfile::tempdir().unwrap();
        let library = Library::new(dir.path().to_owned(), Tools::default(), 0);
        let [gone, stays] = [1, 2].map(Uuid::from_u128);
        let files = |id: Uuid| {
            [
                library.clip(id).path().join("original"),
                library.picture(id),
                library.export(id, "mp4"),
                library.export(id, "zip"),
            ]
        };
        for path in [gone, stays].into_iter().flat_map(files) {
            crate::durable::make_room_for(&path).unwrap();
            std::fs::write(path, b"x").unwrap();
        }
        let remains = Remains { clips: vec![gone], pictures: vec![gone], films: vec![gone, Uuid::from_u128(9)] };
        library.remove(&remains);
        assert!(files(gone).iter().all(|path| !path.exists()) && !library.clip(gone).path().exists());
        assert!(files(stays).iter().all(|path| path.exists()));
        // A second time there is nothing to do, and nothing to complain of.
        library.remove(&remains);
    }

    #[test]
    fn an_upload_that_goes_on_stays_and_one_that_was_given_up_goes() {
        let dir = tempfile::tempdir().unwrap();
        let library = Library::new(dir.path().to_owned(), Tools::default(), 0);
        let folders = ["dead", "alive"].map(|name| library.uploads().join(name));
        let long_ago = SystemTime::now() - 2 * UPLOAD_IDLE;
        for folder in &folders {
            fs::create_dir_all(folder).unwrap();
            fs::write(folder.join("original"), b"half").unwrap();
        }
        // A folder is not written when a file in it grows.
        for path in [&folders[0], &folders[0].join("original"), &folders[1]] {
            fs::File::open(path).unwrap().set_modified(long_ago).unwrap();
        }
        library.clear_uploads();
        assert_eq!(folders.map(|folder| folder.exists()), [false, true]);
    }

    #[test]
    fn a_cache_drops_whole_clips_but_none_that_somebody_may_be_at() {
        let dir = tempfile::tempdir().unwrap();
        let library = Library::new(dir.path().to_owned(), Tools::default(), 10).over(Remote::in_memory()).unwrap();
        let [idle, busy] = [1, 2].map(Uuid::from_u128);
        for id in [idle, busy] {
            crate::durable::make_room_for(&library.clip(id).original()).unwrap();
            fs::write(library.clip(id).original(), [7; 100]).unwrap();
            library.touch(id);
        }
        let used = fs::File::open(library.clip(idle).path().join("used")).unwrap();
        used.set_modified(SystemTime::now() - 2 * IDLE).unwrap();
        assert_eq!(library.trim_planes(Uuid::nil()), [idle]);
        assert_eq!([idle, busy].map(|id| library.clip(id).path().exists()), [false, true]);
    }

    #[test]
    fn the_planes_used_longest_ago_go_first() {
        let dir = tempfile::tempdir().unwrap();
        let library = Library::new(dir.path().to_owned(), Tools::default(), 40_000);
        let plane = Plane::from_fn(Size::new(128, 128), |col, row| (col * 97 + row * 61 + col * row * 7) as u8);
        let clips: Vec<Uuid> = (1..=3).map(Uuid::from_u128).collect();
        for id in &clips {
            let planes = library.clip(*id).planes();
            planes.create().unwrap();
            planes.write(Frame(0), &plane).unwrap();
            library.touch(*id);
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
        assert!(library.clip(clips[0]).plane_bytes() > 10_000);
        library.touch(clips[0]);
        library.trim_planes(clips[2]);
        let left: Vec<bool> = clips.iter().map(|id| library.clip(*id).planes().has(Frame(0))).collect();
        assert_eq!(left, [true, false, true]);
    }
}
