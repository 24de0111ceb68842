//! Planes asked for. They are a cache of the folder that they lie in, and made where they are needed.

use std::collections::HashSet;
use std::fs::{File, TryLockError};
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use jampin_core::time::Frame;
use jampin_media::{Cancel, ClipFolder, ClipInfo, FrameTable, Leave, MediaError, prepare, prepare_colour};
use jampin_store::{Clip, ClipState, Store, StoreError};
use tokio::sync::Semaphore;
use uuid::Uuid;

use crate::durable::make_room_for;
use crate::threads::on_its_own_thread;
use crate::{Library, TaskError};

/// Clips whose planes one process makes at once; the others wait.
static AT_ONCE: Semaphore = Semaphore::const_new(2);
/// How often it is tried: an ffmpeg may be ended when memory is short.
const TRIES: u32 = 3;
/// How often it is looked whether the disk is getting full.
const LOOK_FOR_ROOM: Duration = Duration::from_secs(1);
/// Held in a clip's folder by who makes its planes.
const LOCK: &str = "making";
/// Who only looks whether it is held holds it for a moment: one may look again so often, so much later.
const GLANCES: u32 = 5;
const GLANCE: Duration = Duration::from_millis(20);
/// Clips that this process is at, or is going to be, each with or without colour.
static WANTED: Mutex<Option<HashSet<(Uuid, bool)>>> = Mutex::new(None);

/// Has planes made that were dropped to make room, did not come with a backup, or lie in another host's folder. `near`
/// is the frame that is wanted first; nothing is done when it is there, or when they are being made already.
pub async fn ask_for_planes(
    store: &Store,
    library: &Library,
    clip: &Clip,
    near: Frame,
    colour: bool,
) -> Result<(), TaskError> {
    let planes = library.clip(clip.id).planes();
    library.touch(clip.id);
    let there = if colour { planes.colour()[2].has(near) } else { planes.has(near) };
    if there {
        return Ok(());
    }
    // Those of a clip that is being prepared come with its pictures: into the one folder there is, or, where folders lie
    // apart, into that of whoever is at it.
    let is_coming = library.place.is_none() || is_being_made(&library.clip(clip.id));
    if !colour && clip.state() != ClipState::Ready && is_coming {
        return Ok(());
    }
    if let Some(turn) = Turn::take(clip.id, colour) {
        let wish = Wish { store: store.clone(), library: library.clone(), clip: clip.clone(), colour };
        planes.may_come();
        tokio::spawn(async move {
            if let Err(error) = wish.fulfil().await {
                tracing::warn!(clip = %wish.clip.id, %error, "planes could not be made");
                planes.will_not_come(&format!("The film could not be read again; it stays as it was. {error}"));
            }
            drop(turn);
        });
    }
    Ok(())
}

/// Nobody else in this process is at these planes.
struct Turn((Uuid, bool));

impl Turn {
    fn take(clip: Uuid, colour: bool) -> Option<Self> {
        let mut wanted = WANTED.lock().unwrap_or_else(PoisonError::into_inner);
        wanted.get_or_insert_default().insert((clip, colour)).then_some(Self((clip, colour)))
    }
}

impl Drop for Turn {
    fn drop(&mut self) {
        let mut wanted = WANTED.lock().unwrap_or_else(PoisonError::into_inner);
        wanted.get_or_insert_default().remove(&self.0);
    }
}

struct Wish {
    store: Store,
    library: Library,
    clip: Clip,
    colour: bool,
}

