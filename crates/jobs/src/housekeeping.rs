//! At start and once a day rows, files and jobs are brought together again: what a fault has left behind goes, what it
//! has cut off goes on.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use jampin_store::{Known, StoreError};
use uuid::Uuid;

use crate::durable::make_room_for;
use crate::library::take_away;
use crate::planes::trim;
use crate::{Library, PrepareTask, Remote, Task, TaskError, Worker};

/// Younger files may belong to something whose row is still to come.
const SETTLED: Duration = Duration::from_secs(3600);
/// The object that says to which database an object store belongs.
const INSTALLATION: &str = "installation";
/// How often it is done.
const OFTEN: Duration = Duration::from_secs(24 * 3600);
/// How often a folder that is a cache is made to fit its limit.
const TRIMMED: Duration = Duration::from_secs(600);

/// What was put right.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PutRight {
    /// Files and folders that nobody needed.
    pub removed: Vec<PathBuf>,
    /// Clips that are prepared after all.
    pub taken_up: Vec<Uuid>,
}

/// Puts things right now and then, until the process ends.
pub async fn keep_house(worker: Worker) {
    loop {
        tell(put_right(&worker, SETTLED).await);
        trim_now_and_then(&worker).await;
    }
}

/// The same for the folder of a worker alone, where it is its own: rows and objects are the servers' to look after.
pub async fn keep_folder(worker: Worker) {
    loop {
        let tidied = tidy_folder(&worker, SETTLED).await;
        tell(tidied.map(|removed| PutRight { removed, ..PutRight::default() }));
        trim_now_and_then(&worker).await;
    }
}

fn tell(done: Result<PutRight, TaskError>) {
    match done {
        Ok(done) if done == PutRight::default() => {}
        Ok(done) => tracing::info!(files = done.removed.len(), clips = done.taken_up.len(), "put right"),
        Err(error) => tracing::error!(%error, "what faults have left behind could not be put right"),
    }
}

/// Until it is time to put things right again. Whoever only shows pictures fills a cache, too.
async fn trim_now_and_then(worker: &Worker) {
    for _ in 0..OFTEN.as_secs() / TRIMMED.as_secs() {
        tokio::time::sleep(TRIMMED).await;
        if worker.library.is_cache() {
            trim(&worker.store, &worker.library, Uuid::nil()).await;
        }
    }
}

/// Removes files without a row that were not touched for so long, and goes on with preparing that was cut off.
pub async fn put_right(worker: &Worker, untouched: Duration) -> Result<PutRight, TaskError> {
    let mut taken_up = Vec::new();
    for (clip, project) in worker.store.forsaken_clips().await? {
        // Another server may have found it as well.
        worker.store.enqueue_once(Task::Prepare(PrepareTask { clip }).into_job(project)?).await?;
        taken_up.push(clip);
    }
    forget(worker).await?;
    let removed = tidy_folder(worker, untouched).await?;
    if let Some(remote) = &worker.library.remote {
        tidy_objects(worker, remote, untouched).await?;
    }
    Ok(PutRight { removed, taken_up })
}

/// Removes the files of the folder that nobody needs; which.
async fn tidy_folder(worker: &Worker, untouched: Duration) -> Result<Vec<PathBuf>, TaskError> {
    // Files first: a row that comes after them is not missed then.
    let library = worker.library.clone();
    let old = tokio::task::spawn_blocking(move || old_files(&library, untouched));
    let old = old.await.map_err(|error| TaskError::BrokenOff(error.to_string()))?;
    let known = worker.store.known().await?;
    let installation = worker.store.installation().await?;
    let is_ours = belongs_to(&worker.library, installation, &known);
    if !is_ours {
        tracing::warn!("the media folder belongs to another database: files that this one does not know stay");
    }
    let is_unneeded = |file: &OldFile| (is_ours || file.is_draft) && !file.is_needed(&known);
    let unneeded: Vec<PathBuf> = old.into_iter().filter(is_unneeded).map(|file| file.path).collect();
    let removed = tokio::task::spawn_blocking(move || unneeded.into_iter().filter(|path| take_away(path)).collect());
    removed.await.map_err(|error| TaskError::BrokenOff(error.to_string()))
}

/// Takes away for good what was deleted so long ago that nobody can have it back.
async fn forget(worker: &Worker) -> Result<(), StoreError> {
    for project in worker.store.outdated_projects().await? {
        let remains = worker.store.purge_project(project, None).await?;
        worker.library.forget(&remains).await;
    }
    worker.store.forget_pictures().await.map(|_| ())
}

