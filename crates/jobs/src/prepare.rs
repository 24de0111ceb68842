//! Pictures and planes of a new clip.

use std::time::{Duration, Instant};

use jampin_core::time::Frame;
use jampin_media::{ClipInfo, FrameTable, Leave, prepare, prepare_colour};
use jampin_store::{Clip, ClipState, ReadyClip, Store, StoreError};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::work::{Task, Work};
use crate::{Library, TaskError};

/// How often progress is written down.
const REPORT: Duration = Duration::from_millis(200);

/// Which clip.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct PrepareTask {
    /// The clip.
    pub clip: Uuid,
    /// Only red, green and blue, of a clip that is ready otherwise: a pin looks at colour.
    #[serde(default)]
    pub colour: bool,
}

/// Has planes made again that were dropped to make room, or did not come with a backup. `near` is the frame that is wanted first; nothing is done when
/// it is there, or when somebody has asked already.
pub async fn ask_for_planes(
    store: &Store,
    library: &Library,
    clip: &Clip,
    near: Frame,
    colour: bool,
) -> Result<(), TaskError> {
    let planes = library.clip(clip.id).planes();
    let (of_use, there) = match colour {
        true => (true, planes.colour()[2].has(near)),
        false => (clip.state() == ClipState::Ready, planes.has(near)),
    };
    if of_use && !there {
        let task = Task::Prepare(PrepareTask { clip: clip.id, colour });
        store.enqueue_once(task.into_job(clip.project_id)?).await?;
    }
    library.touch(clip.id);
    Ok(())
}

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
