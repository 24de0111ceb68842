//! Files that are kept: in the folder of media itself, or in an object store of which the folder is a cache.

use std::io;
use std::path::{Path, PathBuf};

use bytes::Bytes;
use futures_util::stream::{BoxStream, StreamExt, TryStreamExt};
use jampin_media::MediaError;
use jampin_store::Remains;
use tokio::io::AsyncReadExt;
use uuid::Uuid;

use crate::Library;
use crate::durable::make_room_for;

/// Bytes of a file that are read at a time.
const CHUNK: usize = 256 << 10;
/// How often a file is fetched that broke off on its way.
const TRIES: u32 = 3;
/// Endings of what is written.
const ENDINGS: [&str; 5] = ["mp4", "webm", "mov", "mkv", "zip"];

/// A kept file as it is sent to somebody.
pub struct Opened {
    /// How many bytes there are.
    pub length: u64,
    /// They, piece by piece.
    pub bytes: BoxStream<'static, io::Result<Bytes>>,
}

impl Opened {
    /// All of it at once.
    pub(crate) async fn all(self) -> Result<Vec<u8>, MediaError> {
        let chunks: Vec<Bytes> = self.bytes.try_collect().await.map_err(|error| {
            tracing::warn!(%error, "a kept file broke off");
            MediaError::Unreachable
        })?;
        Ok(chunks.concat())
    }
}

impl Library {
    /// Whether what is kept is kept elsewhere than in the folder.
    pub fn is_cache(&self) -> bool {
        self.remote.is_some()
    }

    /// Whether what is kept can be reached.
    pub async fn is_reachable(&self) -> Result<(), MediaError> {
        match &self.remote {
            Some(remote) => remote.is_there().await,
            None => Ok(()),
        }
    }

    fn key(&self, path: &Path) -> String {
        path.strip_prefix(self.root()).unwrap_or(path).to_string_lossy().into_owned()
    }

    /// Keeps a file that is in its place in the folder: from now on every host has it.
    pub async fn keep(&self, path: &Path) -> Result<(), MediaError> {
        match &self.remote {
            Some(remote) => remote.put(&self.key(path), path).await,
            None => Ok(()),
        }
    }

    /// Has a kept file in the folder, where programs can read it. A file that is kept nowhere is an error.
    pub async fn bring(&self, path: PathBuf) -> Result<PathBuf, MediaError> {
        let Some(remote) = &self.remote else { return Ok(path) };
        if let Some(folder) = path.parent().filter(|_| path.file_name().is_some_and(|name| name == "original")) {
            // So that it is not dropped while somebody reads it.
            let _ = std::fs::write(folder.join("used"), b"");
        }
        if tokio::fs::try_exists(&path).await.unwrap_or(false) {
            return Ok(path);
        }
        make_room_for(&path)?;
        self.make_sure_of_room(0)?;
        // Each who fetches it at the same time has a file of its own.
        let draft = path.with_extension(format!("{}.part", Uuid::new_v4()));
        let mut fetched = remote.fetch(&self.key(&path), &draft).await;
        for _ in 1..TRIES {
            if fetched.is_err() {
                fetched = remote.fetch(&self.key(&path), &draft).await;
            }
        }
        let placed = match fetched {
            Ok(true) => std::fs::rename(&draft, &path).map_err(MediaError::io("fetching a kept file")),
            Ok(false) => Err(MediaError::io("fetching a kept file")(io::ErrorKind::NotFound.into())),
            Err(error) => Err(error),
        };
        if placed.is_err() {
            let _ = std::fs::remove_file(&draft);
        }
        placed.map(|()| path)
    }

    /// The bytes of a kept file, `None` when it is not there. It stays in the folder.
    pub async fn read(&self, path: &Path) -> Result<Option<Vec<u8>>, MediaError> {
        match tokio::fs::read(path).await {
            Ok(bytes) => return Ok(Some(bytes)),
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            Err(error) => return Err(MediaError::io("reading a kept file")(error)),
        }
        if !self.is_cache() {
            return Ok(None);
        }
        match self.bring(path.to_owned()).await {
            Ok(path) => tokio::fs::read(path).await.map(Some).map_err(MediaError::io("reading a kept file")),
            Err(MediaError::Io { source, .. }) if source.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(error) => Err(error),
        }
    }

    /// A kept file to be sent on; it need not go through the folder. `None` when it is not there.
    pub async fn open(&self, path: &Path) -> Result<Option<Opened>, MediaError> {
        if let Ok(file) = tokio::fs::File::open(path).await {
            let length = file.metadata().await.map_err(MediaError::io("reading a kept file"))?.len();
            return Ok(Some(Opened { length, bytes: chunks(file) }));
        }
        let Some(remote) = &self.remote else { return Ok(None) };
        Ok(remote.open(&self.key(path)).await?.map(|(length, bytes)| Opened { length, bytes }))
    }

    /// A file in the folder is not needed here any more, as it is kept elsewhere.
    pub(crate) fn drop_copy(&self, path: &Path) {
        if self.is_cache() {
            crate::library::take_away(path);
        }
    }

    /// Takes the pieces of an export away.
    pub(crate) async fn forget_pieces(&self, export: Uuid) {
        let folder = self.pieces(export);
        crate::library::take_away(&folder);
        let Some(remote) = &self.remote else { return };
        if let Err(error) = remote.remove_below(&self.key(&folder)).await {
            tracing::warn!(%error, "pieces could not be taken out of the object store");
        }
    }