/// What nobody needs in the object store goes, if that is this database's.
async fn tidy_objects(worker: &Worker, remote: &Remote, untouched: Duration) -> Result<(), TaskError> {
    let mut newest: BTreeMap<PathBuf, SystemTime> = BTreeMap::new();
    for found in remote.list("").await? {
        // A clip's folder and a folder of pieces are one thing each.
        let thing: PathBuf = Path::new(&found.key).components().take(2).collect();
        let at = newest.entry(thing).or_insert(found.at);
        *at = found.at.max(*at);
    }
    // Objects first: a row that comes after them is not missed then.
    let (installation, known) = (worker.store.installation().await?, &worker.store.known().await?);
    let kept = newest.into_iter();
    let kept = kept.filter_map(|(thing, at)| Some((OldFile::new(worker.library.kind_of(&thing)?, thing)?, at)));
    let kept: Vec<(OldFile, SystemTime)> = kept.collect();
    let may_be_ours = {
        let mut clips = kept.iter().filter(|(file, _)| file.kind == Kind::Clip).peekable();
        clips.peek().is_none() || clips.any(|(file, _)| file.is_needed(known))
    };
    let is_ours = match remote.text(INSTALLATION).await? {
        Some(said) => said.trim() == installation.to_string(),
        None if may_be_ours => remote.put_text(INSTALLATION, installation.to_string()).await.is_ok(),
        None => false,
    };
    if !is_ours {
        tracing::warn!("the object store belongs to another database: what this one does not know stays");
        return Ok(());
    }
    let now = SystemTime::now();
    let is_old = |at: SystemTime| now.duration_since(at).is_ok_and(|age| age >= untouched);
    let unneeded = kept.into_iter().filter(|(file, at)| is_old(*at) && !file.is_needed(known));
    for (file, _) in unneeded {
        let key = file.path.to_string_lossy().into_owned();
        remote.remove_below(&key).await?;
        remote.remove(vec![key]).await?;
    }
    Ok(())
}

impl Library {
    /// What lies at a path within the library.
    fn kind_of(&self, thing: &Path) -> Option<Kind> {
        folders(self)
            .into_iter()
            .find(|(_, folder)| self.root().join(thing).parent() == Some(folder))
            .map(|(kind, _)| kind)
    }
}

/// Whether the media folder is that of this database: it says so itself. One that does not say yet becomes ours, unless
/// all its clips are unknown:
/// with an empty database every film would seem to be left over.
fn belongs_to(library: &Library, installation: Uuid, known: &Known) -> bool {
    let path = library.installation_file();
    match fs::read_to_string(&path) {
        Ok(text) => text.trim() == installation.to_string(),
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            let folders = fs::read_dir(library.clips()).into_iter().flatten().flatten();
            let clips: Vec<Uuid> = folders.filter_map(|entry| entry.file_name().to_str()?.parse().ok()).collect();
            let is_ours = clips.is_empty() || clips.iter().any(|clip| known.clips.contains(clip));
            is_ours && make_room_for(&path).is_ok() && fs::write(&path, installation.to_string()).is_ok()
        }
        Err(_) => false,
    }
}

/// What a file in one of the library's folders is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Kind {
    Upload,
    Clip,
    Export,
    Picture,
}

#[derive(Debug)]
struct OldFile {
    kind: Kind,
    id: Uuid,
    /// Whether its name says that it is not finished, or a part of something.
    is_draft: bool,
    path: PathBuf,
}

impl OldFile {
    /// From its path; `None` for what is not ours.
    fn new(kind: Kind, path: PathBuf) -> Option<Self> {
        let mut words = path.file_name()?.to_str()?.split('.');
        let id = words.next()?.parse().ok()?;
        let endings = words.count();
        let finished = usize::from(kind == Kind::Export);
        let is_draft =
            kind == Kind::Upload || endings != finished || path.extension().is_some_and(|ending| ending == "part");
        Some(Self { kind, id, is_draft, path })
    }

    fn is_needed(&self, known: &Known) -> bool {
        match (self.kind, self.is_draft) {
            (Kind::Upload, _) | (Kind::Picture, true) => false,
            (Kind::Clip, _) => known.clips.contains(&self.id),
            (Kind::Export, true) => known.active.contains(&self.id),
            (Kind::Export, false) => known.written.contains(&self.id) || known.active.contains(&self.id),
            (Kind::Picture, false) => known.pictures.contains(&self.id),
        }
    }
}

