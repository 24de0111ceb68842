//! Pictures and planes of a new clip.

use std::time::{Duration, Instant};

use jampin_media::{ClipInfo, FrameTable, Leave, prepare};
use jampin_store::{ClipState, ReadyClip, StoreError};
use serde_json::{Value, json};

use crate::copies::Copies;
use crate::planes::{lock_if_free, trim};
use crate::work::Work;
use crate::{PrepareTask, TaskError};

/// How often progress is written down.
const REPORT: Duration = Duration::from_millis(200);

pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let task: PrepareTask = work.task()?;
    let prepared = prepare_clip(work, &task);
    let Work { worker, runtime, .. } = *work;
    // Whoever took the clip away meanwhile has removed the files that were there then.
    if let Err(StoreError::NotFound(_)) = runtime.block_on(worker.store.clip(task.clip)) {
        let _ = std::fs::remove_dir_all(worker.library.clip(task.clip).path());
    }
    prepared
}

/// When this fails for good, the clip that was being prepared fails with the job; one that was ready stays so.
fn prepare_clip(work: &Work<'_>, task: &PrepareTask) -> Result<Value, TaskError> {
    let Work { worker, runtime, lease, cancel, .. } = *work;
    let (store, library) = (&worker.store, &worker.library);
    let clip = runtime.block_on(store.clip(task.clip))?;
    let was_ready = clip.state() == ClipState::Ready;
    let info: ClipInfo = serde_json::from_value(clip.info)?;
    let table: FrameTable = serde_json::from_value(clip.frames)?;
    let folder = library.clip(task.clip);
    let _making = lock_if_free(&folder);
    runtime.block_on(library.bring(folder.original()))?;
    if let Some(place) = library.place {
        runtime.block_on(store.planes_are_at(task.clip, place))?;
    }
    let copies = Copies::of(library, &folder, runtime);
    let mut reported: Option<Instant> = None;
    let mut report = |progress: jampin_media::Progress| {
        if reported.is_some_and(|at| at.elapsed() <= REPORT) {
            return;
        }
        reported = Some(Instant::now());
        library.touch(task.clip);
        copies.are_there(progress.frames);
        // Planes that are made again do not make a ready clip less ready.
        let told = was_ready || runtime.block_on(store.clip_progress(lease, task.clip, progress.frames)).is_ok();
        if !told {
            tracing::warn!("progress could not be written down");
        }
    };
    let made = prepare(&library.tools, &folder, (&info, &table), Leave::PicturesAndPlanes, cancel, &mut report);
    let prepared = made?;
    let count = prepared.table.len();
    if was_ready && count < table.len() {
        let whole = table.len();
        return Err(TaskError::BrokenOff(format!(
            "Only {count} of {whole} frames could be read again; the clip stays as it was."
        )));
    }
    copies.finish(count, runtime)?;
    let remarks = info.remarks().into_iter().chain(prepared.remarks).collect();
    let ready = ReadyClip {
        frames: serde_json::to_value(&prepared.table)?,
        count,
        cuts: prepared.cuts.iter().map(|cut| cut.0 as i32).collect(),
        speeds: prepared.speeds,
        remarks,
    };
    runtime.block_on(store.clip_ready(lease, task.clip, ready))?;
    runtime.block_on(trim(store, library, task.clip));
    Ok(json!({ "frames": count }))
}