    /// Takes away the files whose rows are gone. What cannot be taken away only takes room, until house is kept the next
    /// time.
    pub async fn forget(&self, remains: &Remains) {
        let (library, local) = (self.clone(), remains.clone());
        let _ = tokio::task::spawn_blocking(move || library.remove(&local)).await;
        let Some(remote) = &self.remote else { return };
        let folders = remains.clips.iter().map(|id| self.clip(*id).path().to_owned());
        let pieces = remains.films.iter().map(|id| self.pieces(*id));
        let films = remains.films.iter().flat_map(|id| ENDINGS.map(|ending| self.export(*id, ending)));
        let single = films.chain(remains.pictures.iter().map(|id| self.picture(*id)));
        let mut done = remote.remove(single.map(|path| self.key(&path)).collect()).await;
        for folder in folders.chain(pieces) {
            done = done.and(remote.remove_below(&self.key(&folder)).await);
        }
        if let Err(error) = done {
            tracing::warn!(%error, "files that nobody needs could not be taken out of the object store");
        }
    }
}

fn chunks(file: tokio::fs::File) -> BoxStream<'static, io::Result<Bytes>> {
    let read = |mut file: tokio::fs::File| async move {
        let mut chunk = vec![0; CHUNK];
        match file.read(&mut chunk).await {
            Ok(0) => None,
            Ok(count) => {
                chunk.truncate(count);
                Some((Ok(Bytes::from(chunk)), file))
            }
            Err(error) => Some((Err(error), file)),
        }
    };
    futures_util::stream::unfold(file, read).boxed()
}

#[cfg(test)]
mod tests {
    use jampin_media::Tools;

    use super::*;
    use crate::Remote;

    /// Two hosts with a folder each, over one object store.
    fn hosts() -> (tempfile::TempDir, [Library; 2]) {
        let dir = tempfile::tempdir().unwrap();
        let remote = Remote::in_memory();
        let host = |name: &str| {
            let root = dir.path().join(name);
            std::fs::create_dir_all(&root).unwrap();
            Library::new(root, Tools::default(), 0).over(remote.clone()).unwrap()
        };
        let both = [host("one"), host("two")];
        (dir, both)
    }

    async fn put(library: &Library, path: &Path, bytes: &[u8]) {
        make_room_for(path).unwrap();
        std::fs::write(path, bytes).unwrap();
        library.keep(path).await.unwrap();
    }

    #[tokio::test]
    async fn what_one_host_keeps_the_other_has() {
        let (_dir, [one, two]) = hosts();
        let id = Uuid::from_u128(1);
        // Longer than a part: it is sent in several.
        let film: Vec<u8> = (0..20 << 20).map(|n: u32| (n * 7 / 3) as u8).collect();
        put(&one, &one.clip(id).original(), &film).await;
        let there = two.bring(two.clip(id).original()).await.unwrap();
        assert!(std::fs::read(&there).unwrap() == film);
        let is_draft = |entry: &std::fs::DirEntry| entry.path().extension().is_some_and(|ending| ending == "part");
        assert_eq!(std::fs::read_dir(there.parent().unwrap()).unwrap().flatten().filter(is_draft).count(), 0);
        let opened = one.open(&one.export(id, "mp4")).await.unwrap();
        assert!(opened.is_none(), "nobody has written it");
        put(&two, &two.export(id, "mp4"), b"film").await;
        two.drop_copy(&two.export(id, "mp4"));
        assert!(!two.export(id, "mp4").exists());
        let opened = two.open(&two.export(id, "mp4")).await.unwrap().unwrap();
        let bytes: Vec<Bytes> = opened.bytes.try_collect().await.unwrap();
        assert_eq!((opened.length, bytes.concat()), (4, b"film".to_vec()));
    }

    #[tokio::test]
    async fn what_is_not_kept_is_said_and_what_is_forgotten_is_gone_everywhere() {
        let (_dir, [one, two]) = hosts();
        let [gone, stays] = [1, 2].map(Uuid::from_u128);
        for id in [gone, stays] {
            for path in
                [one.clip(id).original(), one.picture(id), one.export(id, "webm"), one.pieces(id).join("0.webm")]
            {
                put(&one, &path, b"x").await;
            }
        }
        assert_eq!(two.read(&two.picture(gone)).await.unwrap(), Some(b"x".to_vec()));
        let remains = Remains { clips: vec![gone], pictures: vec![gone], films: vec![gone] };
        one.forget(&remains).await;
        two.forget(&remains).await;
        for (id, want) in [(gone, None), (stays, Some(b"x".to_vec()))] {
            for path in
                [two.clip(id).original(), two.picture(id), two.export(id, "webm"), two.pieces(id).join("0.webm")]
            {
                assert_eq!(two.read(&path).await.unwrap(), want, "{path:?}");
            }
        }
        assert!(two.bring(two.clip(gone).original()).await.is_err());
    }

    #[tokio::test]
    async fn without_an_object_store_the_folder_is_where_files_are_kept() {
        let dir = tempfile::tempdir().unwrap();
        let library = Library::new(dir.path().to_owned(), Tools::default(), 0);
        let path = library.picture(Uuid::from_u128(3));
        put(&library, &path, b"x").await;
        library.drop_copy(&path);
        assert_eq!(library.read(&path).await.unwrap(), Some(b"x".to_vec()));
        assert_eq!(library.open(&path).await.unwrap().unwrap().length, 1);
        assert_eq!(library.read(&library.picture(Uuid::from_u128(4))).await.unwrap(), None);
    }
}
