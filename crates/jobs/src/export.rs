//! The job that writes a finished film, or its graphics alone.

use jampin_media::{ClipInfo, FrameTable};
use jampin_store::StoredShot;
use serde_json::Value;
use tokio::runtime::Handle;
use uuid::Uuid;

use crate::canvas::{Canvas, file_name};
use crate::draft::Draft;
use crate::progress::Report;
use crate::snapshot::Snapshot;
use crate::work::Work;
use crate::{ExportResult, ExportTask, TaskError, Worker, pieces};

pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let ExportTask { shot, container: product } = work.task()?;
    let Work { worker, runtime, lease, cancel, .. } = *work;
    let (stored, info, table) = shot_of(worker, runtime, shot)?;
    let snapshot = Snapshot::new(stored, info, table);
    let count = snapshot.range.count();
    if pieces::is_long(count) {
        return pieces::export(work, snapshot, product);
    }
    let draft = Draft::new(worker, lease, product.extension())?;
    let mut report = Report::new(worker, runtime, lease, count, 1);
    let canvas = Canvas::of(worker, runtime, &snapshot)?;
    let whole = (snapshot.range, None);
    let frames = canvas.paint(product, whole, draft.path(), cancel, &mut |frames| report.say(frames))?;
    let bytes = draft.publish(worker, runtime)?;
    Ok(serde_json::to_value(ExportResult { file_name: file_name(&snapshot.name, product), bytes, frames })?)
}

/// A shot with what is known of its clip.
pub(crate) fn shot_of(
    worker: &Worker,
    runtime: &Handle,
    shot: Uuid,
) -> Result<(StoredShot, ClipInfo, FrameTable), TaskError> {
    let stored = runtime.block_on(worker.store.shot(shot))?;
    let clip = runtime.block_on(worker.store.clip(stored.info.clip_id))?;
    Ok((stored, serde_json::from_value(clip.info)?, serde_json::from_value(clip.frames)?))
}
