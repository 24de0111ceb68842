//! Pictures and planes of a new clip.

use std::time::{Duration, Instant};

use jampin_media::{Cancel, ClipInfo, FrameTable, Leave, MediaError, prepare, prepare_colour};
use jampin_store::ReadyClip;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use tokio::runtime::Handle;
use uuid::Uuid;

use crate::{TaskError, Worker};

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

pub(crate) fn run(worker: &Worker, runtime: &Handle, task: PrepareTask, cancel: &Cancel) -> Result<Value, TaskError> {
    if task.colour {
        return colour(worker, runtime, &task, cancel);
    }
    let result = prepare_clip(worker, runtime, &task, cancel);
    match &result {
        Err(TaskError::Media(error @ (MediaError::BadInput(_) | MediaError::Limit(_)))) => {
            runtime.block_on(worker.store.clip_failed(task.clip, &error.to_string()))?;
        }
        Err(TaskError::Cancelled) => {
            runtime.block_on(worker.store.clip_failed(task.clip, "Preparing was stopped. Bring the film in again."))?;
        }
        _ => {}
    }
    result
}

/// A failure here leaves the clip as good as it was; the pin that waits for colour says that it did not come.
fn colour(worker: &Worker, runtime: &Handle, task: &PrepareTask, cancel: &Cancel) -> Result<Value, TaskError> {
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

fn prepare_clip(worker: &Worker, runtime: &Handle, task: &PrepareTask, cancel: &Cancel) -> Result<Value, TaskError> {
    let clip = runtime.block_on(worker.store.clip(task.clip))?;
    let info: ClipInfo = serde_json::from_value(clip.info)?;
    let table: FrameTable = serde_json::from_value(clip.frames)?;
    let folder = worker.library.clip(task.clip);
    let mut reported: Option<Instant> = None;
    let mut report = |progress: jampin_media::Progress| {
        if reported.is_none_or(|at| at.elapsed() > REPORT) {
            reported = Some(Instant::now());
            if let Err(error) = runtime.block_on(worker.store.clip_progress(task.clip, progress.frames)) {
                tracing::warn!(%error, "progress could not be written down");
            }
        }
    };
    worker.library.touch(task.clip);
    let tools = &worker.library.tools;
    let prepared = prepare(tools, &folder, (&info, &table), Leave::PicturesAndPlanes, cancel, &mut report)?;
    let count = prepared.table.len();
    let remarks = info.remarks().into_iter().chain(prepared.remarks).collect();
    let ready = ReadyClip {
        frames: serde_json::to_value(&prepared.table)?,
        count,
        cuts: prepared.cuts.iter().map(|cut| cut.0 as i32).collect(),
        speeds: prepared.speeds,
        remarks,
    };
    runtime.block_on(async {
        worker.store.trim_shots(task.clip, count).await?;
        worker.store.clip_ready(task.clip, ready).await?;
        Ok::<_, TaskError>(())
    })?;
    worker.library.trim_planes(task.clip);
    Ok(json!({ "frames": count }))
}