fn folders(library: &Library) -> [(Kind, PathBuf); 4] {
    [
        (Kind::Upload, library.uploads()),
        (Kind::Clip, library.clips()),
        (Kind::Export, library.exports()),
        (Kind::Picture, library.pictures()),
    ]
}

fn old_files(library: &Library, untouched: Duration) -> Vec<OldFile> {
    let now = SystemTime::now();
    let is_old = |path: &Path| newest(path).is_ok_and(|at| now.duration_since(at).is_ok_and(|age| age >= untouched));
    let entries = folders(library).into_iter().flat_map(|(kind, folder)| {
        let entries = fs::read_dir(folder).into_iter().flatten().flatten();
        entries.map(move |entry| (kind, entry.path()))
    });
    entries.filter(|(_, path)| is_old(path)).filter_map(|(kind, path)| OldFile::new(kind, path)).collect()
}

/// When a file, or anything right inside of a folder, was last written.
fn newest(path: &Path) -> io::Result<SystemTime> {
    let meta = path.metadata()?;
    let own = meta.modified()?;
    if !meta.is_dir() {
        return Ok(own);
    }
    let inside = fs::read_dir(path)?.flatten().filter_map(|entry| entry.metadata().ok()?.modified().ok());
    Ok(inside.fold(own, SystemTime::max))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_without_a_row_are_told_from_those_that_are_promised() {
        let [known, unknown] = [1, 2].map(Uuid::from_u128);
        let rows = Known {
            clips: [known].into(),
            pictures: [known].into(),
            written: [known].into(),
            active: [Uuid::from_u128(3)].into(),
        };
        let at_work = Uuid::from_u128(3);
        let needed =
            |kind: Kind, name: String| OldFile::new(kind, PathBuf::from(name)).map(|file| file.is_needed(&rows));
        let all = [
            (Kind::Clip, format!("clips/{known}"), Some(true)),
            (Kind::Clip, format!("clips/{unknown}"), Some(false)),
            (Kind::Clip, "clips/lost+found".into(), None),
            (Kind::Upload, format!("uploads/{known}"), Some(false)),
            (Kind::Export, format!("exports/{known}.mp4"), Some(true)),
            (Kind::Export, format!("exports/{known}.1.mp4"), Some(false)),
            (Kind::Export, format!("exports/{known}.part"), Some(false)),
            (Kind::Export, format!("exports/{unknown}.mp4"), Some(false)),
            (Kind::Export, format!("exports/{at_work}.2.mp4"), Some(true)),
            (Kind::Export, format!("exports/{at_work}.2.pieces"), Some(true)),
            (Kind::Picture, format!("pictures/{known}"), Some(true)),
            (Kind::Picture, format!("pictures/{known}.raw"), Some(false)),
            (Kind::Picture, format!("pictures/{unknown}"), Some(false)),
        ];
        for (kind, name, want) in all {
            assert_eq!(needed(kind, name.clone()), want, "{name}");
        }
    }

    #[test]
    fn the_films_of_another_database_are_not_taken_for_left_over() {
        let dir = tempfile::tempdir().unwrap();
        let library = Library::new(dir.path().to_owned(), jampin_media::Tools::default(), 0);
        let [ours, other, clip] = [1, 2, 9].map(Uuid::from_u128);
        let (empty, with_clip) = (Known::default(), Known { clips: [clip].into(), ..Known::default() });
        fs::create_dir_all(library.clips().join(clip.to_string())).unwrap();
        assert!(!belongs_to(&library, other, &empty), "a new database beside old films");
        assert!(belongs_to(&library, ours, &with_clip));
        assert!(belongs_to(&library, ours, &empty), "it says so now");
        assert!(!belongs_to(&library, other, &with_clip));
    }

    #[test]
    fn what_was_just_written_is_left_alone() {
        let dir = tempfile::tempdir().unwrap();
        let library = Library::new(dir.path().to_owned(), jampin_media::Tools::default(), 0);
        let upload = library.uploads().join(Uuid::from_u128(7).to_string());
        fs::create_dir_all(&upload).unwrap();
        fs::write(upload.join("original"), b"film").unwrap();
        assert!(old_files(&library, Duration::from_secs(60)).is_empty());
        let old = old_files(&library, Duration::ZERO);
        assert_eq!(
            old.iter().map(|file| (file.kind, file.id)).collect::<Vec<_>>(),
            [(Kind::Upload, Uuid::from_u128(7))]
        );
        assert!(take_away(&old[0].path) && !upload.exists());
    }
}
