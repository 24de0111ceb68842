//! The small copies of a clip, kept while they are being made: people watch before the last one is there.

use std::path::PathBuf;

use futures_util::stream::{StreamExt, TryStreamExt};
use jampin_core::time::Frame;
use jampin_media::{ClipFolder, MediaError};
use tokio::runtime::Handle;
use tokio::sync::watch;
use tokio::task::JoinHandle;

use crate::{Library, TaskError};

/// Copies that are on their way at once.
const AT_ONCE: usize = 16;

/// How many there are, and whether there will be more.
type Made = (u32, bool);

/// Keeps them on the side; given up with this.
pub(crate) struct Copies {
    made: watch::Sender<Made>,
    kept: JoinHandle<Result<(), MediaError>>,
}

impl Copies {
    pub fn of(library: &Library, folder: &ClipFolder, runtime: &Handle) -> Self {
        let (made, told) = watch::channel((0, true));
        let kept = runtime.spawn(keep_all(library.clone(), folder.clone(), told));
        Self { made, kept }
    }

    /// So many are there.
    pub fn are_there(&self, count: u32) {
        self.made.send_replace((count, true));
    }

    /// Waits until all are kept.
    pub fn finish(self, count: u32, runtime: &Handle) -> Result<(), TaskError> {
        self.made.send_replace((count, false));
        let kept = runtime.block_on(self.kept);
        Ok(kept.map_err(|error| TaskError::BrokenOff(error.to_string()))??)
    }
}

async fn keep_all(library: Library, folder: ClipFolder, mut told: watch::Receiver<Made>) -> Result<(), MediaError> {
    if !library.is_cache() {
        return Ok(());
    }
    let mut kept = 0;
    loop {
        let (count, is_growing) = *told.borrow_and_update();
        let there = |frame: &PathBuf| frame.exists();
        let frames = (kept..count).map(|frame| folder.preview(Frame(frame)));
        // The file of a frame may come a little after it; those that never came are missed when somebody asks.
        let (files, done): (Vec<_>, u32) = if is_growing {
            let files: Vec<_> = frames.take_while(there).collect();
            let done = kept + files.len() as u32;
            (files, done)
        } else {
            (frames.filter(there).collect(), count)
        };
        let sent = futures_util::stream::iter(files).map(|file| {
            let library = &library;
            async move { library.keep(&file).await }
        });
        sent.buffer_unordered(AT_ONCE).try_collect::<()>().await?;
        kept = done;
        if !is_growing || told.changed().await.is_err() {
            return Ok(());
        }
    }
}