impl Wish {
    async fn fulfil(&self) -> Result<(), TaskError> {
        let _permit = AT_ONCE.acquire().await;
        let Self { store, library, clip, colour } = self;
        let info: ClipInfo = serde_json::from_value(clip.info.clone())?;
        let table: FrameTable = serde_json::from_value(clip.frames.clone())?;
        let folder = library.clip(clip.id);
        library.bring(folder.original()).await?;
        if let Some(place) = library.place {
            store.planes_are_at(clip.id, place).await?;
        }
        let begun = std::time::Instant::now();
        let mut made = self.make(&info, &table).await;
        for _ in 1..TRIES {
            if made.as_ref().is_err_and(TaskError::may_pass) {
                made = self.make(&info, &table).await;
            }
        }
        made?;
        tracing::info!(clip = %clip.id, colour, seconds = begun.elapsed().as_secs_f32(), "planes are made");
        // Whoever took the clip away meanwhile has removed the files that were there then.
        if let Err(StoreError::NotFound(_)) = store.clip(clip.id).await {
            let _ = std::fs::remove_dir_all(folder.path());
        }
        trim(store, library, clip.id).await;
        Ok(())
    }

    async fn make(&self, info: &ClipInfo, table: &FrameTable) -> Result<(), TaskError> {
        let (library, folder) = (self.library.clone(), self.library.clip(self.clip.id));
        let (info, table, colour) = (info.clone(), table.clone(), self.colour);
        let made = on_its_own_thread(move || {
            let _lock = lock(&folder)?;
            let last = Frame(table.len().saturating_sub(1));
            let there = if colour { folder.has_colour(table.len()) } else { folder.planes().has(last) };
            // Another was at it, and is done.
            if there {
                return Ok(());
            }
            let (tools, cancel) = (&library.tools, Cancel::default());
            let mut looked = std::time::Instant::now();
            // The database needs room to keep what people do.
            let mut watch_room = |_: jampin_media::Progress| {
                if looked.elapsed() > LOOK_FOR_ROOM {
                    looked = std::time::Instant::now();
                    if library.make_sure_of_room(0).is_err() {
                        cancel.cancel();
                    }
                }
            };
            if colour {
                return prepare_colour(tools, &folder, (&info, table.len()), &cancel, &mut watch_room);
            }
            prepare(tools, &folder, (&info, &table), Leave::Planes, &cancel, &mut watch_room).map(|_| ())
        });
        Ok(made.await.map_err(|_| TaskError::BrokenOff("Making planes broke down.".into()))??)
    }
}

/// Among the processes that share the folder one makes planes of a clip, the others wait for it here. The system takes
/// the lock back when the process ends.
fn lock(folder: &ClipFolder) -> Result<File, MediaError> {
    let file = lock_file(folder)?;
    file.lock().map_err(MediaError::io("making planes"))?;
    Ok(file)
}

/// For who prepares the clip, and does not wait: one that was stopped in the middle may still hold it.
pub(crate) fn lock_if_free(folder: &ClipFolder) -> Option<File> {
    let file = lock_file(folder).ok()?;
    let is_ours = (0..GLANCES).any(|glance| {
        std::thread::sleep(GLANCE * glance.min(1));
        file.try_lock().is_ok()
    });
    is_ours.then_some(file)
}

fn is_being_made(folder: &ClipFolder) -> bool {
    let file = File::open(folder.path().join(LOCK));
    file.is_ok_and(|file| matches!(file.try_lock_shared(), Err(TryLockError::WouldBlock)))
}

fn lock_file(folder: &ClipFolder) -> Result<File, MediaError> {
    let path = folder.path().join(LOCK);
    make_room_for(&path)?;
    File::create(path).map_err(MediaError::io("making planes"))
}

/// Makes room for planes, and says whose are not there any more. When that cannot be said, a job is now and then taken
/// where they have to be made anew.
pub(crate) async fn trim(store: &Store, library: &Library, keep: Uuid) {
    let (trimmed, here) = (library.clone(), library.place);
    let dropped = tokio::task::spawn_blocking(move || trimmed.trim_planes(keep)).await.unwrap_or_default();
    if let Some(place) = here.filter(|_| !dropped.is_empty())
        && let Err(error) = store.planes_left(&dropped, place).await
    {
        tracing::warn!(%error, "it could not be said where planes are");
    }
}
