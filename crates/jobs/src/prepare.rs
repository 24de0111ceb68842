//! Pictures and planes of a new clip.

use std::time::{Duration, Instant};

use jampin_media::{ClipInfo, FrameTable, Leave, prepare, prepare_colour};
use jampin_store::{ClipState, ReadyClip, StoreError};
use serde_json::{Value, json};

use crate::work::Work;
use crate::{PrepareTask, TaskError};

/// How often progress is written down.
const REPORT: Duration = Duration::from_millis(200);

pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let task: PrepareTask = work.task()?;
    let prepared = if task.colour { colour(work, &task) } else { prepare_clip(work, &task) };
    let Work { worker, runtime, .. } = *work;
    // Whoever took the clip away meanwhile has removed the files that were there then.
    if let Err(StoreError::NotFound(_)) = runtime.block_on(worker.store.clip(task.clip)) {
        let _ = std::fs::remove_dir_all(worker.library.clip(task.clip).path());
    }
    prepared
}

/// A failure here leaves the clip as good as it was; the pin that waits for colour says that it did not come.
fn colour(work: &Work<'_>, task: &PrepareTask) -> Result<Value, TaskError> {
    let Work { worker, runtime, cancel, .. } = *work;
    let clip = runtime.block_on(worker.store.clip(task.clip))?;
    let info: ClipInfo = serde_json::from_value(clip.info)?;
    let table: FrameTable = serde_json::from_value(clip.frames)?;
    let folder = worker.library.clip(task.clip);
    if !folder.has_colour(table.len()) {
        prepare_colour(&worker.library.tools, &folder, (&info, table.len()), cancel, &mut |_| {})?;
    }
    worker.library.trim_planes(task.clip);
    Ok(json!({ "frames": table.len() }))
}

/// When this fails for good, the clip that was being prepared fails with the job; one that was ready stays so.
fn prepare_clip(work: &Work<'_>, task: &PrepareTask) -> Result<Value, TaskError> {
    let Work { worker, runtime, lease, cancel, .. } = *work;
    let clip = runtime.block_on(worker.store.clip(task.clip))?;
    let was_ready = clip.state() == ClipState::Ready;
    let info: ClipInfo = serde_json::from_value(clip.info)?;
    let table: FrameTable = serde_json::from_value(clip.frames)?;
    let folder = worker.library.clip(task.clip);
    let mut reported: Option<Instant> = None;
    let mut report = |progress: jampin_media::Progress| {
        // Planes that are made again do not make a ready clip less ready.
        if !was_ready && reported.is_none_or(|at| at.elapsed() > REPORT) {
            reported = Some(Instant::now());
            if let Err(error) = runtime.block_on(worker.store.clip_progress(lease, task.clip, progress.frames)) {
                tracing::warn!(%error, "progress could not be written down");
            }
        }
    };
    worker.library.touch(task.clip);
    let tools = &worker.library.tools;
    let prepared = prepare(tools, &folder, (&info, &table), Leave::PicturesAndPlanes, cancel, &mut report)?;
    let count = prepared.table.len();
    if was_ready && count < table.len() {
        let whole = table.len();
        return Err(TaskError::BrokenOff(format!(
            "Only {count} of {whole} frames could be read again; the clip stays as it was."
        )));
    }
    let remarks = info.remarks().into_iter().chain(prepared.remarks).collect();
    let ready = ReadyClip {
        frames: serde_json::to_value(&prepared.table)?,
        count,
        cuts: prepared.cuts.iter().map(|cut| cut.0 as i32).collect(),
        speeds: prepared.speeds,
        remarks,
    };
    runtime.block_on(worker.store.clip_ready(lease, task.clip, ready))?;
    worker.library.trim_planes(task.clip);
    Ok(json!({ "frames": count }))
}
